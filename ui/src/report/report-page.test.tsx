import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Conflict } from "../common/conflict";
import { Toasts } from "../common/toasts";
import { draftOf } from "../client/drafts";
import { server, show, type Reply } from "../testing/kit";
import { ReportPage } from "./report-page";

vi.mock("../common/picture", () => ({ Picture: ({ alt }: { alt: string }) => <img alt={alt} /> }));

const WHERE = "/api/studies/s1/reports/r1";
type Doc = { type: "doc"; content: unknown[] };
const doc = (...texts: string[]): Doc => ({
  type: "doc",
  content: texts.map((text) => ({ type: "paragraph", content: [{ type: "text", text }] })),
});
const state = (more: object = {}) => ({
  id: "r1",
  name: "Draft",
  revision: 4,
  doc: doc("It began well."),
  embeds: [],
  live: [],
  targets: [{ uid: "u1", part: "groups", label: "Table 1", title: "Groups" }],
  look: {},
  ...more,
});

function page(start: object = state(), replies: Record<string, Reply> = {}) {
  let revision = 4;
  const sent = server({
    [`GET ${WHERE}`]: { body: start },
    [`PUT ${WHERE}`]: (s) => ({ body: { ...start, ...(s.body as object), revision: ++revision } }),
    "GET /api/studies/s1": { body: { entries: [] } },
    "POST /api/studies/s1/reports": { body: { id: "r2" } },
    "PUT /api/studies/s1/reports/r2": { body: {} },
    ...replies,
  });
  const shown = show(
    <>
      <ReportPage />
      <Conflict />
      <Toasts />
    </>,
    "/s/s1/r/r1",
    "/s/:study/r/:id",
  );
  const did = (method: string) => sent.filter((s) => s.method === method && s.path === WHERE);
  return { ...shown, did, sent, user: userEvent.setup() };
}

const text = () => screen.getByRole("textbox", { name: "The report's text" });
/** Puts a sign at the cursor, which is typing enough. */
async function type(user: ReturnType<typeof userEvent.setup>, sign = "π") {
  await user.click(await screen.findByRole("button", { name: /^Ω/ }));
  await user.click(await screen.findByRole("menuitem", { name: sign }));
}

