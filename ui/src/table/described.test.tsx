import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { S } from "../client/api";
import { column, COLUMNS, levels, place, server, show, type Reply } from "../testing/kit";
import { AskPage } from "../ask/ask-page";
import { ColumnMargin, describe as described } from "./column-margin";
import { Summary } from "./summary";

const profile = (more: object = {}) =>
  ({
    filled: 250_000,
    empty: 1200,
    infinite: 0,
    distinct: 98_000,
    mean: 4.25,
    sd: 1.5,
    median: 4,
    q1: 3,
    q3: 5,
    ...more,
  }) as S["Profile"];
const table = { id: "t1", name: "Beds", version: "v1", rows: 251_200, columns: COLUMNS } as unknown as S["TableOut"];
const TABLE = "/api/studies/s1/tables/t1";

describe("a column in numbers", () => {
  it("is told with one digit more than its values, and large counts in groups", () => {
    expect(described(column("x", "measure", { unit: "cm" }), profile({ infinite: 12_000 }))).toEqual([
      ["Kind", "measure"],
      ["Unit", "cm"],
      ["Filled", "250\u2009000 of 251\u2009200"],
      ["Mean", "4.25"],
      ["SD", "1.50"],
      ["Median", "4.00"],
      ["Quartiles", "3.00 to 5.00"],
      ["Different values", "98\u2009000"],
      ["Infinite", "12\u2009000"],
    ]);
  });

  it("has no mean where it is no number, and no different values where it has levels", () => {
    const words = described(column("b", "category", { levels: levels("n", "s") }), profile());
    expect(words.map(([k]) => k)).toEqual(["Kind", "Filled"]);
  });

  it("says what its codes mean, a minus only before digits", () => {
    const coded = column("b", "count", { empty_codes: ["", "-9", "n-a"], empty_meanings: { "-9": "refused - twice" } });
    expect(described(coded, profile()).at(-1)).toEqual(["Means empty", "−9 refused - twice, n-a"]);
  });
});

