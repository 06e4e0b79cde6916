// Settings that speak of the terms of a model: reference levels, values to hold or predict at.
import { TakeAway, titleOf } from "../common/chips";
import { Plus } from "lucide-react";
import { useState } from "react";
import type { Column } from "../client/api";
import { inSentence } from "../common/slot";
import { askOf, namesFor, numberOf, numberShown, titleOf as titled, type AskProps } from "./ask";
import { Help, useDraft } from "./simple";
import { isCategory } from "./terms";

type Values = Record<string, string | number>;
type Columns = { names: string[]; columns: Column[] };

const NUMBERS = ["measure", "count"];
export const categories = ({ names, columns }: Columns) =>
  names.filter((n) =>
    isCategory(
      columns.find((c) => c.name === n),
      NUMBERS,
    ),
  );
export const measures = ({ names, columns }: Columns) =>
  names.filter((n) => columns.some((c) => c.name === n && NUMBERS.includes(c.kind)));

export function ReferencesField({ name, property, value, set, around }: AskProps) {
  const columns = around.columns;
  const names = namesFor(askOf(property), around.spec);
  const kept = (value ?? {}) as Record<string, string>;
  const own = categories({ names, columns });
  if (!own.length) return null;
  return (
    <fieldset className="field max-w-[34rem]" data-option={name}>
      <legend className="muted text-[0.86rem]">{titled(name, property)}</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {own.map((n) => (
          <label key={n} className="flex items-center gap-1.5 text-[0.9rem]">
            <span className="max-w-40 truncate">{titleOf(n, columns)}</span>
            <LevelSelect
              column={columns.find((c) => c.name === n)}
              first
              value={kept[n] ?? ""}
              label={`Reference of ${titleOf(n, columns)}`}
              set={(v) =>
                set(v ? { ...kept, [n]: v } : Object.fromEntries(Object.entries(kept).filter(([k]) => k !== n)))
              }
            />
          </label>
        ))}
      </div>
    </fieldset>
  );
}

function LevelSelect({
  column,
  value,
  set,
  empty,
  first,
  label,
}: {
  column?: Column;
  value: string;
  set: (v: string) => void;
  empty?: string;
  first?: boolean;
  label: string;
}) {
  const levels = (column?.levels ?? []).map((l) => l.label ?? l.value);
  return (
    <select
      className="select select-xs w-36"
      aria-label={label}
      value={first && value === levels[0] ? "" : value}
      onChange={(e) => set(e.target.value)}
    >
      <option value="">{first ? (levels[0] ?? "the first") : empty}</option>
      {levels.slice(first ? 1 : 0).map((l) => (
        <option key={l} value={l}>
          {l}
        </option>
      ))}
    </select>
  );
}

function NumberInput({
  value,
  set,
  label,
  placeholder,
}: {
  value: string | number | undefined;
  set: (v: number | null) => void;
  label: string;
  placeholder?: string;
}) {
  const draft = useDraft(numberShown(value), (text) => {
    const next = numberOf(text);
    if (next !== null || !text.trim()) set(next);
  });
  return (
    <input
      className="input input-xs w-20"
      inputMode="decimal"
      aria-label={label}
      placeholder={placeholder}
      {...draft.props}
    />
  );
}

