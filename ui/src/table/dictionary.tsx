// A row per column: label, kind, unit, levels, codes that mean empty, note. Every edit is a step on the path.
import { cx } from "../common/classes";
import { useState } from "react";
import type { Column, S, Step } from "../client/api";
import { KINDS, kindWords } from "../common/bits";
import { Modal } from "../common/modal";
import { LevelsEditor, type Level } from "./levels-editor";
import { PasteLabels } from "./paste-labels";
import type { SetSteps } from "./table-page";

const SHOWN = 200;

export function Dictionary({ study, table, setSteps }: { study: string; table: S["TableOut"]; setSteps: SetSteps }) {
  const [editing, setEditing] = useState<{ column: string; levels: Level[] | null } | null>(null);
  const [more, setMore] = useState(SHOWN);
  const [pasting, setPasting] = useState(false);
  const steps = table.steps as Step[];
  const put = (step: Step, label: string) => void setSteps(merge(steps, step), label).catch(() => undefined);
  return (
    <div className="min-h-0 flex-1 overflow-auto px-6 py-4">
      <p className="mb-2 text-right text-[0.93rem]">
        <button type="button" className="link-quiet" onClick={() => setPasting(true)}>
          Paste labels from a sheet
        </button>
      </p>
      {pasting && <PasteLabels table={table} setSteps={setSteps} close={() => setPasting(false)} />}
      <table className="w-full border-collapse text-[0.95rem]" aria-label={`Dictionary of ${table.name}`}>
        <thead>
          <tr className="text-left">
            {["Column", "Label", "Kind", "Unit", "Levels", "Means empty", "Note"].map((h) => (
              <th key={h} scope="col" className="muted border-base-content border-b px-2 py-1.5 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.columns.slice(0, more).map((c) => (
            <tr key={c.name}>
              <th
                scope="row"
                className="rule max-w-48 truncate border-b px-2 py-1 text-left font-semibold"
                title={c.name}
              >
                {c.name}
              </th>
              <TextCell
                label={`Label of ${c.name}`}
                value={c.label ?? ""}
                wide
                save={(v) => put(described(steps, c, { label: v }), `Label ${c.name}`)}
              />
              <td className="rule border-b px-2 py-1">
                <select
                  className="plain-select !font-normal"
                  aria-label={`Kind of ${c.name}`}
                  value={c.kind}
                  onChange={(e) =>
                    put({ step: "kind", column: c.name, kind: e.target.value }, `Change the kind of ${c.name}`)
                  }
                >
                  {KINDS.map((k) => (
                    <option key={k} value={k}>
                      {kindWords(k)}
                    </option>
                  ))}
                </select>
              </td>
              <TextCell
                label={`Unit of ${c.name}`}
                value={c.unit ?? ""}
                save={(v) => put(described(steps, c, { unit: v }), `Unit of ${c.name}`)}
              />
              <td className="rule max-w-64 truncate border-b px-2 py-1">
                {c.kind !== "measure" && c.kind !== "date" && c.kind !== "text" && c.kind !== "identifier" && (
                  <button
                    type="button"
                    className="link-quiet max-w-64 truncate !font-normal"
                    onClick={() => setEditing({ column: c.name, levels: null })}
                  >
                    {levelWords(c)}
                  </button>
                )}
              </td>
              <TextCell
                label={`Codes that mean empty in ${c.name}`}
                value={(c.empty_codes ?? []).filter(Boolean).join(", ").replace(/-/g, "−")}
                save={(v) => {
                  const codes = v
                    .split(",")
                    .map((x) => x.trim().replace(/−/g, "-"))
                    .filter(Boolean);
                  if (codes.length) put({ step: "empty_codes", columns: [c.name], codes }, `Empty codes of ${c.name}`);
                  else void setSteps(withoutCodes(steps, c.name), `Empty codes of ${c.name}`).catch(() => undefined);
                }}
              />
              <TextCell
                label={`Note on ${c.name}`}
                value={c.note ?? ""}
                wide
                save={(v) => put(described(steps, c, { note: v }), `Note on ${c.name}`)}
              />
            </tr>
          ))}
        </tbody>
      </table>
      {table.columns.length > more && (
        <button className="btn btn-sm mt-3" onClick={() => setMore(more + SHOWN)}>
          Show {Math.min(SHOWN, table.columns.length - more)} more columns
        </button>
      )}
      {editing && (
        <Modal title={`Levels of ${editing.column}`} close={() => setEditing(null)} wide>
          <LevelsEditor
            study={study}
            table={table}
            column={editing.column}
            levels={editing.levels}
            set={(levels) => setEditing({ ...editing, levels })}
          />
          <button
            className="btn btn-primary btn-sm mt-4"
            disabled={!editing.levels?.length}
            onClick={() => (
              put(
                { step: "levels", column: editing.column, levels: editing.levels },
                `Label the levels of ${editing.column}`,
              ),
              setEditing(null)
            )}
          >
            Keep these levels
          </button>
        </Modal>
      )}
    </div>
  );
}

