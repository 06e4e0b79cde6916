import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { S, Step } from "../client/api";
import { COLUMNS, place, server, show, type Reply } from "../testing/kit";
import { EditsList } from "./edits-list";
import { Path } from "./path";

const KEEP = {
  step: "keep_rows",
  family: "Rows",
  words: "Keep the rows where {where}",
  help: "Leaves out every other row.",
  listed: true,
  fresh: false,
  schema: { properties: { where: { ask: { shown: "expression", title: "Condition" } } }, required: ["where"] },
};
const TURN = { ...KEEP, step: "transpose", words: "Turn the table by {where}", family: "Shape", fresh: true };
const CATALOGUE: [unknown[], unknown] = [
  ["catalogue"],
  { steps: [KEEP, TURN, { ...KEEP, step: "hidden", listed: false }], functions: [], methods: [], aims: [] },
];
const TRIED = {
  effect: { title: "Keep", said: "9 of 12 rows", notes: [], lists: [] },
  note: "",
  columns: ["height"],
  rows: [["4.0"], [null]],
};
const TABLE = "/api/studies/s1/tables/t1";

const step = (where: string, more = {}): Step => ({ step: "keep_rows", where, ...more });
const effect = (more = {}) => ({
  title: "Keep **rows**",
  said: "9 rows",
  problem: null,
  broken: false,
  notes: [],
  lists: [],
  ...more,
});

function path(steps: Step[], more: { effects?: unknown[]; replies?: Record<string, Reply>; refuse?: boolean } = {}) {
  const kept: { steps: Step[]; label: string }[] = [];
  const table = {
    id: "t1",
    name: "Beds",
    version: "v1",
    columns: COLUMNS,
    steps,
    effects: more.effects ?? steps.map(() => effect()),
    source: { title: "beds.csv", said: "12 rows", notes: ["One row was cut short."], lists: [] },
  } as unknown as S["TableOut"];
  const sent = server({
    [`GET ${TABLE}/before`]: { body: COLUMNS },
    [`POST ${TABLE}/try`]: { body: TRIED },
    [`POST ${TABLE}/derived`]: { body: { table: { id: "t9" } } },
    ...more.replies,
  });
  const setSteps = (next: Step[], label: string) => (
    kept.push({ steps: next, label }),
    more.refuse ? Promise.reject(new Error("no")) : Promise.resolve()
  );
  show(
    <Path study="s1" table={table} setSteps={setSteps} startWith={null} busy={false} showRows={() => undefined} />,
    undefined,
    undefined,
    [CATALOGUE],
  );
  return { kept, sent, user: userEvent.setup() };
}

const begin = async (user: ReturnType<typeof userEvent.setup>, kind: string) => {
  await user.click(screen.getByRole("button", { name: "Add a step" }));
  await user.click(document.querySelector(`[data-step-kind="${kind}"]`)!);
};

