import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { field } from "../testing/kit";

const ask = { shown: "units", title: "Units", placeholder: "units", kinds: ["category", "ordered"] };
const property = { default: [], ask: { ...ask, numbers: ["measure"] } };
const PLAIN = { slopes: [], intercept: true, related: true };

function units(start: unknown) {
  const user = userEvent.setup();
  return { user, ...field(property, start, { name: "random", bare: true, around: { spec: { response: "leaves" } } }) };
}

describe("units of a mixed model", () => {
  it("are chosen from the list, each with a level of its own", async () => {
    const { user, set } = units([]);
    await user.click(screen.getByRole("button", { name: /^Units: choose/ }));
    await user.click(screen.getByRole("option", { name: /Bed/ }));
    expect(set).toEqual([[{ units: ["bed"], ...PLAIN }]]);
    await user.click(screen.getByRole("option", { name: /Bed/ }));
    expect(set.at(-1)).toEqual([]);
  });

  it("lie within others, and come out again", async () => {
    const { user, set } = units([{ units: ["bed"], ...PLAIN }]);
    await user.click(screen.getByRole("button", { name: "Units bed" }));
    await user.click(screen.getByRole("button", { name: "vigour" }));
    expect(set.at(-1)).toEqual([{ units: ["vigour", "bed"], ...PLAIN }]);
    expect(screen.getByRole("button", { name: "Units bed within vigour" })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "vigour" }));
    expect(set.at(-1)).toEqual([{ units: ["bed"], ...PLAIN }]);
  });

  it("have slopes, and then say whether levels go with them", async () => {
    const { user, set } = units(["bed"]);
    await user.click(screen.getByRole("button", { name: "Units bed" }));
    expect(screen.queryByLabelText("Levels and slopes may go together")).toBeNull();
    await user.click(screen.getByRole("button", { name: "Plant height" }));
    await user.click(screen.getByLabelText("Levels and slopes may go together"));
    expect(set.at(-1)).toEqual([{ units: ["bed"], slopes: ["height"], related: false }]);
    await user.click(screen.getByLabelText("A level of its own too"));
    expect(set.at(-1)).toEqual([{ units: ["bed"], slopes: ["height"], related: false, intercept: false }]);
  });

  it("are left out by a click or by Delete", async () => {
    const { user, set } = units(["bed", "vigour"]);
    fireEvent.keyDown(screen.getByRole("button", { name: "Units bed" }), { key: "Delete" });
    expect(set.at(-1)).toEqual([{ units: ["vigour"] }]);
    await user.click(screen.getByRole("button", { name: "Units vigour" }));
    await user.click(screen.getByRole("button", { name: "Leave vigour out" }));
    expect(set.at(-1)).toEqual([]);
  });
});
