import { renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { S } from "../client/api";
import { COLUMNS, column, server } from "../testing/kit";
import { copyCells, editsOver, pasted, PLAIN, seekCell, sheetCell, sheetLines } from "./cells";
import { useWidths } from "./widths";

let copied = "";
beforeEach(() => {
  copied = "";
  vi.stubGlobal("navigator", { clipboard: { writeText: (text: string) => ((copied = text), Promise.resolve()) } });
});

/** A table whose cell in row i and column j is "i.j". */
function table(rows: number, columns = COLUMNS) {
  const sent = server({
    "GET /api/studies/s1/tables/t1/rows": ({ query }) => {
      const [start, count, first, wide] = ["start", "count", "first", "columns"].map((k) => Number(query.get(k)));
      const high = Math.min(count!, rows - start!);
      const across = Math.min(wide!, columns.length - first!);
      const line = (i: number) => Array.from({ length: across }, (_, j) => `${start! + i}.${first! + j}`);
      return {
        body: {
          start,
          total: rows,
          numbers: Array.from({ length: high }, (_, i) => start! + i + 100),
          rows: Array.from({ length: high }, (_, i) => line(i)),
        },
      };
    },
  });
  return { whole: { id: "t1", columns } as S["TableOut"], sent };
}

describe("cells that are copied", () => {
  it("are one cell by itself, or lines under the names of their columns", async () => {
    const { whole } = table(9);
    expect(await copyCells("s1", whole, PLAIN, { top: 2, bottom: 2, left: 1, right: 1 })).toBe(1);
    expect(copied).toBe("2.1");
    expect(await copyCells("s1", whole, PLAIN, { top: 2, bottom: 3, left: 0, right: 1 })).toBe(4);
    expect(copied).toBe("height\tleaves\n2.0\t2.1\n3.0\t3.1");
  });

  it("are all of them, beyond what the server gives at once either way", async () => {
    const many = Array.from({ length: 620 }, (_, i) => column(`c${i}`, "text"));
    const { whole, sent } = table(2001, many);
    await copyCells("s1", whole, PLAIN, { top: 0, bottom: 1, left: 50, right: 619 });
    const lines = copied.split("\n").map((l) => l.split("\t"));
    expect(lines.map((l) => l.length)).toEqual([570, 570, 570]);
    expect(lines[2]!.at(-1)).toBe("1.619");
    await copyCells("s1", whole, PLAIN, { top: 0, bottom: 2000, left: 3, right: 3 });
    expect(copied.split("\n").length).toBe(2002);
    expect(copied.endsWith("2000.3")).toBe(true);
    expect(sent.length).toBe(4);
  });

  it("are refused where they are too many, with both counts", async () => {
    const { whole } = table(300_000);
    await expect(copyCells("s1", whole, PLAIN, { top: 0, bottom: 99_999, left: 0, right: 3 })).rejects.toThrow(
      "At most 200\u2009000 cells are copied at once; this is 400\u2009000.",
    );
  });

  it("follow the look: what is filtered and sorted is copied so", async () => {
    const { whole, sent } = table(9);
    const look = { sort: "height", falling: true, where: "leaves > 3", find: "" };
    await copyCells("s1", whole, look, { top: 0, bottom: 0, left: 0, right: 0 });
    expect(Object.fromEntries(sent[0]!.query)).toMatchObject({ sort: "height", falling: "true", where: "leaves > 3" });
  });

  it("are numbers with a plain minus and texts as they are, in quotes where a sheet would cut them", () => {
    expect(sheetCell("−1.5", "measure")).toBe("-1.5");
    expect(sheetCell("a − b", "text")).toBe("a − b");
    expect(sheetCell('two\nlines, "so"', "text")).toBe('"two\nlines, ""so"""');
    expect([sheetCell("a\tb", "text"), sheetCell(null, "text"), sheetCell(undefined)]).toEqual(['"a\tb"', "", ""]);
  });
});

describe("cells that are pasted", () => {
  it("are lines of a sheet, with quotes where one holds tabs or line ends", () => {
    expect(sheetLines("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(sheetLines('"two\nlines, ""so"""\tx\n\ty')).toEqual([
      ['two\nlines, "so"', "x"],
      ["", "y"],
    ]);
    expect(sheetLines('5" pot\t"quoted" word')).toEqual([['5" pot', '"quoted" word']]);
    expect([sheetLines("3"), sheetLines("")]).toEqual([[["3"]], [[""]]]);
  });

  it("come back as they were copied", () => {
    for (const cell of ["a", 'say "no"', "two\nlines", "a\tb", '"'])
      expect(sheetLines([sheetCell(cell, "text"), "x"].join("\t"))).toEqual([[cell, "x"]]);
  });

  it("begin at the corner of what is selected, without the names above them", () => {
    const box = { top: 4, left: 1, bottom: 9, right: 1 };
    expect(pasted("height\tleaves\n1\t2\n3\t4", box, COLUMNS)).toEqual({
      lines: [
        ["1", "2"],
        ["3", "4"],
      ],
      over: { top: 4, left: 1, bottom: 5, right: 2 },
    });
    expect(pasted("height", { ...box, bottom: 4 }, COLUMNS).lines).toEqual([["height"]]);
  });

  it("fill what is selected where they are one", () => {
    const box = { top: 0, left: 0, bottom: 1, right: 1 };
    expect(pasted("7", box, COLUMNS)).toEqual({
      lines: [
        ["7", "7"],
        ["7", "7"],
      ],
      over: box,
    });
  });

  it("are edits by the rows' own numbers, of cells that change", async () => {
    const { whole } = table(9);
    const box = { top: 2, left: 0, bottom: 3, right: 1 };
    const edits = await editsOver("s1", whole, PLAIN, box, [["2.0", "x"], [" 8 "]]);
    expect(edits).toEqual([
      { row: 102, column: "leaves", old: "2.1", new: "x" },
      { row: 103, column: "height", old: "3.0", new: "8" },
    ]);
    expect(await editsOver("s1", whole, PLAIN, { ...box, bottom: 2, right: 0 }, null)).toEqual([
      { row: 102, column: "height", old: "2.0", new: null },
    ]);
  });

  it("are refused where they reach beyond the table, or are too many", async () => {
    const { whole } = table(9);
    const beyond = /reach beyond the table; nothing was written/;
    await expect(editsOver("s1", whole, PLAIN, { top: 8, left: 0, bottom: 9, right: 0 }, null)).rejects.toThrow(beyond);
    await expect(editsOver("s1", whole, PLAIN, { top: 0, left: 5, bottom: 0, right: 6 }, null)).rejects.toThrow(beyond);
    await expect(editsOver("s1", whole, PLAIN, { top: 0, left: 0, bottom: 999, right: 2 }, null)).rejects.toThrow(
      "At most 2000 cells are written at once; this is 3000.",
    );
  });
});

describe("a cell that is looked for", () => {
  it("is asked for after a place, within the look", async () => {
    const sent = server({
      "GET /api/studies/s1/tables/t1/seek": { body: { row: 4, number: 5, column: "bed", count: 2 } },
    });
    const found = await seekCell("s1", "t1", { ...PLAIN, find: "x" }, "text", 3, { text: "north", back: true });
    expect(found.row).toBe(4);
    expect(Object.fromEntries(sent[0]!.query)).toEqual({
      what: "text",
      start: "3",
      text: "north",
      back: "true",
      find: "x",
    });
  });
});

describe("widths of columns", () => {
  const widths = () => renderHook(() => useWidths("t1", COLUMNS)).result;

  it("are kept in this browser, within bounds", async () => {
    localStorage.clear();
    const { act } = await import("@testing-library/react");
    const first = widths();
    expect(first.current.lefts[1]).toBe(first.current.widths[0]);
    act(() => first.current.setWidth("height", 5000));
    act(() => first.current.setWidth("leaves", 3));
    expect(widths().current.widths.slice(0, 2)).toEqual([640, 48]);
    expect(first.current.total).toBe(first.current.widths.reduce((a, b) => a + b, 0));
  });

  it("are as at first where what is kept cannot be read", () => {
    for (const broken of ["{", "null"]) {
      localStorage.setItem("yavik.widths.t1", broken);
      expect(widths().current.widths[0]).toBe(111);
    }
  });
});
