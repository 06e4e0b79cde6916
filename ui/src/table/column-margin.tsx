// The chosen column, described.
import { useNavigate } from "react-router";
import type { S } from "../client/api";
import { useColumns, useNewQuestion } from "../client/hooks";
import { kindWords } from "../common/bits";
import { Bars, show } from "./bars";
import { isNumber } from "./preview";

export function ColumnMargin({ study, table, name }: { study: string; table: S["TableOut"]; name: string }) {
  const go = useNavigate();
  const { data } = useColumns(study, table.id, table.version, table.columns.some((c) => c.name === name) ? [name] : []);
  const ask = useNewQuestion(study, (made) => go(`/s/${study}/q/${made.id}`));
  const found = data?.[0];
  if (!found || found.column.name !== name) return <p className="muted">Choose a column to see it described.</p>;
  const { column, profile } = found;
  const lines = describe(column, profile);
  const quoted = /^[A-Za-z_]\w*$/.test(column.name) ? column.name : `\`${column.name}\``;
  return (
    <>
      <h2 className="truncate font-bold" title={column.name}>{column.name}</h2>
      {column.label && <p className="muted">{column.label}</p>}
      <div className="mt-3"><Bars profile={profile} width={236} height={58} /></div>
      {profile.low !== null && profile.low !== undefined && (
        <div className="muted flex justify-between text-sm"><span>{show(profile.low, column)}</span><span>{show(profile.high ?? 0, column)}</span></div>
      )}
      <dl className="mt-2 text-[0.95rem]">
        {lines.map(([k, v]) => (
          <div key={k} className="rule flex justify-between gap-4 border-b py-1.5"><dt className="muted shrink-0">{k}</dt><dd className="truncate" title={v}>{v}</dd></div>
        ))}
      </dl>
      {column.note && <p className="muted mt-2 text-sm">{column.note}</p>}
      {column.levels && column.levels.length > 0 && <Levels column={column} profile={profile} />}
      <div className="mt-4 flex flex-col gap-2">
        <button className="btn btn-sm" onClick={() => go(`/s/${study}/t/${table.id}?column=${encodeURIComponent(name)}&step=compute:${encodeURIComponent(quoted)}`)}>Compute from this column</button>
        <button className="btn btn-sm" onClick={() => ask.mutate({ table: table.id, method: "describe", spec: { columns: [name] } })}>Describe this column</button>
      </div>
    </>
  );
}

function describe(column: S["Column"], p: S["Profile"]): [string, string][] {
  const lines: [string, string][] = [["Kind", kindWords(column.kind)]];
  if (column.unit) lines.push(["Unit", column.unit]);
  lines.push(["Filled", `${p.filled} of ${p.filled + p.empty}`]);
  if (isNumber(column.kind) && p.mean !== null && p.mean !== undefined) {
    lines.push(["Mean", show(p.mean, column, 1)]);
    if (p.sd !== null && p.sd !== undefined) lines.push(["SD", show(p.sd, column, 1)]);
    lines.push(["Median", show(p.median ?? 0, column, 1)], ["Quartiles", `${show(p.q1 ?? 0, column, 1)} to ${show(p.q3 ?? 0, column, 1)}`]);
  }
  if (p.distinct !== null && p.distinct !== undefined && !column.levels?.length) lines.push(["Different values", String(p.distinct)]);
  if (p.infinite) lines.push(["Infinite", String(p.infinite)]);
  const codes = (column.empty_codes ?? []).filter(Boolean);
  if (codes.length) lines.push(["Means empty", codes.join(", ").replace(/-/g, "−")]);
  return lines;
}

function Levels({ column, profile }: { column: S["Column"]; profile: S["Profile"] }) {
  return (
    <table className="res mt-3">
      <caption className="sr-only">Levels of {column.name}</caption>
      <thead><tr><th scope="col">Level</th><th scope="col">n</th></tr></thead>
      <tbody>
        {(profile.bar_names ?? []).map((n, i) => <tr key={n}><td className="max-w-40 truncate">{n}</td><td>{profile.bars?.[i]}</td></tr>)}
      </tbody>
    </table>
  );
}
