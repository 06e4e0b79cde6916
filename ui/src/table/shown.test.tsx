import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { S, TableBlock } from "../client/api";
import { ResultTable } from "../common/result-table";
import { column, server, show } from "../testing/kit";
import { ArchiveShelf } from "./archive-shelf";
import { Bars } from "./bars";
import { EffectNotes } from "./effect-notes";
import { PreviewTable, SheetControls } from "./preview";

type Options = S["ReadOptions"];
const OPTIONS = {
  format: "xlsx",
  sheet: "May",
  cells: null,
  header: true,
  kinds: { old: "text" },
} as unknown as Options;

beforeEach(() =>
  vi.stubGlobal(
    "ResizeObserver",
    class {
      constructor(private readonly tell: () => void) {}
      observe() {
        this.tell();
      }
      disconnect() {}
    },
  ),
);

describe("how a workbook is read", () => {
  const opened = (options: Options, sheets: string[]) => {
    const changes: Options[] = [];
    show(<SheetControls options={options} sheets={sheets} change={(o) => changes.push(o)} busy={false} />);
    return { changes, user: userEvent.setup() };
  };

  it("is a sheet, some of its cells, with or without names; kinds are found out anew", async () => {
    const { changes, user } = opened({ ...OPTIONS, cells: "B2:D9" }, ["May", "June"]);
    await user.selectOptions(screen.getByLabelText("Sheet"), "June");
    const cells = screen.getByLabelText("Only the cells");
    await user.clear(cells);
    await user.type(cells, " B3:H200 {Enter}");
    await user.click(screen.getByLabelText("The first row holds names"));
    expect(changes.map(({ sheet, cells, header, kinds }) => [sheet, cells, header, kinds])).toEqual([
      ["June", null, true, {}],
      ["May", "B3:H200", true, {}],
      ["May", "B2:D9", false, {}],
    ]);
  });

  it("asks for a table where a package holds several, and for no cells", () => {
    opened({ ...OPTIONS, format: "package" } as Options, ["a", "b"]);
    expect(screen.getByLabelText("Table")).toBeTruthy();
    expect(screen.queryByLabelText("Only the cells")).toBeNull();
    expect(screen.getByText("Read as a data package")).toBeTruthy();
  });
});

describe("the first rows of a file", () => {
  it("show what is empty, and let a kind be set", async () => {
    const changes: Options[] = [];
    const preview = {
      options: OPTIONS,
      columns: [column("town", "text"), column("visits", "count")],
      rows: [
        ["Corrin", "41"],
        ["Hollin", null],
      ],
      n_columns: 90,
    } as unknown as S["Preview"];
    show(<PreviewTable preview={preview} change={(o) => changes.push(o)} />);
    expect(screen.getByRole("cell", { name: "empty" })).toBeTruthy();
    expect(screen.getByText("The first 2 of 90 columns are shown.")).toBeTruthy();
    await userEvent.setup().selectOptions(screen.getByLabelText("Kind of town"), "category");
    expect(changes[0]!.kinds).toEqual({ old: "text", town: "category" });
  });
});

describe("what a step has to say", () => {
  const effect = (more: object) =>
    ({ title: "", said: "", notes: [], lists: [], broken: false, ...more }) as unknown as S["Effect"];

  it("is sentences, the first twelve of them", () => {
    show(<EffectNotes effect={effect({ notes: Array.from({ length: 15 }, (_, i) => `Note ${i}.`) })} />);
    expect(screen.getAllByRole("listitem").length).toBe(13);
    expect(screen.getByText("and 3 more")).toBeTruthy();
  });

  it("is rows that are listed when asked, and shown in the grid where a rule is broken", async () => {
    const lists = [{ title: "Rows above 100", columns: ["height"], rows: [["120"], [null]], numbers: [7, 9] }];
    const shown: number[][] = [];
    const { again } = show(<EffectNotes effect={effect({ lists, broken: true })} showRows={(n) => shown.push(n)} />);
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: "List: rows above 100" }));
    const listed = within(screen.getByRole("region", { name: "Rows above 100" }));
    expect(listed.getByRole("row", { name: "7 120" })).toBeTruthy();
    expect(listed.getByRole("row", { name: "9 empty" })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Show them in the grid" }));
    expect(shown).toEqual([[7, 9]]);
    again(<EffectNotes effect={effect({ lists })} showRows={(n) => shown.push(n)} />);
    expect(screen.queryByRole("button", { name: "Show them in the grid" })).toBeNull();
  });

  it("is nothing where there is nothing to say", () => {
    show(<EffectNotes effect={effect({})} />);
    expect(screen.queryByRole("list")).toBeNull();
  });
});

