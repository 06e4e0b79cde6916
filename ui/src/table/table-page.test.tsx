import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Step } from "../client/api";
import { Toasts } from "../common/toasts";
import { COLUMNS, place, server, show, type Reply } from "../testing/kit";
import { TablePage } from "./table-page";

const WHERE = "/api/studies/s1/tables/t1";
const STEP: Step = { step: "keep_rows", where: "height > 1", id: "a" };

function page(more: { replies?: Record<string, Reply>; at?: string } = {}) {
  let steps = [STEP];
  let revision = 1;
  const table = () => ({
    id: "t1",
    name: "Beds",
    version: `v${revision}`,
    revision,
    rows: 12_000,
    empty_cells: 1,
    columns: COLUMNS,
    steps,
    effects: steps.map(() => ({ title: "Keep", said: "12 rows", problem: null, notes: [], lists: [] })),
    source: { title: "beds.csv", said: "12 rows", notes: [], lists: [] },
    upload: "u1",
    filename: "beds.csv",
    linked_to: null,
    made_into: [],
    about: {},
  });
  const sent = server({
    [`GET ${WHERE}`]: () => ({ body: { table: table(), job: null } }),
    [`GET ${WHERE}/rows`]: ({ query }) => ({
      body: {
        start: Number(query.get("start")),
        total: query.get("find") ? 2 : 12_000,
        numbers: [1, 2, 3],
        rows: [1, 2, 3].map((r) => COLUMNS.map((_, c) => `${r}.${c}`)),
      },
    }),
    [`GET ${WHERE}/columns`]: { body: [] },
    [`GET ${WHERE}/seek`]: ({ query }) => ({
      body:
        query.get("what") === "empty"
          ? { row: null, number: null, column: null, count: 0 }
          : { row: 2, number: 3, column: "bed", count: 40_000 },
    }),
    [`GET ${WHERE}/summary`]: { body: { columns: [], groups: {}, groupable: [], total: 0 } },
    [`GET ${WHERE}/patterns`]: { body: { columns: [], rows: 9, complete: 9, patterns: [], more: 0 } },
    [`PUT ${WHERE}/steps`]: (s) => {
      steps = (s.body as { steps: Step[] }).steps as typeof steps;
      revision++;
      return { body: { table: table(), job: null } };
    },
    "PATCH /api/studies/s1/items/t1": { body: {} },
    "GET /api/outputs": {
      body: [
        { id: "csv", title: "CSV", keeps: false },
        { id: "parquet", title: "Parquet", keeps: true },
      ],
    },
    ...more.replies,
  });
  show(
    <>
      <TablePage />
      <Toasts />
    </>,
    more.at ?? "/s/s1/t/t1",
    "/s/:study/t/:id",
    [[["catalogue"], { methods: [], steps: [], aims: [], functions: [] }]],
  );
  const did = (method: string, end = "") => sent.filter((s) => s.method === method && s.path.endsWith(end));
  return { did, user: userEvent.setup() };
}

describe("a table", () => {
  it("says how large it is, and is looked at in three ways", async () => {
    const { user } = page();
    expect(await screen.findByText(/12.000 rows, 6 columns, 1 empty cell/)).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Dictionary" }));
    expect(screen.getByRole("table", { name: "Dictionary of Beds" })).toBeTruthy();
    expect(place.now).toBe("/s/s1/t/t1?view=dictionary");
    await user.click(screen.getByRole("button", { name: "Summary" }));
    expect(await screen.findByLabelText("For each level of")).toBeTruthy();
    expect(screen.getByRole("link", { name: "Ask about this table" }).getAttribute("href")).toBe("/s/s1/ask/t1");
  });

  it("is renamed where its name stands", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: "Beds: rename the table" }));
    const box = screen.getByLabelText("Name of the table");
    await user.clear(box);
    await user.type(box, "Plots{Enter}");
    await waitFor(() => expect(did("PATCH").map((s) => s.body)).toEqual([{ name: "Plots" }]));
  });

  it("takes quick changes in order, each on top of the one before", async () => {
    const { did, user } = page({ at: "/s/s1/t/t1?view=dictionary" });
    await screen.findByRole("table", { name: "Dictionary of Beds" });
    for (const [name, text] of [
      ["Unit of leaves", "n"],
      ["Note on bed", "a note"],
    ] as const) {
      const box = screen.getByLabelText(name);
      await user.type(box, `${text}{Enter}`);
    }
    await waitFor(() => expect(did("PUT").length).toBe(2));
    const [first, second] = did("PUT").map((s) => (s.body as { steps: Step[] }).steps.length);
    expect([first, second]).toEqual([2, 3]);
    expect(did("PUT").map((s) => s.headers.get("if-match"))).toEqual(['"1"', '"2"']);
  });

  it("says why a change was refused, and stands as it was", async () => {
    const { did, user } = page({
      at: "/s/s1/t/t1?view=dictionary",
      replies: {
        [`PUT ${WHERE}/steps`]: { status: 422, body: { detail: "A unit has at most 40 letters.", status: 422 } },
      },
    });
    await user.type(await screen.findByLabelText("Unit of leaves"), "x{Enter}");
    expect(await screen.findByText("A unit has at most 40 letters.")).toBeTruthy();
    await waitFor(() => expect(did("GET", "/t1").length).toBeGreaterThan(1));
    expect(screen.getAllByRole("button", { name: /^Actions for step/ }).length).toBe(1);
  });

  it("is saved in its formats, and its file is given back", async () => {
    const { user } = page();
    await user.click(await screen.findByRole("button", { name: "Save Beds, or its path" }));
    const links = screen.getAllByRole("menuitem").filter((i) => i.tagName === "A");
    expect(links.map((l) => l.getAttribute("href"))).toEqual([
      `${WHERE}/save?format=csv`,
      `${WHERE}/save?format=parquet`,
      "/api/studies/s1/uploads/u1/original",
    ]);
  });

  it("that is gone says so", async () => {
    page({
      replies: {
        [`GET ${WHERE}`]: { status: 404, body: { detail: "This table is no longer in the study.", status: 404 } },
      },
    });
    expect(await screen.findByText("This table is no longer in the study.")).toBeTruthy();
  });
});

