// A question's answer, kept in step with its sentence and its data: no run button.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, Problem, take, type Job, type S } from "../client/api";
import { movesSoFar, onTheWay, takeAround } from "../client/hooks";
import { follow, together, type Meant } from "../client/together";
import { sayProblem } from "../common/toasts";

type State = S["QuestionState"];

type Part = { spec?: Record<string, unknown>; layout?: string; table?: string };
export type Change = (ask: Part | ((now: State) => Part)) => void;

/** Sets fields of the sentence as it then stands, whatever of it was drawn. */
export function fieldsOf(change: Change): (fields: Record<string, unknown>) => void {
  return (fields) => change((now) => ({ spec: { ...now.spec, ...fields } }));
}

/** Sets one field likewise. */
export function fieldOf(change: Change): (field: string, value: unknown) => void {
  return (field, value) => fieldsOf(change)({ [field]: value });
}

/** Keeps the answer in step with the sentence and the data: no run button. */
export function useAnswer(study: string, id: string, state: State | undefined) {
  const client = useQueryClient();
  const [problem, setProblem] = useState<Problem | null>(null);
  const [job, setJob] = useState<Job | null>(null);
  const [computing, setComputing] = useState(false);
  const [unsaved, setUnsaved] = useState(0);
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const turn = useRef(0);
  const asked = useRef("");
  const waiting = useRef(0);
  const seen = useRef(0);
  const where = { params: { path: { study_id: study, item_id: id } } };
  const store = useCallback(
    (next: State, tell = true) => {
      // A look that was on its way from before would bring the sentence back as it was.
      void client.cancelQueries({ queryKey: ["question", study, id] }, { revert: false, silent: true });
      client.setQueryData(["question", study, id], next);
      if (tell) takeAround(client, study, next.around);
    },
    [client, study, id],
  );
  const renew = useCallback(async () => {
    const mine = ++turn.current;
    const before = movesSoFar();
    setComputing(true);
    try {
      const next = await take(
        api.POST("/api/studies/{study_id}/questions/{item_id}/answer", {
          params: { path: { study_id: study, item_id: id } },
        }),
      );
      if (mine !== turn.current) return;
      if (before !== movesSoFar()) return void client.invalidateQueries({ queryKey: ["question", study, id] });
      setProblem(null);
      setJob(next.job ?? null);
      store(next);
    } catch (e) {
      if (mine === turn.current) setProblem(e instanceof Problem ? e : new Problem({}));
    } finally {
      if (mine === turn.current) setComputing(false);
    }
  }, [client, store, study, id]);
  const patch = (body: Part, { header }: { header: Meant }) => {
    const params = { path: where.params.path, header, query: { answer: true } };
    return take(api.PATCH("/api/studies/{study_id}/questions/{item_id}", { params, body }));
  };
  const change: Change = (ask) => {
    // Two changes may come before the page is drawn again: each is made on the sentence as it now stands.
    const now = client.getQueryData<State>(["question", study, id]) ?? state;
    if (!now) return;
    const part = typeof ask === "function" ? ask(now) : ask;
    if (waiting.current++ === 0) seen.current = now.revision;
    // The sentence answers at once; the server keeps it, and the answer follows.
    void client.cancelQueries({ queryKey: ["question", study, id] }, { revert: false, silent: true });
    client.setQueryData(["question", study, id], { ...now, ...part });
    asked.current = "";
    turn.current++;
    setJob(null);
    setComputing(false); // an answer on its way is for the sentence as it was; it will not be told of
    setUnsaved((n) => n + 1);
    const mine = turn.current;
    // Changes are sent in order, and the answer is asked for when the last of them is kept.
    line.current = line.current
      .then(() => together((headers) => patch(part, headers), seen.current, now.name))
      .then((next) => {
        if (!next) return client.invalidateQueries({ queryKey: ["question", study, id] });
        seen.current = follow(seen.current, next.revision, mine === turn.current);
        if (mine !== turn.current) return;
        // Kept and answered in one request: nothing is left to be asked for but what takes long.
        const { message, ...more } = (next.problem ?? {}) as { message?: string };
        setProblem(message ? new Problem({ detail: message, ...more }) : null);
        setJob(next.job ?? null);
        asked.current = next.ready ? wantedOf(next) : "";
        store(next);
      }, sayProblem)
      .finally(() => (waiting.current--, setUnsaved((n) => n - 1)));
    onTheWay(line.current);
  };
  const waits = state && unsaved === 0 && state.ready && !state.upgrade?.waiting;
  const wanted = waits && (state.out_of_date || !state.answer) ? wantedOf(state) : "";
  useEffect(() => {
    if (wanted && wanted !== asked.current) {
      asked.current = wanted;
      void renew();
    }
    if (!wanted && unsaved === 0 && state && !state.out_of_date) {
      asked.current = "";
      setProblem(null);
    }
  }, [wanted, renew, state, unsaved]);
  return { problem, setProblem, job, change, computing, renew };
}

/** What an answer is asked for, so that it is asked for once. */
function wantedOf(state: State): string {
  return JSON.stringify([state.spec, state.table, state.layout, state.out_of_date]);
}

export function problemOf(job: Job): Problem {
  const { message, ...more } = (job.problem ?? {}) as { message?: string };
  return new Problem({ detail: message, ...more });
}
