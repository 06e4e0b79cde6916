// Comparisons of a model's estimated means, in sets: of what, within what, which with which.
import { LevelOptions, TakeAway, ToggleChip, titleOf } from "../common/chips";
import { Plus } from "lucide-react";
import type { Column } from "../client/api";
import { askOf, namesFor, titleOf as titled, type AskProps } from "./ask";
import { categories } from "./points";
import { Help } from "./simple";

export type Comparison = {
  of: string[];
  within?: string[];
  kind?: string;
  level?: string | null;
  weights?: Record<string, number> | null;
  label?: string | null;
};

const KINDS: Record<string, string> = {
  all: "all pairs",
  to_level: "each against one level",
  consecutive: "each against the one before",
  polynomial: "trend over the levels",
};

/** A category put into one side of a comparison leaves the other; what is compared is never left empty. */
export function placed(set: Comparison, name: string, side: "of" | "within"): Comparison {
  const has = (set[side] ?? []).includes(name);
  if (has && side === "of" && set.of.length === 1) return set;
  const own = has ? (set[side] ?? []).filter((n) => n !== name) : [...(set[side] ?? []), name];
  const other = side === "of" ? "within" : "of";
  const rest = (set[other] ?? []).filter((n) => n !== name);
  if (other === "of" && rest.length === 0) return set;
  return { ...set, [side]: own, [other]: rest, level: null };
}

export function ComparisonsField({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const columns = around.columns;
  const names = namesFor(ask, around.spec);
  const able = categories({ names, columns });
  const sets = Array.isArray(value) ? (value as Comparison[]) : [];
  const first = able.find((n) => !sets.some((s) => s.of.includes(n))) ?? able[0];
  if (!first) return null;
  const change = (i: number, next: Comparison) => set(sets.map((s, j) => (j === i ? next : s)));
  return (
    <fieldset className="field w-full" data-option={name}>
      <legend>{titled(name, property)}</legend>
      {sets.map((one, i) => (
        <div key={i} className="mb-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
          <Side
            label="of"
            names={able}
            chosen={one.of}
            columns={columns}
            toggle={(n) => change(i, placed(one, n, "of"))}
          />
          {able.length > 1 && (
            <Side
              label="within each"
              names={able}
              chosen={one.within ?? []}
              columns={columns}
              toggle={(n) => change(i, placed(one, n, "within"))}
            />
          )}
          <span className="flex items-center gap-1.5">
            <select
              className="select select-xs w-44"
              aria-label={`Comparison ${i + 1}: which with which`}
              value={one.kind ?? "all"}
              onChange={(e) => change(i, { ...one, kind: e.target.value, level: null })}
            >
              {Object.entries(KINDS).map(([k, words]) => (
                <option key={k} value={k}>
                  {words}
                </option>
              ))}
              {one.kind === "weights" && <option value="weights">by weights</option>}
            </select>
            {one.kind === "to_level" && one.of.length === 1 && (
              <select
                className="select select-xs w-40"
                aria-label={`Comparison ${i + 1}: the level that others are compared with`}
                value={one.level ?? ""}
                onChange={(e) => change(i, { ...one, level: e.target.value || null })}
              >
                <option value="">the first level</option>
                <LevelOptions column={columns.find((c) => c.name === one.of[0])} />
              </select>
            )}
            <TakeAway label={`Take comparison ${i + 1} out`} onClick={() => set(sets.filter((_, j) => j !== i))} />
          </span>
        </div>
      ))}
      <button
        type="button"
        className="btn btn-ghost btn-xs gap-1"
        onClick={() => set([...sets, { of: [first], within: [], kind: "all" }])}
      >
        <Plus size={13} /> Add a comparison
      </button>
      <Help>{ask.help}</Help>
    </fieldset>
  );
}

function Side({
  label,
  names,
  chosen,
  columns,
  toggle,
}: {
  label: string;
  names: string[];
  chosen: string[];
  columns: Column[];
  toggle: (name: string) => void;
}) {
  return (
    <span className="flex flex-wrap items-center gap-1.5">
      <span className="muted text-[0.86rem]">{label}</span>
      {names.map((n) => (
        <ToggleChip key={n} on={chosen.includes(n)} onClick={() => toggle(n)}>
          {titleOf(n, columns)}
        </ToggleChip>
      ))}
    </span>
  );
}
