"""The whole job in the real interface, on an uploaded file: from the file to a printed conclusion."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import call

CSV = "visitor;room;minutes;pages;consent\n" + "".join(
    f"V{i};{['Alcove', 'Gallery', 'Winter garden'][i % 3]};{20 + (i * 7) % 13 + 6 * (i % 3)},5;{-9 if i % 20 == 0 else 5 + i % 9};{'no' if i % 15 == 0 else 'yes'}\n"
    for i in range(1, 91)
)


def test_from_a_file_to_a_printed_conclusion(page: Page, tmp_path: Path) -> None:
    # A new study, and a file chosen.
    page.get_by_role("button", name="New study").click()
    page.get_by_role("link", name="Bring in a table").click()
    page.get_by_label("File to bring in").set_input_files(
        {"name": "room_trial.csv", "mimeType": "text/csv", "buffer": CSV.encode("cp1252")}
    )
    expect(page.get_by_label("Cells are cut at")).to_have_value(";")
    expect(page.get_by_label("Decimal mark")).to_have_value(",")
    page.get_by_label("Kind of pages").select_option("measure")
    expect(page.get_by_label("Kind of pages")).to_have_value("measure")
    page.get_by_label("Name of the table").fill("Room trial")
    page.get_by_role("button", name="Make the table").click()
    expect(page.get_by_role("heading", name="Room trial")).to_be_visible()
    expect(page.get_by_role("gridcell", name="Gallery").first).to_be_visible()

    # The path: −9 is empty, keep who consented, compute a rate with a mistake that is placed and mended.
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.get_by_role("option", name=re.compile("^In … mean empty|^In .* mean empty")).click()
    page.locator('[data-slot="Columns"]').click()
    page.locator('[data-column="pages"]').click()
    page.keyboard.press("Escape")
    page.get_by_label("Codes that mean empty").fill("-9")
    page.get_by_role("button", name="Add the step").click()
    expect(page.get_by_role("button", name="in pages is empty")).to_contain_text("4 cells")
    expect(page.get_by_label("Codes that mean empty")).to_have_count(0)
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.get_by_role("option", name=re.compile("^Keep the rows")).click()
    page.get_by_label("Condition").fill('consent == "yes"')
    page.get_by_role("button", name="Add the step").click()
    expect(page.get_by_role("button", name="Keep consent")).to_contain_text("90 → 84 rows")
    expect(page.get_by_label("Condition")).to_have_count(0)
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.get_by_role("option", name=re.compile("^Compute .* as")).click()
    page.get_by_label("Name of the new column").fill("rate")
    page.get_by_label("Expression").fill("pages / minuts")
    expect(page.get_by_role("alert")).to_contain_text("The nearest name is 'minutes'")
    page.get_by_label("Expression").fill("pages / minutes")
    page.get_by_role("button", name="Add the step").click()
    expect(page.get_by_label("Expression")).to_have_count(0)
    expect(page.get_by_role("columnheader", name=re.compile("^rate"))).to_be_visible()

    # A label in the dictionary.
    page.get_by_role("button", name="Dictionary").click()
    page.get_by_label("Label of minutes").fill("Minutes read")
    page.get_by_label("Label of minutes").press("Enter")
    expect(page.get_by_role("button", name=re.compile("Describe minutes"))).to_be_visible()

    # Ask: columns chosen narrow the catalogue.
    page.get_by_role("link", name="Ask about this table").click()
    page.get_by_role("checkbox", name=re.compile("^minutes")).check()
    page.get_by_role("checkbox", name=re.compile("^room")).check()
    expect(page.get_by_text("Fits best")).to_be_visible()
    page.locator('[data-method="compare_groups"]').first.click()
    expect(page.get_by_test_id("headline")).to_contain_text("Mean minutes read differs by room")
    expect(page.locator('[data-check="equal_spread"]')).to_be_visible()

    # A remedy and a setting work without a run button.
    page.get_by_role("button", name="Change settings").click()
    page.locator('[data-option="test"]').select_option("kruskal_wallis")
    expect(page.get_by_test_id("headline")).to_contain_text("Ranks of minutes read differ")
    page.locator('[data-option="test"]').select_option("auto")
    expect(page.get_by_test_id("headline")).to_contain_text("Mean minutes read")
    page.get_by_role("button", name="Add to report").click()
    expect(page.get_by_text("Added to Report").last).to_be_visible()

    # The figure takes its letters from the answer.
    page.get_by_role("button", name="Draw as a figure").click()
    expect(page.get_by_label("Take from")).not_to_have_value("")
    page.get_by_label("Whiskers reach").select_option("range")
    expect(page.locator("figcaption")).to_contain_text("the smallest and largest value")
    page.get_by_label("Upright axis").fill("Minutes in the room")
    page.get_by_label("Upright axis").press("Enter")
    expect(page.locator("figure svg")).to_contain_text("Minutes in the room")
    page.get_by_role("button", name="Edit caption").click()
    page.get_by_label("Caption").fill("Where people stay.")
    page.get_by_role("button", name="Keep").click()
    expect(page.locator("figcaption")).to_contain_text("Where people stay.")
    page.get_by_role("button", name="Let it write itself").click()
    expect(page.locator("figcaption")).to_contain_text("Boxes show medians")
    with page.expect_download() as image:
        page.get_by_role("button", name="Save image").click()
        page.get_by_role("menuitem", name="PNG, 300").click()
    assert Path(image.value.path()).read_bytes().startswith(b"\x89PNG")
    page.get_by_role("button", name="Add to report").click()
    expect(page.get_by_text("Added to Report").last).to_be_visible()

    # The report: written in, reordered, saved.
    page.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Report")).click()
    editor = page.get_by_role("textbox", name="The report's text")
    expect(editor).to_contain_text("Table 1.")
    expect(editor).to_contain_text("Figure 1.")
    editor.locator("h1").click()
    page.keyboard.press("End")
    page.keyboard.type(" on reading rooms")
    expect(page.get_by_text("Saved", exact=True)).to_be_visible()
    figure = page.locator('[data-embed="figure"]')
    figure.get_by_role("button", name=re.compile("up$")).click()
    figure.get_by_role("button", name=re.compile("up$")).click()
    expect(page.locator("[data-embed]").first).to_have_attribute("data-embed", "figure")
    page.reload()
    expect(page.locator("[data-embed]").first).to_have_attribute("data-embed", "figure")
    expect(page.get_by_role("textbox", name="The report's text")).to_contain_text("Untitled report on reading rooms")
    for words, start in (
        ("Document", b"PK"),
        ("PDF", b"%PDF"),
        ("HTML", b"<!doctype html>"),
        ("Markdown", b"![Minutes read"),
    ):
        with page.expect_download() as saved:
            page.get_by_role("button", name=words, exact=True).click()
        assert Path(saved.value.path()).read_bytes().startswith(start)


def test_out_of_date_then_renewed(demo: Page) -> None:
    contents = demo.get_by_role("navigation", name="Contents")
    contents.get_by_role("link", name=re.compile("^Room trial")).click()
    demo.get_by_label("Actions for step 3").click()
    demo.get_by_role("menuitem", name="Switch off").click()
    expect(contents.get_by_role("link", name=re.compile("^Minutes by room out of date")).first).to_be_visible()
    contents.get_by_role("link", name=re.compile("^Draft for the board")).click()
    expect(demo.get_by_text("out of date", exact=True).first).to_be_visible()
    demo.get_by_role("button", name="Renew", exact=True).first.click()
    contents.get_by_role("link", name=re.compile("^Minutes by room means differ")).click()
    expect(demo.get_by_text("all 112 rows")).to_be_visible()
    demo.keyboard.press("Control+z")
    expect(demo.get_by_text("Undone: switch off a step in Room trial")).to_be_visible()
    expect(demo.get_by_text("all 108 rows")).to_be_visible()
    demo.keyboard.press("Control+Shift+z")
    expect(demo.get_by_text("all 112 rows")).to_be_visible()


def test_pasted_cells(page: Page) -> None:
    page.get_by_role("button", name="New study").click()
    page.get_by_role("link", name="Bring in a table").click()
    page.get_by_label("Or paste cells").fill(
        "town\tvisits\nCorrin\t41\nHollin\tlost\n" + "\n".join(f"Isbury\t{i}" for i in range(20))
    )
    page.get_by_role("button", name="Use the pasted cells").click()
    expect(page.get_by_label("What was noticed")).to_contain_text("1 cell is text among numbers ('lost'; row 2)")
    page.get_by_label("Empty are also").fill("NA, lost")
    page.get_by_label("Empty are also").press("Enter")
    expect(page.get_by_label("Kind of visits")).to_have_value("count")
    page.get_by_role("button", name="Make the table").click()
    expect(page.get_by_text("22 rows, 2 columns, 1 empty cell", exact=True)).to_be_visible()


def test_a_bad_file_says_so_and_loses_nothing(page: Page) -> None:
    page.get_by_role("button", name="New study").click()
    page.get_by_role("link", name="Bring in a table").click()
    page.get_by_label("Or paste cells").fill("kept\t1")
    page.get_by_label("File to bring in").set_input_files(
        {"name": "x.csv", "mimeType": "text/csv", "buffer": bytes(range(256)) * 10}
    )
    expect(page.get_by_role("alert")).to_contain_text("This is not a text file")
    expect(page.get_by_label("Or paste cells")).to_have_value("kept\t1")


def test_a_deleted_study_comes_back(page: Page) -> None:
    made = call(page, "POST", "/api/studies", {"name": "Short lived"})
    page.reload()
    page.get_by_label("Actions for Short lived").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("link", name="Short lived")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("link", name="Short lived")).to_be_visible()
    assert made["id"]


def test_a_problem_stands_at_its_slot(demo: Page) -> None:
    contents = demo.get_by_role("navigation", name="Contents")
    contents.get_by_role("link", name=re.compile("^Minutes by room means differ")).click()
    demo.locator('[data-slot="Groups"]').click()
    demo.locator('[data-column="consent"]').click()
    expect(demo.get_by_role("alert")).to_contain_text("consent has one level, 'yes'; a comparison needs two.")
    expect(demo.locator('[data-slot="Groups"]')).to_have_class(re.compile("wrong"))
    expect(demo.get_by_text("The last answer that could be given")).to_be_visible()
    demo.locator('[data-slot="Groups"]').click()
    demo.locator('[data-column="seat"]').click()
    expect(demo.get_by_test_id("headline")).to_contain_text("seat")


def test_show_the_rows_and_leave_them_out(demo: Page) -> None:
    contents = demo.get_by_role("navigation", name="Contents")
    contents.get_by_role("link", name=re.compile("^Minutes by room means differ")).click()
    check = demo.locator('[data-check="outlying"]')
    check.get_by_role("button", name="Compare without them").click()
    expect(demo.get_by_text("compared without 3 rows")).to_be_visible()
    expect(demo.locator('[data-block="without"]')).to_contain_text("Without 3 rows")
    expect(demo.get_by_text(re.compile("The conclusion stays the same"))).to_be_visible()
    check.get_by_role("button", name="Leave them out", exact=True).click()
    expect(demo.get_by_text(re.compile(r"105 of 108 rows"))).to_be_visible()
    demo.keyboard.press("Control+z")
    expect(demo.get_by_text("all 108 rows")).to_be_visible()
    check.get_by_role("button", name="Show the rows").click()
    expect(demo.get_by_role("rowheader", name="35", exact=True)).to_be_visible()


def test_copying_cells(demo: Page) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Binding glue")).click()
    grid = demo.get_by_role("grid")
    expect(demo.get_by_role("gridcell").first).not_to_be_empty()
    grid.focus()
    demo.keyboard.press("Control+Home")
    demo.keyboard.press("Shift+ArrowDown")
    demo.keyboard.press("Control+c")
    expect(demo.get_by_text("2 cells copied")).to_be_visible()
    copied = demo.evaluate("navigator.clipboard.readText()")
    lines = copied.split("\n")
    assert lines[0] == "bone glue"
    assert len(lines) == 3 and all(re.fullmatch(r"\d+\.\d", line) for line in lines[1:])


def test_a_file_is_dropped(page: Page) -> None:
    page.get_by_role("button", name="New study").click()
    page.get_by_role("link", name="Bring in a table").click()
    page.get_by_text("Drop a file here, or").wait_for()
    handle = page.evaluate_handle(
        """text => { const data = new DataTransfer(); data.items.add(new File([text], "dropped.csv", {type: "text/csv"})); return data; }""",
        CSV,
    )
    page.get_by_text("Drop a file here, or").dispatch_event("drop", {"dataTransfer": handle})
    expect(page.get_by_label("Name of the table")).to_have_value("Dropped")
    expect(page.get_by_role("columnheader", name=re.compile("^consent"))).to_be_visible()


def asked(page: Page, name: str, data: str, response: str, groups: str) -> list[str]:
    """A study made over HTTP with one table and one comparison; the addresses of its pages."""
    study = call(page, "POST", "/api/studies", {"name": name})["id"]
    base = f"/api/studies/{study}"
    upload = call(page, "POST", f"{base}/uploads", data.encode())
    body = {"upload": upload["id"], "name": name, "options": upload["preview"]["options"]}
    table = call(page, "POST", f"{base}/tables", body)["table"]["id"]
    spec = {"response": response, "groups": groups}
    question = call(page, "POST", f"{base}/questions", {"table": table, "method": "compare_groups", "spec": spec})[
        "id"
    ]
    return [
        f"/s/{study}",
        f"/s/{study}/t/{table}",
        f"/s/{study}/t/{table}?view=dictionary",
        f"/s/{study}/ask/{table}",
        f"/s/{study}/q/{question}",
    ]


def test_nothing_from_a_file_is_taken_as_markup(page: Page) -> None:
    """Names, cells and labels that would be HTML if anything rendered them so."""
    nasty = '<img src=x onerror="window.hacked=1">'
    rows = "".join(f'"{nasty.replace(chr(34), chr(34) * 2)} {i % 2}",{i * 7 % 11}\n' for i in range(30))
    for path in asked(page, nasty, f"<b>g</b>,<script>y\n{rows}", "<script>y", "<b>g</b>"):
        page.goto(path)
        page.wait_for_load_state("networkidle")
    expect(page.get_by_test_id("headline")).to_contain_text("<img src=x")
    page.get_by_role("button", name="Add to report").click()
    expect(page.get_by_text("Added to Report").last).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("r")
    expect(page.get_by_role("textbox", name="The report's text")).to_contain_text("<img src=x")
    assert page.evaluate("window.hacked") is None
    assert page.locator("main img, main b b").count() == 0


def test_long_names_stay_in_their_place(page: Page) -> None:
    """Nothing runs out of the window sideways, at 1000 and at 1600 pixels."""
    long = "How many minutes did you spend reading in the last seven days all told"
    rows = "".join(f"{'Upper Fenwick Cross by the Old Mill ' * 2}{i % 12},{i * 37 % 101}\n" for i in range(120))
    paths = asked(page, long * 2, f"{long} where,{long}\n{rows}", long, f"{long} where")
    for width in (1000, 1600):
        page.set_viewport_size({"width": width, "height": 800})
        for path in paths:
            page.goto(path)
            page.wait_for_load_state("networkidle")
            assert page.evaluate("document.documentElement.scrollWidth") <= width, path
            assert page.evaluate("(m => m.scrollWidth - m.clientWidth)(document.querySelector('main'))") <= 1, path


def test_an_embed_is_dragged_in_the_report(demo: Page) -> None:
    demo.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile("^Draft for")).click()
    expect(demo.get_by_text("Table 2.")).to_be_visible()
    handle = demo.locator('[data-embed="answer"] [data-drag-handle]').first.bounding_box()
    target = demo.get_by_role("heading", name="What we did").bounding_box()
    assert handle and target
    demo.mouse.move(handle["x"] + 4, handle["y"] + 6)
    demo.mouse.down()
    demo.mouse.move(handle["x"] + 10, handle["y"] - 20, steps=4)
    demo.mouse.move(target["x"] + 30, target["y"] + 2, steps=8)
    demo.mouse.up()
    # The answer now stands before the heading that it stood below.
    expect(demo.locator(".ProseMirror > *").nth(1).locator('[data-embed="answer"]')).to_be_visible()
    expect(demo.get_by_text("Saved", exact=True)).to_be_visible()
