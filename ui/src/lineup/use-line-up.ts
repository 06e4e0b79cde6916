// Begins a line-up of models: the question whose page sets models side by side.
import { useNavigate } from "react-router";
import { useCatalogue, useNewQuestion } from "../client/hooks";

export type Lined = { name?: string | null; method: string; spec: Record<string, unknown> };
export const MOST = 12;

export function useLineUp(study: string, table: string): { begin: (models: Lined[]) => void; busy: boolean } {
  const go = useNavigate();
  const { data: catalogue } = useCatalogue();
  const made = useNewQuestion(study, (q) => void go(`/s/${study}/q/${q.id}`));
  const method = catalogue?.methods.find((m) => m.view === "lineup");
  return {
    begin: (models) =>
      method &&
      made.mutate({
        table,
        method: method.id,
        layout: method.layouts[0]?.id ?? "",
        spec: { models: models.slice(-MOST) },
      }),
    busy: made.isPending || !method,
  };
}