describe("looking at rows", () => {
  it("finds a text, goes from cell to cell, and shows only its rows", async () => {
    const { did, user } = page();
    await user.type(await screen.findByLabelText("Find in the rows"), "north{Enter}");
    expect(await screen.findByText(/40.000 cells/)).toBeTruthy();
    expect(did("GET", "/seek")[0]!.query.get("text")).toBe("north");
    await user.click(screen.getByRole("button", { name: "Only these rows" }));
    await waitFor(() => expect(did("GET", "/rows").at(-1)!.query.get("find")).toBe("north"));
    expect(screen.getByRole("button", { name: "All rows" })).toBeTruthy();
  });

  it("says that nothing is empty", async () => {
    const { user } = page();
    await user.click(await screen.findByRole("button", { name: "Next empty" }));
    expect(await screen.findByText("Nothing is empty in height")).toBeTruthy();
  });

  it("sorts and filters without changing the table, until that is kept", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: "Sort by height, falling" }));
    await user.click(screen.getByRole("button", { name: "Filter" }));
    await user.type(screen.getByLabelText("Rows where"), "leaves > 2{Enter}");
    await waitFor(() => {
      const query = did("GET", "/rows").at(-1)!.query;
      expect([query.get("sort"), query.get("falling"), query.get("where")]).toEqual(["height", "true", "leaves > 2"]);
    });
    expect(did("PUT")).toEqual([]);
    await user.click(screen.getByRole("button", { name: "Keep as steps" }));
    await waitFor(() => expect(did("PUT").length).toBe(1));
    expect((did("PUT")[0]!.body as { steps: Step[] }).steps.slice(1)).toEqual([
      { step: "keep_rows", where: "leaves > 2" },
      { step: "sort", by: ["height"], descending: ["height"] },
    ]);
    expect(screen.queryByRole("button", { name: /^Keep as/ })).toBeNull();
  });

  it("turns a sort off by the same click", async () => {
    const { user } = page();
    const rising = await screen.findByRole("button", { name: "Sort by height, rising" });
    await user.click(rising);
    expect(rising.getAttribute("aria-pressed")).toBe("true");
    await user.click(rising);
    expect(rising.getAttribute("aria-pressed")).toBe("false");
  });

  it("joins edits that follow one another into one step, and leads to its reasons", async () => {
    const { did, user } = page();
    const cell = async (id: string, text: string) => {
      // The cells of the new version come first.
      const box = await waitFor(() => {
        fireEvent.doubleClick(document.getElementById(id)!);
        return within(document.getElementById(id)!).getByRole("textbox");
      });
      fireEvent.change(box, { target: { value: text } });
      fireEvent.keyDown(box, { key: "Enter" });
      await screen.findByText(new RegExp(`→ ${text}`));
    };
    await screen.findByText("1.0");
    await cell("cell-0-0", "8");
    await cell("cell-1-0", "9");
    const steps = did("PUT").map((s) => (s.body as { steps: Step[] }).steps);
    expect(steps.map((s) => s.length)).toEqual([2, 2]);
    expect((steps[1]!.at(-1)!.edits as { new: string }[]).map((e) => e.new)).toEqual(["8", "9"]);
    await user.click(screen.getAllByRole("button", { name: "Say why" })[0]!);
    expect(place.now).toContain("step=edit%3A1");
  });
});
