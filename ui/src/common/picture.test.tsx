import { act, renderHook, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { show } from "../testing/kit";
import { Menu, MenuItem } from "./pop";
import { Picture, type Drawn } from "./picture";
import { applyTheme, useTheme } from "./theme";

type View = {
  addEventListener: (name: string, tell: (event: unknown, item: unknown) => void) => void;
  scale: (name: string) => unknown;
  padding: () => number | object;
  origin: () => number[];
  signal: (name: string) => number;
};
const drawn = vi.hoisted(() => ({
  specs: [] as Record<string, unknown>[],
  click: (() => undefined) as (event: unknown, item: unknown) => void,
  fails: "",
  ended: 0,
  views: 1,
}));

vi.mock("vega-embed", () => ({
  default: async (place: HTMLElement, spec: Record<string, unknown>) => {
    if (drawn.fails) throw new Error(drawn.fails);
    drawn.specs.push(spec);
    place.innerHTML = '<svg viewBox="0 0 200 100"></svg>';
    const scale = Object.assign((v: number) => v * 10, { invert: (p: number) => p / 10 });
    const view: View = {
      addEventListener: (_, tell) => (drawn.click = tell),
      scale: () => {
        if (drawn.views > 1) throw new Error("no scale of that name");
        return scale;
      },
      padding: () => 5,
      origin: () => [20, 3],
      signal: (name) => (name === "width" ? 150 : 80),
    };
    return { view, finalize: () => drawn.ended++ };
  },
}));

beforeEach(() => {
  Object.assign(drawn, { specs: [], fails: "", ended: 0, views: 1 });
  Object.defineProperty(document, "fonts", { value: { load: () => Promise.resolve([]) }, configurable: true });
});

const VEGA = { height: 80, config: { font: "Commissioner", text: { fontSize: 10 } }, mark: { color: "#2a3142" } };

describe("a picture", () => {
  it("is told to those who do not see it, and keeps its room before it is there", async () => {
    show(<Picture vega={VEGA} alt="boxes of height" zoom={0.5} />);
    const image = screen.getByRole("img", { name: "boxes of height" });
    expect((image.firstElementChild as HTMLElement).style.minHeight).toBe("40px");
    await waitFor(() => expect(image.querySelector("svg")?.getAttribute("aria-hidden")).toBe("true"));
    expect(JSON.stringify(drawn.specs[0])).toContain('"Commissioner Variable"');
  });

  it("is drawn in the dark theme's ink, but on paper as it prints", async () => {
    localStorage.setItem("yavik.theme", "lamplight");
    const { again } = show(<Picture vega={VEGA} alt="a" />);
    await waitFor(() => expect(drawn.specs.length).toBe(1));
    again(<Picture vega={VEGA} alt="a" paper />);
    await waitFor(() => expect(drawn.specs.length).toBe(2));
    expect(drawn.specs.map((s) => (s.mark as { color: string }).color)).toEqual(["#dfdee8", "#2a3142"]);
    expect(drawn.ended).toBe(1); // the old one is let go
  });

  it("says why it cannot be shown", async () => {
    drawn.fails = "no such mark";
    const { again } = show(<Picture vega={VEGA} alt="a" />);
    expect(await screen.findByText("The figure cannot be shown: no such mark")).toBeTruthy();
    drawn.fails = "";
    again(<Picture vega={{ ...VEGA }} alt="a" />);
    await waitFor(() => expect(screen.getByRole("img", { name: "a" }).querySelector("svg")).toBeTruthy());
  });

  it("tells which of its data was clicked", async () => {
    const clicked: unknown[] = [];
    show(<Picture vega={VEGA} alt="a" clicked={(d) => clicked.push(d)} />);
    await waitFor(() => expect(drawn.specs.length).toBe(1));
    await act(() => new Promise((r) => setTimeout(r, 20)));
    drawn.click({}, { datum: { row: 4 } });
    drawn.click({}, undefined);
    expect(clicked).toEqual([{ row: 4 }]);
  });

  it("leads from its data to its pixels and back; several views have no one pair of axes", async () => {
    const found: (Drawn | null)[] = [];
    const { unmount } = show(<Picture vega={VEGA} alt="a" onDrawn={(d) => found.push(d)} />);
    await waitFor(() => expect(found.length).toBe(1));
    const box = found[0]!;
    const [left, top] = box.pixel(3, 2);
    expect(box.data(left, top).map((v) => Math.round(v))).toEqual([3, 2]);
    expect(box.plot().width / box.plot().height).toBeCloseTo(150 / 80);
    unmount();
    drawn.views = 2;
    show(<Picture vega={VEGA} alt="a" onDrawn={(d) => found.push(d)} />);
    await waitFor(() => expect(found.at(-1)).toBeNull());
  });
});

describe("light and dark", () => {
  it("are chosen by a click, kept, and put on the page", () => {
    const { result } = renderHook(() => useTheme());
    const first = result.current.dark;
    act(() => result.current.toggle());
    expect(result.current.dark).toBe(!first);
    expect(document.documentElement.dataset.theme).toBe(first ? "daylight" : "lamplight");
    expect(localStorage.getItem("yavik.theme")).toBe(first ? "daylight" : "lamplight");
    act(() => applyTheme());
    expect(renderHook(() => useTheme()).result.current.dark).toBe(!first);
  });
});

describe("a menu", () => {
  it("is walked by arrows and first letters, and closed by Escape without doing anything", async () => {
    const did: string[] = [];
    show(
      <Menu label="Actions" button="⋯">
        <MenuItem onClick={() => did.push("rename")}>Rename</MenuItem>
        <MenuItem onClick={() => did.push("delete")}>Delete</MenuItem>
        <MenuItem disabled onClick={() => did.push("never")}>
          Move
        </MenuItem>
      </Menu>,
    );
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: "Actions" }));
    await user.keyboard("{Escape}");
    expect(screen.queryByRole("menuitem")).toBeNull();
    await user.click(screen.getByRole("button", { name: "Actions" }));
    await user.click(await screen.findByRole("menuitem", { name: "Move" }));
    await user.keyboard("{ArrowDown}d{Enter}");
    expect(did).toEqual(["delete"]);
  });
});
