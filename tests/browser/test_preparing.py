"""Preparing in the real interface: shapes with a preview, linked tables, the grid's tools, files, history."""

import re
from pathlib import Path

import openpyxl
from playwright.sync_api import Page, expect


def open_table(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Contents").get_by_role("button", name=re.compile("^All .* tables")).click()
    page.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile(f"^{name}")).click()
    expect(page.get_by_role("heading", name=re.compile(f"^{name}"))).to_be_visible()


def add_step(page: Page, words: str) -> None:
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.get_by_label("Find a step").fill(words)
    expect(page.locator("[data-step-kind]").first).to_be_visible()
    page.get_by_label("Find a step").press("Enter")


def choose(page: Page, slot: str, *columns: str) -> None:
    page.locator(f'[data-slot="{slot}"]').click()
    for column in columns:
        page.get_by_label(f"Search columns for {slot}").fill(column)
        page.get_by_label(f"Search columns for {slot}").press("Enter")
    if page.get_by_label(f"Search columns for {slot}").count():
        page.keyboard.press("Escape")


def test_a_summary_is_previewed_and_made_a_linked_table(demo: Page) -> None:
    open_table(demo, "Fluency")
    add_step(demo, "summarise")
    choose(demo, "Columns", "fluency")
    choose(demo, "For each", "tutoring")
    demo.get_by_role("group", name="What").get_by_role("button", name="SD", exact=True).click()
    expect(demo.get_by_role("table", name="The first rows after this step").get_by_role("row")).to_have_count(4)
    demo.get_by_role("button", name="Make a new table of it").click()
    expect(demo.get_by_role("heading", name="Fluency, summary")).to_be_visible()
    expect(demo.get_by_text("3 rows, 4 columns", exact=False).first).to_be_visible()
    expect(demo.get_by_role("gridcell", name="paired readers")).to_be_visible()


def test_a_join_says_what_found_no_partner(demo: Page) -> None:
    open_table(demo, "Branch means")
    demo.get_by_role("button", name="What step 2 says").click()
    expect(demo.get_by_text("differs only by case or spaces")).to_be_visible()
    demo.get_by_role("button", name=re.compile("^List: rows of Branch register")).click()
    expect(demo.get_by_role("region", name="Rows of Branch register without a partner")).to_contain_text("B61")


def test_waves_are_matched_in_one_table(demo: Page) -> None:
    open_table(demo, "Reader survey 2023")
    add_step(demo, "survey waves")
    demo.get_by_label("This table is the wave").fill("2023")
    choose(demo, "Its weight", "wt")
    wave = demo.get_by_label("Table of the other wave")
    wave.select_option(wave.locator("option", has_text="Reader survey 2025").get_attribute("value"))
    demo.get_by_label("Name of the other wave").fill("2025")
    demo.get_by_role("button", name="Suggest by name and label").click()
    line = (
        demo.get_by_role("row").filter(has=demo.get_by_label("Name of variable")).filter(has_text="same label").first
    )
    expect(line).to_be_visible()


UNDER_HEADERS = """() => {
  const grid = document.querySelector('[data-testid="grid"]');
  const left = (element) => element.getBoundingClientRect().left;
  const heads = [...grid.querySelectorAll('[role="columnheader"][aria-colindex]')];
  const off = heads.map((head) => {
    const cell = grid.querySelector(`[role="gridcell"][aria-colindex="${head.getAttribute("aria-colindex")}"]`);
    return Math.abs(left(head) - left(cell));
  });
  return Math.round(Math.max(...off));
}"""
"""How far, in pixels, the cells stand beside their headers."""


def test_the_grid_finds_filters_sorts_and_edits(demo: Page) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Room trial")).click()
    demo.get_by_label("Find in the rows").fill("Isbury")
    demo.get_by_label("Find in the rows").press("Enter")
    expect(demo.get_by_text(re.compile("^\\d+ cells$")).last).to_be_visible()
    demo.get_by_role("button", name="Only these rows").click()
    expect(demo.get_by_role("gridcell", name="Eastley")).to_have_count(0)
    demo.get_by_role("button", name="All rows").click()
    demo.get_by_role("button", name="Filter", exact=True).click()
    demo.get_by_label("Rows where").fill("minutes > 60")
    expect(demo.get_by_text(re.compile("^\\d+ rows of 108$"))).to_be_visible()
    demo.get_by_role("columnheader", name=re.compile("^minutes")).get_by_role("button").click()
    demo.get_by_role("button", name="Sort by minutes, falling").click()
    first = demo.locator('[id^="cell-0-5"]')
    expect(first).to_have_text("67.7")
    demo.get_by_role("button", name="As it is").click()
    demo.locator("#cell-0-5").dblclick()
    box = demo.get_by_label(re.compile("^minutes, row"))
    box.fill("99.9")
    box.press("Enter")
    expect(demo.locator("#cell-0-5")).to_have_text("99.9")
    expect(demo.locator("button[data-step='edit_cells']")).to_have_count(1)
    demo.get_by_role("button", name="Say why").first.click()
    demo.get_by_label(re.compile("^Why minutes")).fill("read the dial again")
    demo.get_by_role("button", name="Keep the change").click()
    expect(demo.locator("button[data-step='edit_cells']")).to_contain_text("read the dial again")
    # A click on a cell at the edge moves the cells with their headers.
    demo.locator("#cell-1-5").click()
    assert demo.evaluate(UNDER_HEADERS) == 0
    # A block pasted from a sheet is one edit of many cells; Delete empties what is selected; undo brings both back.
    demo.evaluate(
        """() => {
          const data = new DataTransfer();
          data.setData("text/plain", "11.5\\n12.5\\n");
          const grid = document.querySelector('[data-testid="grid"]');
          grid.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
        }"""
    )
    expect(demo.locator("#cell-1-5")).to_have_text("11.5")
    expect(demo.locator("#cell-2-5")).to_have_text("12.5")
    expect(demo.get_by_text("2 cells written")).to_be_visible()
    demo.locator("#cell-1-5").click()
    demo.locator("#cell-2-5").click(modifiers=["Shift"])
    demo.keyboard.press("Delete")
    expect(demo.locator("#cell-2-5")).to_have_text("empty")
    demo.keyboard.press("Control+z")
    expect(demo.locator("#cell-2-5")).to_have_text("12.5")
    demo.get_by_role("columnheader", name=re.compile("^pages")).get_by_role("button").click()
    demo.get_by_role("button", name="Next empty").click()
    expect(demo.get_by_text(re.compile("5 cells empty in pages"))).to_be_visible()


