"""Series over time by real clicks: from columns to differences that stand still."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.test_access import serious
from tests.browser.test_change import begin, brought
from tests.browser.test_models import headline, settled
from tests.browser.test_testing import entries


def test_a_series_is_made_to_stand_still(demo: Page) -> None:
    begin(demo, "Monthly loans", ("month", "loans"), "series")
    expect(headline(demo)).to_contain_text("Both kinds of test speak against its standing still")
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
    told = demo.request.get(f"/api/studies/{e['study']}/tables/{e['id']}").json()
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
