// Every column drawn and described, also for each level of another; and what is empty together.
import { useQuery, keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S } from "../client/api";
import { count, grouped, kindWords, Loading, Trouble } from "../common/bits";
import { Bars } from "./bars";
import { describe } from "./column-margin";

const PAGE = 60;

export function Summary({
  study,
  table,
  choose,
}: {
  study: string;
  table: S["TableOut"];
  choose: (name: string) => void;
}) {
  const [by, setBy] = useState("");
  const [pages, setPages] = useState(1);
  const first = (pages - 1) * PAGE;
  const { data, error } = useQuery({
    queryKey: ["summary", study, table.id, table.version, by, first],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/summary", {
          params: { path: { study_id: study, table_id: table.id }, query: { first, ...(by ? { by } : {}) } },
        }),
      ),
  });
  if (error)
    return (
      <div className="p-6">
        <Trouble error={error} />
      </div>
    );
  if (!data) return <Loading />;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-6 py-4">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-2">
        <span className="text-[1.15rem]">Every column, for each</span>
        <select
          className="plain-select text-[1.15rem]"
          aria-label="For each level of"
          value={by}
          onChange={(e) => setBy(e.target.value)}
        >
          <option value="">row of the table</option>
          {data.groupable.map((n) => (
            <option key={n} value={n}>
              {n}
            </option>
          ))}
        </select>
        <span className="flex-1" />
        {data.total > PAGE && (
          <span className="flex items-baseline gap-3 text-[0.93rem]">
            <button type="button" className="link-quiet" disabled={pages === 1} onClick={() => setPages(pages - 1)}>
              Earlier columns
            </button>
            <span className="muted">
              {first + 1} to {Math.min(first + PAGE, data.total)} of {data.total}
            </span>
            <button
              type="button"
              className="link-quiet"
              disabled={first + PAGE >= data.total}
              onClick={() => setPages(pages + 1)}
            >
              Later columns
            </button>
          </span>
        )}
      </div>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(19rem,1fr))] gap-x-8">
        {data.columns.map(({ column, profile }) => {
          const groups = data.groups[column.name];
          return (
            <section key={column.name} className="rule border-t py-4" aria-label={column.name}>
              <button
                type="button"
                className="block w-full text-left"
                onClick={() => choose(column.name)}
                title="Show it in the rows"
              >
                <span className="block truncate font-semibold">{column.label ?? column.name}</span>
                <span className="muted block truncate text-[0.82rem]">
                  {column.label ? `${column.name}, ` : ""}
                  {kindWords(column.kind)}
                  {column.unit ? `, ${column.unit}` : ""}
                </span>
              </button>
              {(profile.bars?.length ?? 0) > 0 && (
                <div className="my-2">
                  <Bars profile={profile} width={268} height={54} />
                </div>
              )}
              {groups ? (
                <Groups lines={groups} column={column.name} />
              ) : (
                <dl className="text-[0.88rem]">
                  {describe(column, profile)
                    .slice(1, 7)
                    .filter(([k]) => k !== "Unit")
                    .map(([k, v]) => (
                      <div key={k} className="flex justify-between gap-3 py-[1px]">
                        <dt className="muted">{k}</dt>
                        <dd className="truncate">{v}</dd>
                      </div>
                    ))}
                </dl>
              )}
              {!groups && (column.levels?.length ?? 0) > 0 && (
                <p className="mt-1 text-[0.88rem]">{levelsLine(profile)}</p>
              )}
            </section>
          );
        })}
      </div>
      <Patterns study={study} table={table} />
    </div>
  );
}

function levelsLine(profile: S["Profile"]): string {
  const names = profile.bar_names ?? [];
  const parts = names.map((n, i) => `${n} ${grouped(profile.bars?.[i] ?? 0)}`);
  return parts.slice(0, 5).join(", ") + (parts.length > 5 ? ` and ${parts.length - 5} more` : "");
}

function Groups({ lines, column }: { lines: S["GroupLine"][]; column: string }) {
  const highest = Math.max(...lines.map((l) => Math.abs(l.mean ?? 0)), 1e-300);
  return (
    <table className="res text-[0.85rem]">
      <caption className="sr-only">{column} in each group</caption>
      <thead>
        <tr>
          <th scope="col" className="left">
            Group
          </th>
          <th scope="col">n</th>
          <th scope="col" className="left">
            {lines.some((l) => typeof l.mean === "number") ? "Mean ± SD" : "Commonest"}
          </th>
        </tr>
      </thead>
      <tbody>
        {lines.map((l) => (
          <tr key={l.group}>
            <td className="left max-w-28 truncate" title={l.group}>
              {l.group}
            </td>
            <td>{grouped(l.n)}</td>
            <td className="left max-w-40">
              <span className="block truncate" title={l.said}>
                {l.said}
              </span>
              {typeof l.mean === "number" && (
                <span
                  className="bg-primary/35 block h-[3px]"
                  style={{ width: `${(100 * Math.abs(l.mean)) / highest}%` }}
                  aria-hidden="true"
                />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A line for each pattern: which columns are empty together, and in how many rows. */
function Patterns({ study, table }: { study: string; table: S["TableOut"] }) {
  const { data } = useQuery({
    queryKey: ["patterns", study, table.id, table.version],
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/patterns", {
          params: { path: { study_id: study, table_id: table.id } },
        }),
      ),
  });
  if (!data) return null;
  return (
    <section aria-labelledby="patterns" className="rule mt-2 border-t py-4">
      <h2 id="patterns" className="font-semibold">
        What is empty together
      </h2>
      {data.columns.length === 0 ? (
        <p className="muted mt-1">No cell is empty in {count(data.rows, "row")}.</p>
      ) : (
        <>
          <p className="muted mb-2 mt-1">
            {count(data.complete, "row")} of {grouped(data.rows)} {data.complete === 1 ? "is" : "are"} complete. Filled
            cells are dots, empty ones rings.
          </p>
          {/* A scrolling region must be reachable by keyboard. */}
          {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
          <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Patterns of empty cells">
            <table className="res !w-auto text-[0.88rem]">
              <thead>
                <tr>
                  <th scope="col">Rows</th>
                  <th scope="col">Share</th>
                  {data.columns.map((c) => (
                    <th key={c} scope="col" className="max-w-28 truncate !text-center" title={c}>
                      {c}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {data.patterns.map((p, i) => (
                  <tr key={i}>
                    <td>{grouped(p.rows)}</td>
                    <td>{p.share}</td>
                    {data.columns.map((c) => {
                      const hollow = p.columns.includes(c);
                      return (
                        <td key={c} className="!text-center">
                          <span className={hollow ? "text-primary font-bold" : "muted opacity-60"}>
                            {hollow ? "○" : "·"}
                          </span>
                          <span className="sr-only">{hollow ? "empty" : "filled"}</span>
                        </td>
                      );
                    })}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {data.more > 0 && <p className="muted mt-1">and {count(data.more, "rarer pattern")}.</p>}
        </>
      )}
    </section>
  );
}
