import { cx } from "../common/classes";
import { useState } from "react";
import type { S } from "../client/api";
import { KINDS, kindWords } from "../common/bits";

type Options = S["ReadOptions"];
const DELIMITERS: [string, string][] = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "bar"],
  [" ", "space"],
];
const ENCODINGS: [Options["encoding"], string][] = [
  ["utf-8", "UTF-8"],
  ["utf-8-sig", "UTF-8 with mark"],
  ["utf-16", "UTF-16"],
  ["utf-16-le", "UTF-16 little-endian"],
  ["utf-16-be", "UTF-16 big-endian"],
  ["cp1252", "Windows-1252"],
  ["latin-1", "Latin-1"],
];
const DATES: [Options["dates"], string][] = [
  ["iso", "2026-03-31"],
  ["day_first", "31.03.2026"],
  ["month_first", "03/31/2026"],
];

export function ReadControls({
  options,
  change,
  busy,
}: {
  options: Options;
  change: (options: Options) => void;
  busy: boolean;
}) {
  const [codes, setCodes] = useState<string | null>(null);
  const set = (part: Partial<Options>) => change({ ...options, ...part });
  const shown = codes ?? options.empty_codes.filter((c) => c !== "").join(", ");
  return (
    <fieldset className="mt-4 flex flex-wrap items-end gap-x-5 gap-y-3" aria-busy={busy}>
      <legend className="mb-2 font-semibold">How it was read</legend>
      <Choice
        label="Cells are cut at"
        value={options.delimiter}
        options={DELIMITERS}
        set={(delimiter) => set({ delimiter, kinds: {} })}
      />
      <Choice
        label="Decimal mark"
        value={options.decimal}
        options={[
          [".", "point 0.5"],
          [",", "comma 0,5"],
        ]}
        set={(decimal) => set({ decimal: decimal as "." })}
      />
      <Choice
        label="Characters"
        value={options.encoding}
        options={ENCODINGS}
        set={(encoding) => set({ encoding: encoding as Options["encoding"] })}
      />
      <Choice
        label="Dates like"
        value={options.dates}
        options={DATES}
        set={(dates) => set({ dates: dates as Options["dates"] })}
      />
      <label className="field">
        <span>Empty are also</span>
        <input
          className="input input-sm w-64"
          value={shown}
          onChange={(e) => setCodes(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          onBlur={() =>
            codes !== null &&
            (set({
              empty_codes: [
                "",
                ...codes
                  .split(",")
                  .map((c) => c.trim().replace(/^−(?=\d)/, "-"))
                  .filter(Boolean),
              ],
            }),
            setCodes(null))
          }
        />
      </label>
      <label className="flex items-center gap-2 pb-1.5 text-[0.95rem]">
        <input
          type="checkbox"
          className="checkbox checkbox-sm checkbox-primary"
          checked={options.header}
          onChange={(e) => set({ header: e.target.checked, kinds: {} })}
        />
        The first row holds names
      </label>
    </fieldset>
  );
}

const FORMATS: Record<string, string> = {
  xlsx: "a workbook",
  ods: "an OpenDocument workbook",
  json: "JSON",
  parquet: "Parquet",
  arrow: "Arrow",
  package: "a data package",
};

export function SheetControls({
  options,
  sheets,
  change,
  busy,
}: {
  options: Options;
  sheets: string[];
  change: (options: Options) => void;
  busy: boolean;
}) {
  const [cells, setCells] = useState<string | null>(null);
  const set = (part: Partial<Options>) => change({ ...options, kinds: {}, ...part });
  const sheet = options.format === "xlsx" || options.format === "ods";
  return (
    <fieldset className="mt-4 flex flex-wrap items-end gap-x-5 gap-y-3" aria-busy={busy}>
      <legend className="mb-2 font-semibold">Read as {FORMATS[options.format ?? ""] ?? "a file"}</legend>
      {sheets.length > 1 && (
        <label className="field">
          <span>{sheet ? "Sheet" : "Table"}</span>
          <select
            className="select select-sm w-56"
            aria-label={sheet ? "Sheet" : "Table"}
            value={options.sheet ?? sheets[0]}
            onChange={(e) => set({ sheet: e.target.value, cells: null })}
          >
            {sheets.map((s) => (
              <option key={s} value={s}>
                {s}
              </option>
            ))}
          </select>
        </label>
      )}
      {sheet && (
        <>
          <label className="field">
            <span>Only the cells</span>
            <input
              className="input input-sm w-32"
              placeholder="all, or B3:H200"
              value={cells ?? options.cells ?? ""}
              onChange={(e) => setCells(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
              onBlur={() => cells !== null && (set({ cells: cells.trim() || null }), setCells(null))}
            />
          </label>
          <label className="flex items-center gap-2 pb-1.5 text-[0.95rem]">
            <input
              type="checkbox"
              className="checkbox checkbox-sm checkbox-primary"
              checked={options.header}
              onChange={(e) => set({ header: e.target.checked })}
            />
            The first row holds names
          </label>
        </>
      )}
    </fieldset>
  );
}

function Choice({
  label,
  value,
  options,
  set,
}: {
  label: string;
  value: string;
  options: [string, string][];
  set: (value: string) => void;
}) {
  return (
    <label className="field">
      <span>{label}</span>
      <select className="select select-sm w-36" value={value} onChange={(e) => set(e.target.value)}>
        {options.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

export function PreviewTable({ preview, change }: { preview: S["Preview"]; change: (options: Options) => void }) {
  return (
    <div
      className="rule mt-2 max-h-[26rem] overflow-auto border-y"
      // A scrolling region must be reachable by keyboard.
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      role="region"
      aria-label="Preview of the first rows"
    >
      <table className="w-full border-collapse text-[0.9rem]">
        <thead className="bg-base-100 sticky top-0">
          <tr>
            {preview.columns.map((c) => (
              <th
                key={c.name}
                scope="col"
                className={cx(
                  "rule border-b px-3 py-2 align-top font-semibold",
                  isNumber(c.kind) ? "text-right" : "text-left",
                )}
              >
                <span className="block truncate" title={c.name}>
                  {c.name}
                </span>
                <select
                  className="plain-select text-[0.82rem] !font-normal"
                  aria-label={`Kind of ${c.name}`}
                  value={c.kind}
                  onChange={(e) =>
                    change({
                      ...preview.options,
                      kinds: { ...preview.options.kinds, [c.name]: e.target.value as (typeof KINDS)[number] },
                    })
                  }
                >
                  {KINDS.map((k) => (
                    <option key={k} value={k}>
                      {kindWords(k)}
                    </option>
                  ))}
                </select>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {preview.rows.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td
                  key={j}
                  className={cx(
                    "rule max-w-52 truncate border-b px-3 py-1",
                    isNumber(preview.columns[j]?.kind) ? "text-right" : "",
                  )}
                >
                  {cell ?? <span className="muted">empty</span>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {preview.n_columns > preview.columns.length && (
        <p className="muted p-2 text-sm">
          The first {preview.columns.length} of {preview.n_columns} columns are shown.
        </p>
      )}
    </div>
  );
}

export function isNumber(kind: string | undefined): boolean {
  return kind === "measure" || kind === "count";
}
