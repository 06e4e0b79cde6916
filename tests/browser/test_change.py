"""Effects of a change and panels, as researchers ask about them: from columns, by clicks and drags, on a file of one's
own."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious
from tests.browser.test_models import headline, settled
from tests.browser.test_testing import entries, open_question


def brought(page: Page, file: Path, lines: list[str]) -> str:
    """A file of one's own made a table of the study; its name."""
    file.write_text("\n".join(lines))
    study = page.url.split("/s/")[1].split("/")[0]
    page.goto(f"/s/{study}/bring")
    page.get_by_label("File to bring in").set_input_files(file)
    page.get_by_role("button", name="Make the table").click()
    expect(page.get_by_role("grid")).to_be_visible()
    return next(k for k in entries(page) if k.lower() == f"table {file.stem}").removeprefix("table ")


def begin(page: Page, table: str, columns: tuple[str, ...], method: str, first: bool = True) -> None:
    """From chosen columns to the question on top, or to one below it."""
    e = entries(page)[f"table {table}"]
    page.goto(f"/s/{e['study']}/ask/{e['id']}")
    for column in columns:
        page.get_by_role("checkbox", name=re.compile(f"^{column} [a-z/]+$")).check()
    if first:
        expect(page.locator("[data-method]").first).to_have_attribute("data-method", method)
    page.locator(f'[data-method="{method}"]').first.click()


def test_a_change_from_four_means_to_periods(demo: Page) -> None:
    begin(demo, "Evening opening", ("loans", "month", "evenings"), "difference_in_differences")
    # The last month before comes from the table's column of before and after, the unit from its names.
    expect(headline(demo)).to_contain_text("would have changed alike otherwise, the treatment made loans")
    expect(demo.locator('[data-block="means"]')).to_contain_text("106")
    expect(demo.get_by_text("Nothing speaks against it; that is no proof of it")).to_be_visible()
    demo.get_by_role("button", name="Change settings").click()
    demo.get_by_label("Standard errors").select_option(label="by cluster, p by the wild bootstrap")
    expect(demo.get_by_text("p by the wild bootstrap, the interval from the cluster errors")).to_be_visible()
    demo.get_by_label("Last period before").select_option(label="6")
    expect(demo.get_by_text("Before: 1 to 6; after: 7 to 16")).to_be_visible()
    demo.get_by_role("button", name="Close settings").click()
    settled(demo)
    assert serious(demo) == []


def test_a_jump_its_window_dragged_and_a_row_asked_by_itself(demo: Page) -> None:
    begin(demo, "Grant round", ("score", "grant", "visits_after"), "discontinuity")
    expect(headline(demo)).to_contain_text("jumps up by 30.9 visits where need score crosses 50")
    # The window by keys on its line, then a rule by a click, then undone.
    line = demo.get_by_role("slider", name="Window")
    line.focus()
    for _ in range(4):
        line.press("ArrowRight")
    expect(demo.get_by_text("typed or dragged")).to_be_visible()
    demo.get_by_role("button", name="Undo").click()
    rules = demo.locator('[data-block="bandwidths"]')
    rules.get_by_role("button", name=re.compile("^interval keeps its level")).click()
    expect(headline(demo)).to_contain_text("up by 32 visits")
    demo.get_by_role("button", name="Undo").click()
    expect(headline(demo)).to_contain_text("30.9 visits")
    # What was the year before is a placebo; a row of the set becomes a question.
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="bandwidth"]').select_option(label="a number")
    demo.get_by_label("Window: number").fill("8")
    demo.get_by_label("Window: number").press("Enter")
    expect(headline(demo)).to_contain_text("jumps up by")
    demo.locator('[data-option="bandwidth"]').select_option(label="least mean squared error")
    demo.get_by_role("button", name="Close settings").click()
    settled(demo)
    assert serious(demo) == []
    before = demo.url
    demo.locator('[data-block="sensitivity"]').get_by_role("button", name=re.compile("^parabolas")).click()
    expect(demo).not_to_have_url(before)
    expect(headline(demo)).to_contain_text("up by 30 visits")


def test_a_panel_reports_another_model_by_a_click(demo: Page) -> None:
    begin(demo, "Branch years", ("loans", "staff", "rural"), "panel")
    expect(headline(demo)).to_contain_text("Within a branch, each further post of staff goes with")
    dash = demo.locator('[data-block="models"] td', has_text="never changes within a branch").first
    expect(dash).to_be_visible()
    demo.get_by_role("button", name="Report within and between").click()
    expect(demo.locator('[data-block="models"] th.picked')).to_contain_text("Within and between")
    demo.locator("summary", has_text="What each model compares").click()
    demo.locator('[data-block="choices"]').get_by_role("button", name=re.compile("^random effects")).click()
    expect(demo.get_by_text("the estimates mix what happens within a unit")).to_be_visible()
    demo.get_by_role("tab", name="rural: yes").click()
    settled(demo)
    assert serious(demo) == []
    demo.get_by_role("button", name="Add to report").click()
    expect(demo.get_by_text(re.compile("Added to"))).to_be_visible()
    open_question(demo, "Loans of branches over eight years")
    demo.get_by_role("button", name="Add its columns to the table").click()
    demo.get_by_role("button", name="Show it").click()
    expect(demo.get_by_text(re.compile("12 columns|480 rows")).first).to_be_visible()
    e = entries(demo)["table Branch years"]
    told = call(demo, "GET", f"/api/studies/{e['study']}/tables/{e['id']}")
    assert "level of branch" in [c["name"] for c in told["table"]["columns"]]


def test_starts_at_different_times_on_a_file_of_ones_own(demo: Page, tmp_path: Path) -> None:
    import numpy as np

    rng = np.random.default_rng(4)
    lines = ["farm,season,began,yield"]
    for farm in range(24):
        start = [None, 4, 6][farm % 3]
        level = rng.normal(30, 4)
        for season in range(1, 9):
            gain = 5 if start and season >= start else 0
            lines.append(f"F{farm + 1:02},{season},{start or ''},{level + season + gain + rng.normal():.2f}")
    made = brought(demo, tmp_path / "farms.csv", lines)
    expect(demo.get_by_text(re.compile("192 rows")).first).to_be_visible()
    begin(demo, made, ("farm", "season", "began", "yield"), "difference_in_differences")
    expect(headline(demo)).to_contain_text("Each group by start beside those not started yet gives")
    expect(demo.get_by_text("Treatment starts at 2 different times")).to_be_visible()