describe("the margin of a column", () => {
  const opened = (name: string, found = COLUMNS.find((c) => c.name === name)) => {
    const sent = server({
      [`GET ${TABLE}/columns`]: {
        body: found ? [{ column: found, profile: profile({ bars: [3, 12_345], bar_names: ["north", "south"] }) }] : [],
      },
      "POST /api/studies/s1/questions": { body: { id: "q9" } },
    });
    show(<ColumnMargin study="s1" table={table} name={name} />);
    return { sent, user: userEvent.setup() };
  };

  it("lists levels with their counts", async () => {
    opened("bed");
    expect(await screen.findByRole("row", { name: /south 12.345/ })).toBeTruthy();
  });

  it("begins a step with the column in its slot", async () => {
    const { user } = opened("height");
    await user.selectOptions(await screen.findByLabelText("Prepare this column"), "Compute from it");
    const begun = new URLSearchParams(place.now.split("?")[1]).get("step")!;
    expect(begun).toBe('compute:{"name":"","expression":"height"}');
  });

  it("offers what its kind can have done", async () => {
    opened("note");
    await screen.findByText("note");
    const offered = screen.getAllByRole("option").map((o) => o.textContent);
    expect(offered).toContain("One row for each of its levels");
    expect(offered).not.toContain("Standardise it");
  });

  it("describes the column by a question", async () => {
    const { sent, user } = opened("height");
    await user.click(await screen.findByRole("button", { name: "Describe this column" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/q/q9"));
    expect(sent.find((s) => s.method === "POST")!.body).toMatchObject({
      method: "describe",
      spec: { columns: ["height"] },
    });
  });

  it("asks for a column where none is chosen", () => {
    opened("gone", undefined);
    expect(screen.getByText("Choose a column to see it described.")).toBeTruthy();
  });
});

describe("every column", () => {
  const opened = (patterns: object, total = 1) => {
    const sent = server({
      [`GET ${TABLE}/summary`]: ({ query }) => ({
        body: {
          columns: [{ column: COLUMNS[0], profile: profile() }],
          groups: query.get("by") ? { height: [{ group: "north", n: 12_000, mean: -4, said: "−4.0 ± 1.0" }] } : {},
          groupable: ["bed"],
          total,
        },
      }),
      [`GET ${TABLE}/patterns`]: { body: patterns },
    });
    const chosen: string[] = [];
    show(<Summary study="s1" table={table} choose={(n) => chosen.push(n)} />);
    return { sent, chosen, user: userEvent.setup() };
  };
  const FULL = { columns: [], rows: 9, complete: 9, patterns: [], more: 0 };

  it("is described, and for each level of another", async () => {
    const { user, chosen } = opened(FULL);
    await user.click(await screen.findByRole("button", { name: /Plant height/ }));
    expect(chosen).toEqual(["height"]);
    await user.selectOptions(screen.getByLabelText("For each level of"), "bed");
    expect(await screen.findByRole("row", { name: /north 12.000 −4.0 ± 1.0/ })).toBeTruthy();
    expect(await screen.findByText("No cell is empty in 9 rows.")).toBeTruthy();
  });

  it("comes a page at a time in wide tables", async () => {
    const { user, sent } = opened(FULL, 130);
    expect(await screen.findByText("1 to 60 of 130")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Earlier columns" })).toHaveProperty("disabled", true);
    await user.click(screen.getByRole("button", { name: "Later columns" }));
    await user.click(await screen.findByRole("button", { name: "Later columns" }));
    expect(await screen.findByText("121 to 130 of 130")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Later columns" })).toHaveProperty("disabled", true);
    expect(sent.filter((s) => s.path.endsWith("summary")).map((s) => s.query.get("first"))).toEqual(["0", "60", "120"]);
  });

  it("says what is empty together, in words too", async () => {
    const patterns = [{ columns: ["leaves"], rows: 12_000, share: "4.8%" }];
    opened({ columns: ["height", "leaves"], rows: 250_000, complete: 1, patterns, more: 3 });
    const row = await screen.findByRole("row", { name: /12.000 4.8%/ });
    expect(
      within(row)
        .getAllByText(/filled|empty/)
        .map((e) => e.textContent),
    ).toEqual(["filled", "empty"]);
    expect(screen.getByText(/1 row of 250 000 is complete/)).toBeTruthy();
    expect(screen.getByText("and 3 rarer patterns.")).toBeTruthy();
  });
});

describe("asking", () => {
  const ask = { placeholder: "a measure" };
  const method = (id: string, sentence: string, more = {}) => ({
    id,
    aim: "compare",
    title: `Title of ${id}`,
    keywords: [],
    layouts: [{ id: "l", sentence }],
    spec: { properties: { response: { ask }, groups: { ask } } },
    ...more,
  });
  const CATALOGUE = {
    methods: [method("two", "Does {response} differ between {groups}?"), method("one", "Describe {response}.")],
    aims: [
      { id: "compare", title: "Compare" },
      { id: "none", title: "An aim without methods" },
    ],
  };
  const fit = (id: string, missing: string[], spec: object) => ({
    method: id,
    layout: "l",
    spec,
    missing,
    why: "a measure and two groups",
  });
  const opened = (fits: unknown[], replies: Record<string, Reply> = {}, columns = COLUMNS) => {
    const sent = server({
      [`GET ${TABLE}`]: { body: { table: { ...table, columns } } },
      [`GET ${TABLE}/fits`]: { body: { fits, said: "A measure and a category." } },
      "POST /api/studies/s1/questions": { body: { id: "q9" } },
      ...replies,
    });
    show(<AskPage />, "/s/s1/ask/t1", "/s/:study/ask/:id", [[["catalogue"], CATALOGUE]]);
    return { sent, user: userEvent.setup() };
  };

  it("begins from an aim, where there are methods for it", async () => {
    const { user, sent } = opened([]);
    expect(await screen.findByText("Ask about Beds")).toBeTruthy();
    expect(screen.queryByText("An aim without methods")).toBeNull();
    await user.click(screen.getByText("Describe", { exact: false, selector: "span" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/q/q9"));
    expect(sent.find((s) => s.method === "POST")!.body).toMatchObject({ method: "one", layout: "l", spec: {} });
  });

  it("begins from columns: what fits them rises, what fits with one more stands below", async () => {
    const spec = { response: "height", groups: "bed" };
    const { user } = opened([
      fit("two", [], spec),
      fit("one", [], { response: "height" }),
      fit("one", ["groups"], spec),
    ]);
    await user.click(await screen.findByRole("checkbox", { name: /height/ }));
    expect(await screen.findByText("Questions for height")).toBeTruthy();
    expect(screen.getByText("Fits best: a measure and two groups.")).toBeTruthy();
    expect(screen.getByText("With one more column")).toBeTruthy();
    await user.click(screen.getByRole("checkbox", { name: /bed/ }));
    expect(screen.getByText("Questions for height and bed")).toBeTruthy();
  });

  it("says so where no question takes these columns together", async () => {
    const { user } = opened([]);
    await user.click(await screen.findByRole("checkbox", { name: /note/ }));
    expect(await screen.findByText(/No question here takes just these columns together/)).toBeTruthy();
  });

  it("finds columns by their names and by their wording", async () => {
    const many = Array.from({ length: 20 }, (_, i) =>
      column(`m${i}`, "ordered", { label: i === 7 ? "I read to escape" : undefined }),
    );
    const { user } = opened([], {}, many);
    await user.type(await screen.findByLabelText("Search columns"), "escape");
    expect(screen.getAllByRole("checkbox").length).toBe(1);
  });

  it("takes a range with Shift", async () => {
    opened([]);
    const boxes = await screen.findAllByRole("checkbox");
    fireEvent.click(boxes[0]!);
    fireEvent.click(boxes[2]!, { shiftKey: true });
    expect(boxes.map((b) => (b as HTMLInputElement).checked)).toEqual([true, true, true, false, false, false]);
  });
});
