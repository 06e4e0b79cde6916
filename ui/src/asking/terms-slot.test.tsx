import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { field } from "../testing/kit";
import type { Term } from "./terms";

const ask = { shown: "terms", title: "Terms", placeholder: "columns", kinds: ["measure", "count", "category"] };
const property = { default: [], ask: { ...ask, numbers: ["measure", "count"] } };

function model(terms: Term[], more: Record<string, unknown> = {}, wrong?: string) {
  const user = userEvent.setup();
  const spec = { response: "leaves", terms, ...more };
  const around = { spec, ...(wrong ? { wrong: { column: wrong } } : {}) };
  return { user, ...field(property, terms, { name: "terms", around, bare: true }) };
}

const chips = () => screen.queryAllByRole("button", { name: /^Term / }).map((b) => b.textContent);

describe("terms of a model", () => {
  it("are picked several at a time and go in as one change when the list closes", async () => {
    const { user, specs } = model([]);
    await user.click(screen.getByRole("button", { name: /^Terms/ }));
    expect(screen.queryByRole("option", { name: /leaves/ })).toBeNull(); // what is explained does not explain itself
    await user.click(screen.getByRole("option", { name: /Plant height/ }));
    await user.click(screen.getByRole("option", { name: /Bed/ }));
    expect(specs).toEqual([]);
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect(specs.map((s) => s.terms)).toEqual([["height", "bed"]]);
    expect(chips()).toEqual(["plant height", "bed"]);
  });

  it("are not asked about anew where the list is closed as it was", async () => {
    const { user, specs } = model(["height"]);
    await user.click(screen.getByRole("button", { name: "Add or take away columns" }));
    await user.keyboard("{Escape}");
    expect(specs).toEqual([]);
  });

  it("gain bends, one power after another up to the fifth", async () => {
    const { user, specs } = model(["height"]);
    await user.click(screen.getByRole("button", { name: "Term plant height" }));
    await user.click(screen.getByRole("button", { name: /Add plant height²: one bend/ }));
    await user.click(screen.getByRole("button", { name: "Term plant height²" }));
    await user.click(screen.getByRole("button", { name: /plant height³: another bend/ }));
    expect(specs.at(-1)!.terms).toEqual(["height", { column: "height", power: 2 }, { column: "height", power: 3 }]);
  });

  it("depend on one another by a click", async () => {
    const { user, specs } = model(["height", "bed"]);
    await user.click(screen.getByRole("button", { name: "Term bed" }));
    await user.click(screen.getByRole("button", { name: "plant height", pressed: undefined }).closest("button")!);
    expect(specs.at(-1)!.terms).toEqual(["height", "bed", { interaction: ["bed", "height"] }]);
    expect(chips()).toEqual(["plant height", "bed", "bed × plant height"]);
  });

  it("take what stands on them along when they leave", async () => {
    const terms: Term[] = ["height", "bed", { column: "height", power: 2 }, { interaction: ["height", "bed"] }];
    const { specs } = model(terms, { at: { height: 3, bed: "north" }, reference: { bed: "west" } });
    fireEvent.keyDown(screen.getByRole("button", { name: "Term plant height" }), { key: "Delete" });
    expect(specs).toEqual([{ response: "leaves", terms: ["bed"], at: { bed: "north" }, reference: { bed: "west" } }]);
  });

  it("are compared with a level of one's choice", async () => {
    const { user, specs } = model(["bed"]);
    await user.click(screen.getByRole("button", { name: "Term bed" }));
    expect(screen.getByText(/A category has no powers/)).toBeTruthy();
    await user.selectOptions(screen.getByLabelText("Levels are compared with"), "west");
    expect(specs.at(-1)!.reference).toEqual({ bed: "west" });
  });

  it("take a column that is dropped on them, once and if it fits", () => {
    const { specs } = model(["height"]);
    const slot = screen.getByRole("button", { name: "Add or take away columns" });
    for (const name of ["note", "height", "bed"]) fireEvent.drop(slot, { dataTransfer: { getData: () => name } });
    expect(specs.map((s) => s.terms)).toEqual([["height", "bed"]]);
  });

  it("are marked where they are refused or no longer there", () => {
    model(["height", "gone"], {}, "height");
    expect(screen.getByRole("button", { name: "Term plant height" }).className).toContain("wrong");
    expect(screen.getByRole("button", { name: "Term gone" }).className).toContain("wrong");
  });
});
