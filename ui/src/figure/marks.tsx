// Marks that an answer lends: letters, p, brackets over pairs, its lines; always in step with it.
import type { S } from "../client/api";
import type { Change } from "./appearance";
import { Check, Choice } from "../asking/simple";

export function AnswerMarks({ state, change }: { state: S["FigureState"]; change: Change }) {
  const f = state.figure;
  if (state.marks_sources.length === 0 && !f.marks_from)
    return (
      <p className="muted text-[0.92rem]">
        Ask a question about these columns; its letters, p and lines can then stand here and stay in step.
      </p>
    );
  const source = state.marks_sources.find((m) => m.id === f.marks_from);
  const pairs = source?.pairs ?? [];
  const chosen = f.brackets ?? [];
  const is = (a: string, b: string) => chosen.some((c) => (c[0] === a && c[1] === b) || (c[0] === b && c[1] === a));
  const toggle = (a: string, b: string, on: boolean) =>
    change({
      brackets: on
        ? [...chosen, [a, b]]
        : chosen.filter((c) => !((c[0] === a && c[1] === b) || (c[0] === b && c[1] === a))),
    });
  return (
    <>
      <Choice
        label="Take from"
        value={f.marks_from ?? ""}
        options={{ "": "no answer", ...Object.fromEntries(state.marks_sources.map((m) => [m.id, m.name])) }}
        set={(v) => change({ marks_from: v || null })}
      />
      {state.marks_problem && (
        <p className="border-warning border-l-4 pl-3 text-[0.92rem]" role="status">
          {state.marks_problem}
        </p>
      )}
      {f.marks_from && (
        <>
          {f.kind === "groups" || f.kind === "samples" ? (
            <Check label="Letters above each group" value={f.letters ?? true} set={(letters) => change({ letters })} />
          ) : (
            <Check label="Lines and bands of the model" value={f.fitted ?? true} set={(fitted) => change({ fitted })} />
          )}
          <Check label="Overall p value" value={f.p ?? true} set={(p) => change({ p })} />
          {pairs.length > 0 && (f.kind === "groups" || f.kind === "samples") && (
            <fieldset>
              <legend className="muted mb-1 text-[0.86rem]">Brackets for chosen pairs</legend>
              <div className="max-h-40 space-y-1 overflow-y-auto">
                {pairs.slice(0, 60).map(([a, b]) => (
                  <Check key={`${a}–${b}`} label={`${a} – ${b}`} value={is(a!, b!)} set={(on) => toggle(a!, b!, on)} />
                ))}
              </div>
            </fieldset>
          )}
        </>
      )}
    </>
  );
}
