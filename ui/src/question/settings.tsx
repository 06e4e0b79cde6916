// What is not a column: plain words under the sentence, opened in place. Drawn from the schema.
import { useState } from "react";
import type { Entry, Method, S } from "../client/api";
import { count } from "../common/bits";

type Option = { title: string; words?: Record<string, string>; help?: string; place: "choice" | "number" | "expression"; step?: number; when?: { pairs_used?: string[] } };
type Property = { default?: unknown; option?: Option };

export function Settings({ method, state, tables, rows, change, setLayout, settings }: {
  method: Method; state: S["QuestionState"]; tables: Entry[]; rows?: S["RowsUsed"]; change: (part: { spec?: Record<string, unknown>; table?: string }) => void; setLayout: (id: string) => void; settings: string[];
}) {
  const [open, setOpen] = useState(false);
  const properties = Object.entries((method.spec.properties ?? {}) as Record<string, Property>).filter(([, p]) => p.option);
  const set = (field: string, value: unknown) => change({ spec: { ...state.spec, [field]: value } });
  const left = rows?.left_out ?? [];
  const used = rows ? (rows.used === rows.total ? `all ${count(rows.total, "row")}` : `${rows.used} of ${count(rows.total, "row")} (${left.map((l) => `${l.n}: ${l.why}`).join("; ")})`) : "";
  const alpha = Number(state.spec.alpha ?? properties.find(([k]) => k === "alpha")?.[1].default ?? 0.05);
  return (
    <div className="mt-1.5 text-[0.95rem]">
      <p className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <span>
          <span className="muted">Table </span>
          <select className="plain-select" aria-label="Table" value={state.table} onChange={(e) => change({ table: e.target.value })}>
            {tables.map((t) => <option key={t.id} value={t.id}>{t.name}</option>)}
          </select>
          {used && <span className="muted">, {used}</span>}
        </span>
        {method.layouts.length > 1 && !rows && <Layouts method={method} state={state} setLayout={setLayout} />}
        {settings.map((s) => <span key={s} className="muted">{s}</span>)}
        <span className="muted">α <b className="text-base-content font-semibold">{String(alpha).replace(/^0/, "")}</b></span>
        {Boolean(state.spec.where) && <span className="muted">only where <code className="font-mono text-[0.85rem]">{String(state.spec.where)}</code></span>}
        <button type="button" className="link-quiet" aria-expanded={open} onClick={() => setOpen(!open)}>{open ? "Close settings" : "Change settings"}</button>
      </p>
      {open && (
        <div className="mt-3 flex flex-wrap items-start gap-x-7 gap-y-3" role="group" aria-label="Settings">
          {method.layouts.length > 1 && rows && <div className="field"><span>How the data lie</span><Layouts method={method} state={state} setLayout={setLayout} /></div>}
          {properties.map(([field, p]) => {
            if (!p.option || (p.option.when?.pairs_used && !p.option.when.pairs_used.includes(state.pairs_used ?? ""))) return null;
            return <Field key={field} field={field} option={p.option} value={state.spec[field] ?? p.default} set={(v) => set(field, v)} />;
          })}
        </div>
      )}
    </div>
  );
}

function Layouts({ method, state, setLayout }: { method: Method; state: S["QuestionState"]; setLayout: (id: string) => void }) {
  return (
    <select className="plain-select !font-normal" aria-label="How the data lie" value={state.layout} onChange={(e) => setLayout(e.target.value)}>
      {method.layouts.map((l) => <option key={l.id} value={l.id}>{l.words}</option>)}
    </select>
  );
}

function Field({ field, option, value, set }: { field: string; option: Option; value: unknown; set: (v: unknown) => void }) {
  const [text, setText] = useState<string | null>(null);
  if (option.place === "choice") {
    return (
      <label className="field max-w-72"><span>{option.title}</span>
        <select className="select select-sm w-64" value={String(value)} onChange={(e) => set(e.target.value)} data-option={field}>
          {Object.entries(option.words ?? {}).map(([v, words]) => <option key={v} value={v}>{words}</option>)}
        </select>
        {option.help && <small className="muted mt-1 block text-[0.8rem]">{option.help}</small>}
      </label>
    );
  }
  const done = () => {
    if (text === null) return;
    const next = option.place === "number" ? Number(text) : text.trim() || null;
    if (option.place !== "number" || (Number.isFinite(next) && text.trim())) set(next);
    setText(null);
  };
  return (
    <label className="field max-w-72"><span>{option.title}</span>
      <input
        className={`input input-sm ${option.place === "number" ? "w-24" : "w-72 font-mono"}`} data-option={field} type={option.place === "number" ? "number" : "text"} step={option.step} min={option.place === "number" ? 0.001 : undefined} max={option.place === "number" ? 0.499 : undefined}
        value={text ?? String(value ?? "")} onChange={(e) => setText(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()}
      />
      {option.help && <small className="muted mt-1 block text-[0.8rem]">{option.help}</small>}
    </label>
  );
}
