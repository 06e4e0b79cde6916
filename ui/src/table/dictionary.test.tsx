import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { S, Step } from "../client/api";
import { COLUMNS, column, server, show, type Reply } from "../testing/kit";
import { Dictionary, merge, withoutCodes } from "./dictionary";
import { LevelsEditor, type Level } from "./levels-editor";
import { PasteLabels } from "./paste-labels";
import { called } from "./waves-editor";

const label = (column: string, text: string, more = {}): Step => ({
  step: "describe_column",
  column,
  label: text,
  ...more,
});
const levelsOf = (column: string, also: string[] = []): Step => ({ step: "levels", column, levels: [], also });

describe("an edit in the dictionary", () => {
  it("replaces what an earlier step said, where it stands, keeping its name", () => {
    const steps = [label("a", "old", { id: "s1" }), label("b", "other")];
    expect(merge(steps, label("a", "new"))).toEqual([label("a", "new", { id: "s1" }), label("b", "other")]);
  });

  it("comes at the end where nothing was said before, or what was said is switched off", () => {
    const off = label("a", "old", { on: false });
    expect(merge([off], label("a", "new"))).toEqual([off, label("a", "new")]);
  });

  it("comes at the end where a later step says something of the column too: it would not be seen before it", () => {
    const pasted: Step = { step: "describe_columns", descriptions: [{ column: "a", label: "pasted" }] };
    expect(merge([label("a", "old"), pasted], label("a", "new"))).toEqual([
      label("a", "old"),
      pasted,
      label("a", "new"),
    ]);
    const rest: Step = { step: "describe_columns", descriptions: [{ column: "ab", label: "pasted" }] };
    expect(merge([label("a", "old"), rest], label("a", "new"))).toHaveLength(2);
  });

  it("of one column's levels leaves those of the columns beside it alone", () => {
    const many = levelsOf("m1", ["m2", "m3"]);
    const one: Step = { step: "levels", column: "m1", levels: [{ value: "1" }] };
    expect(merge([many], one)).toEqual([many, one]);
    expect(merge([many, one], { ...one, levels: [] })).toEqual([many, { ...one, levels: [] }]);
  });

  it("of codes stays where it is, and takes them from its column alone", () => {
    const codes: Step = { step: "empty_codes", columns: ["a"], codes: ["-9"] };
    const later = label("a", "x");
    expect(merge([codes, later], { ...codes, codes: ["-8"] })).toEqual([{ ...codes, codes: ["-8"] }, later]);
    expect(withoutCodes([codes, { ...codes, columns: ["a", "b"] }, later], "a")).toEqual([
      { ...codes, columns: ["b"] },
      later,
    ]);
  });
});

function page(steps: Step[] = [], replies: Record<string, Reply> = {}, columns = COLUMNS) {
  const sent: { steps: Step[]; label: string }[] = [];
  const setSteps = (next: Step[], words: string) => (sent.push({ steps: next, label: words }), Promise.resolve());
  const table = { id: "t1", name: "Beds", version: "v1", steps, columns } as unknown as S["TableOut"];
  server(replies);
  return { sent, table, setSteps, user: userEvent.setup() };
}

describe("the dictionary", () => {
  it("keeps a label when the field is left, with the unit that was there", async () => {
    const { sent, user, ...rest } = page([label("height", "Height", { unit: "cm" })]);
    show(<Dictionary study="s1" {...rest} />);
    const field = screen.getByLabelText("Label of height");
    expect(field).toHaveProperty("value", "Plant height");
    await user.clear(field);
    await user.type(field, "Tallness{Enter}");
    expect(sent).toEqual([{ steps: [label("height", "Tallness", { unit: "cm" })], label: "Label height" }]);
  });

  it("changes nothing on Escape", async () => {
    const { sent, user, ...rest } = page();
    show(<Dictionary study="s1" {...rest} />);
    await user.type(screen.getByLabelText("Note on bed"), "x{Escape}");
    await user.tab();
    expect(sent).toEqual([]);
  });

  it("reads codes with commas and either minus, and takes them away when the field is emptied", async () => {
    const { sent, user, ...rest } = page([], {}, [column("a", "count", { empty_codes: ["-9"] })]);
    show(<Dictionary study="s1" {...rest} />);
    const field = screen.getByLabelText("Codes that mean empty in a");
    expect(field).toHaveProperty("value", "−9");
    await user.type(field, ", −8{Enter}");
    expect(sent[0]!.steps).toEqual([{ step: "empty_codes", columns: ["a"], codes: ["-9", "-8"] }]);
    await user.clear(field);
    await user.tab();
    expect(sent[1]!.steps).toEqual([]);
  });

  it("changes a kind", async () => {
    const { sent, user, ...rest } = page();
    show(<Dictionary study="s1" {...rest} />);
    await user.selectOptions(screen.getByLabelText("Kind of leaves"), "measure");
    expect(sent[0]!.steps).toEqual([{ step: "kind", column: "leaves", kind: "measure" }]);
  });

  it("labels the different values of a count, all of them", async () => {
    const columns = "/api/studies/s1/tables/t1/columns";
    const { sent, user, ...rest } = page([], {
      [`GET ${columns}`]: { body: [{ column: COLUMNS[1], profile: {} }] },
      "GET /api/studies/s1/tables/t1/values": { body: { leaves: ["−1", "2", "10"] } },
    });
    show(<Dictionary study="s1" {...rest} />);
    await user.click(
      within(screen.getByRole("row", { name: /^leaves/ })).getByRole("button", { name: "Label its values" }),
    );
    const words = await screen.findByLabelText("Words for -1");
    await user.type(words, "none");
    await user.click(screen.getByLabelText("Move 10 up"));
    await user.click(screen.getByRole("button", { name: "Keep these levels" }));
    expect(sent[0]!.steps).toEqual([
      {
        step: "levels",
        column: "leaves",
        levels: [{ value: "-1", label: "none" }, { value: "10" }, { value: "2" }],
      },
    ]);
  });
});

