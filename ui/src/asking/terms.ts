// Terms of a model as its spec has them, and what follows from taking one in or out.
import type { Column } from "../client/api";

export type Term = string | { column: string; power: number } | { interaction: string[] };
type Spec = Record<string, unknown>;

export function asTerms(value: unknown): Term[] {
  return Array.isArray(value) ? (value as Term[]) : [];
}

export function namesOf(term: Term): string[] {
  return typeof term === "string" ? [term] : "column" in term ? [term.column] : term.interaction;
}

function isTerm(value: unknown): value is Term {
  return (
    typeof value === "string" ||
    (typeof value === "object" && value !== null && ("column" in value || "interaction" in value))
  );
}

/** Columns of the terms, in order, without repeats; what is no term counts for nothing. */
export function termColumns(value: unknown): string[] {
  return [...new Set(asTerms(value).filter(isTerm).flatMap(namesOf))];
}

export function keyOf(term: Term): string {
  return typeof term === "string"
    ? term
    : "column" in term
      ? `${term.column}^${term.power}`
      : [...term.interaction].sort().join("*");
}

const SUPER = ["", "", "²", "³", "⁴", "⁵", "⁶", "⁷", "⁸", "⁹", "¹⁰"];

export function power(n: number): string {
  return SUPER[n] ?? `^${n}`;
}

export function titleOf(term: Term, columns: Column[], words: (w: string) => string): string {
  const titled = (n: string) => words(columns.find((c) => c.name === n)?.label ?? n);
  if (typeof term === "string") return titled(term);
  return "column" in term ? titled(term.column) + power(term.power) : term.interaction.map(titled).join(" × ");
}

export function isCategory(column: Column | undefined, numbers: string[]): boolean {
  return column !== undefined && !numbers.includes(column.kind);
}

/** The spec with other terms: whatever speaks of a column that is gone goes with it. */
export function withTerms(spec: Spec, terms: Term[]): Spec {
  const kept = new Set(terms.flatMap(namesOf));
  const only = (value: unknown) =>
    Object.fromEntries(Object.entries((value ?? {}) as Spec).filter(([k]) => kept.has(k)));
  const next: Spec = { ...spec, terms };
  for (const field of ["reference", "per", "at"]) if (spec[field]) next[field] = only(spec[field]);
  if (Array.isArray(spec.predict_at))
    next.predict_at = (spec.predict_at as Spec[]).map(only).filter((c) => Object.keys(c).length);
  return next;
}

/** Without a term, and without what stands on it: powers and interactions of a column that leaves. */
export function without(terms: Term[], gone: Term): Term[] {
  const key = keyOf(gone);
  if (typeof gone === "string") return terms.filter((t) => !namesOf(t).includes(gone));
  if ("column" in gone)
    return terms.filter(
      (t) => !(typeof t === "object" && "column" in t && t.column === gone.column && t.power >= gone.power),
    );
  return terms.filter((t) => keyOf(t) !== key);
}
