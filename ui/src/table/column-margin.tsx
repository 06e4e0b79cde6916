// The chosen column, described.
import { useNavigate } from "react-router";
import type { S } from "../client/api";
import { useColumns, useNewQuestion } from "../client/hooks";
import { grouped, kindWords } from "../common/bits";
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
      <h2 className="truncate font-bold" title={column.name}>
        {column.name}
      </h2>
      {column.label && <p className="muted">{column.label}</p>}
      {(profile.bars?.length ?? 0) > 0 && (
        <div className="mt-3">
          <Bars profile={profile} width={236} height={58} />
        </div>
      )}
      {profile.low !== null && profile.low !== undefined && (
        <div className="muted flex justify-between text-sm">
          <span>{show(profile.low, column)}</span>
          <span>{show(profile.high ?? 0, column)}</span>
        </div>
      )}
      <dl className="mt-2 text-[0.95rem]">
        {lines.map(([k, v]) => (
          <div key={k} className="rule flex justify-between gap-4 border-b py-1.5">
            <dt className="muted shrink-0">{k}</dt>
            <dd className="truncate" title={v}>
              {v}
            </dd>
          </div>
        ))}
      </dl>
      {column.note && <p className="muted mt-2 text-sm">{column.note}</p>}
      {column.levels && column.levels.length > 0 && <Levels column={column} profile={profile} />}
      <div className="mt-4 flex flex-col gap-2">
        <select
          className="select select-sm w-full"
          aria-label="Prepare this column"
          value=""
          onChange={(e) => {
            const [step, field] = e.target.value.split(" ");
            const filled =
              step === "compute"
                ? { name: "", expression: quoted }
                : step === "rename"
                  ? { names: [{ old: name, new: "" }] }
                  : { [field ?? "column"]: field === "columns" || field === "by" ? [name] : name };
            const begun = encodeURIComponent(JSON.stringify(filled));
            void go(`/s/${study}/t/${table.id}?column=${encodeURIComponent(name)}&step=${step}:${begun}`);
          }}
        >
          <option value="" disabled>
            Prepare this column …
          </option>
          {PREPARE.filter(([, , kinds]) => !kinds || kinds.includes(column.kind)).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <button
          className="btn btn-sm"
          onClick={() => ask.mutate({ table: table.id, method: "describe", spec: { columns: [name] } })}
        >
          Describe this column
        </button>
      </div>
    </>
  );
}

const NUMBERS = ["measure", "count"];
const CODED = ["category", "ordered", "yes_no"];
/** Steps that begin with this column, the slot it fills, and the kinds it must be of. */
const PREPARE: [string, string, string[]?][] = [
  ["compute expression", "Compute from it"],
  ["recode columns", "Recode its values"],
  ["empty_codes columns", "Codes that mean empty"],
  ["fill columns", "Fill its empty cells"],
  ["levels column", "Label its levels", [...CODED, "count"]],
  ["standardise columns", "Standardise it", NUMBERS],
  ["transform columns", "Logarithm, root, rank …", NUMBERS],
  ["bin column", "Put it in classes", NUMBERS],
  ["lag columns", "From the row before"],
  ["difference columns", "Difference from the row before", NUMBERS],
  ["dummies column", "A yes/no column for each level", CODED],
  ["summarise by", "One row for each of its levels", [...CODED, "identifier", "date", "text", "count"]],
  ["rename names", "Rename it"],
  ["drop_columns columns", "Drop it"],
];

export function describe(column: S["Column"], p: S["Profile"]): [string, string][] {
  const lines: [string, string][] = [["Kind", kindWords(column.kind)]];
  if (column.unit) lines.push(["Unit", column.unit]);
  lines.push(["Filled", `${grouped(p.filled)} of ${grouped(p.filled + p.empty)}`]);
  if (isNumber(column.kind) && p.mean !== null && p.mean !== undefined) {
    lines.push(["Mean", show(p.mean, column, 1)]);
    if (p.sd !== null && p.sd !== undefined) lines.push(["SD", show(p.sd, column, 1)]);
    lines.push(
      ["Median", show(p.median ?? 0, column, 1)],
      ["Quartiles", `${show(p.q1 ?? 0, column, 1)} to ${show(p.q3 ?? 0, column, 1)}`],
    );
  }
  if (p.distinct !== null && p.distinct !== undefined && !column.levels?.length)
    lines.push(["Different values", grouped(p.distinct)]);
  if (p.infinite) lines.push(["Infinite", grouped(p.infinite)]);
  const codes = (column.empty_codes ?? []).filter(Boolean);
  if (codes.length)
    lines.push([
      "Means empty",
      codes.map((k) => [k.replace(/^-(?=\d)/, "−"), column.empty_meanings?.[k]].filter(Boolean).join(" ")).join(", "),
    ]);
  return lines;
}

function Levels({ column, profile }: { column: S["Column"]; profile: S["Profile"] }) {
  return (
    <table className="res mt-3">
      <caption className="sr-only">Levels of {column.name}</caption>
      <thead>
        <tr>
          <th scope="col">Level</th>
          <th scope="col">n</th>
        </tr>
      </thead>
      <tbody>
        {(profile.bar_names ?? []).map((n, i) => (
          <tr key={n}>
            <td className="max-w-40 truncate">{n}</td>
            <td>{grouped(profile.bars?.[i] ?? 0)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
