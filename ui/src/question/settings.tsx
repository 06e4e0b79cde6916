// What is not a column: plain words under the sentence, opened in place. Drawn from the schema.
import { cx } from "../common/classes";
import { useState } from "react";
import type { Answer, Column, Entry, Method, S } from "../client/api";
import { count } from "../common/bits";
import { titleOf } from "../common/chips";
import { asList } from "../common/sentence";
import { ComparisonsField } from "./comparisons";
import { ContrastsField } from "./contrasts";
import { PointsField, ReferencesField } from "./model-fields";
import { termColumns } from "./terms";
import {
  ColumnField,
  ColumnsField,
  LevelField,
  LevelNumbers,
  NumberField,
  RowsField,
  SetsField,
  TextField,
  type Option,
} from "./fields";

type Property = { default?: unknown; title?: string; option?: Option };

export function Settings({
  method,
  state,
  tables,
  rows,
  columns,
  answer,
  change,
  setLayout,
  settings,
}: {
  method: Method;
  state: S["QuestionState"];
  tables: Entry[];
  rows?: S["RowsUsed"];
  columns: Column[];
  answer?: Answer | null;
  change: (part: { spec?: Record<string, unknown>; table?: string }) => void;
  setLayout: (id: string) => void;
  settings: string[];
}) {
  const [open, setOpen] = useState(false);
  const all = (method.spec.properties ?? {}) as Record<string, Property>;
  const properties = Object.entries(all)
    .filter(([, p]) => p.option)
    .sort(([a], [b]) => Number(COMMON.includes(a)) - Number(COMMON.includes(b)));
  const set = (field: string, value: unknown) => change({ spec: { ...state.spec, [field]: value } });
  const left = rows?.left_out ?? [];
  const used =
    rows && rows.used > 0
      ? rows.used === rows.total
        ? `all ${count(rows.total, "row")}`
        : `${rows.used} of ${count(rows.total, "row")} (${left.map((l) => `${l.n}: ${l.why}`).join("; ")})`
      : "";
  const alpha = Number(state.spec.alpha ?? all.alpha?.default ?? 0.05);
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
        <span className="muted">
          α <b className="text-base-content font-semibold">{String(alpha).replace(/^0/, "")}</b>
        </span>
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
          {properties.map(([field, p]) => {
            if (!p.option || !applies(p.option, state, all)) return null;
            return (
              <Field
                key={field}
                field={field}
                option={p.option}
                value={state.spec[field] ?? p.default}
                set={(v) => set(field, v)}
                columns={columns}
                chosen={of(p.option, state, columns, answer)}
                names={namesFor(p.option, state.spec)}
              />
            );
          })}
        </div>
      )}
    </div>
  );
}

/** Options that every method shares stand after its own. */
const COMMON = ["alternative", "missing", "alpha", "where", "by", "without", "seed"];

/** An option that another one decides about: shown where that has one of the values, or any value where it says
 *  "set". */
export function applies(
  option: Pick<Option, "when" | "any">,
  state: Pick<S["QuestionState"], "spec" | "pairs_used">,
  all: Record<string, Property>,
): boolean {
  const entries = Object.entries(option.when ?? {});
  const met = entries.map(([field, wanted]) => {
    const value = field === "pairs_used" ? state.pairs_used : (state.spec[field] ?? all[field]?.default);
    if (wanted === "set") return value !== null && value !== undefined && !(Array.isArray(value) && value.length === 0);
    return (typeof value === "string" || typeof value === "boolean") && wanted.map(String).includes(String(value));
  });
  return option.any ? met.some(Boolean) : met.every(Boolean);
}

