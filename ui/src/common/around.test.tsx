import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Problem } from "../client/api";
import { together } from "../client/together";
import { place, server, show, type Reply } from "../testing/kit";
import { Conflict } from "./conflict";
import { History } from "./history";
import { HelpKeys, useKeys } from "./keys";
import { Palette } from "./palette";
import { Spans, Marked } from "./spans";
import { say, sayProblem, Toasts } from "./toasts";

const entry = (id: string, type: string) => ({ id, type, name: `Name of ${id}`, line: "", table: null });
const ENTRIES = [entry("t1", "table"), entry("q1", "question"), entry("q2", "question"), entry("r1", "report")];

describe("messages", () => {
  it("stand for a while, three at most, and can be closed", async () => {
    vi.useFakeTimers();
    show(<Toasts />);
    act(() => ["one", "two", "three", "four"].forEach((t) => say(t)));
    expect(screen.queryByText("one")).toBeNull();
    fireEvent.click(within(screen.getByText("two").parentElement!).getByLabelText("Close this message"));
    expect(screen.queryByText("two")).toBeNull();
    act(() => void vi.advanceTimersByTime(4100));
    expect(screen.queryByText("four")).toBeNull();
    vi.useRealTimers();
  });

  it("about trouble stay longer, and hide no cause that is known", () => {
    vi.useFakeTimers();
    show(<Toasts />);
    act(() => sayProblem(new Problem({ detail: "The column is gone." })));
    act(() => sayProblem("what"));
    act(() => void vi.advanceTimersByTime(5000));
    expect(screen.getByText("The column is gone.")).toBeTruthy();
    expect(screen.getByText("Something went wrong; nothing was changed.")).toBeTruthy();
    act(() => void vi.advanceTimersByTime(5000));
    vi.useRealTimers();
  });

  it("offer one thing to do", async () => {
    let done = 0;
    show(<Toasts />);
    act(() => say("Deleted", { label: "Undo", run: () => done++ }));
    await userEvent.setup().click(screen.getByRole("button", { name: "Undo" }));
    expect([done, screen.queryByText("Deleted")]).toEqual([1, null]);
  });
});

describe("words from the server", () => {
  it("are runs, never taken as markup", () => {
    show(
      <Spans
        spans={[
          { t: "<b>x</b>", style: "plain" },
          { t: "p", style: "italic" },
          { t: "W", style: "sub" },
        ]}
      />,
    );
    expect(screen.getByText("<b>x</b>")).toBeTruthy();
    expect([document.querySelector("i")!.textContent, document.querySelector("sub")!.textContent]).toEqual(["p", "W"]);
  });

  it("of a step may have names and code", () => {
    show(<Marked text="Keep **rows** where `a > 1`" />);
    expect([document.querySelector("b")!.textContent, document.querySelector("code")!.textContent]).toEqual([
      "rows",
      "a > 1",
    ]);
  });
});

describe("two windows that changed the same place", () => {
  const places = [{ path: ["spec", "response"], base: "a", theirs: "b", mine: "c" }];
  const clash = () => new Problem({ detail: "Changed.", status: 409, places });

  it("are shown side by side, and one of them is chosen", async () => {
    show(<Conflict />);
    const sent: (string | undefined)[] = [];
    const done = together(
      ({ header }) => (sent.push(header.keep), header.keep ? Promise.resolve("kept") : Promise.reject(clash())),
      3,
      "The question",
    );
    expect(await screen.findByText("The question was changed in another window")).toBeTruthy();
    expect(screen.getByRole("row", { name: "response b c", hidden: true })).toBeTruthy();
    fireEvent.click(screen.getByText("Keep what is here"));
    expect(await done).toBe("kept");
    expect(sent).toEqual([undefined, "mine"]);
    await waitFor(() => expect(screen.queryByText("The question was changed in another window")).toBeNull());
  });

  it("can both be kept where there is a way", async () => {
    show(<Conflict />);
    let both = 0;
    const words = { keepBoth: { label: "Keep both", run: () => Promise.resolve(both++) } };
    const done = together(() => Promise.reject(clash()), 3, "The report", words);
    fireEvent.click(await screen.findByText("Keep both"));
    expect([await done, both]).toEqual([null, 1]);
  });
});

