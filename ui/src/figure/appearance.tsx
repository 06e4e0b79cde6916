// The margin of a figure: how it looks. What is drawn is in the sentence.
import { useState } from "react";
import type { Figure, S } from "../client/api";
import { Check, Choice, Labelled, Num, Section, Text } from "./controls";
import { LinesAndNotes } from "./lines-notes";
import { AnswerMarks } from "./marks";
import { SizeAndStyle } from "./size-style";

export type Change = (part: Partial<Figure>) => void;
type Props = { state: S["FigureState"]; change: Change; looks: string[]; study: string };

const SCALES = { linear: "linear", log: "log", root: "square root" };
const INTERVALS = (level: number) => ({
  ci: `${Math.round(level * 100)}% confidence interval`,
  se: "standard error",
  sd: "standard deviation",
  none: "none",
});

export function Appearance({ state, change, looks, study }: Props) {
  const f = state.figure;
  const has = (name: string) => looks.includes(name);
  const shows = (name: string) => (f.show ?? []).includes(name as never);
  const own = f.kind === "answer";
  return (
    <div className="space-y-3">
      <h2 className="font-bold">Appearance</h2>
      <Text
        label="Upright axis"
        value={f.y_title ?? ""}
        placeholder={axisOf(state, "y")}
        set={(v) => change({ y_title: v === "" ? null : v })}
      />
      {(has("y") || own) && (
        <div className="grid grid-cols-2 gap-2">
          <Num label="From" value={f.y_min} placeholder="automatic" set={(y_min) => change({ y_min })} />
          <Num label="To" value={f.y_max} placeholder="automatic" set={(y_max) => change({ y_max })} />
        </div>
      )}
      <Text
        label="Level axis"
        value={f.x_title ?? ""}
        placeholder={axisOf(state, "x")}
        set={(v) => change({ x_title: v === "" ? null : v })}
      />
      {has("order") && <Order state={state} change={change} />}
      {has("order_rows") && (
        <Choice
          label="Order"
          value={f.order ?? "data"}
          options={{ data: "as in the table", value: "by estimate", name: "by name" }}
          set={(order) => change({ order: order as Figure["order"] })}
        />
      )}
      {!own && (
        <details>
          <summary className="link-quiet cursor-pointer text-sm">Breaks, scales, number format</summary>
          <div className="mt-2 grid grid-cols-2 gap-2">
            {has("x") && (
              <Num label="Level: from" value={f.x_min} placeholder="automatic" set={(x_min) => change({ x_min })} />
            )}
            {has("x") && <Num label="to" value={f.x_max} placeholder="automatic" set={(x_max) => change({ x_max })} />}
            {has("x") && (
              <Num
                label="Level: a break every"
                value={f.x_step}
                placeholder="automatic"
                set={(v) => change({ x_step: v && v > 0 ? v : null })}
              />
            )}
            {has("x") && (
              <Choice
                label="Level: scale"
                value={f.x_scale ?? "linear"}
                options={SCALES}
                set={(v) => change({ x_scale: v as Figure["x_scale"] })}
              />
            )}
            {has("y") && (
              <Num
                label="Upright: a break every"
                value={f.y_step}
                placeholder="automatic"
                set={(v) => change({ y_step: v && v > 0 ? v : null })}
              />
            )}
            {has("y") && (
              <Choice
                label="Upright: scale"
                value={f.y_scale ?? "linear"}
                options={SCALES}
                set={(v) => change({ y_scale: v as Figure["y_scale"] })}
              />
            )}
            <Num
              label="Decimals"
              value={f.decimals}
              placeholder="automatic"
              min={0}
              max={6}
              set={(v) => change({ decimals: v === null ? null : Math.round(v) })}
            />
            {!has("counts") && (
              <Choice
                label="Numbers"
                value={f.percent ? "percent" : "plain"}
                options={{ plain: "as they are", percent: "per cent (× 100)" }}
                set={(v) => change({ percent: v === "percent" })}
              />
            )}
          </div>
        </details>
      )}
      {has("whiskers") && shows("box") && (
        <>
          <Choice
            label="Whiskers reach"
            value={f.whiskers ?? "iqr"}
            options={{
              iqr: "1.5 interquartile ranges",
              range: "smallest and largest value",
              percentiles: "chosen percentiles",
            }}
            set={(v) => change({ whiskers: v as Figure["whiskers"] })}
          />
          {f.whiskers === "percentiles" && (
            <div className="grid grid-cols-2 gap-2">
              <Num
                label="Low percentile"
                value={f.low_percentile}
                min={0}
                max={50}
                set={(v) => v !== null && change({ low_percentile: v })}
              />
              <Num
                label="High percentile"
                value={f.high_percentile}
                min={50}
                max={100}
                set={(v) => v !== null && change({ high_percentile: v })}
              />
            </div>
          )}
        </>
      )}
      {has("jitter") && shows("points") && (
        <div className="grid grid-cols-2 gap-2">
          <Labelled label="Width of the points">
            <input
              type="range"
              className="range range-xs range-primary mt-2 w-full"
              min={0}
              max={0.9}
              step={0.05}
              value={f.jitter}
              onChange={(e) => change({ jitter: Number(e.target.value) })}
            />
          </Labelled>
          <Num
            label="Seed"
            value={f.seed}
            min={0}
            set={(v) => v !== null && change({ seed: Math.max(0, Math.round(v)) })}
          />
        </div>
      )}
      {has("interval") && (["mean", "bar", "line", "band", "dots"] as const).some(shows) && (
        <Choice
          label={shows("line") && f.kind === "relation" ? "Bands around lines" : "Intervals"}
          value={f.interval ?? "ci"}
          options={
            f.kind === "relation" || f.kind === "shares"
              ? { ci: INTERVALS(f.level ?? 0.95).ci, none: "none" }
              : INTERVALS(f.level ?? 0.95)
          }
          set={(v) => change({ interval: v as Figure["interval"] })}
        />
      )}
      {has("bins") && shows("histogram") && (
        <Num
          label="Classes"
          value={f.bins}
          placeholder="automatic"
          min={1}
          max={200}
          set={(v) => change({ bins: v === null ? null : Math.round(v) })}
        />
      )}
      {has("smooth") && (shows("density") || shows("curve") || shows("violin")) && (
        <Labelled label="Smoothness">
          <input
            type="range"
            className="range range-xs range-primary mt-2 w-full"
            min={0.2}
            max={3}
            step={0.1}
            value={f.smooth}
            onChange={(e) => change({ smooth: Number(e.target.value) })}
          />
        </Labelled>
      )}
      {has("counts") && (
        <Choice
          label="Heights are"
          value={f.counts ? "counts" : "shares"}
          options={{ shares: "shares of the group", counts: "counts of rows" }}
          set={(v) => change({ counts: v === "counts" })}
        />
      )}
      {has("equation") && (
        <Check label="Equation and R²" value={f.equation ?? false} set={(equation) => change({ equation })} />
      )}
      <Colours state={state} change={change} />
      {!own && (
        <Section title="Marks from an answer" open={state.marks_sources.length > 0}>
          <AnswerMarks state={state} change={change} />
        </Section>
      )}
      <Section title="Lines, ranges and notes" open={Boolean(f.lines?.length || f.ranges?.length || f.notes?.length)}>
        <LinesAndNotes state={state} change={change} />
      </Section>
      <Section title="Size and type" open>
        <SizeAndStyle state={state} change={change} study={study} />
      </Section>
    </div>
  );
}

