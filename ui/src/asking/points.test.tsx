import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { COLUMNS, field } from "../testing/kit";
import { categories, measures } from "./points";

const spec = { terms: ["height", "bed", { interaction: ["height", "bed"] }] };
const around = { spec };
const input = (name: string) => screen.getByLabelText(name) as HTMLInputElement;

describe("columns of a model", () => {
  it("are categories or measures, whatever terms they stand in", () => {
    const all = { names: COLUMNS.map((c) => c.name), columns: COLUMNS };
    expect(measures(all)).toEqual(["height", "leaves"]);
    expect(categories(all)).toEqual(["bed", "watered", "vigour", "note"]);
    expect(categories({ names: ["gone"], columns: COLUMNS })).toEqual([]);
  });
});

describe("reference levels", () => {
  const property = { default: {}, ask: { shown: "references", title: "Reference levels", of: "terms" } };

  it("are the first until another is chosen; the first again is no choice", async () => {
    const user = userEvent.setup();
    const { set } = field(property, {}, { around });
    const select = screen.getByLabelText("Reference of Bed");
    expect(
      within(select)
        .getAllByRole("option")
        .map((o) => o.textContent),
    ).toEqual(["north", "south", "west"]);
    await user.selectOptions(select, "west");
    await user.selectOptions(select, "north");
    expect(set).toEqual([{ bed: "west" }, {}]);
  });

  it("are not asked for where no term has levels", () => {
    field(property, {}, { around: { spec: { terms: ["height"] } } });
    expect(screen.queryByText("Reference levels")).toBeNull();
  });
});

describe("values to hold or predict at", () => {
  const property = {
    default: {},
    ask: { shown: "points", title: "Held at", of: "terms", help: "Others at their mean." },
  };

  it("are numbers or levels, each left open until it is typed", async () => {
    const user = userEvent.setup();
    const { set } = field(property, {}, { around });
    await user.type(input("Held at: Plant height"), "12,5{Enter}");
    await user.selectOptions(screen.getByLabelText("Held at: Bed"), "south");
    expect(set).toEqual([{ height: 12.5 }, { height: 12.5, bed: "south" }]);
    await user.clear(input("Held at: Plant height"));
    await user.tab();
    expect(set.at(-1)).toEqual({ bed: "south" });
    expect(screen.getByText("cm")).toBeTruthy();
  });

  it("take no word for a number", async () => {
    const user = userEvent.setup();
    const { set } = field(property, { height: -3 }, { around });
    expect(input("Held at: Plant height").value).toBe("−3");
    await user.clear(input("Held at: Plant height"));
    await user.type(input("Held at: Plant height"), "tall{Enter}");
    expect(set).toEqual([]);
  });

  it("ask for measures alone where units are meant", () => {
    field({ default: {}, ask: { shown: "numbers_of", title: "Per", of: "terms" } }, {}, { around });
    expect(input("Per: Plant height").placeholder).toBe("1");
    expect(screen.queryByLabelText("Per: Bed")).toBeNull();
  });
});

describe("cases to predict", () => {
  const property = { default: [], ask: { shown: "cases", title: "Predict for", of: "terms" } };

  it("are added a line each, and taken away", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [], { around });
    const add = screen.getByRole("button", { name: "Predict" });
    expect(add).toHaveProperty("disabled", true);
    await user.type(input("Predict at: Plant height"), "20");
    await user.selectOptions(screen.getByLabelText("Predict at: Bed"), "west");
    await user.click(add);
    expect(set).toEqual([[{ height: 20, bed: "west" }]]);
    expect(screen.getByText(/plant height 20, bed west/)).toBeTruthy();
    expect(input("Predict at: Plant height").value).toBe("");
    await user.click(screen.getByRole("button", { name: "Take prediction 1 away" }));
    expect(set.at(-1)).toEqual([]);
  });
});

describe("a number for each level", () => {
  const shares = { default: null, ask: { shown: "shares", title: "Expected", of: "bed" } };
  const levels = { levels: () => ["north", "south", "west"] };

  it("is handed over together; of shares, those left open count as nought", async () => {
    const user = userEvent.setup();
    const { set } = field(shares, null, { around: levels });
    await user.type(input("Expected: north"), "0,25");
    await user.tab();
    expect(set).toEqual([]);
    await user.type(input("Expected: south"), "0.75{Enter}");
    expect(set).toEqual([{ north: 0.25, south: 0.75, west: 0 }]);
  });

  it("is the default again when all is emptied", async () => {
    const user = userEvent.setup();
    const { set } = field(shares, { north: 1, south: 0, west: 0 }, { around: levels });
    for (const level of ["north", "south", "west"]) await user.clear(input(`Expected: ${level}`));
    await user.keyboard("{Enter}");
    expect(set).toEqual([null]);
  });

  it("does not count a slip of the pen as nought", async () => {
    const user = userEvent.setup();
    const { set } = field(shares, { north: 0.5, south: 0.5, west: 0 }, { around: levels });
    await user.clear(input("Expected: south"));
    await user.type(input("Expected: south"), "0.5x{Enter}");
    expect(set).toEqual([]);
    expect(input("Expected: south").value).toBe("0.5x");
    expect(input("Expected: south").getAttribute("aria-invalid")).toBe("true");
    await user.type(input("Expected: south"), "{Backspace}{Enter}");
    expect(set.at(-1)).toEqual({ north: 0.5, south: 0.5, west: 0 });
  });

  it("of columns leaves out those without one", async () => {
    const user = userEvent.setup();
    const values = { default: null, ask: { shown: "values", title: "Compared with", of: "responses" } };
    const { set } = field(values, null, { around: { spec: { responses: ["height", "leaves"] } } });
    await user.type(input("Compared with: leaves"), "−4{Enter}");
    expect(set).toEqual([{ leaves: -4 }]);
  });
});