/** The levels an option speaks of: of the column in its slot, of samples side by side, or of typed samples. */
function of(option: Option, state: S["QuestionState"], columns: Column[], answer?: Answer | null): string[] {
  if (!option.of) return [];
  const titled = (name: string) => titleOf(name, columns);
  const samples = asList(state.spec.samples);
  if (samples.length && !state.spec[option.of]) return samples.map(titled);
  const typed = state.spec.summaries;
  if (Array.isArray(typed) && typed.length && !state.spec[option.of])
    return typed.map((s) => String((s as { label: string }).label));
  const name = asList(state.spec[option.of])[0];
  const levels = columns.find((c) => c.name === name)?.levels ?? [];
  if (levels.length) return levels.map((l) => l.label ?? l.value);
  // Numbers and texts have no levels of their own: those that the answer found.
  for (const block of answer?.blocks ?? []) {
    if (block.type === "table" && ["groups", "means", "frequencies"].includes(block.id)) {
      const found = block.rows.map((r) => (r.group ?? r.level)?.s ?? "").filter(Boolean);
      if (found.length) return found;
    }
  }
  return [];
}

/** The columns an option speaks of: those in a slot, or those of a model's terms. */
export function namesFor(option: Pick<Option, "of">, spec: Record<string, unknown>): string[] {
  if (!option.of) return [];
  return option.of === "terms" ? termColumns(spec.terms) : asList(spec[option.of]);
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

function Field({
  field,
  option,
  value,
  set,
  columns,
  chosen,
  names,
}: {
  field: string;
  option: Option;
  value: unknown;
  set: (v: unknown) => void;
  columns: Column[];
  chosen: string[];
  names: string[];
}) {
  switch (option.place) {
    case "choice":
      return (
        <label className="field max-w-72">
          <span>{option.title}</span>
          <select
            className="select select-sm w-full max-w-72"
            value={String(value)}
            onChange={(e) => set(e.target.value)}
            data-option={field}
          >
            {Object.entries(option.words ?? {}).map(([v, words]) => (
              <option key={v} value={v}>
                {words}
              </option>
            ))}
          </select>
          {option.help && <small className="muted mt-1 block text-[0.8rem]">{option.help}</small>}
        </label>
      );
    case "yes_no":
      return (
        <label className="field flex max-w-72 flex-col">
          <span>{option.title}</span>
          <input
            type="checkbox"
            className="toggle toggle-sm"
            checked={Boolean(value)}
            onChange={(e) => set(e.target.checked)}
            data-option={field}
          />
          {option.help && <small className="muted mt-1 block text-[0.8rem]">{option.help}</small>}
        </label>
      );
    case "number":
      return <NumberField field={field} option={option} value={value} set={set} />;
    case "columns":
      return <ColumnsField field={field} option={option} value={value} set={set} names={names} columns={columns} />;
    case "column":
      return <ColumnField field={field} option={option} value={value} set={set} columns={columns} />;
    case "level":
      return <LevelField field={field} option={option} value={value} set={set} levels={chosen} />;
    case "shares":
      return <LevelNumbers field={field} option={option} value={value} set={set} keys={chosen} whole />;
    case "values":
      return <LevelNumbers field={field} option={option} value={value} set={set} keys={names} />;
    case "sets":
      return <SetsField field={field} option={option} value={value} set={set} names={names} columns={columns} />;
    case "comparisons":
      return <ComparisonsField field={field} option={option} value={value} set={set} names={names} columns={columns} />;
    case "contrasts":
      return <ContrastsField field={field} option={option} value={value} set={set} levels={chosen} />;
    case "references":
      return <ReferencesField field={field} option={option} value={value} set={set} names={names} columns={columns} />;
    case "numbers_of":
      return (
        <PointsField
          field={field}
          option={option}
          value={value}
          set={set}
          names={names}
          columns={columns}
          numbersOnly
        />
      );
    case "points":
      return <PointsField field={field} option={option} value={value} set={set} names={names} columns={columns} />;
    case "cases":
    case "hidden":
      return null; // offered where it is seen at work
    case "rows":
      return <RowsField field={field} option={option} value={value} set={set} />;
    default:
      return <TextField field={field} option={option} value={value} set={set} />;
  }
}