function levelWords(c: Column): string {
  const levels = c.levels ?? [];
  return levels.length
    ? levels
        .slice(0, 5)
        .map((l) => l.label ?? l.value)
        .join(", ") + (levels.length > 5 ? ` and ${levels.length - 5} more` : "")
    : "Label its values";
}

/** Whether two steps say the same kind of thing of the same column, and of no other. */
function same(a: Step, b: Step): boolean {
  const of = (s: Step) => (s.step === "empty_codes" ? (s.columns as string[]).join("\n") : s.column);
  return a.step === b.step && of(a) === of(b) && !(a.also as string[] | undefined)?.length;
}

/** An edit of what an earlier step said replaces it where it stands; anything else comes at the end, and so does what a
 *  later step says of the column too: in its old place nothing would be seen of it. Codes stay where they are: cells
 *  that were emptied before do not come back. */
export function merge(steps: Step[], step: Step): Step[] {
  const at = steps.findLastIndex((s) => same(s, step) && s.on !== false);
  const named = JSON.stringify(step.column);
  const later = steps.slice(at + 1).some((s) => s.on !== false && JSON.stringify(s).includes(named));
  if (at < 0 || (later && step.step !== "empty_codes")) return [...steps, step];
  return steps.map((s, i) => (i === at ? { ...step, id: s.id } : s));
}

/** The path without the codes of one column; those of the columns beside it stay. */
export function withoutCodes(steps: Step[], column: string): Step[] {
  return steps.flatMap((s) => {
    const columns = s.step === "empty_codes" ? (s.columns as string[]) : [];
    if (!columns.includes(column)) return [s];
    return columns.length > 1 ? [{ ...s, columns: columns.filter((c) => c !== column) }] : [];
  });
}

function described(steps: Step[], column: Column, change: Record<string, string>): Step {
  const before = steps.findLast((s) => s.step === "describe_column" && s.column === column.name && s.on !== false);
  const { label, unit, note }: Partial<Step> = before ?? {};
  return {
    step: "describe_column",
    column: column.name,
    ...Object.fromEntries(Object.entries({ label, unit, note }).filter(([, v]) => v !== undefined)),
    ...change,
  };
}

function TextCell({
  label,
  value,
  save,
  wide,
}: {
  label: string;
  value: string;
  save: (v: string) => void;
  wide?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  return (
    <td className="rule border-b px-1 py-0.5">
      <input
        className={cx(
          "hover:bg-base-200 focus:bg-base-200 rounded bg-transparent px-1 py-1 text-ellipsis",
          wide ? "w-full min-w-52" : "w-24",
        )}
        title={value || undefined}
        aria-label={label}
        value={text ?? value}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => (e.key === "Enter" ? e.currentTarget.blur() : e.key === "Escape" ? setText(null) : undefined)}
        onBlur={() => (text !== null && text !== value && save(text), setText(null))}
      />
    </td>
  );
}
