"""Scales and items by real clicks: blocks of columns in one sweep, lines that are dragged, names that are changed in
place."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious
from tests.browser.test_change import begin, brought
from tests.browser.test_models import headline, settled
from tests.browser.test_testing import entries, open_question


def nudge(page: Page, name: str, key: str, times: int = 1) -> None:
    """A line moved by keys."""
    line = page.get_by_role("slider", name=name)
    line.focus()
    for _ in range(times):
        line.press(key)


def test_factors_as_a_string_of_judgements(demo: Page) -> None:
    begin(demo, "Reading motives", tuple(f"m{j}" for j in range(1, 9)), "factor_analysis")
    # The other items of the block come by a click; Shift takes a range back in.
    demo.locator('[data-slot="Items"]').click()
    demo.get_by_role("button", name="And the 4 like these").click()
    demo.get_by_role("button", name="Done").click()
    expect(demo.locator('[data-slot="Items"]')).to_have_text("m1 … m12")
    expect(headline(demo)).to_contain_text("Two factors carry 41.8% of what 12 items vary by")
    loadings = demo.locator('[data-block="loadings"]')
    expect(loadings.locator("tbody tr").first).to_contain_text("A good story takes me somewhere else")
    # Small loadings hidden by the line, one more factor by a row, back by undo.
    nudge(demo, "Hide loadings below", "Home")
    expect(loadings.get_by_text("−.11")).to_be_visible()
    demo.get_by_role("button", name="Undo").click()
    expect(loadings.get_by_text("−.11")).to_have_count(0)
    nudge(demo, "Number of factors", "ArrowRight")
    expect(headline(demo)).to_contain_text("Three factors carry")
    demo.locator('[data-block="numbers"]').get_by_role("button", name=re.compile("^2")).click()
    expect(headline(demo)).to_contain_text("Two factors carry")
    # A name is changed in place, and followed everywhere.
    demo.locator('[data-block="factors"]').get_by_role("button", name="Factor 1").click()
    demo.get_by_label("Name of this factor").fill("Escape")
    demo.get_by_label("Name of this factor").press("Enter")
    expect(headline(demo)).to_contain_text("Escape is marked by")
    expect(loadings.get_by_role("columnheader", name="Escape")).to_be_visible()
    demo.get_by_role("button", name="Without m12").click()
    expect(headline(demo)).to_contain_text("11 items")
    settled(demo)
    assert serious(demo) == []
    demo.get_by_role("button", name="Add its columns to the table").click()
    demo.get_by_role("button", name="Show it").click()
    e = entries(demo)["table Reading motives"]
    told = call(demo, "GET", f"/api/studies/{e['study']}/tables/{e['id']}")
    assert {"Escape", "factor_2"} <= {c["name"] for c in told["table"]["columns"]}


def test_a_range_of_items_in_one_sweep(demo: Page) -> None:
    begin(demo, "Word quiz", ("item1", "item2", "item3"), "item_response")
    demo.locator('[data-slot="Items"]').click()
    demo.locator('[data-column="item4"]').click()
    demo.locator('[data-column="item9"]').click(modifiers=["Shift"])
    demo.get_by_role("button", name="Done").click()
    expect(demo.locator('[data-slot="Items"]')).to_have_text("item1 … item9")
    expect(headline(demo)).to_contain_text("“What is a bookmark?” is the easiest")


def test_a_range_of_columns_on_the_page_of_questions(demo: Page) -> None:
    e = entries(demo)["table Word quiz"]
    demo.goto(f"/s/{e['study']}/ask/{e['id']}")
    demo.get_by_role("checkbox", name=re.compile("^item2 ")).check()
    demo.get_by_role("checkbox", name=re.compile("^item5 ")).click(modifiers=["Shift"])
    expect(demo.get_by_role("heading", name="Questions for item2, item3, item4 and item5")).to_be_visible()
    demo.get_by_role("button", name="And the 5 like these").click()
    expect(demo.get_by_role("heading", name=re.compile("item1, item6, item7, item8 and item9"))).to_be_visible()
    expect(demo.locator("[data-method]").first).to_have_attribute("data-method", "item_response")


def test_the_quiz_its_curves_and_its_models(demo: Page) -> None:
    open_question(demo, "How the quiz measures")
    rows = demo.locator('[data-block="estimates"]')
    quire = rows.get_by_role("button", name=re.compile("^What is a quire"))
    expect(quire).to_have_attribute("aria-pressed", "false")
    quire.click()
    expect(quire).to_have_attribute("aria-pressed", "true")
    read = demo.locator('[data-block="read_off"]')
    expect(read).to_contain_text("0.80")
    nudge(demo, "At ability", "ArrowLeft", 3)
    expect(read).to_contain_text("0.50")
    nudge(demo, "At score", "ArrowUp", 2)
    expect(read.locator("tbody tr")).to_have_count(2)
    demo.locator('[data-block="models"]').get_by_role("button", name=re.compile("^One parameter")).click()
    expect(demo.get_by_text("One discrimination is estimated for all items")).to_be_visible()
    expect(
        demo.get_by_role("button", name="Let discriminations differ").or_(demo.get_by_text("S-χ² finds no departure"))
    ).to_be_visible()
    demo.get_by_role("button", name="Undo").click()
    demo.get_by_role("button", name="Change settings").click()
    demo.get_by_label("Estimates").select_option(label="grouped by parameter")
    expect(rows.locator("tbody tr")).to_have_count(18)
    demo.get_by_role("button", name="Close settings").click()
    settled(demo)
    assert serious(demo) == []
    open_question(demo, "Three models of the quiz")
    expect(demo.get_by_text("And discrimination").first).to_be_visible()
    expect(demo.get_by_text(re.compile("8921"))).to_be_visible()


def test_answers_in_words_on_a_file_of_ones_own(demo: Page, tmp_path: Path) -> None:
    import numpy as np

    rng = np.random.default_rng(4)
    theta = rng.normal(size=250)
    lines = ["pupil,capital,river,bird"]
    for i, t in enumerate(theta):
        told = [("Aldmere", "Corrin", "Garrow"), ("Fenwick", "Holl", "Isker"), ("wren", "rook", "tern")]
        said = [
            w[0] if rng.random() < 1 / (1 + np.exp(-1.5 * (t - b))) else w[int(rng.integers(1, 3))]
            for w, b in zip(told, (-0.5, 0, 0.5), strict=True)
        ]
        lines.append(f"P{i:03},{','.join(said)}")
    made = brought(demo, tmp_path / "places.csv", lines)
    e = entries(demo)[f"table {made}"]
    demo.goto(f"/s/{e['study']}/ask/{e['id']}")
    for column in ("capital", "river", "bird"):
        demo.get_by_role("checkbox", name=re.compile(f"^{column} [a-z/]+$")).check()
    demo.get_by_role("button", name="What do capital, river, bird").click()
    expect(demo.get_by_text("say under “Right answers” which is right").first).to_be_visible()
    demo.get_by_role("button", name="Change settings").click()
    for item, answer in (("capital", "Aldmere"), ("river", "Fenwick"), ("bird", "wren")):
        demo.get_by_label(f"Right answer to {item}").select_option(label=answer)
    expect(headline(demo)).to_contain_text("Three items tell people apart best")
    expect(headline(demo)).to_contain_text("“capital” is the easiest")
    expect(demo.get_by_text("3 items scored by the key")).to_be_visible()


def test_components_and_raters(demo: Page) -> None:
    open_question(demo, "Pace and its company, summed up")
    demo.get_by_role("button", name="Take 1", exact=True).click()
    expect(headline(demo)).to_contain_text("One component sums up 45.9%")
    demo.get_by_role("button", name="Undo").click()
    begin(demo, "Returned books", ("ines", "oskar", "petra"), "agreement")
    expect(headline(demo)).to_contain_text("All 3 raters gave the same answer to 36.1% of 72 subjects")
    demo.get_by_role("tab", name="ines, petra").click()
    settled(demo)
    assert serious(demo) == []
