import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { field } from "../testing/kit";

const pressed = () => screen.getAllByRole("button").filter((b) => b.getAttribute("aria-pressed") === "true");

describe("several choices", () => {
  const words = { box: "a box", points: "all points", mean: "the mean" };
  const several = { default: ["box"], items: { enum: ["points", "box", "mean"] }, ask: { shown: "several", words } };

  it("are chips in the order of the schema, on or off by a click", async () => {
    const user = userEvent.setup();
    const { set } = field(several, ["box"]);
    expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual(["all points", "a box", "the mean"]);
    await user.click(screen.getByRole("button", { name: "the mean" }));
    await user.click(screen.getByRole("button", { name: "a box" }));
    expect(set).toEqual([["box", "mean"], ["mean"]]);
    expect(pressed().map((b) => b.textContent)).toEqual(["the mean"]);
  });
});

describe("codes for empty cells", () => {
  it("are typed with commas, a real minus being a minus", async () => {
    const user = userEvent.setup();
    const enter = vi.fn();
    const { set } = field({ default: [], ask: { shown: "codes", title: "Codes" } }, [], { around: { enter } });
    await user.type(screen.getByLabelText("Codes"), "−9, n/a ,{Enter}");
    expect(set.at(-1)).toEqual(["-9", "n/a"]);
    expect(enter).toHaveBeenCalledTimes(1);
  });
});

describe("levels in an order of one's own", () => {
  const property = { default: [], ask: { shown: "by_hand", title: "Order", of: "bed" } };

  it("are moved forward and back, not beyond their ends", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [], { around: { levels: () => ["north", "south", "west"] } });
    expect(screen.getByLabelText("Move north forward")).toHaveProperty("disabled", true);
    expect(screen.getByLabelText("Move west back")).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("Move west forward"));
    expect(set).toEqual([["north", "west", "south"]]);
  });
});

describe("orders of models", () => {
  const ask = { shown: "orders", title: "Orders", fields: ["p", "d", "q"], words: { auto: "found" } };
  const property = { default: "auto", ask };

  it("are typed or pasted, several at once and each once", async () => {
    const user = userEvent.setup();
    const { set } = field(property, "auto");
    const box = screen.getByLabelText("Add to Orders");
    await user.type(box, "110{Enter}");
    expect(set).toEqual([[[1, 1, 0]]]);
    fireEvent.change(box, { target: { value: "(1,1,0) (0, 1, 1)" } });
    await user.type(box, "{Enter}");
    expect(set.at(-1)).toEqual([
      [1, 1, 0],
      [0, 1, 1],
    ]);
  });

  it("that are none are told so, and stay to be mended", async () => {
    const user = userEvent.setup();
    const { set } = field(property, "auto");
    const box = screen.getByLabelText("Add to Orders");
    await user.type(box, "1, 2{Enter}");
    expect(set).toEqual([]);
    expect(box).toHaveProperty("value", "1, 2");
    expect(screen.getByText("3 whole numbers, such as (1, 1, 0)")).toBeTruthy();
  });

  it("are what is found again when the last of them is dropped", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [[1, 0, 0]]);
    await user.click(screen.getByLabelText("Drop (1, 0, 0)"));
    expect(set).toEqual(["auto"]);
  });

  it("that were found are added to, not replaced", async () => {
    const user = userEvent.setup();
    const { set } = field(property, "auto", { around: { found: { field: "(2, 1, 0)" } } });
    await user.type(screen.getByLabelText("Add to Orders"), "0 1 1{Enter}");
    expect(set).toEqual([
      [
        [2, 1, 0],
        [0, 1, 1],
      ],
    ]);
  });
});

describe("a right answer to each item", () => {
  const property = { default: null, ask: { shown: "keyed", title: "Right answers", of: "items", help: "One each." } };
  const around = { spec: { items: ["bed", "note"] } };

  it("is a level where there are levels, else a text", async () => {
    const user = userEvent.setup();
    const { set } = field(property, null, { around });
    await user.selectOptions(screen.getByLabelText("Right answer to bed"), "south");
    await user.type(screen.getByLabelText("Right answer to note"), " fine {Enter}");
    expect(set).toEqual([{ bed: "south" }, { bed: "south", note: "fine" }]);
    await user.selectOptions(screen.getByLabelText("Right answer to bed"), "as it stands");
    expect(set.at(-1)).toEqual({ note: "fine" });
  });

  it("is not asked for before there are items", () => {
    field(property, null, { around: { spec: {} } });
    expect(screen.queryByText("Right answers")).toBeNull();
  });
});

describe("comparisons of means", () => {
  const property = { default: [], ask: { shown: "comparisons", title: "Comparisons", of: "terms" } };
  const around = { spec: { terms: ["height", "bed", "watered"] } };

  it("begin with what is not compared yet, all pairs", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [], { around });
    await user.click(screen.getByRole("button", { name: "Add a comparison" }));
    await user.click(screen.getByRole("button", { name: "Add a comparison" }));
    expect(set.at(-1)).toEqual([
      { of: ["bed"], within: [], kind: "all" },
      { of: ["watered"], within: [], kind: "all" },
    ]);
  });

  it("are against one level, of which the column's are offered", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [{ of: ["bed"], within: [], kind: "all" }], { around });
    await user.selectOptions(screen.getByLabelText("Comparison 1: which with which"), "each against one level");
    await user.selectOptions(screen.getByLabelText(/the level that others are compared with/), "west");
    expect(set.at(-1)).toEqual([{ of: ["bed"], within: [], kind: "to_level", level: "west" }]);
    await user.selectOptions(screen.getByLabelText("Comparison 1: which with which"), "trend over the levels");
    expect(set.at(-1)).toEqual([{ of: ["bed"], within: [], kind: "polynomial", level: null }]);
    await user.click(screen.getByLabelText("Take comparison 1 out"));
    expect(set.at(-1)).toEqual([]);
  });
});
