import { describe, expect, it } from "vitest";
import type { Column, S } from "../client/api";
import { numberOf } from "../asking/ask";
import { rangeWords, show } from "../table/bars";
import { asQuery, PLAIN } from "../table/cells";
import { count, kindWords } from "./bits";
import { fits, inSentence, optionsOf } from "./slot";
import { unparted } from "./unparted";

const column = (more: Partial<Column>) => ({ name: "x", kind: "measure", decimals: 1, levels: [], ...more }) as Column;
const profile = (more: Partial<S["Profile"]>) => ({ filled: 5, empty: 0, infinite: 0, ...more }) as S["Profile"];

it("a number stays with its letter and its sign", () => {
  expect(unparted("Without it p = .004: it stays.")).toBe("Without it p\u00a0=\u00a0.004: it stays.");
  expect(unparted("at α = .05, p =\u00a0.2, χ² < 3")).toBe("at α\u00a0=\u00a0.05, p\u00a0=\u00a0.2, χ²\u00a0<\u00a03");
  expect(unparted("Minutes = 4, x = y")).toBe("Minutes = 4, x = y");
});

describe("numbers are written as in answers", () => {
  it("with the digits of their column", () => {
    expect(show(4, column({}))).toBe("4.0");
    expect(show(-4.25, column({ decimals: 2 }))).toBe("−4.25");
    expect(show(3.25, column({ decimals: 1 }), 1)).toBe("3.25");
  });

  it("all of them, also of large ones", () => {
    expect(show(12_004_999, column({ decimals: 0 }))).toBe("12\u2009004\u2009999");
    expect(show(9999, column({ decimals: 0 }))).toBe("9999");
    expect(show(-1.2e20, column({ decimals: 0 }))).toBe("−1.200 × 10²⁰");
  });

  it("never as nought when they are not", () => {
    expect(show(3e-9, column({ decimals: 1 }))).toBe("3.000 × 10⁻⁹");
    expect(show(0, column({ decimals: 1 }))).toBe("0.0");
  });

  it("and counted in words", () => {
    expect([count(1, "row"), count(2, "row"), count(12_345, "row")]).toEqual(["1 row", "2 rows", "12\u2009345 rows"]);
    expect(count(2, "study", "studies")).toBe("2 studies");
  });

  it("read back in either way of writing them", () => {
    expect([numberOf("2,5"), numberOf("−3"), numberOf(" "), numberOf("4 kg")]).toEqual([2.5, -3, null, null]);
  });
});

describe("what a column holds, in its header", () => {
  it("is its range with the unit", () => {
    expect(rangeWords(column({ unit: "t" }), profile({ low: 4, high: 5.4 }))).toBe("4.0 to 5.4 t");
    expect(rangeWords(column({}), profile({ low: 4, high: 5.4, empty: 2 }))).toBe("4.0 to 5.4, 2 empty");
  });

  it("or what stands in the way of one", () => {
    expect(rangeWords(column({}), profile({ infinite: 3, low: 1 }))).toBe("3 infinite");
    expect(rangeWords(column({}), profile({ filled: 0, empty: 5 }))).toBe("all empty");
  });

  it("or levels, or different values", () => {
    const levels = [{ value: "a" }, { value: "b" }] as Column["levels"];
    expect(rangeWords(column({ levels }), profile({ distinct: 2 }))).toBe("2 levels");
    expect(rangeWords(column({}), profile({ distinct: 7 }))).toBe("7 different");
  });
});

describe("a slot of a sentence", () => {
  const slot = { kinds: ["measure", "yes_no"], placeholder: "a measure", many: false };

  it("takes the kinds it names, and says why it does not take another", () => {
    expect(fits(column({}), slot)).toBe(true);
    const [first, second] = optionsOf([column({ label: "Yield" }), column({ name: "plot", kind: "category" })], slot);
    expect(first).toMatchObject({ title: "Yield", fits: true, why: "" });
    expect(second).toMatchObject({ title: "plot", fits: false, why: "category: needs a measure or yes/no" });
  });

  it("writes a label as within a sentence", () => {
    expect([inSentence("Reading room"), inSentence("pH"), inSentence("NDVI")]).toEqual(["reading room", "pH", "NDVI"]);
  });

  it("calls kinds by their words", () => {
    expect([kindWords("yes_no"), kindWords("measure")]).toEqual(["yes/no", "measure"]);
  });
});

describe("how rows are looked at", () => {
  it("asks for nothing that was not chosen", () => {
    expect(asQuery(PLAIN)).toEqual({});
    expect(asQuery({ ...PLAIN, sort: "a", falling: true })).toEqual({ sort: "a", falling: true });
    expect(asQuery({ ...PLAIN, where: "a > 1", find: "x" })).toEqual({ where: "a > 1", find: "x" });
  });
});
