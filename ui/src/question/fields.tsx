// The single settings: a number, a text, a column, a level, numbers for levels, sets of factors, rows.
import { TakeAway, ToggleChip, titleOf } from "../common/chips";
import { useState } from "react";
import type { Column } from "../client/api";

export type Option = {
  title: string;
  place: string;
  words?: Record<string, string>;
  help?: string;
  step?: number | "any";
  min?: number;
  max?: number;
  empty?: boolean;
  kinds?: string[];
  of?: string;
  single?: boolean;
  when?: Record<string, string[] | "set">;
  any?: boolean;
  look?: boolean;
  auto?: string;
};
export type FieldProps = { field: string; option: Option; value: unknown; set: (v: unknown) => void };

export function Help({ option }: { option: Option }) {
  return option.help ? <small className="muted mt-1 block text-[0.8rem]">{option.help}</small> : null;
}

/** A draft that is handed over on Enter or on leaving, so that half-typed numbers are not asked about. */
export function useDraft(shown: string, hand: (text: string) => void) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null) hand(text);
    setText(null);
  };
  return {
    value: text ?? shown,
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => setText(e.target.value),
    onBlur: done,
    onKeyDown: (e: React.KeyboardEvent) =>
      void (e.key === "Enter" ? done() : e.key === "Escape" ? setText(null) : undefined),
  };
}

export function NumberField({ field, option, value, set }: FieldProps) {
  const draft = useDraft(String(value ?? ""), (text) => {
    if (!text.trim()) return void (option.empty && set(null));
    const next = Number(text.replace(",", "."));
    if (Number.isFinite(next)) set(next);
  });
  return (
    <label className="field max-w-72">
      <span>{option.title}</span>
      <input
        className="input input-sm w-28"
        data-option={field}
        type="number"
        step={option.step ?? "any"}
        min={option.min}
        max={option.max}
        placeholder={option.empty ? "none" : undefined}
        {...draft}
      />
      <Help option={option} />
    </label>
  );
}

export function TextField({ field, option, value, set }: FieldProps) {
  const draft = useDraft(String(value ?? ""), (text) => set(text.trim() || null));
  return (
    <label className="field max-w-72">
      <span>{option.title}</span>
      <input className="input input-sm w-full max-w-72 font-mono" data-option={field} type="text" {...draft} />
      <Help option={option} />
    </label>
  );
}

export function ColumnField({ field, option, value, set, columns }: FieldProps & { columns: Column[] }) {
  const able = columns.filter((c) => !option.kinds || option.kinds.includes(c.kind));
  const lost = typeof value === "string" && !able.some((c) => c.name === value);
  return (
    <label className="field max-w-72">
      <span>{option.title}</span>
      <select
        className="select select-sm w-full max-w-72"
        data-option={field}
        value={typeof value === "string" ? value : ""}
        onChange={(e) => set(e.target.value || null)}
      >
        <option value="">none</option>
        {able.map((c) => (
          <option key={c.name} value={c.name}>
            {c.label ?? c.name}
          </option>
        ))}
        {lost && <option value={value}>{value} (not there)</option>}
      </select>
      <Help option={option} />
    </label>
  );
}

export function LevelField({ field, option, value, set, levels }: FieldProps & { levels: string[] }) {
  const lost = typeof value === "string" && !levels.includes(value);
  return (
    <label className="field max-w-72">
      <span>{option.title}</span>
      <select
        className="select select-sm w-full max-w-72"
        data-option={field}
        value={typeof value === "string" ? value : ""}
        onChange={(e) => set(e.target.value || null)}
      >
        <option value="">as it comes</option>
        {levels.map((l) => (
          <option key={l} value={l}>
            {l}
          </option>
        ))}
        {lost && <option value={value}>{value} (not there)</option>}
      </select>
      <Help option={option} />
    </label>
  );
}

/** A number for each level or column. Nothing typed anywhere means the default; with `whole`, levels left open
 *  count as zero. */
