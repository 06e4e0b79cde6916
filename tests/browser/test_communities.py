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
    demo.get_by_role("table", name="All pairs").get_by_role("button", name=re.compile("^harbour")).click()
    expect(headline(demo)).to_contain_text("Communities differ between harbour and hill (site)")


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


def test_one_of_four_pictures_is_taken_and_two_samples_are_compared(demo: Page) -> None:
    begin(demo, "Genre loans", (*SOME, "site"), "ordination")
    expect(headline(demo)).to_contain_text("in 2 dimensions have a stress of")
    beside = demo.get_by_role("group", name="The same under other settings")
    expect(beside.get_by_role("button", pressed=True)).to_contain_text("as counted")
    beside.get_by_role("button", name=re.compile("fourth roots")).click()
    expect(beside.get_by_role("button", pressed=True)).to_contain_text("fourth roots")
    expect(demo.get_by_role("banner").or_(demo.locator("header")).get_by_text("fourth roots").first).to_be_visible()
    dots = (
        demo.get_by_role("img", name=re.compile("24 samples on Axis 1"))
        .locator(".mark-symbol.role-mark")
        .last.locator("path")
    )
    dots.nth(2).click()
    expect(demo.get_by_role("table", name="hill 3 beside the mean of all")).to_be_visible()
    settled(demo)
    dots.nth(19).click()
    expect(demo.get_by_role("table", name="hill 3 beside harbour 8")).to_be_visible()
    settled(demo)
    demo.get_by_role("button", name="Mirror axis 1").click()
    expect(demo.get_by_role("button", name="Mirror axis 1", pressed=True)).to_be_visible()
    settled(demo)
    assert serious(demo) == []
    demo.get_by_role("button", name="Show their rows").click()
    expect(demo).to_have_url(re.compile(r"rows=3,20"))


def test_an_index_goes_into_a_comparison_and_a_table_becomes_data(demo: Page) -> None:
    begin(demo, "Genre loans", (*SOME, "site"), "diversity", first=False)
    expect(headline(demo)).to_contain_text("taxa each")
    here = demo.url
    demo.get_by_role("button", name=re.compile("^Shannon")).click()
    expect(headline(demo)).to_contain_text("Mean shannon")
    expect(headline(demo)).to_contain_text("by site")
    demo.goto(here)
    demo.get_by_role("button", name=re.compile("^Simpson")).click()  # its columns are there already
    expect(headline(demo)).to_contain_text("Mean simpson")
    demo.goto(here)
    demo.get_by_role("table", name="Groups", exact=True).hover()
    demo.get_by_role("button", name="As a table: Groups").click()
    demo.get_by_role("button", name="Show it").last.click()
    expect(demo.get_by_text("From an answer: the table groups")).to_be_visible()
    expect(demo.get_by_text(re.compile("2 rows, .* columns")).first).to_be_visible()


def test_columns_of_a_file_of_ones_own_tell_groups_apart(demo: Page, tmp_path: Path) -> None:
    lines = ["bird,island,wing,bill,tail"]
    for k in range(36):
        island = ("Aller", "Brenn", "Corse")[k % 3]
        wing = 60 + 3 * (k % 3) + (k * 7) % 5
        lines.append(f"b{k},{island},{wing}.5,{12 + (k % 3 == 1) + ((k * 5) % 7) / 4:.2f},{40 + (k * 11) % 13}")
    made = brought(demo, tmp_path / "birds.csv", lines)
    begin(demo, made, ("wing", "bill", "tail", "island"), "discriminant", first=False)
    expect(headline(demo)).to_contain_text("tell Aller, Brenn and Corse (island) apart (Wilks’ Λ")
    expect(demo.get_by_role("table", name="Each row placed without it")).to_be_visible()
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('select[data-option="prior"]').select_option("observed")
    expect(demo.get_by_text("prior as in these rows")).to_be_visible()
    demo.get_by_role("button", name="Close settings").click()
    demo.get_by_role("button", name="Add its columns to the table").click()
    expect(demo.get_by_text("Added to the table")).to_be_visible()
    settled(demo)
    assert serious(demo) == []
