import { beforeEach, describe, expect, it, vi } from "vitest";
import { draftOf, dropDraft, keepDraft, leftBehind } from "./drafts";
import { dropLocal, readLocal, writeLocal } from "./local";

beforeEach(() => localStorage.clear());

describe("what this browser keeps", () => {
  it("comes back as it was, until it is dropped", () => {
    writeLocal("k", { a: [1, null] });
    expect(readLocal("k")).toEqual({ a: [1, null] });
    dropLocal("k");
    expect(readLocal("k")).toBeNull();
  });

  it("is nothing where it cannot be read", () => {
    localStorage.setItem("k", "{half");
    expect(readLocal("k")).toBeNull();
  });

  it("stays beside the page where the browser is full", () => {
    writeLocal("k", "old");
    const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
      throw new DOMException("full", "QuotaExceededError");
    });
    writeLocal("k", "new");
    expect(readLocal("k")).toBe("new");
    full.mockRestore();
    writeLocal("k", "newest");
    expect([readLocal("k"), localStorage.getItem("k")]).toEqual(["newest", '"newest"']);
    dropLocal("k");
    expect(readLocal("k")).toBeNull();
  });
});

describe("words that wait to be saved", () => {
  it("are this window's own until they are dropped", () => {
    keepDraft("r1", { doc: "words", revision: 4 });
    expect(draftOf("r1")).toEqual({ doc: "words", revision: 4 });
    expect(draftOf("r2")).toBeNull();
    dropDraft("r1");
    expect(draftOf("r1")).toBeNull();
  });

  it("of a window that is gone are found by the next one", async () => {
    localStorage.setItem("yavik.draft.r1.gone0001", JSON.stringify({ doc: "left", revision: 2 }));
    localStorage.setItem("yavik.draft.r2.gone0001", JSON.stringify({ doc: "another", revision: 2 }));
    const found = await leftBehind<string>("r1");
    expect(found.map((f) => f.draft)).toEqual([{ doc: "left", revision: 2 }]);
    found[0]!.done();
    expect(await leftBehind("r1")).toEqual([]);
    expect(localStorage.getItem("yavik.draft.r2.gone0001")).not.toBeNull();
  });
});
