// A question: the sentence, the answer, and beside it whether it can be relied on. Drawn from the method's schema
// alone.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take } from "../client/api";
import {
  useAddToReport,
  useCatalogue,
  useContents,
  useNewFigure,
  useNewQuestion,
  useTable,
  useValues,
} from "../client/hooks";
import { askOf, filled, type Around, type Properties } from "../asking/ask";
import { Sentence } from "../asking/sentence";
import { Loading, Trouble } from "../common/bits";
import { WithMargin } from "../common/frame";
import { rowsPath } from "../common/contents";
import { Early, useEarly } from "./early";
import { JobBar, useJob } from "../common/job";
import { AnswerView } from "./answer-view";
import { Checks } from "./checks";
import { levelsOf, Settings, valuesAsked } from "./settings";
import { AddModel, LineupView } from "../lineup/lineup-view";
import { Control } from "./control";
import { Upgrade } from "./upgrade";
import { useTakeUp } from "./take-up";
import { Trail } from "./trail";
import { fieldOf, fieldsOf, problemOf, useAnswer } from "./use-answer";
import { Variants } from "./variants";

export function QuestionPage() {
  const { study = "", id = "" } = useParams();
  return <Question key={id} study={study} id={id} />;
}

function Question({ study, id }: { study: string; id: string }) {
  const client = useQueryClient();
  const go = useNavigate();
  const key = ["question", study, id];
  const where = { params: { path: { study_id: study, item_id: id } } };
  const { data: state, error } = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/studies/{study_id}/questions/{item_id}", where)),
  });
  const { data: catalogue } = useCatalogue();
  const { data: contents } = useContents(study);
  const table = useTable(study, state?.table);
  const { problem, setProblem, job, change, computing, renew } = useAnswer(study, id, state);
  const [stopped, setStopped] = useState("");
  const working = useJob(job, (ended) => {
    void client.invalidateQueries({ queryKey: key });
    void client.invalidateQueries({ queryKey: ["contents", study] });
    setStopped({ stopped: "Stopped.", failed: ended.what }[ended.state as string] ?? "");
    if (ended.state === "problem") setProblem(problemOf(ended));
  });
  const add = useAddToReport(study);
  const made = useNewQuestion(study, (q) => void go(`/s/${study}/q/${q.id}`));
  const figure = useNewFigure(study, (made) => go(`/s/${study}/f/${made.id}`));
  const method = catalogue?.methods.find((m) => m.id === state?.method);
  const properties = (method?.spec.properties ?? {}) as Properties;
  const columns = table.data?.table?.columns ?? [];
  const asked = state ? valuesAsked(properties, state.spec, columns) : [];
  const values = useValues(study, state?.table, table.data?.table?.version, asked);
  const { addColumns, makeTable } = useTakeUp(study, state, table.data?.table);
  const late = stopped !== "" || problem !== null || Boolean(state?.answer && !state.out_of_date);
  const early = useEarly(job, working, late);
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  if (!state || !method) return <Loading />;
  const layout = method.layouts.find((l) => l.id === state.layout) ?? method.layouts[0];
  const answer = state.answer;
  const old = Boolean(answer) && (state.out_of_date || computing || problem !== null);
  const tables = contents?.entries.filter((e) => e.type === "table") ?? [];
  const setField = fieldOf(change);
  const setSpec = (spec: Record<string, unknown>) => change({ spec });
  const begin = async (spec: Record<string, unknown>, as?: string | null, adds?: boolean) => {
    const layout = as ? catalogue?.methods.find((m) => m.id === as)?.layouts[0]?.id : state.layout;
    if (layout && adds && !(await addColumns())) return;
    if (layout) made.mutate({ table: state.table, method: as ?? state.method, layout, spec });
  };
  const makers = catalogue?.methods.filter((m) => m.makes_models).map((m) => m.id) ?? [];
  const questions = contents?.entries.filter((e) => e.type === "question" && e.id !== id) ?? [];
  const around: Around = {
    columns,
    spec: filled(properties, state.spec),
    setSpec: (spec) => change({ spec }),
    levels: (ask) => levelsOf(ask, state.spec, columns, answer, values.data),
    found: Object.fromEntries(
      Object.entries(properties).flatMap(([field, p]) =>
        ["level", "orders"].includes(askOf(p).shown) && answer?.facts[field]
          ? [[field, String(answer.facts[field])]]
          : [],
      ),
    ),
    wrong: { column: problem?.column },
  };
  const control = (field: string) => (
    <Control field={field} property={properties[field]} around={around} set={(v) => setField(field, v)} />
  );
  const setLayout = (to: string) => {
    const slots = method.layouts.find((l) => l.id === to)?.slots ?? [];
    const kept = Object.fromEntries(
      Object.entries(state.spec).filter(([k]) => slots.includes(k) || !properties[k]?.ask?.sentence),
    );
    change({ layout: to, spec: kept });
  };
  return (
    <div className="flex min-h-full flex-col">
      <header className="rule bg-base-100 sticky top-0 z-30 border-b px-7 pb-3 pt-5">
        {layout && (
          <Sentence
            template={layout.sentence}
            properties={properties}
            needed={layout.needed}
            around={around}
            set={setField}
          />
        )}
        <Settings
          method={method}
          state={state}
          tables={tables}
          rows={answer?.rows}
          around={around}
          change={change}
          setLayout={setLayout}
          settings={answer?.settings ?? []}
        />
      </header>
      <WithMargin
        label="Can you rely on this?"
        margin={
          <>
            {answer && (
              <div className={old ? "stale" : ""}>
                <Checks
                  answer={answer}
                  study={study}
                  state={state}
                  set={fieldsOf(change)}
                  begin={(spec, as) => void begin(spec, as)}
                />
              </div>
            )}
            {answer && (
              <div className="mt-5 flex flex-col gap-2">
                <button
                  type="button"
                  className="btn btn-primary btn-sm"
                  data-key="add-to-report"
                  disabled={add.isPending}
                  onClick={() => add.mutate({ kind: "answer", ref: id })}
                >
                  Add to report
                </button>
                {answer.blocks.some((b) => b.type === "figure") && (
                  <button
                    type="button"
                    className="btn btn-sm"
                    disabled={figure.isPending}
                    onClick={() => figure.mutate({ table: state.table, from_question: id })}
                  >
                    Draw as a figure
                  </button>
                )}
              </div>
            )}
            {answer &&
            method.gives_columns &&
            table.data?.table &&
            state.layout !== "side_by_side" &&
            state.layout !== "summaries" ? (
              <button
                type="button"
                className="btn btn-sm mt-2 w-full"
                title="What the answer has for every row becomes columns of the table, as a step on its path"
                onClick={() => void addColumns()}
              >
                Add its columns to the table
              </button>
            ) : null}
            <p className="mt-4 text-sm">
              <Link className="link-quiet !font-normal" to={`/methods/${method.id}`}>
                About this method
              </Link>
            </p>
            {columns.length > 0 && (
              <details className="mt-4 text-[0.92rem]">
                <summary className="muted cursor-pointer">Columns to drag into the sentence</summary>
                <ul className="mt-2 flex flex-wrap gap-1.5">
                  {columns.slice(0, 80).map((c) => (
                    <li
                      key={c.name}
                      draggable
                      className="chip cursor-grab !py-0.5"
                      onDragStart={(e) => e.dataTransfer.setData("text/yavik-column", c.name)}
                    >
                      {c.name}
                    </li>
                  ))}
                </ul>
              </details>
            )}
          </>
        }
      >
        <div className="bg-base-200/50 min-h-full px-7 py-5">
          {working && <JobBar job={working} />}
          {early && <Early said={early} />}
          {stopped && !working && !computing && state.ready && (state.out_of_date || !answer) && (
            <p className="py-2">
              {stopped}{" "}
              <button type="button" className="link-quiet" onClick={() => (setStopped(""), void renew())}>
                Work it out again
              </button>
            </p>
          )}
          {problem && (
            <Trouble error={problem}>
              {problem.rows?.length ? (
                <button className="link-quiet" onClick={() => go(rowsPath(study, state.table, problem.rows ?? []))}>
                  Show the rows
                </button>
              ) : null}
            </Trouble>
          )}
          {!state.ready &&
            !answer &&
            (method.view === "lineup" ? (
              <div className="py-8">
                <p className="muted mb-4 text-lg">
                  A line-up sets models of one response side by side. Add models of this table here, or tick rounds on a
                  model’s trail.
                </p>
                <AddModel
                  study={study}
                  table={state.table}
                  entries={questions}
                  makers={makers}
                  add={(m) => setField("models", [m])}
                />
              </div>
            ) : (
              <p className="muted py-8 text-lg">Fill the slots of the sentence: the answer appears here at once.</p>
            ))}
          {answer && state.upgrade && <Upgrade upgrade={state.upgrade} renew={() => void renew()} />}
          {answer && old && !state.upgrade?.waiting && (
            <p className="text-primary mb-2 text-sm font-semibold" role="status">
              {problem
                ? "The last answer that could be given"
                : computing || working
                  ? "Out of date: being renewed"
                  : "Out of date"}
            </p>
          )}
          {answer && (
            <div className={old ? "stale" : ""} aria-busy={computing || Boolean(working)}>
              {method.view === "lineup" ? (
                <LineupView
                  study={study}
                  spec={state.spec}
                  answer={answer}
                  set={setSpec}
                  others={questions}
                  models={makers}
                  table={state.table}
                />
              ) : (
                <>
                  <Trail study={study} state={state} open={setSpec} />
                  <AnswerView
                    answer={answer}
                    superseded={early !== null}
                    showRow={(rows) => void go(rowsPath(study, state.table, rows))}
                    control={control}
                    touch={{
                      spec: state.spec,
                      set: setField,
                      setAll: fieldsOf(change),
                      begin: (spec, as, adds) => void begin(spec, as, adds),
                      makeTable: (block) => void makeTable(block),
                    }}
                    openFigure={(block) => figure.mutate({ table: state.table, from_question: id, block })}
                  />
                  <div className="mt-6">
                    <Variants study={study} state={state} open={setSpec} />
                  </div>
                </>
              )}
            </div>
          )}
        </div>
      </WithMargin>
    </div>
  );
}
