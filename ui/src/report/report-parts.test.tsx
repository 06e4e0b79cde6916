import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { Editor } from "@tiptap/react";
import type { S } from "../client/api";
import { Toasts } from "../common/toasts";
import { server, show, type Reply } from "../testing/kit";
import { newUid } from "./embeds";
import { PutIn } from "./put-in";
import { SaveAs } from "./save-as";

const STUDY = "/api/studies/s1";
const entry = (id: string, type: string) => ({ id, type, name: `Name of ${id}`, line: "" });
const ENTRIES = [entry("t1", "table"), entry("q1", "question"), entry("q2", "question"), entry("f1", "figure")];

function putIn(state: Partial<S["ReportState"]> = {}, replies: Record<string, Reply> = {}, entries = ENTRIES) {
  const sent = server({
    [`GET ${STUDY}`]: { body: { entries } },
    [`POST ${STUDY}/questions/q1/write-up`]: { body: { nodes: [{ type: "paragraph" }] } },
    [`GET ${STUDY}/questions/q1/phrases`]: {
      body: [
        { key: "p", where: "overall test", text: "p = .003", spans: [{ t: "p = .003", style: "plain" }] },
        { key: "n", where: "rows", text: "24 rows", spans: [{ t: "24 rows", style: "plain" }] },
      ],
    },
    ...replies,
  });
  const put: unknown[] = [];
  const changes: unknown[] = [];
  const order: string[] = [];
  const chain = {
    focus: () => chain,
    insertContent: (nodes: unknown) => (put.push(nodes), chain),
    run: () => true,
  };
  show(
    <>
      <PutIn
        study="s1"
        state={{ id: "r1", name: "Draft", embeds: [], live: [], look: {}, ...state } as unknown as S["ReportState"]}
        editor={{ chain: () => chain } as unknown as Editor}
        renewAll={() => order.push("renew all")}
        flush={() => (order.push("flush"), Promise.resolve())}
        changeReport={(body) => (order.push("change"), changes.push(body))}
      />
      <Toasts />
    </>,
  );
  return { put, changes, order, sent, user: userEvent.setup() };
}

describe("what is put into a report", () => {
  it("is an answer with its usual parts, or a figure, and room to write on", async () => {
    const { put, user } = putIn();
    await user.click(await screen.findByRole("button", { name: "Place Name of q1" }));
    await user.click(screen.getByRole("button", { name: "Place Name of f1" }));
    expect(put).toMatchObject([
      [
        { type: "answer", attrs: { question: "q1", parts: ["headline", "groups", "frequencies", "pairs", "figure"] } },
        { type: "paragraph" },
      ],
      [{ type: "figure", attrs: { figure: "f1" } }, { type: "paragraph" }],
    ]);
  });

  it("is a word of an answer, found by what it is", async () => {
    const { put, user } = putIn();
    await user.click(await screen.findByRole("button", { name: "Words of Name of q1" }));
    await screen.findByText("p = .003");
    await user.type(screen.getByLabelText("Search the words"), "OVERALL");
    expect(screen.queryByText("24 rows")).toBeNull();
    fireEvent.click(screen.getByText("p = .003"));
    expect(put).toMatchObject([{ type: "live", attrs: { question: "q1", key: "p", said: "p = .003", holds: null } }]);
    expect(screen.queryByLabelText("Search the words")).toBeNull();
  });

  it("is a paragraph that is written up", async () => {
    const { put, user } = putIn();
    await user.click(await screen.findByRole("button", { name: "Write up Name of q1" }));
    await waitFor(() => expect(put).toEqual([[{ type: "paragraph" }]]));
  });

  it("says why nothing can be written of a question", async () => {
    const gone = { status: 422, body: { detail: "This question has no answer.", status: 422 } };
    const { put, user } = putIn({}, { [`POST ${STUDY}/questions/q2/write-up`]: gone });
    await user.click(await screen.findByRole("button", { name: "Write up Name of q2" }));
    expect(await screen.findByText("This question has no answer.")).toBeTruthy();
    expect(put).toEqual([]);
  });

  it("comes first where it is not in the report yet, and can be placed again", async () => {
    putIn({
      embeds: [{ uid: "u", ref: "q1", name: "Name of q1", kind: "answer" }] as unknown as S["ReportState"]["embeds"],
    });
    await screen.findByText("Name of q2");
    expect(screen.getAllByRole("listitem").map((l) => l.getAttribute("data-source"))).toEqual(["q2", "f1", "q1"]);
    expect(screen.getByText("answer, placed")).toBeTruthy();
  });

  it("is searched where there is much, and missed where there is nothing", async () => {
    const many = Array.from({ length: 9 }, (_, i) => entry(`q${i}`, "question"));
    const { user } = putIn({}, {}, many);
    await user.type(await screen.findByLabelText("Search answers and figures"), "q7");
    expect(screen.getAllByRole("listitem").length).toBe(1);
  });

  it("teaches what comes first where the study has no answer", async () => {
    putIn({}, {}, [entry("t1", "table")]);
    expect(await screen.findByText(/Ask a question first/)).toBeTruthy();
  });

  it("has a name of its own each time", () => {
    const names = new Set(Array.from({ length: 500 }, newUid));
    expect(names.size).toBe(500);
    expect([...names].every((n) => /^[0-9a-f]{8}$/.test(n))).toBe(true);
  });
});

