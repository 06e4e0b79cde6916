// One field of a step, drawn from its schema alone: adding a step needs nothing here.
import { cx } from "../common/classes";
import { useState } from "react";
import type { Column, Problem } from "../client/api";
import type { Step } from "../client/api";
import { useContents, useTable } from "../client/hooks";
import { asList } from "../common/sentence";
import { Slot } from "../common/slot";
import { ExpressionInput } from "./expression";
import { Pairs, type Side } from "./pairs-editor";
import { KINDS } from "./preview";

export type Field = {
  shown: string;
  title: string;
  kinds?: string[];
  words?: Record<string, string>;
  placeholder?: string;
  of?: string;
  left?: Side;
  right?: Side;
  when?: Record<string, string | string[]>;
  default?: unknown;
  type?: string;
  enum?: string[];
  items?: { enum?: string[] };
  minLength?: number;
  minItems?: number;
};
export type Schema = { properties: Record<string, Field>; required?: string[] };
export type FieldProps = {
  study: string;
  table: string;
  name: string;
  field: Field;
  step: Step;
  set: (name: string, value: unknown) => void;
  columns: Column[];
  problem: Problem | null;
  apply: () => void;
};

/** Fields that are asked for, in the order of the schema. */
export function fieldsOf(schema: Schema): [string, Field][] {
  return Object.entries(schema.properties).filter(([n]) => !["id", "on", "step"].includes(n));
}

export function valueOf(step: Step, name: string, field: Field): unknown {
  return step[name] !== undefined ? step[name] : field.default;
}

/** A choice's values in the order of the schema; the words beside them come sorted by their keys. */
function choices(f: Field): [string, string][] {
  const order = f.enum ?? f.items?.enum ?? (f.type === "boolean" ? ["false", "true"] : Object.keys(f.words ?? {}));
  return order.map((v) => [v, f.words?.[v] ?? v]);
}

/** Whether the field matters under what has been chosen elsewhere. */
export function matters(step: Step, field: Field, schema: Schema): boolean {
  return Object.entries(field.when ?? {}).every(([other, wanted]) => {
    const f = schema.properties[other];
    return f !== undefined && ([] as string[]).concat(wanted).includes(String(valueOf(step, other, f)));
  });
}

export function isComplete(step: Step, schema: Schema): boolean {
  const required = new Set(schema.required ?? []);
  return fieldsOf(schema).every(([name, f]) => {
    const value = valueOf(step, name, f);
    if (Array.isArray(value))
      return value.length > 0
        ? value.every((v) => typeof v !== "object" || v === null || whole(v as Record<string, unknown>, f))
        : !(f.minItems ?? 0) && !required.has(name);
    return !required.has(name) || (value !== undefined && value !== null && String(value).trim() !== "");
  });
}

function whole(pair: Record<string, unknown>, f: Field): boolean {
  return ![f.left, f.right].some((side) => side && !side.blank && !String(pair[side.field] ?? "").trim());
}

