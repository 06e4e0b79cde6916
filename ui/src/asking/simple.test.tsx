import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { field } from "../testing/kit";

const number = (more = {}) => ({ default: null, ask: { shown: "number", title: "Margin", ...more } });

describe("a number among settings", () => {
  it("counts when Enter is pressed, not while it is half typed", async () => {
    const user = userEvent.setup();
    const { set } = field(number(), null);
    await user.type(screen.getByLabelText("Margin"), "2,5");
    expect(set).toEqual([]);
    await user.keyboard("{Enter}");
    expect(set).toEqual([2.5]);
    expect(screen.getByLabelText("Margin")).toHaveProperty("value", "2.5");
  });

  it("counts when it is left", async () => {
    const user = userEvent.setup();
    const { set } = field(number(), 1);
    await user.clear(screen.getByLabelText("Margin"));
    await user.type(screen.getByLabelText("Margin"), "−3");
    await user.tab();
    expect(set).toEqual([-3]);
    expect(screen.getByLabelText("Margin")).toHaveProperty("value", "−3");
  });

  it("is as before after Escape", async () => {
    const user = userEvent.setup();
    const { set } = field(number(), 4);
    await user.type(screen.getByLabelText("Margin"), "7{Escape}");
    await user.tab();
    expect(set).toEqual([]);
    expect(screen.getByLabelText("Margin")).toHaveProperty("value", "4");
  });

  it("is marked and not taken where it is no number or lies outside", async () => {
    const user = userEvent.setup();
    const { set } = field(number({ min: 0, max: 1 }), 0.5);
    const box = screen.getByLabelText("Margin");
    for (const wrong of ["two", "1.5", "−0.1", "1 2"]) {
      await user.clear(box);
      await user.type(box, wrong);
      expect(box.getAttribute("aria-invalid")).toBe("true");
      await user.tab();
      expect(box).toHaveProperty("value", "0.5");
      expect(box.getAttribute("aria-invalid")).toBe("false");
    }
    expect(set).toEqual([]);
    expect(box.title).toBe("0 to 1");
  });

  it("may be emptied where nothing is allowed, and not where it must be there", async () => {
    const user = userEvent.setup();
    const open = field(number(), 3);
    await user.clear(screen.getByLabelText("Margin"));
    await user.tab();
    expect(open.set).toEqual([null]);
    open.unmount();
    const must = field({ default: 0.05, ask: { shown: "number", title: "Alpha" } }, 0.05);
    await user.clear(screen.getByLabelText("Alpha"));
    await user.tab();
    expect(must.set).toEqual([]);
    expect(screen.getByLabelText("Alpha")).toHaveProperty("value", "0.05");
  });

  it("moves by its step with the arrow keys, without a tail of digits", async () => {
    const user = userEvent.setup();
    const { set } = field(number({ step: 0.1 }), 0.2);
    const box = screen.getByLabelText("Margin");
    await user.click(box);
    await user.keyboard("{ArrowUp}");
    expect(box).toHaveProperty("value", "0.3");
    await user.keyboard("{ArrowDown}{ArrowDown}{ArrowDown}{ArrowDown}{Enter}");
    expect(set).toEqual([-0.1]);
    expect(box).toHaveProperty("value", "−0.1");
  });

  it("is whole where its step is one", async () => {
    const user = userEvent.setup();
    const { set } = field(number({ step: 1, min: 2 }), 3);
    await user.clear(screen.getByLabelText("Margin"));
    await user.type(screen.getByLabelText("Margin"), "4.6{Enter}");
    expect(set).toEqual([5]);
  });

  it("is read as it is written, very small ones too", async () => {
    const user = userEvent.setup();
    const { set } = field(number(), -1.5e-7);
    const box = screen.getByLabelText("Margin");
    expect(box).toHaveProperty("value", "−1.5e−7");
    await user.type(box, "{End}{Enter}");
    expect(set).toEqual([]);
    await user.clear(box);
    await user.type(box, "−2e−6{Enter}");
    expect(set).toEqual([-2e-6]);
  });

  it("within a sentence counts while it is typed", async () => {
    const user = userEvent.setup();
    const enter = vi.fn();
    const { set } = field(number(), null, { bare: true, around: { enter } });
    await user.type(screen.getByLabelText("Margin"), "12{Enter}");
    expect(set).toEqual([1, 12]);
    expect(enter).toHaveBeenCalledTimes(1);
  });
});

