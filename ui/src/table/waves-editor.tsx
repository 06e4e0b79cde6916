// Survey waves: which tables, their weights, and one mapping of variables with both codings side by side.
import { cx } from "../common/classes";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, take, type Column, type Step } from "../client/api";
import { useTable } from "../client/hooks";
import { Slot } from "../common/slot";
import { TableField } from "../asking/columns";

type Wave = { table: string; label: string; weight: string; replicates: string[] };
type Variable = { name: string; columns: Record<string, string | null> };
const NUMBERS = ["measure", "count"];

export function WavesEditor({
  study,
  table,
  columns,
  step,
  change,
}: {
  study: string;
  table: string;
  columns: Column[];
  step: Step;
  change: (step: Step) => void;
}) {
  const waves = (step.waves as Wave[] | undefined) ?? [];
  const variables = (step.variables as Variable[] | undefined) ?? [];
  const wave = waves[0] ?? { table: "", label: "", weight: "", replicates: [] };
  const others = useTable(study, wave.table || undefined).data?.table?.columns ?? [];
  const set = (part: Partial<Wave>) => change({ ...step, waves: [{ ...wave, ...part }, ...waves.slice(1)] });
  const own = String(step.label ?? "");
  const suggested = useQuery({
    queryKey: ["suggest-matches", study, table, wave.table],
    enabled: wave.table !== "",
    staleTime: 60_000,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/likeness", {
          params: { path: { study_id: study, table_id: table }, query: { other: wave.table } },
        }),
      ),
  });
  const weights = new Set([
    String(step.weight ?? ""),
    ...((step.replicates as string[] | undefined) ?? []),
    wave.weight,
    ...wave.replicates,
  ]);
  const ready = own !== "" && wave.label !== "" && wave.table !== "";
  // A wave that is called otherwise takes its columns along.
  const stale = ready && own !== wave.label && variables.some((v) => called(v, own, wave.label) !== v);
  useEffect(() => {
    if (stale) change({ ...step, variables: variables.map((v) => called(v, own, wave.label)) });
  });
  const suggest = () => {
    const pairs = (suggested.data ?? []).filter((m) => !weights.has(m.mine) && !weights.has(m.theirs ?? ""));
    change({
      ...step,
      variables: pairs.map((m) => ({ name: m.mine, columns: { [own]: m.mine, [wave.label]: m.theirs ?? null } })),
    });
  };
  const put = (i: number, part: Partial<Variable>) =>
    change({ ...step, variables: variables.map((v, k) => (k === i ? { ...v, ...part } : v)) });
  const why = new Map((suggested.data ?? []).map((m) => [`${m.mine} ${m.theirs}`, m.why]));
  return (
    <div className="mt-3">
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-2 text-[1.05rem]">
        <span>The other wave is</span>
        <TableField
          study={study}
          table={table}
          label="Table of the other wave"
          value={wave.table}
          set={(id) => set({ table: id })}
        />
        <span>called</span>
        <input
          className="input input-sm w-28"
          aria-label="Name of the other wave"
          placeholder="2025"
          value={wave.label}
          onChange={(e) => set({ label: e.target.value })}
        />
        <span>weighed by</span>
        <Slot
          label="Weight of the other wave"
          slot={{ kinds: NUMBERS, many: false, placeholder: "a weight" }}
          columns={others}
          value={wave.weight ? [wave.weight] : []}
          set={(v) => set({ weight: v[0] ?? "" })}
        />
        <span>with</span>
        <Slot
          label="Replicate weights of the other wave"
          slot={{ kinds: NUMBERS, many: true, placeholder: "replicate weights" }}
          columns={others}
          value={wave.replicates}
          set={(v) => set({ replicates: v })}
        />
      </div>
      {ready && (
        <div className="mt-3">
          <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
            <h3 className="font-semibold">Variables of both waves</h3>
            <button type="button" className="link-quiet" disabled={!suggested.data} onClick={suggest}>
              {suggested.data ? "Suggest by name and label" : "Comparing the tables …"}
            </button>
            {variables.length > 0 && (
              <button
                type="button"
                className="link-quiet"
                onClick={() =>
                  change({
                    ...step,
                    variables: [...variables, { name: "", columns: { [own]: null, [wave.label]: null } }],
                  })
                }
              >
                Add a line
              </button>
            )}
            {variables.length === 0 && (
              <span className="muted text-[0.92rem]">With nothing said here, columns of the same name are joined.</span>
            )}
          </div>
          {variables.length > 0 && (
            <div className="max-h-72 overflow-auto">
              <table className="res text-[0.9rem]">
                <caption className="sr-only">Which columns are the same in both waves</caption>
                <thead>
                  <tr>
                    {["Variable", own, "Coded", wave.label, "Coded", "Matched"].map((h, i) => (
                      <th key={i} scope="col" className="left">
                        {h}
                      </th>
                    ))}
                    <th scope="col">
                      <span className="sr-only">Actions</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {variables.map((v, i) => {
                    const a = columns.find((c) => c.name === v.columns[own]);
                    const b = others.find((c) => c.name === v.columns[wave.label]);
                    return (
                      <tr key={i}>
                        <td className="left">
                          <input
                            className="input input-xs w-36"
                            aria-label={`Name of variable ${i + 1}`}
                            value={v.name}
                            onChange={(e) => put(i, { name: e.target.value })}
                          />
                        </td>
                        <td className="left">
                          <Pick
                            label={`Column of ${own}, variable ${i + 1}`}
                            columns={columns}
                            value={v.columns[own] ?? ""}
                            set={(n) => put(i, { columns: { ...v.columns, [own]: n || null }, name: v.name || n })}
                          />
                        </td>
                        <td className="left max-w-44 truncate" title={coding(a)}>
                          {coding(a)}
                        </td>
                        <td className="left">
                          <Pick
                            label={`Column of ${wave.label}, variable ${i + 1}`}
                            columns={others}
                            value={v.columns[wave.label] ?? ""}
                            set={(n) => put(i, { columns: { ...v.columns, [wave.label]: n || null } })}
                          />
                        </td>
                        <td
                          className={cx(
                            "left max-w-44 truncate",
                            a && b && coding(a) !== coding(b) ? "font-semibold" : "",
                          )}
                          title={coding(b)}
                        >
                          {a && b && coding(a) !== coding(b) ? "≠ " : ""}
                          {coding(b)}
                        </td>
                        <td className="left muted">
                          {why.get(`${v.columns[own]} ${v.columns[wave.label]}`) ??
                            (a && b ? "by hand" : "in one wave only")}
                        </td>
                        <td>
                          <button
                            type="button"
                            className="link-quiet"
                            onClick={() => change({ ...step, variables: variables.filter((_, k) => k !== i) })}
                          >
                            Leave out
                          </button>
                        </td>
                      </tr>
                    );
                  })}
                </tbody>
              </table>
            </div>
          )}
        </div>
      )}
    </div>
  );
}

/** A variable with its columns under the names that the waves have now; one of the two is known by its name. */
export function called(variable: Variable, own: string, other: string): Variable {
  const entries = Object.entries(variable.columns);
  const strange = entries.filter(([k]) => k !== own && k !== other);
  const lacking = [own, other].filter((k) => !(k in variable.columns));
  if (strange.length !== 1 || lacking.length !== 1) return variable;
  return {
    ...variable,
    columns: Object.fromEntries(entries.map(([k, v]) => [k === strange[0]![0] ? lacking[0]! : k, v])),
  };
}

function Pick({
  label,
  columns,
  value,
  set,
}: {
  label: string;
  columns: Column[];
  value: string;
  set: (name: string) => void;
}) {
  return (
    <select className="select select-xs w-40" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      <option value="">none</option>
      {columns.map((c) => (
        <option key={c.name} value={c.name}>
          {c.name}
        </option>
      ))}
    </select>
  );
}

function coding(c: Column | undefined): string {
  if (!c) return "";
  return c.levels?.length
    ? c.levels.map((l) => (l.label ? `${l.value} ${l.label}` : l.value)).join(", ")
    : c.kind.replace("_", "/");
}
