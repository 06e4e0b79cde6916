import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { S } from "../client/api";
import { Toasts } from "../common/toasts";
import { COLUMNS, place, server, show, type Reply } from "../testing/kit";
import { QuestionPage } from "./question-page";

vi.mock("../common/picture", () => ({ Picture: ({ alt }: { alt: string }) => <img alt={alt} /> }));

const WHERE = "/api/studies/s1/questions/q1";
const ask = (shown: string, title: string, more = {}) => ({ ask: { shown, title, ...more } });
const METHOD = {
  id: "two",
  title: "Two groups",
  aim: "compare",
  keywords: [],
  view: "answer",
  makes_models: false,
  gives_columns: true,
  layouts: [
    {
      id: "stacked",
      words: "one column of values",
      sentence: "Does {response} differ between {groups}?",
      slots: ["response", "groups"],
      needed: ["response", "groups"],
    },
    {
      id: "side_by_side",
      words: "a column for each",
      sentence: "Do {samples} differ?",
      slots: ["samples"],
      needed: ["samples"],
    },
  ],
  spec: {
    properties: {
      response: {
        ...ask("column", "Measurement", { sentence: true, kinds: ["measure", "count"], placeholder: "a measure" }),
      },
      groups: {
        ...ask("column", "Groups", { sentence: true, kinds: ["category", "yes_no"], placeholder: "two groups" }),
      },
      samples: { default: [], ...ask("columns", "Samples", { sentence: true, placeholder: "columns" }) },
      margin: {
        default: null,
        ...ask("number", "Margin", { help: "For equivalence.", when: { type: ["equivalence"] } }),
      },
      type: {
        default: "two_sided",
        enum: ["two_sided", "equivalence"],
        ...ask("choice", "What is tested", { words: { two_sided: "any difference", equivalence: "alike" } }),
      },
      alpha: { default: 0.05, ...ask("number", "α") },
      success: { default: null, ...ask("level", "Success", { of: "groups" }) },
    },
  },
};
const ANSWER = {
  headline_spans: [{ t: "Means differ.", style: "plain" }],
  blocks: [{ type: "figure", id: "figure", title: "Boxes", alt: "boxes", drawing: { width: 300 } }],
  checks: [
    {
      id: "spread",
      title: "Equal spread",
      verdict: "fails",
      text: "Words.",
      remedies: [{ label: "Allow for it", spec: { type: "equivalence" } }],
    },
  ],
  facts: {},
  settings: ["Welch’s test"],
  rows: { used: 11_998, total: 12_000, left_out: [{ n: 2, why: "height is empty" }] },
};
const state = (more: object = {}) =>
  ({
    id: "q1",
    name: "Question",
    table: "t1",
    method: "two",
    layout: "stacked",
    spec: { response: "height", groups: "bed" },
    revision: 1,
    ready: true,
    out_of_date: false,
    answer: ANSWER,
    job: null,
    problem: null,
    upgrade: null,
    around: null,
    trail: [],
    pairs_used: null,
    ...more,
  }) as unknown as S["QuestionState"];

function page(start = state(), replies: Record<string, Reply> = {}) {
  const sent = server({
    [`GET ${WHERE}`]: { body: start },
    [`PATCH ${WHERE}`]: (s) => ({ body: { ...start, ...(s.body as object), revision: 2 } }),
    "GET /api/studies/s1": {
      body: {
        entries: [
          { id: "t1", type: "table", name: "Beds" },
          { id: "t2", type: "table", name: "Others" },
        ],
      },
    },
    "GET /api/studies/s1/tables/t1": {
      body: { table: { id: "t1", version: "v", columns: COLUMNS, steps: [], revision: 4 } },
    },
    "POST /api/studies/s1/reports/add": { body: { name: "Draft" } },
    "POST /api/studies/s1/figures": { body: { id: "f9" } },
    "PUT /api/studies/s1/tables/t1/steps": { body: {} },
    ...replies,
  });
  show(
    <>
      <QuestionPage />
      <Toasts />
    </>,
    "/s/s1/q/q1",
    "/s/:study/q/:id",
    [[["catalogue"], { methods: [METHOD], steps: [], aims: [], functions: [] }]],
  );
  const did = (method: string, end = "") => sent.filter((s) => s.method === method && s.path.endsWith(end));
  return { did, user: userEvent.setup() };
}

