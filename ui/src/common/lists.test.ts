import { describe, expect, it } from "vitest";
import { withText } from "./lists";

describe("a name that is changed in place", () => {
  it("goes by its key, and is taken back by an empty text", () => {
    expect(withText(null, "m2", " Escape ")).toEqual({ m2: "Escape" });
    expect(withText({ m2: "Escape", m7: "Facts" }, "m2", " ")).toEqual({ m7: "Facts" });
  });
});
