import { describe, expect, it } from "vitest";
import type { Column } from "../client/api";
import { alike, between, slotWords } from "./slot";

const column = (name: string, kind = "count", levels: string[] = []): Column =>
  ({ name, kind, levels: levels.map((value) => ({ value })) }) as unknown as Column;
const slot = { kinds: ["count", "ordered"], placeholder: "items", many: true };
const columns = ["m1", "m2", "m3", "m4", "score"].map((n) => column(n));

describe("a slot of many columns", () => {
  it("tells a block by its ends, others by the first two", () => {
    expect(slotWords(["m1", "m2", "m3", "m4"], ["a", "b", "c", "d"], columns)).toBe("m1 … m4");
    expect(slotWords(["m1", "m3", "m2", "m4"], ["a", "c", "b", "d"], columns)).toBe("a, c and 2 more");
    expect(slotWords(["m1"], ["a"], columns)).toBe("a");
  });
  it("finds columns like those chosen by the stem of their names", () => {
    expect(alike(columns, ["m1"], slot)).toEqual(["m2", "m3", "m4"]);
    expect(alike(columns, ["score"], slot)).toEqual([]);
    expect(alike(columns, [], slot)).toEqual([]);
  });
  it("finds them by their levels where they have some", () => {
    const said = [
      column("a", "ordered", ["1", "2"]),
      column("b", "ordered", ["1", "2"]),
      column("c", "ordered", ["x"]),
    ];
    expect(alike(said, ["a"], slot)).toEqual(["b"]);
    expect(alike(said, ["a", "c"], slot)).toEqual([]);
  });
  it("sweeps from one to another, either way", () => {
    expect(between(["a", "b", "c", "d"], "d", "b")).toEqual(["b", "c", "d"]);
    expect(between(["a", "b"], "x", "b")).toEqual(["b"]);
  });
});
