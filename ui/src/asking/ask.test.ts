import { describe, expect, it } from "vitest";
import { applies, choicesOf, filled, isComplete, namesFor, numberOf, type Properties } from "./ask";

const properties: Properties = {
  test: { default: "auto", ask: { shown: "choice" } },
  intercept: { default: true, ask: { shown: "flag" } },
  margin: { default: null, ask: { shown: "number" } },
};
const spec = (given: Record<string, unknown>) => filled(properties, given);

describe("a description with its defaults", () => {
  it("takes what is chosen, and an empty choice too", () => {
    expect(spec({})).toEqual({ test: "auto", intercept: true, margin: null });
    expect(spec({ test: "welch", intercept: undefined, other: 1 })).toEqual({
      test: "welch",
      intercept: true,
      margin: null,
      other: 1,
    });
    expect(spec({ test: null }).test).toBe(null);
  });
});

describe("a field that another one decides about", () => {
  it("is always shown where nothing decides", () => {
    expect(applies({}, spec({}))).toBe(true);
  });

  it("is shown for the values named, the default counting as chosen", () => {
    const ask = { when: { test: ["welch", "auto"] } };
    expect(applies(ask, spec({}))).toBe(true);
    expect(applies(ask, spec({ test: "student" }))).toBe(false);
  });

  it("is shown for yes and no alike, and for one of several values", () => {
    expect(applies({ when: { intercept: ["true"] } }, spec({}))).toBe(true);
    expect(applies({ when: { intercept: ["true"] } }, spec({ intercept: false }))).toBe(false);
    expect(applies({ when: { show: ["box"] } }, { show: ["points", "box"] })).toBe(true);
    expect(applies({ when: { show: ["box"] } }, { show: ["points"] })).toBe(false);
    expect(applies({ when: { nowhere: ["x"] } }, spec({}))).toBe(false);
  });

  it("asks for any value where the schema says so", () => {
    const ask = { when: { margin: "set" as const } };
    expect(applies(ask, spec({}))).toBe(false);
    expect(applies(ask, spec({ margin: [] }))).toBe(false);
    expect(applies(ask, spec({ margin: 0.5 }))).toBe(true);
  });

  it("needs all conditions, or any of them", () => {
    const when = { test: ["student"], intercept: ["true"] };
    expect(applies({ when }, spec({}))).toBe(false);
    expect(applies({ when, any: true }, spec({}))).toBe(true);
  });
});

describe("the columns a field speaks of", () => {
  it("are those of its slot, or of a model's terms", () => {
    expect(namesFor({ of: "groups" }, { groups: "room" })).toEqual(["room"]);
    expect(namesFor({ of: "columns" }, { columns: ["a", "b"] })).toEqual(["a", "b"]);
    expect(namesFor({ of: "terms" }, { terms: ["a", { interaction: ["a", "b"] }] })).toEqual(["a", "b"]);
    expect(namesFor({}, { groups: "room" })).toEqual([]);
  });
});

describe("choices", () => {
  it("come in the order of the schema, yes and no too, and only those there are", () => {
    const ask = { shown: "choice", words: { a: "first", b: "second" } };
    expect(choicesOf({ enum: ["b", "a"], ask })).toEqual([
      ["b", "second"],
      ["a", "first"],
    ]);
    expect(choicesOf({ enum: ["b", "a"], ask }, ["a"])).toEqual([["a", "first"]]);
    expect(choicesOf({ type: "boolean", ask: { shown: "choice", words: { true: "yes" } } })).toEqual([
      ["false", "false"],
      ["true", "yes"],
    ]);
  });
});

describe("a description is complete", () => {
  const asked: Properties = {
    step: {},
    columns: { minItems: 1, ask: { shown: "columns" } },
    name: { ask: { shown: "text" } },
    pairs: {
      default: [],
      ask: {
        shown: "pairs",
        left: { field: "from", shown: "text", title: "" },
        right: { field: "to", shown: "text", title: "", blank: true },
      },
    },
  };
  const complete = (given: Record<string, unknown>) => isComplete(asked, ["columns", "name"], filled(asked, given));

  it("when all that is required is there, and not a blank", () => {
    expect(complete({ columns: ["a"], name: "b" })).toBe(true);
    expect(complete({ columns: [], name: "b" })).toBe(false);
    expect(complete({ columns: ["a"], name: "  " })).toBe(false);
    expect(complete({ columns: ["a"] })).toBe(false);
  });

  it("when no pair is half written, but for a side that may be blank", () => {
    expect(complete({ columns: ["a"], name: "b", pairs: [{ from: "x", to: "" }] })).toBe(true);
    expect(complete({ columns: ["a"], name: "b", pairs: [{ from: "", to: "y" }] })).toBe(false);
  });
});

describe("a typed number", () => {
  it("may have a comma or a proper minus, and is none where it is none", () => {
    expect(numberOf(" −2,5 ")).toBe(-2.5);
    expect(numberOf("")).toBe(null);
    expect(numberOf("two")).toBe(null);
  });
});
