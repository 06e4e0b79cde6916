import { act, fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Answer, FigureBlock, TableBlock } from "../client/api";
import type { Drawn } from "../common/picture";
import { show } from "../testing/kit";
import { AnswerView } from "./answer-view";
import { Handles, Touch, type Handle } from "./touch";

vi.mock("../common/picture", () => ({ Picture: ({ alt }: { alt: string }) => <img alt={alt} /> }));

let copied = "";
beforeEach(() => {
  vi.stubGlobal("navigator", { clipboard: { writeText: (text: string) => ((copied = text), Promise.resolve()) } });
});

const cell = (s: string, more = {}) => ({ s, v: Number.isNaN(Number(s)) ? s : Number(s), ...more });
const table = (id: string, more: Partial<TableBlock> = {}) =>
  ({
    type: "table",
    id,
    title: `Table ${id}`,
    columns: [
      { key: "group", title: "Group", align: "left" },
      { key: "mean", title: "M", align: "right", italic: true },
    ],
    rows: [
      { group: cell("north"), mean: cell("4.5", { sub: "4.1 to 4.9" }) },
      { group: cell("south"), mean: cell("", { why: "one row only" }) },
    ],
    ...more,
  }) as unknown as TableBlock;
const figure = (id: string, more: Partial<FigureBlock> = {}) =>
  ({
    type: "figure",
    id,
    title: `Figure ${id}`,
    alt: `alt ${id}`,
    drawing: { width: 300, height: 200 },
    ...more,
  }) as unknown as FigureBlock;
const answer = (...blocks: unknown[]) =>
  ({
    headline_spans: [
      { t: "Means differ, ", style: "plain" },
      { t: "p", style: "italic" },
    ],
    blocks,
  }) as unknown as Answer;

describe("an answer", () => {
  it("begins with its statement, then what it shows, and folds details away", () => {
    show(
      <AnswerView
        answer={answer(table("a"), figure("b"), table("c", { folded: true }), {
          type: "note",
          id: "n",
          text: "A note.",
        })}
      />,
    );
    expect(screen.getByTestId("headline").textContent).toBe("Means differ, p");
    expect(screen.getByAltText("alt b")).toBeTruthy();
    expect(screen.getByText("A note.")).toBeTruthy();
    expect(screen.getByText("Table c", { selector: "summary" })).toBeTruthy();
  });

  it("shows each block once, whatever stands beside what", () => {
    const blocks = [figure("m"), table("a"), table("b"), figure("s1", { small: true }), figure("s2", { small: true })];
    for (const model of [null, { id: "m" }]) {
      const { unmount } = show(<AnswerView answer={{ ...answer(...blocks), model } as unknown as Answer} />);
      for (const alt of ["alt m", "alt s1", "alt s2"]) expect(screen.getAllByAltText(alt).length).toBe(1);
      expect(screen.getAllByRole("table").length).toBe(2);
      unmount();
    }
  });

  it("says why a cell cannot be computed", () => {
    show(<AnswerView answer={answer(table("a"))} />);
    expect(screen.getByRole("cell", { name: /one row only/ }).title).toBe("one row only");
  });

  it("has parts under tabs, walked by arrow keys round and round", async () => {
    const part = (id: string, title: string) => table(id, { tab: { group: "g", title } as never });
    show(<AnswerView answer={answer(part("a", "Pairs"), part("b", "Means"), table("c"))} />);
    const tabs = screen.getAllByRole("tab");
    expect(tabs.map((t) => [t.textContent, t.getAttribute("aria-selected")])).toEqual([
      ["Pairs", "true"],
      ["Means", "false"],
    ]);
    expect(screen.queryByText("Table b")).toBeNull();
    tabs[0]!.focus();
    await userEvent.setup().keyboard("{ArrowLeft}");
    expect(screen.getByText("Table b")).toBeTruthy();
    expect(document.activeElement!.textContent).toBe("Means");
  });

  it("copies a table as it stands", async () => {
    show(<AnswerView answer={answer(table("a"))} />);
    fireEvent.click(screen.getByRole("button", { name: "Copy the table Table a" }));
    expect(copied).toBe("Group\tM\nnorth\t4.5 (4.1 to 4.9)\nsouth\t");
  });
});

