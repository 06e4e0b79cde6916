"""Figures and reports that go to print: worked on, marked, captioned, quoted, saved."""

import re
from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, Response, Route, expect

from tests.browser.conftest import answered, call
from tests.browser.test_access import serious
from tests.browser.test_testing import entries, open_question, turn_to


def open_figure(page: Page, name: str) -> None:
    e = entries(page)[f"figure {name}"]
    turn_to(page, f"/s/{e['study']}/f/{e['id']}")
    expect(page.locator("figure svg").first).to_be_visible()


def open_report(page: Page) -> Locator:
    e = entries(page)["report Draft for the board"]
    turn_to(page, f"/s/{e['study']}/r/{e['id']}")
    editor = page.get_by_role("textbox", name="The report's text")
    expect(editor.locator("[data-live]").first).to_be_visible()
    return editor


def at_the_end(page: Page, editor: Locator) -> None:
    editor.click()
    page.keyboard.press("Control+End")


def saved(page: Page) -> None:
    expect(page.get_by_text("Saved", exact=True)).to_be_visible()


FIGURES = ["Minutes by room", "Visits over floor area", "Tutoring week by week", "Cards by age"]


@pytest.mark.parametrize("name", FIGURES)
def test_the_picture_is_the_same_here_and_on_the_server(demo: Page, name: str) -> None:
    """The browser's drawing and the server's SVG: the same words at the same places, the same marks."""
    open_figure(demo, name)
    e = entries(demo)[f"figure {name}"]
    server = answered(demo, "GET", f"/api/studies/{e['study']}/figures/{e['id']}/image.svg").decode()
    found = demo.evaluate(READ, [server])
    assert found["here"]["marks"] == found["there"]["marks"] and found["here"]["marks"]["path"] > 5
    here, there = sorted(found["here"]["words"]), sorted(found["there"]["words"])
    assert [w[0] for w in here] == [w[0] for w in there]
    for (word, x, y), (_, u, v) in zip(here, there, strict=True):
        assert abs(x - u) < 6 and abs(y - v) < 6, word


READ = """([server]) => {
  const of = (svg) => {
    document.body.appendChild(svg);
    const box = svg.getBoundingClientRect();
    const scale = svg.viewBox.baseVal.width / box.width;
    const words = [...svg.querySelectorAll("text")].filter((t) => t.textContent.trim() && getComputedStyle(t).opacity !== "0").map((t) => {
      const m = t.getCTM(), s = svg.getCTM();
      const p = new DOMPoint(0, 0).matrixTransform(s.inverse().multiply(m));
      return [t.textContent, Math.round(p.x), Math.round(p.y)];
    });
    const marks = {};
    for (const tag of ["path", "line"]) marks[tag] = [...svg.querySelectorAll(tag)].filter((e) => e.closest(".mark-symbol, .mark-rect, .mark-line, .mark-area, .mark-rule")).length;
    svg.remove();
    return { words, marks };
  };
  const own = document.querySelector("figure svg").cloneNode(true);
  own.style.width = own.viewBox.baseVal.width + "px";
  const other = new DOMParser().parseFromString(server, "image/svg+xml").documentElement;
  return { here: of(own), there: of(document.importNode(other, true)) };
}"""


def test_a_figure_is_built_from_its_sentence(demo: Page) -> None:
    table = entries(demo)["table Winter challenge"]
    demo.goto(f"/s/{table['study']}/t/{table['id']}")
    demo.get_by_role("button", name="Draw a figure").click()
    expect(demo.get_by_text("Choose a measure and groups.")).to_be_visible()
    demo.get_by_label("What the figure shows").select_option("shares")
    for slot, column in (("Levels", "card"), ("Groups", "age_group"), ("Panel", "finished")):
        demo.locator(f'[data-slot="{slot}"]').click()
        demo.locator(f'[data-column="{column}"]').click()
    expect(demo.locator("figure svg")).to_contain_text("under 12")
    demo.locator('[data-slot="Drawn as"]').click()
    demo.locator('[data-layer="dots"]').click()
    demo.keyboard.press("Escape")
    expect(demo.get_by_test_id("caption")).to_contain_text(
        "Points show shares, bars their 95% score intervals (Wilson)."
    )
    # Another kind keeps the columns that fit it.
    demo.get_by_label("What the figure shows").select_option("spread")
    expect(demo.locator('[data-slot="Panel"]')).to_contain_text("finished the challenge")
    demo.locator('[data-slot="Measurement"]').click()
    demo.locator('[data-column="minutes"]').click()
    expect(demo.get_by_test_id("caption")).to_contain_text("Bars count rows")
    demo.get_by_text("The data behind it, and in words").click()
    expect(demo.get_by_role("columnheader", name="Rows", exact=True)).to_be_visible()
    assert serious(demo) == []


def kept(page: Page, shows: Callable[[Any], object] = bool) -> AbstractContextManager[object]:
    """What is done inside is kept on the server, in a figure that shows it, when it ends."""

    def keeps(response: Response) -> bool:
        sent = response.request
        return "/figures/" in response.url and sent.method == "PATCH" and bool(shows(sent.post_data_json))

    return page.expect_response(keeps)


