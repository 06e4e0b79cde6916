import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { S } from "../client/api";
import { Toasts } from "../common/toasts";
import { place, server, show, type Reply } from "../testing/kit";
import { OverviewPage } from "./overview-page";
import { StudiesPage } from "./studies-page";

vi.mock("../common/picture", () => ({ Picture: ({ alt }: { alt: string }) => <img alt={alt} /> }));

const study = (id: string, more: Partial<S["StudyOut"]> = {}): S["StudyOut"] => ({
  id,
  name: `Study ${id}`,
  created: "2026-03-01T10:00:00Z",
  touched: "2026-03-02T10:00:00Z",
  demo: false,
  tables: 1,
  questions: 0,
  figures: 2,
  reports: 0,
  ...more,
});

function studies(list: S["StudyOut"][], replies: Record<string, Reply> = {}) {
  const sent = server({ "GET /api/studies": { body: list }, ...replies });
  show(
    <>
      <StudiesPage />
      <Toasts />
    </>,
    "/",
    "/",
  );
  return { sent, user: userEvent.setup(), did: (m: string) => sent.filter((s) => s.method === m) };
}

describe("all studies", () => {
  it("say what is in them", async () => {
    studies([study("a"), study("b", { tables: 0, figures: 0, demo: true })]);
    expect(await screen.findByText("1 table, 0 questions, 2 figures")).toBeTruthy();
    expect(screen.getByText("Nothing in it yet · demo")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Put the demo study back" })).toBeNull();
  });

  it("teach what a study is where there is none", async () => {
    studies([]);
    expect(await screen.findByText("No study yet")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Put the demo study back" })).toBeTruthy();
  });

  it("are begun, and the new one is opened", async () => {
    const { user, did } = studies([], { "POST /api/studies": { body: study("n") } });
    await user.click(await screen.findByRole("button", { name: "New study" }));
    await waitFor(() => expect(place.now).toBe("/s/n"));
    expect(did("POST")[0]!.body).toEqual({ name: "Untitled study" });
  });

  it("are renamed in place, but not to nothing", async () => {
    const { user, did } = studies([study("a")], { "PATCH /api/studies/a": { body: study("a") } });
    const rename = async (text: string) => {
      await user.click(await screen.findByRole("button", { name: "Actions for Study a" }));
      await user.click(await screen.findByRole("menuitem", { name: "Rename" }));
      const box = screen.getByLabelText("New name of Study a");
      await user.clear(box);
      await user.type(box, text);
    };
    await rename("  {Enter}");
    await rename("Wards{Escape}");
    expect(did("PATCH")).toEqual([]);
    await rename(" Wards {Enter}");
    await waitFor(() => expect(did("PATCH").map((s) => s.body)).toEqual([{ name: "Wards" }]));
  });

  it("are deleted, and brought back", async () => {
    const { user, did } = studies([study("a")], {
      "DELETE /api/studies/a": { body: null },
      "POST /api/studies/a/restore": { body: study("a") },
    });
    await user.click(await screen.findByRole("button", { name: "Actions for Study a" }));
    await user.click(await screen.findByRole("menuitem", { name: "Delete" }));
    const told = await screen.findByText("Study a deleted");
    await user.click(within(told.parentElement!).getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(did("POST").map((s) => s.path)).toEqual(["/api/studies/a/restore"]));
  });

  it("are opened from a packed one; the same file may be tried again", async () => {
    let tried = 0;
    studies([], {
      "POST /api/unpack": () =>
        tried++ ? { body: study("z") } : { status: 422, body: { detail: "This is no packed study.", status: 422 } },
    });
    const box = (await screen.findByLabelText("Packed study")) as HTMLInputElement;
    const file = new File(["zip"], "packed.zip");
    fireEvent.change(box, { target: { files: [file] } });
    expect(await screen.findByText("This is no packed study.")).toBeTruthy();
    expect(box.value).toBe("");
    fireEvent.change(box, { target: { files: [file] } });
    await waitFor(() => expect(place.now).toBe("/s/z"));
  });

  it("say that the server cannot be reached", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("network")));
    show(<StudiesPage />, "/", "/");
    expect(await screen.findByText("The server could not be reached. Is it still running?")).toBeTruthy();
  });
});

describe("a study", () => {
  const entry = (id: string, type: string, more = {}) => ({
    id,
    type,
    name: `Name of ${id}`,
    line: "its line",
    out_of_date: false,
    table: null,
    ...more,
  });
  const overview = (entries: unknown[], replies: Record<string, Reply> = {}) => {
    const sent = server({
      "GET /api/studies/s1": { body: { study: study("s1"), entries, undo: null, redo: null } },
      "GET /api/studies/s1/statements": { body: [{ id: "q1", spans: [{ t: "Means differ", style: "plain" }] }] },
      "GET /api/studies/s1/figures/f1": { body: { drawing: { vega: {}, alt: "a drawing" } } },
      "GET /api/studies/s1/figures/f2": { body: { drawing: null, problem: { message: "Fill the slots." } } },
      "POST /api/studies/s1/renew": { body: [] },
      ...replies,
    });
    show(
      <>
        <OverviewPage />
        <Toasts />
      </>,
    );
    return { sent, user: userEvent.setup() };
  };

  it("teaches what to do where it is empty", async () => {
    overview([]);
    expect(await screen.findByText("This study is empty")).toBeTruthy();
    expect(screen.getByRole("link", { name: "Bring in a table" }).getAttribute("href")).toBe("/s/s1/bring");
  });

  it("says what all its answers say, with one look at them", async () => {
    const questions = Array.from({ length: 30 }, (_, i) => entry(`q${i + 1}`, "question"));
    const { sent } = overview([entry("t1", "table"), ...questions]);
    expect(await screen.findByText("Means differ")).toBeTruthy();
    expect(screen.getAllByText("No answer yet.").length).toBe(29);
    expect(sent.map((s) => s.path).sort()).toEqual(["/api/studies/s1", "/api/studies/s1/statements"]);
  });

  it("shows its figures, or why they cannot be", async () => {
    overview([entry("f1", "figure"), entry("f2", "figure"), entry("r1", "report")]);
    expect(await screen.findByAltText("a drawing")).toBeTruthy();
    expect(await screen.findByText("Fill the slots.")).toBeTruthy();
    expect(screen.getByText("No question has been asked yet.", { exact: false })).toBeTruthy();
    expect(screen.getByRole("link", { name: "Name of r1" }).getAttribute("href")).toBe("/s/s1/r/r1");
  });

  it("renews what is out of date, and says what could not be", async () => {
    const { user } = overview([entry("t1", "table"), entry("q1", "question", { out_of_date: true })], {
      "POST /api/studies/s1/renew": { body: ["Name of q1: the column is gone."] },
    });
    expect(await screen.findByText("Name of q1 is out of date.", { exact: false })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Renew" }));
    expect(await screen.findByText("Name of q1: the column is gone.")).toBeTruthy();
  });

  it("that is gone leads back to the others", async () => {
    overview([], { "GET /api/studies/s1": { status: 404, body: { detail: "No such study.", status: 404 } } });
    expect(await screen.findByText("No such study.")).toBeTruthy();
    expect(screen.getByRole("link", { name: "All studies" }).getAttribute("href")).toBe("/");
  });
});
