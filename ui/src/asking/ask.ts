// How a field is asked for, as the schemas of questions, steps and figures carry it, and what follows from it.
import type { Column } from "../client/api";
import { asList } from "../common/lists";
import { termColumns } from "./terms";

export type Side = { field: string; shown: "text" | "column" | "theirs"; title: string; blank?: boolean };
export type Ask = {
  shown: string;
  title?: string;
  help?: string;
  placeholder?: string;
  sentence?: boolean;
  layout?: string;
  kinds?: string[];
  numbers?: string[];
  of?: string;
  auto?: string;
  single?: boolean;
  words?: Record<string, string>;
  min?: number;
  max?: number;
  step?: number;
  empty?: boolean;
  fields?: string[];
  left?: Side;
  right?: Side;
  when?: Record<string, string[] | "set">;
  any?: boolean;
  look?: boolean;
  section?: string;
};
export type Property = {
  title?: string;
  ask?: Ask;
  default?: unknown;
  type?: string;
  enum?: string[];
  items?: { enum?: string[] };
  minItems?: number;
};
export type Properties = Record<string, Property>;
export type Fields = Record<string, unknown>;

/** What stands around a field: the description that it belongs to, and what that speaks of. */
export type Around = {
  columns: Column[];
  /** The description with its defaults. */
  spec: Fields;
  setSpec?: (spec: Fields) => void;
  study?: string;
  table?: string;
  /** The levels that a field speaks of. */
  levels?: (ask: Ask) => string[];
  /** What was taken where nothing is chosen, by field. */
  found?: Record<string, string>;
  /** Of some choices, the values there are here. */
  only?: Record<string, string[]>;
  /** The column and the place in an expression that were refused. */
  wrong?: { column?: string | null; position?: number | null };
  enter?: () => void;
};

export type AskProps = {
  name: string;
  property: Property;
  value: unknown;
  set: (value: unknown) => void;
  around: Around;
  /** Within a sentence, without its title and help. */
  bare?: boolean;
  needed?: boolean;
  /** A mark of the sentence that stays with the end of a slot of several lines. */
  after?: string;
};

export const askOf = (property: Property | undefined): Ask => property?.ask ?? { shown: "hidden" };
export const titleOf = (name: string, property: Property): string => property.ask?.title || property.title || name;

/** A description with the defaults of what it leaves open. */
export function filled(properties: Properties, spec: Fields): Fields {
  const defaults = Object.entries(properties).map(([name, p]) => [name, p.default]);
  return {
    ...Object.fromEntries(defaults),
    ...Object.fromEntries(Object.entries(spec).filter(([, v]) => v !== undefined)),
  };
}

/** Whether a field is offered under what has been chosen elsewhere: where that has one of the values, or any value
 *  where it says "set". */
export function applies(ask: Pick<Ask, "when" | "any">, spec: Fields): boolean {
  const met = Object.entries(ask.when ?? {}).map(([field, wanted]) => {
    const value = spec[field];
    if (wanted === "set") return value !== null && value !== undefined && !(Array.isArray(value) && !value.length);
    return (Array.isArray(value) ? value : [value]).some((v) => wanted.includes(String(v)));
  });
  return ask.any ? met.some(Boolean) : met.every(Boolean);
}

/** The columns a field speaks of: those in a slot, those of a model's terms, or what stands in their place where
 *  subjects are followed over time. */
export function namesFor(ask: Pick<Ask, "of">, spec: Fields): string[] {
  if (!ask.of) return [];
  const overTime = [...asList(spec.time), ...asList(spec.between)];
  if (ask.of === "time_terms") return overTime;
  if (ask.of !== "terms") return asList(spec[ask.of]);
  return spec.subject ? [...overTime, ...asList(spec.covariates)] : termColumns(spec.terms);
}

/** A choice's values in the order of the schema; the words beside them come sorted by their keys. */
export function choicesOf(property: Property, only?: string[]): [string, string][] {
  const words = askOf(property).words ?? {};
  const order =
    property.enum ?? property.items?.enum ?? (property.type === "boolean" ? ["false", "true"] : Object.keys(words));
  return order.filter((v) => !only || only.includes(v)).map((v) => [v, words[v] ?? v]);
}

/** Whether all that is required is there, and no pair is half written. */
export function isComplete(properties: Properties, required: string[], spec: Fields): boolean {
  return Object.entries(properties).every(([name, p]) => {
    if (!p.ask) return true;
    const value = spec[name];
    if (Array.isArray(value))
      return value.length
        ? value.every((v) => typeof v !== "object" || v === null || whole(v as Fields, p.ask!))
        : !(p.minItems ?? 0) && !required.includes(name);
    return !required.includes(name) || (value !== undefined && value !== null && String(value).trim() !== "");
  });
}

function whole(pair: Fields, ask: Ask): boolean {
  return ![ask.left, ask.right].some((side) => side && !side.blank && !String(pair[side.field] ?? "").trim());
}

/** The number a text says; null where it says none. */
export function numberOf(text: string): number | null {
  const value = text.trim() === "" ? NaN : Number(text.replace(",", ".").replaceAll("−", "-"));
  return Number.isFinite(value) ? value : null;
}

/** A number as it stands in a field, with a real minus; nothing where there is none. */
export function numberShown(value: number | string | null | undefined): string {
  return String(value ?? "").replaceAll("-", "−");
}
