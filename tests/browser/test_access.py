"""axe-core finds nothing serious on any page, and the walk works by keyboard alone."""

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import AXE, ask, call
from tests.conftest import BEARER


def serious(page: Page, scheme: str = "light") -> list[str]:
    """What stands in someone's way. In the dark only the contrast is another."""
    page.evaluate(AXE.read_text(encoding="utf-8"))
    only = ", runOnly: {type: 'rule', values: ['color-contrast']}" if scheme == "dark" else ""
    found = page.evaluate(f"axe.run(document, {{resultTypes: ['violations']{only}}})")
    return [
        f"{v['id']}: {n['html'][:160]} {n['failureSummary'][:200]}"
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
        for n in v["nodes"][:3]
    ]


def links(page: Page) -> dict[str, str]:
    study = page.url.split("/s/")[1].split("/")[0]
    entries = call(page, "GET", f"/api/studies/{study}")["entries"]
    letter = {"table": "t", "question": "q", "figure": "f", "report": "r"}
    first: dict[str, str] = {"overview": f"/s/{study}", "bring": f"/s/{study}/bring"}
    for e in entries:
        first.setdefault(e["type"], f"/s/{study}/{letter[e['type']]}/{e['id']}")
        if e["name"].startswith("Minutes, pages"):
            first["describe"] = f"/s/{study}/q/{e['id']}"
    first["summary"] = first["table"] + "?view=summary"
    first["dictionary"] = first["table"] + "?view=dictionary"
    first["ask"] = first["table"].replace("/t/", "/ask/")
    return first


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_nothing_serious_on_any_page(demo: Page, scheme: str) -> None:
    demo.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
    troubles = {}
    for name, path in [("studies", "/"), *links(demo).items(), ("method", "/methods/compare_groups")]:
        demo.goto(path)
        demo.wait_for_load_state("networkidle")
        if found := serious(demo, scheme):
            troubles[name] = found
    assert troubles == {}


def test_open_slots_menus_and_dialogs_have_nothing_serious(demo: Page) -> None:
    found = links(demo)
    demo.goto(found["question"])
    demo.locator('[data-slot="Measurement"]').click()
    assert serious(demo) == []
    demo.keyboard.press("Escape")
    demo.get_by_role("button", name="Change settings").click()
    assert serious(demo) == []
    demo.keyboard.press("Escape")
    demo.get_by_test_id("headline").click()
    demo.keyboard.press("/")
    demo.get_by_role("dialog").wait_for()
    assert serious(demo) == []
    demo.goto(found["table"])
    demo.get_by_role("button", name="Add a step", exact=True).click()
    demo.get_by_role("option", name=re.compile("^Keep the rows")).click()
    assert serious(demo) == []


STEPS = (
    "recode",
    "join the columns",
    "summarise",
    "empty",
    "lengthen",
    "survey waves",
    "edit cells",
    "label the levels",
)


def test_preparing_has_nothing_serious(demo: Page) -> None:
    table = links(demo)["table"]
    demo.goto(table)
    demo.get_by_role("button", name="Add a step", exact=True).click()
    demo.locator("[data-step-kind]").first.wait_for()
    troubles = {"list": serious(demo)}
    for words in STEPS:
        demo.get_by_label("Find a step").fill(words)
        demo.locator("[data-step-kind]").first.click()
        demo.get_by_role("button", name="Add the step").wait_for()
        troubles[words] = serious(demo)
        demo.get_by_role("button", name="Cancel", exact=True).click()
        demo.get_by_role("button", name="Add a step", exact=True).click()
    demo.keyboard.press("Escape")
    demo.get_by_label("Find in the rows").fill("garden")
    demo.get_by_role("button", name="Filter", exact=True).click()
    troubles["tools"] = serious(demo)
    demo.get_by_role("button", name="History of the study").click()
    demo.get_by_role("dialog").wait_for()
    troubles["history"] = serious(demo)
    demo.keyboard.press("Escape")
    demo.goto(table + "?view=dictionary")
    demo.get_by_role("button", name="Paste labels from a sheet").click()
    troubles["paste"] = serious(demo)
    assert {k: v for k, v in troubles.items() if v} == {}


def tab_to(page: Page, wanted: str, most: int = 120) -> None:
    """Moves focus by Tab alone until the focused element's name matches."""
    for _ in range(most):
        page.keyboard.press("Tab")
        name = page.evaluate(
            "(document.activeElement.getAttribute('aria-label') ?? document.activeElement.innerText ?? '').trim()"
        )
        if re.search(wanted, name):
            return
    raise AssertionError(f"Tab never reached {wanted!r}")