const SHAPES = { circle: "●", square: "■", "triangle-up": "▲", diamond: "◆", cross: "✚", "triangle-down": "▼" };

function Colours({ state, change }: { state: S["FigureState"]; change: Change }) {
  const [whole, setWhole] = useState(false);
  const drawing = state.drawing;
  const f = state.figure;
  if (!drawing || drawing.levels.length === 0) return null;
  const shown = drawing.levels.slice(0, whole ? 200 : 8);
  return (
    <fieldset>
      <legend className="muted mb-1 text-[0.86rem]">Colours and marks</legend>
      {shown.map((level) => (
        <div key={level} className="flex items-center gap-2.5 py-0.5">
          <Swatch
            label={`Colour of ${level}`}
            value={drawing.colours[level] ?? "#7a3e8e"}
            set={(v) => change({ colours: { ...f.colours, [level]: v } })}
          />
          <span className="min-w-0 flex-1 truncate" title={level}>
            {level}
          </span>
          {level in (f.colours ?? {}) && (
            <button
              type="button"
              className="link-quiet text-sm"
              aria-label={`Default colour for ${level}`}
              onClick={() => change({ colours: without(f.colours, level) })}
            >
              default
            </button>
          )}
          {drawing.shapes && level in drawing.shapes && (
            <select
              className="plain-select !pr-0 text-sm"
              aria-label={`Mark of ${level}`}
              value={f.shapes?.[level] ?? drawing.shapes[level]}
              onChange={(e) => change({ shapes: { ...f.shapes, [level]: e.target.value as never } })}
            >
              {Object.entries(SHAPES).map(([id, sign]) => (
                <option key={id} value={id}>
                  {sign}
                </option>
              ))}
            </select>
          )}
        </div>
      ))}
      {drawing.levels.length > 8 && !whole && (
        <button type="button" className="link-quiet text-sm" onClick={() => setWhole(true)}>
          All {drawing.levels.length}
        </button>
      )}
      <Choice
        label="Key"
        value={f.legend ?? "top"}
        options={{ top: "above", right: "on the right", bottom: "below", direct: "names at the lines", none: "none" }}
        set={(v) => change({ legend: v as Figure["legend"] })}
      />
    </fieldset>
  );
}

