import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Answer, S } from "../client/api";
import { column, place, server, show } from "../testing/kit";
import { Checks } from "./checks";
import { levelsOf, valuesAsked } from "./settings";
import { taken } from "./take-up";
import { Trail } from "./trail";
import { Upgrade } from "./upgrade";
import { Variants } from "./variants";

type State = S["QuestionState"];
type Line = S["TrailLine"];
const LINE_UP = { id: "line_up", view: "lineup", layouts: [{ id: "models" }] };
const CATALOGUE: [unknown[], unknown] = [["catalogue"], { methods: [LINE_UP], steps: [], aims: [] }];

describe("what an answer rests on", () => {
  const check = (verdict: string, remedies: unknown[] = []) => ({
    id: verdict,
    title: `Check ${verdict}`,
    verdict,
    text: "Its words.",
    remedies,
  });
  const rows = Array.from({ length: 5000 }, (_, i) => i + 1);
  const checks = [
    check("holds"),
    check("doubtful", [{ label: "Use ranks", spec: { test: "rank" } }]),
    check("fails", [{ label: "Another method", spec: { response: "x" }, method: "other" }]),
    check("unknown", [{ label: "Show the rows", rows }]),
  ];
  const opened = () => {
    const did: unknown[] = [];
    show(
      <Checks
        answer={{ checks } as unknown as Answer}
        study="s1"
        state={{ table: "t1", spec: { response: "x", test: "auto" } } as unknown as State}
        set={(fields) => did.push(fields)}
        begin={(spec, method) => did.push([spec, method])}
      />,
    );
    return { did, user: userEvent.setup() };
  };

  it("is said by a word, not by colour alone", () => {
    opened();
    expect(
      screen.getAllByRole("listitem").map((l) => within(l).getByText(/Holds|Doubtful|Fails|judged/).textContent),
    ).toEqual(["● Holds", "▲ Doubtful", "■ Fails", "○ Cannot be judged"]);
  });

  it("is mended within the question, or by a question of its own", async () => {
    const { did, user } = opened();
    await user.click(screen.getByRole("button", { name: "Use ranks" }));
    await user.click(screen.getByRole("button", { name: "Another method" }));
    expect(did).toEqual([{ test: "rank" }, [{ response: "x" }, "other"]]);
  });

  it("leads to its rows, no more of them than an address can hold", async () => {
    const { user } = opened();
    await user.click(screen.getByRole("button", { name: "Show the rows" }));
    expect(place.now.startsWith("/s/s1/t/t1?rows=1,2,3,")).toBe(true);
    expect(place.now.split(",").length).toBe(200);
  });
});

