// Words and order for a column's levels.
import { useEffect } from "react";
import type { S } from "../client/api";
import { useColumns } from "../client/hooks";
import { useQuery } from "@tanstack/react-query";
import { api, take } from "../client/api";

export type Level = { value: string; label?: string | null };
const MOST = 200;

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
  const place = table.columns.findIndex((c) => c.name === column);
  const needRows = found !== undefined && !found.levels?.length;
  // A column of numbers has no levels yet: its different values in the first rows are offered.
  const { data: window } = useQuery({
    queryKey: ["rows", study, table.id, table.version, "levels", column],
    enabled: needRows && !levels,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/rows", {
          params: {
            path: { study_id: study, table_id: table.id },
            query: { start: 0, count: 2000, first: Math.max(0, place), columns: 1 },
          },
        }),
      ),
  });
  useEffect(() => {
    if (levels || !found) return;
    if (found.levels?.length) set(found.levels.map((l) => ({ value: l.value, label: l.label })));
    else if (window) {
      const values = [
        ...new Set(window.rows.map((r) => r[0]).filter((v): v is string => v !== null && v !== undefined)),
      ].map((v) => v.replace("−", "-"));
      set(
        values
          .sort((a, b) => Number(a) - Number(b) || a.localeCompare(b))
          .slice(0, MOST)
          .map((value) => ({ value })),
      );
    }
  }, [levels, found, window, set]);
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
