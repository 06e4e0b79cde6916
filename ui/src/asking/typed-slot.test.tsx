import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { field } from "../testing/kit";

const property = {
  default: null,
  ask: { shown: "typed", title: "Samples", placeholder: "samples", fields: ["label", "n", "mean", "sd"] },
};
const NORTH = { label: "North", n: 12, mean: 4.5, sd: 1.25 };
const cell = (name: string) => screen.getByLabelText(name) as HTMLInputElement;

async function opened(start: unknown = null) {
  const user = userEvent.setup();
  const made = field(property, start, { bare: true });
  await user.click(screen.getByText(start ? /North/ : "samples"));
  return { user, ...made };
}

describe("samples of which only n, mean and SD are known", () => {
  it("are handed over when they are done, with numbers in either way of writing", async () => {
    const { user, set } = await opened();
    for (const [name, text] of [
      ["Sample 1", "North"],
      ["n 1", "12"],
      ["Mean 1", "4,5"],
      ["SD 1", "1.25"],
    ] as const)
      await user.type(cell(name), text);
    expect(set).toEqual([]);
    for (const [name, text] of [
      ["Sample 2", "South"],
      ["n 2", "9"],
      ["Mean 2", "−0,5"],
      ["SD 2", "1"],
    ] as const)
      await user.type(cell(name), text);
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect(set).toEqual([[NORTH, { label: "South", n: 9, mean: -0.5, sd: 1 }]]);
    expect(screen.getByText("North, South")).toBeTruthy();
  });

  it("are pasted from a sheet, a line each", async () => {
    const { user, set } = await opened();
    const text = "North\t12\t4.5\t1.25\r\nSouth\t9\t−0.5\t1\r\nWest\t7\t2\t0.8\r\n";
    fireEvent.paste(cell("Sample 1"), { clipboardData: { getData: () => text } });
    expect([cell("Sample 3").value, cell("n 3").value]).toEqual(["West", "7"]);
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect((set[0] as unknown[]).length).toBe(3);
  });

  it("stay open and say what is missing where a line is half written", async () => {
    const { user, set } = await opened();
    await user.type(cell("Sample 1"), "North");
    await user.type(cell("n 1"), "12.5");
    await user.type(cell("Mean 1"), "x");
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect(set).toEqual([]);
    expect(cell("n 1").getAttribute("aria-invalid")).toBe("true");
    expect(cell("Mean 1").getAttribute("aria-invalid")).toBe("true");
    expect(cell("SD 1").getAttribute("aria-invalid")).toBe("true");
    expect(cell("Sample 1").getAttribute("aria-invalid")).toBe("false");
    expect(cell("SD 2").getAttribute("aria-invalid")).toBe("false");
    expect(screen.getByRole("alert").textContent).toBe("Each sample needs a name, a whole n, a mean and an SD.");
  });

  it("are changed and taken away as they were kept", async () => {
    const { user, set } = await opened([NORTH, { label: "South", n: 9, mean: -0.5, sd: 1 }]);
    expect(cell("Mean 2").value).toBe("−0.5");
    await user.click(screen.getByRole("button", { name: "Take sample 2 away" }));
    await user.click(screen.getByRole("button", { name: "Done" }));
    expect(set).toEqual([[NORTH]]);
  });

  it("are not handed over again where nothing changed", async () => {
    const { user, set } = await opened([NORTH]);
    await user.click(screen.getByRole("button", { name: "Another sample" }));
    await user.keyboard("{Escape}");
    expect(set).toEqual([]);
  });
});
