import { fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Properties } from "../asking/ask";
import type { Figure, S } from "../client/api";
import type { Drawn } from "../common/picture";
import { server, show } from "../testing/kit";
import { Appearance, type Kind } from "./appearance";
import { Caption, toDoc, toTemplate } from "./caption";
import { LayerSlot } from "./layer-slot";
import { LinesAndNotes, onGrid } from "./lines-notes";
import { NoteHandles } from "./note-handles";
import { AnswerMarks } from "./marks";

type State = S["FigureState"];
const VEGA = { encoding: { y: { scale: { domain: [0, 10] }, axis: { title: ["Minutes", "read"] } } } };
const state = (figure: Partial<Figure> = {}, more: object = {}) =>
  ({
    id: "f1",
    figure: { kind: "groups", show: ["box"], ...figure },
    marks_sources: [],
    drawing: {
      vega: VEGA,
      alt: "",
      caption: [{ t: "Minutes by room.", style: "plain" }],
      template: "{title} by room.",
      parts: { title: "Minutes", n: "24 rows" },
      levels: [],
      groups: ["hall", "alcove"],
      colours: {},
      shapes: {},
    },
    ...more,
  }) as unknown as State;

function changes() {
  const made: Partial<Figure>[] = [];
  return { made, change: (part: Partial<Figure>) => void made.push(part) };
}

describe("lines, ranges and notes", () => {
  const opened = (figure: Partial<Figure> = {}) => {
    const { made, change } = changes();
    show(<LinesAndNotes state={state(figure)} change={change} />);
    return { made, user: userEvent.setup() };
  };

  it("begin in the middle of what is drawn", async () => {
    const { made, user } = opened();
    for (const name of ["Add a line", "Add a range", "Add a note"])
      await user.click(screen.getByRole("button", { name }));
    expect(made).toEqual([
      { lines: [{ axis: "y", at: 5, label: "" }] },
      { ranges: [{ axis: "y", start: 4.5, end: 5.5, label: "" }] },
      { notes: [{ text: "Note", x: 0.5, y: 5, to_x: null, to_y: null }] },
    ]);
  });

  it("begin within what is drawn, however far from nought that lies", async () => {
    const far = { encoding: { x: { scale: { domain: [2e6, 2e6 + 40] } }, y: { scale: { domain: [1e9, 1e9 + 100] } } } };
    const { made, change } = changes();
    const note = { text: "Note", x: 1, y: 1e9 + 60, to_x: null, to_y: null };
    const whole = state({ notes: [note] });
    show(<LinesAndNotes state={{ ...whole, drawing: { ...whole.drawing, vega: far } } as State} change={change} />);
    const user = userEvent.setup();
    for (const name of ["Add a line", "Add a range", "Add a note", "With an arrow"])
      await user.click(screen.getByRole("button", { name }));
    expect(made).toMatchObject([
      { lines: [{ at: 1e9 + 50 }] },
      { ranges: [{ start: 1e9 + 45, end: 1e9 + 55 }] },
      { notes: [note, { x: 2e6 + 20, y: 1e9 + 50 }] },
      { notes: [{ ...note, to_x: 1, to_y: 1e9 + 50 }] },
    ]);
    expect([onGrid(0.123456, 1), onGrid(-7.77777e-7, 2e-6), onGrid(5, 0)]).toEqual([0.12, -7.8e-7, 5]);
  });

  it("stand at numbers, dates or groups, as they are typed", async () => {
    const { made, user } = opened({ lines: [{ axis: "y", at: 5, label: "" }] });
    for (const [typed, at] of [
      ["−2,5", -2.5],
      ["2026-03-01", "2026-03-01"],
      ["hall", "hall"],
    ] as const) {
      const box = screen.getByLabelText("Line at");
      await user.clear(box);
      await user.type(box, `${typed}{Enter}`);
      expect(made.at(-1)).toEqual({ lines: [{ axis: "y", at, label: "" }] });
    }
    await user.clear(screen.getByLabelText("Line at"));
    await user.tab();
    expect(made.length).toBe(3);
  });

  it("change one among several, and are taken away", async () => {
    const lines = [1, 2].map((at) => ({ axis: "y" as const, at, label: "" }));
    const { made, user } = opened({ lines });
    await user.selectOptions(screen.getByLabelText("Axis of line 2"), "level axis");
    await user.click(screen.getByRole("button", { name: "Take line 1 away" }));
    expect(made).toEqual([{ lines: [lines[0], { ...lines[1], axis: "x" }] }, { lines: [lines[1]] }]);
  });

  it("of which notes have an arrow or none", async () => {
    const note = { text: "Note", x: 1, y: 5, to_x: null, to_y: null };
    const { made, user } = opened({ notes: [note] });
    await user.click(screen.getByRole("button", { name: "With an arrow" }));
    fireEvent.change(screen.getByLabelText("Words of note 1"), { target: { value: "Flood" } });
    fireEvent.blur(screen.getByLabelText("Words of note 1"));
    expect(made).toEqual([{ notes: [{ ...note, to_x: 1, to_y: 4 }] }, { notes: [{ ...note, text: "Flood" }] }]);
  });
});