def test_brackets_lines_notes_and_the_way_back(demo: Page) -> None:
    open_figure(demo, "Minutes by room")
    expect(demo.get_by_test_id("caption")).to_contain_text("Brackets show p by Games–Howell")
    demo.get_by_label("Alcove – Gallery").check()
    expect(demo.locator("figure svg")).to_contain_text("p = .068")
    demo.get_by_text("Lines, ranges and notes").click()
    demo.get_by_role("button", name="Add a line").click()
    demo.get_by_label("Line at").fill("45")
    demo.get_by_label("Its words").first.fill("goal")
    demo.keyboard.press("Enter")
    expect(demo.locator("figure svg")).to_contain_text("goal")
    with kept(demo, lambda sent: sent["figure"]["notes"]):
        demo.get_by_role("button", name="Add a note").click()
    note = demo.get_by_role("button", name="Note: Note")
    expect(note).to_be_visible()

    def place() -> tuple[float, float]:
        address = demo.url.replace("/s/", "/api/studies/").replace("/f/", "/figures/")
        found = call(demo, "GET", address)["figure"]["notes"][0]
        return found["x"], found["y"]

    note.scroll_into_view_if_needed()
    start, box = place(), note.bounding_box()
    assert box
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    demo.mouse.move(*middle)
    demo.mouse.down()
    demo.mouse.move(middle[0] - 60, middle[1] + 40, steps=5)
    with kept(demo):
        demo.mouse.up()
    dragged = place()
    assert dragged[0] < start[0] - 0.2 and dragged[1] < start[1] - 2
    note.focus()
    with kept(demo):
        demo.keyboard.press("ArrowRight")
    moved = place()
    assert dragged[0] < moved[0] < dragged[0] + 0.1
    # Another size of the figure leaves the note at its place in the data.
    with kept(demo):
        demo.get_by_label("Width, mm").fill("140")
        demo.keyboard.press("Enter")
    expect(demo.get_by_text("140 × 70 mm")).to_be_visible()
    assert place() == moved
    demo.locator("h2", has_text="Appearance").click()
    demo.keyboard.press("Control+z")
    expect(demo.get_by_text("140 × 70 mm")).to_have_count(0)


def test_a_caption_keeps_its_live_parts(demo: Page) -> None:
    open_figure(demo, "Minutes by room")
    demo.get_by_role("button", name="Edit caption").click()
    editor = demo.get_by_role("textbox", name="Caption")
    expect(editor.locator('[data-live="counts"]')).to_have_text("n = 30, 40 and 38")
    demo.keyboard.type(" Own words.")
    demo.get_by_role("button", name="Keep").click()
    caption = demo.get_by_test_id("caption")
    expect(caption).to_contain_text("Own words.")
    demo.get_by_label("Whiskers reach").select_option("range")
    expect(caption).to_contain_text("whiskers the smallest and largest value")
    expect(caption).to_contain_text("Own words.")
    demo.get_by_role("button", name="Let it write itself").click()
    expect(caption).not_to_contain_text("Own words.")


def test_a_drawing_of_an_answer_is_worked_on(demo: Page) -> None:
    open_question(demo, "Who finishes the challenge")
    demo.get_by_role("button", name=re.compile("^Work on the figure: .*ROC")).first.click()
    expect(demo.get_by_text("Show a drawing of the answer")).to_be_visible()
    demo.get_by_label("Level axis").fill("False alarms")
    demo.keyboard.press("Enter")
    expect(demo.locator("figure svg")).to_contain_text("False alarms")
    demo.get_by_label("Seen as").select_option("grey")
    expect(demo.locator("figure > div").first).to_have_css("filter", re.compile("see-grey"))


def test_a_picture_is_copied(demo: Page) -> None:
    demo.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_figure(demo, "Cards by age")
    demo.get_by_text("Save image").click()
    demo.get_by_role("menuitem", name="Copy the picture").click()
    expect(demo.get_by_text("Copied: paste it where you need it")).to_be_visible()
    kinds = demo.evaluate("async () => (await navigator.clipboard.read()).flatMap((i) => i.types)")
    assert "image/png" in kinds


def test_words_of_an_answer_stand_in_a_sentence(demo: Page) -> None:
    editor = open_report(demo)
    expect(editor.locator('[data-live="test|test|Welch"]').first).to_contain_text("= 12.55, p < .001")
    at_the_end(demo, editor)
    demo.keyboard.type("The gallery had ")
    demo.get_by_role("button", name="Words of Minutes by room").click()
    demo.get_by_label("Search the words").fill("gallery estimate")
    demo.locator('[data-phrase="estimate|groups|Gallery"]').click()
    demo.keyboard.type(" on average, see ")
    demo.get_by_role("button", name="Insert").click()
    demo.get_by_role("menuitem", name=re.compile("^Table 1")).click()
    expect(editor).to_contain_text("The gallery had 43.7 min (95% CI 39.4 to 48.0) on average, see Table 1")
    saved(demo)
    demo.reload()
    expect(editor).to_contain_text("The gallery had 43.7 min (95% CI 39.4 to 48.0) on average, see Table 1")
    # Numbers in another language: everywhere but in the writer's own words.
    demo.get_by_text("How it is set").click()
    demo.get_by_label("Numbers").select_option("comma")
    expect(editor).to_contain_text("43,7 min")
    assert serious(demo) == []


