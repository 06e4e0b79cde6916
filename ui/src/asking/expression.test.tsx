import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { COLUMNS, column, show } from "../testing/kit";
import { ExpressionInput, wordBefore } from "./expression";

const functions = [
  { name: "log", shape: "log(x)", help: "natural logarithm" },
  { name: "lag", shape: "lag(x, n)", help: "earlier value" },
];
const columns = [...COLUMNS, column("reading room"), column("größe"), column("length")];

function opened(start = "", more: { position?: number } = {}) {
  const enter = vi.fn();
  const texts: string[] = [];
  function Page() {
    const [value, setValue] = useState(start);
    return (
      <ExpressionInput
        label="Condition"
        value={value}
        set={(v) => (texts.push(v), setValue(v))}
        columns={columns}
        position={more.position}
        enter={enter}
      />
    );
  }
  show(<Page />, undefined, undefined, [[["catalogue"], { functions, methods: [] }]]);
  return { user: userEvent.setup(), box: screen.getByRole("combobox") as HTMLInputElement, enter, texts };
}

const offers = () => screen.queryAllByRole("option").map((o) => o.querySelector("span")!.textContent);

describe("the word that is being typed", () => {
  it("ends at the caret and begins where a name can", () => {
    expect(["hei", "2 * hei", "hei + ", "12", "log(grö", "a_1"].map(wordBefore)).toEqual([
      "hei",
      "hei",
      "",
      "",
      "grö",
      "a_1",
    ]);
  });

  it("is all that stands within backticks that are still open", () => {
    expect(["`reading r", "`height` + `reading r", "`height` + le"].map(wordBefore)).toEqual([
      "`reading r",
      "`reading r",
      "le",
    ]);
  });
});

describe("an expression", () => {
  it("offers columns and functions that begin like it, taken by Tab", async () => {
    const { user, box } = opened();
    await user.type(box, "2 * l");
    expect(offers()).toEqual(["leaves", "length", "log(x)", "lag(x, n)"]);
    await user.keyboard("{ArrowDown}{Tab}");
    expect(box.value).toBe("2 * length");
    expect(offers()).toEqual([]);
  });

  it("goes round its offers either way", async () => {
    const { user, box } = opened();
    await user.type(box, "lo");
    expect(offers()).toEqual(["log(x)"]);
    await user.clear(box);
    await user.type(box, "le");
    await user.keyboard("{ArrowUp}");
    expect(screen.getAllByRole("option").map((o) => o.getAttribute("aria-selected"))).toEqual(["false", "true"]);
    await user.keyboard("{ArrowDown}{Tab}");
    expect(box.value).toBe("leaves");
  });

  it("puts names that do not stand by themselves into backticks", async () => {
    const { user, box } = opened();
    await user.type(box, "grö");
    await user.keyboard("{Tab}");
    expect(box.value).toBe("`größe`");
    await user.clear(box);
    await user.type(box, "`reading r");
    expect(offers()).toEqual(["reading room"]);
    await user.keyboard("{Tab}");
    expect(box.value).toBe("`reading room`");
  });

  it("offers nothing within quotes, nor what is there already", async () => {
    const { user, box } = opened();
    await user.type(box, 'bed == "le');
    expect(offers()).toEqual([]);
    await user.clear(box);
    await user.type(box, "height");
    expect(offers()).toEqual([]);
  });

  it("is handed over by Enter, and Escape only closes the offers", async () => {
    const { user, box, enter } = opened();
    await user.type(box, "le{Escape}");
    expect(offers()).toEqual([]);
    await user.keyboard("{Enter}");
    expect(enter).toHaveBeenCalledTimes(1);
    expect(box.value).toBe("le");
  });

  it("is taken by a click without losing the place", async () => {
    const { user, box } = opened();
    await user.type(box, "wa");
    await user.click(screen.getByRole("option"));
    expect(box.value).toBe("watered");
  });

  it("marks the place of a mistake", () => {
    const { box } = opened("height >> 3", { position: 8 });
    expect(box.getAttribute("aria-invalid")).toBe("true");
    expect(document.querySelector(".text-error")!.textContent).toBe("        ▲");
  });
});
