// What is not a column: plain words under the sentence, opened in place. Drawn from the schema.
import { cx } from "../common/classes";
import { useState } from "react";
import type { Answer, Column, Entry, Method, S } from "../client/api";
import { count, grouped } from "../common/bits";
import { titleOf } from "../common/chips";
import { applies, askOf, type Around, type Ask, type Fields, type Properties } from "../asking/ask";
import { AskField } from "../asking/ask-field";
import { asList } from "../common/lists";
import { fieldOf, type Change } from "./use-answer";

export function Settings({
  method,
  state,
  tables,
  rows,
  around,
  change,
  setLayout,
  settings,
}: {
  method: Method;
  state: S["QuestionState"];
  tables: Entry[];
  rows?: S["RowsUsed"];
  around: Around;
  change: Change;
  setLayout: (id: string) => void;
  settings: string[];
}) {
  const [open, setOpen] = useState(false);
  const properties = Object.entries((method.spec.properties ?? {}) as Properties)
    .filter(([, p]) => p.ask && !p.ask.sentence && p.ask.shown !== "cases")
    .sort(([a], [b]) => Number(COMMON.includes(a)) - Number(COMMON.includes(b)));
  const set = fieldOf(change);
  const left = rows?.left_out ?? [];
  const reasons = left.map((l) => `${grouped(l.n)}: ${l.why}`).join("; ");
  const used =
    rows && rows.used > 0
      ? rows.used === rows.total
        ? `all ${count(rows.total, "row")}`
        : `${grouped(rows.used)} of ${count(rows.total, "row")} (${reasons})`
      : "";
  const alpha = Number(around.spec.alpha ?? 0.05);
  const chosen = { ...around.spec, pairs_used: state.pairs_used };
  const without = Array.isArray(state.spec.without) ? state.spec.without.length : 0;
  return (
    <div className="mt-1.5 text-[0.95rem]">
      <p className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <span>
          <span className="muted">Table </span>
          <select
            className="plain-select"
            aria-label="Table"
            value={state.table}
            onChange={(e) => change({ table: e.target.value })}
          >
            {tables.map((t) => (
              <option key={t.id} value={t.id}>
                {t.name}
              </option>
            ))}
          </select>
          {used && <span className="muted">, {used}</span>}
        </span>
        {method.layouts.length > 1 && !rows && <Layouts method={method} state={state} setLayout={setLayout} />}
        {settings.map((s) => (
          <span key={s} className="muted">
            {s}
          </span>
        ))}
        {"alpha" in (method.spec.properties as Properties) && (
          <span className="muted">
            α <b className="text-base-content font-semibold">{String(alpha).replace(/^0/, "")}</b>
          </span>
        )}
        {Boolean(state.spec.where) && (
          <span className="muted">
            only where <code className="font-mono text-[0.85rem]">{String(state.spec.where)}</code>
          </span>
        )}
        {without > 0 && <span className="muted">compared without {count(without, "row")}</span>}
        <button type="button" className="link-quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Close settings" : "Change settings"}
        </button>
      </p>
      {open && (
        <div
          className={cx(
            "mt-3 grid max-h-[46vh] grid-cols-[repeat(auto-fill,minmax(15.5rem,1fr))] items-start",
            "gap-x-7 gap-y-3 overflow-y-auto pb-1 [&>fieldset]:col-span-2",
            "[&>fieldset.w-full]:col-span-full",
          )}
          role="group"
          aria-label="Settings"
        >
          {method.layouts.length > 1 && rows && (
            <div className="field">
              <span>How the data lie</span>
              <Layouts method={method} state={state} setLayout={setLayout} />
            </div>
          )}
          {properties.map(
            ([field, p]) =>
              applies(askOf(p), chosen) && (
                <AskField
                  key={field}
                  name={field}
                  property={p}
                  value={around.spec[field]}
                  set={(v) => set(field, v)}
                  around={around}
                />
              ),
          )}
        </div>
      )}
    </div>
  );
}

/** Options that every method shares stand after its own. */
const COMMON = ["alternative", "missing", "alpha", "where", "by", "without", "seed"];

/** Values of columns that have no levels of their own. */
type Values = Record<string, string[]>;

/** Columns whose values a setting chooses from, though they have no levels: counts, dates, measures. */
export function valuesAsked(properties: Properties, spec: Fields, columns: Column[]): string[] {
  const of = Object.values(properties).flatMap((p) =>
    askOf(p).shown === "level" ? asList(spec[askOf(p).of ?? ""]) : [],
  );
  return columns.filter((c) => of.includes(c.name) && !(c.levels ?? []).length).map((c) => c.name);
}

/** The levels a field speaks of: of the column in its slot, of samples side by side, or of typed samples. */
export function levelsOf(ask: Ask, spec: Fields, columns: Column[], answer?: Answer | null, known?: Values): string[] {
  if (!ask.of) return [];
  const samples = asList(spec.samples);
  if (samples.length && !spec[ask.of]) return samples.map((n) => titleOf(n, columns));
  const typed = spec.summaries;
  if (Array.isArray(typed) && typed.length && !spec[ask.of])
    return typed.map((s) => String((s as { label: string }).label));
  const named = columns.filter((c) => asList(spec[ask.of!]).includes(c.name));
  const levels = [...new Set(named.flatMap((c) => (c.levels ?? []).map((l) => l.label ?? l.value)))];
  if (levels.length) return levels;
  const values = named.flatMap((c) => known?.[c.name] ?? []);
  if (values.length) return values;
  // Numbers and texts have no levels of their own: those that the answer found.
  for (const block of answer?.blocks ?? []) {
    if (block.type === "table" && ["groups", "means", "frequencies"].includes(block.id)) {
      const found = block.rows.map((r) => (r.group ?? r.level)?.s ?? "").filter(Boolean);
      if (found.length) return found;
    }
  }
  return [];
}

function Layouts({
  method,
  state,
  setLayout,
}: {
  method: Method;
  state: S["QuestionState"];
  setLayout: (id: string) => void;
}) {
  return (
    <select
      className="plain-select !font-normal"
      aria-label="How the data lie"
      value={state.layout}
      onChange={(e) => setLayout(e.target.value)}
    >
      {method.layouts.map((l) => (
        <option key={l.id} value={l.id}>
          {l.words}
        </option>
      ))}
    </select>
  );
}