describe("an answer that takes long", () => {
  class Events {
    static told: ((event: { data: string }) => void) | null = null;
    set onmessage(tell: (event: { data: string }) => void) {
      Events.told = tell;
    }
    onerror = () => undefined;
    close() {}
  }
  const job = {
    id: "j1",
    study_id: "s1",
    title: "Question",
    state: "running",
    part: 0.4,
    what: "Looking at the checks",
    seconds: 1,
    shown: null,
    said: [],
    result: null,
    problem: null,
    item_id: "q1",
  };

  it("says its statement first, above what is out of date", async () => {
    vi.stubGlobal("EventSource", Events);
    page(state({ out_of_date: true }), {
      [`POST ${WHERE}/answer`]: { body: state({ out_of_date: true, job }) },
    });
    await waitFor(() => expect(Events.told).toBeTruthy());
    act(() => Events.told!({ data: JSON.stringify(job) }));
    expect(screen.getByRole("group", { name: "Question" })).toBeTruthy();
    expect(screen.getByTestId("headline").textContent).toBe("Means differ.");
    act(() =>
      Events.told!({ data: JSON.stringify({ ...job, said: [{ t: "Means do not differ.", style: "plain" }] }) }),
    );
    expect(screen.getByTestId("early").textContent).toContain("Means do not differ.");
    expect(screen.queryByTestId("headline")).toBeNull(); // one statement at a time
    expect(screen.getByText("Out of date: being renewed")).toBeTruthy();
  });
});

