import { fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { COLUMNS, field } from "../testing/kit";
import { levelsOf } from "./columns";

const options = () => screen.getAllByRole("option").map((o) => o.textContent);
const drag = (element: Element, name: string) => fireEvent.drop(element, { dataTransfer: { getData: () => name } });

describe("a column among settings", () => {
  const column = { default: null, ask: { shown: "column", title: "Weights", kinds: ["measure", "count"] } };

  it("is one of those that fit, or none", async () => {
    const user = userEvent.setup();
    const { set } = field(column, null);
    expect(options()).toEqual(["none", "Plant height", "leaves"]);
    await user.selectOptions(screen.getByLabelText("Weights"), "leaves");
    await user.selectOptions(screen.getByLabelText("Weights"), "none");
    expect(set).toEqual(["leaves", null]);
  });

  it("stands as it was where the table no longer has it", () => {
    field(column, "gone");
    expect(screen.getByLabelText("Weights")).toHaveProperty("value", "gone");
    expect(options()).toContain("gone (not there)");
  });
});

describe("a column in a sentence", () => {
  const response = { ask: { shown: "column", title: "Measurement", sentence: true, kinds: ["measure", "count"] } };
  const slot = () => screen.getByRole("button", { name: /^Measurement/ });

  it("is found by typing, and says why others do not fit", async () => {
    const user = userEvent.setup();
    const { set } = field(response, null, { bare: true });
    await user.click(slot());
    expect(options().slice(0, 2)).toEqual(["Plant heightheightmeasure", "leavescount"]);
    expect(screen.getByText(/category: needs a measure or count/)).toBeTruthy();
    await user.type(screen.getByPlaceholderText("Search columns"), "hei");
    expect(options()).toEqual(["Plant heightheightmeasure"]);
    await user.click(screen.getByRole("option"));
    expect(set).toEqual(["height"]);
    expect(slot().textContent).toBe("plant height");
  });

  it("takes a column that is dropped on it, if it fits", () => {
    const { set } = field(response, null, { bare: true });
    drag(slot(), "bed");
    drag(slot(), "leaves");
    drag(slot(), "nowhere");
    expect(set).toEqual(["leaves"]);
  });

  it("is emptied by Delete", async () => {
    const user = userEvent.setup();
    const { set } = field(response, "height", { bare: true });
    slot().focus();
    await user.keyboard("{Delete}");
    expect(set).toEqual([null]);
  });

  it("is left empty by a click where it need not be there", async () => {
    const user = userEvent.setup();
    const { set } = field({ ...response, default: null }, "height", { bare: true, needed: false });
    await user.click(slot());
    await user.click(screen.getByRole("button", { name: "Leave it empty" }));
    expect(set).toEqual([null]);
  });

  it("is marked where the table has lost it, or where it is refused", () => {
    const lost = field(response, "gone", { bare: true });
    expect(slot().className).toContain("wrong");
    lost.unmount();
    field(response, "height", { bare: true, around: { wrong: { column: "height" } } });
    expect(slot().className).toContain("wrong");
  });
});

describe("several columns", () => {
  const many = { default: [], ask: { shown: "columns", title: "Items", sentence: true, kinds: ["measure", "count"] } };

  it("stay open to be chosen one after another, in the order of the clicks", async () => {
    const user = userEvent.setup();
    const { set } = field(many, [], { bare: true });
    await user.click(screen.getByRole("button", { name: /^Items/ }));
    await user.click(screen.getByRole("option", { name: /leaves/ }));
    await user.click(screen.getByRole("option", { name: /Plant height/ }));
    expect(set.at(-1)).toEqual(["leaves", "height"]);
    await user.click(screen.getByRole("option", { name: /leaves/ }));
    expect(set.at(-1)).toEqual(["height"]);
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect(screen.queryByRole("option")).toBeNull();
  });

  it("are chips among settings, and the method's own choice is one of them", async () => {
    const user = userEvent.setup();
    const property = { default: "auto", ask: { shown: "columns", title: "Shown", of: "items", auto: "the first six" } };
    const { set } = field(property, "auto", { around: { spec: { items: ["height", "leaves"] } } });
    expect(screen.getByRole("button", { name: "the first six" }).getAttribute("aria-pressed")).toBe("true");
    await user.click(screen.getByRole("button", { name: "leaves" }));
    await user.click(screen.getByRole("button", { name: "the first six" }));
    expect(set).toEqual([["leaves"], "auto"]);
  });
});

describe("sets of columns", () => {
  const sets = { default: "all", ask: { shown: "sets", title: "Interactions", of: "groups" } };
  const around = { spec: { groups: ["bed", "watered", "vigour"] } };
  const chips = () => within(screen.getByRole("group")).getAllByRole("button");

  it("are all interactions, fewer, or none", async () => {
    const user = userEvent.setup();
    const { set } = field(sets, "all", { around });
    expect(chips().map((c) => c.textContent)).toEqual([
      "Bed × watered",
      "Bed × vigour",
      "watered × vigour",
      "Bed × watered × vigour",
    ]);
    for (const chip of chips()) await user.click(chip);
    expect(set).toEqual([
      [
        ["bed", "vigour"],
        ["watered", "vigour"],
        ["bed", "watered", "vigour"],
      ],
      [
        ["watered", "vigour"],
        ["bed", "watered", "vigour"],
      ],
      [["bed", "watered", "vigour"]],
      "none",
    ]);
    for (const chip of chips()) await user.click(chip);
    expect(set.at(-1)).toBe("all");
  });

  it("are not asked for with one column", () => {
    field(sets, "all", { around: { spec: { groups: ["bed"] } } });
    expect(screen.queryByRole("group")).toBeNull();
  });

  it("may be single terms", async () => {
    const user = userEvent.setup();
    const single = { default: null, ask: { shown: "sets", title: "Pairs of", of: "groups", single: true } };
    const { set } = field(single, null, { around: { spec: { groups: ["bed", "watered"] } } });
    expect(chips().map((c) => [c.textContent, c.getAttribute("aria-pressed")])).toEqual([
      ["Bed", "true"],
      ["watered", "true"],
      ["Bed × watered", "false"],
    ]);
    await user.click(chips()[2]!);
    expect(set).toEqual([[["bed"], ["watered"], ["bed", "watered"]]]);
  });
});

describe("a level", () => {
  const level = { default: null, ask: { shown: "level", title: "Success", of: "bed" } };
  const around = { levels: () => ["north", "south"] };

  it("is as it comes until one is chosen, and again", async () => {
    const user = userEvent.setup();
    const { set } = field(level, null, { around });
    expect(options()).toEqual(["as it comes", "north", "south"]);
    await user.selectOptions(screen.getByLabelText("Success"), "south");
    await user.selectOptions(screen.getByLabelText("Success"), "as it comes");
    expect(set).toEqual(["south", null]);
  });

  it("shows within a sentence which was taken", () => {
    field(level, null, { bare: true, around: { ...around, found: { field: "south" } } });
    expect(screen.getByLabelText("Success")).toHaveProperty("value", "south");
    expect(options()).toEqual(["north", "south"]);
  });

  it("that is no longer there is told so", () => {
    field(level, "east", { around });
    expect(options()).toContain("east (not there)");
  });
});

describe("rows by their numbers", () => {
  const rows = { default: [], ask: { shown: "rows", title: "Compared without" } };

  it("are read from whatever stands between them, each once", async () => {
    const user = userEvent.setup();
    const { set } = field(rows, []);
    await user.type(screen.getByPlaceholderText(/row numbers/), "3, 17; 3 and 4{Enter}");
    expect(set).toEqual([[3, 17, 4]]);
    await user.click(screen.getByRole("button", { name: "Compare with no rows left out" }));
    expect(set.at(-1)).toEqual([]);
  });
});

describe("another table", () => {
  const table = { ask: { shown: "table", title: "Other table" } };
  const entry = (id: string, type = "table") => ({ id, type, name: `Table ${id}`, line: "9 rows" });

  it("is any of the study but this one", async () => {
    const user = userEvent.setup();
    const entries = [entry("t1"), entry("t2"), entry("q1", "question")];
    const { set } = field(table, "", { known: [[["contents", "s1"], { entries }]] });
    expect(options()).toEqual(["another table", "Table t2 (9 rows)"]);
    await user.selectOptions(screen.getByLabelText("Other table"), "t2");
    expect(set).toEqual(["t2"]);
  });

  it("is said to be missing where the study has no other", () => {
    field(table, "", { known: [[["contents", "s1"], { entries: [entry("t1")] }]] });
    expect(screen.getByText("(the study has no other table yet)")).toBeTruthy();
  });
});

describe("levels of a column", () => {
  it("are as they are shown; of a column without any, none", () => {
    expect(levelsOf(COLUMNS, "bed")).toEqual(["north", "south", "west"]);
    expect(levelsOf(COLUMNS, "height")).toEqual([]);
    expect(levelsOf(COLUMNS, "gone")).toEqual([]);
  });
});
