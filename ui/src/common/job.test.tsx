import { act, renderHook, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Job } from "../client/api";
import { server, show } from "../testing/kit";
import { endOf, JobBar, timeWords, useJob } from "./job";

/** Events as the server sends them, sent by hand. */
class Events {
  static all: Events[] = [];
  static CLOSED = 2;
  readyState = 1;
  onmessage: (event: { data: string }) => void = () => undefined;
  onerror: () => void = () => undefined;
  constructor(readonly url: string) {
    Events.all.push(this);
  }
  close() {
    this.readyState = 2;
  }
  tell(job: Partial<Job>) {
    act(() => this.onmessage({ data: JSON.stringify({ ...JOB, ...job }) }));
  }
  fail(closed: boolean) {
    if (closed) this.readyState = 2;
    act(() => this.onerror());
  }
}

const JOB: Job = {
  id: "j1",
  study_id: "s1",
  title: "Draws",
  state: "running",
  part: 0.1,
  what: "drawing",
  result: null,
  problem: null,
  item_id: "q1",
  seconds: 4,
  shown: null,
  said: [],
};

beforeEach(() => {
  Events.all = [];
  vi.stubGlobal("EventSource", Events);
});

function followed(first: Job | null) {
  const ends: Job[] = [];
  const hook = renderHook(({ job }) => useJob(job, (now) => ends.push(now)), { initialProps: { job: first } });
  return { ...hook, ends, events: () => Events.all.at(-1)! };
}

describe("work that is followed", () => {
  it("is told of as it goes on, and ended once", () => {
    const { result, ends, events } = followed(JOB);
    expect(events().url).toBe("/api/studies/s1/jobs/j1/events");
    events().tell({ part: 0.5, what: "half" });
    expect(result.current).toMatchObject({ part: 0.5, what: "half" });
    events().tell({ state: "done", part: 1 });
    expect(result.current).toBeNull();
    expect(ends.map((j) => j.state)).toEqual(["done"]);
    expect(events().readyState).toBe(2);
  });

  it("goes on where the connection broke and is tried again", () => {
    const { result, ends, events } = followed(JOB);
    events().fail(false);
    expect(ends).toEqual([]);
    events().tell({ part: 0.6 });
    expect(result.current).toMatchObject({ part: 0.6 });
  });

  it("is said to have ended with its server where nobody knows of it any more", () => {
    const { result, ends, events } = followed(JOB);
    events().tell({ part: 0.6 });
    events().fail(true);
    expect(result.current).toBeNull();
    expect(ends).toMatchObject([{ id: "j1", state: "failed", what: "The work ended with the server that did it." }]);
  });

  it("is not said to be lost after its end", () => {
    const { ends, events } = followed(JOB);
    events().tell({ state: "stopped" });
    events().fail(true);
    expect(ends.map((j) => j.state)).toEqual(["stopped"]);
  });

  it("is looked away from when the page leaves or other work begins", () => {
    const { rerender, unmount } = followed(JOB);
    rerender({ job: { ...JOB, id: "j2" } });
    expect(Events.all.map((e) => e.readyState)).toEqual([2, 1]);
    unmount();
    expect(Events.all.map((e) => e.readyState)).toEqual([2, 2]);
  });

  it("is none without any", () => {
    const { result } = followed(null);
    expect([result.current, Events.all.length]).toEqual([null, 0]);
  });

  it("is waited for, or not at all where there is none", async () => {
    await endOf(null);
    const end = endOf(JOB);
    Events.all[0]!.tell({ state: "problem" });
    await end;
  });
});

describe("the bar of work", () => {
  it("says what is done and how long it takes, once that can be known", () => {
    const { again } = show(<JobBar job={JOB} />);
    expect(screen.getByRole("progressbar", { name: "Draws" }).getAttribute("value")).toBe("0.1");
    expect(screen.getByText("about 36 s left")).toBeTruthy();
    again(<JobBar job={{ ...JOB, part: 0.01 }} />);
    expect(screen.queryByText(/left/)).toBeNull();
    again(<JobBar job={{ ...JOB, part: 0.1, seconds: 60 }} />);
    expect(screen.getByText("about 9 min left")).toBeTruthy();
  });

  it("counts in what can be overlooked", () => {
    expect([1, 89, 90, 600, 5399, 5400, 9000].map(timeWords)).toEqual([
      "1 s",
      "89 s",
      "2 min",
      "10 min",
      "90 min",
      "2 h",
      "3 h",
    ]);
  });

  it("is stopped by a click", async () => {
    const sent = server({ "DELETE /api/studies/s1/jobs/j1": { body: JOB } });
    show(<JobBar job={JOB} />);
    await userEvent.setup().click(screen.getByRole("button", { name: "Stop" }));
    expect(sent.map((s) => `${s.method} ${s.path}`)).toEqual(["DELETE /api/studies/s1/jobs/j1"]);
  });
});
