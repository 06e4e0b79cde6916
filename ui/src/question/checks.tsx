// "Can you rely on this?": verdicts by shape and word as well as colour, with remedies that work.
import { unparted } from "../common/unparted";
import { useNavigate } from "react-router";
import type { Answer, S } from "../client/api";
import { rowsPath } from "../common/contents";

const LOOK = {
  holds: { shape: "●", word: "Holds", colour: "text-success" },
  doubtful: { shape: "▲", word: "Doubtful", colour: "text-warning" },
  fails: { shape: "■", word: "Fails", colour: "text-error" },
  unknown: { shape: "○", word: "Cannot be judged", colour: "muted" },
} as const;

export function Checks({
  answer,
  study,
  state,
  set,
  begin,
}: {
  answer: Answer;
  study: string;
  state: S["QuestionState"];
  set: (fields: Record<string, unknown>) => void;
  /** Asks a question of its own, of another method. */
  begin: (spec: Record<string, unknown>, method: string) => void;
}) {
  const go = useNavigate();
  const apply = (remedy: S["Remedy"]) => {
    if (remedy.spec && remedy.method) begin(remedy.spec, remedy.method);
    else if (remedy.spec) set(remedy.spec);
    else if (remedy.rows) void go(rowsPath(study, state.table, remedy.rows));
  };
  return (
    <>
      <h2 className="mb-2 font-bold">Can you rely on this?</h2>
      <ul>
        {answer.checks.map((c) => {
          const look = LOOK[c.verdict];
          return (
            <li key={c.id} className="rule border-b py-3 first:pt-1" data-check={c.id} data-verdict={c.verdict}>
              <div className="flex items-baseline justify-between gap-2">
                <h3 className="font-semibold">{c.title}</h3>
                <span className="shrink-0 text-[0.88rem] font-semibold">
                  <span className={look.colour} aria-hidden="true">
                    {look.shape}
                  </span>{" "}
                  {look.word}
                </span>
              </div>
              <p className="muted mt-0.5 text-[0.92rem] leading-snug">{unparted(c.text)}</p>
              {(c.remedies ?? []).map((r) => (
                <button
                  key={r.label}
                  type="button"
                  className="link-quiet mr-4 mt-1 text-[0.92rem]"
                  onClick={() => apply(r)}
                >
                  {r.label}
                </button>
              ))}
            </li>
          );
        })}
      </ul>
    </>
  );
}