describe("a question", () => {
  it("reads as a sentence, with what it used and what it says", async () => {
    page();
    await waitFor(() =>
      expect(screen.getByTestId("sentence").textContent).toBe("Does plant height differ between bed?"),
    );
    expect(screen.getByText(/11.998 of 12.000 rows \(2: height is empty\)/)).toBeTruthy();
    expect(screen.getByText("Welch’s test")).toBeTruthy();
    expect(screen.getByTestId("headline").textContent).toBe("Means differ.");
    expect(screen.getByRole("heading", { name: "Equal spread" })).toBeTruthy();
  });

  it("changes with a slot, and is asked anew", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: /^Measurement/ }));
    await user.click(screen.getByRole("option", { name: /leaves/ }));
    await waitFor(() =>
      expect(did("PATCH").map((s) => s.body)).toEqual([{ spec: { response: "leaves", groups: "bed" } }]),
    );
    expect(screen.getByTestId("sentence").textContent).toBe("Does leaves differ between bed?");
  });

  it("has settings, of which some wait for others", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: "Change settings" }));
    const settings = within(screen.getByRole("group", { name: "Settings" }));
    expect(settings.queryByLabelText("Margin", { exact: false })).toBeNull();
    await user.selectOptions(settings.getByLabelText("What is tested"), "alike");
    expect(await settings.findByLabelText("Margin", { exact: false })).toBeTruthy();
    expect(settings.getByLabelText("Success").textContent).toBe("as it comesnorthsouthwest");
    await waitFor(() => expect(did("PATCH").at(-1)!.body).toMatchObject({ spec: { type: "equivalence" } }));
  });

  it("keeps of its slots what the other layout has too", async () => {
    const { did, user } = page(state({ spec: { response: "height", groups: "bed", alpha: 0.01 } }));
    await user.click(await screen.findByRole("button", { name: "Change settings" }));
    await user.selectOptions(screen.getByLabelText("How the data lie"), "a column for each");
    await waitFor(() => expect(did("PATCH")[0]!.body).toEqual({ layout: "side_by_side", spec: { alpha: 0.01 } }));
  });

  it("is mended by a remedy", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: "Allow for it" }));
    await waitFor(() =>
      expect(did("PATCH")[0]!.body).toMatchObject({ spec: { response: "height", type: "equivalence" } }),
    );
  });

  it("goes to the report, becomes a figure, and gives its columns", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: "Add to report" }));
    expect(await screen.findByText("Added to Draft")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Add its columns to the table" }));
    await waitFor(() =>
      expect(did("PUT", "/steps")[0]!.body).toMatchObject({
        steps: [{ step: "from_answer", method: "two", spec: { response: "height", groups: "bed" } }],
      }),
    );
    expect(did("PUT", "/steps")[0]!.headers.get("if-match")).toBe('"4"');
    await user.click(screen.getByRole("button", { name: "Draw as a figure" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/f/f9"));
  });

  it("teaches what to do while slots are open", async () => {
    page(state({ ready: false, answer: null, spec: {} }));
    expect(await screen.findByText(/Fill the slots of the sentence/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Measurement: choose a measure" }).className).toContain("empty");
  });

  it("that cannot be answered says why, marks the slot, and leads to the rows", async () => {
    const problem = { detail: "height is infinite in row 4.", column: "height", rows: [4, 9], status: 422 };
    const { user } = page(state({ answer: null }), { [`POST ${WHERE}/answer`]: { status: 422, body: problem } });
    expect((await screen.findByRole("alert")).textContent).toContain("height is infinite in row 4.");
    expect(screen.getByRole("button", { name: /^Measurement/ }).className).toContain("wrong");
    await user.click(screen.getByRole("button", { name: "Show the rows" }));
    expect(place.now).toBe("/s/s1/t/t1?rows=4,9");
  });

  it("keeps the last answer in sight, marked, where the new one cannot be given", async () => {
    const problem = { message: "Too few rows are left.", column: null };
    page(state({ out_of_date: true, problem }), {
      [`POST ${WHERE}/answer`]: { status: 422, body: { detail: problem.message, status: 422 } },
    });
    expect(await screen.findByText("The last answer that could be given")).toBeTruthy();
    expect(screen.getByTestId("headline").closest(".stale")).toBeTruthy();
  });

  it("that was stopped, or whose work was lost, is worked out again by a click", async () => {
    let source: { onmessage: (e: object) => void } | undefined;
    vi.stubGlobal(
      "EventSource",
      class {
        static CLOSED = 2;
        readyState = 1;
        onmessage = () => undefined;
        constructor() {
          // eslint-disable-next-line @typescript-eslint/no-this-alias
          source = this;
        }
        close() {}
      },
    );
    const job = {
      id: "j1",
      study_id: "s1",
      title: "Draws",
      state: "running",
      part: 0.1,
      what: "",
      seconds: 1,
      problem: null,
    };
    const { did, user } = page(state({ answer: null }), {
      [`POST ${WHERE}/answer`]: { body: state({ answer: null, job }) },
    });
    await waitFor(() => expect(source).toBeTruthy());
    act(() => source!.onmessage({ data: JSON.stringify(job) }));
    expect(screen.getByRole("progressbar", { name: "Draws" })).toBeTruthy();
    source!.onmessage({ data: JSON.stringify({ ...job, state: "failed", what: "A worker ended." }) });
    expect(await screen.findByText("A worker ended.")).toBeTruthy();
    expect(did("POST", "/answer").length).toBe(1);
    fireEvent.click(screen.getByRole("button", { name: "Work it out again" }));
    await waitFor(() => expect(did("POST", "/answer").length).toBe(2));
    expect(user).toBeTruthy();
  });

  it("that is gone says so", async () => {
    page(state(), {
      [`GET ${WHERE}`]: { status: 404, body: { detail: "This question is no longer in the study.", status: 404 } },
    });
    expect(await screen.findByText("This question is no longer in the study.")).toBeTruthy();
  });
});
