// The grid: any number of rows in windows from the server, with keyboard, selection and copying.
import { cx } from "../common/classes";
import { useCallback, useEffect, useImperativeHandle, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { S } from "../client/api";
import { useColumns } from "../client/hooks";
import { say, sayProblem } from "../common/toasts";
import { count, Trouble } from "../common/bits";
import { copyCells, editsOver, pasted, seekCell, useCells, type CellEdit, type Look } from "./cells";
import { GridHeader } from "./grid-header";
import { isNumber } from "./preview";
import { useScaledScroll } from "./scaled-scroll";
import { useWidths } from "./widths";

export const ROW = 29;
const GUTTER = 58;
type Cell = { row: number; col: number };
/** What the tools above the grid ask of it. */
export type GridHandle = {
  to: (row: number, column: string | null) => void;
  place: () => { row: number; column: string };
};
export type EditCells = (edits: CellEdit[]) => void;

export function Grid({
  study,
  table,
  look,
  chosen,
  choose,
  showRows,
  handle,
  edit,
  told,
}: {
  study: string;
  table: S["TableOut"];
  look: Look;
  chosen: string;
  choose: (name: string) => void;
  showRows: string | null;
  handle: React.Ref<GridHandle>;
  edit: EditCells;
  told: (total: number) => void;
}) {
  const area = useRef<HTMLDivElement>(null);
  const { widths, setWidth, lefts, total: across } = useWidths(table.id, table.columns);
  const [size, setSize] = useState({ width: 800, height: 500 });
  const [left, setLeft] = useState(0);
  const head = 97;
  const [total, setTotal] = useState(table.rows);
  const [editing, setEditing] = useState<{ row: number; col: number; text: string } | null>(null);
  const open = useRef<typeof editing>(null);
  const { top, height, sync, toTop } = useScaledScroll(area, total * ROW + ROW, size.height - head);
  const [focus, setFocus] = useState<Cell>({
    row: 0,
    col: Math.max(
      0,
      table.columns.findIndex((c) => c.name === chosen),
    ),
  });
  const [anchor, setAnchor] = useState<Cell | null>(null);
  useLayoutEffect(() => {
    const box = area.current;
    if (!box) return;
    const watch = new ResizeObserver(() => setSize({ width: box.clientWidth, height: box.clientHeight }));
    watch.observe(box);
    return () => watch.disconnect();
  }, []);

  const firstRow = Math.max(0, Math.floor(top / ROW));
  const lastRow = Math.min(total - 1, Math.ceil((top + size.height - head) / ROW));
  const firstCol = Math.max(0, lefts.findLastIndex((x) => x <= left) - 1);
  const endCol = lefts.findIndex((x) => x > left + size.width);
  const lastCol = endCol < 0 ? table.columns.length - 1 : endCol;
  const shown = useMemo(
    () => Array.from({ length: Math.max(0, lastCol - firstCol + 1) }, (_, i) => firstCol + i),
    [firstCol, lastCol],
  );
  const cells = useCells(study, table, look, firstRow, lastRow, firstCol, lastCol);
  const names = useMemo(() => {
    const from = Math.floor(firstCol / 20) * 20;
    return table.columns.slice(from, Math.ceil((lastCol + 1) / 20) * 20).map((c) => c.name);
  }, [table.columns, firstCol, lastCol]);
  const { data: profiles } = useColumns(study, table.id, table.version, names);

  const goTo = useCallback(
    (cell: Cell, extend: boolean) => {
      const next = {
        row: clamp(cell.row, 0, Math.max(0, total - 1)),
        col: clamp(cell.col, 0, table.columns.length - 1),
      };
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
    },
    [table, total, focus, chosen, choose, top, size, toTop, lefts, widths],
  );

  useEffect(() => {
    // A column chosen from elsewhere is brought into view.
    const at = table.columns.findIndex((c) => c.name === chosen);
    const box = area.current;
    if (!box || at < 0) return;
    const x = lefts[at] ?? 0;
    if (x + (widths[at] ?? 0) > box.scrollLeft + box.clientWidth - GUTTER)
      box.scrollLeft = x + (widths[at] ?? 0) - (box.clientWidth - GUTTER);
    setFocus((f) => ({ ...f, col: at }));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- when the table opens or changes; moving about is goTo's
  }, [table.version, size.width, chosen]);

  useEffect(() => {
    // "Show the rows" from a check: numbers of the original file; the place of the first is asked for.
    const wanted = showRows?.split(",").map(Number).filter(Boolean) ?? [];
    if (wanted.length)
      void seekCell(study, table.id, look, "row", wanted[0] ?? 0).then(
        ({ row }) => typeof row === "number" && (setFocus((f) => ({ ...f, row })), toTop(Math.max(0, row - 4) * ROW)),
        sayProblem,
      );
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when other rows are asked for
  }, [showRows, table.version]);

  useEffect(() => {
    if (cells.total !== undefined && cells.total !== total) setTotal(cells.total);
    if (cells.total !== undefined) told(cells.total);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `told` only passes the number on
  }, [cells.total, total]);
  useEffect(() => {
    toTop(0);
    setAnchor(null);
    setFocus((f) => ({ ...f, row: 0 }));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- another look begins at its top
  }, [look]);
  useImperativeHandle(handle, () => ({
    to: (row, column) =>
      goTo({ row, col: column ? table.columns.findIndex((c) => c.name === column) : focus.col }, false),
    place: () => ({ row: focus.row, column: table.columns[focus.col]?.name ?? "" }),
  }));
  const write = (cell: Cell) => {
    const text = cells.text(cell.row, cell.col);
    if (text !== undefined) setEditing((open.current = { ...cell, text: text ?? "" }));
  };
  const written = (keep: boolean) => {
    // Enter takes the box away, which blurs it: one edit, not two.
    const done = open.current;
    open.current = null;
    setEditing(null);
    area.current?.focus({ preventScroll: true });
    if (!keep || !done) return;
    const old = cells.text(done.row, done.col) ?? null;
    const number = cells.number(done.row);
    const fresh = done.text.trim() === "" ? null : done.text.trim();
    const column = table.columns[done.col]?.name;
    if (fresh !== old && number !== undefined && column) edit([{ row: number, column, old, new: fresh }]);
  };
  const box = selection(anchor, focus);
  const copy = () =>
    void copyCells(study, table, look, box).then(
      (n) => say(n === 1 ? "Cell copied" : `${count(n, "cell")} copied`),
      sayProblem,
    );
  const overwrite = (over: typeof box, lines: string[][] | null) =>
    void editsOver(study, table, look, over, lines).then((edits) => edits.length && edit(edits), sayProblem);
  const paste = (e: React.ClipboardEvent) => {
    if (editing) return;
    e.preventDefault();
    const { lines, over } = pasted(e.clipboardData.getData("text/plain"), box, table.columns);
    overwrite(over, lines);
  };
  const keys = (e: React.KeyboardEvent) => {
    const page = Math.max(1, Math.floor((size.height - head) / ROW) - 1);
    const { row, col } = focus;
    const end = e.ctrlKey || e.metaKey;
    const to: Record<string, Cell> = {
      ArrowDown: { row: end ? total - 1 : row + 1, col },
      ArrowUp: { row: end ? 0 : row - 1, col },
      ArrowRight: { row, col: end ? table.columns.length - 1 : col + 1 },
      ArrowLeft: { row, col: end ? 0 : col - 1 },
      PageDown: { row: row + page, col },
      PageUp: { row: row - page, col },
      Home: { row: end ? 0 : row, col: 0 },
      End: { row: end ? total - 1 : row, col: table.columns.length - 1 },
    };
    const target = to[e.key];
    if (target) void (e.preventDefault(), goTo(target, e.shiftKey));
    else if (e.key === "Enter" || e.key === "F2") void (e.preventDefault(), write(focus));
    else if (e.key === "Delete" || e.key === "Backspace") void (e.preventDefault(), overwrite(box, null));
    else if (end && e.key === "c") void (e.preventDefault(), copy());
    else if (end && e.key === "a")
      void (
        e.preventDefault(),
        setAnchor({ row: 0, col: 0 }),
        setFocus({ row: total - 1, col: table.columns.length - 1 })
      );
  };
  const marked = new Set(showRows?.split(",").map(Number) ?? []);
  return (
    <div
      ref={area}
      className="relative min-h-0 min-w-0 flex-1 overflow-auto focus-visible:outline-offset-[-2px]"
      tabIndex={0}
      role="grid"
      aria-label={`Rows of ${table.name}`}
      aria-rowcount={total + 1}
      aria-colcount={table.columns.length + 1}
      aria-activedescendant={`cell-${focus.row}-${focus.col}`}
      onKeyDown={keys}
      onPaste={paste}
      onScroll={() => (sync(), setLeft(area.current?.scrollLeft ?? 0))}
      data-testid="grid"
    >
      <div style={{ width: GUTTER + across, height: height + head }} className="relative" role="presentation">
        <GridHeader
          columns={table.columns}
          shown={shown}
          lefts={lefts}
          widths={widths}
          gutter={GUTTER}
          height={head}
          chosen={chosen}
          choose={choose}
          setWidth={setWidth}
          profiles={profiles ?? []}
        />
        {(cells.error !== null || total === 0) && (
          <div className="sticky left-0 z-20 h-0" style={{ top: head, width: size.width }} role="presentation">
            <div className="bg-base-100 px-6 py-2">
              {cells.error ? (
                <Trouble error={cells.error} />
              ) : (
                <p className="muted py-2">
                  {table.rows === 0 ? "The path leaves no row over." : "No row is like that."}
                </p>
              )}
            </div>
          </div>
        )}
        {/* Clipped, not hidden: what is hidden is scrolled by a click on a cell at its edge, and leaves its header. */}
        <div
          className="sticky left-0"
          style={{ top: head, height: Math.max(0, size.height - head), width: size.width, overflow: "clip" }}
          role="presentation"
        >
          {Array.from({ length: Math.max(0, lastRow - firstRow + 1) }, (_, i) => firstRow + i).map((row) => (
            <div
              key={row}
              role="row"
              aria-rowindex={row + 2}
              className="absolute left-0 right-0"
              style={{ top: row * ROW - top, height: ROW }}
            >
              <div
                role="rowheader"
                className={cx(
                  "bg-base-100 muted rule absolute left-0 z-10 border-b border-r pr-2 text-right",
                  "text-[0.78rem] leading-[29px]",
                )}
                style={{ width: GUTTER, height: ROW }}
              >
                <span className={marked.has(cells.number(row) ?? -1) ? "text-primary font-bold" : ""}>
                  {cells.number(row) ?? ""}
                </span>
              </div>
              {shown.map((col) => {
                const column = table.columns[col];
                const value = cells.text(row, col);
                const on = row >= box.top && row <= box.bottom && col >= box.left && col <= box.right;
                const here = row === focus.row && col === focus.col;
                return (
                  // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the grid handles keys
                  <div
                    key={col}
                    id={`cell-${row}-${col}`}
                    role="gridcell"
                    tabIndex={-1}
                    aria-colindex={col + 2}
                    aria-selected={on}
                    className={cx(
                      "rule absolute truncate border-b border-r px-3 leading-[28px]",
                      isNumber(column?.kind) ? "text-right" : "",
                      here ? "outline-primary z-[5] outline-2 -outline-offset-2" : "",
                      on && anchor ? "bg-primary/14" : column?.name === chosen ? "bg-primary/5" : "",
                    )}
                    style={{ left: GUTTER + (lefts[col] ?? 0) - left, width: widths[col], height: ROW }}
                    onClick={(e) =>
                      editing?.row !== row &&
                      (area.current?.focus({ preventScroll: true }), goTo({ row, col }, e.shiftKey))
                    }
                    onDoubleClick={() => write({ row, col })}
                  >
                    {editing?.row === row && editing.col === col ? (
                      <input
                        className="bg-base-100 -mx-3 h-[26px] w-[calc(100%+1.5rem)] px-3"
                        aria-label={`${column?.name}, row ${cells.number(row) ?? ""}`}
                        autoFocus
                        value={editing.text}
                        onChange={(e) => setEditing((open.current = { ...editing, text: e.target.value }))}
                        onBlur={() => written(true)}
                        onKeyDown={(e) => (
                          e.stopPropagation(),
                          e.key === "Enter" ? written(true) : e.key === "Escape" && written(false)
                        )}
                      />
                    ) : value === undefined ? (
                      ""
                    ) : value === null ? (
                      <span className="muted">empty</span>
                    ) : (
                      value
                    )}
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
  return {
    top: Math.min(a.row, focus.row),
    bottom: Math.max(a.row, focus.row),
    left: Math.min(a.col, focus.col),
    right: Math.max(a.col, focus.col),
  };
}
