import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import type { S, Step } from "../client/api";
import { Toasts } from "../common/toasts";
import { column, levels, server, show } from "../testing/kit";
import { PathsModal } from "./paths-modal";
import { WavesEditor } from "./waves-editor";

const STUDY = "/api/studies/s1";
const OWN: Step = { step: "keep_rows", where: "a", id: "own" };
const KEPT = {
  id: "p1",
  name: "Cleaning",
  steps: [
    { step: "drop", id: "x" },
    { step: "sort", id: "y" },
  ],
  columns: ["a", "b"],
};

function paths(effects: object[], lacking: string[] = []) {
  const kept: { steps: Step[]; label: string }[] = [];
  let closed = 0;
  const sent = server({
    [`GET ${STUDY}`]: {
      body: {
        entries: [
          { id: "t1", type: "table", name: "Beds" },
          { id: "t2", type: "table", name: "Old" },
        ],
      },
    },
    [`GET ${STUDY}/paths`]: { body: [KEPT] },
    [`POST ${STUDY}/paths`]: { body: { ...KEPT, name: "Mine" } },
    [`GET ${STUDY}/tables/t2`]: { body: { table: { name: "Old", steps: [] } } },
    [`POST ${STUDY}/tables/t1/try-path`]: { body: { effects, lacking } },
  });
  const table = { id: "t1", name: "Beds", version: "v", steps: [OWN] } as unknown as S["TableOut"];
  show(
    <>
      <PathsModal
        study="s1"
        table={table}
        setSteps={(steps, label) => (kept.push({ steps, label }), Promise.resolve())}
        close={() => closed++}
      />
      <Toasts />
    </>,
  );
  return { kept, sent, closed: () => closed, user: userEvent.setup() };
}

const effect = (title: string, problem: string | null = null) => ({ title, said: "done", problem });

describe("paths of other tables", () => {
  it("are tried first, and taken over after this table's own, under new names", async () => {
    const { kept, sent, closed, user } = paths([effect("Drop **a**"), effect("Sort")]);
    await user.selectOptions(
      await screen.findByLabelText("Use a path after this table’s own"),
      await screen.findByText("Cleaning (2 steps)"),
    );
    expect(await screen.findByText("Every step fits.")).toBeTruthy();
    expect(sent.find((s) => s.path.endsWith("try-path"))!.body).toEqual({ steps: KEPT.steps, columns: ["a", "b"] });
    fireEvent.click(screen.getByText("Take 2 steps over"));
    expect(kept).toEqual([
      { steps: [OWN, { step: "drop" }, { step: "sort" }], label: "Use the path Cleaning on Beds" },
    ]);
    await waitFor(() => expect(closed()).toBe(1));
  });

  it("say which steps will not do, and which columns are lacking", async () => {
    const { user } = paths([effect("Drop", "There is no column a."), effect("Sort")], ["a"]);
    await user.selectOptions(
      await screen.findByLabelText("Use a path after this table’s own"),
      await screen.findByText("Cleaning (2 steps)"),
    );
    expect(await screen.findByText("There is no column a.")).toBeTruthy();
    expect(screen.getByText("1 step will not do; it stands in the path to be mended.")).toBeTruthy();
    expect(screen.getByText(/This table lacks 1 column that the path was made on: a\./)).toBeTruthy();
  });

  it("may have no steps", async () => {
    const { user } = paths([]);
    await user.selectOptions(
      await screen.findByLabelText("Use a path after this table’s own"),
      await screen.findByText("Old"),
    );
    expect(await screen.findByText("That table has no steps.")).toBeTruthy();
  });

  it("are kept under a name", async () => {
    const { sent, user } = paths([]);
    const box = await screen.findByLabelText(/Keep this table’s path \(1 step\)/);
    await user.type(box, " Mine {Enter}");
    expect(await screen.findByText("The path is kept as “Mine”")).toBeTruthy();
    expect(sent.find((s) => s.method === "POST" && s.path.endsWith("/paths"))!.body).toEqual({
      name: "Mine",
      table: "t1",
    });
  });
});

describe("two waves of a survey", () => {
  const mine = [
    column("age", "count"),
    column("trust", "ordered", { levels: levels("1", "2") }),
    column("w", "measure"),
  ];
  const theirs = [
    column("alter", "count"),
    column("trust", "ordered", { levels: levels("1", "2", "3") }),
    column("w", "measure"),
  ];
  const likely = [
    { mine: "age", theirs: "alter", why: "like label" },
    { mine: "trust", theirs: "trust", why: "same name" },
    { mine: "w", theirs: "w", why: "same name" },
  ];

  function waves(start: object) {
    server({
      [`GET ${STUDY}`]: { body: { entries: [{ id: "t2", type: "table", name: "Old", line: "9 rows" }] } },
      [`GET ${STUDY}/tables/t2`]: { body: { table: { columns: theirs } } },
      [`GET ${STUDY}/tables/t1/likeness`]: { body: likely },
    });
    const made: Step[] = [];
    let put: (s: Step) => void = () => undefined;
    function Page() {
      const [step, setStep] = useState<Step>({ step: "join_waves", label: "2026", weight: "w", ...start });
      put = setStep;
      return (
        <WavesEditor study="s1" table="t1" columns={mine} step={step} change={(s) => (made.push(s), setStep(s))} />
      );
    }
    show(<Page />);
    return { made, user: userEvent.setup(), put: (s: Step) => put(s) };
  }
  const wave = { table: "t2", label: "2025", weight: "w", replicates: [] };

  it("are matched by name and label, weights aside, with both codings in sight", async () => {
    const { made, user } = waves({ waves: [wave] });
    await user.click(await screen.findByRole("button", { name: "Suggest by name and label" }));
    expect(made.at(-1)!.variables).toEqual([
      { name: "age", columns: { "2026": "age", "2025": "alter" } },
      { name: "trust", columns: { "2026": "trust", "2025": "trust" } },
    ]);
    expect(screen.getByRole("row", { name: /like label/ })).toBeTruthy();
    expect(screen.getByTitle("1, 2, 3").textContent).toBe("≠ 1, 2, 3");
  });

  it("keep their variables when a wave is called otherwise", async () => {
    const variables = [{ name: "age", columns: { "2026": "age", "2025": "alter" } }];
    const { made, user } = waves({ waves: [wave], variables });
    await user.type(await screen.findByLabelText("Name of the other wave"), "b");
    await waitFor(() =>
      expect(made.at(-1)!.variables).toEqual([{ name: "age", columns: { "2026": "age", "2025b": "alter" } }]),
    );
  });

  it("have lines by hand, and lines left out", async () => {
    const variables = [{ name: "age", columns: { "2026": "age", "2025": "alter" } }];
    const { made, user } = waves({ waves: [wave], variables });
    await user.click(await screen.findByRole("button", { name: "Add a line" }));
    await user.selectOptions(screen.getByLabelText("Column of 2026, variable 2"), "trust");
    expect((made.at(-1)!.variables as unknown[])[1]).toEqual({
      name: "trust",
      columns: { "2026": "trust", "2025": null },
    });
    expect(screen.getByText("in one wave only")).toBeTruthy();
    await user.click(screen.getAllByRole("button", { name: "Leave out" })[0]!);
    expect((made.at(-1)!.variables as unknown[]).length).toBe(1);
  });

  it("need names before their variables are matched", () => {
    waves({ label: "", waves: [wave] });
    expect(screen.queryByText("Variables of both waves")).toBeNull();
  });
});
