// Random terms as a spec has them: which columns name a unit, within which others, and what each unit has.
export type RandomTerm = { units: string[]; slopes?: string[]; intercept?: boolean; related?: boolean };

export function asRandom(value: unknown): RandomTerm[] {
  if (!Array.isArray(value)) return [];
  return (value as (RandomTerm | string)[]).map((t) => (typeof t === "string" ? { units: [t] } : t));
}

/** "lamp within hall, with slopes of week". */
export function words(term: RandomTerm, titled: (name: string) => string): string {
  const units = [...term.units].reverse().map(titled).join(" within ");
  const slopes = (term.slopes ?? []).map(titled).join(" and ");
  return slopes ? `${units}, with slopes of ${slopes}` : units;
}

/** The unit put within another column, or taken out of it; its own column stays last. */
export function within(term: RandomTerm, name: string): RandomTerm {
  const own = term.units[term.units.length - 1]!;
  const outer = term.units.slice(0, -1);
  const next = outer.includes(name) ? outer.filter((n) => n !== name) : [...outer, name];
  return { ...term, units: [...next, own] };
}

export function withSlope(term: RandomTerm, name: string): RandomTerm {
  const now = term.slopes ?? [];
  return { ...term, slopes: now.includes(name) ? now.filter((n) => n !== name) : [...now, name] };
}
