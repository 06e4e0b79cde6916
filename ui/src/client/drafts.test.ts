import { describe, expect, it } from "vitest";
import { ofNobody, read } from "./drafts";

describe("drafts that were left behind", () => {
  it("are those of windows that are no longer there", () => {
    const keys = ["yavik.draft.r1.aa", "yavik.draft.r1.bb", "yavik.draft.r2.aa", "yavik.theme"];
    expect(ofNobody(keys, "r1", ["yavik.bb"])).toEqual(["yavik.draft.r1.aa"]);
    expect(ofNobody(keys, "r2", ["yavik.aa"])).toEqual([]);
    expect(ofNobody([...keys, "yavik.report.r2"], "r2", ["yavik.aa"])).toEqual(["yavik.report.r2"]);
  });
  it("are read, also as an earlier version kept them", () => {
    expect(read('{"doc": {"type": "doc"}, "revision": 4}')).toEqual({ doc: { type: "doc" }, revision: 4 });
    expect(read('{"type": "doc"}')).toEqual({ doc: { type: "doc" }, revision: 0 });
  });
});