/** A value for some of the columns; those left open keep their default. */
export function PointsField({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const columns = around.columns;
  const names = namesFor(ask, around.spec);
  const numbersOnly = ask.shown === "numbers_of";
  const title = titled(name, property);
  const kept = (value ?? {}) as Values;
  const own = numbersOnly ? measures({ names, columns }) : names;
  const put = (column: string, v: string | number | null) =>
    set(
      v === null || v === ""
        ? Object.fromEntries(Object.entries(kept).filter(([k]) => k !== column))
        : { ...kept, [column]: v },
    );
  if (!own.length) return null;
  return (
    <fieldset className="field max-w-[40rem]" data-option={name}>
      <legend className="muted text-[0.86rem]">{titled(name, property)}</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {own.map((n) => (
          <Point
            key={n}
            name={n}
            columns={columns}
            value={kept[n]}
            put={(v) => put(n, v)}
            of={title}
            placeholder={numbersOnly ? "1" : undefined}
          />
        ))}
      </div>
      <Help>{ask.help}</Help>
    </fieldset>
  );
}

function Point({
  name,
  columns,
  value,
  put,
  of,
  placeholder,
}: {
  name: string;
  columns: Column[];
  value: string | number | undefined;
  put: (v: string | number | null) => void;
  of: string;
  placeholder?: string;
}) {
  const column = columns.find((c) => c.name === name);
  const title = titleOf(name, columns);
  return (
    <label className="flex items-center gap-1.5 text-[0.9rem]">
      <span className="max-w-44 truncate" title={title}>
        {title}
      </span>
      {isCategory(column, NUMBERS) ? (
        <LevelSelect
          column={column}
          empty="most common"
          value={String(value ?? "")}
          label={`${of}: ${title}`}
          set={(v) => put(v || null)}
        />
      ) : (
        <NumberInput value={value} label={`${of}: ${title}`} set={put} placeholder={placeholder ?? "mean"} />
      )}
      {column?.unit && <span className="muted">{column.unit}</span>}
    </label>
  );
}

/** A form with the terms; each line asks for one prediction. */
export function CasesForm({ property, value, set, around }: AskProps) {
  const columns = around.columns;
  const names = namesFor(askOf(property), around.spec);
  const kept = Array.isArray(value) ? (value as Values[]) : [];
  const [draft, setDraft] = useState<Values>({});
  const put = (name: string, v: string | number | null) =>
    setDraft(
      v === null ? Object.fromEntries(Object.entries(draft).filter(([k]) => k !== name)) : { ...draft, [name]: v },
    );
  return (
    <div className="no-print mb-2 text-[0.92rem]" role="group" aria-label="Predict for">
      <span className="flex flex-wrap items-center gap-x-4 gap-y-1.5">
        {names.map((n) => (
          <Point key={n} name={n} columns={columns} value={draft[n]} put={(v) => put(n, v)} of="Predict at" />
        ))}
        <button
          type="button"
          className="btn btn-xs"
          disabled={!Object.keys(draft).length}
          onClick={() => (set([...kept, draft]), setDraft({}))}
        >
          <Plus size={13} /> Predict
        </button>
      </span>
      {kept.length > 0 && (
        <span className="mt-1.5 flex flex-wrap gap-1.5">
          {kept.map((c, i) => (
            <span key={i} className="chip flex items-center gap-1 !py-0">
              {i + 1}:{" "}
              {Object.entries(c)
                .map(([k, v]) => `${inSentence(titleOf(k, columns))} ${v}`)
                .join(", ")}
              <TakeAway label={`Take prediction ${i + 1} away`} onClick={() => set(kept.filter((_, k) => k !== i))} />
            </span>
          ))}
        </span>
      )}
    </div>
  );
}

/** A number for each level or column. Nothing typed anywhere means the default; of shares, levels left open count as
 *  zero. */
export function LevelNumbers({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const title = titled(name, property);
  const whole = ask.shown === "shares";
  const keys = whole ? (around.levels?.(ask) ?? []) : namesFor(ask, around.spec);
  const [draft, setDraft] = useState<Record<string, string> | null>(null);
  const kept = (value ?? {}) as Record<string, number>;
  const shown = draft ?? Object.fromEntries(keys.map((k) => [k, numberShown(kept[k])]));
  const wrong = (text: string | undefined) => Boolean(text?.trim()) && numberOf(text ?? "") === null;
  const hand = () => {
    // What is no number stays as it was typed, marked: it is not to count as nothing.
    if (!draft || Object.values(draft).some(wrong)) return;
    const filled = Object.entries(draft).flatMap(([k, v]) =>
      numberOf(v) === null ? [] : [[k, numberOf(v)!] as const],
    );
    const next: Record<string, number> = Object.fromEntries(filled);
    if (whole && filled.length) for (const k of keys) next[k] ??= 0;
    set(filled.length ? next : null);
    setDraft(null);
  };
  if (!keys.length) return null;
  return (
    <fieldset
      className="field max-w-96"
      data-option={name}
      onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && hand()}
    >
      <legend>{title}</legend>
      <span className="flex flex-wrap gap-x-4 gap-y-1">
        {keys.map((k) => (
          <label key={k} className="flex items-center gap-1.5 text-[0.9rem]">
            <span className="max-w-40 truncate" title={k}>
              {k}
            </span>
            <input
              className={`input input-xs w-20 ${wrong(shown[k]) ? "input-error" : ""}`}
              inputMode="decimal"
              aria-invalid={wrong(shown[k])}
              aria-label={`${title}: ${k}`}
              value={shown[k] ?? ""}
              onChange={(e) => setDraft({ ...shown, [k]: e.target.value })}
              onKeyDown={(e) => e.key === "Enter" && hand()}
            />
          </label>
        ))}
      </span>
      <Help>{ask.help}</Help>
    </fieldset>
  );
}
