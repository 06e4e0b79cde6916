// Critical values by simulation: for which term, how many draws, and which comparisons of its means.
import { askOf, namesFor, titleOf, type AskProps, type Fields } from "./ask";
import { Editor, type Typed } from "./contrasts";
import { titleOf as columnTitle } from "../common/chips";
import { asList } from "../common/lists";
import { Choice, Help, Num } from "./simple";
import { asTerms } from "./terms";

type Simulate = { term: string | string[]; draws?: number; contrasts?: Typed[]; margin?: number | null; type?: string };

const TYPES = {
  two_sided: "any difference",
  less: "less",
  greater: "greater",
  non_inferiority: "not worse by the margin",
  equivalence: "alike within the margin",
};

/** The terms that can be left out: columns by themselves, and their interactions. */
export function termsOf(spec: Fields): string[][] {
  if (!spec.subject)
    return asTerms(spec.terms).flatMap((t) =>
      typeof t === "string" ? [[t]] : "interaction" in t ? [t.interaction] : [],
    );
  const names = namesFor({ of: "time_terms" }, spec);
  const sets = names.reduce<string[][]>((found, n) => [...found, ...found.map((s) => [...s, n])], [[]]);
  const asked = spec.interactions;
  const mixed = sets.filter(
    (s) => s.length > 1 && (asked === "all" || (Array.isArray(asked) && (asked as string[][]).some((a) => same(a, s)))),
  );
  return [...names.map((n) => [n]), ...asList(spec.covariates).map((n) => [n]), ...mixed];
}

function same(a: string[], b: string[]): boolean {
  return a.length === b.length && a.every((n) => b.includes(n));
}

export function SimulateField({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const now = (value ?? null) as Simulate | null;
  const terms = termsOf(around.spec);
  if (!terms.length) return null;
  const chosen = now ? asList(now.term) : [];
  const titled = (t: string[]) => t.map((n) => columnTitle(n, around.columns)).join(" × ");
  const put = (part: Partial<Simulate>) => now && set({ ...now, ...part });
  const levels = cells(chosen, around.columns);
  const contrasts = now?.contrasts ?? [];
  const margin = now?.type === "non_inferiority" || now?.type === "equivalence";
  return (
    <fieldset className="field w-full" data-option={name}>
      <legend>{titleOf(name, property)}</legend>
      <span className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <Choice
          mark={{ "aria-label": "Term that is judged by simulation" }}
          value={now ? chosen.join("\u0001") : ""}
          options={[["", "for no term"], ...terms.map((t): [string, string] => [t.join("\u0001"), titled(t)])]}
          set={(v) =>
            set(v ? { ...(now ?? { draws: 999 }), term: v.split("\u0001"), contrasts: [], type: "two_sided" } : null)
          }
        />
        {now && (
          <Num
            label="Draws"
            width="w-24"
            value={now.draws ?? 999}
            min={99}
            max={99999}
            step={1}
            set={(v) => v !== null && put({ draws: v })}
          />
        )}
        {now && contrasts.length > 0 && (
          <Choice
            mark={{ "aria-label": "What the comparisons are to show" }}
            value={now.type ?? "two_sided"}
            options={TYPES}
            set={(type) => put({ type })}
          />
        )}
        {margin && (
          <Num label="Margin" width="w-24" value={now?.margin} placeholder="needed" set={(v) => put({ margin: v })} />
        )}
      </span>
      <Help>{ask.help}</Help>
      {now && levels.length > 1 && levels.length <= 24 && (
        <Editor key={levels.join("\u0001")} levels={levels} kept={contrasts} set={(next) => put({ contrasts: next })} />
      )}
    </fieldset>
  );
}

/** "quiet" or "quiet × desk" of each combination of levels; none where a column is a measure. */
function cells(names: string[], columns: AskProps["around"]["columns"]): string[] {
  const levels = names.map((n) => (columns.find((c) => c.name === n)?.levels ?? []).map((l) => l.label ?? l.value));
  if (!levels.length || levels.some((l) => !l.length)) return [];
  return levels.reduce<string[]>(
    (found, own) => (found.length ? found.flatMap((f) => own.map((l) => `${f} × ${l}`)) : own),
    [],
  );
}
