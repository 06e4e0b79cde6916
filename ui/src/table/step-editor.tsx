// Writing a step: its sentence with slots, its settings, what it would do, and where the mistake is.
import { useQuery, useQueryClient, keepPreviousData } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, Problem, take, type S, type Step } from "../client/api";
import { useCatalogue } from "../client/hooks";
import { applies, askOf, filled, isComplete, titleOf, type Around, type Properties } from "../asking/ask";
import { AskField, EDITORS } from "../asking/ask-field";
import { useDebounced } from "../common/bits";
import { sayProblem } from "../common/toasts";
import { EffectNotes } from "./effect-notes";
import { EditsList } from "./edits-list";
import { LevelsEditor, type Level } from "./levels-editor";
import { WavesEditor } from "./waves-editor";

export type Draft = { at: number; step: Step; fresh: boolean };
type Schema = { properties: Properties; required?: string[] };

export function StepEditor({
  study,
  table,
  draft,
  keep,
  save,
  close,
  effect,
}: {
  study: string;
  table: S["TableOut"];
  draft: Draft;
  keep: (d: Draft) => void;
  save: (step: Step) => Promise<void>;
  close: () => void;
  effect?: S["Effect"];
}) {
  const { data: catalogue } = useCatalogue();
  const go = useNavigate();
  const client = useQueryClient();
  const kind = catalogue?.steps.find((k) => k.step === draft.step.step);
  const schema = kind?.schema as Schema | undefined;
  const [step, setStep] = useState<Step>(draft.step);
  const [saving, setSaving] = useState(false);
  const box = useRef<HTMLElement>(null);
  const ready = kind !== undefined;
  useEffect(() => {
    // A new step is begun by filling its first gap.
    if (draft.fresh && ready)
      box.current?.querySelector<HTMLElement>(".slot, input, select")?.focus({ preventScroll: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when it opens
  }, [ready]);
  // A step in the middle of the path sees the columns as they are there.
  const before = useQuery({
    queryKey: ["before", study, table.id, table.version, draft.at],
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/before", {
          params: { path: { study_id: study, table_id: table.id }, query: { at: draft.at } },
        }),
      ),
  });
  const columns = before.data ?? table.columns;
  const set = (field: string, value: unknown) => {
    const next = { ...step, [field]: value };
    setStep(next);
    keep({ ...draft, step: next });
  };
  const whole = (one: Step) =>
    schema !== undefined && isComplete(schema.properties, schema.required ?? [], filled(schema.properties, one));
  const waiting = useDebounced(step, 180);
  const complete = whole(waiting);
  const tried = useQuery({
    queryKey: ["try", study, table.id, table.version, draft.at, waiting],
    enabled: complete,
    retry: false,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    queryFn: () =>
      take(
        api.POST("/api/studies/{study_id}/tables/{table_id}/try", {
          params: { path: { study_id: study, table_id: table.id } },
          body: { step: waiting, at: draft.at },
        }),
      ),
  });
  if (!kind || !schema) return null;
  const problem = complete && tried.error instanceof Problem ? tried.error : null;
  const apply = () => {
    if (!whole(step)) return;
    setSaving(true);
    void save(step)
      .catch(() => undefined)
      .finally(() => setSaving(false));
  };
  const derive = async () => {
    setSaving(true);
    try {
      const made = await take(
        api.POST("/api/studies/{study_id}/tables/{table_id}/derived", {
          params: { path: { study_id: study, table_id: table.id } },
          body: { name: derivedName(table.name, step.step), steps: [step] },
        }),
      );
      close();
      await client.invalidateQueries({ queryKey: ["contents", study] });
      const id = made.table?.id ?? made.job?.item_id;
      if (id) await go(`/s/${study}/t/${id}`);
    } catch (e) {
      sayProblem(e);
    } finally {
      setSaving(false);
    }
  };
  const words = String(kind.words);
  const inWords = new Set([...words.matchAll(/\{(\w+)\}/g)].map((m) => m[1]));
  const around: Around = {
    columns,
    spec: filled(schema.properties, step),
    study,
    table: table.id,
    wrong: { column: problem?.column, position: problem?.position },
    enter: apply,
  };
  const settings = Object.entries(schema.properties).filter(
    ([n, p]) => p.ask && EDITORS[p.ask.shown] && !inWords.has(n) && applies(askOf(p), around.spec),
  );
  const field = (name: string) => (
    <AskField
      name={name}
      property={schema.properties[name]!}
      value={around.spec[name]}
      set={(v) => set(name, v)}
      around={around}
      bare
    />
  );
  const last = draft.at >= table.steps.length - (draft.fresh ? 0 : 1);
  return (
    // Escape closes from anywhere inside, while nothing has been written.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <section
      ref={box}
      aria-label={draft.fresh ? "A new step" : "Edit the step"}
      className="rule bg-base-200/60 mt-2 max-h-[62vh] overflow-auto rounded-md border p-4"
      onKeyDown={(e) => e.key === "Escape" && step === draft.step && close()}
    >
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-3 text-[1.15rem]">
        {words.split(/(\{\w+\})/).map((part, i) => {
          const name = /^\{(\w+)\}$/.exec(part)?.[1];
          return name ? <span key={i}>{field(name)}</span> : <span key={i}>{part.trim()}</span>;
        })}
      </div>
      {settings.length > 0 && (
        <div
          className="mt-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[0.95rem]"
          role="group"
          aria-label="Settings of the step"
        >
          {settings.map(([name, p]) => (
            <span key={name} className="inline-flex items-baseline gap-2">
              <span className="muted" aria-hidden="true">
                {titleOf(name, p)}
              </span>
              {field(name)}
            </span>
          ))}
        </div>
      )}
      {schema.properties.levels && step.step === "levels" && typeof step.column === "string" && (
        <LevelsEditor
          study={study}
          table={table}
          column={step.column}
          levels={(step.levels as Level[] | undefined) ?? null}
          set={(levels) => set("levels", levels)}
        />
      )}
      {schema.properties.edits && <EditsList edits={step.edits} set={(v) => set("edits", v)} />}
      {schema.properties.waves && (
        <WavesEditor
          study={study}
          table={table.id}
          columns={columns}
          step={step}
          change={(next) => (setStep(next), keep({ ...draft, step: next }))}
        />
      )}
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <button
          type="button"
          className="btn btn-primary btn-outline btn-sm"
          disabled={!whole(step) || saving}
          onClick={apply}
        >
          {draft.fresh ? "Add the step" : "Keep the change"}
        </button>
        {Boolean(kind.fresh) && draft.fresh && last && (
          <button
            type="button"
            className="btn btn-sm"
            disabled={!whole(step) || saving || problem !== null}
            title="The new table stays linked to this one and is renewed with it"
            onClick={() => void derive()}
          >
            Make a new table of it
          </button>
        )}
        <button type="button" className="btn btn-ghost btn-sm" onClick={close}>
          Cancel
        </button>
        <span aria-live="polite" className="text-[0.95rem]">
          {problem ? (
            <span className="text-error" role="alert">
              {problem.message}
            </span>
          ) : complete && tried.data ? (
            <span className="muted">
              {tried.data.effect.said}. {tried.data.note ?? ""}
            </span>
          ) : (
            <span className="muted">{String(kind.help)}</span>
          )}
        </span>
      </div>
      {complete && tried.data && !problem ? (
        <>
          <EffectNotes effect={tried.data.effect} />
          <TriedRows tried={tried.data} />
        </>
      ) : (
        effect && !complete && <EffectNotes effect={effect} />
      )}
    </section>
  );
}

function derivedName(table: string, step: string): string {
  const words: Record<string, string> = {
    lengthen: "long",
    widen: "wide",
    summarise: "summary",
    transpose: "turned",
    append: "and more",
    join: "joined",
    join_waves: "waves joined",
  };
  return `${table}, ${words[step] ?? step}`;
}

function TriedRows({ tried }: { tried: S["Tried"] }) {
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="res !w-auto">
        <caption className="sr-only">The first rows after this step</caption>
        <thead>
          <tr>
            {tried.columns.map((c) => (
              <th key={c} scope="col" className="left max-w-44 truncate" title={c}>
                {c}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {tried.rows.slice(0, 5).map((r, i) => (
            <tr key={i}>
              {r.map((c, j) => (
                <td key={j} className="left max-w-44 truncate">
                  {c ?? <span className="muted">empty</span>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
