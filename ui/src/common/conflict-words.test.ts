import { describe, expect, it } from "vitest";
import { placeWords, said } from "./conflict-words";

describe("a place that two changed", () => {
  it("is named for a reader", () => {
    expect(placeWords(["doc", "content", 2, "content", 0, "text"])).toBe("Paragraph 3");
    expect(placeWords(["spec", "alpha"])).toBe("alpha");
    expect(placeWords(["steps", 0, "expression"])).toBe("Step 1");
    expect(placeWords([])).toBe("All of it");
  });
  it("shows its words, not how they are kept", () => {
    const paragraph = {
      type: "paragraph",
      content: [
        { type: "text", text: "We found" },
        { type: "text", text: " much" },
      ],
    };
    expect(said([paragraph])).toBe("We found much");
    expect(said({ type: "doc", content: [paragraph, paragraph] })).toBe("We found much\nWe found much");
    expect(said({ id: "x", step: "compute", on: true })).toBe("step: compute; on: yes");
    expect(said(null)).toBe("nothing");
  });
});
