"""Two windows on one entry: both changes are kept, or both are shown."""

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import call
from tests.browser.test_pages import open_entry


def second(page: Page) -> Page:
    """Another window on the same address."""
    other = page.context.new_page()
    other.goto(page.url)
    return other


def begun(page: Page) -> None:
    """A report with two paragraphs, saved."""
    study = page.url.split("/s/")[1].split("/")[0]
    made = call(page, "POST", f"/api/studies/{study}/reports", {"name": "Draft", "template": "empty"})
    page.goto(f"{page.url}/r/{made['id']}")
    text = page.get_by_label("The report's text")
    text.click()
    page.keyboard.type("We found nothing.")
    page.keyboard.press("Enter")
    page.keyboard.type("The end.")
    expect(page.get_by_text("Saved", exact=True)).to_be_visible()


def test_two_windows_write_in_different_paragraphs(demo: Page) -> None:
    begun(demo)
    other = second(demo)
    expect(other.get_by_label("The report's text")).to_contain_text("The end.")
    other.get_by_text("The end.").click()
    other.keyboard.press("End")
    other.keyboard.type(" Truly.")
    expect(other.get_by_text("Saved", exact=True)).to_be_visible()
    demo.get_by_text("We found nothing.").click()
    demo.keyboard.press("Home")
    demo.keyboard.type("So far: ")
    expect(demo.get_by_label("The report's text")).to_contain_text("The end. Truly.")
    demo.reload()
    expect(demo.get_by_label("The report's text")).to_contain_text("So far: We found nothing.The end. Truly.")


def test_two_windows_write_the_same_words_otherwise_and_neither_is_lost(demo: Page) -> None:
    begun(demo)
    other = second(demo)
    other.get_by_text("nothing").dblclick()
    other.get_by_text("We found nothing.").click(click_count=3)
    other.keyboard.type("We found much.")
    expect(other.get_by_text("Saved", exact=True)).to_be_visible()
    demo.get_by_text("We found nothing.").click(click_count=3)
    demo.keyboard.type("We found little.")
    asked = demo.get_by_role("dialog", name=re.compile("was changed in another window"))
    expect(asked.get_by_role("row", name=re.compile("Paragraph 2"))).to_contain_text("much")
    expect(asked).to_contain_text("We found little.")
    asked.get_by_role("button", name=re.compile("^Keep both")).click()
    expect(demo.get_by_label("The report's text")).to_contain_text("We found much.")
    demo.get_by_role("link", name=re.compile(r"Draft \(my text\)")).click()
    expect(demo.get_by_label("The report's text")).to_contain_text("We found little.")


def test_words_that_waited_in_a_closed_window_do_not_cover_newer_ones(demo: Page) -> None:
    begun(demo)
    other = second(demo)
    other.route("**/reports/*", lambda route: route.abort() if route.request.method == "PUT" else route.continue_())
    other.get_by_text("We found nothing.").click()
    other.keyboard.press("End")
    other.keyboard.type(" Perhaps.")
    expect(other.get_by_text(re.compile("kept in this browser"))).to_be_visible()
    other.close(run_before_unload=False)
    demo.get_by_text("The end.").click()
    demo.keyboard.press("End")
    demo.keyboard.type(" Newer.")
    expect(demo.get_by_text("Saved", exact=True)).to_be_visible()
    again = second(demo)
    expect(again.get_by_label("The report's text")).to_contain_text("The end. Newer.")
    expect(again.get_by_label("The report's text")).to_contain_text("Perhaps.")


def test_a_question_changed_in_two_windows(demo: Page) -> None:
    open_entry(demo, "^Minutes by room means")
    demo.get_by_test_id("headline").wait_for()
    other = second(demo)
    for page, value in ((other, "0.01"), (demo, "0.1")):
        page.get_by_role("button", name="Change settings").click()
        page.locator('[data-option="alpha"]').fill(value)
        page.locator('[data-option="alpha"]').press("Enter")
        if page is other:
            expect(page.locator('[data-option="alpha"]')).to_have_value("0.01")
            page.wait_for_load_state("networkidle")
    asked = demo.get_by_role("dialog", name=re.compile("was changed in another window"))
    expect(asked.get_by_role("row", name=re.compile("alpha"))).to_contain_text("0.01")
    asked.get_by_role("button", name="Keep what is here").click()
    expect(asked).to_have_count(0)
    demo.reload()
    expect(demo.get_by_text(re.compile(r"α\s=\s\.1|90 %")).first).to_be_visible()