/** A colour counts when the picker is closed: every colour passed on the way would be a change to undo. */
function Swatch({ label, value, set }: { label: string; value: string; set: (v: string) => void }) {
  const [now, setNow] = useState<string | null>(null);
  const done = () => {
    if (now !== null && now !== value) set(now);
    setNow(null);
  };
  return (
    <input
      type="color"
      className="h-5 w-5 shrink-0 cursor-pointer appearance-none rounded border-0 bg-transparent p-0"
      aria-label={label}
      value={now ?? value}
      onChange={(e) => setNow(e.target.value)}
      onBlur={done}
      ref={(el) => {
        if (el) el.onchange = () => (el.value !== value && set(el.value), setNow(null));
      }}
    />
  );
}

function without<T>(record: Record<string, T> | undefined, key: string): Record<string, T> {
  return Object.fromEntries(Object.entries(record ?? {}).filter(([k]) => k !== key));
}

function Order({ state, change }: { state: S["FigureState"]; change: Change }) {
  const f = state.figure;
  const groups = state.drawing?.groups ?? [];
  const move = (i: number, by: -1 | 1) => {
    const next = [...groups];
    [next[i], next[i + by]] = [next[i + by]!, next[i]!];
    change({ order: "hand", by_hand: next });
  };
  return (
    <>
      <Choice
        label="Order of groups"
        value={f.order ?? "data"}
        options={{ data: "as in the dictionary", value: "by value, largest first", name: "by name", hand: "by hand" }}
        set={(order) => change({ order: order as Figure["order"], ...(order === "hand" ? { by_hand: groups } : {}) })}
      />
      {f.order === "hand" && (
        <ol className="text-sm">
          {groups.slice(0, 40).map((g, i) => (
            <li key={g} className="flex items-center gap-1">
              <span className="min-w-0 flex-1 truncate" title={g}>
                {g}
              </span>
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                aria-label={`Move ${g} forward`}
                disabled={i === 0}
                onClick={() => move(i, -1)}
              >
                ↑
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                aria-label={`Move ${g} back`}
                disabled={i === groups.length - 1}
                onClick={() => move(i, 1)}
              >
                ↓
              </button>
            </li>
          ))}
        </ol>
      )}
    </>
  );
}

/** The name of an axis that all panels share stands beside the whole. */
type Shared = { text?: string | string[] };

function axisOf(state: S["FigureState"], axis: "x" | "y"): string {
  const whole = state.drawing?.vega as { title?: Shared; hconcat?: { title?: Shared }[] } | undefined;
  const shared = axis === "x" ? whole?.title : whole?.hconcat?.[0]?.title;
  const found = titleIn(state.drawing?.vega, axis) || [shared?.text ?? ""].flat().join(" ");
  return found || "automatic";
}

/** The first title of an axis, wherever it stands in the drawing. */
function titleIn(node: unknown, axis: "x" | "y"): string {
  if (Array.isArray(node)) return node.map((n) => titleIn(n, axis)).find(Boolean) ?? "";
  if (typeof node !== "object" || node === null) return "";
  const own = (node as { encoding?: Record<string, { axis?: { title?: string | string[] } | null }> }).encoding?.[axis]
    ?.axis?.title;
  if (own) return Array.isArray(own) ? own.join(" ") : own;
  const { layer, hconcat, vconcat, spec } = node as Record<string, unknown>;
  return titleIn([layer, hconcat, vconcat, spec].filter(Boolean), axis);
}