describe("archives", () => {
  const file = { id: "f1", title: "Visits 2025", description: "by town", filename: "visits.csv", size: 4200 };

  it("are searched, and a file of theirs is taken in as if it came from this computer", async () => {
    const sent = server({
      "GET /api/archives": {
        body: [
          { name: "Wards", words: "Open data of the wards." },
          { name: "Towns", words: "" },
        ],
      },
      "GET /api/archives/Wards/files": ({ query }) => ({ body: query.get("q") === "none" ? [] : [file] }),
      "GET /api/archives/Towns/files": { status: 502, body: { detail: "The archive does not answer.", status: 502 } },
      "POST /api/studies/s1/archives/Wards/files/f1": { body: { id: "u1" } },
    });
    const took: unknown[] = [];
    show(<ArchiveShelf study="s1" took={(f) => took.push(f)} failed={() => undefined} />);
    const user = userEvent.setup();
    await user.click(await screen.findByRole("button", { name: "Open Visits 2025" }));
    await waitFor(() => expect(took).toEqual([{ id: "u1" }]));
    await user.type(screen.getByLabelText("Search Wards"), "none");
    expect(await screen.findByText("Nothing there has these words.")).toBeTruthy();
    expect(
      sent
        .filter((s) => s.path.endsWith("/files"))
        .at(-1)!
        .query.get("q"),
    ).toBe("none"); // once the hand rests
    await user.selectOptions(screen.getByLabelText("Archive"), "Towns");
    expect((await screen.findByRole("alert")).textContent).toBe("The archive does not answer.");
  });

  it("are not spoken of where there are none", async () => {
    const sent = server({ "GET /api/archives": { body: [] } });
    show(<ArchiveShelf study="s1" took={() => undefined} failed={() => undefined} />);
    await waitFor(() => expect(sent.length).toBe(1));
    expect(screen.queryByRole("heading")).toBeNull();
  });
});

describe("a small distribution", () => {
  it("has a bar for each class, those with few rows still to be seen, and is no business of readers", () => {
    show(<Bars profile={{ bars: [0, 1, 1000] } as unknown as S["Profile"]} width={90} height={50} />);
    const svg = document.querySelector("svg")!;
    expect(svg.getAttribute("aria-hidden")).toBe("true");
    expect([...svg.querySelectorAll("rect")].map((r) => Number(r.getAttribute("height")))).toEqual([0, 1.5, 50]);
  });
});

describe("a table as in a journal", () => {
  const block = {
    id: "groups",
    title: "Groups",
    note: "A note.",
    columns: [
      { key: "g", title: "", align: "left" },
      { key: "m", title: "M", sub: "min", italic: true },
    ],
    rows: [
      { g: { s: "north", v: "north" }, m: { s: "4.5", v: 4.5 } },
      { g: { s: "south", v: "south" }, m: { s: "–", v: null, why: "one row only" } },
    ],
    strong: ["m"],
    marked: [0],
    picked: "m",
  } as unknown as TableBlock;

  it("is numbered in a report, where how it was found is not printed", () => {
    const { again } = show(<ResultTable block={block} />);
    expect(screen.getByText("to be reported")).toBeTruthy();
    again(<ResultTable block={block} number={3} />);
    expect(screen.queryByText("to be reported")).toBeNull();
    expect(screen.getByRole("table").querySelector("caption")!.textContent).toBe("Table 3. Groups");
  });

  it("marks what is strong in marked rows only, and names a head without words for readers", () => {
    show(<ResultTable block={block} />);
    const [first, second] = screen.getAllByRole("row").slice(1);
    expect(first!.querySelectorAll("td")[1]!.className).toContain("font-semibold");
    expect(second!.querySelectorAll("td")[1]!.className).not.toContain("font-semibold");
    expect(screen.getByRole("columnheader", { name: "Value" })).toBeTruthy();
    expect(screen.getByRole("cell", { name: /one row only/ })).toBeTruthy();
  });

  it("that runs out of its column is set smaller, and scrolls by keyboard", () => {
    vi.spyOn(HTMLElement.prototype, "scrollWidth", "get").mockReturnValue(900);
    vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(400);
    show(<ResultTable block={block} />);
    const region = screen.getByRole("region", { name: "Groups, scrolls sideways" });
    expect(region.tabIndex).toBe(0);
    expect(screen.getByRole("table").className).toContain("many");
    fireEvent.scroll(region);
  });
});
