import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Entry } from "../client/api";
import { place, server, show, type Sent } from "../testing/kit";
import { Contents, MOST_ROWS, path, rowsPath } from "./contents";
import { Toasts } from "./toasts";

const entry = (id: string, type: Entry["type"], more: Partial<Entry> = {}) =>
  ({ id, type, name: `Name of ${id}`, line: "24 rows", out_of_date: false, table: null, ...more }) as Entry;
const ENTRIES = [
  entry("t1", "table"),
  entry("q1", "question", { table: "t1" }),
  entry("q2", "question"),
  entry("r1", "report"),
];

function contents(entries: Entry[], current?: string) {
  const asked = { body: { entries, undo: null, redo: null } };
  const sent = server({
    "GET /api/studies/s1": asked,
    "GET /api/studies/s1/reports/templates": { body: [{ id: "empty", title: "Empty", help: "Nothing in it." }] },
    "POST /api/studies/s1/reports": { body: { id: "r9" } },
    "PATCH /api/studies/s1/items/q1": { body: {} },
    "PATCH /api/studies/s1/items/q2": { body: {} },
    "DELETE /api/studies/s1/items/q1": { body: {} },
    "POST /api/studies/s1/items/q1/duplicate": { body: {} },
    "POST /api/studies/s1/undo": { body: { label: "Delete Name of q1" } },
    "POST /api/studies/s1/figures": { body: { id: "f9" } },
  });
  show(
    <>
      <Contents study="s1" current={current} />
      <Toasts />
    </>,
  );
  return { sent, user: userEvent.setup(), did: (method: string) => sent.filter((s: Sent) => s.method === method) };
}

const line = (name: string) => screen.getByRole("link", { name: new RegExp(name) });
const menu = async (user: ReturnType<typeof userEvent.setup>, name: string, action: string) => {
  await user.click(screen.getByRole("button", { name: `Actions for ${name}` }));
  await user.click(await screen.findByRole("menuitem", { name: action }));
};

describe("where an entry lives", () => {
  it("is told by its kind", () => {
    expect(ENTRIES.map((e) => path("s1", e))).toEqual(["/s/s1/t/t1", "/s/s1/q/q1", "/s/s1/q/q2", "/s/s1/r/r1"]);
  });
});

describe("rows that are shown", () => {
  it("are named by their numbers in the file, one or several", () => {
    expect(rowsPath("s1", "t1", 17)).toBe("/s/s1/t/t1?rows=17");
    expect(rowsPath("s1", "t1", [3, 4, 90_000])).toBe("/s/s1/t/t1?rows=3,4,90000");
  });

  it("are the first of them where an address could not hold all", () => {
    const many = Array.from({ length: 40_000 }, (_, i) => i + 1);
    const shown = rowsPath("s1", "t1", many).split("=")[1]!.split(",").map(Number);
    expect(shown).toEqual(many.slice(0, MOST_ROWS));
  });
});