export function StepField(props: FieldProps) {
  const { study, table, name, field: f, step, set, columns, problem, apply } = props;
  const value = valueOf(step, name, f);
  const text = (extra: string) => (
    <input
      className={`input input-sm ${extra}`}
      aria-label={f.title}
      placeholder={f.placeholder ?? f.title.toLowerCase()}
      value={value === null || value === undefined ? "" : String(value)}
      onChange={(e) => set(name, e.target.value === "" && f.default === null ? null : e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && apply()}
    />
  );
  switch (f.shown) {
    case "column":
    case "columns":
      return <ColumnField {...props} />;
    case "expression":
      return (
        <ExpressionInput
          label={f.title}
          value={String(value ?? "")}
          set={(v) => set(name, v)}
          columns={columns}
          position={problem?.position}
          enter={apply}
        />
      );
    case "choice":
      return (
        <select
          className="select select-sm w-auto max-w-80"
          aria-label={f.title}
          value={String(value ?? "")}
          onChange={(e) => set(name, f.type === "boolean" ? e.target.value === "true" : e.target.value)}
        >
          {value === undefined && (
            <option value="" disabled>
              {f.title.toLowerCase()}
            </option>
          )}
          {choices(f).map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
        </select>
      );
    case "several":
      return <Several choices={choices(f)} label={f.title} value={asList(value)} set={(v) => set(name, v)} />;
    case "flag":
      return (
        <input
          type="checkbox"
          className="checkbox checkbox-sm checkbox-primary"
          aria-label={f.title}
          checked={Boolean(value)}
          onChange={(e) => set(name, e.target.checked)}
        />
      );
    case "number":
      return (
        <NumberInput
          label={f.title}
          placeholder={f.placeholder}
          value={value as number | null | undefined}
          set={(v) => set(name, v)}
          blank={f.default === null}
          apply={apply}
        />
      );
    case "codes":
      return (
        <CodesInput
          label={f.title}
          placeholder={f.placeholder ?? ""}
          value={asList(value)}
          set={(v) => set(name, v)}
          enter={apply}
        />
      );
    case "table":
      return (
        <TableField study={study} table={table} label={f.title} value={String(value ?? "")} set={(v) => set(name, v)} />
      );
    case "pairs":
      return (
        <Pairs
          study={study}
          field={f}
          value={(value as Record<string, string>[] | undefined) ?? []}
          set={(v) => set(name, v)}
          columns={columns}
          other={f.of ? String(step[f.of] ?? "") : ""}
        />
      );
    case "fixed":
    case "levels":
    case "edits":
    case "waves":
    case "variables":
      return null;
    default:
      return text("w-48");
  }
}

function ColumnField({ study, name, field: f, step, set, columns, problem }: FieldProps) {
  const other = useTable(study, f.of ? String(step[f.of] ?? "") || undefined : undefined);
  const many = f.shown === "columns";
  const value = valueOf(step, name, f);
  const found = f.of ? (other.data?.table?.columns ?? []) : columns;
  const needed = f.default === undefined;
  return (
    <Slot
      label={f.title}
      needed={needed}
      slot={{
        kinds: f.kinds ?? [...KINDS],
        many,
        placeholder: f.placeholder ?? (many ? (needed ? "columns" : "none") : needed ? "a column" : "none"),
      }}
      columns={found}
      value={asList(value)}
      set={(v) => set(name, many ? v : (v[0] ?? (needed ? "" : null)))}
      wrong={typeof problem?.column === "string" && asList(value).includes(problem.column)}
    />
  );
}

export function TableField({
  study,
  table,
  label,
  value,
  set,
}: {
  study: string;
  table: string;
  label: string;
  value: string;
  set: (id: string) => void;
}) {
  const { data } = useContents(study);
  const tables = (data?.entries ?? []).filter((e) => e.type === "table" && e.id !== table);
  if (data && tables.length === 0) return <span className="muted">(the study has no other table yet)</span>;
  return (
    <select
      className="select select-sm w-auto max-w-72"
      aria-label={label}
      value={value}
      onChange={(e) => set(e.target.value)}
    >
      <option value="" disabled>
        another table
      </option>
      {tables.map((t) => (
        <option key={t.id} value={t.id}>
          {t.name} ({t.line})
        </option>
      ))}
    </select>
  );
}

function NumberInput({
  label,
  placeholder,
  value,
  set,
  blank,
  apply,
}: {
  label: string;
  placeholder?: string;
  value: number | null | undefined;
  set: (v: number | null) => void;
  blank: boolean;
  apply: () => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? (value === null || value === undefined ? "" : String(value).replace("-", "−"));
  return (
    <input
      className="input input-sm w-24"
      inputMode="decimal"
      aria-label={label}
      placeholder={placeholder ?? (blank ? "none" : "")}
      value={shown}
      onBlur={() => setText(null)}
      onKeyDown={(e) => e.key === "Enter" && apply()}
      onChange={(e) => {
        setText(e.target.value);
        const number = Number(e.target.value.replace("−", "-").replace(",", "."));
        if (e.target.value.trim() === "" && blank) set(null);
        else if (e.target.value.trim() !== "" && Number.isFinite(number)) set(number);
      }}
    />
  );
}

export function CodesInput({
  label,
  placeholder,
  value,
  set,
  enter,
}: {
  label: string;
  placeholder: string;
  value: string[];
  set: (v: string[]) => void;
  enter: () => void;
}) {
  const [text, setText] = useState(value.join(", "));
  return (
    <input
      className="input input-sm w-56"
      aria-label={label}
      placeholder={placeholder}
      value={text}
      onKeyDown={(e) => e.key === "Enter" && enter()}
      onChange={(e) => (
        setText(e.target.value),
        set(
          e.target.value
            .split(",")
            .map((c) => c.trim().replace(/−/g, "-"))
            .filter(Boolean),
        )
      )}
    />
  );
}

function Several({
  label,
  choices: offered,
  value,
  set,
}: {
  label: string;
  choices: [string, string][];
  value: string[];
  set: (v: string[]) => void;
}) {
  return (
    <span role="group" aria-label={label} className="inline-flex flex-wrap gap-1.5 text-[0.9rem]">
      {offered.map(([v, w]) => (
        <button
          key={v}
          type="button"
          aria-pressed={value.includes(v)}
          className={cx(
            "rounded-full border px-2.5 py-0.5",
            value.includes(v) ? "border-primary text-primary font-semibold" : "rule muted",
          )}
          onClick={() => set(value.includes(v) ? value.filter((x) => x !== v) : [...value, v])}
        >
          {w}
        </button>
      ))}
    </span>
  );
}