describe("levels to be edited", () => {
  it("are said to be none where a column has too many values", async () => {
    const { table } = page([], {
      "GET /api/studies/s1/tables/t1/columns": { body: [{ column: COLUMNS[1], profile: {} }] },
      "GET /api/studies/s1/tables/t1/values": { body: { leaves: [] } },
    });
    const set: Level[][] = [];
    show(<LevelsEditor study="s1" table={table} column="leaves" levels={null} set={(l) => set.push(l)} />);
    expect(await screen.findByText(/holds too many different values/)).toBeTruthy();
    expect(set).toEqual([]);
  });

  it("begin with those the column has", async () => {
    const { table } = page([], {
      "GET /api/studies/s1/tables/t1/columns": { body: [{ column: COLUMNS[2], profile: {} }] },
    });
    const set: Level[][] = [];
    show(<LevelsEditor study="s1" table={table} column="bed" levels={null} set={(l) => set.push(l)} />);
    await waitFor(() => expect(set[0]?.map((l) => l.value)).toEqual(["north", "south", "west"]));
  });
});

describe("labels from a sheet", () => {
  const paste = async (text: string, levels = false) => {
    const made = page();
    let closed = 0;
    show(<PasteLabels table={made.table} setSteps={made.setSteps} close={() => closed++} />);
    if (levels) await made.user.click(screen.getByRole("button", { name: "Labels of levels" }));
    await made.user.click(screen.getByRole("textbox"));
    await made.user.paste(text);
    return { ...made, closed: () => closed };
  };

  it("are kept for the columns there are; the others are named", async () => {
    const { sent, user, closed } = await paste("height\tTallness\tcm\nbed\tBed\nnowhere\tX\nleaves\n");
    expect(screen.getByText("1 line names no column: nowhere")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Keep 2 labels" }));
    expect(sent).toEqual([
      {
        steps: [
          {
            step: "describe_columns",
            descriptions: [
              { column: "height", label: "Tallness", unit: "cm" },
              { column: "bed", label: "Bed" },
            ],
          },
        ],
        label: "Label 2 columns of Beds",
      },
    ]);
    await waitFor(() => expect(closed()).toBe(1));
  });

  it("of levels go to the ticked columns in their order", async () => {
    const { sent, user } = await paste("−1\tnone\n1\tsome", true);
    expect(screen.getByRole("button", { name: "Keep 2 levels for 0 columns" })).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("leaves"));
    await user.click(screen.getByRole("button", { name: "Keep 2 levels for 1 column" }));
    expect(sent[0]).toEqual({
      steps: [
        {
          step: "levels",
          column: "leaves",
          levels: [
            { value: "-1", label: "none" },
            { value: "1", label: "some" },
          ],
          also: [],
        },
      ],
      label: "Label the levels of 1 column",
    });
  });
});

describe("a variable of two waves", () => {
  const one = { name: "age", columns: { "2025": "age", "2026": "alter" } };

  it("keeps its columns when one of the waves is called otherwise", () => {
    expect(called(one, "2025", "spring").columns).toEqual({ "2025": "age", spring: "alter" });
    expect(called(one, "first", "2026").columns).toEqual({ first: "age", "2026": "alter" });
  });

  it("is as it was where both names are known, or neither", () => {
    expect(called(one, "2025", "2026")).toBe(one);
    expect(called(one, "a", "b")).toBe(one);
  });
});
