import { act, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Toasts } from "../common/toasts";
import { COLUMNS, server, show, type Reply } from "../testing/kit";
import { FigurePage } from "./figure-page";

vi.mock("../common/picture", () => ({ Picture: ({ alt }: { alt: string }) => <img alt={alt} /> }));

const WHERE = "/api/studies/s1/figures/f1";
const slot = (title: string, kinds: string[], placeholder: string) => ({
  ask: { shown: "column", title, kinds, placeholder, sentence: true },
});
const KINDS = [
  {
    id: "groups",
    words: "groups",
    sentence: "Show {response} for each {groups} as {show}.",
    slots: { response: slot("y axis", ["measure"], "a measure"), groups: slot("Groups", ["category"], "groups") },
    needed: ["response", "groups"],
    layers: [
      { id: "box", words: "boxes", help: "", alone: false },
      { id: "points", words: "points", help: "", alone: false },
    ],
    usual: ["box"],
    looks: ["y"],
    only: {},
  },
  {
    id: "relation",
    words: "a relation",
    sentence: "Show {response} over {x} as {show}.",
    slots: { response: slot("y axis", ["measure"], "a measure"), x: slot("x axis", ["measure", "count"], "a number") },
    needed: ["response", "x"],
    layers: [{ id: "points", words: "points", help: "", alone: false }],
    usual: ["points"],
    looks: ["y"],
    only: {},
  },
];
const DRAWING = {
  vega: {},
  alt: "boxes of height",
  caption: [{ t: "Height by bed.", style: "plain" }],
  template: "",
  parts: {},
  levels: [],
  colours: {},
  shapes: {},
  groups: [],
  warnings: ["Two colours look alike."],
  grey: ["Two greys look alike."],
  behind: null,
};
const state = (more: object = {}) => ({
  id: "f1",
  name: "Figure",
  table: "t1",
  revision: 1,
  figure: { kind: "groups", response: "height", groups: "bed", show: ["box"], width_mm: 85, height_mm: 60, y_min: 2 },
  drawing: DRAWING,
  problem: null,
  out_of_date: false,
  job: null,
  marks_sources: [],
  ...more,
});

function page(start: object = state(), replies: Record<string, Reply> = {}) {
  let revision = 1;
  const sent = server({
    [`GET ${WHERE}`]: { body: start },
    [`PATCH ${WHERE}`]: (s) => ({ body: { ...start, ...(s.body as object), revision: ++revision } }),
    [`POST ${WHERE}/draw`]: { body: state() },
    "GET /api/studies/s1": { body: { entries: [{ id: "t1", type: "table", name: "Beds" }] } },
    "GET /api/studies/s1/tables/t1": { body: { table: { id: "t1", version: "v", columns: COLUMNS, steps: [] } } },
    "GET /api/studies/s1/figures/style": { body: {} },
    "POST /api/studies/s1/reports/add": { body: { name: "Draft" } },
    ...replies,
  });
  show(
    <>
      <FigurePage />
      <Toasts />
    </>,
    "/s/s1/f/f1",
    "/s/:study/f/:id",
    [[["catalogue"], { figure_kinds: KINDS, figure: { properties: {} }, methods: [], steps: [], aims: [] }]],
  );
  return {
    did: (method: string) => sent.filter((s) => s.method === method && s.path.startsWith(WHERE)),
    user: userEvent.setup(),
  };
}

describe("a figure", () => {
  it("reads as a sentence, and stands at its printed proportions", async () => {
    page();
    expect(await screen.findByAltText("boxes of height")).toBeTruthy();
    await waitFor(() =>
      expect(screen.getByTestId("sentence").textContent).toBe("Show plant height for each bed as boxes."),
    );
    expect(screen.getByText("85 × 60 mm on the page, shown 1.6 times as large")).toBeTruthy();
    expect(screen.getByText("Two colours look alike.")).toBeTruthy();
    expect(screen.queryByText("Two greys look alike.")).toBeNull();
  });

  it("tells of greys where it is seen without colours", async () => {
    const { user } = page();
    const seen = await screen.findByLabelText("Seen as");
    const grey = [...seen.querySelectorAll("option")].find((o) => o.value === "grey")!;
    await user.selectOptions(seen, grey);
    expect(screen.getByText("Two greys look alike.")).toBeTruthy();
  });

  it("changes one thing and keeps the others", async () => {
    const { did, user } = page();
    await user.click(await screen.findByRole("button", { name: /^Drawn as/ }));
    await user.click(screen.getByLabelText(/^points/));
    await waitFor(() => expect(did("PATCH").length).toBe(1));
    expect(did("PATCH")[0]!.body).toEqual({ figure: { ...state().figure, show: ["box", "points"] } });
    expect(did("PATCH")[0]!.headers.get("if-match")).toBe('"1"');
  });

  it("of another kind keeps the columns that fit there, and what belonged to the old axes goes", async () => {
    const { did, user } = page();
    await user.selectOptions(await screen.findByLabelText("What the figure shows"), "a relation");
    await waitFor(() => expect(did("PATCH").length).toBe(1));
    const { figure } = did("PATCH")[0]!.body as { figure: Record<string, unknown> };
    expect(figure).toMatchObject({
      kind: "relation",
      response: "height",
      x: null,
      groups: null,
      y_min: null,
      show: ["points"],
      width_mm: 85,
    });
  });

  it("says what its sentence still needs", async () => {
    page(state({ figure: { kind: "relation", show: ["points"] }, drawing: null }));
    expect(await screen.findByText(/Choose a measure and a number\./)).toBeTruthy();
  });

  it("that is out of date is drawn by itself, once", async () => {
    const { did } = page(state({ out_of_date: true, drawing: null }));
    expect(await screen.findByAltText("boxes of height")).toBeTruthy();
    await act(() => Promise.resolve());
    expect(did("POST").map((s) => s.path)).toEqual([`${WHERE}/draw`]);
  });

  it("that cannot be drawn says why", async () => {
    page(state({ drawing: null, problem: { message: "height is gone.", column: "height" } }));
    expect(await screen.findByText("height is gone.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Add to report" })).toHaveProperty("disabled", true);
  });

  it("is saved as a file, and what is wrong is said on the page", async () => {
    const saved: string[] = [];
    vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (this: HTMLAnchorElement) {
      saved.push(this.download);
    });
    vi.stubGlobal("URL", Object.assign(URL, { createObjectURL: () => "blob:x", revokeObjectURL: () => undefined }));
    const { user } = page(state(), {
      [`GET ${WHERE}/image.svg`]: { body: "svg" },
      [`GET ${WHERE}/image.pdf`]: { status: 422, body: { detail: "height is gone.", status: 422 } },
    });
    const choose = async (name: string) => {
      await user.click(await screen.findByRole("button", { name: /Save image/ }));
      await user.click(await screen.findByRole("menuitem", { name }));
    };
    await choose("SVG");
    await waitFor(() => expect(saved).toEqual(["image.svg"]));
    await choose("PDF, with its type");
    expect(await screen.findByText("height is gone.")).toBeTruthy();
    expect(saved.length).toBe(1);
  });
});
