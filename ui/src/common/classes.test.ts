import { describe, expect, it } from "vitest";
import { cx } from "./classes";

describe("class names", () => {
  it("are joined by spaces, without what is not there", () => {
    expect(cx("a b", false, "c", null, undefined, "")).toBe("a b c");
    expect(cx()).toBe("");
  });
});
