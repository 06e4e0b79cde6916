import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { column, place, server, show, type Reply } from "../testing/kit";
import { BringPage } from "./bring-page";

const OPTIONS = {
  format: "text",
  delimiter: ",",
  decimal: ".",
  encoding: "utf-8",
  dates: "iso",
  header: true,
  empty_codes: [""],
  kinds: {},
};
const PREVIEW = {
  options: OPTIONS,
  columns: [column("town", "text"), column("visits", "count")],
  rows: [["Corrin", "41"]],
  n_columns: 2,
  rows_seen: 12_000,
  whole: true,
  notices: Array.from({ length: 10 }, (_, i) => ({ text: `Notice ${i}` })),
  sheets: [],
};
const UPLOAD = { id: "u1", filename: "town-visits_2026.csv", size: 3_400, preview: PREVIEW };
const STUDY = "/api/studies/s1";

function bring(replies: Record<string, Reply> = {}) {
  const sent = server({
    [`POST ${STUDY}/uploads`]: { body: UPLOAD },
    [`POST ${STUDY}/uploads/u1/preview`]: (s) => ({ body: { ...PREVIEW, options: s.body } }),
    [`POST ${STUDY}/tables`]: { body: { table: { id: "t7" }, job: null } },
    "GET /api/archives": { body: [] },
    ...replies,
  });
  show(<BringPage />, "/s/s1/bring", "/s/:study/*");
  const did = (path: string) => sent.filter((s) => s.path === `${STUDY}${path}`);
  return { did, user: userEvent.setup() };
}

const choose = (name = "town-visits_2026.csv") =>
  fireEvent.change(screen.getByLabelText("File to bring in"), { target: { files: [new File(["a,b"], name)] } });

describe("a file that is brought in", () => {
  it("says what was found out, and gets a name of words", async () => {
    const { did } = bring();
    choose();
    expect(await screen.findByDisplayValue("Town visits 2026")).toBeTruthy();
    expect(screen.getByText(/town-visits_2026.csv, 3 kB: 2 columns, 12 000 rows/)).toBeTruthy();
    expect(screen.getByText("and 2 more")).toBeTruthy();
    expect(decodeURIComponent(did("/uploads")[0]!.headers.get("x-filename")!)).toBe("town-visits_2026.csv");
  });

  it("becomes a table that is opened, under the name it was given", async () => {
    const { did, user } = bring();
    choose();
    const name = await screen.findByLabelText("Name of the table");
    await user.clear(name);
    await user.type(name, "Visits");
    await user.click(screen.getByRole("button", { name: "Make the table" }));
    await waitFor(() => expect(place.now).toBe("/s/s1/t/t7"));
    expect(did("/tables")[0]!.body).toMatchObject({ upload: "u1", name: "Visits" });
  });

  it("is read otherwise by a click, and its kinds are found out anew", async () => {
    const { did, user } = bring();
    choose();
    await user.selectOptions(await screen.findByLabelText("Cells are cut at"), "semicolon");
    await waitFor(() => expect(did("/uploads/u1/preview").length).toBe(1));
    await user.type(screen.getByLabelText("Empty are also"), "n/a, −9{Enter}");
    await waitFor(() => expect(did("/uploads/u1/preview").length).toBe(2));
    expect(did("/uploads/u1/preview").map((s) => s.body)).toEqual([
      { ...OPTIONS, delimiter: ";" },
      { ...OPTIONS, delimiter: ";", empty_codes: ["", "n/a", "-9"] },
    ]);
  });

  it("says why it cannot be read, and another can be tried", async () => {
    bring({ [`POST ${STUDY}/uploads`]: { status: 422, body: { detail: "This is a picture.", status: 422 } } });
    choose("a.png");
    expect(await screen.findByText("This is a picture.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Choose a file" })).toHaveProperty("disabled", false);
  });

  it("can be stopped on its way, and nothing was taken in", async () => {
    const { user } = bring();
    vi.stubGlobal(
      "fetch",
      (_: unknown, init: RequestInit) =>
        new Promise((_done, fail) => init?.signal?.addEventListener("abort", () => fail(new Error("aborted")))),
    );
    choose();
    await user.click(await screen.findByRole("button", { name: "Stop" }));
    expect(await screen.findByText("Stopped. Nothing was taken in or changed.")).toBeTruthy();
  });

  it("may be cells that were copied", async () => {
    const { did, user } = bring();
    expect(screen.getByRole("button", { name: "Use the pasted cells" })).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("Or paste cells copied from a spreadsheet"));
    await user.paste("town\tvisits\nCorrin\t41");
    await user.click(screen.getByRole("button", { name: "Use the pasted cells" }));
    await screen.findByLabelText("Name of the table");
    expect(did("/uploads")[0]!.body).toBe("town\tvisits\nCorrin\t41");
  });

  it("is one of several that are dropped, and that is said", async () => {
    bring();
    const files = [new File(["a"], "a.csv"), new File(["b"], "b.csv")];
    fireEvent.drop(screen.getByText("Drop a file here, or").parentElement!, { dataTransfer: { files } });
    expect(await screen.findByText(/One file at a time: this is a.csv/)).toBeTruthy();
  });
});
