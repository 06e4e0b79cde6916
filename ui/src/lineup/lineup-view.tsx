// Models of one response side by side: a column each, to be moved, named, taken away, and one of them chosen.
import { ArrowLeft, ArrowRight, Check, Pencil, Plus, X } from "lucide-react";
import { useState } from "react";
import { api, take, type Answer, type Entry, type TableBlock } from "../client/api";
import { Menu, MenuItem } from "../common/pop";
import { copyTable, ResultTable } from "../common/result-table";
import { Spans } from "../common/spans";
import { sayProblem } from "../common/toasts";
import type { Lined } from "./use-line-up";

type Spec = Record<string, unknown>;
type Props = {
  study: string;
  spec: Spec;
  answer: Answer;
  set: (spec: Spec) => void;
  others: Entry[];
  models: string[];
  table: string;
};

export function LineupView({ study, spec, answer, set, others, models: makers, table }: Props) {
  const models = (spec.models ?? []) as Lined[];
  const chosen = typeof spec.chosen === "number" ? spec.chosen : null;
  const block = answer.blocks.find((b): b is TableBlock => b.type === "table" && b.id === "models");
  const [naming, setNaming] = useState<number | null>(null);
  /** New order of the models by their old places; the chosen one stays chosen. */
  const arrange = (order: number[]) =>
    set({
      ...spec,
      models: order.map((i) => models[i]),
      chosen: chosen === null || !order.includes(chosen) ? null : order.indexOf(chosen),
    });
  const places = models.map((_, i) => i);
  const swap = (i: number, j: number) => arrange(places.map((p) => (p === i ? j : p === j ? i : p)));
  const name = (i: number, words: string) => {
    setNaming(null);
    if ((models[i]?.name ?? "") !== words.trim())
      set({ ...spec, models: models.map((m, k) => (k === i ? { ...m, name: words.trim() || null } : m)) });
  };
  const shown = (key: string) => spec[key] as string | undefined;
  const actions = (key: string) => {
    const i = /^m(\d+)$/.test(key) ? Number(key.slice(1)) : -1;
    if (i < 0 || i >= models.length) return null;
    const title = block?.columns.find((c) => c.key === key)?.title ?? key;
    if (naming === i)
      return (
        <input
          className="input input-xs mt-1 block w-32 font-normal"
          aria-label={`Name of model ${i + 1}`}
          autoFocus
          defaultValue={models[i]?.name ?? ""}
          placeholder={title}
          onBlur={(e) => name(i, e.target.value)}
          onKeyDown={(e) =>
            e.key === "Enter" ? e.currentTarget.blur() : e.key === "Escape" ? setNaming(null) : undefined
          }
        />
      );
    return (
      <span className="mt-0.5 flex justify-end gap-0.5">
        <Small label={`Move ${title} left`} disabled={i === 0} run={() => swap(i, i - 1)}>
          <ArrowLeft size={12} />
        </Small>
        <Small label={`Move ${title} right`} disabled={i === models.length - 1} run={() => swap(i, i + 1)}>
          <ArrowRight size={12} />
        </Small>
        <Small label={`Name ${title}`} run={() => setNaming(i)}>
          <Pencil size={12} />
        </Small>
        <Small
          label={`Take ${title} away`}
          disabled={models.length < 2}
          run={() => arrange(places.filter((p) => p !== i))}
        >
          <X size={12} />
        </Small>
        <Small
          label={chosen === i ? `${title} is to be reported; take that back` : `Report ${title}`}
          pressed={chosen === i}
          run={() => set({ ...spec, chosen: chosen === i ? null : i })}
        >
          <Check size={12} />
        </Small>
      </span>
    );
  };
  if (!block) return null;
  return (
    <article data-testid="answer">
      <p className="statement mb-4 max-w-[46rem]" data-testid="headline">
        <Spans spans={answer.headline_spans} />
      </p>
      <ResultTable block={block} heading={actions} />
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <AddModel
          study={study}
          table={table}
          entries={others}
          makers={makers}
          add={(m) => set({ ...spec, models: [...models, m] })}
        />
        <Toggle
          label="Estimates as"
          value={shown("show") ?? "effects"}
          words={{ effects: "odds ratios", b: "coefficients" }}
          set={(v) => set({ ...spec, show: v })}
          hidden={!/Odds ratios|odds of/.test(`${block.title} ${block.note ?? ""}`)}
        />
        <Toggle
          label="Under each estimate"
          value={shown("brackets") ?? "ci"}
          words={{ ci: "intervals", se: "standard errors" }}
          set={(v) => set({ ...spec, brackets: v })}
        />
        <Toggle
          label="Marks"
          value={shown("marks") ?? "none"}
          words={{ none: "no marks", stars: "marks of p" }}
          set={(v) => set({ ...spec, marks: v })}
        />
        <button type="button" className="btn btn-ghost btn-sm" onClick={() => copyTable(block)}>
          Copy the table
        </button>
      </div>
    </article>
  );
}

function Small({
  label,
  run,
  children,
  disabled,
  pressed,
}: {
  label: string;
  run: () => void;
  children: React.ReactNode;
  disabled?: boolean;
  pressed?: boolean;
}) {
  return (
    <button
      type="button"
      className={`btn btn-ghost btn-xs btn-square ${pressed ? "btn-active text-primary" : ""}`}
      aria-label={label}
      title={label}
      aria-pressed={pressed}
      disabled={disabled}
      onClick={run}
    >
      {children}
    </button>
  );
}

function Toggle({
  label,
  value,
  words,
  set,
  hidden,
}: {
  label: string;
  value: string;
  words: Record<string, string>;
  set: (v: string) => void;
  hidden?: boolean;
}) {
  if (hidden) return null;
  return (
    <span className="seg text-[0.92rem]" role="group" aria-label={label}>
      {Object.entries(words).map(([k, w]) => (
        <button key={k} type="button" aria-pressed={value === k} onClick={() => set(k)}>
          {w}
        </button>
      ))}
    </span>
  );
}

/** Models of other questions on the same table. */
export function AddModel({
  study,
  table,
  entries,
  makers,
  add,
}: {
  study: string;
  table: string;
  entries: Entry[];
  makers: string[];
  add: (m: Lined) => void;
}) {
  const able = entries.filter((e) => e.table === table && makers.includes(e.method ?? ""));
  const bring = (e: Entry) =>
    void take(
      api.GET("/api/studies/{study_id}/questions/{item_id}", { params: { path: { study_id: study, item_id: e.id } } }),
    ).then((q) => add({ name: q.name, method: q.method, spec: q.spec }), sayProblem);
  return (
    <Menu
      label="Add a model"
      align="left"
      button={
        <span className="btn btn-sm">
          <Plus size={14} /> Add a model
        </span>
      }
    >
      {able.length === 0 && (
        <p className="muted max-w-60 px-3 py-1 text-sm">
          No other question on this table is a model. Build one, and tick rounds of its trail.
        </p>
      )}
      {able.map((e) => (
        <MenuItem key={e.id} onClick={() => bring(e)}>
          {e.name}
        </MenuItem>
      ))}
    </Menu>
  );
}
