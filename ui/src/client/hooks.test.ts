import { describe, expect, it } from "vitest";
import type { S } from "./api";
import { withAround } from "./hooks";

const entry = (id: string, line: string): S["Entry"] => ({ id, type: "question", name: id, line, out_of_date: false });

describe("a change of one entry", () => {
  it("changes its line and what undo would do, and no other line", () => {
    const old = { entries: [entry("a", "1"), entry("b", "2")], undo: null, redo: "x" } as unknown as S["Contents"];
    const next = withAround(old, { entry: entry("b", "3"), undo: "Change b", redo: null });
    expect(next.entries.map((e) => e.line)).toEqual(["1", "3"]);
    expect([next.undo, next.redo, next.entries[0] === old.entries[0]]).toEqual(["Change b", null, true]);
  });
});
