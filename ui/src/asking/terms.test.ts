import { describe, expect, it } from "vitest";
import type { Column } from "../client/api";
import {
  asTerms,
  isCategory,
  keyOf,
  namesOf,
  power,
  termColumns,
  titleOf,
  without,
  withTerms,
  type Term,
} from "./terms";

const square: Term = { column: "area", power: 2 };
const cube: Term = { column: "area", power: 3 };
const both: Term = { interaction: ["district", "area"] };
const columns = [
  { name: "area", label: "Floor area", kind: "measure" },
  { name: "district", label: null, kind: "category" },
] as Column[];

describe("terms as a spec has them", () => {
  it("are none where there is no list", () => {
    expect(asTerms(undefined)).toEqual([]);
    expect(asTerms("area")).toEqual([]);
  });

  it("name their columns, each once and in order", () => {
    expect(namesOf(square)).toEqual(["area"]);
    expect(namesOf(both)).toEqual(["district", "area"]);
    expect(termColumns(["district", square, both, "rent"])).toEqual(["district", "area", "rent"]);
    expect(termColumns([{}, null, "rent"])).toEqual(["rent"]);
  });

  it("have a key that does not depend on the order of an interaction", () => {
    expect(keyOf(both)).toBe(keyOf({ interaction: ["area", "district"] }));
    expect(keyOf(square)).not.toBe(keyOf(cube));
    expect(keyOf("area")).toBe("area");
  });

  it("are titled by labels, powers raised", () => {
    const lower = (w: string) => w.toLowerCase();
    expect(titleOf("area", columns, lower)).toBe("floor area");
    expect(titleOf(cube, columns, String)).toBe("Floor area³");
    expect(titleOf(both, columns, String)).toBe("district × Floor area");
    expect([power(2), power(10), power(12)]).toEqual(["²", "¹⁰", "^12"]);
  });

  it("tell categories from numbers", () => {
    expect(isCategory(columns[1], ["measure", "count"])).toBe(true);
    expect(isCategory(columns[0], ["measure", "count"])).toBe(false);
    expect(isCategory(undefined, [])).toBe(false);
  });
});

describe("a term that leaves", () => {
  it("takes with it what stands on its column", () => {
    expect(without(["area", square, both, "rent"], "area")).toEqual(["rent"]);
  });

  it("takes higher powers with it, and leaves lower ones", () => {
    expect(without(["area", square, cube, both], square)).toEqual(["area", both]);
  });

  it("is that interaction alone", () => {
    expect(without(["area", both, { interaction: ["area", "rent"] }], both)).toEqual([
      "area",
      { interaction: ["area", "rent"] },
    ]);
  });
});

describe("a spec with other terms", () => {
  it("says nothing more of a column that is gone", () => {
    const spec = {
      response: "visits",
      terms: ["area", "district"],
      reference: { district: "Lakeside" },
      per: { area: 10 },
      at: { area: 300, district: "Lakeside" },
      predict_at: [{ area: 200, district: "Lakeside" }, { district: "Moor edge" }],
    };
    expect(withTerms(spec, ["area"])).toEqual({
      response: "visits",
      terms: ["area"],
      reference: {},
      per: { area: 10 },
      at: { area: 300 },
      predict_at: [{ area: 200 }],
    });
  });

  it("adds no field that was not there", () => {
    expect(withTerms({ response: "visits" }, ["area"])).toEqual({ response: "visits", terms: ["area"] });
  });
});
