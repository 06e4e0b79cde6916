import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { MethodPage } from "../method/method-page";
import { COLUMNS, column, levels, server, show, type Reply } from "../testing/kit";
import { Broken } from "./broken";
import { EditableName, Empty, Trouble } from "./bits";
import { Frame } from "./frame";
import { Modal } from "./modal";
import { Slot } from "./slot";
import { SizeAndStyle } from "../figure/size-style";
import { Toasts } from "./toasts";
import type { S } from "../client/api";

const STUDY = "/api/studies/s1";

function framed(replies: Record<string, Reply> = {}, at = "/s/s1/q/q1") {
  const entries = [
    { id: "t1", type: "table", name: "Beds", line: "" },
    { id: "q1", type: "question", name: "Minutes by room", line: "" },
  ];
  const sent = server({
    [`GET ${STUDY}`]: { body: { study: { name: "Wards" }, entries, undo: "Rename Beds", redo: null } },
    [`GET ${STUDY}/jobs`]: { body: [] },
    [`GET ${STUDY}/changes`]: { body: [] },
    [`GET ${STUDY}/reports/templates`]: { body: [] },
    "GET /api/studies": { body: [] },
    "GET /api/catalogue": { body: { methods: [], steps: [], aims: [] } },
    [`POST ${STUDY}/undo`]: { body: { label: "Rename Beds" } },
    [`DELETE ${STUDY}/jobs/j1`]: { body: {} },
    ...replies,
  });
  const Page = () => <p>the page</p>;
  const Breaks = () => {
    throw new Error("a slip in the page");
  };
  const router = createMemoryRouter(
    [
      {
        element: <Frame />,
        errorElement: <Broken />,
        children: [
          { path: "/s/:study/q/:id", element: <Page /> },
          { path: "/s/:study", element: <Page />, handle: { words: "Overview" } },
          { path: "/s/:study/broken", element: <Breaks />, errorElement: <Broken /> },
        ],
      },
    ],
    { initialEntries: [at] },
  );
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 60_000 } } });
  render(
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
      <Toasts />
    </QueryClientProvider>,
  );
  return { sent, user: userEvent.setup(), router };
}

