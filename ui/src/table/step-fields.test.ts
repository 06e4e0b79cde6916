import { describe, expect, it } from "vitest";
import { fieldsOf, isComplete, matters, valueOf, type Schema } from "./step-fields";

const schema = {
  properties: {
    step: { title: "" },
    id: { title: "" },
    on: { title: "" },
    columns: { title: "Columns", minItems: 1 },
    how: { title: "How", default: "z", enum: ["z", "range"] },
    low: { title: "From", default: 0, when: { how: "range" } },
    name: { title: "Name" },
    pairs: {
      title: "Pairs",
      default: [],
      left: { field: "from", title: "" },
      right: { field: "to", title: "", blank: true },
    },
  },
  required: ["columns", "name"],
} as unknown as Schema;
const step = (fields: Record<string, unknown>) => ({ step: "standardise", ...fields }) as never;

describe("fields of a step", () => {
  it("are those that are asked for", () => {
    expect(fieldsOf(schema).map(([name]) => name)).toEqual(["columns", "how", "low", "name", "pairs"]);
  });

  it("have their default until something is chosen", () => {
    expect(valueOf(step({}), "how", schema.properties.how!)).toBe("z");
    expect(valueOf(step({ how: "range" }), "how", schema.properties.how!)).toBe("range");
    expect(valueOf(step({ how: null }), "how", schema.properties.how!)).toBe(null);
  });

  it("matter only under what was chosen elsewhere", () => {
    const low = schema.properties.low!;
    expect(matters(step({}), low, schema)).toBe(false);
    expect(matters(step({ how: "range" }), low, schema)).toBe(true);
    expect(matters(step({}), { ...low, when: { nowhere: "x" } }, schema)).toBe(false);
  });
});

describe("a step is complete", () => {
  it("when all that is required is there, and not a blank", () => {
    expect(isComplete(step({ columns: ["a"], name: "b" }), schema)).toBe(true);
    expect(isComplete(step({ columns: [], name: "b" }), schema)).toBe(false);
    expect(isComplete(step({ columns: ["a"], name: "  " }), schema)).toBe(false);
    expect(isComplete(step({ columns: ["a"] }), schema)).toBe(false);
  });

  it("when no pair is half written, but for a side that may be blank", () => {
    const whole = { columns: ["a"], name: "b" };
    expect(isComplete(step({ ...whole, pairs: [{ from: "x", to: "" }] }), schema)).toBe(true);
    expect(isComplete(step({ ...whole, pairs: [{ from: "", to: "y" }] }), schema)).toBe(false);
  });
});
