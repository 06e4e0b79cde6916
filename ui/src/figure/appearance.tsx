// The margin of a figure: axes, whiskers, points, colours, marks from an answer, size on the page.
import { useState, type ReactNode } from "react";
import type { Figure, S } from "../client/api";

type Change = (part: Partial<Figure>) => void;

export function Appearance({ state, change }: { state: S["FigureState"]; change: Change }) {
  const f = state.figure;
  const [whole, setWhole] = useState(false);
  return (
    <div className="space-y-3">
      <h2 className="font-bold">Appearance</h2>
      <Text label="Vertical axis" value={f.y_title ?? ""} placeholder={axisOf(state, "y")} set={(y_title) => change({ y_title: y_title === "" ? null : y_title })} />
      <div className="grid grid-cols-2 gap-2">
        <Num label="From" value={f.y_min} placeholder="automatic" set={(y_min) => change({ y_min })} />
        <Num label="To" value={f.y_max} placeholder="automatic" set={(y_max) => change({ y_max })} />
      </div>
      <Text label="Horizontal axis" value={f.x_title ?? ""} placeholder={axisOf(state, "x")} set={(x_title) => change({ x_title: x_title === "" ? null : x_title })} />
      {f.show.includes("box") && (
        <>
          <Choice label="Whiskers reach" value={f.whiskers} options={{ iqr: "1.5 interquartile ranges", range: "smallest and largest value", percentiles: "chosen percentiles" }} set={(whiskers) => change({ whiskers: whiskers as Figure["whiskers"] })} />
          {f.whiskers === "percentiles" && (
            <div className="grid grid-cols-2 gap-2">
              <Num label="Low percentile" value={f.low_percentile} set={(v) => v !== null && change({ low_percentile: v })} />
              <Num label="High percentile" value={f.high_percentile} set={(v) => v !== null && change({ high_percentile: v })} />
            </div>
          )}
        </>
      )}
      {f.show.includes("points") && (
        <div className="grid grid-cols-2 gap-2">
          <label className="field"><span>Width of the points</span><input type="range" className="range range-xs range-primary mt-2 w-full" min={0} max={0.9} step={0.05} value={f.jitter} onChange={(e) => change({ jitter: Number(e.target.value) })} /></label>
          <Num label="Seed" value={f.seed} set={(v) => v !== null && change({ seed: Math.max(0, Math.round(v)) })} />
        </div>
      )}
      {f.show.includes("mean") && <Choice label="Bars around means" value={f.interval} options={{ ci: `${Math.round(f.level * 100)}% confidence interval`, se: "standard error", sd: "standard deviation", none: "none" }} set={(v) => change({ interval: v as Figure["interval"] })} />}
      {state.drawing && state.drawing.levels.length > 0 && (
        <fieldset>
          <legend className="muted mb-1 text-[0.86rem]">Colours</legend>
          {state.drawing.levels.slice(0, whole ? 200 : 8).map((level) => <Colour key={level} level={level} value={state.drawing?.colours[level] ?? "#7a3e8e"} own={level in (f.colours ?? {})} figure={f} change={change} />)}
          {state.drawing.levels.length > 8 && !whole && <button className="link-quiet text-sm" onClick={() => setWhole(true)}>All {state.drawing.levels.length} groups</button>}
        </fieldset>
      )}
      <h2 className="pt-2 font-bold">Marks from an answer</h2>
      {state.marks_sources.length === 0 && !f.marks_from ? (
        <p className="muted text-[0.92rem]">Ask whether these groups differ; its letters and p can then stand here and stay in step.</p>
      ) : (
        <>
          <Choice label="Take from" value={f.marks_from ?? ""} options={{ "": "no answer", ...Object.fromEntries(state.marks_sources.map((m) => [m.id, m.name])) }} set={(v) => change({ marks_from: v || null })} />
          {state.marks_problem && <p className="border-warning border-l-4 pl-3 text-[0.92rem]" role="status">{state.marks_problem}</p>}
          {f.marks_from && (
            <>
              <Check label="Letters above each group" value={f.letters} set={(letters) => change({ letters })} />
              <Check label="Overall p value" value={f.p} set={(p) => change({ p })} />
            </>
          )}
        </>
      )}
      <h2 className="pt-2 font-bold">Size on the page</h2>
      <div className="grid grid-cols-3 gap-2">
        <Num label="Width, mm" value={f.width_mm} set={(v) => v !== null && v >= 30 && change({ width_mm: v })} />
        <Num label="Height, mm" value={f.height_mm} set={(v) => v !== null && v >= 30 && change({ height_mm: v })} />
        <Num label="Type, pt" value={f.type_pt} set={(v) => v !== null && v >= 4 && change({ type_pt: v })} />
      </div>
      <p className="flex gap-4 text-sm">
        <button className="link-quiet" onClick={() => change({ width_mm: 85 })}>One column (85)</button>
        <button className="link-quiet" onClick={() => change({ width_mm: 170 })}>Two columns (170)</button>
      </p>
    </div>
  );
}