export function LevelNumbers({
  field,
  option,
  value,
  set,
  keys,
  whole,
}: FieldProps & { keys: string[]; whole?: boolean }) {
  const [draft, setDraft] = useState<Record<string, string> | null>(null);
  const kept = (value ?? {}) as Record<string, number>;
  const shown = draft ?? Object.fromEntries(keys.map((k) => [k, kept[k] === undefined ? "" : String(kept[k])]));
  const hand = () => {
    if (!draft) return;
    const filled = Object.entries(draft).filter(([, v]) => v.trim() && Number.isFinite(Number(v.replace(",", "."))));
    const next = Object.fromEntries(filled.map(([k, v]) => [k, Number(v.replace(",", "."))]));
    if (whole && filled.length) for (const k of keys) next[k] ??= 0;
    set(filled.length ? next : null);
    setDraft(null);
  };
  if (!keys.length) return null;
  return (
    <fieldset
      className="field max-w-96"
      data-option={field}
      onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && hand()}
    >
      <legend>{option.title}</legend>
      <span className="flex flex-wrap gap-x-4 gap-y-1">
        {keys.map((k) => (
          <label key={k} className="flex items-center gap-1.5 text-[0.9rem]">
            <span className="max-w-40 truncate" title={k}>
              {k}
            </span>
            <input
              className="input input-xs w-20"
              inputMode="decimal"
              aria-label={`${option.title}: ${k}`}
              value={shown[k] ?? ""}
              onChange={(e) => setDraft({ ...shown, [k]: e.target.value })}
              onKeyDown={(e) => e.key === "Enter" && hand()}
            />
          </label>
        ))}
      </span>
      <Help option={option} />
    </fieldset>
  );
}

/** Sets of factors as chips: interactions, or the terms whose pairs are compared. */
export function SetsField({
  field,
  option,
  value,
  set,
  names,
  columns,
}: FieldProps & { names: string[]; columns: Column[] }) {
  const titled = (n: string) => titleOf(n, columns);
  const all = subsets(names).filter((s) => s.length > (option.single ? 0 : 1));
  const key = (s: string[]) => [...s].sort().join("\u0001");
  const given =
    value === "all"
      ? all
      : Array.isArray(value)
        ? (value as string[][])
        : option.single && value === null
          ? names.map((n) => [n])
          : [];
  const on = new Set(given.map(key));
  const toggle = (s: string[]) => {
    const next = all.filter((x) => (key(x) === key(s) ? !on.has(key(x)) : on.has(key(x))));
    set(!option.single && next.length === all.length ? "all" : !option.single && next.length === 0 ? "none" : next);
  };
  if (!all.length) return null;
  return (
    <fieldset className="field max-w-[34rem]" data-option={field}>
      <legend>{option.title}</legend>
      <span className="flex flex-wrap gap-1.5">
        {!option.single &&
          names.map((n) => (
            <span key={n} className="chip muted !py-0.5" title="Main effects are always there">
              {titled(n)}
            </span>
          ))}
        {all.map((s) => (
          <ToggleChip key={key(s)} on={on.has(key(s))} onClick={() => toggle(s)}>
            {s.map(titled).join(" × ")}
          </ToggleChip>
        ))}
      </span>
      <Help option={option} />
    </fieldset>
  );
}

function subsets(names: string[]): string[][] {
  const found = names.reduce<string[][]>((sets, n) => [...sets, ...sets.map((s) => [...s, n])], [[]]);
  return found.filter((s) => s.length).sort((a, b) => a.length - b.length);
}

/** Some of the columns, as chips; with `auto` they can also be found by the method itself. */
export function ColumnsField({
  field,
  option,
  value,
  set,
  names,
  columns,
}: FieldProps & { names: string[]; columns: Column[] }) {
  const titled = (n: string) => titleOf(n, columns);
  const able = option.of
    ? names
    : columns.filter((c) => !option.kinds || option.kinds.includes(c.kind)).map((c) => c.name);
  const chosen = Array.isArray(value) ? (value as string[]) : [];
  if (!able.length) return null;
  return (
    <fieldset className="field w-full" data-option={field}>
      <legend>{option.title}</legend>
      <span className="flex flex-wrap gap-1.5">
        {option.auto && (
          <ToggleChip on={value === "auto"} onClick={() => set(value === "auto" ? [] : "auto")}>
            {option.auto}
          </ToggleChip>
        )}
        {able.map((n) => (
          <ToggleChip
            key={n}
            on={chosen.includes(n)}
            title={titled(n)}
            onClick={() => set(chosen.includes(n) ? chosen.filter((c) => c !== n) : [...chosen, n])}
          >
            {titled(n)}
          </ToggleChip>
        ))}
      </span>
      <Help option={option} />
    </fieldset>
  );
}

export function RowsField({ field, option, value, set }: FieldProps) {
  const rows = Array.isArray(value) ? (value as number[]) : [];
  const draft = useDraft(rows.join(", "), (text) => {
    const next = text
      .split(/[^0-9]+/)
      .filter(Boolean)
      .map(Number);
    set([...new Set(next)]);
  });
  return (
    <label className="field max-w-72">
      <span>{option.title}</span>
      <span className="flex items-center gap-1">
        <input
          className="input input-sm w-56"
          data-option={field}
          placeholder="row numbers, such as 3, 17"
          {...draft}
        />
        {rows.length > 0 && <TakeAway label="Compare with no rows left out" onClick={() => set([])} />}
      </span>
      <Help option={option} />
    </label>
  );
}
