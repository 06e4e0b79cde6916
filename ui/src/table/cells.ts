// Windows of cells from the server, and what is looked for in them.
import { useQueries, keepPreviousData } from "@tanstack/react-query";
import { api, take, type S } from "../client/api";
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
): Promise<S["Window"]> {
  return take(
    api.GET("/api/studies/{study_id}/tables/{table_id}/rows", {
      params: { path: { study_id: study, table_id: table }, query: { start, count, first, columns, ...asQuery(look) } },
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

/** Puts cells on the clipboard as lines of a sheet, several rows under the names of their columns. */
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
      parts.push(await fetchWindow(study, table.id, look, start, high, left, Math.min(BREADTH, box.right - left + 1)));
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
