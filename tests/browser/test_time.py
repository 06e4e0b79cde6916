"""Series over time by real clicks: from columns to differences that stand still."""

import re
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious
from tests.browser.test_change import begin, brought
from tests.browser.test_models import headline, settled
from tests.browser.test_testing import entries


def test_a_series_is_made_to_stand_still(demo: Page) -> None:
    begin(demo, "Monthly loans", ("month", "loans"), "series")
    expect(headline(demo)).to_contain_text("KPSS speaks against its standing still")
    demo.get_by_role("button", name="Take differences").click()
    expect(demo.get_by_text("1 difference", exact=True)).to_be_visible()
    demo.get_by_role("button", name="Take seasonal differences").click()
    expect(demo.get_by_text("Nothing speaks against it for the series as differenced")).to_be_visible()
    demo.locator("summary", has_text="Correlogram of the differences").click()
    expect(demo.locator('[data-block="lags"] tbody tr').first).to_be_visible()
    settled(demo)
    assert serious(demo) == []
    demo.get_by_role("button", name="Undo").click()
    demo.get_by_role("button", name="Add its columns to the table").click()
    demo.get_by_role("button", name="Show it").click()
    e = entries(demo)["table Monthly loans"]
    told = call(demo, "GET", f"/api/studies/{e['study']}/tables/{e['id']}")
    assert {"trend loans", "season loans", "rest loans"} <= {c["name"] for c in told["table"]["columns"]}


def test_quarters_in_words_with_a_gap_on_a_file_of_ones_own(demo: Page, tmp_path: Path) -> None:
    lines = ["when,herons"]
    for k in range(60):
        if k != 17:
            lines.append(f"Q{k % 4 + 1} {1990 + k // 4},{40 + k * 0.5 + (k % 4) * 6 + (k * 37 % 11):.1f}")
    made = brought(demo, tmp_path / "herons.csv", lines)
    expect(demo.get_by_text(re.compile("59 rows")).first).to_be_visible()
    begin(demo, made, ("when", "herons"), "series")
    expect(headline(demo)).to_contain_text("60 quarters, 1990 Q1 to 2004 Q4")
    expect(demo.get_by_text("1 time without a value bridged by straight lines: 1994 Q2")).to_be_visible()


def row(page: Page, block: str, text: str) -> Locator:
    return page.locator(f'[data-block="{block}"] tbody tr', has_text=text)


def test_orders_are_carried_over_compared_chosen_and_foretold(demo: Page) -> None:
    begin(demo, "Waiting list", ("quarter", "waiting"), "series")
    demo.get_by_role("button", name="Take differences").click()
    expect(demo.get_by_text("1 difference", exact=True)).to_be_visible()
    # a click on a suggested order asks for models with all of them, that one looked at
    row(demo, "orders", "(1, 1, 1)").get_by_role("button").click()
    expect(headline(demo)).to_contain_text("ARIMA(1, 1, 1)")
    expect(demo.locator('[data-block="candidates"] tbody tr').nth(1)).to_be_visible()
    # one more is typed; the others stay
    demo.get_by_role("button", name="Change settings").click()
    box = demo.get_by_label("Add to Candidates (p, d, q)")
    box.fill("2,1")
    box.press("Enter")
    expect(demo.get_by_text("3 whole numbers, such as (1, 1, 0)")).to_be_visible()
    box.fill("(2,1,2) (0 1 3)")
    box.press("Enter")
    expect(row(demo, "candidates", "(0, 1, 3)")).to_be_visible()
    demo.get_by_role("button", name="Drop (0, 1, 3)").click()
    expect(row(demo, "candidates", "(0, 1, 3)")).to_have_count(0)
    demo.get_by_role("button", name="Close settings").click()
    row(demo, "candidates", "(2, 1, 2)").get_by_role("button").first.click()
    expect(headline(demo)).to_contain_text("ARIMA(2, 1, 2)")
    # the reach of what follows is moved by its line
    line = demo.get_by_role("slider", name=re.compile("Foretold points"))
    line.focus()
    line.press("ArrowRight")
    expect(headline(demo)).to_contain_text("For 2026 Q1 it foretells")
    settled(demo)
    assert serious(demo) == []


def test_a_grid_by_a_remedy_then_columns(demo: Page) -> None:
    begin(demo, "Monthly loans", ("month", "loans"), "arima", first=False)
    expect(headline(demo)).to_contain_text("of 6 candidates", timeout=60_000)
    demo.get_by_role("button", name="Try a grid").first.click()
    expect(headline(demo)).to_contain_text("of 16 candidates", timeout=60_000)
    demo.get_by_role("button", name="Add its columns to the table").click()
    demo.get_by_role("button", name="Show it").click()
    e = entries(demo)["table Monthly loans"]
    told = call(demo, "GET", f"/api/studies/{e['study']}/tables/{e['id']}")
    assert {"expected loans", "residual loans"} <= {c["name"] for c in told["table"]["columns"]}


def test_smoothing_of_many_units_summed_on_a_file_of_ones_own(demo: Page, tmp_path: Path) -> None:
    lines = ["when,pond,toads"]
    for k in range(48):
        for pond, more in (("north", 3), ("south", 9)):
            lines.append(f"{2010 + k // 4}Q{k % 4 + 1},{pond},{30 + k + 8 * (k % 4 == 1) + more + k * 29 % 7}")
    made = brought(demo, tmp_path / "toads.csv", lines)
    begin(demo, made, ("when", "toads"), "smoothing", first=False)
    expect(demo.get_by_text("A time stands 2 times in when")).to_be_visible()
    demo.get_by_role("button", name="Change settings").click()
    demo.get_by_label("A time that stands several times").select_option("sum")
    expect(headline(demo)).to_contain_text("which has the least AICc of 15 combinations", timeout=60_000)
    expect(demo.get_by_text("every quarter, summed")).to_be_visible()
    row(demo, "combinations", "Level alone").first.get_by_role("button").first.click()
    expect(headline(demo)).to_contain_text("level alone")
    settled(demo)
    assert serious(demo) == []
