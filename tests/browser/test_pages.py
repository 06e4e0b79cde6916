"""Each page by itself: the table's path and dictionary, the grid, figures, the report, finding things."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_access import serious


def open_entry(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Contents").get_by_role("link", name=re.compile(name)).first.click()


def chips(page: Page) -> list[str]:
    return page.locator("ol[aria-label^='The path'] button[data-step]").evaluate_all(
        "list => list.map(b => b.querySelector('span').innerText)"
    )


def test_steps_are_moved_edited_switched_and_deleted(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    expect(demo.locator("button[data-step]")).to_have_count(8)
    before = chips(demo)
    demo.get_by_label("Actions for step 2").click()
    demo.get_by_role("menuitem", name="Move later").click()
    expect(demo.locator("button[data-step]").nth(1)).to_have_attribute("data-step", "keep_rows")
    assert sorted(chips(demo)) == sorted(before)
    demo.locator("button[data-step='keep_rows']").click()
    demo.get_by_label("Condition").fill('consent == "no"')
    expect(demo.get_by_text("112 → 4 rows").first).to_be_visible()
    demo.get_by_role("button", name="Keep the change").click()
    expect(demo.get_by_text("4 rows, 9 columns", exact=False).first).to_be_visible()
    demo.get_by_label("Actions for step 2").click()
    demo.get_by_role("menuitem", name="Delete").click()
    expect(demo.get_by_text("112 rows, 9 columns", exact=False).first).to_be_visible()
    for _ in range(3):
        demo.get_by_role("button", name=re.compile("^Undo")).click()
    expect(demo.get_by_text("108 rows, 9 columns", exact=False).first).to_be_visible()
    expect(demo.locator("button[data-step]").nth(1)).to_have_attribute("data-step", "levels")
    assert chips(demo) == before


def test_a_step_is_dragged(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    demo.locator("button[data-step='keep_rows']").drag_to(demo.locator("button[data-step='empty_codes']"))
    expect(demo.locator("button[data-step]").first).to_have_attribute("data-step", "keep_rows")


def test_a_step_that_cannot_be_done_says_so_on_its_chip(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    demo.get_by_label("Actions for step 4").click()
    demo.get_by_role("menuitem", name="Delete").click()
    demo.get_by_role("button", name="Add a step", exact=True).click()
    demo.get_by_role("option", name=re.compile("^Keep the rows")).click()
    demo.get_by_label("Condition").fill('seat == "Bench"')
    demo.get_by_role("button", name="Add the step").click()
    expect(demo.get_by_label("Condition")).to_have_count(0)
    demo.get_by_label("Actions for step 2").click()
    demo.get_by_role("menuitem", name="Delete").click()  # the labels that the condition speaks of
    expect(demo.get_by_text(re.compile("A number cannot be compared with a text"))).to_be_visible()
    expect(demo.get_by_text(re.compile("1 step cannot be done"))).to_be_visible()


def test_levels_are_labelled(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    demo.get_by_role("button", name="Dictionary").click()
    demo.get_by_role("button", name="daylight, warm").click()
    demo.get_by_label("Words for warm").fill("Lamplight")
    demo.get_by_label("Move warm up").click()
    demo.get_by_role("button", name="Keep these levels").click()
    expect(demo.get_by_role("button", name="Lamplight, daylight")).to_be_visible()


def test_the_dictionary_changes_kind_unit_and_codes(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    demo.get_by_role("button", name="Dictionary").click()
    demo.get_by_label("Kind of seat").select_option("ordered")
    expect(demo.get_by_role("button", name=re.compile("^seat is an ordered"))).to_be_visible()
    demo.get_by_label("Unit of minutes").fill("minutes")
    demo.get_by_label("Unit of minutes").press("Enter")
    expect(demo.get_by_role("button", name=re.compile("Describe minutes")).first).to_contain_text(
        "Minutes read (minutes)"
    )
    demo.get_by_label("Codes that mean empty in lux").fill("800..900")
    demo.get_by_label("Codes that mean empty in lux").press("Enter")
    expect(demo.get_by_role("button", name=re.compile("in lux is empty"))).to_be_visible()
    demo.get_by_label("Kind of town").select_option("measure")
    expect(demo.get_by_text(re.compile("108 cells are not numbers"))).to_be_visible()


def test_columns_are_chosen_and_widened(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    demo.get_by_role("columnheader", name=re.compile("^minutes")).get_by_role("button").click()
    margin = demo.get_by_role("complementary", name="The chosen column")
    expect(margin).to_contain_text("Minutes read")
    expect(margin).to_contain_text("One visit, timed at the door of the room")
    handle = demo.get_by_role("separator", name="Width of minutes")
    before = int(handle.get_attribute("aria-valuenow") or 0)
    handle.focus()
    handle.press("ArrowRight")
    expect(handle).to_have_attribute("aria-valuenow", str(before + 12))
    demo.reload()
    expect(demo.get_by_role("separator", name="Width of minutes")).to_have_attribute(
        "aria-valuenow", str(before + 12)
    )


def test_compute_from_a_column(demo: Page) -> None:
    open_entry(demo, "^Binding glue")
    demo.get_by_role("columnheader", name=re.compile("^bone glue")).get_by_role("button").click()
    demo.get_by_label("Prepare this column").select_option("Compute from it")
    expect(demo.get_by_label("Expression")).to_have_value("`bone glue`")
    demo.get_by_label("Expression").fill("")
    demo.get_by_label("Expression").press_sequentially("mea")
    expect(demo.get_by_role("option", name=re.compile("^mean"))).to_be_visible()
    demo.get_by_label("Expression").press("Tab")
    expect(demo.get_by_label("Expression")).to_have_value("mean()")


def test_side_by_side_from_the_catalogue(demo: Page) -> None:
    open_entry(demo, "^Binding glue")
    demo.get_by_role("link", name="Ask about this table").click()
    for name in ("bone glue", "starch paste", "resin"):
        demo.get_by_role("checkbox", name=re.compile(f"^{name}")).check()
    demo.locator('[data-method="compare_groups"]').first.click()
    expect(demo.get_by_test_id("headline")).to_contain_text("Means differ between Bone glue, Starch paste and Resin")
    demo.locator('[data-slot="Samples"]').click()
    demo.get_by_role("option", name=re.compile("Resin")).click()
    expect(demo.get_by_test_id("headline")).to_contain_text("between Bone glue and Starch paste")


@pytest.mark.parametrize(
    ("test", "words"),
    [
        ("anova", "Between groups"),
        ("welch", "Welch"),
        ("brown_forsythe", "Brown–Forsythe"),
        ("kruskal_wallis", "Mean rank"),
    ],
)
def test_each_test_stands_in_the_tables(demo: Page, test: str, words: str) -> None:
    open_entry(demo, "^Minutes by room means")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="test"]').select_option(test)
    expect(demo.get_by_test_id("answer").get_by_text(words, exact=True).first).to_be_visible()


def test_a_remedy_is_one_click(demo: Page) -> None:
    open_entry(demo, "^Minutes by room means")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="test"]').select_option("anova")
    demo.locator('[data-check="equal_spread"]').get_by_role("button", name="Use Welch's test").click()
    expect(demo.locator('[data-option="test"]')).to_have_value("welch")
    demo.locator('[data-option="alpha"]').fill("0.01")
    demo.locator('[data-option="alpha"]').press("Enter")
    expect(demo.get_by_test_id("headline")).to_contain_text("99% CI")
    demo.locator('[data-option="where"]').fill('town != "Corrin"')
    demo.locator('[data-option="where"]').press("Enter")
    expect(demo.get_by_text(re.compile(r"of 108 rows \(\d+: not town"))).to_be_visible()


def test_tables_are_copied_and_details_unfold(demo: Page) -> None:
    open_entry(demo, "^Minutes by room means")
    demo.get_by_label("Copy the table All pairs, Games–Howell").click()
    lines = demo.evaluate("navigator.clipboard.readText()").split("\n")
    assert lines[0].split("\t")[0] == "Pair" and len(lines) == 4
    demo.locator("summary").filter(has_text="other tests").click()
    expect(demo.get_by_role("cell", name="Kruskal–Wallis")).to_be_visible()


def test_a_figure_is_worked_on(demo: Page) -> None:
    open_entry(demo, "^Minutes by room box")
    demo.locator('[data-slot="Drawn as"]').click()
    demo.get_by_role("checkbox", name=re.compile("^mean")).check()
    expect(demo.locator("figcaption")).to_contain_text("Diamonds show means, bars their 95% confidence intervals")
    demo.keyboard.press("Escape")
    demo.get_by_label("Intervals").select_option("sd")
    expect(demo.locator("figcaption")).to_contain_text("one standard deviation either way")
    demo.get_by_label("Whiskers reach").select_option("percentiles")
    demo.get_by_label("Low percentile").fill("10")
    demo.get_by_label("Low percentile").press("Enter")
    expect(demo.locator("figcaption")).to_contain_text("the 10th and 95th percentile")
    demo.get_by_label("Letters above each group").uncheck()
    expect(demo.locator("figcaption")).not_to_contain_text("share a letter")
    demo.get_by_label("Colour of Gallery").fill("#112233")
    expect(demo.locator('figure svg [stroke="#112233"], figure svg [fill="#112233"]').first).to_be_attached()
    demo.get_by_role("button", name="Default colour for Gallery").click()
    expect(demo.locator('figure svg [fill="#112233"]')).to_have_count(0)
    demo.get_by_role("button", name="Two columns").click()
    expect(demo.get_by_text("170 × 70 mm on the page")).to_be_visible()
    demo.get_by_label("To", exact=True).fill("200")
    demo.get_by_label("To", exact=True).press("Enter")
    expect(demo.locator("figure svg")).to_contain_text("200")
    demo.get_by_label("From", exact=True).fill("300")
    demo.get_by_label("From", exact=True).press("Enter")
    expect(demo.get_by_text("end above where it begins")).to_be_visible()


def test_the_report_is_an_editor(demo: Page) -> None:
    open_entry(demo, "^Draft for the board")
    editor = demo.get_by_role("textbox", name="The report's text")
    editor.get_by_text("Spread differed between the rooms").click()
    demo.keyboard.press("End")
    demo.keyboard.press("Enter")
    demo.get_by_label("Kind of paragraph").select_option("h2")
    demo.keyboard.type("What follows")
    expect(editor.get_by_role("heading", name="What follows")).to_be_visible()
    demo.keyboard.press("Enter")
    demo.get_by_role("button", name="Bold").click()
    demo.keyboard.type("firmly")
    expect(editor.locator("strong")).to_have_text("firmly")
    answer = demo.get_by_role("region", name="Answer: Minutes by room")
    answer.get_by_role("button", name="Choose parts").click()
    answer.get_by_role("checkbox", name=re.compile("All pairs")).uncheck()
    expect(answer.get_by_text("Table 2.")).to_have_count(0)
    answer.get_by_role("checkbox", name=re.compile("How large is it")).check()
    expect(answer.get_by_text("Table 2.")).to_be_visible()
    demo.get_by_role("button", name="Place Curing of three glues").click()
    expect(editor.get_by_text("Figure 2.")).to_be_visible()
    demo.locator('[data-embed="figure"]').get_by_role("button", name=re.compile("^Take")).click()
    expect(demo.locator('[data-embed="figure"]')).to_have_count(0)
    expect(demo.get_by_text("Saved", exact=True)).to_be_visible()
    demo.reload()
    expect(
        demo.get_by_role("textbox", name="The report's text").get_by_role("heading", name="What follows")
    ).to_be_visible()
    expect(demo.locator('[data-embed="figure"]')).to_have_count(0)


def test_finding_and_asking(demo: Page) -> None:
    demo.get_by_role("button", name="Find or ask anything").click()
    demo.get_by_placeholder("A table, column").fill("tukey")
    expect(demo.get_by_role("option", name=re.compile("differ between"))).to_be_visible()
    demo.keyboard.press("Enter")
    expect(demo.locator('[data-slot="Measurement"]')).to_be_visible()
    expect(demo.get_by_text("the answer appears here at once")).to_be_visible()
    demo.keyboard.press("/")
    demo.get_by_placeholder("A table, column").fill("light at the seat")
    expect(demo.get_by_role("option", name=re.compile("Light at the seat"))).to_be_visible()
    demo.keyboard.press("Enter")
    expect(demo.get_by_role("complementary", name="The chosen column")).to_contain_text("lux")


def test_entries_are_renamed_ordered_and_deleted_with_undo(demo: Page) -> None:
    contents = demo.get_by_role("navigation", name="Contents")
    contents.get_by_label("Actions for Binding glue").click(force=True)
    demo.get_by_role("menuitem", name="Rename").click()
    demo.get_by_label("New name of Binding glue").fill("Three glues")
    demo.get_by_label("New name of Binding glue").press("Enter")
    expect(contents.get_by_role("link", name=re.compile("^Three glues"))).to_be_visible()
    contents.get_by_label("Actions for Three glues").click(force=True)
    demo.get_by_role("menuitem", name="Move up").click()
    expect(contents.get_by_role("link").first).to_contain_text("Three glues")
    contents.get_by_label("Actions for Three glues").click(force=True)
    demo.get_by_role("menuitem", name="Delete").click()
    expect(contents.get_by_role("link", name=re.compile("^Three glues"))).to_have_count(0)
    demo.get_by_role("status").get_by_role("button", name="Undo").click()
    expect(contents.get_by_role("link", name=re.compile("^Three glues"))).to_be_visible()


def test_the_theme_is_kept(demo: Page) -> None:
    demo.get_by_role("button", name="Dark theme").click()
    expect(demo.locator("html")).to_have_attribute("data-theme", "lamplight")
    demo.reload()
    expect(demo.locator("html")).to_have_attribute("data-theme", "lamplight")
    demo.get_by_role("button", name="Fold the contents").click()
    expect(demo.get_by_role("navigation", name="Contents")).to_have_count(0)


def test_a_study_that_is_not_there(page: Page) -> None:
    page.goto("/s/nothing")
    expect(page.get_by_role("alert")).to_contain_text("no longer in the study")
    page.get_by_role("link", name="All studies").click()
    expect(page.get_by_role("heading", name="Studies")).to_be_visible()


def test_two_quick_changes_end_in_the_last(demo: Page) -> None:
    """Answers that come late for a sentence that has changed since are not shown."""
    open_entry(demo, "^Minutes by room means")
    for name in ("lux", "pages", "lux", "pages"):
        demo.locator('[data-slot="Measurement"]').click()
        demo.locator(f'[data-column="{name}"]').click()
    expect(demo.get_by_test_id("headline")).to_contain_text("pages read in one visit")
    expect(demo.locator("main").get_by_text("Out of date")).to_have_count(0)
    expect(demo.locator('[data-slot="Measurement"]')).to_have_text("pages read in one visit")


@pytest.mark.parametrize("width", [1000, 1280])
def test_what_opens_stays_inside_the_window(demo: Page, width: int) -> None:
    demo.set_viewport_size({"width": width, "height": 800})
    open_entry(demo, "^Room trial")
    demo.get_by_role("button", name="Add a step", exact=True).click()
    menu = demo.get_by_role("listbox", name="Steps").bounding_box()
    assert menu and menu["x"] >= 0 and menu["x"] + menu["width"] <= width
    demo.keyboard.press("Escape")
    open_entry(demo, "^Minutes by room means")
    demo.locator('[data-slot="Groups"]').click()
    slot = demo.get_by_role("listbox").bounding_box()
    assert slot and slot["x"] + slot["width"] <= width


def test_quick_edits_build_on_one_another(demo: Page) -> None:
    """Edits made before the server has answered the one before are all kept."""
    open_entry(demo, "^Room trial")
    demo.get_by_role("button", name="Dictionary").click()
    for column in ("town", "seat", "consent"):
        demo.get_by_label(f"Label of {column}").fill(f"The {column}")
        demo.get_by_label(f"Label of {column}").press("Enter")
    expect(demo.locator("button[data-step]")).to_have_count(11)
    for column in ("town", "seat", "consent"):
        expect(demo.get_by_label(f"Label of {column}")).to_have_value(f"The {column}")
    demo.reload()
    expect(demo.locator("button[data-step]")).to_have_count(11)


def test_menus_and_lists_are_walked_by_keys(demo: Page) -> None:
    open_entry(demo, "^Room trial")
    save = demo.get_by_role("button", name="Save Room trial, or its path")
    save.click()
    expect(demo.get_by_role("menuitem", name="CSV", exact=True)).to_be_visible()  # the list of formats has come
    demo.keyboard.press("Escape")
    expect(save).to_be_focused()
    demo.keyboard.press("Enter")
    expect(demo.get_by_role("menuitem", name="CSV", exact=True)).to_be_focused()
    demo.keyboard.press("ArrowDown")
    expect(demo.get_by_role("menuitem", name="Tab-separated text")).to_be_focused()
    demo.keyboard.press("j")
    expect(demo.get_by_role("menuitem", name="JSON")).to_be_focused()
    assert serious(demo) == []
    demo.keyboard.press("Escape")
    expect(save).to_be_focused()
    open_entry(demo, "^Minutes by room means")
    groups = demo.locator('[data-slot="Groups"]')
    groups.focus()
    demo.keyboard.press("ArrowDown")
    demo.keyboard.type("town")
    expect(demo.get_by_role("listbox", name="Groups").get_by_role("option")).to_have_count(1)
    assert serious(demo) == []
    demo.keyboard.press("Enter")
    expect(groups).to_contain_text("town")
    expect(groups).to_be_focused()
