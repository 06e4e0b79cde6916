// Writing a step: its sentence with slots, what it would do, and where the mistake is.
import { useQuery, keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, take, type Column, type S, type Step } from "../client/api";
import { useCatalogue, useTable } from "../client/hooks";
import { kindWords, useDebounced } from "../common/bits";
import { asList } from "../common/sentence";
import { Slot } from "../common/slot";
import { ExpressionInput } from "./expression";
import { LevelsEditor, type Level } from "./levels-editor";
import { KINDS } from "./preview";

const ANY = { kinds: [...KINDS] as string[], placeholder: "a column", many: false };
type Draft = { at: number; step: Step; fresh: boolean };

export function StepEditor({ study, table, draft, keep, save, close }: {
  study: string; table: S["TableOut"]; draft: Draft; keep: (d: Draft) => void; save: (step: Step) => Promise<void>; close: () => void;
}) {
  const { data: catalogue } = useCatalogue();
  const kind = catalogue?.steps.find((k) => k.step === draft.step.step);
  const [step, setStep] = useState<Step>(draft.step);
  const [saving, setSaving] = useState(false);
  // The columns as they are before this step: the present ones do while it is the last.
  const { data: now } = useTable(study, table.id);
  const columns = now?.table?.columns ?? table.columns;
  const set = (field: string, value: unknown) => {
    const next = { ...step, [field]: value };
    setStep(next);
    keep({ ...draft, step: next });
  };
  const waiting = useDebounced(step, 180);
  const complete = isComplete(waiting);
  const tried = useQuery({
    queryKey: ["try", study, table.id, table.version, draft.at, waiting], enabled: complete, retry: false, placeholderData: keepPreviousData, staleTime: 60_000,
    queryFn: () => take(api.POST("/api/studies/{study_id}/tables/{table_id}/try", { params: { path: { study_id: study, table_id: table.id } }, body: { step: waiting, at: draft.at } })),
  });
  if (!kind) return null;
  const problem = complete && tried.error instanceof Problem ? tried.error : null;
  const apply = () => {
    setSaving(true);
    void save(step).catch(() => undefined).finally(() => setSaving(false));
  };
  return (
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- Escape closes from anywhere inside
    <section aria-label={draft.fresh ? "A new step" : "Edit the step"} className="rule bg-base-200/60 mt-2 rounded-md border p-4" onKeyDown={(e) => e.key === "Escape" && close()}>
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-3 text-[1.15rem]">
        {String(kind.words).split(/(\{\w+\})/).map((part, i) => {
          const field = /^\{(\w+)\}$/.exec(part)?.[1];
          return field ? <StepField key={i} field={field} step={step} set={set} columns={columns} problem={problem} apply={apply} /> : <span key={i}>{part.trim()}</span>;
        })}
      </div>
      {draft.step.step === "levels" && typeof step.column === "string" && (
        <LevelsEditor study={study} table={table} column={step.column} levels={(step.levels as Level[] | undefined) ?? null} set={(levels) => set("levels", levels)} />
      )}
      {draft.step.step === "describe_column" && (
        <div className="mt-3 grid max-w-2xl grid-cols-[2fr_1fr] gap-3">
          {(["label", "unit", "note"] as const).map((f) => (
            <label key={f} className="field"><span>{{ label: "Label (a question's wording)", unit: "Unit", note: "Note" }[f]}</span>
              <input className="input input-sm w-full" value={String(step[f] ?? columns.find((c) => c.name === step.column)?.[f] ?? "")} onChange={(e) => set(f, e.target.value)} />
            </label>
          ))}
        </div>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <button type="button" className="btn btn-primary btn-outline btn-sm" disabled={!isComplete(step) || saving} onClick={apply}>{draft.fresh ? "Add the step" : "Keep the change"}</button>
        <button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>
        <span aria-live="polite" className="text-[0.95rem]">
          {problem ? <span className="text-error" role="alert">{problem.message}</span> : complete && tried.data ? <span className="muted">{tried.data.effect.said}. {tried.data.note ?? ""}</span> : <span className="muted">{String(kind.help)}</span>}
        </span>
      </div>
      {complete && tried.data && !problem && <TriedRows tried={tried.data} />}
    </section>
  );
}

function isComplete(step: Step): boolean {
  const filled = (f: string) => (Array.isArray(step[f]) ? (step[f] as unknown[]).length > 0 : typeof step[f] === "string" && step[f] !== "");
  const needs: Record<string, string[]> = { empty_codes: ["columns", "codes"], levels: ["column", "levels"], keep_rows: ["where"], compute: ["name", "expression"], kind: ["column", "kind"], describe_column: ["column"] };
  return (needs[step.step] ?? []).every(filled);
}

function StepField({ field, step, set, columns, problem, apply }: { field: string; step: Step; set: (f: string, v: unknown) => void; columns: Column[]; problem: Problem | null; apply: () => void }) {
  if (field === "column" || field === "columns") {
    const many = field === "columns";
    return <Slot label={many ? "Columns" : "Column"} slot={{ ...ANY, many, placeholder: many ? "columns" : "a column" }} columns={columns} value={asList(step[field])} set={(v) => set(field, many ? v : (v[0] ?? ""))} wrong={problem?.column === step[field]} />;
  }
  if (field === "where" || field === "expression") {
    return <ExpressionInput label={field === "where" ? "Condition" : "Expression"} value={String(step[field] ?? "")} set={(v) => set(field, v)} columns={columns} position={problem?.position} enter={apply} />;
  }
  if (field === "kind") {
    return (
      <select className="select select-sm w-40" aria-label="Kind" value={String(step.kind ?? "")} onChange={(e) => set("kind", e.target.value)}>
        <option value="" disabled>a kind</option>
        {KINDS.map((k) => <option key={k} value={k}>{kindWords(k)}</option>)}
      </select>
    );
  }
  if (field === "codes") return <CodesInput value={asList(step.codes)} set={(v) => set("codes", v)} enter={apply} />;
  return <input className="input input-sm w-48" aria-label="Name of the new column" placeholder="a name" value={String(step[field] ?? "")} onChange={(e) => set(field, e.target.value)} onKeyDown={(e) => e.key === "Enter" && apply()} />;
}

function CodesInput({ value, set, enter }: { value: string[]; set: (v: string[]) => void; enter: () => void }) {
  const [text, setText] = useState(value.join(", "));
  return (
    <input
      className="input input-sm w-48" aria-label="Codes that mean empty, with commas between" placeholder="−9, 99, refused" value={text} onKeyDown={(e) => e.key === "Enter" && enter()}
      onChange={(e) => (setText(e.target.value), set(e.target.value.split(",").map((c) => c.trim().replace(/−/g, "-")).filter(Boolean)))}
    />
  );
}

function TriedRows({ tried }: { tried: S["Tried"] }) {
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="res !w-auto">
        <caption className="sr-only">The first rows after this step</caption>
        <thead><tr>{tried.columns.map((c) => <th key={c} scope="col" className="left">{c}</th>)}</tr></thead>
        <tbody>
          {tried.rows.slice(0, 4).map((r, i) => <tr key={i}>{r.map((c, j) => <td key={j} className="left">{c ?? <span className="muted">empty</span>}</td>)}</tr>)}
        </tbody>
      </table>
    </div>
  );
}