def test_summary_by_group_and_patterns(demo: Page) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Room trial")).click()
    demo.get_by_role("button", name="Summary").click()
    expect(demo.get_by_role("region", name="Patterns of empty cells")).to_contain_text("95.4%")
    demo.get_by_label("For each level of").select_option("room")
    expect(demo.get_by_role("table", name="minutes in each group")).to_contain_text("48.17 ± 10.27")


def test_a_workbook_and_an_archive_are_brought_in(demo: Page, tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    book.create_sheet("Second").append(["town", "visits"])
    book["Second"].append(["Corrin", 41])
    book.save(tmp_path / "two sheets.xlsx")
    demo.get_by_role("button", name="Bring in a table").click()
    demo.get_by_label("File to bring in").set_input_files(tmp_path / "two sheets.xlsx")
    expect(demo.get_by_role("alert")).to_contain_text("no filled cells")
    book.remove(book.worksheets[0])
    book.create_sheet("Third").append(["a", "b"])
    book.save(tmp_path / "two sheets.xlsx")
    demo.get_by_label("File to bring in").set_input_files(tmp_path / "two sheets.xlsx")
    demo.get_by_label("Sheet", exact=True).select_option("Third")
    expect(demo.get_by_label("Kind of a")).to_be_visible()
    demo.get_by_label("Sheet", exact=True).select_option("Second")
    expect(demo.get_by_label("Kind of visits")).to_have_value("count")
    demo.get_by_role("button", name="Make the table").click()
    expect(demo.get_by_role("gridcell", name="Corrin")).to_be_visible()


def test_history_goes_back_and_names_a_moment(demo: Page) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Room trial")).click()
    demo.get_by_label("Actions for step 3").click()
    demo.get_by_role("menuitem", name="Delete").click()
    expect(demo.get_by_text("112 rows", exact=False).first).to_be_visible()
    demo.get_by_label("Actions for step 1").click()
    demo.get_by_role("menuitem", name="Delete").click()
    expect(demo.get_by_text("112 rows, 9 columns, 0 empty cells")).to_be_visible()
    demo.reload()
    demo.get_by_role("button", name="History of the study").click()
    dialog = demo.get_by_role("dialog", name="History of the study")
    dialog.get_by_role("button", name="Name it").nth(1).click()
    dialog.get_by_label("Name of this moment").fill("All visitors")
    dialog.get_by_label("Name of this moment").press("Enter")
    expect(dialog.get_by_text("All visitors")).to_be_visible()
    dialog.get_by_role("button", name="Go there").first.click()
    expect(demo.get_by_text("The study is as it was after: All visitors")).to_be_visible()
    dialog.get_by_role("button", name="Close").first.click()
    expect(demo.locator("button[data-step]")).to_have_count(7)


def test_labels_are_pasted_and_a_path_is_used_elsewhere(demo: Page) -> None:
    open_table(demo, "Seat and light, unbalanced")
    demo.get_by_role("button", name="Dictionary").click()
    demo.get_by_role("button", name="Paste labels from a sheet").click()
    demo.get_by_role("dialog").get_by_role("textbox").fill(
        "light\tLight in the room\nnowhere\tx\nseat\tWhere they sat\n"
    )
    demo.get_by_role("button", name="Keep 2 labels").click()
    expect(demo.get_by_label("Label of light")).to_have_value("Light in the room")
    demo.get_by_role("button", name=re.compile("^Save .*, or its path")).click()
    demo.get_by_role("menuitem", name="Keep or use a path").click()
    demo.get_by_label(re.compile("^Keep this table")).fill("Labels of the seats")
    demo.get_by_role("button", name="Keep it").click()
    expect(demo.get_by_text("is kept as")).to_be_visible()
    demo.get_by_label("Use a path after").select_option("Labels of the seats (3 steps)")
    expect(demo.get_by_text("Every step fits.")).to_be_visible()


def test_a_table_is_saved_as_a_workbook(demo: Page, tmp_path: Path) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Room trial")).click()
    demo.get_by_role("button", name=re.compile("^Save .*, or its path")).click()
    with demo.expect_download() as saved:
        demo.get_by_role("menuitem", name=re.compile("Workbook")).click()
    saved.value.save_as(tmp_path / "out.xlsx")
    page = openpyxl.load_workbook(tmp_path / "out.xlsx")["Data"]
    assert page.max_row == 109 and page.cell(1, 1).value == "visitor"
