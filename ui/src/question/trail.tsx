// The trail of a model: each round, what changed and how well it fitted; any line can be gone back to, named, lined up.
import { cx } from "../common/classes";
import { Pencil, Undo2, X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S } from "../client/api";
import { grouped } from "../common/bits";
import { useLineUp } from "../lineup/use-line-up";
import { sayProblem } from "../common/toasts";

type State = S["QuestionState"];
type Line = S["TrailLine"];
const SHOWN = 6;
const MOST_FIT = 5;

export function Trail({
  study,
  state,
  open,
}: {
  study: string;
  state: State;
  open: (spec: Record<string, unknown>) => void;
}) {
  const client = useQueryClient();
  const [chosen, setChosen] = useState<number[]>([]);
  const [naming, setNaming] = useState<number | null>(null);
  const [all, setAll] = useState(false);
  const { begin, busy } = useLineUp(study, state.table);
  const lines = state.trail ?? [];
  if (lines.length < 2) return null;
  const shown = all ? lines : lines.filter((l, i) => i >= lines.length - SHOWN || l.current);
  const heads = (lines[lines.length - 1]?.fit ?? []).filter((f) => f.better).slice(0, MOST_FIT);
  const path = (round: number) => ({ params: { path: { study_id: study, item_id: state.id, round_id: round } } });
  const keep = (next: State) => client.setQueryData(["question", study, state.id], next);
  const name = (line: Line, words: string) => {
    setNaming(null);
    if (words.trim() !== (line.name ?? ""))
      void take(
        api.PATCH("/api/studies/{study_id}/questions/{item_id}/trail/{round_id}", {
          ...path(line.id),
          body: { name: words.trim() || null },
        }),
      ).then(keep, sayProblem);
  };
  const drop = (line: Line) =>
    void take(api.DELETE("/api/studies/{study_id}/questions/{item_id}/trail/{round_id}", path(line.id))).then(
      keep,
      sayProblem,
    );
  const lineUp = () =>
    begin(
      lines.filter((l) => chosen.includes(l.id)).map((l) => ({ name: l.name, method: state.method, spec: l.spec })),
    );
  // Only fits to as many rows can be better or worse than the present one.
  const rows = (lines.find((l) => l.current) ?? lines[lines.length - 1]!).n;
  const best = (key: string) => {
    const known = lines
      .filter((l) => l.n === rows)
      .flatMap((l) => l.fit.filter((f) => f.key === key && f.v !== null && f.v !== undefined));
    const values = known.map((f) => f.v as number);
    return values.length > 1 ? (known[0]?.better === "high" ? Math.max(...values) : Math.min(...values)) : null;
  };
  return (
    <section aria-label="Trail of the model" className="mb-6" data-testid="trail">
      <div className="overflow-x-auto">
        <table className="res many">
          <caption>Trail</caption>
          <thead>
            <tr>
              <th scope="col" className="left">
                <span className="sr-only">For the line-up</span>
              </th>
              <th scope="col" className="left">
                What changed
              </th>
              {heads.map((f) => (
                <th key={f.key} scope="col">
                  {f.short || f.title}
                </th>
              ))}
              <th scope="col">n</th>
              <th scope="col">
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((line) => (
              <tr
                key={line.id}
                className={line.current ? "picked" : ""}
                aria-current={line.current ? "true" : undefined}
              >
                <td className="left w-7">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    aria-label={`Line up ${line.name ?? line.changed}`}
                    checked={chosen.includes(line.id)}
                    onChange={(e) =>
                      setChosen(e.target.checked ? [...chosen, line.id] : chosen.filter((c) => c !== line.id))
                    }
                  />
                </td>
                <td className="left max-w-56">
                  {naming === line.id ? (
                    <input
                      className="input input-xs w-56"
                      aria-label="Name of this model"
                      autoFocus
                      defaultValue={line.name ?? ""}
                      onBlur={(e) => name(line, e.target.value)}
                      onKeyDown={(e) =>
                        e.key === "Enter" ? e.currentTarget.blur() : e.key === "Escape" ? setNaming(null) : undefined
                      }
                    />
                  ) : (
                    <button
                      type="button"
                      className={cx(
                        "block max-w-full truncate text-left",
                        line.current ? "font-semibold" : "hover:underline",
                      )}
                      title={`${line.terms.join(", ") || "no term"}${line.current ? "" : ": go back to this model"}`}
                      onClick={() => !line.current && open(line.spec)}
                    >
                      {line.name ? `${line.name}: ` : ""}
                      {line.changed}
                    </button>
                  )}
                </td>
                {heads.map((h) => {
                  const f = line.fit.find((x) => x.key === h.key);
                  return (
                    <td key={h.key} className={f && line.n === rows && f.v === best(h.key) ? "font-semibold" : ""}>
                      {f?.s ?? ""}
                    </td>
                  );
                })}
                <td>{grouped(line.n)}</td>
                <td className="whitespace-nowrap">
                  <span className="flex justify-end">
                    {line.current ? (
                      <span className="muted px-1">now</span>
                    ) : (
                      <button
                        type="button"
                        className="btn btn-ghost btn-xs btn-square"
                        aria-label={`Go back to ${line.name ?? line.changed}`}
                        title="Go back to this model"
                        onClick={() => open(line.spec)}
                      >
                        <Undo2 size={13} />
                      </button>
                    )}
                    <button
                      type="button"
                      className="btn btn-ghost btn-xs btn-square"
                      aria-label={`Name ${line.name ?? line.changed}`}
                      title="Name this model"
                      onClick={() => setNaming(line.id)}
                    >
                      <Pencil size={13} />
                    </button>
                    {!line.current && (
                      <button
                        type="button"
                        className="btn btn-ghost btn-xs btn-square"
                        aria-label={`Take ${line.name ?? line.changed} off the trail`}
                        title="Take off the trail"
                        onClick={() => drop(line)}
                      >
                        <X size={13} />
                      </button>
                    )}
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-2 flex items-center gap-4 text-[0.92rem]">
        <button type="button" className="btn btn-xs" disabled={chosen.length < 2 || busy} onClick={lineUp}>
          Line up {chosen.length > 1 ? `these ${chosen.length}` : "the ticked"}
        </button>
        <button
          type="button"
          className="link-quiet !font-normal"
          onClick={() => setChosen(chosen.length === lines.length ? [] : lines.map((l) => l.id))}
        >
          {chosen.length === lines.length ? "Tick none" : "Tick all"}
        </button>
        {lines.length > SHOWN && (
          <button type="button" className="link-quiet !font-normal" aria-expanded={all} onClick={() => setAll(!all)}>
            {all ? "Only the last" : `All ${lines.length} models`}
          </button>
        )}
      </p>
    </section>
  );
}