describe("the trail of a model", () => {
  const fit = (key: string, v: number, better: string | null) => ({
    key,
    title: key,
    short: key,
    s: String(v),
    v,
    better,
  });
  const line = (id: number, n: number, aic: number, more: Partial<Line> = {}): Line =>
    ({
      id,
      n,
      name: null,
      changed: `round ${id}`,
      terms: ["height"],
      spec: { terms: [id] },
      current: false,
      fit: [fit("AIC", aic, "low"), fit("rows", n, null)],
      ...more,
    }) as unknown as Line;
  const state = (trail: Line[]) => ({ id: "q1", table: "t1", method: "linear", trail }) as unknown as State;
  const opened = (trail: Line[]) => {
    const specs: unknown[] = [];
    const sent = server({
      "PATCH /api/studies/s1/questions/q1/trail/2": { body: {} },
      "DELETE /api/studies/s1/questions/q1/trail/2": { body: {} },
      "POST /api/studies/s1/questions": { body: { id: "q9" } },
    });
    show(<Trail study="s1" state={state(trail)} open={(s) => specs.push(s)} />, undefined, undefined, [CATALOGUE]);
    return { specs, sent, user: userEvent.setup() };
  };
  const bold = () => [...document.querySelectorAll("td.font-semibold")].map((c) => c.textContent);

  it("is not shown for one model", () => {
    opened([line(1, 50, 10)]);
    expect(screen.queryByTestId("trail")).toBeNull();
  });

  it("marks the best of what was fitted to as many rows as the present model", () => {
    opened([line(1, 40, 8), line(2, 50, 12), line(3, 50, 11, { current: true })]);
    expect(bold()).toEqual(["11"]);
    expect(screen.getByRole("columnheader", { name: "AIC" })).toBeTruthy();
    expect(screen.queryByRole("columnheader", { name: "rows" })).toBeNull();
  });

  it("marks none where nothing can be compared", () => {
    opened([line(1, 40, 8), line(2, 50, 12, { current: true })]);
    expect(bold()).toEqual([]);
  });

  it("is gone back on, named and shortened", async () => {
    const { user, specs, sent } = opened([line(1, 50, 10), line(2, 50, 9), line(3, 50, 11, { current: true })]);
    await user.click(screen.getByRole("button", { name: "Go back to round 1" }));
    expect(specs).toEqual([{ terms: [1] }]);
    await user.click(screen.getByRole("button", { name: "Name round 2" }));
    await user.type(screen.getByLabelText("Name of this model"), "  short one {Enter}");
    await waitFor(() => expect(sent.at(-1)?.body).toEqual({ name: "short one" }));
    await user.click(screen.getByRole("button", { name: "Take round 2 off the trail" }));
    await waitFor(() => expect(sent.at(-1)?.method).toBe("DELETE"));
    expect(screen.queryByRole("button", { name: "Take round 3 off the trail" })).toBeNull();
  });

  it("shows the last rounds, and all when asked", async () => {
    const { user } = opened([
      ...Array.from({ length: 9 }, (_, i) => line(i + 1, 50, i)),
      line(10, 50, 3, { current: true }),
    ]);
    const rounds = () => screen.getAllByRole("row").length - 1;
    expect(rounds()).toBe(6);
    await user.click(screen.getByRole("button", { name: "All 10 models" }));
    expect(rounds()).toBe(10);
  });

  it("lines up what is ticked, in the order of the rounds", async () => {
    const { user, sent } = opened([
      line(1, 50, 10),
      line(2, 50, 9, { name: "short" }),
      line(3, 50, 11, { current: true }),
    ]);
    expect(screen.getByRole("button", { name: "Line up the ticked" })).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("Line up round 3"));
    await user.click(screen.getByLabelText("Line up short"));
    await user.click(screen.getByRole("button", { name: "Line up these 2" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/q/q9"));
    expect(sent.find((s) => s.method === "POST")!.body).toEqual({
      table: "t1",
      method: "line_up",
      layout: "models",
      spec: {
        models: [
          { name: "short", method: "linear", spec: { terms: [2] } },
          { name: null, method: "linear", spec: { terms: [3] } },
        ],
      },
    });
  });
});

describe("other models that an answer speaks of", () => {
  const variants = [1, 2].map((i) => ({ label: `Model ${i}`, said: `AICc ${i}`, spec: { terms: [i] } }));
  const state = (list: unknown[]) =>
    ({ table: "t1", method: "linear", answer: { variants: list } }) as unknown as State;

  it("are opened by a click", async () => {
    const specs: unknown[] = [];
    show(<Variants study="s1" state={state(variants)} open={(s) => specs.push(s)} />, undefined, undefined, [
      CATALOGUE,
    ]);
    await userEvent.setup().click(screen.getByRole("button", { name: /Model 2/ }));
    expect(specs).toEqual([{ terms: [2] }]);
    expect(screen.getByRole("button", { name: "Line them up" })).toBeTruthy();
  });

  it("are not spoken of where there are none", () => {
    show(<Variants study="s1" state={state([])} open={() => undefined} />, undefined, undefined, [CATALOGUE]);
    expect(screen.queryByText("Models on the way")).toBeNull();
  });
});

describe("an answer by another version", () => {
  const upgrade = (more: object) =>
    ({ waiting: false, by: "0.4", now: "0.5", compared: 20, changed: [], ...more }) as unknown as S["UpgradeOut"];

  it("waits to be worked out again", async () => {
    let renewed = 0;
    show(<Upgrade upgrade={upgrade({ waiting: true })} renew={() => renewed++} />);
    await userEvent.setup().click(screen.getByRole("button", { name: "Work it out again and compare" }));
    expect(renewed).toBe(1);
  });

  it("then says which numbers changed, or that none did", () => {
    const { again } = show(<Upgrade upgrade={upgrade({})} renew={() => undefined} />);
    expect(screen.getByText(/all 20 numbers stayed the same/)).toBeTruthy();
    again(
      <Upgrade
        upgrade={upgrade({ changed: [{ name: "p", before: ".041", after: ".043" }] })}
        renew={() => undefined}
      />,
    );
    expect(screen.getByText(/1 of 20 numbers changed/)).toBeTruthy();
    expect(screen.getByRole("row", { name: "p .041 .043" })).toBeTruthy();
  });
});

describe("levels that a setting chooses from", () => {
  const columns = [
    column("bed", "category", { levels: [{ value: "n", label: "north" }, { value: "s" }] as never }),
    column("leaves", "count"),
    column("a", "measure", { label: "Bed A" }),
  ];
  const ask = { shown: "level", of: "groups" };

  it("are those of the column, by their words", () => {
    expect(levelsOf(ask, { groups: "bed" }, columns)).toEqual(["north", "s"]);
  });

  it("are samples side by side, or typed ones, where there is no column", () => {
    expect(levelsOf(ask, { samples: ["a", "leaves"] }, columns)).toEqual(["Bed A", "leaves"]);
    expect(levelsOf(ask, { summaries: [{ label: "North" }, { label: "South" }] }, columns)).toEqual(["North", "South"]);
    expect(levelsOf({ shown: "level" }, {}, columns)).toEqual([]);
  });

  it("are values that are known, or those that the answer found, of a column without levels", () => {
    expect(levelsOf(ask, { groups: "leaves" }, columns, null, { leaves: ["1", "2"] })).toEqual(["1", "2"]);
    const answer = {
      blocks: [{ type: "table", id: "groups", rows: [{ group: { s: "3" } }, { group: { s: "4" } }] }],
    } as unknown as Answer;
    expect(levelsOf(ask, { groups: "leaves" }, columns, answer)).toEqual(["3", "4"]);
  });

  it("are asked for only where there are none", () => {
    const properties = { success: { ask }, other: { ask: { shown: "number" } } };
    expect(valuesAsked(properties, { groups: "leaves" }, columns)).toEqual(["leaves"]);
    expect(valuesAsked(properties, { groups: "bed" }, columns)).toEqual([]);
  });
});

describe("columns that an answer gave already", () => {
  it("are those of the very same question", () => {
    const step = { step: "from_answer", method: "linear", spec: { terms: ["a"] } };
    expect(taken([step], "linear", { terms: ["a"] })).toBe(true);
    expect(taken([step], "linear", { terms: ["b"] })).toBe(false);
    expect(taken([step], "logistic", { terms: ["a"] })).toBe(false);
  });
});
