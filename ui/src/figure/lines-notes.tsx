// Reference lines, shaded ranges and free notes: typed here; notes are dragged on the figure.
import type { ReactNode } from "react";
import type { Figure, S } from "../client/api";
import type { Change } from "./appearance";
import { numberOf } from "../asking/ask";
import { Text } from "../asking/simple";

type Line = NonNullable<Figure["lines"]>[number];
type Range = NonNullable<Figure["ranges"]>[number];
type Note = NonNullable<Figure["notes"]>[number];

/** A number where it is one; a date or a group's name stays words. */
function place(text: string): number | string {
  return numberOf(text) ?? text.trim();
}

export function LinesAndNotes({ state, change }: { state: S["FigureState"]; change: Change }) {
  const lines = state.figure.lines ?? [];
  const ranges = state.figure.ranges ?? [];
  const notes = state.figure.notes ?? [];
  const [y, span] = middle(state, "y");
  const setLine = (i: number, part: Partial<Line>) =>
    change({ lines: lines.map((l, k) => (k === i ? { ...l, ...part } : l)) });
  const setRange = (i: number, part: Partial<Range>) =>
    change({ ranges: ranges.map((r, k) => (k === i ? { ...r, ...part } : r)) });
  const setNote = (i: number, part: Partial<Note>) =>
    change({ notes: notes.map((n, k) => (k === i ? { ...n, ...part } : n)) });
  return (
    <>
      {lines.map((l, i) => (
        <Row key={`l${i}`} name={`line ${i + 1}`} drop={() => change({ lines: lines.filter((_, k) => k !== i) })}>
          <AxisOf value={l.axis ?? "y"} label={`Axis of line ${i + 1}`} set={(axis) => setLine(i, { axis })} />
          <Text label="Line at" value={String(l.at)} set={(v) => v && setLine(i, { at: place(v) })} />
          <Text label="Its words" value={l.label ?? ""} set={(label) => setLine(i, { label })} />
        </Row>
      ))}
      {ranges.map((r, i) => (
        <Row key={`r${i}`} name={`range ${i + 1}`} drop={() => change({ ranges: ranges.filter((_, k) => k !== i) })}>
          <AxisOf value={r.axis ?? "y"} label={`Axis of range ${i + 1}`} set={(axis) => setRange(i, { axis })} />
          <Text label="Range from" value={String(r.start)} set={(v) => v && setRange(i, { start: place(v) })} />
          <Text label="to" value={String(r.end)} set={(v) => v && setRange(i, { end: place(v) })} />
          <Text label="Its words" value={r.label ?? ""} set={(label) => setRange(i, { label })} />
        </Row>
      ))}
      {notes.map((n, i) => (
        <Row key={`n${i}`} name={`note ${i + 1}`} drop={() => change({ notes: notes.filter((_, k) => k !== i) })}>
          <div className="field col-span-2">
            <span>Note</span>
            <NoteText label={`Words of note ${i + 1}`} value={n.text ?? ""} set={(text) => setNote(i, { text })} />
          </div>
          <button
            type="button"
            className="link-quiet col-span-2 text-left text-sm"
            onClick={() =>
              setNote(
                i,
                n.to_x == null ? { to_x: n.x, to_y: onGrid(n.y - span / 10, span) } : { to_x: null, to_y: null },
              )
            }
          >
            {n.to_x == null ? "With an arrow" : "Without its arrow"}
          </button>
        </Row>
      ))}
      <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
        <button
          type="button"
          className="link-quiet"
          onClick={() => change({ lines: [...lines, { axis: "y", at: y, label: "" }] })}
        >
          Add a line
        </button>
        <button
          type="button"
          className="link-quiet"
          onClick={() =>
            change({
              ranges: [
                ...ranges,
                { axis: "y", start: onGrid(y - span / 20, span), end: onGrid(y + span / 20, span), label: "" },
              ],
            })
          }
        >
          Add a range
        </button>
        <button
          type="button"
          className="link-quiet"
          onClick={() => change({ notes: [...notes, { text: "Note", ...centre(state), to_x: null, to_y: null }] })}
        >
          Add a note
        </button>
      </p>
      {notes.length > 0 && (
        <p className="muted text-sm">
          Drag notes and the tips of arrows on the figure, or move them with the arrow keys. They stay at their place in
          the data.
        </p>
      )}
    </>
  );
}

function Row({ children, drop, name }: { children: ReactNode; drop: () => void; name: string }) {
  return (
    <div className="bg-base-200/60 relative grid grid-cols-2 gap-x-2 gap-y-1 rounded-md p-2 pr-7">
      {children}
      <button
        type="button"
        className="btn btn-ghost btn-xs absolute right-0.5 top-0.5"
        aria-label={`Take ${name} away`}
        onClick={drop}
      >
        ×
      </button>
    </div>
  );
}

function AxisOf({ value, label, set }: { value: string; label: string; set: (v: "x" | "y") => void }) {
  return (
    <label className="field block">
      <span>On the</span>
      <select
        className="select select-sm w-full"
        aria-label={label}
        value={value}
        onChange={(e) => set(e.target.value as "x" | "y")}
      >
        <option value="y">upright axis</option>
        <option value="x">level axis</option>
      </select>
    </label>
  );
}

function NoteText({ label, value, set }: { label: string; value: string; set: (v: string) => void }) {
  return (
    <textarea
      className="textarea textarea-sm w-full"
      rows={2}
      aria-label={label}
      defaultValue={value}
      key={value}
      onBlur={(e) => e.target.value !== value && set(e.target.value)}
    />
  );
}

type Scaled = { encoding?: Record<string, { scale?: { domain?: unknown } }> };

function domainOf(state: S["FigureState"], axis: "x" | "y"): [number, number] {
  const domain = (state.drawing?.vega as Scaled | undefined)?.encoding?.[axis]?.scale?.domain;
  return Array.isArray(domain) && domain.length === 2 && domain.every((d) => typeof d === "number")
    ? (domain as [number, number])
    : [0, 1];
}

/** The middle of what is drawn along an axis, and how far that reaches: measures may lie far from their zero. */
function middle(state: S["FigureState"], axis: "x" | "y"): [number, number] {
  const [low, high] = domainOf(state, axis);
  return [onGrid((low + high) / 2, high - low), high - low];
}

/** On a thousandth of a span or so, without a tail of digits. */
export function onGrid(value: number, span: number): number {
  const step = 10 ** Math.floor(Math.log10(Math.abs(span) || 1) - 2);
  return Number((Math.round(value / step) * step).toPrecision(15));
}

function centre(state: S["FigureState"]): { x: number; y: number } {
  return { x: middle(state, "x")[0], y: middle(state, "y")[0] };
}
