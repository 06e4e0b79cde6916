import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { COLUMNS, column, field } from "../testing/kit";

const input = (name: string) => screen.getByLabelText(name) as HTMLInputElement;

describe("old and new values", () => {
  const left = { field: "old", shown: "text" as const, title: "Old" };
  const right = { field: "new", shown: "text" as const, title: "New", blank: true };
  const property = { default: [], ask: { shown: "pairs", title: "Values", left, right } };

  it("have a line open to be written in, which counts once something stands in it", async () => {
    const user = userEvent.setup();
    const { set } = field(property, []);
    await user.type(input("Old, line 1"), "N");
    expect(set).toEqual([[{ old: "N" }]]);
    await user.type(input("New, line 1"), "north");
    await user.type(input("Old, line 2"), "S");
    expect(set.at(-1)).toEqual([{ old: "N", new: "north" }, { old: "S" }]);
  });

  it("are pasted from a sheet in the place of a line", () => {
    const { set } = field(property, [{ old: "x", new: "y" }]);
    const text = "N\tnorth\r\nS\tsouth\r\n\tnothing\r\nalone";
    fireEvent.paste(input("Old, line 1"), { clipboardData: { getData: () => text } });
    expect(set).toEqual([
      [
        { old: "N", new: "north" },
        { old: "S", new: "south" },
      ],
    ]);
  });

  it("are pasted as words where they are no lines of a sheet", () => {
    const { set } = field(property, []);
    const event = fireEvent.paste(input("Old, line 1"), { clipboardData: { getData: () => "just words" } });
    expect([event, set]).toEqual([true, []]);
  });

  it("are taken away by their line", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [
      { old: "a", new: "b" },
      { old: "c", new: "d" },
    ]);
    await user.click(screen.getByLabelText("Take line 1 away"));
    expect(set).toEqual([[{ old: "c", new: "d" }]]);
  });
});

describe("keys of two tables", () => {
  const left = { field: "left", shown: "column" as const, title: "Here" };
  const right = { field: "right", shown: "theirs" as const, title: "There" };
  const property = { default: [], ask: { shown: "pairs", title: "Keys", left, right, of: "other" } };
  const theirs = { table: { columns: [column("Bed", "category"), column("year", "count")] } };
  const more = {
    around: { spec: { other: "t2" } },
    known: [[["table", "s1", "t2"], theirs]] as [unknown[], unknown][],
  };

  it("are guessed by their name, and only then", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [], more);
    await user.selectOptions(input("Here, line 1"), "bed");
    expect(set).toEqual([[{ left: "bed", right: "Bed" }]]);
    await user.selectOptions(input("Here, line 2"), "height");
    expect(set.at(-1)).toEqual([{ left: "bed", right: "Bed" }, { left: "height" }]);
  });

  it("keep what was chosen when the other side changes", async () => {
    const user = userEvent.setup();
    const { set } = field(property, [{ left: "height", right: "year" }], more);
    await user.selectOptions(input("Here, line 1"), "bed");
    expect(set).toEqual([[{ left: "bed", right: "year" }]]);
  });

  it("that are gone still stand there", () => {
    field(property, [{ left: "gone", right: "lost" }], more);
    expect([input("Here, line 1").value, input("There, line 1").value]).toEqual(["gone", "lost"]);
    expect(COLUMNS.some((c) => c.name === "gone")).toBe(false);
  });
});
