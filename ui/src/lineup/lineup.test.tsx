import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Answer, Entry } from "../client/api";
import { server, show } from "../testing/kit";
import { LineupView } from "./lineup-view";

const MODELS = ["a", "b", "c"].map((name) => ({ name, method: "linear", spec: { terms: [name] } }));
const head = (key: string, title: string) => ({ key, title, align: "right" });
const ANSWER = {
  headline_spans: [{ t: "3 models.", style: "plain" }],
  blocks: [
    {
      type: "table",
      id: "models",
      title: "Odds ratios",
      columns: [head("term", "Term"), head("m0", "Short"), head("m1", "Middle"), head("m2", "Long")],
      rows: [],
    },
  ],
} as unknown as Answer;
const entry = (id: string, method: string, table = "t1") => ({ id, type: "question", name: `Q ${id}`, method, table });

function lined(spec: Record<string, unknown> = {}) {
  const set: Record<string, unknown>[] = [];
  server({ "GET /api/studies/s1/questions/q1": { body: { name: "Q q1", method: "linear", spec: { terms: ["z"] } } } });
  show(
    <LineupView
      study="s1"
      spec={{ models: MODELS, chosen: 1, ...spec }}
      answer={ANSWER}
      set={(s) => set.push(s)}
      others={[entry("q1", "linear"), entry("q2", "describe"), entry("q3", "linear", "t2")] as unknown as Entry[]}
      models={["linear", "logistic"]}
      table="t1"
    />,
  );
  const names = () => (set.at(-1)!.models as typeof MODELS).map((m) => m.name);
  return { set, names, user: userEvent.setup() };
}

describe("models side by side", () => {
  it("are moved, and the chosen one stays chosen", async () => {
    const { set, names, user } = lined();
    await user.click(screen.getByRole("button", { name: "Move Middle left" }));
    expect([names(), set[0]!.chosen]).toEqual([["b", "a", "c"], 0]);
    await user.click(screen.getByRole("button", { name: "Move Middle right" }));
    expect([names(), set[1]!.chosen]).toEqual([["a", "c", "b"], 2]);
    expect(screen.getByRole("button", { name: "Move Short left" })).toHaveProperty("disabled", true);
    expect(screen.getByRole("button", { name: "Move Long right" })).toHaveProperty("disabled", true);
  });

  it("are taken away, and none is chosen where the chosen one goes", async () => {
    const { set, names, user } = lined();
    await user.click(screen.getByRole("button", { name: "Take Short away" }));
    expect([names(), set[0]!.chosen]).toEqual([["b", "c"], 0]);
    await user.click(screen.getByRole("button", { name: "Take Middle away" }));
    expect([names(), set[1]!.chosen]).toEqual([["a", "c"], null]);
  });

  it("are chosen to be reported, and not", async () => {
    const { set, user } = lined();
    await user.click(screen.getByRole("button", { name: "Report Long" }));
    await user.click(screen.getByRole("button", { name: "Middle is to be reported; take that back" }));
    expect(set.map((s) => s.chosen)).toEqual([2, null]);
  });

  it("are named in place, or go by their own names again", async () => {
    const { names, user } = lined();
    await user.click(screen.getByRole("button", { name: "Name Middle" }));
    const box = screen.getByLabelText("Name of model 2");
    expect(box).toHaveProperty("value", "b");
    fireEvent.change(box, { target: { value: " Final " } });
    fireEvent.blur(box);
    expect(names()).toEqual(["a", "Final", "c"]);
    await user.click(screen.getByRole("button", { name: "Name Short" }));
    fireEvent.change(screen.getByLabelText("Name of model 1"), { target: { value: "" } });
    fireEvent.blur(screen.getByLabelText("Name of model 1"));
    expect(names()).toEqual([null, "b", "c"]);
  });

  it("come from other questions on the same table that are models", async () => {
    const { names, user } = lined();
    await user.click(screen.getByRole("button", { name: /Add a model/ }));
    expect(screen.getAllByRole("menuitem").map((i) => i.textContent)).toEqual(["Q q1"]);
    await user.click(screen.getByRole("menuitem", { name: "Q q1" }));
    await waitFor(() => expect(names()).toEqual(["a", "b", "c", "Q q1"]));
  });

  it("show odds ratios or coefficients, intervals or errors, with marks or without", async () => {
    const { set, user } = lined({ brackets: "se" });
    for (const name of ["coefficients", "intervals", "marks of p"])
      await user.click(screen.getByRole("button", { name }));
    expect(set).toMatchObject([{ show: "b" }, { brackets: "ci" }, { marks: "stars" }]);
    expect(screen.getByRole("button", { name: "standard errors", pressed: true })).toBeTruthy();
  });
});
