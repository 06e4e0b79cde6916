// What of an answer is moved or clicked to change its question: lines on pictures, rows of tables, parts under tabs.
import { createContext, use, useEffect, useRef, useState, type KeyboardEvent, type ReactNode } from "react";
import type { FigureBlock, S, TableBlock } from "../client/api";
import { cx } from "../common/classes";
import { withText } from "../common/lists";
import type { Drawn } from "../common/picture";

export type Handle = S["Handle"];
type Fields = Record<string, unknown>;

/** The question's spec, and the way to set a field of it; nothing where an answer is only shown. */
export type Touched = {
  spec: Fields;
  set: (field: string, value: unknown) => void;
  /** Asks another spec as a question of its own, of another method where one is named. */
  begin?: (spec: Fields, method?: string | null, adds?: boolean) => void;
  /** Makes a table of one of the answer's tables. */
  makeTable?: (block: TableBlock) => void;
  /** Sets several fields at once. */
  setAll?: (fields: Fields) => void;
};
export const Touch = createContext<Touched | null>(null);

/** What a handle's field becomes: the number, or the entry of a field that holds one for each of several names. */
export function moved(handle: Handle, spec: Fields, value: number): unknown {
  if (handle.key == null) return value;
  return { ...((spec[handle.field] as Fields | null) ?? {}), [handle.key]: value };
}

/** On a step of the handle, between its ends. */
export function onStep(handle: Handle, value: number): number {
  const near = Number((Math.round(value / handle.step) * handle.step).toFixed(Math.max(handle.decimals, 0)));
  return Math.min(handle.high, Math.max(handle.low, near));
}

/** '−4.50 °C'; numbers between 0 and 1 keep their zero here, where they are moved. */
export function said(handle: Handle, value: number): string {
  const text = value.toFixed(handle.decimals).replace("-", "−");
  return handle.unit ? `${text} ${handle.unit}` : text;
}

/** A list with a value put in, or out where it was in; of a list that holds so many the first one leaves. */
export function toggled(list: unknown, value: number | string, most = 0): (number | string)[] {
  const now = Array.isArray(list) ? (list as (number | string)[]) : [];
  if (now.includes(value)) return now.filter((v) => v !== value);
  return most > 0 ? [...now, value].slice(-most) : [...now, value];
}

/** Time without a key after which a handle that was moved by keys has come to rest, in ms. */
const REST = 450;

export function Handles({ handles, drawn }: { handles: Handle[]; drawn: Drawn }) {
  const touch = use(Touch);
  if (!touch) return null;
  return handles.map((h) => (
    <Line
      key={`${h.field}${h.key ?? ""}`}
      handle={h}
      drawn={drawn}
      set={(v) => touch.set(h.field, moved(h, touch.spec, v))}
    />
  ));
}

function Line({ handle, drawn, set }: { handle: Handle; drawn: Drawn; set: (value: number) => void }) {
  const [moving, setMoving] = useState<number | null>(null);
  const [held, setHeld] = useState(false);
  const rest = useRef<ReturnType<typeof setTimeout>>(undefined);
  // A new answer says where the line stands.
  const [seen, setSeen] = useState(handle.at);
  if (seen !== handle.at) {
    setSeen(handle.at);
    setMoving(null);
  }
  useEffect(() => () => clearTimeout(rest.current), []);
  const value = moving ?? handle.at;
  const { left, top, width, height } = drawn.plot();
  const across = handle.axis === "x";
  const [px, py] = drawn.pixel(across ? value : 0, across ? 0 : value);
  const at = across ? Math.min(left + width, Math.max(left, px)) : Math.min(top + height, Math.max(top, py));
  const key = (e: KeyboardEvent) => {
    const by = (e.shiftKey ? 10 : 1) * handle.step;
    const to = {
      ArrowLeft: value - by,
      ArrowDown: value - by,
      ArrowRight: value + by,
      ArrowUp: value + by,
      PageDown: value - 10 * by,
      PageUp: value + 10 * by,
      Home: handle.low,
      End: handle.high,
    }[e.key];
    if (to === undefined) return;
    e.preventDefault();
    const next = onStep(handle, to);
    setMoving(next);
    clearTimeout(rest.current);
    rest.current = setTimeout(() => next !== handle.at && set(next), REST);
  };
  return (
    <div
      role="slider"
      tabIndex={0}
      className={cx("touch group/touch", held ? "held" : "", across ? "across" : "along")}
      aria-label={handle.title}
      aria-orientation={across ? "horizontal" : "vertical"}
      aria-valuemin={handle.low}
      aria-valuemax={handle.high}
      aria-valuenow={value}
      aria-valuetext={said(handle, value)}
      style={across ? { left: at, top, height } : { top: at, left, width }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        e.currentTarget.focus();
        clearTimeout(rest.current);
        setHeld(true);
      }}
      onPointerMove={(e) => {
        if (!held) return;
        const box = e.currentTarget.parentElement!.getBoundingClientRect();
        const [x, y] = drawn.data(e.clientX - box.left, e.clientY - box.top);
        const to = across ? x : y;
        if (Number.isFinite(to)) setMoving(onStep(handle, to));
      }}
      onPointerUp={() => {
        setHeld(false);
        if (moving !== null && moving !== handle.at) set(moving);
      }}
      onPointerCancel={() => {
        setHeld(false);
        setMoving(null);
      }}
      onKeyDown={key}
    >
      <span className={cx("touch-said", across && at > left + width * 0.6 ? "before" : "")}>
        {handle.words || handle.title} {said(handle, value)}
      </span>
    </div>
  );
}