describe("what is touched in an answer", () => {
  const touched = (block: unknown, spec: Record<string, unknown> = {}, more = {}) => {
    const did: unknown[] = [];
    const touch = {
      spec,
      set: (field: string, value: unknown) => did.push([field, value]),
      setAll: (fields: object) => did.push(fields),
      begin: (...asked: unknown[]) => did.push(asked),
      makeTable: (one: TableBlock) => did.push(one.id),
      ...more,
    };
    show(<AnswerView answer={answer(block)} touch={touch} openFigure={(id) => did.push(`open ${id}`)} />);
    return { did, user: userEvent.setup() };
  };

  it("is a row that goes into a list, and out again", async () => {
    const pick = { key: "group", field: "shown", title: "Show it" };
    const { did, user } = touched(table("a", { pick } as never), { shown: ["south"] });
    await user.click(screen.getByRole("button", { name: /^north ?: Show it/ }));
    await user.click(screen.getByRole("button", { name: /^south ?: Show it/, pressed: true }));
    expect(did).toEqual([
      ["shown", ["south", "north"]],
      ["shown", []],
    ]);
  });

  it("is one row that is taken", async () => {
    const pick = { key: "group", field: "model", title: "Take it", single: true };
    const { did, user } = touched(table("a", { pick, marked: [0] } as never));
    expect(screen.getByRole("button", { name: /^north ?: Take it/, pressed: true })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: /^south ?: Take it/ }));
    expect(did).toEqual([["model", "south"]]);
  });

  it("is a row that is asked as a question of its own", async () => {
    const { did, user } = touched(table("a", { opens: [{ response: "x" }, null], opens_as: "two" } as never));
    await user.click(screen.getByRole("button", { name: /^north/ }));
    expect(did).toEqual([[{ response: "x" }, "two", undefined]]);
    expect(screen.queryByRole("button", { name: /^south/ })).toBeNull();
  });

  it("is a name that is changed in place, and taken back when it is emptied", async () => {
    const rename = { field: "names", key: "group", rows: 1, title: "Name of the factor" };
    const { did, user } = touched(table("a", { rename } as never), { names: { north: "north" } });
    await user.click(screen.getByRole("button", { name: /^north ?: Name of the factor/ }));
    const input = screen.getByLabelText("Name of the factor");
    await user.clear(input);
    await user.type(input, "Sun{Enter}");
    await user.click(screen.getByRole("button", { name: /^north ?: Name of the factor/ }));
    await user.clear(screen.getByLabelText("Name of the factor"));
    await user.tab();
    expect(did).toEqual([
      ["names", { north: "Sun" }],
      ["names", {}],
    ]);
  });

  it("is a table that becomes data, and a picture that becomes a figure", async () => {
    const { did, user } = touched(table("a"));
    await user.click(screen.getByRole("button", { name: "As a table: Table a" }));
    expect(did).toEqual(["a"]);
  });

  it("is a change offered under a picture", async () => {
    const changes = [{ label: "Turn it", spec: { turned: true }, now: false }];
    const { did, user } = touched(figure("f", { changes } as never));
    await user.click(screen.getByRole("button", { name: "Turn it" }));
    await user.click(screen.getByRole("button", { name: "Work on the figure: Figure f" }));
    expect(did).toEqual([{ turned: true }, "open f"]);
  });

  it("is one of several small pictures that is taken", async () => {
    const small = figure("t", { takes: { label: "Cosine", spec: { distance: "cosine" }, now: false } } as never);
    const did: unknown[] = [];
    const touch = { spec: {}, set: () => undefined, setAll: (f: object) => did.push(f) };
    show(<AnswerView answer={answer(figure("m"), small)} touch={touch} />);
    await userEvent
      .setup()
      .click(within(screen.getByRole("group", { name: /under other settings/ })).getByRole("button"));
    expect(did).toEqual([{ distance: "cosine" }]);
  });
});

describe("a line on a picture", () => {
  const handle: Handle = {
    field: "value",
    axis: "x",
    title: "Compared with",
    words: "",
    at: 3,
    low: 0,
    high: 10,
    step: 0.5,
    decimals: 1,
    unit: "°C",
  };
  const drawn: Drawn = {
    pixel: (x, y) => [x * 10, y * 10],
    data: (x, y) => [x / 10, y / 10],
    letter: 6,
    plot: () => ({ left: 0, top: 0, width: 100, height: 50 }),
  };
  const opened = (at = 3) => {
    const did: unknown[] = [];
    const touch = { spec: {}, set: (field: string, value: unknown) => did.push([field, value]) };
    const view = (to: number) => (
      <Touch value={touch}>
        <div>
          <Handles handles={[{ ...handle, at: to }]} drawn={drawn} />
        </div>
      </Touch>
    );
    const made = show(view(at));
    return { did, again: (to: number) => made.again(view(to)), slider: screen.getByRole("slider") };
  };

  it("is moved by keys, and asked for once they rest", () => {
    vi.useFakeTimers();
    const { did, slider } = opened();
    for (const key of ["ArrowRight", "ArrowRight", "ArrowLeft", "PageUp"]) fireEvent.keyDown(slider, { key });
    expect(slider.getAttribute("aria-valuetext")).toBe("8.5 °C");
    expect(did).toEqual([]);
    act(() => void vi.advanceTimersByTime(500));
    expect(did).toEqual([["value", 8.5]]);
    vi.useRealTimers();
  });

  it("does not leave its ends, and Home and End reach them", () => {
    const { slider } = opened();
    fireEvent.keyDown(slider, { key: "End" });
    fireEvent.keyDown(slider, { key: "ArrowUp", shiftKey: true });
    expect(slider.getAttribute("aria-valuenow")).toBe("10");
    fireEvent.keyDown(slider, { key: "Home" });
    expect(slider.getAttribute("aria-valuenow")).toBe("0");
  });

  it("is dragged to a step, and asked for when it is let go", () => {
    const { did, slider } = opened();
    slider.setPointerCapture = () => undefined;
    fireEvent.pointerMove(slider, { clientX: 80, clientY: 5 });
    expect(slider.getAttribute("aria-valuenow")).toBe("3");
    fireEvent.pointerDown(slider, { pointerId: 1 });
    fireEvent.pointerMove(slider, { clientX: 62, clientY: 5 });
    expect(did).toEqual([]);
    fireEvent.pointerUp(slider);
    expect(did).toEqual([["value", 6]]);
  });

  it("stands where a new answer says", () => {
    const { slider, again } = opened();
    fireEvent.keyDown(slider, { key: "End" });
    again(4.5);
    expect(screen.getByRole("slider").getAttribute("aria-valuenow")).toBe("4.5");
  });
});
