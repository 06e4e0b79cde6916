// Words and order for a column's levels.
import { useEffect } from "react";
import type { S } from "../client/api";
import { useColumns, useValues } from "../client/hooks";

export type Level = { value: string; label?: string | null };

export function LevelsEditor({
  study,
  table,
  column,
  levels,
  set,
}: {
  study: string;
  table: S["TableOut"];
  column: string;
  levels: Level[] | null;
  set: (levels: Level[]) => void;
}) {
  const { data } = useColumns(study, table.id, table.version, [column]);
  const found = data?.[0]?.column.name === column ? data[0].column : undefined;
  const needed = found !== undefined && !found.levels?.length && !levels;
  // A column of numbers has no levels yet: its different values are offered.
  const { data: values } = useValues(study, table.id, table.version, needed ? [column] : []);
  useEffect(() => {
    if (levels || !found) return;
    if (found.levels?.length) set(found.levels.map((l) => ({ value: l.value, label: l.label })));
    else if (values?.[column]?.length) set(values[column].map((v) => ({ value: v.replace("−", "-") })));
  }, [levels, found, values, column, set]);
  if (values?.[column]?.length === 0 && !levels)
    return <p className="muted mt-3">{column} holds too many different values to be levels, or none.</p>;
  if (!levels) return <p className="muted mt-3">Looking at the values …</p>;
  const change = (i: number, label: string) =>
    set(levels.map((l, k) => (k === i ? { ...l, label: label || null } : l)));
  const move = (i: number, by: number) => {
    const next = [...levels];
    const [moved] = next.splice(i, 1);
    if (moved) next.splice(i + by, 0, moved);
    set(next);
  };
  return (
    <div className="mt-3 max-h-72 max-w-xl overflow-auto">
      <table className="res">
        <caption className="sr-only">Levels of {column}</caption>
        <thead>
          <tr>
            <th scope="col" className="left">
              Value
            </th>
            <th scope="col" className="left">
              Shown as
            </th>
            <th scope="col">Order</th>
          </tr>
        </thead>
        <tbody>
          {levels.map((l, i) => (
            <tr key={l.value}>
              <td className="left">{l.value}</td>
              <td className="left">
                <input
                  className="input input-xs w-64"
                  aria-label={`Words for ${l.value}`}
                  value={l.label ?? ""}
                  placeholder={l.value}
                  onChange={(e) => change(i, e.target.value)}
                />
              </td>
              <td>
                <button
                  type="button"
                  className="btn btn-ghost btn-xs"
                  aria-label={`Move ${l.value} up`}
                  disabled={i === 0}
                  onClick={() => move(i, -1)}
                >
                  ↑
                </button>
                <button
                  type="button"
                  className="btn btn-ghost btn-xs"
                  aria-label={`Move ${l.value} down`}
                  disabled={i === levels.length - 1}
                  onClick={() => move(i, 1)}
                >
                  ↓
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
