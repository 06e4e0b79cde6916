import { act, fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { field } from "../testing/kit";

const property = { default: null, ask: { shown: "contrasts", title: "Contrasts", of: "groups" } };
const around = { levels: () => ["north", "south", "west"] };
const lines = () => screen.getAllByRole("group", { name: /^Contrast / });
const status = (i = 0) => within(lines()[i]!).getByRole("status").textContent;
const name = (i = 0) => within(lines()[i]!).getByLabelText("Name of the contrast") as HTMLInputElement;
const AB = { label: "north against south", weights: { north: 1, south: -1 } };
const AC = { label: "north against west", weights: { north: 1, west: -1 } };

async function typed() {
  const user = userEvent.setup();
  const made = field(property, null, { around });
  await user.selectOptions(screen.getByLabelText("Contrasts"), "levels of my choice");
  return { user, ...made };
}

const put = (level: string, side: string, i = 0) => {
  const data = { getData: () => level, setData: () => undefined };
  fireEvent.drop(within(lines()[i]!).getByRole("group", { name: side }), { dataTransfer: data });
};

describe("planned contrasts", () => {
  it("are none, a trend, or each against a control, by one choice", async () => {
    const user = userEvent.setup();
    const { set } = field(property, null, { around });
    await user.selectOptions(screen.getByLabelText("Contrasts"), "a trend over the levels");
    await user.selectOptions(screen.getByLabelText("Contrasts"), "each against a control");
    await user.selectOptions(screen.getByLabelText("Contrasts"), "none");
    expect(set).toEqual(["polynomial", "control", null]);
  });

  it("say what is missing until they can be asked for", async () => {
    const { user, set } = await typed();
    expect(status()).toBe("put a level on each side");
    await user.click(screen.getByRole("button", { name: "north" }));
    expect(status()).toBe("the other side is empty");
    expect(set).toEqual([]);
    await user.click(screen.getByRole("button", { name: "south" }));
    await user.click(screen.getByRole("button", { name: "south" }));
    expect(status()).toBe("weights sum to 0");
    expect(set.at(-1)).toEqual([AB]);
  });

  it("share a side's weight among its levels, and name themselves", async () => {
    const { set } = await typed();
    put("north", "Mean of");
    put("south", "against mean of");
    put("west", "against mean of");
    expect(set.at(-1)).toEqual([
      { label: "north against south, west", weights: { north: 1, south: -0.5, west: -0.5 } },
    ]);
    put("south", "not in it");
    expect(set.at(-1)).toEqual([AC]);
  });

  it("keep a name of one's own when levels move", async () => {
    const { user, set } = await typed();
    put("north", "Mean of");
    put("south", "against mean of");
    await user.clear(name());
    await user.type(name(), "shade{Enter}");
    put("west", "against mean of");
    expect((set.at(-1) as { label: string }[])[0]!.label).toBe("shade");
  });

  it("are renamed in their own line, also while the name is empty", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [AB, AC], { around });
    await user.click(name(0));
    await user.clear(name(0));
    await user.type(name(0), "sun{Enter}");
    expect([name(0).value, name(1).value]).toEqual(["sun", AC.label]);
    expect(set.at(-1)).toEqual([{ ...AB, label: "sun" }, AC]);
  });

  it("without a name stay in their place and are not asked for", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [AB, AC], { around });
    await user.clear(name(0));
    await user.tab();
    expect(status(0)).toBe("give it a name");
    expect(name(1).value).toBe(AC.label);
    expect(set.at(-1)).toEqual([AC]);
    await user.type(name(0), "again{Enter}");
    expect(set.at(-1)).toEqual([{ ...AB, label: "again" }, AC]);
  });

  it("with typed weights must sum to nought", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [AB], { around });
    await user.click(screen.getByRole("button", { name: "Type weights" }));
    const west = screen.getByLabelText("Weight of west");
    await user.clear(west);
    await user.type(west, "0,5{Enter}");
    expect(status()).toBe("weights sum to 0.5; they must to 0");
    const south = screen.getByLabelText("Weight of south");
    await user.clear(south);
    await user.type(south, "−1,5{Enter}");
    expect(set.at(-1)).toEqual([{ label: AB.label, weights: { north: 1, south: -1.5, west: 0.5 } }]);
    await user.clear(west);
    await user.type(west, "half");
    expect(west.getAttribute("aria-invalid")).toBe("true");
  });

  it("keep a line that is half written when another is taken away", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [AB, AC], { around });
    await user.click(screen.getByRole("button", { name: "Another contrast" }));
    put("west", "Mean of", 2);
    expect(set).toEqual([]);
    await user.click(within(lines()[0]!).getByRole("button", { name: "Take this contrast away" }));
    expect(set.at(-1)).toEqual([AC]);
    put("south", "against mean of", 1);
    expect(set.at(-1)).toEqual([AC, { label: "west against south", weights: { west: 1, south: -1 } }]);
  });

  it("that were changed elsewhere stand as they are there", async () => {
    const { set, put: elsewhere } = field(property, [AB], { around });
    act(() => elsewhere([AC]));
    expect(name().value).toBe(AC.label);
    act(() => elsewhere([{ ...AC, weights: { west: -1, north: 1, south: 0 } }]));
    expect(lines().length).toBe(1);
    expect(set).toEqual([]);
  });

  it("cannot be written before there are groups", async () => {
    const user = userEvent.setup();
    field(property, null, { around: { levels: () => [] } });
    await user.selectOptions(screen.getByLabelText("Contrasts"), "levels of my choice");
    expect(screen.getByText(/Choose the groups first/)).toBeTruthy();
  });
});
