import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { aroundOf, show } from "../testing/kit";
import type { Properties } from "./ask";
import { Sentence } from "./sentence";
import { SimulateField, termsOf } from "./simulate";

const properties: Properties = {
  response: { ask: { shown: "column", title: "Measurement", sentence: true, placeholder: "a measure" } },
  groups: { ask: { shown: "column", title: "Groups", sentence: true, placeholder: "groups" } },
  terms: { ask: { shown: "terms", title: "Terms", placeholder: "columns", kinds: ["measure"], numbers: ["measure"] } },
};

describe("a sentence", () => {
  const sentence = (template: string, spec: Record<string, unknown>) =>
    show(
      <Sentence
        template={template}
        properties={properties}
        needed={["response"]}
        around={aroundOf({ spec })}
        set={() => undefined}
        extra={{ other: <b>something else</b> }}
      />,
    );

  it("has slots among its words, with their marks", () => {
    sentence("Does {response} differ between {groups}, or {other}?", { response: "height" });
    expect(screen.getByTestId("sentence").textContent).toBe(
      "Does plant height differ between groups, or something else?",
    );
  });

  it("keeps the mark with the end of terms", () => {
    sentence("Is {response} explained by {terms}?", { response: "leaves", terms: ["height"] });
    expect(screen.getByTestId("sentence").textContent).toBe("Is leaves explained by plant height ?");
  });

  it("leaves out what the method does not ask", () => {
    sentence("Of {response} {nowhere}.", {});
    expect(screen.getByTestId("sentence").textContent).toBe("Of a measure .");
  });
});

describe("terms that can be judged by simulation", () => {
  it("are those of the model, powers never by themselves", () => {
    expect(termsOf({ terms: ["a", "b", { column: "a", power: 2 }, { interaction: ["a", "b"] }] })).toEqual([
      ["a"],
      ["b"],
      ["a", "b"],
    ]);
  });

  it("are times, groups and their interactions where subjects are followed", () => {
    const spec = { subject: "id", time: "week", between: ["arm"], covariates: ["age"] };
    expect(termsOf({ ...spec, interactions: "all" })).toEqual([["week"], ["arm"], ["age"], ["week", "arm"]]);
    expect(termsOf({ ...spec, interactions: "none" })).toEqual([["week"], ["arm"], ["age"]]);
    expect(termsOf({ ...spec, interactions: [["arm", "week"]] }).at(-1)).toEqual(["week", "arm"]);
  });
});

describe("critical values by simulation", () => {
  const property = { default: null, ask: { shown: "simulate", title: "Simulation" } };
  const spec = { terms: ["height", "bed"] };
  const opened = (value: unknown) => {
    const set: unknown[] = [];
    show(
      <SimulateField
        name="simulate"
        property={property}
        value={value}
        set={(v) => set.push(v)}
        around={aroundOf({ spec })}
      />,
    );
    return { set, user: userEvent.setup() };
  };

  it("are for no term until one is chosen", async () => {
    const { set, user } = opened(null);
    await user.selectOptions(screen.getByLabelText("Term that is judged by simulation"), "Bed");
    expect(set).toEqual([{ draws: 999, term: ["bed"], contrasts: [], type: "two_sided" }]);
  });

  it("ask for a margin only where the comparisons need one", async () => {
    const contrasts = [{ label: "c", weights: { north: 1, south: -1 } }];
    const { set, user } = opened({ term: ["bed"], draws: 999, contrasts, type: "two_sided" });
    expect(screen.queryByLabelText("Margin")).toBeNull();
    await user.selectOptions(screen.getByLabelText("What the comparisons are to show"), "alike within the margin");
    expect(set).toEqual([{ term: ["bed"], draws: 999, contrasts, type: "equivalence" }]);
  });

  it("take draws between their ends", async () => {
    const { set, user } = opened({ term: ["bed"], draws: 999, contrasts: [] });
    const draws = screen.getByLabelText("Draws");
    await user.clear(draws);
    await user.type(draws, "5{Enter}");
    expect(set).toEqual([]);
    await user.clear(draws);
    await user.type(draws, "1999{Enter}");
    expect(set).toEqual([{ term: ["bed"], draws: 1999, contrasts: [] }]);
  });
});
