// Planned contrasts: levels put on one side or the other, or weights typed; checked to sum to zero before they are
// asked.
import { TakeAway } from "../common/chips";
import { cx } from "../common/classes";
import { Plus } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { askOf, titleOf, type AskProps } from "./ask";
import { Help, Num, useDraft } from "./simple";

export type Typed = { label: string; weights: Record<string, number> };

export function ContrastsField({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const levels = around.levels?.(ask) ?? [];
  const title = titleOf(name, property);
  const kept = Array.isArray(value) ? (value as Typed[]) : [];
  const mode = value === "polynomial" || value === "control" ? value : kept.length ? "typed" : "none";
  const [writing, setWriting] = useState(false);
  const shown = writing ? "typed" : mode;
  const choose = (next: string) => {
    setWriting(next === "typed");
    if (next === "typed") return;
    set(next === "none" ? null : next);
  };
  return (
    <fieldset className="field w-full" data-option={name}>
      <legend>{title}</legend>
      <select
        className="select select-sm w-64"
        aria-label={title}
        value={shown}
        onChange={(e) => choose(e.target.value)}
      >
        <option value="none">none</option>
        <option value="typed">levels of my choice</option>
        <option value="control">each against a control</option>
        <option value="polynomial">a trend over the levels</option>
      </select>
      <Help>{ask.help}</Help>
      {shown === "typed" && (
        <Editor
          key={levels.join("\u0001")}
          levels={levels}
          kept={kept}
          set={(next) => (setWriting(true), set(next.length ? next : null))}
        />
      )}
    </fieldset>
  );
}

/** One line per contrast. A line is asked for once it has a side each, a name, and weights that sum to zero; until then
 *  it stays where it stands. */
export function Editor({ levels, kept, set }: { levels: string[]; kept: Typed[]; set: (v: Typed[]) => void }) {
  const [lines, put] = useLines(kept, set);
  if (!levels.length) return <p className="muted mt-2 text-sm">Choose the groups first: their levels stand here.</p>;
  return (
    <div className="mt-2 space-y-2">
      {lines.map((c, i) => (
        <Line
          key={`${lines.length}.${i}`}
          contrast={c}
          levels={levels}
          change={(next) => put(lines.map((l, k) => (k === i ? next : l)))}
          remove={() => put(lines.filter((_, k) => k !== i))}
        />
      ))}
      {lines.every(whole) && (
        <button type="button" className="btn btn-sm" onClick={() => put([...lines, blank()])}>
          <Plus size={14} /> Another contrast
        </button>
      )}
    </div>
  );
}

/** The lines as they are written; those that are whole are handed over. What comes back from the server is what was
 *  handed over, unless it was changed elsewhere: then that stands here. */
function useLines(kept: Typed[], set: (v: Typed[]) => void): [Typed[], (next: Typed[]) => void] {
  const [lines, setLines] = useState<Typed[]>(kept.length ? kept : [blank()]);
  const handed = useRef<string[]>([signOf(kept)]);
  const now = signOf(kept);
  const theirs = useRef(kept);
  useEffect(() => {
    theirs.current = kept;
  });
  useEffect(() => {
    const at = handed.current.indexOf(now);
    if (at >= 0) handed.current = handed.current.slice(at);
    else {
      handed.current = [now];
      setLines(theirs.current.length ? theirs.current : [blank()]);
    }
  }, [now]);
  const put = (next: Typed[]) => {
    setLines(next);
    const ready = next.filter(whole);
    if (signOf(ready) === signOf(lines.filter(whole))) return;
    handed.current.push(signOf(ready));
    set(ready);
  };
  return [lines, put];
}

/** What contrasts say, whatever order their levels stand in. */
function signOf(list: Typed[]): string {
  return JSON.stringify(
    list.map((c) => [
      c.label,
      Object.entries(c.weights)
        .filter(([, w]) => w !== 0)
        .sort(),
    ]),
  );
}

function blank(): Typed {
  return { label: "", weights: {} };
}

function sum(c: Typed): number {
  return Object.values(c.weights).reduce((a, b) => a + b, 0);
}

function whole(c: Typed): boolean {
  const size = Object.values(c.weights).reduce((a, b) => a + Math.abs(b), 0);
  return size > 0 && Math.abs(sum(c)) < 1e-6 * size && c.label.trim() !== "";
}

/** Equal weights within a side, adding up to one on each. */
function balanced(plus: string[], minus: string[]): Record<string, number> {
  return Object.fromEntries([
    ...plus.map((l) => [l, round(1 / plus.length)] as const),
    ...minus.map((l) => [l, -round(1 / minus.length)] as const),
  ]);
}

function round(x: number): number {
  return Number(x.toPrecision(12));
}

function Line({
  contrast,
  levels,
  change,
  remove,
}: {
  contrast: Typed;
  levels: string[];
  change: (c: Typed) => void;
  remove: () => void;
}) {
  const [typing, setTyping] = useState(false);
  const name = useDraft(contrast.label, (label) => change({ ...contrast, label: label.trim() }));
  const side = (sign: number) => levels.filter((l) => Math.sign(contrast.weights[l] ?? 0) === sign);
  const put = (level: string, to: number) => {
    const plus = side(1).filter((l) => l !== level);
    const minus = side(-1).filter((l) => l !== level);
    const weights = balanced(to > 0 ? [...plus, level] : plus, to < 0 ? [...minus, level] : minus);
    const named = auto(contrast, side(1), side(-1))
      ? words(
          levels.filter((l) => (weights[l] ?? 0) > 0),
          levels.filter((l) => (weights[l] ?? 0) < 0),
        )
      : contrast.label;
    change({ label: named, weights });
  };
  const total = sum(contrast);
  const ready = whole(contrast);
  return (
    <div
      className="rule rounded border p-2 text-[0.92rem]"
      role="group"
      aria-label={`Contrast ${contrast.label || "to be named"}`}
    >
      <div className="flex items-center gap-2">
        <input
          className="input input-xs w-72"
          aria-label="Name of the contrast"
          placeholder="its name"
          {...name.props}
        />
        <span className={ready ? "muted" : "font-semibold"} role="status">
          {said(contrast, total)}
        </span>
        <button type="button" className="link-quiet ml-auto text-sm" onClick={() => setTyping(!typing)}>
          {typing ? "Sides" : "Type weights"}
        </button>
        <TakeAway label="Take this contrast away" onClick={remove} />
      </div>
      {typing ? (
        <div className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
          {levels.map((l) => (
            <Weight
              key={l}
              level={l}
              value={contrast.weights[l] ?? 0}
              set={(w) => change({ ...contrast, weights: { ...contrast.weights, [l]: w } })}
            />
          ))}
        </div>
      ) : (
        <div className="mt-2 grid grid-cols-3 gap-2">
          <Side
            title="Mean of"
            levels={side(1)}
            drop={(l) => put(l, 1)}
            next={(l) => put(l, -1)}
            hint="to the other side"
          />
          <Side
            title="against mean of"
            levels={side(-1)}
            drop={(l) => put(l, -1)}
            next={(l) => put(l, 0)}
            hint="out of the contrast"
          />
          <Side
            title="not in it"
            levels={side(0)}
            drop={(l) => put(l, 0)}
            next={(l) => put(l, 1)}
            hint="to the first side"
          />
        </div>
      )}
    </div>
  );
}

function said(c: Typed, total: number): string {
  const size = Object.values(c.weights).reduce((a, b) => a + Math.abs(b), 0);
  if (size === 0) return "put a level on each side";
  if (Math.abs(total) >= 1e-6 * size)
    return Math.sign(total) > 0 && !Object.values(c.weights).some((w) => w < 0)
      ? "the other side is empty"
      : `weights sum to ${Number(total.toPrecision(4))}; they must to 0`;
  return c.label.trim() ? "weights sum to 0" : "give it a name";
}

function words(plus: string[], minus: string[]): string {
  return plus.length && minus.length ? `${plus.join(", ")} against ${minus.join(", ")}` : "";
}

function auto(c: Typed, plus: string[], minus: string[]): boolean {
  return !c.label || c.label === words(plus, minus);
}

function Side({
  title,
  levels,
  drop,
  next,
  hint,
}: {
  title: string;
  levels: string[];
  drop: (l: string) => void;
  next: (l: string) => void;
  hint: string;
}) {
  const [over, setOver] = useState(false);
  return (
    <div
      role="group"
      aria-label={title}
      className={cx(
        "min-h-12 rounded border border-dashed px-2 py-1",
        over ? "border-primary bg-primary/10" : "border-base-300",
      )}
      onDragOver={(e) => (e.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => (e.preventDefault(), setOver(false), drop(e.dataTransfer.getData("text/yavik-level")))}
    >
      <p className="muted text-[0.82rem]">{title}</p>
      <span className="flex flex-wrap gap-1.5 py-1">
        {levels.map((l) => (
          <button
            key={l}
            type="button"
            draggable
            className="chip cursor-grab !py-0.5"
            title={`${l}: ${hint}`}
            onClick={() => next(l)}
            onDragStart={(e) => e.dataTransfer.setData("text/yavik-level", l)}
          >
            {l}
          </button>
        ))}
      </span>
    </div>
  );
}

function Weight({ level, value, set }: { level: string; value: number; set: (w: number) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      <span className="max-w-40 truncate" title={level}>
        {level}
      </span>
      <Num
        width="w-20"
        mark={{ "aria-label": `Weight of ${level}` }}
        value={Number(value.toPrecision(5))}
        set={(w) => set(w ?? 0)}
      />
    </label>
  );
}
