import { describe, expect, it } from "vitest";
import { taken } from "./take-up";

describe("columns of an answer", () => {
  const step = { step: "from_answer", method: "diversity", spec: { taxa: ["a", "b"] }, id: "x1" };
  it("are taken up once from one question", () => {
    expect(taken([step], "diversity", { taxa: ["a", "b"] })).toBe(true);
    expect(taken([step], "diversity", { taxa: ["a", "c"] })).toBe(false);
    expect(taken([step], "ordination", { taxa: ["a", "b"] })).toBe(false);
    expect(taken([], "diversity", {})).toBe(false);
  });
});