function axisOf(state: S["FigureState"], axis: "x" | "y"): string {
  const encoding = state.drawing?.vega.encoding as Record<string, { axis?: { title?: string } }> | undefined;
  return encoding?.[axis]?.axis?.title ?? "automatic";
}

function Labelled({ label, children }: { label: string; children: ReactNode }) {
  return <label className="field block"><span>{label}</span>{children}</label>;
}

function Text({ label, value, placeholder, set }: { label: string; value: string; placeholder: string; set: (v: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  const done = () => (text !== null && text !== value && set(text.trim()), setText(null));
  return <Labelled label={label}><input className="input input-sm w-full" value={text ?? value} placeholder={placeholder} onChange={(e) => setText(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} /></Labelled>;
}

function Num({ label, value, placeholder, set }: { label: string; value: number | null | undefined; placeholder?: string; set: (v: number | null) => void }) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text === null) return;
    const next = text.trim() === "" ? null : Number(text.replace(",", ".").replace("−", "-"));
    if (next === null || Number.isFinite(next)) set(next);
    setText(null);
  };
  return <Labelled label={label}><input className="input input-sm w-full" inputMode="decimal" value={text ?? (value ?? "").toString()} placeholder={placeholder} onChange={(e) => setText(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} /></Labelled>;
}

function Choice({ label, value, options, set }: { label: string; value: string; options: Record<string, string>; set: (v: string) => void }) {
  return <Labelled label={label}><select className="select select-sm w-full" value={value} onChange={(e) => set(e.target.value)}>{Object.entries(options).map(([v, words]) => <option key={v} value={v}>{words}</option>)}</select></Labelled>;
}

function Check({ label, value, set }: { label: string; value: boolean; set: (v: boolean) => void }) {
  return <label className="flex cursor-pointer items-center gap-2.5"><input type="checkbox" className="checkbox checkbox-sm checkbox-primary" checked={value} onChange={(e) => set(e.target.checked)} />{label}</label>;
}

function Colour({ level, value, own, figure, change }: { level: string; value: string; own: boolean; figure: Figure; change: Change }) {
  return (
    <div className="flex items-center gap-2.5 py-0.5">
      <input type="color" className="h-5 w-5 cursor-pointer appearance-none rounded border-0 bg-transparent p-0" aria-label={`Colour of ${level}`} value={value} onChange={(e) => change({ colours: { ...figure.colours, [level]: e.target.value } })} />
      <span className="min-w-0 flex-1 truncate" title={level}>{level}</span>
      {own && <button className="link-quiet text-sm" aria-label={`Default colour for ${level}`} onClick={() => change({ colours: Object.fromEntries(Object.entries(figure.colours ?? {}).filter(([k]) => k !== level)) })}>default</button>}
    </div>
  );
}
