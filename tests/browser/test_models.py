"""Building models as researchers do: round by round, with the trail, side by side, and into the report."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import call
from tests.browser.test_access import serious
from tests.browser.test_testing import ask, entries, fill, open_question


def headline(page: Page) -> Locator:
    return page.get_by_test_id("headline")


def chip(page: Page, term: str) -> Locator:
    return page.locator(f'[data-term="{term}"]')


def add_columns(page: Page, *columns: str) -> None:
    page.get_by_role("button", name="Add or take away columns").click()
    for column in columns:
        page.locator(f'[role="option"][data-column="{column}"]').click()
    page.keyboard.press("Escape")


def trail(page: Page) -> Locator:
    return page.get_by_test_id("trail").locator("tbody tr")


def settled(page: Page) -> None:
    """The answer shown is that of the sentence."""
    expect(page.locator('[aria-busy="false"]').first).to_be_visible()
    expect(page.get_by_text("Out of date", exact=False)).to_have_count(0)


def power_of_minutes(page: Page, chip_of: str, power: int) -> None:
    chip(page, chip_of).click()
    page.locator(f'[data-add-power="{power}"]').click()
    expect(chip(page, f"minutes^{power}")).to_be_visible()


def test_seven_rounds_of_a_logistic_model(demo: Page) -> None:
    ask(demo, "Winter challenge", "logistic")
    fill(demo, "Response", "finished")
    # Screening: everything that makes sense goes in at once.
    fill(demo, "Terms", "minutes", "visits", "reminders", "late_fees", "card", "age_group")
    expect(headline(demo)).to_contain_text("The odds of finished the challenge = yes go with")
    expect(demo.locator('[data-slot="Event"]')).to_have_value("yes")
    # Age does nothing: out.
    chip(demo, "age_group").click()
    demo.get_by_role("button", name="Leave age out").click()
    expect(chip(demo, "age_group")).to_have_count(0)
    expect(trail(demo)).to_have_count(2)
    expect(trail(demo).nth(1)).to_contain_text("− Age")
    # The check names the bend, and its remedy adds the square.
    demo.get_by_role("button", name="Add Minutes read a day²").click()
    expect(chip(demo, "minutes^2")).to_be_visible()
    expect(trail(demo)).to_have_count(3)
    for power, before in ((3, "minutes"), (4, "minutes")):
        power_of_minutes(demo, before, power)
        expect(trail(demo)).to_have_count(power + 1)
    settled(demo)
    # A fourth power does not help: back to the square, by the trail.
    demo.get_by_role("button", name=re.compile("^Go back to \\+\\sMinutes read a day²$")).click()
    expect(chip(demo, "minutes^4")).to_have_count(0)
    expect(demo.locator('tr[aria-current="true"]')).to_contain_text("Minutes read a day²")
    expect(trail(demo)).to_have_count(5)
    # A name, and all rounds into a line-up.
    demo.locator('tr[aria-current="true"]').get_by_role("button", name=re.compile("^Name ")).click()
    demo.get_by_label("Name of this model").fill("With a bend")
    demo.keyboard.press("Enter")
    expect(demo.locator('tr[aria-current="true"]')).to_contain_text("With a bend")
    demo.get_by_role("button", name="Tick all").click()
    demo.get_by_role("button", name="Line up these 5").click()
    expect(headline(demo)).to_contain_text("5 models of the odds of finished the challenge = yes on the same")
    expect(demo.locator('[data-block="models"] thead th')).to_have_count(6)
    demo.get_by_role("button", name="Report With a bend").click()
    expect(headline(demo)).to_contain_text("To be reported: “With a bend”")
    expect(demo.locator('[data-block="models"] th.picked')).to_contain_text("With a bend")
    demo.get_by_role("button", name="Add to report").click()
    expect(demo.get_by_text("Added to Draft for the board")).to_be_visible()
    report = entries(demo)["report Draft for the board"]
    demo.goto(f"/s/{report['study']}/r/{report['id']}")
    expect(demo.get_by_text("Models of the odds of finished the challenge = yes", exact=True)).to_be_visible()


def test_a_line_up_is_arranged_named_and_undone(demo: Page) -> None:
    open_question(demo, "Models of finishing")
    heads = demo.locator('[data-block="models"] thead th')
    expect(heads.nth(1)).to_contain_text("Screened")
    demo.get_by_role("button", name="Move Screened right").click()
    expect(heads.nth(2)).to_contain_text("Screened")
    expect(headline(demo)).to_contain_text("To be reported")  # the chosen one stays chosen wherever it stands
    demo.keyboard.press("Control+z")
    expect(heads.nth(1)).to_contain_text("Screened")
    demo.get_by_role("group", name="Estimates as").get_by_role("button", name="coefficients").click()
    expect(demo.locator('[data-block="models"]').locator("xpath=..")).to_contain_text("Coefficients b")
    demo.get_by_role("group", name="Marks").get_by_role("button", name="marks of p").click()
    expect(demo.locator('[data-block="models"]')).to_contain_text("***")
    demo.get_by_role("button", name="Take Screened away").click()
    expect(heads).to_have_count(4)
    demo.get_by_role("button", name="Add a model").first.click()
    demo.get_by_role("menuitem", name="Who finishes the challenge").first.click()
    expect(heads).to_have_count(5)
    assert serious(demo) == []


def test_a_cut_off_is_moved_and_the_event_turned(demo: Page) -> None:
    open_question(demo, "Who finishes the challenge")
    expect(demo.get_by_text("Told at a cut-off of .500")).to_be_visible()
    line = demo.get_by_role("slider", name="Cut-off")
    line.focus()
    for _ in range(3):
        demo.keyboard.press("ArrowRight")
    expect(demo.get_by_text("Told at a cut-off of .530")).to_be_visible()
    expect(line).to_have_attribute("aria-valuetext", "0.53")
    settled(demo)
    box = line.bounding_box()
    assert box
    middle = box["x"] + box["width"] / 2
    demo.mouse.move(middle, box["y"] + 20)
    demo.mouse.down()
    demo.mouse.move(middle + 30, box["y"] + 20, steps=4)
    demo.mouse.up()
    expect(
        demo.get_by_text(re.compile(r"Told at a cut-off of \.6[5-9]0|Told at a cut-off of \.7[0-4]0"))
    ).to_be_visible()
    settled(demo)
    demo.get_by_role("button", name=re.compile("^Undo")).click()
    expect(demo.get_by_text("Told at a cut-off of .530")).to_be_visible()
    before = trail(demo).count()
    demo.locator('[data-slot="Event"]').select_option("no")
    expect(headline(demo)).to_contain_text("finished the challenge = no")
    expect(trail(demo)).to_have_count(before + 1)  # another event is another model; a cut-off is not
    assert serious(demo) == []


def test_a_line_on_a_picture_holds_a_measure_elsewhere(demo: Page) -> None:
    open_question(demo, "Who finishes the challenge")
    line = demo.get_by_role("slider", name="Minutes read a day held at")
    line.focus()
    demo.keyboard.press("End")
    expect(demo.get_by_text("Held at: Minutes read a day 120 min").first).to_be_visible()
    expect(line).to_have_attribute("aria-valuetext", "120 min")
    assert serious(demo) == []


def test_a_row_that_moves_the_model_is_clicked_out_and_in(demo: Page) -> None:
    open_question(demo, "Who finishes the challenge")
    demo.locator("summary", has_text="Rows that move the model most").click()
    row = demo.get_by_role("button", name="Compare the answer without this row").first
    row.click()
    expect(row).to_have_attribute("aria-pressed", "true")
    expect(demo.locator("[data-block=without]")).to_contain_text("3288")
    settled(demo)
    row.click()
    expect(demo.locator("[data-block=without]")).to_have_count(0)


def test_sets_of_comparisons_are_looked_at_one_at_a_time(demo: Page) -> None:
    open_question(demo, "What predicts visits")
    demo.locator("summary", has_text="All pairs of District").click()
    with demo.expect_response(lambda r: "answer=true" in r.url):  # the next one is added to what this one made
        demo.get_by_role("button", name="Add a comparison").first.click()
    settled(demo)
    expect(demo.get_by_role("tab")).to_have_count(0)
    demo.get_by_role("button", name="Add a comparison").first.click()
    expect(demo.get_by_role("tab")).to_have_count(2)
    settled(demo)
    second = demo.get_by_role("tab").nth(1)
    demo.get_by_role("tab").first.focus()
    demo.keyboard.press("ArrowRight")
    expect(second).to_have_attribute("aria-selected", "true")
    expect(demo.get_by_role("tabpanel").locator("[data-block=pairs_2]")).to_be_visible()
    assert serious(demo) == []


def test_stepwise_on_reading_pace(demo: Page) -> None:
    ask(demo, "Reading pace", "linear")
    fill(demo, "Response", "pace")
    fill(demo, "Terms", "span", "recall", "attention", "rest", "practice")
    expect(headline(demo)).to_contain_text("together explain")
    demo.get_by_role("button", name="Change settings").click()
    demo.locator('[data-option="selection"]').select_option("stepwise")
    path = demo.locator('[data-block="path"] tbody tr')
    expect(path.first).to_contain_text("no term")
    expect(path.nth(1)).to_contain_text("+")
    expect(demo.locator('[data-block="left_out"]')).to_contain_text("Attention score")
    expect(demo.get_by_role("heading", name="After a selection")).to_be_visible()
    demo.locator('[data-option="choose_by"]').select_option("aic")
    expect(demo.locator('[data-option="enter"]')).to_have_count(0)
    rounds = demo.get_by_role("region", name="Models on the way").get_by_role("button")
    rounds.nth(1).click()
    expect(demo.locator('[data-option="selection"]')).to_have_value("none")
    expect(demo.locator("[data-term]")).to_have_count(2)
    demo.keyboard.press("Control+z")
    expect(demo.locator("[data-term]")).to_have_count(5)
    demo.get_by_role("button", name="Line them up").click()
    expect(headline(demo)).to_contain_text("models of reading pace on the same 70 rows")


def test_branches_with_two_categories_and_their_lines(demo: Page) -> None:
    ask(demo, "Branches", "linear")
    fill(demo, "Response", "visits")
    fill(demo, "Terms", "floor_area", "district")
    add_columns(demo, "cafe")
    expect(demo.locator('[data-block="equations"] tbody tr')).to_have_count(8)
    chip(demo, "floor_area").click()
    demo.get_by_role("dialog").get_by_role("button", name="district").click()
    expect(chip(demo, "district*floor_area")).to_be_visible()
    slopes = demo.locator('[data-block="slopes"] tbody tr')
    expect(slopes).to_have_count(4)
    expect(
        demo.get_by_role("img", name=re.compile("for Lakeside, Lower valley, Moor edge and Upper valley")).first
    ).to_be_visible()
    # The reference is changed in the table.
    demo.get_by_label("Reference of district").first.select_option("Moor edge")
    expect(demo.locator('[data-block="coefficients"]')).to_contain_text("district: Lakeside")
    # A unit of change, and a prediction.
    chip(demo, "district*floor_area").click()
    demo.get_by_role("button", name="Leave floor area × district out").click()
    demo.get_by_label("Unit of change: Floor area").fill("10")
    demo.keyboard.press("Enter")
    expect(demo.locator('[data-block="in_words"]')).to_contain_text("Each further 10 m² of floor area goes with")
    demo.get_by_label("Predict at: Floor area").fill("5000")
    demo.get_by_label("Predict at: district").select_option("Lakeside")
    demo.get_by_role("button", name="Predict", exact=True).click()
    expect(demo.get_by_text("Line 1: Floor area 5000 m² lies outside the data")).to_be_visible()
    expect(demo.locator('[data-block="cases"]')).to_contain_text("Lakeside")
    # A category has no powers.
    chip(demo, "district").click()
    expect(demo.get_by_text("A category has no powers")).to_be_visible()
    demo.keyboard.press("Escape")
    # Predictions and residuals of all rows become columns.
    demo.get_by_role("button", name="Add its columns to the table").click()
    expect(demo.get_by_text("Added to the table")).to_be_visible()
    table = entries(demo)["table Branches"]
    state = call(demo, "GET", f"/api/studies/{table['study']}/tables/{table['id']}")
    names = [c["name"] for c in state["table"]["columns"]]
    assert names[-4:] == ["visits predicted", "visits lowest at 95 %", "visits highest at 95 %", "visits residual"]


def test_a_chip_leaves_by_key_and_takes_its_own_with_it(demo: Page) -> None:
    open_question(demo, "Who finishes the challenge")
    expect(chip(demo, "minutes^2")).to_be_visible()
    chip(demo, "minutes").focus()
    demo.keyboard.press("Delete")
    expect(chip(demo, "minutes")).to_have_count(0)
    expect(chip(demo, "minutes^2")).to_have_count(0)
    demo.keyboard.press("Control+z")
    expect(chip(demo, "minutes^2")).to_be_visible()


def test_separation_is_explained_and_remedied(demo: Page) -> None:
    ask(demo, "Evening opening", "logistic")
    fill(demo, "Response", "period")
    fill(demo, "Terms", "month")
    expect(headline(demo)).to_contain_text("without a single miss")
    demo.get_by_role("button", name="Use the penalised fit (Firth)").click()
    expect(demo.get_by_text("has finite estimates whatever the data")).to_be_visible()