describe("notes on a figure", () => {
  const drawn: Drawn = {
    pixel: (x, y) => [(x - 1e9) * 10, 100 - y],
    data: (x, y) => [1e9 + x / 10, 100 - y],
    letter: 6,
    plot: () => ({ left: 0, top: 0, width: 100, height: 100 }),
  };
  const note = { text: "Flood", x: 1e9 + 5, y: 40, to_x: 1e9 + 6, to_y: 20 };
  const opened = () => {
    const made: unknown[] = [];
    show(
      <div>
        <NoteHandles notes={[note]} drawn={drawn} set={(n) => made.push(n)} />
      </div>,
    );
    return made;
  };

  it("are moved by keys to places of the data, exactly", () => {
    const made = opened();
    fireEvent.keyDown(screen.getByLabelText("Note: Flood"), { key: "ArrowRight" });
    fireEvent.keyDown(screen.getByLabelText("Tip of the arrow of Flood"), { key: "ArrowUp", shiftKey: true });
    expect(made).toEqual([[{ ...note, x: 1e9 + 5.2, y: 40 }], [{ ...note, to_x: 1e9 + 6, to_y: 30 }]]);
  });

  it("are dragged, and kept where they are let go", () => {
    const made = opened();
    const handle = screen.getByLabelText("Note: Flood");
    handle.setPointerCapture = () => undefined;
    handle.releasePointerCapture = () => undefined;
    fireEvent.pointerMove(handle, { clientX: 10, clientY: 10 });
    fireEvent.pointerDown(handle, { pointerId: 1 });
    fireEvent.pointerMove(handle, { clientX: 70, clientY: 30 });
    expect(made).toEqual([]);
    fireEvent.pointerUp(handle);
    expect(made).toEqual([[{ ...note, x: 1e9 + 7, y: 70 }]]);
  });

  it("lose their arrow, or go altogether", () => {
    const made = opened();
    fireEvent.keyDown(screen.getByLabelText("Tip of the arrow of Flood"), { key: "Delete" });
    fireEvent.keyDown(screen.getByLabelText("Note: Flood"), { key: "Backspace" });
    expect(made).toEqual([[{ ...note, to_x: null, to_y: null }], []]);
  });
});

describe("marks from an answer", () => {
  const source = { id: "q1", name: "Minutes by room", pairs: [["hall", "alcove"]] };

  it("teach where they come from", () => {
    show(<AnswerMarks state={state()} change={() => undefined} />);
    expect(screen.getByText(/Ask a question about these columns/)).toBeTruthy();
  });

  it("are taken from an answer, and left again", async () => {
    const { made, change } = changes();
    const { again } = show(<AnswerMarks state={state({}, { marks_sources: [source] })} change={change} />);
    const user = userEvent.setup();
    expect(screen.queryByLabelText("Overall p value")).toBeNull();
    await user.selectOptions(screen.getByLabelText("Take from"), "Minutes by room");
    again(<AnswerMarks state={state({ marks_from: "q1" }, { marks_sources: [source] })} change={change} />);
    await user.click(screen.getByLabelText("Overall p value"));
    await user.selectOptions(screen.getByLabelText("Take from"), "no answer");
    expect(made).toEqual([{ marks_from: "q1" }, { p: false }, { marks_from: null }]);
  });

  it("have brackets for chosen pairs, whichever way round they were kept", async () => {
    const { made, change } = changes();
    const figure = { marks_from: "q1", brackets: [["alcove", "hall"]] } as Partial<Figure>;
    show(<AnswerMarks state={state(figure, { marks_sources: [source] })} change={change} />);
    const box = screen.getByLabelText("hall – alcove");
    expect(box).toHaveProperty("checked", true);
    await userEvent.setup().click(box);
    expect(made).toEqual([{ brackets: [] }]);
  });

  it("say why they are not drawn", () => {
    const problem = "Minutes by room now asks about other columns.";
    show(<AnswerMarks state={state({ marks_from: "q1" }, { marks_problem: problem })} change={() => undefined} />);
    expect(screen.getByText(problem)).toBeTruthy();
  });

  it("are lines of the model on other kinds of figure", () => {
    show(
      <AnswerMarks
        state={state({ kind: "relation", marks_from: "q1" } as Partial<Figure>, { marks_sources: [source] })}
        change={() => undefined}
      />,
    );
    expect(screen.getByLabelText("Lines and bands of the model")).toBeTruthy();
    expect(screen.queryByLabelText("hall – alcove")).toBeNull();
  });
});

