// The grid: any number of rows in windows from the server, with keyboard, selection and copying.
import { useQueries, keepPreviousData } from "@tanstack/react-query";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { api, take, type S } from "../client/api";
import { useColumns } from "../client/hooks";
import { say, sayProblem } from "../common/toasts";
import { GridHeader } from "./grid-header";
import { isNumber } from "./preview";
import { useScaledScroll } from "./scaled-scroll";
import { useWidths } from "./widths";

export const ROW = 29;
const BLOCK = 200;
const BAND = 50;
const GUTTER = 58;
const MOST_COPIED = 200_000;
type Cell = { row: number; col: number };

export function Grid({ study, table, chosen, choose, showRows }: { study: string; table: S["TableOut"]; chosen: string; choose: (name: string) => void; showRows: string | null }) {
  const area = useRef<HTMLDivElement>(null);
  const { widths, setWidth, lefts, total } = useWidths(table.id, table.columns);
  const [size, setSize] = useState({ width: 800, height: 500 });
  const [left, setLeft] = useState(0);
  const head = 97;
  const { top, height, sync, toTop } = useScaledScroll(area, table.rows * ROW + ROW, size.height - head);
  const [focus, setFocus] = useState<Cell>({ row: 0, col: Math.max(0, table.columns.findIndex((c) => c.name === chosen)) });
  const [anchor, setAnchor] = useState<Cell | null>(null);
  useLayoutEffect(() => {
    const box = area.current;
    if (!box) return;
    const watch = new ResizeObserver(() => setSize({ width: box.clientWidth, height: box.clientHeight }));
    watch.observe(box);
    return () => watch.disconnect();
  }, []);

  const firstRow = Math.max(0, Math.floor(top / ROW));
  const lastRow = Math.min(table.rows - 1, Math.ceil((top + size.height - head) / ROW));
  const firstCol = Math.max(0, lefts.findLastIndex((x) => x <= left) - 1);
  const endCol = lefts.findIndex((x) => x > left + size.width);
  const lastCol = endCol < 0 ? table.columns.length - 1 : endCol;
  const shown = useMemo(() => Array.from({ length: Math.max(0, lastCol - firstCol + 1) }, (_, i) => firstCol + i), [firstCol, lastCol]);
  const cells = useCells(study, table, firstRow, lastRow, firstCol, lastCol);
  const names = useMemo(() => {
    const from = Math.floor(firstCol / 20) * 20;
    return table.columns.slice(from, Math.ceil((lastCol + 1) / 20) * 20).map((c) => c.name);
  }, [table.columns, firstCol, lastCol]);
  const { data: profiles } = useColumns(study, table.id, table.version, names);

  const goTo = useCallback((cell: Cell, extend: boolean) => {
    const next = { row: clamp(cell.row, 0, table.rows - 1), col: clamp(cell.col, 0, table.columns.length - 1) };
    setAnchor((a) => (extend ? (a ?? focus) : null));
    setFocus(next);
    const name = table.columns[next.col]?.name;
    if (name && name !== chosen) choose(name);
    const box = area.current;
    if (!box) return;
    const y = next.row * ROW;
    if (y < top) toTop(y);
    else if (y + ROW > top + size.height - head) toTop(y + ROW - (size.height - head));
    const x = lefts[next.col] ?? 0;
    const w = widths[next.col] ?? 0;
    if (x < box.scrollLeft) box.scrollLeft = x;
    else if (x + w > box.scrollLeft + size.width - GUTTER) box.scrollLeft = x + w - (size.width - GUTTER);
  }, [table, focus, chosen, choose, top, size, toTop, lefts, widths]);

  useEffect(() => {
    // A column chosen from elsewhere is brought into view.
    const at = table.columns.findIndex((c) => c.name === chosen);
    const box = area.current;
    if (!box || at < 0) return;
    const x = lefts[at] ?? 0;
    if (x + (widths[at] ?? 0) > box.scrollLeft + box.clientWidth - GUTTER) box.scrollLeft = x + (widths[at] ?? 0) - (box.clientWidth - GUTTER);
    setFocus((f) => ({ ...f, col: at }));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- when the table opens or changes; moving about is goTo's
  }, [table.version, size.width]);

  useEffect(() => {
    // "Show the rows" from a check: numbers of the original file; the window that holds the first is found by halving.
    const wanted = showRows?.split(",").map(Number).filter(Boolean) ?? [];
    if (wanted.length) void findRow(study, table, wanted[0] ?? 0).then((row) => (setFocus((f) => ({ ...f, row })), toTop(Math.max(0, row - 4) * ROW)), sayProblem);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when other rows are asked for
  }, [showRows, table.version]);

  const box = selection(anchor, focus);
  const copy = () => void copyCells(study, table, box).then((n) => say(n === 1 ? "Cell copied" : `${n} cells copied`), sayProblem);
  const keys = (e: React.KeyboardEvent) => {
    const page = Math.max(1, Math.floor((size.height - head) / ROW) - 1);
    const { row, col } = focus;
    const end = e.ctrlKey || e.metaKey;
    const to: Record<string, Cell> = {
      ArrowDown: { row: end ? table.rows - 1 : row + 1, col }, ArrowUp: { row: end ? 0 : row - 1, col }, ArrowRight: { row, col: end ? table.columns.length - 1 : col + 1 }, ArrowLeft: { row, col: end ? 0 : col - 1 },
      PageDown: { row: row + page, col }, PageUp: { row: row - page, col }, Home: { row: end ? 0 : row, col: 0 }, End: { row: end ? table.rows - 1 : row, col: table.columns.length - 1 },
    };
    const target = to[e.key];
    if (target) void (e.preventDefault(), goTo(target, e.shiftKey));
    else if (end && e.key === "c") void (e.preventDefault(), copy());
    else if (end && e.key === "a") void (e.preventDefault(), setAnchor({ row: 0, col: 0 }), setFocus({ row: table.rows - 1, col: table.columns.length - 1 }));
  };
  const marked = new Set(showRows?.split(",").map(Number) ?? []);
  return (
    <div
      ref={area} className="relative min-h-0 min-w-0 flex-1 overflow-auto focus-visible:outline-offset-[-2px]" tabIndex={0} role="grid" aria-label={`Rows of ${table.name}`} aria-rowcount={table.rows + 1}
      aria-colcount={table.columns.length + 1} aria-activedescendant={`cell-${focus.row}-${focus.col}`} onKeyDown={keys} onScroll={() => (sync(), setLeft(area.current?.scrollLeft ?? 0))} data-testid="grid"
    >
      <div style={{ width: GUTTER + total, height: height + head }} className="relative" role="presentation">
        <GridHeader columns={table.columns} shown={shown} lefts={lefts} widths={widths} gutter={GUTTER} height={head} chosen={chosen} choose={choose} setWidth={setWidth} profiles={profiles ?? []} />
        <div className="sticky left-0" style={{ top: head, height: Math.max(0, size.height - head), width: size.width, overflow: "hidden" }} role="presentation">
          {Array.from({ length: Math.max(0, lastRow - firstRow + 1) }, (_, i) => firstRow + i).map((row) => (
            <div key={row} role="row" aria-rowindex={row + 2} className="absolute left-0 right-0" style={{ top: row * ROW - top, height: ROW }}>
              <div role="rowheader" className="bg-base-100 muted rule absolute left-0 z-10 border-b border-r pr-2 text-right text-[0.78rem] leading-[29px]" style={{ width: GUTTER, height: ROW }}>
                <span className={marked.has(cells.number(row) ?? -1) ? "text-primary font-bold" : ""}>{cells.number(row) ?? ""}</span>
              </div>
              {shown.map((col) => {
                const column = table.columns[col];
                const value = cells.text(row, col);
                const on = row >= box.top && row <= box.bottom && col >= box.left && col <= box.right;
                const here = row === focus.row && col === focus.col;
                return (
                  // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the grid handles keys
                  <div
                    key={col} id={`cell-${row}-${col}`} role="gridcell" tabIndex={-1} aria-colindex={col + 2} aria-selected={on}
                    className={`rule absolute truncate border-b border-r px-3 leading-[28px] ${isNumber(column?.kind) ? "text-right" : ""} ${here ? "outline-primary z-[5] outline-2 -outline-offset-2" : ""} ${on && anchor ? "bg-primary/14" : column?.name === chosen ? "bg-primary/5" : ""}`}
                    style={{ left: GUTTER + (lefts[col] ?? 0) - left, width: widths[col], height: ROW }}
                    onClick={(e) => (area.current?.focus({ preventScroll: true }), goTo({ row, col }, e.shiftKey))}
                  >
                    {value === undefined ? "" : value === null ? <span className="muted">empty</span> : value}
                  </div>
                );
              })}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}

function clamp(x: number, low: number, high: number): number {
  return Math.max(low, Math.min(high, x));
}

function selection(anchor: Cell | null, focus: Cell) {
  const a = anchor ?? focus;
  return { top: Math.min(a.row, focus.row), bottom: Math.max(a.row, focus.row), left: Math.min(a.col, focus.col), right: Math.max(a.col, focus.col) };
}

function fetchWindow(study: string, table: string, start: number, count: number, first: number, columns: number): Promise<S["Window"]> {
  return take(api.GET("/api/studies/{study_id}/tables/{table_id}/rows", { params: { path: { study_id: study, table_id: table }, query: { start, count, first, columns } } }));
}

/** The blocks of cells that are in view, fetched as needed and kept by version. */
function useCells(study: string, table: S["TableOut"], firstRow: number, lastRow: number, firstCol: number, lastCol: number) {
  const blocks: [number, number][] = [];
  for (let b = Math.floor(firstRow / BLOCK); b <= Math.floor(Math.max(0, lastRow) / BLOCK); b++) for (let c = Math.floor(firstCol / BAND); c <= Math.floor(lastCol / BAND); c++) blocks.push([b, c]);
  const found = useQueries({
    queries: blocks.map(([b, c]) => ({
      queryKey: ["rows", study, table.id, table.version, b, c], staleTime: Infinity, gcTime: 60_000, placeholderData: keepPreviousData, queryFn: () => fetchWindow(study, table.id, b * BLOCK, BLOCK, c * BAND, BAND),
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
  };
}

/** Row numbers rise, so the place of one is found by halving. */
async function findRow(study: string, table: S["TableOut"], wanted: number): Promise<number> {
  let low = 0;
  let high = table.rows - 1;
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    const window = await fetchWindow(study, table.id, middle, 1, 0, 1);
    if ((window.numbers[0] ?? 0) < wanted) low = middle + 1;
    else high = middle;
  }
  return low;
}

async function copyCells(study: string, table: S["TableOut"], box: { top: number; bottom: number; left: number; right: number }): Promise<number> {
  const rows = box.bottom - box.top + 1;
  const columns = box.right - box.left + 1;
  if (rows * columns > MOST_COPIED) throw new Error(`At most ${MOST_COPIED} cells are copied at once; this is ${rows * columns}.`);
  const lines: string[] = [];
  for (let start = box.top; start <= box.bottom; start += 2000) {
    const window = await fetchWindow(study, table.id, start, Math.min(2000, box.bottom - start + 1), box.left, Math.min(500, columns));
    lines.push(...window.rows.map((r) => r.slice(0, columns).map((c) => (c ?? "").replace(/−/g, "-")).join("\t")));
  }
  if (rows > 1) lines.unshift(table.columns.slice(box.left, box.right + 1).map((c) => c.name).join("\t"));
  await navigator.clipboard.writeText(lines.join("\n"));
  return rows * columns;
}
