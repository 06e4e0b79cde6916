import { createRef } from "react";
import { act, fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { S } from "../client/api";
import { COLUMNS, server, show } from "../testing/kit";
import { PLAIN, type CellEdit, type Look } from "./cells";
import { Grid, type GridHandle } from "./grid";

let copied = "";
beforeEach(() => {
  vi.stubGlobal("navigator", { clipboard: { writeText: (text: string) => ((copied = text), Promise.resolve()) } });
});

async function grid(rows = 40, look: Look = PLAIN) {
  server({
    "GET /api/studies/s1/tables/t1/rows": ({ query }) => {
      const [start, count, first, wide] = ["start", "count", "first", "columns"].map((k) => Number(query.get(k)));
      const high = Math.max(0, Math.min(count!, rows - start!));
      const line = (i: number) =>
        Array.from({ length: Math.min(wide!, COLUMNS.length - first!) }, (_, j) =>
          first! + j === 5 ? null : `${start! + i}.${first! + j}`,
        );
      return {
        body: {
          start,
          total: rows,
          numbers: Array.from({ length: high }, (_, i) => start! + i + 1),
          rows: Array.from({ length: high }, (_, i) => line(i)),
        },
      };
    },
    "GET /api/studies/s1/tables/t1/columns": { body: [] },
    "GET /api/studies/s1/tables/t1/seek": { body: { row: 7, number: 8, column: null, count: 1 } },
  });
  const edits: CellEdit[][] = [];
  const chosen: string[] = [];
  const handle = createRef<GridHandle>();
  const table = { id: "t1", name: "Beds", version: "v1", rows, columns: COLUMNS } as unknown as S["TableOut"];
  show(
    <Grid
      study="s1"
      table={table}
      look={look}
      chosen="height"
      choose={(n) => chosen.push(n)}
      showRows={null}
      handle={handle}
      edit={(e) => edits.push(e)}
      told={() => undefined}
    />,
  );
  if (rows) await screen.findByText("0.0");
  const area = screen.getByTestId("grid");
  const key = (name: string, more = {}) => fireEvent.keyDown(area, { key: name, ...more });
  const here = () => area.getAttribute("aria-activedescendant");
  const on = () => [...document.querySelectorAll('[aria-selected="true"]')].map((c) => c.id.replace("cell-", ""));
  return { area, key, here, on, edits, chosen, handle };
}

const cellAt = (row: number, col: number) => document.getElementById(`cell-${row}-${col}`)!;

describe("the grid", () => {
  it("is walked by keys, and does not leave the table", async () => {
    const { key, here, chosen } = await grid();
    key("ArrowDown");
    key("ArrowRight");
    expect(here()).toBe("cell-1-1");
    expect(chosen.at(-1)).toBe("leaves");
    key("End");
    key("ArrowRight");
    expect(here()).toBe("cell-1-5");
    key("End", { ctrlKey: true });
    key("ArrowDown");
    expect(here()).toBe("cell-39-5");
    key("Home", { ctrlKey: true });
    key("ArrowUp");
    expect(here()).toBe("cell-0-0");
  });

  it("selects with Shift, and everything with Ctrl A", async () => {
    const { key, on, area } = await grid(3);
    key("ArrowDown", { shiftKey: true });
    key("ArrowRight", { shiftKey: true });
    expect(on()).toEqual(["0-0", "0-1", "1-0", "1-1"]);
    key("a", { ctrlKey: true });
    expect(on().length).toBe(18);
    expect(area.getAttribute("aria-rowcount")).toBe("4");
  });

  it("copies what is selected", async () => {
    const { key } = await grid();
    key("ArrowRight", { shiftKey: true });
    key("c", { ctrlKey: true });
    await waitFor(() => expect(copied).toBe("0.0\t0.1"));
  });

  it("writes a cell by Enter, once, with what stood there", async () => {
    const { key, edits } = await grid();
    key("ArrowDown");
    key("Enter");
    const box = screen.getByLabelText("height, row 2");
    expect(box).toHaveProperty("value", "1.0");
    fireEvent.change(box, { target: { value: " 9 " } });
    fireEvent.keyDown(box, { key: "Enter" });
    fireEvent.blur(box);
    expect(edits).toEqual([[{ row: 2, column: "height", old: "1.0", new: "9" }]]);
  });

  it("writes nothing on Escape, or where nothing changed", async () => {
    const { key, edits } = await grid();
    key("F2");
    fireEvent.change(screen.getByLabelText("height, row 1"), { target: { value: "9" } });
    fireEvent.keyDown(screen.getByLabelText("height, row 1"), { key: "Escape" });
    fireEvent.doubleClick(cellAt(0, 1));
    fireEvent.keyDown(screen.getByLabelText("leaves, row 1"), { key: "Enter" });
    expect(edits).toEqual([]);
  });

  it("empties what is selected, but for what is empty already", async () => {
    const { key, edits } = await grid();
    fireEvent.click(cellAt(0, 4));
    fireEvent.click(cellAt(0, 5), { shiftKey: true });
    key("Delete");
    await waitFor(() => expect(edits).toEqual([[{ row: 1, column: "vigour", old: "0.4", new: null }]]));
  });

  it("takes a block from the clipboard at the cell in focus", async () => {
    const { area, edits } = await grid();
    fireEvent.click(cellAt(2, 1));
    fireEvent.paste(area, { clipboardData: { getData: () => "7\tx\r\n8\t\r\n" } });
    await waitFor(() => expect(edits.length).toBe(1));
    expect(edits[0]).toEqual([
      { row: 3, column: "leaves", old: "2.1", new: "7" },
      { row: 3, column: "bed", old: "2.2", new: "x" },
      { row: 4, column: "leaves", old: "3.1", new: "8" },
      { row: 4, column: "bed", old: "3.2", new: null },
    ]);
  });

  it("pastes words into a cell that is being written as words", async () => {
    const { area, key, edits } = await grid();
    key("Enter");
    fireEvent.paste(area, { clipboardData: { getData: () => "7\tx" } });
    await act(() => Promise.resolve());
    expect(edits).toEqual([]);
  });

  it("goes where it is told to, and says where it is", async () => {
    const { handle, here } = await grid();
    act(() => handle.current!.to(12, "bed"));
    expect(here()).toBe("cell-12-2");
    expect(handle.current!.place()).toEqual({ row: 12, column: "bed" });
  });

  it("says that no row is left", async () => {
    await grid(0);
    expect(await screen.findByText("The path leaves no row over.")).toBeTruthy();
  });
});