def test_a_question_is_written_up_and_edited(demo: Page) -> None:
    editor = open_report(demo)
    at_the_end(demo, editor)
    demo.get_by_role("button", name="Write up Brightness of two mills").click()
    expect(editor).to_contain_text("We asked: does brightness of the page differ between the two levels of mill?")
    expect(editor).to_contain_text("= −4.72, p = .003")
    # A live word becomes plain text where the writer wants it.
    word = editor.locator('[data-live="test|test|Lower mill − Upper mill"]')
    word.click()
    demo.get_by_role("button", name="Make it plain text").click()
    expect(word).to_have_count(0)
    expect(editor).to_contain_text("= −4.72, p = .003")
    saved(demo)


def test_footnotes_breaks_references_and_the_appendix(demo: Page) -> None:
    editor = open_report(demo)
    at_the_end(demo, editor)
    demo.keyboard.type("A last word")
    demo.get_by_role("button", name="Insert").click()
    demo.get_by_role("menuitem", name="Footnote").click()
    demo.get_by_label("Words of the footnote").fill("With more to say.")
    demo.keyboard.press("Escape")
    expect(demo.get_by_role("button", name="Footnote 2")).to_be_visible()
    at_the_end(demo, editor)
    demo.get_by_role("button", name="Insert").click()
    demo.get_by_role("menuitem", name="Appendix made from the study").click()
    expect(demo.get_by_label("Appendix").get_by_text("Table A1.").first).to_be_visible()
    saved(demo)
    with demo.expect_download() as found:
        demo.get_by_role("button", name="HTML", exact=True).click()
    page = found.value.path().read_text(encoding="utf-8")
    assert "With more to say." in page and "How the data were prepared" in page and "Table A1" in page


def test_what_changed_is_shown_and_taken_note_of(demo: Page) -> None:
    open_report(demo)
    table = entries(demo)["table Room trial"]
    state = call(demo, "GET", f"/api/studies/{table['study']}/tables/{table['id']}")
    steps = [*state["table"]["steps"], {"step": "keep_rows", "where": "minutes < 60"}]
    call(
        demo,
        "PUT",
        f"/api/studies/{table['study']}/tables/{table['id']}/steps",
        {"steps": steps, "label": "Keep fewer"},
    )
    demo.reload()
    expect(demo.get_by_role("heading", name="Out of date")).to_be_visible()
    demo.get_by_role("button", name=re.compile("^Renew")).last.click()
    changed = demo.get_by_label("Changed", exact=True)
    expect(changed).to_contain_text("was")
    expect(changed).to_contain_text("108")
    demo.get_by_role("button", name="Take note of all").click()
    expect(changed).to_have_count(0)


def test_a_report_begins_from_a_template(demo: Page) -> None:
    open_report(demo)
    demo.get_by_label("Contents").get_by_text("Begin a report").click()
    demo.get_by_role("menuitem", name=re.compile("^Thesis chapter")).click()
    editor = demo.get_by_role("textbox", name="The report's text")
    expect(editor).to_contain_text("What this chapter asks, and why.")
    demo.get_by_text("How it is set").click()
    expect(demo.get_by_label("Type, pt")).to_have_value("12")


def test_an_answer_asked_for_before_an_undo_is_not_shown_after_it(demo: Page) -> None:
    open_question(demo, "Minutes by room")
    patches: list[Route] = []
    undone: list[Route] = []
    demo.route(
        "**/questions/*",
        lambda r: patches.append(r) if r.request.method == "PATCH" and not patches else r.continue_(),
    )
    demo.route("**/questions/*?answer=true", lambda r: r.fallback() if patches else patches.append(r))
    demo.route("**/undo", lambda r: undone.append(r) or r.continue_())
    demo.locator('[data-slot="Groups"]').click()
    with demo.expect_request(lambda r: r.method == "PATCH"):
        demo.locator('[data-column="seat"]').click()
    demo.keyboard.press("Escape")
    demo.locator("body").press("Control+z")
    demo.evaluate("() => 1")  # what was asked for is handed to the routes above
    assert patches and not undone  # undo waits for what is on its way, to take back what was seen last
    # The change is kept and answered only now; undo follows, and the answer to the changed sentence is not shown.
    with demo.expect_request("**/undo"):
        patches[0].continue_()
    expect(demo.get_by_text(re.compile("^Undone"))).to_be_visible()
    expect(demo.locator('[data-slot="Groups"]')).to_contain_text("reading room")
    expect(demo.get_by_test_id("headline")).to_contain_text("by reading room")
