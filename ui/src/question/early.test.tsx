import { render, renderHook, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Job } from "../client/api";
import { Early, useEarly } from "./early";

const SAID = [{ t: "The two differ, ", style: "plain" as const }];
const job = (id: string, said: Job["said"] = []) => ({ id, said }) as unknown as Job;
type Now = { job: Job | null; working: Job | null; over?: boolean };

function early(first: Now) {
  const hook = renderHook(({ job, working, over }: Now) => useEarly(job, working, over ?? false), {
    initialProps: first,
  });
  return { now: () => hook.result.current, then: (next: Now) => hook.rerender(next) };
}

describe("a statement before the rest", () => {
  it("stands as soon as the work says it, and until the answer is there", () => {
    const a = job("a");
    const { now, then } = early({ job: a, working: a });
    expect(now()).toBeNull();
    then({ job: a, working: job("a", SAID) });
    expect(now()).toEqual(SAID);
    then({ job: a, working: null }); // ended; the answer is on its way
    expect(now()).toEqual(SAID);
    then({ job: a, working: null, over: true });
    expect(now()).toBeNull();
  });

  it("goes with the work whose it was: a changed sentence has not been answered", () => {
    const { now, then } = early({ job: job("a"), working: job("a", SAID) });
    then({ job: null, working: null });
    expect(now()).toBeNull();
    then({ job: job("b"), working: job("b") });
    expect(now()).toBeNull();
    then({ job: job("b"), working: job("b", [{ t: "They do not", style: "plain" }]) });
    expect(now()).toEqual([{ t: "They do not", style: "plain" }]);
  });

  it("says that more is to come", () => {
    render(<Early said={SAID} />);
    expect(screen.getByTestId("early").textContent).toBe("The two differ, Tables, pictures and checks follow.");
  });
});
