"""Comparisons as a researcher makes them: from columns to an answer with its checks, contrasts, interactions, typed
samples."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious


def entries(page: Page) -> dict[str, dict[str, str]]:
    study = page.url.split("/s/")[1].split("/")[0]
    found = call(page, "GET", f"/api/studies/{study}")["entries"]
    return {f"{e['type']} {e['name']}": {**e, "study": study} for e in found}


def turn_to(page: Page, path: str) -> None:
    """By a click in the contents, as people go from page to page, where it is in sight: nothing is loaded anew."""
    link = page.locator(f'[draggable] > a[href="{path}"]')
    if link.count():
        link.click()
        expect(link).to_have_attribute("aria-current", "page")
    else:
        page.goto(path)


def open_question(page: Page, name: str) -> None:
    e = entries(page)[f"question {name}"]
    turn_to(page, f"/s/{e['study']}/q/{e['id']}")
    expect(page.get_by_test_id("headline")).to_be_visible()


def ask(page: Page, table: str, method: str) -> None:
    e = entries(page)[f"table {table}"]
    page.goto(f"/s/{e['study']}/ask/{e['id']}")
    page.locator(f'[data-method="{method}"]').last.click()
    expect(page.get_by_test_id("sentence")).to_be_visible()


def fill(page: Page, slot: str, *columns: str) -> None:
    page.locator(f'[data-slot="{slot}"]').click()
    for column in columns:
        page.locator(f'[data-column="{column}"]').click()
    page.keyboard.press("Escape")


def test_the_demo_answers_open_with_pictures_and_checks(demo: Page) -> None:
    for e in entries(demo).values():
        if e["type"] == "question":
            turn_to(demo, f"/s/{e['study']}/q/{e['id']}")
            expect(demo.get_by_test_id("headline")).to_be_visible()
            expect(demo.locator("[data-check]").first).to_be_visible()
            expect(demo.locator("article svg").first).to_be_visible()
            expect(demo.get_by_text("The figure cannot be shown")).to_have_count(0)


def test_from_columns_to_the_fitting_question(demo: Page) -> None:
    e = entries(demo)["table Page tint"]
    demo.goto(f"/s/{e['study']}/ask/{e['id']}")
    demo.get_by_role("checkbox", name=re.compile("mill")).check()
    demo.get_by_role("checkbox", name=re.compile("brightness")).check()
    best = demo.locator("[data-method]").first
    expect(best).to_have_attribute("data-method", "compare_two")
    expect(demo.get_by_text("Fits best: mill has two levels.")).to_be_visible()
    best.click()
    expect(demo.get_by_test_id("headline")).to_contain_text("differs between Lower mill and Upper mill")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="test"]').select_option("mann_whitney")
    expect(demo.get_by_test_id("headline")).to_contain_text("U = 0")
    demo.locator('[data-option="exact"]').select_option("yes")
    expect(demo.get_by_test_id("headline")).to_contain_text("(exact)")
    demo.locator('[data-option="alternative"]').select_option("less")
    expect(demo.get_by_test_id("headline")).to_contain_text("tend to be lower in Lower mill")
    demo.keyboard.press("Control+z")
    expect(demo.get_by_test_id("headline")).to_contain_text("differ between")


def test_a_remedy_changes_the_test(demo: Page) -> None:
    open_question(demo, "Minutes by room")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="test"]').select_option("anova")
    check = demo.locator('[data-check="equal_spread"]')
    expect(check).to_have_attribute("data-verdict", "fails")
    check.get_by_role("button", name="Use Welch's test").click()
    expect(demo.get_by_test_id("headline")).to_contain_text("FW(2,")


def test_contrasts_by_moving_levels_and_by_typing_weights(demo: Page) -> None:
    ask(demo, "Story hours", "compare_groups")
    fill(demo, "Measurement", "words")
    fill(demo, "Groups", "telling")
    expect(demo.get_by_test_id("headline")).to_contain_text("differs by way of telling")
    demo.get_by_role("button", name="Change settings").click()
    field = demo.locator('[data-option="contrasts"]')
    field.get_by_role("combobox").select_option("typed")
    line = field.get_by_role("group", name=re.compile("^Contrast")).first
    line.get_by_role("group", name="not in it").get_by_role("button", name="with puppets").click()
    expect(line.get_by_role("status")).to_have_text("the other side is empty")
    level = line.get_by_role("group", name="not in it").get_by_role("button", name="read aloud")
    level.drag_to(line.get_by_role("group", name="against mean of"))
    expect(line.get_by_role("status")).to_have_text("weights sum to 0")
    expect(demo.get_by_test_id("headline")).to_contain_text("with puppets against read aloud is 4.1")
    line = field.get_by_role("group", name="Contrast with puppets against read aloud")
    line.get_by_role("button", name="Type weights").click()
    weight = line.get_by_label("Weight of acted out")
    weight.fill("1")
    weight.press("Enter")
    line = field.get_by_role("group", name=re.compile("^Contrast")).first
    expect(line.get_by_role("status")).to_have_text("weights sum to 1; they must to 0")
    assert serious(demo) == []


def test_a_trend_and_a_control(demo: Page) -> None:
    ask(demo, "Quiet desks", "compare_groups")
    fill(demo, "Measurement", "pages")
    fill(demo, "Groups", "noise")
    demo.get_by_role("button", name="Change settings").click()
    field = demo.locator('[data-option="contrasts"]')
    field.get_by_role("combobox").select_option("polynomial")
    expect(demo.get_by_test_id("headline")).to_contain_text("The trend is linear")
    field.get_by_role("combobox").select_option("control")
    demo.locator('[data-option="control"]').select_option("65")
    expect(demo.locator('[data-block="contrasts"]')).to_contain_text("35 − 65")


def test_interactions_are_chips(demo: Page) -> None:
    open_question(demo, "Seat and light together")
    demo.get_by_role("button", name="Change settings").click()
    chip = demo.locator('[data-option="interactions"]').get_by_role("button", name="seat × light")
    expect(chip).to_have_attribute("aria-pressed", "true")
    expect(demo.locator('[data-block="anova"]')).to_contain_text("seat × light")
    chip.click()
    expect(demo.locator('[data-block="anova"]')).not_to_contain_text("seat × light")
    demo.locator('[data-option="pairs_of"]').get_by_role("button", name="seat × light").click()
    expect(demo.locator("summary", has_text="Pairs of seat × light")).to_be_visible()
    assert serious(demo) == []


def test_samples_of_which_only_n_mean_and_sd_are_known(demo: Page) -> None:
    ask(demo, "Page tint", "compare_two")
    demo.get_by_label("How the data lie").select_option("summaries")
    demo.locator('[data-slot="Summaries"]').click()
    for i, row in enumerate((("Coast", "14", "12,4", "3.1"), ("Hill", "18", "15.2", "4.4")), start=1):
        for head, text in zip(("Sample", "n", "Mean", "SD"), row, strict=True):
            demo.get_by_label(f"{head} {i}", exact=True).fill(text)
    assert serious(demo) == []
    demo.get_by_role("dialog").get_by_role("button", name="Done").click()
    expect(demo.get_by_test_id("headline")).to_contain_text("Coast is 2.8 lower than Hill")
    demo.reload()
    expect(demo.locator('[data-slot="Summaries"]')).to_have_text("Coast, Hill")


def test_expected_shares_are_typed_for_levels(demo: Page) -> None:
    ask(demo, "Winter challenge", "goodness_of_fit")
    fill(demo, "Category", "card")
    expect(demo.get_by_test_id("headline")).to_contain_text("differ from all levels alike")
    demo.get_by_role("button", name="Change settings").click()
    for level, share in (("adult", "4"), ("child", "2"), ("family", "2.5"), ("senior", "1.5")):
        demo.get_by_label(f"Expected shares: {level}").fill(share)
    demo.get_by_label("Expected shares: senior").press("Enter")
    expect(demo.get_by_test_id("headline")).to_contain_text("the shares expected")


def test_a_point_leads_to_its_row(demo: Page) -> None:
    ask(demo, "Reading pace", "correlate")
    fill(demo, "Columns", "pace", "span")
    expect(demo.get_by_test_id("headline")).to_contain_text("r = .70")
    points = demo.locator("article svg .mark-symbol path")
    expect(points.first).to_be_visible()
    points.first.click(force=True)
    expect(demo).to_have_url(re.compile(r"/t/.*rows=\d+"))


def test_the_answer_again_for_each_level(demo: Page) -> None:
    ask(demo, "Branches", "correlate")
    fill(demo, "Columns", "visits", "floor_area")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="by"]').select_option("district")
    expect(demo.locator('[data-block="levels"]')).to_contain_text("Lakeside")
    expect(demo.get_by_test_id("headline")).to_contain_text("For each")


def test_a_study_is_planned_without_data(demo: Page) -> None:
    ask(demo, "Room trial", "study_size")
    expect(demo.get_by_test_id("headline")).to_contain_text("64 rows in the first group")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="design"]').select_option("correlation")
    expect(demo.get_by_test_id("headline")).to_contain_text("84 rows")
    demo.locator('[data-option="find"]').select_option("effect")
    demo.locator('[data-option="n"]').fill("200")
    demo.locator('[data-option="n"]').press("Enter")
    expect(demo.get_by_test_id("headline")).to_contain_text("With 200 rows")


@pytest.mark.parametrize(
    "name",
    ["What goes with reading pace", "Fluency over six weeks", "Reminders and finishing", "Shape of minutes read"],
)
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_nothing_serious_in_answers(demo: Page, name: str, scheme: str) -> None:
    demo.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
    open_question(demo, name)
    for summary in demo.locator("article details > summary").all():
        summary.click()
    demo.wait_for_load_state("networkidle")
    assert serious(demo, scheme) == []


def test_each_method_has_its_page_from_its_answer(demo: Page) -> None:
    open_question(demo, "Fluency over six weeks")
    demo.get_by_role("link", name="About this method").click()
    expect(demo.get_by_text("Greenhouse–Geisser ε")).to_be_visible()
    expect(demo.get_by_text(re.compile("Mauchly, J. W."))).to_be_visible()