def test_the_walk_by_keyboard_alone(page: Page) -> None:
    tab_to(page, "^New study$")
    page.keyboard.press("Enter")
    page.get_by_text("This study is empty").wait_for()
    page.keyboard.press("n")
    page.keyboard.press("t")
    page.get_by_role("heading", name="Bring in a table").wait_for()
    tab_to(page, "^Choose a file$")
    page.keyboard.press("Tab")
    page.keyboard.insert_text("g\ty\n" + "".join(f"{'abc'[i % 3]}\t{i * 7 % 11 + 3 * (i % 3)}\n" for i in range(40)))
    tab_to(page, "^Use the pasted cells$")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Make the table").wait_for()
    tab_to(page, "^Make the table$")
    page.keyboard.press("Enter")
    page.get_by_role("grid").wait_for()

    tab_to(page, "^Add a step$")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="Find a step").wait_for()
    page.keyboard.type("keep rows where")
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Condition")).to_be_focused()
    page.keyboard.type("y > 2")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile("40 → \\d+ rows")).first).to_be_visible()

    tab_to(page, "^Ask about this table$")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name=re.compile("^Ask about")).wait_for()
    tab_to(page, "^Does a measure differ")
    page.keyboard.press("Enter")
    page.get_by_test_id("sentence").wait_for()
    for slot, column in (("Measurement", "y"), ("Groups", "g")):
        page.keyboard.press("e") if slot == "Measurement" else tab_to(page, "^Groups: choose")
        page.keyboard.press("Enter")
        page.get_by_role("combobox", name=f"Search columns for {slot}").wait_for()
        page.keyboard.type(column)
        page.keyboard.press("Enter")
    expect(page.get_by_test_id("headline")).to_contain_text("by g")
    page.keyboard.press("a")
    expect(page.get_by_text("Added to Report").last).to_be_visible()
    tab_to(page, "^Draw as a figure$")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Appearance").wait_for()
    page.get_by_role("img").wait_for()
    page.keyboard.press("a")
    page.keyboard.press("g")
    page.keyboard.press("r")
    page.get_by_role("textbox", name="The report's text").wait_for()
    tab_to(page, "^Move y by g down$")
    page.keyboard.press("Enter")
    tab_to(page, "^PDF$")
    with page.expect_download() as saved:
        page.keyboard.press("Enter")
    assert saved.value.suggested_filename.endswith(".pdf")


def test_keys_are_listed(demo: Page) -> None:
    demo.get_by_role("heading", name="What it says so far").click()
    demo.keyboard.press("?")
    expect(demo.get_by_role("dialog", name="Keys")).to_contain_text("undo, anywhere")
    demo.keyboard.press("Escape")
    demo.keyboard.press("g")
    demo.keyboard.press("f")
    expect(demo.get_by_role("heading", name="Appearance")).to_be_visible()
    demo.keyboard.press("]")
    expect(demo.locator('[data-slot="Along"]')).to_be_visible()
    demo.keyboard.press("g")
    demo.keyboard.press("r")
    expect(demo.get_by_role("textbox", name="The report's text")).to_be_visible()


def test_a_column_is_dragged_into_a_slot(demo: Page) -> None:
    demo.goto(links(demo)["question"])
    expect(demo.locator("[data-check]").first).to_be_visible()  # checks that come in would move the list
    expect(demo.locator("article svg").first).to_be_visible()
    demo.get_by_text("Columns to drag into the sentence").click()
    demo.get_by_role("listitem").filter(has_text=re.compile("^pages$")).drag_to(
        demo.locator('[data-slot="Measurement"]')
    )
    expect(demo.get_by_test_id("headline")).to_contain_text("pages read in one visit")


def test_a_draft_survives_a_reload(demo: Page) -> None:
    demo.goto(links(demo)["table"])
    demo.get_by_role("button", name="Add a step", exact=True).click()
    demo.get_by_role("option", name=re.compile("^Compute .* as")).click()
    demo.get_by_label("Name of the new column").fill("half")
    demo.get_by_label("Expression").fill("minutes / 2")
    demo.reload()
    expect(demo.get_by_label("Expression")).to_have_value("minutes / 2")
    expect(demo.get_by_label("Name of the new column")).to_have_value("half")


def test_a_page_that_breaks_leaves_the_rest_standing(browser: Browser, address: str) -> None:
    """A state that no page can draw: the words say so, the contents stay, the other pages work."""
    context = browser.new_context(
        base_url=address, extra_http_headers=BEARER, viewport={"width": 1280, "height": 800}
    )
    page = context.new_page()
    study = ask(address, "POST", "/api/studies/demo")["id"]
    entries = ask(address, "GET", f"/api/studies/{study}")["entries"]
    question = next(e["id"] for e in entries if e["type"] == "question")
    state = ask(address, "GET", f"/api/studies/{study}/questions/{question}")
    page.route(f"**/questions/{question}", lambda route: route.fulfill(json={**state, "spec": None}))
    page.goto(f"/s/{study}/q/{question}")
    expect(page.get_by_role("heading", name="This page could not be shown")).to_be_visible()
    expect(page.get_by_role("link", name="Room trial")).to_be_visible()
    page.get_by_role("link", name="To the study").click()
    expect(page.get_by_role("heading", name="What it says so far")).to_be_visible()
    context.close()