describe("the frame around every page", () => {
  it("says where one is, in the window's title too", async () => {
    framed();
    await waitFor(() => expect(document.title).toBe("Minutes by room · Wards · Yavik"));
    expect(within(screen.getByRole("banner")).getByText("Minutes by room")).toBeTruthy();
    expect(screen.getByRole("link", { name: "Skip to the page" }).getAttribute("href")).toBe("#main");
  });

  it("undoes by a click, and says what that would be", async () => {
    const { user } = framed();
    await user.click(await screen.findByRole("button", { name: "Undo: Rename Beds" }));
    expect(await screen.findByText("Undone: rename Beds")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Nothing to do again" })).toHaveProperty("disabled", true);
  });

  it("folds the contents away, and remembers that", async () => {
    const { user } = framed();
    expect(await screen.findByRole("navigation", { name: "Contents" })).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Fold the contents" }));
    expect(screen.queryByRole("navigation", { name: "Contents" })).toBeNull();
    expect(localStorage.getItem("yavik.folded")).toBe("yes");
    await user.click(screen.getByRole("button", { name: "Show the contents" }));
    expect(screen.getByRole("navigation", { name: "Contents" })).toBeTruthy();
  });

  it("tells of work wherever it was begun, with a way to stop it", async () => {
    const job = { id: "j1", study_id: "s1", title: "Reading a file", part: 0.417 };
    const { sent, user } = framed({ [`GET ${STUDY}/jobs`]: { body: [job] } });
    expect(await screen.findByText("Reading a file, 42%")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Stop" }));
    await waitFor(() => expect(sent.some((s) => s.method === "DELETE")).toBe(true));
  });

  it("opens the search, the keys and the history", async () => {
    const { user } = framed();
    await user.click(await screen.findByRole("button", { name: /Find or ask anything/ }));
    expect(screen.getByPlaceholderText(/A table, column, question/)).toBeTruthy();
    fireEvent.click(screen.getAllByLabelText("Close")[0]!);
    fireEvent.keyDown(document.body, { key: "?" });
    await user.click(screen.getByRole("button", { name: "History of the study" }));
    expect(await screen.findByText(/Nothing has been changed yet/)).toBeTruthy();
  });

  it("stands when a page breaks, and says what to do", async () => {
    vi.spyOn(console, "error").mockImplementation(() => undefined);
    framed({}, "/s/s1/broken");
    const told = within(await screen.findByRole("alert"));
    expect(told.getByText("This page could not be shown")).toBeTruthy();
    expect(told.getByText("a slip in the page")).toBeTruthy();
    expect(told.getByRole("link", { name: "To the study" }).getAttribute("href")).toBe("/s/s1");
    expect(screen.getByRole("banner")).toBeTruthy();
  });
});

describe("a page about a method", () => {
  const method = {
    sentence: "Does {response} differ between {groups}?",
    title: "Two groups",
    answers: "Whether two means differ.",
    assumes: ["Rows are independent."],
    reading: [["p", "How often chance would do it."]],
    formulas: [["t", "difference / standard error"]],
    conventions: ["Quartiles are of type 7."],
    references: ["Welch (1947)."],
  };

  it("says what it answers, assumes and follows", async () => {
    server({ "GET /api/catalogue/methods/two": { body: method } });
    show(<MethodPage />, "/methods/two", "/methods/:method");
    expect(await screen.findByRole("heading", { name: "Does … differ between …?" })).toBeTruthy();
    for (const words of [
      "Rows are independent.",
      "How often chance would do it.",
      "Quartiles are of type 7.",
      "Welch (1947).",
    ])
      expect(screen.getByText(words)).toBeTruthy();
  });

  it("that is none says so", async () => {
    server({
      "GET /api/catalogue/methods/none": { status: 404, body: { detail: "There is no such method.", status: 404 } },
    });
    show(<MethodPage />, "/methods/none", "/methods/:method");
    expect(await screen.findByText("There is no such method.")).toBeTruthy();
  });
});

describe("a slot of several columns", () => {
  const items = [1, 2, 3, 4].map((i) => column(`m${i}`, "ordered", { levels: levels("1", "2") }));
  const opened = (start: string[] = []) => {
    const set: string[][] = [];
    function Page() {
      const [value, setValue] = useState(start);
      const keep = (next: string[]) => (set.push(next), setValue(next));
      return (
        <Slot
          label="Items"
          slot={{ kinds: ["ordered"], placeholder: "items", many: true }}
          columns={[...items, ...COLUMNS]}
          value={value}
          set={keep}
          needed={false}
        />
      );
    }
    show(<Page />);
    return { set, user: userEvent.setup() };
  };

  it("takes a range with Shift, and all that are like those chosen", async () => {
    const { set, user } = opened();
    await user.click(screen.getByRole("button", { name: /^Items/ }));
    await user.click(screen.getByRole("option", { name: /m1/ }));
    await user.keyboard("{Shift>}");
    await user.click(screen.getByRole("option", { name: /m3/ }));
    await user.keyboard("{/Shift}");
    expect(set.at(-1)).toEqual(["m1", "m2", "m3"]);
    await user.click(screen.getByRole("button", { name: "And the one like these" }));
    expect(set.at(-1)).toEqual(["m1", "m2", "m3", "m4"]);
  });

  it("is opened by the arrow key, left by Tab, and emptied by a click", async () => {
    const { set, user } = opened(["m1", "m2"]);
    screen.getByRole("button", { name: /^Items/ }).focus();
    await user.keyboard("{ArrowDown}");
    expect(screen.getByPlaceholderText("Search columns")).toBeTruthy();
    await user.keyboard("{Tab}");
    await waitFor(() => expect(screen.queryByPlaceholderText("Search columns")).toBeNull());
    await user.click(screen.getByRole("button", { name: /^Items/ }));
    await user.click(screen.getByRole("button", { name: "Leave it empty" }));
    expect(set.at(-1)).toEqual([]);
  });

  it("says that no column is called so", async () => {
    const { user } = opened();
    await user.click(screen.getByRole("button", { name: /^Items/ }));
    await user.type(screen.getByPlaceholderText("Search columns"), "zzz");
    expect(screen.getByText("No column of that name")).toBeTruthy();
  });
});

describe("small parts", () => {
  it("a name is edited where it stands, and not to nothing", async () => {
    const names: string[] = [];
    show(<EditableName name="Beds" rename={(n) => names.push(n)} label="the table" />);
    const user = userEvent.setup();
    const edit = async (text: string) => {
      await user.click(screen.getByRole("button"));
      await user.clear(screen.getByRole("textbox"));
      await user.type(screen.getByRole("textbox"), text);
    };
    await edit("  {Enter}");
    await edit("Plots{Escape}");
    await edit("Beds{Enter}");
    await edit(" Plots ");
    await user.tab();
    expect(names).toEqual(["Plots"]);
  });

  it("trouble is told in its words, with ways on", () => {
    show(
      <Trouble error={new Error("It broke.")}>
        <button>Try</button>
      </Trouble>,
    );
    expect(screen.getByRole("alert").textContent).toBe("It broke.Try");
  });

  it("an empty place teaches", () => {
    show(<Empty title="Nothing yet">Begin one.</Empty>);
    expect(screen.getByText("Begin one.")).toBeTruthy();
  });

  it("a dialog is closed by its cross, and begins where something can be typed", async () => {
    let closed = 0;
    HTMLDialogElement.prototype.close = function (this: HTMLDialogElement) {
      this.dispatchEvent(new Event("close"));
    };
    show(
      <Modal title="Rename" close={() => closed++}>
        <input aria-label="inside" />
      </Modal>,
    );
    await act(() => Promise.resolve());
    expect(document.activeElement).toBe(screen.getByLabelText("inside"));
    fireEvent.click(screen.getAllByLabelText("Close")[0]!);
    expect(closed).toBe(1);
  });
});

describe("the style of a study's figures", () => {
  it("is that of this figure, one of those there are, or put on all of them", async () => {
    const sent = server({
      [`GET ${STUDY}/figures/style`]: {
        body: {
          presets: { journal: "Journal: small type", slide: "Slide: large type" },
          preset: "journal",
          look: { type_pt: 8 },
        },
      },
      [`PUT ${STUDY}/figures/style`]: { body: {} },
    });
    const made: unknown[] = [];
    const figure = { face: "sans", type_pt: 9, line_pt: 1, width_mm: 85, height_mm: 60, grid: false, legend: "right" };
    show(
      <>
        <SizeAndStyle state={{ figure } as unknown as S["FigureState"]} change={(c) => made.push(c)} study="s1">
          {null}
        </SizeAndStyle>
        <Toasts />
      </>,
    );
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: "Two columns (170)" }));
    expect(made).toEqual([{ width_mm: 170 }]);
    await user.click(await screen.findByRole("button", { name: "Slide" }));
    await user.click(screen.getByRole("button", { name: "New figures like this one" }));
    await user.click(screen.getByRole("button", { name: "All figures in this style" }));
    await waitFor(() =>
      expect(sent.filter((s) => s.method === "PUT").map((s) => s.body)).toEqual([
        { preset: "slide", all: false },
        { look: figure, all: false },
        { preset: null, look: { type_pt: 8 }, all: true },
      ]),
    );
    expect(screen.getByRole("button", { name: "Journal", pressed: true })).toBeTruthy();
  });
});
