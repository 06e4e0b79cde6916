// The margin of a figure: how it looks. What is drawn is in the sentence. Settings come from the schema of a figure, in
// its sections; what only figures have (colours, marks, notes) has editors of its own.
import { useState } from "react";
import { applies, askOf, filled, type Around, type Properties } from "../asking/ask";
import { AskField } from "../asking/ask-field";
import { Section } from "../asking/simple";
import type { Figure, S } from "../client/api";
import { cx } from "../common/classes";
import { LinesAndNotes } from "./lines-notes";
import { AnswerMarks } from "./marks";
import { SizeAndStyle } from "./size-style";

export type Change = (part: Partial<Figure>) => void;
export type Kind = { looks: string[]; only: Record<string, string[]> };
type Props = {
  state: S["FigureState"];
  change: Change;
  properties: Properties;
  /** None of a drawing that an answer made. */
  kind?: Kind;
  study: string;
};

export function Appearance({ state, change, properties, kind, study }: Props) {
  const f = state.figure;
  const around: Around = {
    columns: [],
    spec: { ...filled(properties, f), looks: kind?.looks ?? ["y"] },
    levels: () => state.drawing?.groups ?? [],
    found: { y_title: axisOf(state, "y"), x_title: axisOf(state, "x") },
    only: kind?.only,
  };
  const part = (section: string) => <Part section={section} properties={properties} around={around} change={change} />;
  return (
    <div className="space-y-3">
      <h2 className="font-bold">Appearance</h2>
      {part("axes")}
      {kind && (
        <details>
          <summary className="link-quiet cursor-pointer text-sm">Breaks, scales, number format</summary>
          <div className="mt-2">{part("breaks")}</div>
        </details>
      )}
      {kind && part("marks")}
      <Colours state={state} change={change} />
      {(state.drawing?.levels.length ?? 0) > 0 && part("key")}
      {kind && (
        <Section title="Marks from an answer" open={state.marks_sources.length > 0}>
          <AnswerMarks state={state} change={change} />
        </Section>
      )}
      <Section title="Lines, ranges and notes" open={Boolean(f.lines?.length || f.ranges?.length || f.notes?.length)}>
        <LinesAndNotes state={state} change={change} />
      </Section>
      <Section title="Size and type" open>
        <SizeAndStyle state={state} change={change} study={study}>
          {part("size")}
        </SizeAndStyle>
      </Section>
    </div>
  );
}

/** The settings of one section: numbers side by side, the rest on lines of their own. */
function Part({
  section,
  properties,
  around,
  change,
}: {
  section: string;
  properties: Properties;
  around: Around;
  change: Change;
}) {
  const own = Object.entries(properties).filter(
    ([, p]) => p.ask?.section === section && applies(askOf(p), around.spec),
  );
  if (!own.length) return null;
  return (
    <div className="grid grid-cols-2 items-end gap-x-2 gap-y-3">
      {own.map(([name, property]) => (
        <div key={name} className={cx("min-w-0", askOf(property).shown === "number" ? "" : "col-span-2")}>
          <AskField
            name={name}
            property={property}
            value={around.spec[name]}
            set={(v) => change({ [name]: v } as Partial<Figure>)}
            around={around}
          />
        </div>
      ))}
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
