import type { Column, S } from "../client/api";
import { kindWords } from "../common/bits";
import { Bars, rangeWords } from "./bars";

export function GridHeader({
  columns,
  shown,
  lefts,
  widths,
  gutter,
  height,
  chosen,
  choose,
  setWidth,
  profiles,
}: {
  columns: Column[];
  shown: number[];
  lefts: number[];
  widths: number[];
  gutter: number;
  height: number;
  chosen: string;
  choose: (name: string) => void;
  setWidth: (name: string, width: number) => void;
  profiles: S["ColumnOut"][];
}) {
  return (
    <div role="row" aria-rowindex={1} className="bg-base-100 rule sticky top-0 z-20 border-b" style={{ height }}>
      <div
        role="columnheader"
        className="bg-base-100 rule sticky left-0 z-10 inline-block border-r"
        style={{ width: gutter, height }}
      >
        <span className="sr-only">Row in the file</span>
      </div>
      {shown.map((i) => {
        const column = columns[i];
        if (!column) return null;
        const profile = profiles.find((p) => p.column.name === column.name)?.profile;
        const width = widths[i] ?? 110;
        return (
          <div
            key={column.name}
            role="columnheader"
            aria-colindex={i + 2}
            className={`rule absolute top-0 border-r ${column.name === chosen ? "bg-primary/10" : ""}`}
            style={{ left: gutter + (lefts[i] ?? 0), width, height }}
          >
            <button
              type="button"
              tabIndex={-1}
              className="block h-full w-full overflow-hidden px-3 pt-2 text-left"
              onClick={() => choose(column.name)}
              title={column.label ?? column.name}
              draggable
              onDragStart={(e) => e.dataTransfer.setData("text/yavik-column", column.name)}
            >
              <span className="block truncate font-semibold leading-tight">{column.name}</span>
              <span className="muted block truncate text-[0.8rem] leading-tight">{kindWords(column.kind)}</span>
              <span className="my-1 block">
                {profile ? (
                  <Bars profile={profile} width={width - 24} height={22} />
                ) : (
                  <span style={{ height: 22 }} className="block" />
                )}
              </span>
              <span className="muted block truncate text-[0.76rem] leading-tight">
                {profile ? rangeWords(column, profile) : ""}
              </span>
            </button>
            <Handle name={column.name} width={width} setWidth={setWidth} />
          </div>
        );
      })}
    </div>
  );
}

/** Drags, or moves by arrow keys, the right edge of a column. */
function Handle({
  name,
  width,
  setWidth,
}: {
  name: string;
  width: number;
  setWidth: (name: string, width: number) => void;
}) {
  const down = (e: React.PointerEvent) => {
    e.preventDefault();
    const start = e.clientX;
    const move = (m: PointerEvent) => setWidth(name, width + m.clientX - start);
    const up = () => (window.removeEventListener("pointermove", move), window.removeEventListener("pointerup", up));
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
  };
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: -12, ArrowRight: 12 }[e.key];
    if (by) void (e.preventDefault(), e.stopPropagation(), setWidth(name, width + by));
  };
  return (
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- a separator in focus is a widget
    <span
      role="separator"
      aria-orientation="vertical"
      aria-label={`Width of ${name}`}
      aria-valuenow={width}
      aria-valuemin={48}
      aria-valuemax={640}
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- a separator in focus is a widget (WAI-ARIA)
      tabIndex={0}
      className="hover:bg-primary/40 focus-visible:bg-primary/40 absolute right-0 top-0 h-full w-1.5 cursor-col-resize"
      onPointerDown={down}
      onKeyDown={keys}
    />
  );
}