describe("a new step", () => {
  it("is found by what it does, in families, without those that are not for choosing", async () => {
    const { user } = path([]);
    await user.click(screen.getByRole("button", { name: "Add a step" }));
    expect([...document.querySelectorAll("[data-step-kind]")].map((o) => o.textContent)).toEqual([
      "Keep the rows where …",
      "Turn the table by …",
    ]);
    await user.type(screen.getByPlaceholderText(/What should happen/), "turn shape");
    expect([...document.querySelectorAll("[data-step-kind]")].length).toBe(1);
    await user.type(screen.getByPlaceholderText(/What should happen/), " nothing");
    expect(screen.getByText(/No step does that/)).toBeTruthy();
  });

  it("says what it would do before it is added", async () => {
    const { user, kept, sent } = path([]);
    await begin(user, "keep_rows");
    expect(screen.getByRole("button", { name: "Add the step" })).toHaveProperty("disabled", true);
    expect(screen.getByText("Leaves out every other row.")).toBeTruthy();
    await user.type(screen.getByRole("combobox", { name: "Condition" }), "height > 3");
    expect(await screen.findByText(/9 of 12 rows/)).toBeTruthy();
    expect(sent.filter((s) => s.path.endsWith("/try")).at(-1)!.body).toEqual({ step: step("height > 3"), at: 0 });
    await user.click(screen.getByRole("button", { name: "Add the step" }));
    expect(kept).toEqual([{ steps: [step("height > 3")], label: "Add a step in Beds" }]);
    await waitFor(() => expect(screen.queryByRole("button", { name: "Add the step" })).toBeNull());
  });

  it("says why it cannot be done, at its place", async () => {
    const detail = "height is no text.";
    const replies = { [`POST ${TABLE}/try`]: { status: 422, body: { detail, position: 3, status: 422 } } };
    const { user } = path([], { replies });
    await begin(user, "keep_rows");
    await user.type(screen.getByRole("combobox", { name: "Condition" }), "height == 'a'");
    expect((await screen.findByRole("alert")).textContent).toBe(detail);
    expect(screen.getByRole("combobox", { name: "Condition" }).getAttribute("aria-invalid")).toBe("true");
  });

  it("that is half written survives a reload, until it is cancelled", async () => {
    const { user } = path([]);
    await begin(user, "keep_rows");
    await user.type(screen.getByRole("combobox", { name: "Condition" }), "height >");
    expect(JSON.parse(localStorage.getItem("yavik.draft.t1")!)).toMatchObject({ fresh: true, step: step("height >") });
    await user.click(screen.getByRole("button", { name: "Cancel" }));
    expect(localStorage.getItem("yavik.draft.t1")).toBeNull();
  });

  it("is there again where the page begins with a draft; one that cannot be read is none", () => {
    localStorage.setItem("yavik.draft.t1", JSON.stringify({ at: 0, step: step("leaves > 2"), fresh: true }));
    path([]);
    expect(screen.getByRole("combobox", { name: "Condition" })).toHaveProperty("value", "leaves > 2");
    document.body.innerHTML = "";
    localStorage.setItem("yavik.draft.t1", "{half");
    path([]);
    expect(screen.queryByRole("combobox", { name: "Condition" })).toBeNull();
  });

  it("may make a table of its own", async () => {
    const { user, sent, kept } = path([]);
    await begin(user, "transpose");
    await user.type(screen.getByRole("combobox", { name: "Condition" }), "height");
    await user.click(screen.getByRole("button", { name: "Make a new table of it" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/t/t9"));
    expect(sent.find((s) => s.path.endsWith("/derived"))!.body).toEqual({
      name: "Beds, turned",
      steps: [{ step: "transpose", where: "height" }],
    });
    expect(kept).toEqual([]);
  });
});

describe("the path", () => {
  const three = [step("a"), step("b", { on: false }), step("c")];
  const action = async (user: ReturnType<typeof userEvent.setup>, n: number, name: string) => {
    await user.click(screen.getByRole("button", { name: `Actions for step ${n}` }));
    await user.click(await screen.findByRole("menuitem", { name }));
  };

  it("switches, moves and deletes its steps", async () => {
    const { user, kept } = path(three);
    await action(user, 1, "Switch off");
    await action(user, 2, "Switch on");
    await action(user, 1, "Move later");
    await action(user, 3, "Delete");
    expect(kept.map((k) => k.label)).toEqual([
      "Switch off a step in Beds",
      "Switch on a step in Beds",
      "Move a step in Beds",
      "Delete a step in Beds",
    ]);
    expect(kept[0]!.steps[0]).toEqual({ ...three[0], on: false });
    expect(kept[1]!.steps[1]!.on).toBe(true);
    expect(kept[2]!.steps).toEqual([three[1], three[0], three[2]]);
    expect(kept[3]!.steps).toEqual(three.slice(0, 2));
  });

  it("does not move its ends away", async () => {
    const { user } = path(three);
    await user.click(screen.getByRole("button", { name: "Actions for step 1" }));
    expect((await screen.findByRole("menuitem", { name: "Move earlier" })).getAttribute("aria-disabled")).toBe("true");
  });

  it("takes a dragged step to its new place", () => {
    const { kept } = path(three);
    const chips = screen.getAllByRole("listitem").slice(1);
    fireEvent.drop(chips[2]!, { dataTransfer: { getData: () => "0" } });
    fireEvent.drop(chips[1]!, { dataTransfer: { getData: () => "1" } });
    expect(kept.map((k) => k.steps)).toEqual([[three[1], three[2], three[0]]]);
  });

  it("goes on after what the server refused", async () => {
    const { user, kept } = path(three, { refuse: true });
    await action(user, 1, "Delete");
    await act(() => Promise.resolve());
    expect(kept.length).toBe(1);
    expect(screen.getByRole("button", { name: "Actions for step 3" })).toBeTruthy();
  });

  it("changes a step where it stands", async () => {
    const { user, kept } = path([step("a"), step("height > 3")]);
    await user.click(screen.getAllByText("rows")[1]!);
    const box = screen.getByRole("combobox", { name: "Condition" });
    await user.clear(box);
    await user.type(box, "height > 4");
    await user.click(screen.getByRole("button", { name: "Keep the change" }));
    expect(kept).toEqual([{ steps: [step("a"), step("height > 4")], label: "Change a step in Beds" }]);
  });

  it("says on its chip that a step cannot be done, and beside it what a step noticed", async () => {
    const effects = [effect({ problem: "height is gone." }), effect({ notes: ["3 rows were alike."] })];
    const { user } = path([step("a"), step("b")], { effects });
    expect(screen.getByText("height is gone.").className).toContain("text-error");
    await user.click(screen.getByRole("button", { name: "What step 2 says" }));
    expect(
      within(screen.getByRole("region", { name: "What the step says" })).getByText("3 rows were alike."),
    ).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "What was noticed while the file was read" }));
    expect(screen.getByText("One row was cut short.")).toBeTruthy();
  });
});

describe("cells that were edited by hand", () => {
  const edits = [
    { row: 3, column: "height", old: "4.0", new: "5" },
    { row: 4, column: "height", old: null, new: null, reason: "lost" },
  ];

  it("say why, and are taken back one by one", async () => {
    const set: unknown[] = [];
    show(<EditsList edits={edits} set={(e) => set.push(e)} />);
    const user = userEvent.setup();
    fireEvent.change(screen.getByLabelText("Why height in row 3 was edited"), { target: { value: "misread" } });
    await user.click(screen.getAllByRole("button", { name: "Take back" })[1]!);
    expect(set).toEqual([[{ ...edits[0], reason: "misread" }, edits[1]], [edits[0]]]);
  });

  it("teach how a cell is edited where there is none", () => {
    show(<EditsList edits={[]} set={() => undefined} />);
    expect(screen.getByText(/Press Enter on a cell/)).toBeTruthy();
  });
});