describe("what is drawn", () => {
  const layers = [
    { id: "box", words: "boxes", help: "", alone: false },
    { id: "points", words: "points", help: "", alone: false },
    { id: "bars", words: "bars", help: "", alone: true },
  ];
  const opened = async (value: string[]) => {
    const made: string[][] = [];
    show(<LayerSlot layers={layers} value={value} set={(v) => made.push(v)} />);
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: /^Drawn as/ }));
    return { made, user };
  };

  it("is several layers in the order of the figure, or one by itself", async () => {
    const { made, user } = await opened(["points"]);
    await user.click(screen.getByLabelText(/^boxes/));
    expect(screen.getByRole("button", { name: "Drawn as: boxes and points", hidden: true })).toBeTruthy();
    await user.click(screen.getByLabelText(/^bars/));
    await user.click(screen.getByLabelText(/^boxes/));
    expect(made).toEqual([["box", "points"], ["bars"], ["box"]]);
  });

  it("is never nothing", async () => {
    await opened(["box"]);
    expect(screen.getByLabelText(/^boxes/)).toHaveProperty("disabled", true);
  });
});

describe("how a figure looks", () => {
  const properties: Properties = {
    y_min: { default: null, ask: { shown: "number", title: "From", section: "axes" } },
    y_title: { default: null, ask: { shown: "text", title: "y axis", section: "axes" } },
    grid: { default: false, ask: { shown: "flag", title: "Grid", section: "size" } },
  };
  const kind: Kind = { looks: ["y"], only: {} };
  const opened = (figure: Partial<Figure> = {}, drawing: object = {}) => {
    const { made, change } = changes();
    server({ "GET /api/studies/s1/figures/style": { body: {} } });
    const whole = state(figure);
    const one = { ...whole, drawing: { ...whole.drawing, ...drawing } } as State;
    show(<Appearance state={one} change={change} properties={properties} kind={kind} study="s1" />);
    return { made, user: userEvent.setup() };
  };

  it("shows in grey what an axis is called by itself, and takes another name", async () => {
    const { made, user } = opened();
    const box = screen.getByLabelText("y axis");
    expect(box.getAttribute("placeholder")).toBe("Minutes read");
    await user.type(box, "Time{Enter}");
    await user.type(screen.getByLabelText("From"), "−1{Enter}");
    expect(made).toEqual([{ y_title: "Time" }, { y_min: -1 }]);
  });

  it("has colours and marks of levels, and their defaults", async () => {
    const levels = Array.from({ length: 10 }, (_, i) => `level ${i}`);
    const drawing = { levels, colours: { "level 0": "#112233" }, shapes: { "level 0": "circle" } };
    const { made, user } = opened({ colours: { "level 0": "#112233" } }, drawing);
    expect(screen.getAllByLabelText(/^Colour of/).length).toBe(8);
    await user.click(screen.getByRole("button", { name: "All 10" }));
    expect(screen.getAllByLabelText(/^Colour of/).length).toBe(10);
    await user.click(screen.getByRole("button", { name: "Default colour for level 0" }));
    await user.selectOptions(screen.getByLabelText("Mark of level 0"), "■");
    expect(made).toEqual([{ colours: {} }, { shapes: { "level 0": "square" } }]);
  });

  it("takes a colour when its picker is left, not every one on the way", () => {
    const { made } = opened({}, { levels: ["a"], colours: { a: "#112233" } });
    const picker = screen.getByLabelText("Colour of a");
    for (const value of ["#111111", "#222222", "#333333"]) fireEvent.input(picker, { target: { value } });
    expect(made).toEqual([]);
    fireEvent.blur(picker);
    expect(made).toEqual([{ colours: { a: "#333333" } }]);
  });
});

describe("a caption", () => {
  it("is the same after it was turned into a text and back", () => {
    for (const template of ["{title} by room.", "Words {a}{b} end", "no parts"])
      expect(toTemplate(toDoc(template))).toBe(template);
    expect(toTemplate({ type: "doc" })).toBe("");
  });

  it("writes itself until it is edited, and again when it is let", async () => {
    const { made, change } = changes();
    show(<Caption state={state({ caption: "Mine." })} change={change} width={300} />);
    expect(within(screen.getByTestId("caption")).getByText("Minutes by room.")).toBeTruthy();
    await userEvent.setup().click(screen.getByRole("button", { name: "Let it write itself" }));
    expect(made).toEqual([{ caption: null }]);
  });

  it("is kept as it was drafted, and is its own again where it is as it would be", async () => {
    localStorage.setItem("yavik.caption.f1", JSON.stringify("{title} in two rooms."));
    const { made, change } = changes();
    const { unmount } = show(<Caption state={state()} change={change} width={300} />);
    const user = userEvent.setup();
    await user.click(await screen.findByRole("button", { name: "Keep" }));
    expect(made).toEqual([{ caption: "{title} in two rooms." }]);
    expect(localStorage.getItem("yavik.caption.f1")).toBeNull();
    unmount();
    localStorage.setItem("yavik.caption.f1", JSON.stringify("{title} by room."));
    show(<Caption state={state({ caption: "Mine." })} change={change} width={300} />);
    await user.click(await screen.findByRole("button", { name: "Keep" }));
    expect(made.at(-1)).toEqual({ caption: null });
  });
});
