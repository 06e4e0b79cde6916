import { describe, expect, it } from "vitest";
import { moved, onStep, said, toggled, type Handle } from "./touch";

const handle: Handle = {
  field: "value",
  axis: "x",
  title: "Compared with",
  words: "",
  at: 3,
  low: -5,
  high: 7.3,
  step: 0.05,
  decimals: 2,
  unit: "°C",
};

describe("a handle", () => {
  it("stands on its steps, between its ends", () => {
    expect(onStep(handle, 3.0149)).toBe(3);
    expect(onStep(handle, 3.07)).toBe(3.05);
    expect(onStep(handle, 9)).toBe(7.3);
    expect(onStep(handle, -9)).toBe(-5);
  });
  it("is told with its unit and a real minus", () => {
    expect(said(handle, -4.5)).toBe("−4.50 °C");
    expect(said({ ...handle, unit: "" }, 0.5)).toBe("0.50");
  });
  it("sets its number, or its entry beside others", () => {
    expect(moved(handle, {}, 2)).toBe(2);
    expect(moved({ ...handle, field: "at", key: "hours" }, { at: { age: 40, hours: 6 } }, 7)).toEqual({
      age: 40,
      hours: 7,
    });
    expect(moved({ ...handle, field: "at", key: "hours" }, { at: null }, 7)).toEqual({ hours: 7 });
  });
});

describe("a picked row", () => {
  it("goes in, and out again", () => {
    expect(toggled([], 17)).toEqual([17]);
    expect(toggled([4, 17], 17)).toEqual([4]);
    expect(toggled(undefined, 3)).toEqual([3]);
  });
  it("takes the place of the first where a list is full", () => {
    expect(toggled([4, 17], 9, 2)).toEqual([17, 9]);
    expect(toggled([4, 17], 4, 2)).toEqual([17]);
  });
});
