// A sentence with its slots, drawn from a template such as "Does {response} differ between {groups}?".
import type { ReactNode } from "react";
import type { Column } from "../client/api";
import { Slot, type SlotInfo } from "./slot";

export type SlotSchema = { title?: string; slot?: SlotInfo };

export function Sentence({
  template,
  schema,
  needed,
  columns,
  spec,
  set,
  wrong,
  extra,
}: {
  template: string;
  schema: Record<string, SlotSchema>;
  needed: string[];
  columns: Column[];
  spec: Record<string, unknown>;
  set: (field: string, value: unknown) => void;
  wrong?: string | null;
  extra?: Record<string, ReactNode>;
}) {
  const parts = template.split(/(\{\w+\})/);
  const slotOf = (field: string) => {
    if (extra?.[field]) return extra[field];
    const slot = schema[field]?.slot;
    if (!slot) return null;
    const value = asList(spec[field]);
    return (
      <Slot
        label={schema[field]?.title ?? field}
        slot={slot}
        columns={columns}
        value={value}
        needed={needed.includes(field)}
        wrong={
          Boolean(wrong && value.includes(wrong)) ||
          value.some((v) => columns.length > 0 && !columns.some((c) => c.name === v))
        }
        set={(v) => set(field, slot.many ? v : (v[0] ?? null))}
      />
    );
  };
  return (
    <div className="sentence" data-testid="sentence">
      {parts.map((part, i) => {
        const field = /^\{(\w+)\}$/.exec(part)?.[1];
        // A comma or a question mark stays with the slot before it.
        if (!field) return <span key={i}>{i > 0 ? part.replace(/^[?,.]+/, "") : part}</span>;
        const mark = /^[?,.]+/.exec(parts[i + 1] ?? "")?.[0] ?? "";
        return (
          <span key={i} className={schema[field]?.slot?.terms ? "" : "whitespace-nowrap"}>
            {slotOf(field)}
            {mark}
          </span>
        );
      })}
    </div>
  );
}

export function asList(value: unknown): string[] {
  if (Array.isArray(value)) return value as string[];
  return typeof value === "string" && value !== "" ? [value] : [];
}