describe("the history", () => {
  const change = (id: number, label: string, more = {}) => ({
    id,
    at: "2026-03-01T10:00:00Z",
    label,
    undone: false,
    who: "mira",
    moment: null,
    item_id: "t1",
    ...more,
  });
  const opened = (changes: unknown[], replies: Record<string, Reply> = {}) => {
    const sent = server({
      "GET /api/studies/s1/changes": { body: changes },
      "POST /api/studies/s1/changes/1/go": { body: {} },
      "PUT /api/studies/s1/changes/1/moment": { body: {} },
      "POST /api/studies/s1/undo": { body: { label: "Go there" } },
      ...replies,
    });
    show(
      <>
        <History study="s1" close={() => undefined} />
        <Toasts />
      </>,
    );
    return { sent, did: (m: string) => sent.filter((s) => s.method === m) };
  };

  it("teaches what it is for where nothing was changed", async () => {
    opened([]);
    expect(await screen.findByText(/Nothing has been changed yet/)).toBeTruthy();
  });

  it("goes back to a moment, and from there back again", async () => {
    const { did } = opened([change(2, "Edit a step"), change(1, "Bring in Beds")]);
    expect((await screen.findAllByText("Go there")).length).toBe(1); // the first line is now
    fireEvent.click(screen.getByText("Go there"));
    fireEvent.click(await screen.findByText("Undo"));
    await waitFor(() =>
      expect(did("POST").map((s) => s.path)).toEqual(["/api/studies/s1/changes/1/go", "/api/studies/s1/undo"]),
    );
    expect(await screen.findByText("Undone: go there")).toBeTruthy();
  });

  it("names a moment, and takes the name away", async () => {
    const { did } = opened([change(2, "Edit"), change(1, "Bring in Beds", { moment: "as sent" })]);
    fireEvent.click(await screen.findByText("Rename"));
    const box = screen.getByLabelText("Name of this moment");
    fireEvent.change(box, { target: { value: " " } });
    fireEvent.blur(box);
    await waitFor(() => expect(did("PUT").map((s) => s.body)).toEqual([{ name: null }]));
  });

  it("says why a moment cannot be gone back to", async () => {
    opened([change(2, "Edit"), change(1, "Bring in")], {
      "POST /api/studies/s1/changes/1/go": { status: 422, body: { detail: "That moment is gone.", status: 422 } },
    });
    fireEvent.click(await screen.findByText("Go there"));
    expect(await screen.findByText("That moment is gone.")).toBeTruthy();
  });
});

describe("keys", () => {
  function Page({ told }: { told: string[] }) {
    useKeys({ study: "s1", openPalette: () => told.push("palette"), openHelp: () => told.push("help") });
    return <input aria-label="a field" />;
  }
  const opened = async (at = "/s/s1/q/q1") => {
    const told: string[] = [];
    const sent = server({
      "POST /api/studies/s1/undo": { body: { label: null } },
      "POST /api/studies/s1/redo": { body: { label: null } },
    });
    show(
      <>
        <Page told={told} />
        <Toasts />
      </>,
      at,
      "/s/:study/:kind?/:id?",
      [[["contents", "s1"], { entries: ENTRIES }]],
    );
    const press = (...keys: string[]) => keys.forEach((key) => fireEvent.keyDown(document.body, { key }));
    return { told, sent, press };
  };

  it("find, help and begin", async () => {
    const { told, press } = await opened();
    press("/", "?", "n", "t");
    expect(told).toEqual(["palette", "help"]);
    expect(place.now).toBe("/s/s1/bring");
  });

  it("go to a part of the study", async () => {
    const { press } = await opened();
    press("g", "r");
    expect(place.now).toBe("/s/s1/r/r1");
  });

  it("go from entry to entry, not beyond the last", async () => {
    const { press } = await opened();
    press("]");
    expect(place.now).toBe("/s/s1/q/q2");
  });

  it("are letters where something is written", async () => {
    const { told } = await opened();
    fireEvent.keyDown(screen.getByLabelText("a field"), { key: "?" });
    expect(told).toEqual([]);
  });

  it("undo and do again", async () => {
    const { sent } = await opened();
    fireEvent.keyDown(document.body, { key: "z", ctrlKey: true });
    expect(await screen.findByText("Nothing to undo")).toBeTruthy();
    fireEvent.keyDown(document.body, { key: "Z", ctrlKey: true, shiftKey: true });
    await waitFor(() => expect(sent.map((s) => s.path)).toContain("/api/studies/s1/redo"));
  });

  it("are listed", () => {
    show(<HelpKeys close={() => undefined} />);
    expect(screen.getByText("find or ask anything")).toBeTruthy();
  });
});

describe("the search for anything", () => {
  const methods = [
    {
      id: "two",
      title: "Two groups",
      keywords: ["t test"],
      layouts: [{ sentence: "Does {response} differ?" }],
      aim: "a",
    },
  ];
  const opened = async () => {
    const sent = server({ "POST /api/studies/s1/questions": { body: { id: "q9" } }, "GET /api/studies": { body: [] } });
    show(<Palette study="s1" close={() => undefined} />, "/s/s1", "/s/:study/*", [
      [["contents", "s1"], { entries: ENTRIES }],
      [["catalogue"], { methods }],
      [["table", "s1", "t1"], { table: { columns: [{ name: "height", label: "Plant height" }] } }],
    ]);
    const box = screen.getByPlaceholderText(/A table, column, question/);
    const type = (text: string) => fireEvent.change(box, { target: { value: text } });
    const shown = () => [...document.querySelectorAll("[cmdk-item]")].map((i) => i.textContent);
    return { sent, box, type, shown };
  };

  it("finds a question by the name that the trade has for it, and asks it", async () => {
    const { type, shown, box, sent } = await opened();
    type("t test");
    expect(shown()).toEqual(["Does … differ?ask"]);
    fireEvent.keyDown(box, { key: "Enter" });
    await waitFor(() => expect(place.now).toBe("/s/s1/q/q9"));
    expect(sent.find((s) => s.method === "POST")!.body).toMatchObject({ table: "t1", method: "two" });
  });

  it("finds columns by their labels", async () => {
    const { type, box } = await opened();
    type("plant");
    fireEvent.keyDown(box, { key: "Enter" });
    expect(place.now).toBe("/s/s1/t/t1?column=height");
  });

  it("takes every word, and guesses at none", async () => {
    const { type, shown } = await opened();
    type("name q2");
    expect(shown()).toEqual(["Name of q2question"]);
    type("nmae");
    expect(screen.getByText("Nothing of that name.")).toBeTruthy();
  });
});
