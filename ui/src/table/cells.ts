// Windows of cells from the server, and what is looked for in them.
import { useQueries, keepPreviousData } from "@tanstack/react-query";
import { api, take, type Column, type S } from "../client/api";
import { count, grouped } from "../common/bits";
import { isNumber } from "./preview";

/** How the rows are looked at; nothing of it changes the table. */
export type Look = { sort: string; falling: boolean; where: string; find: string };
export const PLAIN: Look = { sort: "", falling: false, where: "", find: "" };
const BLOCK = 200;
const BAND = 50;
const MOST_COPIED = 200_000;
type Box = { top: number; bottom: number; left: number; right: number };

export function asQuery(look: Look): { sort?: string; falling?: boolean; where?: string; find?: string } {
  return {
    ...(look.sort ? { sort: look.sort, falling: look.falling } : {}),
    ...(look.where ? { where: look.where } : {}),
    ...(look.find ? { find: look.find } : {}),
  };
}

function fetchWindow(
  study: string,
  table: string,
  look: Look,
  start: number,
  count: number,
  first: number,
  columns: number,
  exact = false,
): Promise<S["Window"]> {
  return take(
    api.GET("/api/studies/{study_id}/tables/{table_id}/rows", {
      params: {
        path: { study_id: study, table_id: table },
        query: { start, count, first, columns, ...(exact ? { exact } : {}), ...asQuery(look) },
      },
    }),
  );
}

/** The blocks of cells that are in view, fetched as needed and kept by version. */
export function useCells(
  study: string,
  table: S["TableOut"],
  look: Look,
  firstRow: number,
  lastRow: number,
  firstCol: number,
  lastCol: number,
) {
  const blocks: [number, number][] = [];
  for (let b = Math.floor(firstRow / BLOCK); b <= Math.floor(Math.max(0, lastRow) / BLOCK); b++)
    for (let c = Math.floor(firstCol / BAND); c <= Math.floor(lastCol / BAND); c++) blocks.push([b, c]);
  const found = useQueries({
    queries: blocks.map(([b, c]) => ({
      queryKey: ["rows", study, table.id, table.version, look, b, c],
      staleTime: Infinity,
      gcTime: 60_000,
      placeholderData: keepPreviousData,
      retry: false,
      queryFn: () => fetchWindow(study, table.id, look, b * BLOCK, BLOCK, c * BAND, BAND),
    })),
  });
  const at = (row: number, col: number) => {
    const i = blocks.findIndex(([b, c]) => b === Math.floor(row / BLOCK) && c === Math.floor(col / BAND));
    const data = found[i]?.data;
    return data && data.start === Math.floor(row / BLOCK) * BLOCK ? data : undefined;
  };
  return {
    text: (row: number, col: number) => at(row, col)?.rows[row % BLOCK]?.[col % BAND],
    number: (row: number) => at(row, firstCol)?.numbers[row % BLOCK],
    total: found.find((f) => f.data)?.data?.total,
    error: found.find((f) => f.error)?.error ?? null,
  };
}

/** The next empty cell, outlier or cell with a text after a row; or where a row (by its number) is. */
export function seekCell(
  study: string,
  table: string,
  look: Look,
  what: "empty" | "outlier" | "text" | "row",
  start: number,
  more: { columns?: string[]; text?: string; back?: boolean } = {},
): Promise<S["Found"]> {
  return take(
    api.GET("/api/studies/{study_id}/tables/{table_id}/seek", {
      params: { path: { study_id: study, table_id: table }, query: { what, start, ...more, ...asQuery(look) } },
    }),
  );
}

/** Puts cells on the clipboard as lines of a sheet with every digit they have, several rows under the names of their
 *  columns. */
export async function copyCells(study: string, table: S["TableOut"], look: Look, box: Box): Promise<number> {
  const rows = box.bottom - box.top + 1;
  const columns = box.right - box.left + 1;
  if (rows * columns > MOST_COPIED)
    throw new Error(`At most ${count(MOST_COPIED, "cell")} are copied at once; this is ${grouped(rows * columns)}.`);
  const lines: string[] = [];
  for (let start = box.top; start <= box.bottom; start += 2000) {
    const high = Math.min(2000, box.bottom - start + 1);
    const parts: S["Window"][] = [];
    for (let left = box.left; left <= box.right; left += BREADTH)
      parts.push(
        await fetchWindow(study, table.id, look, start, high, left, Math.min(BREADTH, box.right - left + 1), true),
      );
    const whole = Array.from({ length: parts[0]?.rows.length ?? 0 }, (_, i) => parts.flatMap((p) => p.rows[i] ?? []));
    lines.push(...whole.map((r) => r.map((c, i) => sheetCell(c, table.columns[box.left + i]?.kind)).join("\t")));
  }
  if (rows > 1)
    lines.unshift(
      table.columns
        .slice(box.left, box.right + 1)
        .map((c) => sheetCell(c.name))
        .join("\t"),
    );
  await navigator.clipboard.writeText(lines.join("\n"));
  return rows * columns;
}

