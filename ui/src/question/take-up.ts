// What of an answer goes back into the study's data: its columns, or one of its tables.
import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, take, type S, type TableBlock } from "../client/api";
import { meant } from "../client/together";
import { say, sayProblem } from "../common/toasts";

type Step = Record<string, unknown>;

/** Whether a path has the columns of this very question already. */
export function taken(steps: Step[], method: string, spec: unknown): boolean {
  const asked = JSON.stringify(spec);
  return steps.some((s) => s.step === "from_answer" && s.method === method && JSON.stringify(s.spec) === asked);
}

export function useTakeUp(
  study: string,
  state: S["QuestionState"] | undefined,
  table: S["TableOut"] | null | undefined,
) {
  const before: Step[] = table?.steps ?? [];
  const client = useQueryClient();
  const go = useNavigate();
  const show = (table: string) => ({ label: "Show it", run: () => void go(`/s/${study}/t/${table}`) });
  const renew = () => client.invalidateQueries({ predicate: (q) => q.queryKey[1] === study });
  const work = async (what: () => Promise<void>) => {
    try {
      await what();
      return true;
    } catch (e) {
      sayProblem(e);
      return false;
    }
  };
  /** Its columns become columns of the table, once; false where that cannot be. */
  const addColumns = async (): Promise<boolean> => {
    if (!state) return false;
    if (taken(before, state.method, state.spec)) return (say("They are in the table already"), true);
    return work(async () => {
      await take(
        api.PUT("/api/studies/{study_id}/tables/{table_id}/steps", {
          params: { path: { study_id: study, table_id: state.table }, ...(table ? meant(table.revision) : {}) },
          body: {
            steps: [...before, { step: "from_answer", method: state.method, spec: state.spec }],
            label: `Add columns of ${state.name}`,
          },
        }),
      );
      await renew();
      say("Added to the table", show(state.table));
    });
  };
  /** One of its tables becomes a table of the study, which stays linked to the data. */
  const makeTable = (block: TableBlock) =>
    state &&
    work(async () => {
      const step = { step: "table_of_answer", method: state.method, spec: state.spec, block: block.id };
      const made = await take(
        api.POST("/api/studies/{study_id}/tables/{table_id}/derived", {
          params: { path: { study_id: study, table_id: state.table } },
          body: { name: `${state.name}: ${block.title}`.slice(0, 200), steps: [step] },
        }),
      );
      await renew();
      say("Made a table of it", made.table ? show(made.table.id) : undefined);
    });
  return { addColumns, makeTable };
}
