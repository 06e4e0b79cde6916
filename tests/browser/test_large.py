"""A large table: the grid scrolls to its last row, long work shows its progress and can be stopped."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import call

ROWS = 1_000_000


def large() -> bytes:
    rng = np.random.default_rng(4)
    y = rng.integers(100, 999, ROWS).astype(str)
    g = rng.integers(0, 4, ROWS).astype(str)
    return b"place,visits\n" + "\n".join(np.char.add(np.char.add(np.char.add("b", g), ","), y)).encode() + b"\n"


def bring_large(page: Page) -> str:
    """A study with a table of a million rows, opened at its grid."""
    study = call(page, "POST", "/api/studies", {"name": "Large"})["id"]
    page.goto(f"/s/{study}/bring")
    page.get_by_label("File to bring in").set_input_files(
        {"name": "large.csv", "mimeType": "text/csv", "buffer": large()}
    )
    expect(page.get_by_role("button", name="Make the table")).to_be_enabled(timeout=60_000)
    page.get_by_role("button", name="Make the table").click()
    expect(page.get_by_role("grid")).to_be_visible(timeout=90_000)
    return str(study)


def test_a_million_rows(page: Page) -> None:
    study = bring_large(page)
    page.get_by_role("grid").focus()
    page.keyboard.press("Control+End")
    expect(page.get_by_role("rowheader", name=str(ROWS), exact=True)).to_be_visible()
    page.keyboard.press("Control+Home")
    expect(page.get_by_role("rowheader", name="1", exact=True)).to_be_visible()
    page.get_by_role("gridcell").first.hover()
    page.mouse.wheel(0, 29 * 500)
    expect(page.get_by_role("rowheader", name="505", exact=True)).to_be_visible()

    # A question of a million rows is a job; its answer comes by itself.
    table = page.url.split("/t/")[1].split("?")[0]
    made = call(
        page,
        "POST",
        f"/api/studies/{study}/questions",
        {"table": table, "method": "compare_groups", "spec": {"response": "visits", "groups": "place"}},
    )
    page.goto(f"/s/{study}/q/{made['id']}")
    expect(page.get_by_test_id("headline")).to_contain_text(re.compile("visits"), timeout=60_000)
    expect(page.get_by_text(re.compile("all 1.000.000 rows"))).to_be_visible()

    # A figure of it is drawn by a worker; so is each change of it, and what it lacks is said in place of a drawing.
    described = {"kind": "groups", "response": "visits", "groups": "place", "show": ["box"]}
    figure = call(page, "POST", f"/api/studies/{study}/figures", {"table": table, "figure": described})
    page.goto(f"/s/{study}/f/{figure['id']}")
    picture = page.locator("figure svg")
    expect(picture).to_be_visible(timeout=60_000)
    page.get_by_label("From", exact=True).first.fill("5000")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert")).to_be_visible(timeout=60_000)
    expect(picture).to_have_count(0)
    page.get_by_role("button", name="Undo").first.click()
    expect(picture).to_be_visible(timeout=60_000)
    page.get_by_label("What the figure shows").select_option(label="how one column is spread")
    expect(page.get_by_text(re.compile("n = 1.000.000")).first).to_be_visible(timeout=60_000)


def test_a_problem_found_in_a_worker_stands_on_the_page(page: Page) -> None:
    study = bring_large(page)
    table = page.url.split("/t/")[1].split("?")[0]
    spec = {"response": "visits", "groups": "place", "where": "visits > 5000"}
    made = call(
        page, "POST", f"/api/studies/{study}/questions", {"table": table, "method": "compare_groups", "spec": spec}
    )
    page.goto(f"/s/{study}/q/{made['id']}")
    expect(page.get_by_role("alert")).to_contain_text("No row has visits > 5000.", timeout=30_000)
    expect(page.get_by_role("progressbar")).to_have_count(0)
