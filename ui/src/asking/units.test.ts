import { describe, expect, it } from "vitest";
import { asRandom, within, withSlope, words } from "./units";

const plain = (n: string) => n;

describe("units of a sentence", () => {
  it("are told from the unit to what it lies within", () => {
    expect(words({ units: ["hall", "lamp"] }, plain)).toBe("lamp within hall");
    expect(words({ units: ["child"], slopes: ["week"] }, plain)).toBe("child, with slopes of week");
    expect(asRandom(null)).toEqual([]);
  });

  it("are put within others and taken out again, their own column last", () => {
    const nested = within({ units: ["lamp"] }, "hall");
    expect(nested.units).toEqual(["hall", "lamp"]);
    expect(within(nested, "hall").units).toEqual(["lamp"]);
  });

  it("have slopes that come and go", () => {
    const sloped = withSlope({ units: ["child"] }, "week");
    expect(sloped.slopes).toEqual(["week"]);
    expect(withSlope(sloped, "week").slopes).toEqual([]);
  });
});