describe("what has changed under a report", () => {
  const embed = (ref: string, more = {}) => ({ uid: `u${ref}`, ref, kind: "answer", name: `Name of ${ref}`, ...more });
  const word = (ref: string, more = {}) => ({
    uid: `w${ref}`,
    ref,
    name: `Name of ${ref}`,
    text: ".04",
    said: ".04",
    ...more,
  });
  const of = (embeds: unknown[], live: unknown[] = []) => ({ embeds, live }) as unknown as Partial<S["ReportState"]>;

  it("is renewed one by one, each answer once however often it is quoted", async () => {
    const { user, sent } = putIn(
      of(
        [embed("q1", { out_of_date: true }), embed("q1", { uid: "x", out_of_date: true })],
        [word("q1", { out_of_date: true })],
      ),
      { [`POST ${STUDY}/questions/q1/answer`]: { body: { job: null } } },
    );
    const buttons = await screen.findAllByRole("button", { name: "Renew" });
    expect(buttons.length).toBe(1);
    expect(screen.queryByRole("button", { name: "Renew all" })).toBeNull();
    await user.click(buttons[0]!);
    await waitFor(() => expect(sent.some((s) => s.path.endsWith("/questions/q1/answer"))).toBe(true));
  });

  it("is renewed all at once; a figure is drawn", async () => {
    const { user, order, sent } = putIn(
      of([
        embed("q1", { out_of_date: true }),
        embed("f1", { kind: "figure", out_of_date: true, problem: "Its column is gone." }),
      ]),
      { [`POST ${STUDY}/figures/f1/draw`]: { body: { job: null } } },
    );
    expect(await screen.findByText("Its column is gone.")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Renew all" }));
    await user.click(screen.getAllByRole("button", { name: "Renew" })[1]!);
    expect(order).toEqual(["renew all"]);
    await waitFor(() => expect(sent.some((s) => s.path.endsWith("/figures/f1/draw"))).toBe(true));
  });

  it("is shown before and after, and a conclusion that turned is told", async () => {
    const { user, order, changes } = putIn(
      of(
        [embed("q1", { was: "p = .04", now: "p = .06" })],
        [
          word("q2", { said: "lower", text: "higher", flipped: true }),
          word("q3", { said: ".001", missing: true }),
          word("q4"),
        ],
      ),
    );
    const part = within(await screen.findByRole("region", { name: "Changed" }));
    expect(part.getAllByRole("listitem").length).toBe(3);
    expect(part.getByText("The evidence has changed sides: read the sentence again.")).toBeTruthy();
    expect(part.getByText("“.001” is no longer in the answer.")).toBeTruthy();
    await user.click(part.getByRole("button", { name: "Take note of all" }));
    await waitFor(() => expect(order).toEqual(["flush", "change"])); // what is typed is kept first
    expect(changes).toEqual([{ noted: true }]);
  });

  it("is nothing where everything reads as it did", async () => {
    putIn(of([embed("q1")], [word("q1")]));
    await screen.findByText("Name of q2");
    expect(screen.queryByText("Changed since you took note")).toBeNull();
    expect(screen.queryByText("Out of date")).toBeNull();
  });
});

describe("how a report is set", () => {
  it("changes one thing and keeps the others", async () => {
    const { user, changes } = putIn({ look: { decimal: "comma", type_pt: 11 } as S["ReportState"]["look"] });
    await user.selectOptions(await screen.findByLabelText("Paper"), "Letter");
    const pt = screen.getByLabelText("Type, pt");
    await user.clear(pt);
    await user.type(pt, "3{Enter}");
    await user.clear(pt);
    await user.type(pt, "12{Enter}");
    expect(changes).toEqual([
      { look: { decimal: "comma", type_pt: 11, paper: "letter" }, noted: false },
      { look: { decimal: "comma", type_pt: 12 }, noted: false },
    ]);
  });
});

describe("saving a report", () => {
  const saving = (states: object[]) => {
    const order: string[] = [];
    let at = 0;
    const told = () => ({ body: states[Math.min(at++, states.length - 1)] });
    server({
      [`POST ${STUDY}/reports/r1/files/pdf`]: () => (order.push("post"), told()),
      [`GET ${STUDY}/reports/r1/files/x1/state`]: told,
    });
    const went: string[] = [];
    vi.spyOn(window.location, "assign").mockImplementation((to) => void went.push(String(to)));
    show(
      <>
        <SaveAs study="s1" id="r1" flush={() => (order.push("flush"), Promise.resolve())} />
        <Toasts />
      </>,
    );
    return { order, went };
  };

  it("keeps what is typed first, says how far it is, and fetches the file", async () => {
    const { order, went } = saving([
      { id: "x1", done: false, part: 0 },
      { id: "x1", done: false, part: 0.5 },
      { id: "x1", done: true, part: 1 },
    ]);
    fireEvent.click(screen.getByRole("button", { name: "PDF" }));
    expect((await screen.findByLabelText("Saving")).getAttribute("value")).toBe("0");
    expect(screen.getByRole("button", { name: "Document" })).toHaveProperty("disabled", true);
    await waitFor(() => expect(went).toEqual([`${STUDY}/reports/r1/files/x1/content`]));
    expect(order).toEqual(["flush", "post"]);
    await waitFor(() => expect(screen.queryByLabelText("Saving")).toBeNull());
  });

  it("says why it could not be made", async () => {
    const { went } = saving([{ id: "x1", done: true, part: 1, problem: "The figure cannot be drawn." }]);
    fireEvent.click(screen.getByRole("button", { name: "PDF" }));
    expect(await screen.findByText("The figure cannot be drawn.")).toBeTruthy();
    await act(() => Promise.resolve());
    expect(went).toEqual([]);
    expect(screen.getByRole("button", { name: "PDF" })).toHaveProperty("disabled", false);
  });
});
