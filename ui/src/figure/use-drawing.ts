// A figure's drawing, kept in step with its sentence and its data: nobody asks for it to be drawn.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, take, type Job, type S } from "../client/api";
import { onTheWay } from "../client/hooks";
import { useJob } from "../common/job";
import { sayProblem } from "../common/toasts";

type State = S["FigureState"];

/** Has the figure drawn when it is out of date; gives the work that draws it while that takes. */
export function useDrawing(study: string, id: string, state: State | undefined): Job | null {
  const client = useQueryClient();
  const wanted = state && state.out_of_date && !state.problem && !state.job ? JSON.stringify(state.figure) : "";
  const asked = useRef("");
  useEffect(() => {
    if (!wanted) asked.current = "";
    if (!wanted || wanted === asked.current) return;
    asked.current = wanted;
    const key = ["figure", study, id];
    const params = { path: { study_id: study, item_id: id } };
    const drawn = take(api.POST("/api/studies/{study_id}/figures/{item_id}/draw", { params })).then((next) => {
      const now = client.getQueryData<State>(key);
      // A change that was made meanwhile brings a drawing of its own.
      if (JSON.stringify(now?.figure) !== wanted) return;
      client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: ["contents", study] });
      void client.invalidateQueries({ queryKey: ["report", study] });
    }, sayProblem);
    onTheWay(drawn);
  }, [wanted, client, study, id]);
  return useJob(state?.job, (ended) => {
    const key = ["figure", study, id];
    const now = client.getQueryData<State>(key);
    if (now?.job?.id !== ended.id) return;
    if (ended.state === "done") return void client.invalidateQueries();
    const problem = ended.problem ?? { message: ended.what };
    client.setQueryData(key, { ...now, job: null, problem, drawing: null });
  });
}
