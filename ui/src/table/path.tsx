// The path: from the file to the present table, a chip per step with its effect.
import { cx } from "../common/classes";
import { useEffect, useState } from "react";
import type { S, Step } from "../client/api";
import { useCatalogue } from "../client/hooks";
import { dropLocal, readLocal, writeLocal } from "../client/local";
import { Menu, MenuItem } from "../common/pop";
import { Marked } from "../common/spans";
import { AddStep, type StepKind } from "./add-step";
import { EffectNotes } from "./effect-notes";
import { StepEditor, type Draft } from "./step-editor";
import type { SetSteps } from "./table-page";

/** Stands for the file itself among the numbers of steps. */
const SOURCE = -1;

export function Path({
  study,
  table,
  setSteps,
  startWith,
  busy,
  showRows,
}: {
  study: string;
  table: S["TableOut"];
  setSteps: SetSteps;
  startWith: string | null;
  busy: boolean;
  showRows: (numbers: number[]) => void;
}) {
  const steps = table.steps as Step[];
  const { data: catalogue } = useCatalogue();
  const key = `yavik.draft.${table.id}`;
  // A step that is being written survives a reload.
  const [draft, setDraftState] = useState<Draft | null>(() => readLocal<Draft>(key));
  const [over, setOver] = useState<number | null>(null);
  const [said, setSaid] = useState<number | null>(null);
  const shown = said === null ? undefined : said === SOURCE ? table.source : table.effects[said];
  const setDraft = (next: Draft | null) => {
    if (next) writeLocal(key, next);
    else dropLocal(key);
    setDraftState(next);
  };
  useEffect(() => {
    const [kind, value] = startWith?.split(/:(.*)/s) ?? [];
    if (kind === "edit")
      setDraftState(steps[Number(value)] ? { at: Number(value), step: steps[Number(value)]!, fresh: false } : null);
    else if (kind)
      setDraftState({ at: steps.length, step: { ...(JSON.parse(value || "{}") as object), step: kind }, fresh: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when the address asks for another step
  }, [startWith]);

  const save = async (step: Step) => {
    if (!draft) return;
    const next = draft.fresh
      ? [...steps.slice(0, draft.at), step, ...steps.slice(draft.at)]
      : steps.map((s, i) => (i === draft.at ? step : s));
    await setSteps(next, `${draft.fresh ? "Add" : "Change"} a step in ${table.name}`);
    // Another step may have been begun while this one was being kept.
    setDraftState((now) => {
      if (now !== draft && now?.step.step !== step.step) return now;
      dropLocal(key);
      return null;
    });
  };
  // What is refused is told where it is sent; the path stays as it was.
  const put = (next: Step[], label: string) => void setSteps(next, label).catch(() => undefined);
  const move = (from: number, to: number) => {
    if (to < 0 || to >= steps.length || from === to) return;
    const next = [...steps];
    const [moved] = next.splice(from, 1);
    if (moved) next.splice(to, 0, moved);
    put(next, `Move a step in ${table.name}`);
  };
  const toggle = (i: number) =>
    put(
      steps.map((s, k) => (k === i ? { ...s, on: s.on === false } : s)),
      `${steps[i]?.on === false ? "Switch on" : "Switch off"} a step in ${table.name}`,
    );
  const remove = (i: number) =>
    put(
      steps.filter((_, k) => k !== i),
      `Delete a step in ${table.name}`,
    );
  return (
    <div className="mt-2">
      <ol
        className="flex flex-wrap items-center gap-y-1.5"
        aria-label="The path from the file to this table"
        aria-busy={busy}
      >
        <li className="chip flex items-start gap-1">
          <span>
            <span className="block">{table.source.title}</span>
            <span className="muted block text-[0.78rem]">{table.source.said}</span>
          </span>
          {(table.source.notes?.length ?? 0) > 0 && (
            <button
              type="button"
              className="muted rounded px-1 text-[0.8rem] leading-4"
              aria-label="What was noticed while the file was read"
              aria-expanded={said === SOURCE}
              title={table.source.notes?.join(" ")}
              onClick={() => (setDraft(null), setSaid(said === SOURCE ? null : SOURCE))}
            >
              i
            </button>
          )}
        </li>
        {steps.map((s, i) => {
          const effect = table.effects[i];
          const off = s.on === false;
          return (
            <li
              key={s.id ?? i}
              className={`flex items-center ${over === i ? "border-primary border-l-2" : ""}`}
              draggable
              onDragStart={(e) => e.dataTransfer.setData("text/yavik-step", String(i))}
              onDragOver={(e) => (e.preventDefault(), setOver(i))}
              onDragLeave={() => setOver(null)}
              onDrop={(e) => (setOver(null), move(Number(e.dataTransfer.getData("text/yavik-step")), i))}
            >
              <span className="muted px-1" aria-hidden="true">
                →
              </span>
              <span
                className={cx(
                  "chip flex items-start gap-1 !py-0 !pr-0",
                  off ? "off" : "",
                  effect?.problem || effect?.broken ? "bad" : "",
                  draft && !draft.fresh && draft.at === i ? "chosen" : "",
                )}
              >
                <button
                  type="button"
                  className="py-1 text-left"
                  title={effect?.problem ?? "Edit this step"}
                  onClick={() => setDraft({ at: i, step: s, fresh: false })}
                  data-step={s.step}
                >
                  <span className="block max-w-64 truncate">
                    <Marked text={effect?.title ?? s.step} />
                  </span>
                  <span
                    className={`block max-w-64 truncate text-[0.78rem] ${effect?.problem ? "text-error" : "muted"}`}
                  >
                    {effect?.problem ?? effect?.said}
                  </span>
                </button>
                {(effect?.notes?.length ?? 0) > 0 && !effect?.problem && (
                  <button
                    type="button"
                    className="muted mt-1 rounded px-1 text-[0.8rem] leading-4"
                    aria-label={`What step ${i + 1} says`}
                    aria-expanded={said === i}
                    title={effect?.notes?.join(" ")}
                    onClick={() => (setDraft(null), setSaid(said === i ? null : i))}
                  >
                    i
                  </button>
                )}
                <Menu label={`Actions for step ${i + 1}`} button="⋯" align="left">
                  <MenuItem onClick={() => setDraft({ at: i, step: s, fresh: false })}>Edit</MenuItem>
                  <MenuItem onClick={() => toggle(i)}>{off ? "Switch on" : "Switch off"}</MenuItem>
                  <MenuItem disabled={i === 0} onClick={() => move(i, i - 1)}>
                    Move earlier
                  </MenuItem>
                  <MenuItem disabled={i === steps.length - 1} onClick={() => move(i, i + 1)}>
                    Move later
                  </MenuItem>
                  <MenuItem onClick={() => remove(i)}>Delete</MenuItem>
                </Menu>
              </span>
            </li>
          );
        })}
        <li className="flex items-center">
          <span className="muted px-1" aria-hidden="true">
            →
          </span>
          <AddStep
            kinds={((catalogue?.steps ?? []) as StepKind[]).filter((k) => k.listed)}
            choose={(step) => setDraft({ at: steps.length, step: { step }, fresh: true })}
          />
        </li>
      </ol>
      {draft && catalogue && (
        <StepEditor
          key={`${draft.at}-${draft.step.step}-${draft.fresh}`}
          study={study}
          table={table}
          draft={draft}
          keep={setDraft}
          save={save}
          close={() => setDraft(null)}
          effect={draft.fresh ? undefined : table.effects[draft.at]}
        />
      )}
      {!draft && shown && <Said effect={shown} close={() => setSaid(null)} showRows={showRows} />}
    </div>
  );
}

function Said({
  effect,
  close,
  showRows,
}: {
  effect: S["Effect"];
  close: () => void;
  showRows: (numbers: number[]) => void;
}) {
  return (
    <section aria-label="What the step says" className="rule bg-base-200/60 mt-2 rounded-md border px-4 py-3">
      <div className="flex justify-between gap-4">
        <h3 className="font-semibold">
          <Marked text={effect.title} />
        </h3>
        <button type="button" className="link-quiet" onClick={close}>
          Close
        </button>
      </div>
      <EffectNotes effect={effect} showRows={showRows} />
    </section>
  );
}