/** How many columns the server gives at once. */
const BREADTH = 500;

/** A cell as a sheet reads it: numbers with a plain minus, texts of several lines or with tabs in quotes. */
export function sheetCell(cell: string | null | undefined, kind?: string): string {
  if (isNumber(kind)) return (cell ?? "").replace(/−/g, "-");
  return /["\t\n\r]/.test(cell ?? "") ? `"${(cell ?? "").replaceAll('"', '""')}"` : (cell ?? "");
}

export type CellEdit = { row: number; column: string; old: string | null; new: string | null };
const MOST_EDITED = 2000;

/** Cells of a sheet from the clipboard, line by line; texts in quotes may hold tabs, quotes and line ends. */
export function sheetLines(text: string): string[][] {
  const lines: string[][] = [[]];
  const cells = /"((?:[^"]|"")*)"(?=[\t\r\n]|$)|([^\t\r\n]*)/y;
  for (let at = 0; at <= text.length;) {
    cells.lastIndex = at;
    const found = cells.exec(text)!;
    lines.at(-1)!.push(found[1] === undefined ? (found[2] ?? "") : found[1].replaceAll('""', '"'));
    at = cells.lastIndex;
    if (text[at] === "\r" && text[at + 1] === "\n") at++;
    if (at < text.length && text[at] !== "\t") lines.push([]);
    at++;
  }
  // The end of the last line is no line of its own.
  return lines.length > 1 && lines.at(-1)!.join("") === "" ? lines.slice(0, -1) : lines;
}

/** Where lines from the clipboard go: from the corner of what is selected on; one cell fills all of it. Names of
 *  columns above copied cells are no cells. */
export function pasted(text: string, box: Box, columns: Column[]): { lines: string[][]; over: Box } {
  const all = sheetLines(text);
  const names = new Set(columns.map((c) => c.name));
  const lines = all.length > 1 && all[0]!.every((c) => names.has(c)) ? all.slice(1) : all;
  const wide = Math.max(...lines.map((l) => l.length));
  if (lines.length === 1 && wide === 1) {
    const line = Array.from({ length: box.right - box.left + 1 }, () => lines[0]![0]!);
    return { lines: Array.from({ length: box.bottom - box.top + 1 }, () => line), over: box };
  }
  const { top, left } = box;
  return { lines, over: { top, left, bottom: top + lines.length - 1, right: left + wide - 1 } };
}

/** The edits that write lines over cells from a corner on; null lines empty them. What would fall outside the table is
 *  refused, rather than dropped. */
export async function editsOver(
  study: string,
  table: S["TableOut"],
  look: Look,
  box: Box,
  lines: string[][] | null,
): Promise<CellEdit[]> {
  const high = box.bottom - box.top + 1;
  const columns = table.columns.slice(box.left, box.right + 1);
  if (high * columns.length > MOST_EDITED)
    throw new Error(
      `At most ${count(MOST_EDITED, "cell")} are written at once; this is ${grouped(high * columns.length)}.`,
    );
  const there = await fetchWindow(study, table.id, look, box.top, high, box.left, Math.min(BREADTH, columns.length));
  if (there.rows.length < high || columns.length < box.right - box.left + 1)
    throw new Error("These cells reach beyond the table; nothing was written.");
  return there.rows.flatMap((row, i) =>
    columns.flatMap(({ name }, j) => {
      const old = row[j] ?? null;
      const fresh = lines ? lines[i]?.[j]?.trim() || null : null;
      const kept = lines !== null && lines[i]?.[j] === undefined; // a shorter line leaves the rest as it is
      return kept || fresh === old ? [] : [{ row: there.numbers[i]!, column: name, old, new: fresh }];
    }),
  );
}