describe("a text", () => {
  const text = { default: null, ask: { shown: "text", title: "Only where", help: "A condition." } };

  it("counts when it is left, trimmed, and an empty one is none", async () => {
    const user = userEvent.setup();
    const { set } = field(text, null);
    await user.type(screen.getByRole("textbox"), "  height > 3 ");
    expect(set).toEqual([]);
    await user.tab();
    expect(set).toEqual(["height > 3"]);
    await user.clear(screen.getByRole("textbox"));
    await user.tab();
    expect(set).toEqual(["height > 3", null]);
    expect(screen.getByText("A condition.")).toBeTruthy();
  });

  it("shows in grey what was taken where nothing is typed", () => {
    field(text, null, { bare: true, around: { found: { field: "north" } } });
    expect(screen.getByRole("textbox").getAttribute("placeholder")).toBe("north");
  });
});

describe("several numbers", () => {
  const numbers = { default: [], ask: { shown: "numbers", title: "Cut-offs" } };

  it("are typed with spaces or semicolons between them", async () => {
    const user = userEvent.setup();
    const { set } = field(numbers, [1, -2.5]);
    const box = screen.getByLabelText("Cut-offs");
    expect(box).toHaveProperty("value", "1; −2.5");
    await user.clear(box);
    await user.type(box, "1,5; 2 −3{Enter}");
    expect(set).toEqual([[1.5, 2, -3]]);
  });

  it("are not taken while one of them is none", async () => {
    const user = userEvent.setup();
    const { set } = field(numbers, []);
    const box = screen.getByLabelText("Cut-offs");
    await user.type(box, "1; x");
    expect(box.getAttribute("aria-invalid")).toBe("true");
    await user.tab();
    expect(set).toEqual([]);
  });
});

describe("a choice", () => {
  const choice = {
    default: "auto",
    enum: ["auto", "welch", "student"],
    ask: { shown: "choice", title: "Test", words: { auto: "by the data", welch: "Welch", student: "Student" } },
  };

  it("offers the values in the order of the schema, by their words", async () => {
    const user = userEvent.setup();
    const { set } = field(choice, "auto");
    expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["by the data", "Welch", "Student"]);
    await user.selectOptions(screen.getByLabelText("Test"), "Welch");
    expect(set).toEqual(["welch"]);
  });

  it("offers only what there is here", () => {
    field(choice, "auto", { around: { only: { field: ["auto", "welch"] } } });
    expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["by the data", "Welch"]);
  });

  it("sets yes and no as such", async () => {
    const user = userEvent.setup();
    const yes = {
      type: "boolean",
      default: false,
      ask: { shown: "choice", words: { true: "with", false: "without" } },
    };
    const { set } = field({ ...yes, title: "Intercept" }, false);
    await user.selectOptions(screen.getByLabelText("Intercept"), "with");
    expect(set).toEqual([true]);
  });

  it("says what is to be chosen where nothing is yet", () => {
    field(choice, undefined, { bare: true });
    expect(screen.getByRole("combobox")).toHaveProperty("value", "");
    expect(screen.getByRole("option", { name: "test" })).toHaveProperty("disabled", true);
  });
});

describe("a rule, or a number of one's own", () => {
  const rule = {
    default: "largest",
    enum: ["largest", "all"],
    ask: { shown: "choice_or_number", title: "Factors", min: 1, words: { largest: "as found", all: "all of them" } },
  };

  it("opens a field for the number, and closes it for a rule", async () => {
    const user = userEvent.setup();
    const { set } = field(rule, "largest");
    expect(screen.queryByLabelText("Factors: number")).toBeNull();
    await user.selectOptions(screen.getByLabelText("Factors"), "a number");
    expect(set).toEqual([]);
    await user.type(screen.getByLabelText("Factors: number"), "3{Enter}");
    expect(set).toEqual([3]);
    await user.selectOptions(screen.getByLabelText("Factors"), "all of them");
    expect(set).toEqual([3, "all"]);
    expect(screen.queryByLabelText("Factors: number")).toBeNull();
  });

  it("takes no number below the least", async () => {
    const user = userEvent.setup();
    const { set } = field(rule, 2);
    const box = screen.getByLabelText("Factors: number");
    await user.clear(box);
    await user.type(box, "0{Enter}");
    expect(set).toEqual([]);
  });
});

describe("a tick and a slider", () => {
  it("are set by a click and by a drag", async () => {
    const user = userEvent.setup();
    const tick = field({ default: false, ask: { shown: "flag", title: "Robust" } }, false);
    await user.click(screen.getByLabelText("Robust"));
    await user.click(screen.getByLabelText("Robust"));
    expect(tick.set).toEqual([true, false]);
    tick.unmount();
    const slider = field({ default: 3, ask: { shown: "slider", title: "Size", min: 1, max: 9, step: 1 } }, 3);
    fireEvent.change(screen.getByLabelText("Size"), { target: { value: "7" } });
    expect(slider.set).toEqual([7]);
  });
});
