"""Surveys by real clicks: a question that forgets the weights leads to the one that does not, on the demo and on a file."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious
from tests.browser.test_change import begin, brought, entries
from tests.browser.test_models import headline, settled


def test_waves_are_compared_and_a_share_is_told_of_a_subgroup(demo: Page) -> None:
    begin(demo, "Reader survey, both waves", ("read_week", "wave"), "survey_compare")
    expect(headline(demo)).to_contain_text("differs between 2023 and 2025", timeout=60_000)
    expect(demo.get_by_text("100 replicates, jackknife")).to_be_visible()
    expect(demo.get_by_role("table", name="Differences")).to_contain_text("2025 − 2023")
    settled(demo)
    assert serious(demo) == []
    begin(demo, "Reader survey 2023", ("visits", "age"), "survey_estimate", first=False)
    expect(headline(demo)).to_contain_text("Visits in the last month", timeout=60_000)
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('select[data-option="statistic"]').select_option("quantile")
    expect(headline(demo)).to_contain_text("Median of Visits", timeout=60_000)


def test_a_file_of_ones_own_gets_a_design_and_its_weights_are_not_forgotten(demo: Page, tmp_path: Path) -> None:
    lines = ["person,shore,ferries,uses,weight," + ",".join(f"rep{k + 1}" for k in range(12))]
    for i in range(144):
        w = 20 + (i * 7) % 13
        shore, ferries = ("ness", "strand")[i % 2], (i * 5) % 9 + 3 * (i % 2)
        reps = [0 if k == (i // 2) % 12 else round(w * 12 / 11, 3) for k in range(12)]
        lines.append(
            f"p{i},{shore},{ferries},{'yes' if (i * 11) % 7 < 3 + i % 2 else 'no'},{w}," + ",".join(map(str, reps))
        )
    made = brought(demo, tmp_path / "ferries.csv", lines)
    e = entries(demo)[f"table {made}"]
    steps = [
        {"step": "design", "weight": "weight", "replicates": [f"rep{k + 1}" for k in range(12)], "method": "jk1"}
    ]
    path = f"/api/studies/{e['study']}/tables/{e['id']}/steps"
    call(demo, "PUT", path, {"steps": steps, "label": "Design"})
    begin(demo, made, ("ferries", "shore"), "compare_groups", first=False)
    expect(headline(demo)).to_contain_text("ferries")
    expect(demo.get_by_text("weighted by weight. Here every row counts alike")).to_be_visible()
    demo.get_by_role("button", name="Ask it of the population").click()
    expect(headline(demo)).to_contain_text("differs between ness and strand")
    expect(demo.get_by_text("12 replicates, jackknife")).to_be_visible()
    expect(demo.get_by_text("11 df", exact=True)).to_be_visible()
    begin(demo, made, ("uses", "shore"), "survey_crosstab", first=False)
    expect(headline(demo)).to_contain_text(re.compile("Rao–Scott F"))
    settled(demo)
    assert serious(demo) == []