describe("a report", () => {
  it("is kept by itself a moment after it was written, on the text as it was read", async () => {
    const { did, user } = page();
    expect((await screen.findByText("It began well.")).closest("[role=textbox]")).toBeTruthy();
    expect(screen.getByText("Saved")).toBeTruthy();
    await type(user);
    expect(await screen.findByText("Saving …")).toBeTruthy();
    expect(draftOf("r1")).toMatchObject({ revision: 4 }); // before the server has it
    await waitFor(() => expect(did("PUT").length).toBe(1), { timeout: 3000 });
    expect(did("PUT")[0]!.headers.get("if-match")).toBe('"4"');
    expect(JSON.stringify(did("PUT")[0]!.body)).toContain("π");
    expect(await screen.findByText("Saved")).toBeTruthy();
    expect(draftOf("r1")).toBeNull();
  });

  it("keeps its words in the browser where the server cannot take them", async () => {
    const { user } = page(state(), {
      [`PUT ${WHERE}`]: { status: 500, body: { detail: "The disk is full.", status: 500 } },
    });
    await type(user);
    expect(await screen.findByText("The disk is full.", {}, { timeout: 3000 })).toBeTruthy();
    expect(screen.getByText("Not saved yet: your words are kept in this browser.")).toBeTruthy();
    expect(draftOf("r1")).not.toBeNull();
  });

  it("is kept when the page is left before the moment has come", async () => {
    const { did, user, unmount } = page();
    await type(user);
    unmount();
    await waitFor(() => expect(did("PUT").length).toBe(1));
  });

  it("saves what a closed window left behind, on the text that was written on", async () => {
    localStorage.setItem("yavik.draft.r1.gone0001", JSON.stringify({ doc: doc("Left behind."), revision: 2 }));
    const { did } = page();
    await waitFor(() => expect(did("PUT").length).toBe(1));
    expect(did("PUT")[0]!.headers.get("if-match")).toBe('"2"');
    expect(did("PUT")[0]!.body).toMatchObject({ doc: doc("Left behind.") });
    await waitFor(() => expect(localStorage.getItem("yavik.draft.r1.gone0001")).toBeNull());
  });

  it("can keep both texts where two windows wrote the same paragraph", async () => {
    const places = [{ path: ["doc", "content", 0], base: "a", theirs: doc("Theirs."), mine: doc("Mine.") }];
    const { sent, user } = page(state(), {
      [`PUT ${WHERE}`]: { status: 409, body: { detail: "Changed.", status: 409, places } },
    });
    await type(user);
    expect(await screen.findByText("Paragraph 1", {}, { timeout: 3000 })).toBeTruthy();
    fireEvent.click(screen.getByText("Keep both: this text as a report of its own"));
    await waitFor(() => expect(sent.some((s) => s.path.endsWith("/reports/r2"))).toBe(true));
    expect(sent.find((s) => s.method === "POST")!.body).toEqual({ name: "Draft (my text)", template: "empty" });
    await waitFor(() => expect(screen.getByText("Saved")).toBeTruthy());
  });

  it("takes over what was changed elsewhere, while nothing here waits", async () => {
    const { client } = page();
    await screen.findByText("It began well.");
    act(() => void client.setQueryData(["report", "s1", "r1"], state({ revision: 6, doc: doc("Changed elsewhere.") })));
    expect(await screen.findByText("Changed elsewhere.")).toBeTruthy();
    act(() => void client.setQueryData(["report", "s1", "r1"], state({ revision: 5, doc: doc("Older.") })));
    expect(text().textContent).toBe("Changed elsewhere.");
  });

  it("has kinds of paragraphs, lists and marks", async () => {
    const { did, user } = page();
    await screen.findByText("It began well.");
    await user.selectOptions(screen.getByLabelText("Kind of paragraph"), "Heading");
    expect(await screen.findByRole("heading", { name: "It began well." })).toBeTruthy();
    await user.selectOptions(screen.getByLabelText("Kind of paragraph"), "Text");
    await user.click(screen.getByRole("button", { name: "List" }));
    expect(text().querySelector("ul li")!.textContent).toBe("It began well.");
    expect(screen.getByRole("button", { name: "List", pressed: true })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Undo typing" }));
    await waitFor(() => expect(text().querySelector("ul")).toBeNull());
    await waitFor(() => expect(did("PUT").length).toBeGreaterThan(0), { timeout: 3000 });
  });

  it("refers to a table by its number, and says where that is gone", async () => {
    const reference = (target: string) => ({ type: "crossReference", attrs: { target, part: "groups" } });
    const paragraph = {
      type: "paragraph",
      content: [{ type: "text", text: "See " }, reference("u1"), reference("u9")],
    };
    page(state({ doc: { type: "doc", content: [paragraph] } }));
    expect(await screen.findByTitle("Table 1. Groups")).toBeTruthy();
    expect(screen.getByTitle("What it points to is not in the report").textContent).toBe("(gone)");
  });

  it("shows live words, those that changed and those that are gone", async () => {
    const live = (uid: string) => ({
      type: "live",
      attrs: { uid, question: "q1", key: "p", said: "p = .04", holds: null },
    });
    const word = (uid: string, now: string, more = {}) => ({
      uid,
      ref: "q1",
      name: "Minutes",
      text: now,
      said: "p = .04",
      spans: [{ t: now, style: "plain" }],
      ...more,
    });
    const content = [{ type: "paragraph", content: [live("w1"), live("w2"), live("w3")] }];
    const { user } = page(
      state({
        doc: { type: "doc", content },
        live: [
          word("w1", "p = .04"),
          word("w2", "p = .06", { flipped: true }),
          word("w3", "p = .04", { missing: true }),
        ],
      }),
    );
    await screen.findByText("p = .06");
    const words = [...document.querySelectorAll("[data-live]")];
    expect(words.map((w) => w.className.includes("changed"))).toEqual([false, true, true]);
    await user.click(words[1]!);
    const panel = within(await screen.findByRole("dialog", { name: "Live word" }));
    expect(
      panel.getByText("The evidence has changed sides since the sentence was written: read it again."),
    ).toBeTruthy();
    await user.click(panel.getByRole("button", { name: "Make it plain text" }));
    await waitFor(() => expect(document.querySelectorAll("[data-live]").length).toBe(2));
    expect(text().textContent).toContain("p = .06");
  });

  it("places answers with the parts that are chosen, and takes them out", async () => {
    const embed = {
      uid: "e1",
      ref: "q1",
      kind: "answer",
      name: "Minutes by room",
      headline: [{ t: "Means differ.", style: "plain" }],
      parts: [
        { id: "headline", title: "Statement" },
        { id: "groups", title: "Groups" },
      ],
      tables: [],
      figures: [],
    };
    const content = [
      { type: "answer", attrs: { uid: "e1", question: "q1", parts: ["headline"] } },
      { type: "paragraph", content: [{ type: "text", text: "After it." }] },
    ];
    const { did, user } = page(state({ doc: { type: "doc", content }, embeds: [embed] }));
    const section = await screen.findByRole("region", { name: "Answer: Minutes by room" });
    expect(within(section).getByText("Means differ.")).toBeTruthy();
    await user.click(within(section).getByRole("button", { name: "Choose parts" }));
    await user.click(within(section).getByLabelText("Groups"));
    await waitFor(() => expect(JSON.stringify(did("PUT").at(-1)?.body ?? "")).toContain('["headline","groups"]'), {
      timeout: 3000,
    });
    await user.click(screen.getByRole("button", { name: "Move Minutes by room down" }));
    await waitFor(
      () => {
        const kinds = (did("PUT").at(-1)!.body as { doc: Doc }).doc.content.map((n) => (n as { type: string }).type);
        expect(kinds[0]).toBe("paragraph");
      },
      { timeout: 3000 },
    );
    await user.click(screen.getByRole("button", { name: "Take Minutes by room out" }));
    await waitFor(() => expect(screen.queryByRole("region", { name: "Answer: Minutes by room" })).toBeNull());
  });

  it("that is gone says so", async () => {
    page(state(), {
      [`GET ${WHERE}`]: { status: 404, body: { detail: "This report is no longer in the study.", status: 404 } },
    });
    expect(await screen.findByText("This report is no longer in the study.")).toBeTruthy();
  });
});