describe("the contents", () => {
  it("are parts with what each entry says now", async () => {
    contents([...ENTRIES, entry("q3", "question", { line: "out of date", out_of_date: true })], "q1");
    await screen.findByText("Name of t1");
    expect(screen.getAllByRole("heading").map((h) => h.textContent)).toEqual([
      "Tables",
      "Questions",
      "Figures",
      "Report",
    ]);
    expect(line("Name of q1").getAttribute("aria-current")).toBe("page");
    expect(screen.getByText("out of date").className).toContain("text-primary");
    expect(screen.getByText("No figure yet.")).toBeTruthy();
  });

  it("say nothing of what is missing while they are loading", () => {
    contents([]);
    expect(screen.queryByText("No question yet.")).toBeNull();
  });

  it("fold long parts but for the entry that is open, and remember it", async () => {
    const many = Array.from({ length: 12 }, (_, i) => entry(`q${i}`, "question"));
    const { user } = contents(many, "q11");
    await screen.findByText("Name of q0");
    const shown = () => screen.getAllByRole("link").length;
    expect(shown()).toBe(7);
    await user.click(screen.getByRole("button", { name: "All 12 questions" }));
    expect(shown()).toBe(12);
    expect(localStorage.getItem("yavik.all.s1.Questions")).toBe("yes");
    await user.click(screen.getByRole("button", { name: "Only the first 6" }));
    expect(shown()).toBe(7);
  });

  it("ask about the table that is open, draw of it, and bring one in", async () => {
    const { user, did } = contents(ENTRIES, "q1");
    await screen.findByText("Name of t1");
    await user.click(screen.getByRole("button", { name: "Ask a question" }));
    expect(place.now).toBe("/s/s1/ask/t1");
    await user.click(screen.getByRole("button", { name: "Draw a figure" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/f/f9"));
    expect(did("POST")[0]!.body).toEqual({ table: "t1" });
    await user.click(screen.getByRole("button", { name: "Bring in a table" }));
    expect(place.now).toBe("/s/s1/bring");
  });

  it("begin a report from a template", async () => {
    const { user, did } = contents(ENTRIES);
    await screen.findByText("Name of t1");
    await user.click(screen.getByRole("button", { name: /Begin a report/ }));
    await user.click(await screen.findByRole("menuitem", { name: /Empty/ }));
    await waitFor(() => expect(place.now).toBe("/s/s1/r/r9"));
    expect(did("POST")[0]!.body).toEqual({ name: "Report", template: "empty" });
  });
});

describe("an entry", () => {
  const input = () => screen.getByLabelText("New name of Name of q1");

  it("is renamed by Enter, and by leaving the field", async () => {
    const { user, did } = contents(ENTRIES);
    await user.dblClick(await screen.findByRole("link", { name: /Name of q1/ }));
    await user.clear(input());
    await user.type(input(), "  Words read {Enter}");
    await waitFor(() => expect(did("PATCH").map((s) => s.body)).toEqual([{ name: "Words read" }]));
    await user.dblClick(line("Name of q1"));
    await user.clear(input());
    await user.type(input(), "Pages");
    await user.tab();
    await waitFor(() => expect(did("PATCH").map((s) => s.body)).toEqual([{ name: "Words read" }, { name: "Pages" }]));
  });

  it("keeps its name after Escape, and where none is typed", async () => {
    const { user, did } = contents(ENTRIES);
    await user.dblClick(await screen.findByRole("link", { name: /Name of q1/ }));
    await user.type(input(), "x{Escape}");
    await user.dblClick(line("Name of q1"));
    await user.clear(input());
    await user.type(input(), "  {Enter}");
    expect(did("PATCH")).toEqual([]);
  });

  it("is moved, copied and deleted; deleting can be taken back", async () => {
    const { user, did } = contents(ENTRIES, "q1");
    await screen.findByText("Name of q1");
    await menu(user, "Name of q1", "Move down");
    await waitFor(() => expect(did("PATCH").map((s) => s.body)).toEqual([{ before: "" }]));
    await menu(user, "Name of q1", "Duplicate");
    await waitFor(() => expect(did("POST").map((s) => s.path)).toContain("/api/studies/s1/items/q1/duplicate"));
    await menu(user, "Name of q1", "Delete");
    await waitFor(() => expect(place.now).toBe("/s/s1"));
    const told = await screen.findByText("Name of q1 deleted");
    await user.click(within(told.parentElement!).getByRole("button", { name: "Undo" }));
    await screen.findByText("Undone: delete Name of q1");
  });

  it("says why it could not be deleted", async () => {
    const { user } = contents(ENTRIES);
    await screen.findByText("Name of q2");
    await menu(user, "Name of q2", "Delete");
    expect(await screen.findByText("This is no longer in the study.")).toBeTruthy();
  });

  it("is dragged before another", async () => {
    const { did } = contents(ENTRIES);
    await screen.findByText("Name of q2");
    const onto = (name: string, id: string) =>
      fireEvent.drop(line(name).closest("li")!, { dataTransfer: { getData: () => id } });
    onto("Name of q1", "q1");
    onto("Name of q1", "q2");
    await waitFor(() =>
      expect(did("PATCH").map((s) => [s.path, s.body])).toEqual([["/api/studies/s1/items/q2", { before: "q1" }]]),
    );
  });
});
