"""Designs with units within units, as researchers ask about them: from columns, by clicks, into table and report."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.test_access import serious
from tests.browser.test_models import chip, headline, settled
from tests.browser.test_testing import ask, entries, fill, open_question


def units(page: Page, name: str):  # type: ignore[no-untyped-def]
    return page.locator(f'[data-units="{name}"]')


def test_a_split_plot_from_its_columns(demo: Page) -> None:
    e = entries(demo)["table Quiet desks"]
    demo.goto(f"/s/{e['study']}/ask/{e['id']}")
    for column in ("pages", "hall", "lamp", "noise"):
        demo.get_by_role("checkbox", name=re.compile(f"^{column}")).check()
    first = demo.locator("[data-method]").first
    expect(first).to_have_attribute("data-method", "mixed")
    first.click()
    # The table reads halls as units, and asks what was given to whole plots.
    expect(headline(demo)).to_contain_text("belongs to hall")
    expect(demo.get_by_text("Was one of the terms given to whole plots")).to_be_visible()
    demo.get_by_role("button", name="Lamp to whole plots").click()
    expect(units(demo, "hall*lamp")).to_have_text("lamp within hall")
    expect(headline(demo)).to_contain_text("F(2, 10)")
    expect(demo.locator('[data-block="terms"]')).to_contain_text("scatter of hall × lamp")
    # The chip takes it out of the hall and back in.
    units(demo, "hall*lamp").click()
    demo.get_by_role("button", name="Hall", exact=True).click()
    expect(demo.get_by_text("stands among the terms and names units too")).to_be_visible()
    demo.get_by_role("button", name="Hall", exact=True).click()
    demo.keyboard.press("Escape")
    expect(headline(demo)).to_contain_text("F(2, 10)")
    # Critical values by simulation, and more draws.
    demo.get_by_role("button", name="Change settings").click()
    demo.get_by_label("Term that is judged by simulation").select_option(label="Lamp")
    expect(demo.get_by_text("By simulation: Lamp")).to_be_visible()
    expect(demo.locator('[data-block="simulated"]')).to_contain_text("5 % textbook")
    demo.get_by_role("button", name="Add 1000 draws").click()
    expect(demo.get_by_text("1999 draws from the model without lamp")).to_be_visible()
    demo.get_by_role("button", name="Close settings").click()
    settled(demo)
    assert serious(demo) == []
    demo.get_by_role("button", name="Add its columns to the table").click()
    demo.get_by_role("button", name="Show it").click()
    expect(demo.get_by_text("effect, lamp in hall").first).to_be_visible()


def test_a_covariance_is_taken_by_a_click_and_taken_back(demo: Page) -> None:
    open_question(demo, "Tutoring week by week")
    expect(headline(demo)).to_contain_text("Toeplitz")
    table = demo.locator('[data-block="covariances"]')
    table.get_by_role("button", name=re.compile("^Compound")).click()
    expect(headline(demo)).to_contain_text("belongs to child")
    demo.get_by_role("button", name="Undo").click()
    expect(headline(demo)).to_contain_text("Toeplitz")
    # What is between and within, the tabs of the comparisons, and the way into the report.
    demo.get_by_role("tab", name=re.compile("within")).first.click()
    expect(demo.get_by_text("adjusted p").first).to_be_visible()
    demo.get_by_role("button", name="Add to report").click()
    expect(demo.get_by_text(re.compile("Added to"))).to_be_visible()


def test_own_data_with_slopes(demo: Page, tmp_path: Path) -> None:
    """A file of one's own: lambs weighed by week, with a slope for each."""
    import numpy as np

    rng = np.random.default_rng(3)
    lamb, week = np.repeat(np.arange(15), 6), np.tile(np.arange(6), 15)
    weight = 4 + rng.normal(0, 0.5, 15)[lamb] + (0.8 + rng.normal(0, 0.15, 15)[lamb]) * week + rng.normal(0, 0.3, 90)
    lines = ["lamb,week,weight", *(f"L{a},{w},{x:.2f}" for a, w, x in zip(lamb, week, weight, strict=True))]
    file = tmp_path / "lambs.csv"
    file.write_text("\n".join(lines))
    study = demo.url.split("/s/")[1].split("/")[0]
    demo.goto(f"/s/{study}/bring")
    demo.get_by_label("File to bring in").set_input_files(file)
    demo.get_by_role("button", name="Make the table").click()
    expect(demo.get_by_role("grid")).to_be_visible()
    expect(demo.get_by_text(re.compile("90 rows")).first).to_be_visible()
    made = next(k for k in entries(demo) if k.lower().startswith("table lambs"))
    ask(demo, made.removeprefix("table "), "mixed")
    fill(demo, "Response", "weight")
    fill(demo, "Terms", "week")
    fill(demo, "Units", "lamb")
    expect(headline(demo)).to_contain_text("Weight goes with week")
    units(demo, "lamb").click()
    demo.get_by_role("dialog").get_by_role("button", name="week", exact=True).last.click()
    demo.keyboard.press("Escape")
    expect(demo.locator('[data-block="variances"]')).to_contain_text("slope of week")
    expect(chip(demo, "week")).to_be_visible()
