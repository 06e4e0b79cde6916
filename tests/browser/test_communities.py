"""Communities by real clicks: taxa that make groups differ, and the test of the groups."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.test_access import serious
from tests.browser.test_change import begin, brought
from tests.browser.test_models import headline, settled

SOME = tuple(f"genre {k:02d}" for k in (1, 2, 3, 4, 5, 6, 7, 18, 22, 25))


def test_taxa_are_named_up_to_a_line_that_is_moved(demo: Page) -> None:
    begin(demo, "Genre loans", (*SOME, "site"), "contributions", first=False)
    expect(headline(demo)).to_contain_text("Samples of harbour and hill differ by")
    line = demo.get_by_role("slider").first
    line.focus()
    for _ in range(4):
        line.press("ArrowDown")
    expect(demo.get_by_text("named up to 66%")).to_be_visible()
    expect(demo.get_by_text(re.compile("In bold the . taxa up to 66%"))).to_be_visible()
    settled(demo)
    assert serious(demo) == []


def test_groups_of_a_file_of_ones_own_are_tested_within_blocks(demo: Page, tmp_path: Path) -> None:
    lines = ["night,shore,moth a,moth b,moth c,moth d,moth e"]
    for k in range(18):
        shore = "ness" if k % 2 else "strand"
        own = [(k * 7) % 5, (k * 3) % 4 + 6 * (k % 2), (k * 5) % 3, 0 if k % 3 else 4, 9 - 8 * (k % 2)]
        lines.append(f"n{k // 2},{shore}," + ",".join(map(str, own)))
    made = brought(demo, tmp_path / "moths.csv", lines)
    begin(demo, made, ("moth a", "moth b", "moth c", "moth d", "moth e", "shore"), "community_test", first=False)
    expect(headline(demo)).to_contain_text("Communities differ between ness and strand (shore)")
    demo.get_by_role("button", name="Change settings").click()
    demo.get_by_label("Exchanged within").select_option("night")
    expect(demo.get_by_text("within 9 blocks of night")).to_be_visible()
    demo.locator('select[data-option="transform"]').select_option("fourth_root")
    expect(demo.get_by_text("fourth roots").first).to_be_visible()
    settled(demo)
    assert serious(demo) == []


def test_a_picture_with_arrows_then_a_tree_that_is_cut(demo: Page) -> None:
    begin(demo, "Genre loans", (*SOME, "site"), "ordination")
    expect(headline(demo)).to_contain_text("in 2 dimensions have a stress of")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('select[data-option="kind"]').select_option("principal_coordinates")
    expect(headline(demo)).to_contain_text("Axes 1 and 2 hold")
    demo.get_by_role("button", name="Close settings").click()
    demo.get_by_role("button", name="Add its columns to the table").click()
    expect(demo.get_by_text("Added to the table")).to_be_visible()
    begin(demo, "Genre loans", SOME, "clustering", first=False)
    expect(headline(demo)).to_contain_text("samples fall into")
    line = demo.get_by_role("slider", name=re.compile("Cut"))
    line.focus()
    line.press("Home")
    expect(headline(demo)).to_contain_text("fall into 24 clusters")
    demo.get_by_role("button", name="Undo").click()
    settled(demo)
    assert serious(demo) == []