export type PickRow = (row: number) => { in: boolean; title: string; flip: () => void } | null;

/** For a table whose rows are clicked: whether a row is in, and the click. */
export function usePick(block: TableBlock): PickRow | null {
  const touch = use(Touch);
  const pick = block.pick;
  const opens = block.opens ?? [];
  const begin = touch?.begin;
  if (begin && opens.length)
    return (row) => {
      const spec = opens[row];
      return spec
        ? {
            in: false,
            title: "Ask this as a question of its own",
            flip: () => begin(spec, block.opens_as, block.opens_adds),
          }
        : null;
    };
  if (!touch || !pick) return null;
  return (row) => {
    const value = block.rows[row]?.[pick.key]?.v as number | string;
    const list = touch.spec[pick.field];
    return {
      in: pick.single ? (block.marked ?? []).includes(row) : Array.isArray(list) && list.includes(value),
      title: pick.title,
      flip: () => touch.set(pick.field, pick.single ? value : toggled(list, value, pick.most)),
    };
  };
}

/** For a picture whose points are clicked: the click on one, told whether it was one. */
export function usePoints(block: FigureBlock): ((datum: Fields) => boolean) | null {
  const touch = use(Touch);
  const pick = block.pick;
  if (!touch || !pick) return null;
  return (datum) => {
    const value = datum[pick.key];
    if (typeof value !== "number" && typeof value !== "string") return false;
    touch.set(pick.field, toggled(touch.spec[pick.field], value, pick.most));
    return true;
  };
}

/** Clicks offered under a picture. */
export function Changes({ changes }: { changes: S["Change"][] }) {
  const touch = use(Touch);
  if (!touch?.setAll || !changes.length) return null;
  return (
    <div className="flex flex-wrap gap-x-4">
      {changes.map((c) => (
        <button
          key={c.label}
          type="button"
          className="link-quiet text-[0.92rem]"
          aria-pressed={c.now}
          onClick={() => touch.setAll!(c.spec)}
        >
          {c.label}
        </button>
      ))}
    </div>
  );
}

/** Small pictures side by side, a click on one of which takes what it shows. */
export function Taken({ figures, show }: { figures: FigureBlock[]; show: (figure: FigureBlock) => ReactNode }) {
  const touch = use(Touch);
  return (
    <div className="mt-3 flex max-w-[31rem] flex-wrap gap-2" role="group" aria-label="The same under other settings">
      {figures.map((f) => {
        const now = f.takes!.now ?? false;
        return (
          <button
            key={f.id}
            type="button"
            className={cx("choice w-[108px] rounded-md p-1.5 text-left", now ? "now" : "")}
            aria-pressed={now}
            disabled={!touch?.setAll}
            title={now ? "This is the picture shown" : "Take this one"}
            onClick={() => touch?.setAll?.(f.takes!.spec)}
          >
            <span className="block text-[0.85rem] leading-snug font-semibold">{f.takes!.label}</span>
            <span className="muted block text-[0.82rem] leading-snug">{f.title}</span>
            {show(f)}
          </button>
        );
      })}
    </div>
  );
}

export type RenameRow = (row: number) => { name: string; title: string; set: (name: string) => void } | null;

/** For a table whose first cells are names that are changed in place. */
export function useRename(block: TableBlock): RenameRow | null {
  const touch = use(Touch);
  const how = block.rename;
  if (!touch || !how) return null;
  return (row) => {
    if (row >= how.rows) return null;
    const cells = block.rows[row]!;
    const key = String(cells[how.key]?.v ?? "");
    const name = String(cells[block.columns[0]!.key]?.v ?? "");
    const set = (text: string) => touch.set(how.field, withText(touch.spec[how.field], key, text));
    return { name, title: how.title, set };
  };
}

export type Part = { title: string; content: ReactNode };

/** Parts that are looked at one at a time; arrow keys go from tab to tab. */
export function Tabs({ parts, label }: { parts: Part[]; label: string }) {
  const [chosen, setChosen] = useState(parts[0]!.title);
  const now = Math.max(
    0,
    parts.findIndex((p) => p.title === chosen),
  );
  const bar = useRef<HTMLDivElement>(null);
  const go = (to: number) => {
    const next = (to + parts.length) % parts.length;
    setChosen(parts[next]!.title);
    bar.current?.querySelectorAll<HTMLElement>("[role=tab]")[next]?.focus();
  };
  return (
    <div>
      <div ref={bar} role="tablist" aria-label={label} className="tabs tabs-border mb-2">
        {parts.map((p, i) => (
          <button
            key={p.title}
            type="button"
            role="tab"
            aria-selected={i === now}
            tabIndex={i === now ? 0 : -1}
            className={cx("tab max-w-72 truncate", i === now ? "tab-active font-semibold" : "!text-base-content/75")}
            title={p.title}
            onClick={() => setChosen(p.title)}
            onKeyDown={(e) => {
              if (e.key === "ArrowRight") go(now + 1);
              if (e.key === "ArrowLeft") go(now - 1);
            }}
          >
            {p.title}
          </button>
        ))}
      </div>
      <div role="tabpanel" aria-label={parts[now]!.title}>
        {parts[now]!.content}
      </div>
    </div>
  );
}
