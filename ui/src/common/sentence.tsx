// A sentence with its slots, drawn from a template such as "Does {response} differ between {groups}?".
import type { ReactNode } from "react";
import type { Column } from "../client/api";
import { Slot, type SlotInfo } from "./slot";

export type SlotSchema = { title?: string; slot?: SlotInfo };

export function Sentence({ template, schema, needed, columns, spec, set, wrong, extra }: {
  template: string; schema: Record<string, SlotSchema>; needed: string[]; columns: Column[]; spec: Record<string, unknown>;
  set: (field: string, value: unknown) => void; wrong?: string | null; extra?: Record<string, ReactNode>;
}) {
  return (
    <p className="sentence" data-testid="sentence">
      {template.split(/(\{\w+\})/).map((part, i) => {
        const field = /^\{(\w+)\}$/.exec(part)?.[1];
        if (!field) return <span key={i}>{part}</span>;
        if (extra?.[field]) return <span key={i}>{extra[field]}</span>;
        const slot = schema[field]?.slot;
        if (!slot) return null;
        const value = asList(spec[field]);
        return (
          <Slot
            key={i} label={schema[field]?.title ?? field} slot={slot} columns={columns} value={value} needed={needed.includes(field)}
            wrong={Boolean(wrong && value.includes(wrong)) || value.some((v) => columns.length > 0 && !columns.some((c) => c.name === v))}
            set={(v) => set(field, slot.many ? v : (v[0] ?? null))}
          />
        );
      })}
    </p>
  );
}

export function asList(value: unknown): string[] {
  if (Array.isArray(value)) return value as string[];
  return typeof value === "string" && value !== "" ? [value] : [];
}
