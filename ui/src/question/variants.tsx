// Other models that an answer speaks of: rounds of a selection, runners-up. Each can be opened or lined up.
import type { S } from "../client/api";
import { useLineUp } from "../lineup/use-line-up";

export function Variants({
  study,
  state,
  open,
}: {
  study: string;
  state: S["QuestionState"];
  open: (spec: Record<string, unknown>) => void;
}) {
  const lineUp = useLineUp(study, state.table);
  const variants = state.answer?.variants ?? [];
  if (!variants.length) return null;
  const models = variants.map((v) => ({ name: v.label, method: state.method, spec: v.spec }));
  return (
    <section aria-label="Models on the way" className="text-[0.92rem]">
      <p className="mb-1.5">
        <b className="font-semibold">Models on the way</b>{" "}
        <span className="muted">open one as it is, without the selection</span>
      </p>
      <div className="flex flex-wrap gap-1.5">
        {variants.map((v, i) => (
          <button key={i} type="button" className="chip" title={v.said} onClick={() => open(v.spec)}>
            {v.label} <span className="muted">{v.said}</span>
          </button>
        ))}
        {variants.length > 1 && (
          <button
            type="button"
            className="btn btn-xs self-center"
            disabled={lineUp.busy}
            onClick={() => lineUp.begin(models)}
          >
            Line them up
          </button>
        )}
      </div>
    </section>
  );
}
