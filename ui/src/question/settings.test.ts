import { describe, expect, it } from "vitest";
import { applies, namesFor } from "./settings";

const all = { test: { default: "auto" }, intercept: { default: true }, margin: { default: null } };
const state = (spec: Record<string, unknown>, pairs_used?: string) => ({ spec, pairs_used: pairs_used ?? null });

describe("a setting that another one decides about", () => {
  it("is always shown where nothing decides", () => {
    expect(applies({}, state({}), all)).toBe(true);
  });

  it("is shown for the values named, the default counting as chosen", () => {
    const option = { when: { test: ["welch", "auto"] } };
    expect(applies(option, state({}), all)).toBe(true);
    expect(applies(option, state({ test: "welch" }), all)).toBe(true);
    expect(applies(option, state({ test: "student" }), all)).toBe(false);
  });

  it("is shown for yes and no alike", () => {
    const option = { when: { intercept: [true] } } as never;
    expect(applies(option, state({}), all)).toBe(true);
    expect(applies(option, state({ intercept: false }), all)).toBe(false);
  });

  it("asks for any value where the schema says so", () => {
    const option = { when: { margin: "set" } } as never;
    expect(applies(option, state({}), all)).toBe(false);
    expect(applies(option, state({ margin: [] }), all)).toBe(false);
    expect(applies(option, state({ margin: 0.5 }), all)).toBe(true);
  });

  it("needs all conditions, or any of them", () => {
    const when = { test: ["student"], intercept: [true] } as never;
    expect(applies({ when }, state({}), all)).toBe(false);
    expect(applies({ when, any: true }, state({}), all)).toBe(true);
  });

  it("looks at the pairs that were really compared", () => {
    const option = { when: { pairs_used: ["dunnett"] } };
    expect(applies(option, state({}, "dunnett"), all)).toBe(true);
    expect(applies(option, state({}, "tukey"), all)).toBe(false);
  });
});

describe("the columns a setting speaks of", () => {
  it("are those of its slot, or of a model's terms", () => {
    expect(namesFor({ of: "groups" }, { groups: "room" })).toEqual(["room"]);
    expect(namesFor({ of: "columns" }, { columns: ["a", "b"] })).toEqual(["a", "b"]);
    expect(namesFor({ of: "terms" }, { terms: ["a", { interaction: ["a", "b"] }] })).toEqual(["a", "b"]);
    expect(namesFor({}, { groups: "room" })).toEqual([]);
  });
});
