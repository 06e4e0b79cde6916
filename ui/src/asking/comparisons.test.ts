import { describe, expect, it } from "vitest";
import { placed } from "./comparisons";

describe("a category in a comparison", () => {
  const set = { of: ["district"], within: [], kind: "to_level", level: "Lakeside" };
  it("goes to the side that it is put on, and forgets the level of another", () => {
    expect(placed(set, "cafe", "of")).toEqual({ ...set, of: ["district", "cafe"], level: null });
    expect(placed(set, "cafe", "within")).toEqual({ ...set, within: ["cafe"], level: null });
  });
  it("leaves the other side", () => {
    const both = { of: ["district", "cafe"], within: [] };
    expect(placed(both, "cafe", "within")).toEqual({ of: ["district"], within: ["cafe"], level: null });
  });
  it("never leaves nothing to compare", () => {
    expect(placed(set, "district", "of")).toBe(set);
    expect(placed(set, "district", "within")).toBe(set);
  });
});
