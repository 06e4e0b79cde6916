// Server state, by TanStack Query; there is no second copy of it.
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useParams } from "react-router";
import { api, take, type S } from "./api";
import { say, sayProblem } from "../common/toasts";

export function useStudyId(): string {
  return useParams().study ?? "";
}

export function useStudies() {
  return useQuery({ queryKey: ["studies"], queryFn: () => take(api.GET("/api/studies")) });
}

export function useContents(study: string) {
  return useQuery({
    queryKey: ["contents", study],
    enabled: study !== "",
    queryFn: () => take(api.GET("/api/studies/{study_id}", { params: { path: { study_id: study } } })),
  });
}

export function useCatalogue() {
  return useQuery({ queryKey: ["catalogue"], staleTime: Infinity, queryFn: () => take(api.GET("/api/catalogue")) });
}

export function useTable(study: string, id: string | undefined) {
  return useQuery({
    queryKey: ["table", study, id],
    enabled: Boolean(id),
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}", {
          params: { path: { study_id: study, table_id: id ?? "" } },
        }),
      ),
  });
}

export function useColumns(study: string, id: string, version: string | undefined, names: string[]) {
  return useQuery({
    queryKey: ["columns", study, id, version, names],
    enabled: names.length > 0 && Boolean(version),
    staleTime: Infinity,
    placeholderData: (old) => old,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/columns", {
          params: { path: { study_id: study, table_id: id }, query: { names } },
        }),
      ),
  });
}

/** Different values of columns without levels of their own, for settings that choose one of them. */
export function useValues(study: string, id: string | undefined, version: string | undefined, names: string[]) {
  return useQuery({
    queryKey: ["values", study, id, version, names],
    enabled: names.length > 0 && Boolean(id && version),
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/values", {
          params: { path: { study_id: study, table_id: id ?? "" }, query: { names } },
        }),
      ),
  });
}

/** What a change of one entry changes in the contents, taken over at once; what depends on it is asked for when there
 * is time. */
export function takeAround(client: QueryClient, study: string, around: S["Around"] | null | undefined): void {
  if (!around) return void client.invalidateQueries({ queryKey: ["contents", study] });
  client.setQueryData(["contents", study], (old: S["Contents"] | undefined) => old && withAround(old, around));
  window.clearTimeout(rest);
  rest = window.setTimeout(() => void client.invalidateQueries({ queryKey: ["contents", study] }), REST);
}

/** The lines that depend on a change are asked for once the hand rests: they would hold the next answer up. */
const REST = 1500;
let rest = 0;

export function withAround(old: S["Contents"], around: S["Around"]): S["Contents"] {
  const entries = old.entries.map((e) => (e.id === around.entry.id ? around.entry : e));
  return { ...old, entries, undo: around.undo, redo: around.redo };
}

/** Everything of a study is asked for again: after undo, redo and changes with far effects. */
export async function refreshStudy(client: QueryClient, study: string): Promise<void> {
  await client.invalidateQueries({ predicate: (q) => q.queryKey[1] === study || q.queryKey[0] === "studies" });
}

/** Changes on their way to the server: undo waits for them, so that it takes back what was seen last. */
let underway: Promise<unknown> = Promise.resolve();

/** How often the study was taken back or forth: what was asked for before that is not to be shown after it. */
let moves = 0;

export function movesSoFar(): number {
  return moves;
}

export function onTheWay(change: Promise<unknown>): void {
  underway = Promise.allSettled([underway, change]);
}

export function useUndo(study: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (way: "undo" | "redo") => {
      await underway;
      moves++;
      const moved = await take(
        way === "undo"
          ? api.POST("/api/studies/{study_id}/undo", { params: { path: { study_id: study } } })
          : api.POST("/api/studies/{study_id}/redo", { params: { path: { study_id: study } } }),
      );
      moves++; // what was asked for while the study was taken back may tell of it as it was
      return moved;
    },
    onSuccess: async (moved, way) => {
      await refreshStudy(client, study);
      say(
        moved.label ? `${way === "undo" ? "Undone" : "Done again"}: ${lowerFirst(moved.label)}` : `Nothing to ${way}`,
      );
    },
    onError: sayProblem,
  });
}

function lowerFirst(text: string): string {
  return text.charAt(0).toLowerCase() + text.slice(1);
}

export function useItemChange(study: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, ...change }: { id: string; name?: string; before?: string }) =>
      take(
        api.PATCH("/api/studies/{study_id}/items/{item_id}", {
          params: { path: { study_id: study, item_id: id } },
          body: change,
        }),
      ),
    onSuccess: () => refreshStudy(client, study),
    onError: sayProblem,
  });
}

export function useNewQuestion(study: string, then: (made: S["QuestionState"]) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: { table: string; method: string; layout?: string; spec?: Record<string, unknown> }) =>
      take(
        api.POST("/api/studies/{study_id}/questions", {
          params: { path: { study_id: study } },
          body: { layout: "", spec: {}, ...body },
        }),
      ),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["contents", study] });
      then(made);
    },
    onError: sayProblem,
  });
}

export function useNewFigure(study: string, then: (made: S["FigureState"]) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: { table: string; from_question?: string; block?: string }) =>
      take(api.POST("/api/studies/{study_id}/figures", { params: { path: { study_id: study } }, body })),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["contents", study] });
      then(made);
    },
    onError: sayProblem,
  });
}

export function useAddToReport(study: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: { kind: "answer" | "figure"; ref: string }) =>
      take(
        api.POST("/api/studies/{study_id}/reports/add", {
          params: { path: { study_id: study } },
          body: { parts: [], ...body },
        }),
      ),
    onSuccess: async (report) => {
      await client.invalidateQueries({ queryKey: ["contents", study] });
      await client.invalidateQueries({ queryKey: ["report", study] });
      say(`Added to ${report.name}`);
    },
    onError: sayProblem,
  });
}
