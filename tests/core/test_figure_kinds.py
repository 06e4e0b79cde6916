"""Every kind of figure: what it draws, what it says, what it refuses."""

import json
import re
from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables
from yavik.core.answers import wording as w
from yavik.core.figures import Drawing, Figure, Style, draw_figure
from yavik.core.figures.axes import told_apart
from yavik.core.figures.compose import compose
from yavik.core.figures.describe import FreeNote, ReferenceLine, ShadedRange
from yavik.core.figures.images import pdf, png, size_of, svg
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.plot import Axis, Panel, Plot
from yavik.core.files.delimited import read
from yavik.core.table import DataProblem, Table

T = demo_tables()


def from_csv(text: str) -> Table:
    return read(text.encode())[0]


CASES: list[tuple[str, dict[str, Any]]] = [
    ("Room trial", {"response": "minutes", "groups": "room"}),
    ("Room trial", {"response": "minutes", "groups": "room", "colour": "seat", "show": ["violin", "box"]}),
    ("Room trial", {"response": "minutes", "groups": "room", "show": ["swarm", "mean"], "order": "value"}),
    ("Seat and light", {"response": "minutes", "groups": "seat", "colour": "light", "show": ["bar"]}),
    ("Seat and light", {"response": "minutes", "groups": "seat", "colour": "light", "show": ["mean", "join"], "legend": "direct"}),
    ("Winter challenge", {"response": "minutes", "groups": "finished", "panel": "town", "show": ["box"], "width_mm": 170, "height_mm": 110}),
    ("Winter challenge", {"response": "minutes", "groups": "card", "panel": "age_group", "panel_rows": "finished", "show": ["mean"], "width_mm": 170, "height_mm": 110}),
    ("Winter challenge", {"kind": "spread", "response": "minutes", "show": ["histogram", "density"]}),
    ("Winter challenge", {"kind": "spread", "response": "minutes", "show": ["density"], "colour": "card"}),
    ("Room trial", {"kind": "spread", "response": "minutes", "show": ["quantile"], "colour": "room"}),
    ("Room trial", {"kind": "spread", "response": "minutes", "show": ["cumulative"], "colour": "room"}),
    ("Branches", {"kind": "relation", "response": "visits", "x": "floor_area", "colour": "cafe", "show": ["points", "line"], "equation": True}),
    ("Reading pace", {"kind": "relation", "response": "pace", "x": "span", "show": ["points", "curve", "ellipse", "join"]}),
    ("Winter challenge", {"kind": "relation", "response": "minutes", "x": "joined", "show": ["points"]}),
    ("Genre loans", {"kind": "relation", "response": "distance", "x": "rent", "colour": "site", "show": ["points", "hull"], "arrows": ["age", "damp"]}),
    ("Monthly loans", {"kind": "course", "response": "loans", "x": "month", "show": ["line"]}),
    ("Fluency", {"kind": "course", "response": "fluency", "x": "week", "colour": "tutoring", "show": ["line", "band", "mean"], "legend": "direct"}),
    ("Monthly loans", {"kind": "course", "response": "loans", "x": "month", "show": ["step", "area"]}),
    ("Winter challenge", {"kind": "shares", "response": "card", "groups": "age_group", "show": ["stacked"]}),
    ("Winter challenge", {"kind": "shares", "response": "card", "groups": "age_group", "show": ["beside"], "counts": True}),
    ("Winter challenge", {"kind": "shares", "response": "finished", "groups": "age_group", "show": ["dots"]}),
    ("Winter challenge", {"kind": "shares", "response": "town", "order": "value"}),
    ("Reading motives", {"kind": "paired", "samples": ["m1", "m2", "m3"], "show": ["line", "points", "mean"]}),
    ("Binding glue", {"samples": ["bone glue", "starch paste", "resin"]}),
    ("Reading motives", {"kind": "matrix", "samples": ["m1", "m2", "m3", "m4"]}),
    ("Reading pace", {"kind": "matrix", "samples": ["pace", "span", "recall"], "show": ["scatter"]}),
    ("Winter challenge", {"kind": "roc", "samples": ["minutes", "visits"], "groups": "finished"}),
]  # fmt: skip


def drawn(table: str, **figure: Any) -> Drawing:
    return draw_figure(Figure.model_validate(figure), T[table])


@pytest.mark.parametrize(
    ("table", "figure"), CASES, ids=[f"{f.get('kind', 'groups')}-{i}" for i, (_, f) in enumerate(CASES)]
)
def test_every_kind_is_a_picture_of_its_size_with_words_and_numbers(table: str, figure: dict[str, Any]) -> None:
    made = drawn(table, **figure)
    described = Figure.model_validate(figure)
    wide, high = (v * 25.4 / 96 for v in size_of(made.vega))
    assert wide == pytest.approx(described.width_mm, abs=2.5) and high == pytest.approx(described.height_mm, abs=2.5)
    assert made.alt.endswith(".") and "nan" not in made.alt.lower()
    caption = w.plain(made.caption)
    assert "(" in caption and caption.endswith(".") and "{" not in caption and "nan" not in caption.lower()
    assert made.behind is not None and made.behind.rows
    assert "NaN" not in json.dumps(made.vega) and "Infinity" not in json.dumps(made.vega)
    assert made.vega == drawn(table, **figure).vega  # pure: jitter and samples are seeded


@pytest.mark.parametrize("id", list(KINDS))
def test_a_kind_without_its_columns_says_so(id: str) -> None:
    with pytest.raises(DataProblem, match="Fill the slots"):
        draw_figure(Figure(kind=id), T["Room trial"])  # type: ignore[arg-type]
    card = KINDS[id].card()
    assert set(re.findall(r"\{(\w+)\}", card["sentence"])) == {*card["slots"], "show"}


def many_levels(k: int, name: str = "level") -> Table:
    return from_csv("g,y\n" + "".join(f"{name} {i},{i % 7}\n{name} {i},{i % 5 + 1}\n" for i in range(k)))


@pytest.mark.parametrize(
    "figure", [{"groups": "g"}, {"groups": "g", "show": ["bar"]}, {"kind": "shares", "response": "g"}]
)
def test_eighty_levels_with_names_of_two_hundred_letters(figure: dict[str, Any]) -> None:
    table = many_levels(80, "a very long name of a level that goes on and on " * 4)
    made = draw_figure(Figure.model_validate({"response": "y", "width_mm": 170, **figure}), table)
    wide, high = (v * 25.4 / 96 for v in size_of(made.vega))
    assert wide == pytest.approx(170, abs=2.5) and high == pytest.approx(70, abs=2.5)


def test_a_figure_of_twenty_millimetres_is_drawn() -> None:
    made = drawn("Room trial", response="minutes", groups="room", width_mm=20, height_mm=20, type_pt=5)
    assert size_of(made.vega)[0] * 25.4 / 96 == pytest.approx(20, abs=2.5)
    assert png(made.vega, 72)[:4] == b"\x89PNG"


def test_an_empty_group_is_not_drawn_and_one_value_has_no_bar() -> None:
    table = from_csv("g,y\na,1\na,2\nb,\nc,5\n")
    made = draw_figure(Figure(response="y", groups="g", show=["mean"]), table)
    assert made.groups == ["a", "c"]
    assert made.behind is not None
    assert [r["sd"].why for r in made.behind.rows] == [None, "one value has no spread"]


def test_too_many_groups_colours_and_panels_are_refused_in_words() -> None:
    table = from_csv("g,h,y\n" + "".join(f"a{i},b{i},{i}\n" for i in range(100)))
    for more, match in (({"colour": "h"}, "at most 60 colours"), ({"panel": "h"}, "at most 60 panels")):
        with pytest.raises(DataProblem, match=match):
            draw_figure(Figure(response="y", groups="g", **more), table)


def test_axes_follow_their_settings() -> None:
    y = drawn("Room trial", response="minutes", groups="room", y_min=10, y_max=70, y_step=15, decimals=1).vega[
        "encoding"
    ]["y"]
    assert y["scale"]["domain"] == [10, 70] and not y["scale"]["nice"]
    assert y["axis"]["values"] == [15, 30, 45, 60] and y["axis"]["format"] == ",.1f"
    log = drawn(
        "Branches", kind="relation", response="visits", x="floor_area", x_scale="log", y_scale="root", show=["points"]
    )
    assert (
        log.vega["encoding"]["x"]["scale"]["type"] == "log" and log.vega["encoding"]["y"]["scale"]["type"] == "sqrt"
    )
    with pytest.raises(DataProblem, match="log axis has no place for 0 and below"):
        drawn("Room trial", response="minutes", groups="room", show=["bar"], y_scale="log")
    with pytest.raises(DataProblem, match="begins at 500, above everything"):
        drawn("Room trial", response="minutes", groups="room", y_min=500)
    assert (
        drawn("Room trial", response="minutes", groups="room", y_title="Minutes", x_title="").vega["encoding"]["x"][
            "axis"
        ]["title"]
        is None
    )


@pytest.mark.parametrize(("order", "first"), [("data", "Alcove"), ("value", "Winter garden"), ("name", "Alcove")])
def test_groups_stand_in_the_order_asked_for(order: str, first: str) -> None:
    assert drawn("Room trial", response="minutes", groups="room", order=order).groups[0] == first
    by_hand = drawn("Room trial", response="minutes", groups="room", order="hand", by_hand=["Gallery"])
    assert by_hand.groups == ["Gallery", "Alcove", "Winter garden"]  # what is not named follows as it was


def layers(vega: dict[str, Any]) -> list[dict[str, Any]]:
    return [
        *vega.get("layer", []),
        *(x for key in ("hconcat", "vconcat") for v in vega.get(key, []) for x in layers(v)),
    ]


def test_lines_ranges_and_notes_stand_at_their_place_in_the_data() -> None:
    figure = Figure(
        response="minutes", groups="room",
        lines=[ReferenceLine(at=45, label="goal"), ReferenceLine(axis="x", at="Gallery")],
        ranges=[ShadedRange(start=20, end=30)], notes=[FreeNote(text="here", x=1, y=60, to_x=2, to_y=50)],
    )  # fmt: skip
    made = layers(draw_figure(figure, T["Room trial"]).vega)
    at = [v["datum"] for x in made for k in ("x", "y") if "datum" in (v := x["encoding"].get(k, {}))]
    assert {45.0, 1.0, 20.0}.issubset(at)
    notes = [v for x in made for v in x["data"]["values"] if v.get("text") == "here"]
    assert [(n["x"], n["y"]) for n in notes] == [(1, 60)]
    with pytest.raises(DataProblem, match="'Attic' is none of the groups"):
        draw_figure(figure.model_copy(update={"lines": [ReferenceLine(axis="x", at="Attic")]}), T["Room trial"])
    date = Figure(kind="course", response="loans", x="month", lines=[ReferenceLine(axis="x", at="2015-01-01")])
    assert "1420070400000" in json.dumps(draw_figure(date, T["Monthly loans"]).vega)
    with pytest.raises(DataProblem, match="is no date"):
        draw_figure(date.model_copy(update={"lines": [ReferenceLine(axis="x", at="soon")]}), T["Monthly loans"])


def test_colours_and_marks_of_a_level_and_what_the_study_keeps() -> None:
    figure = Figure(response="minutes", groups="room", colours={"Alcove": "#112233"}, shapes={"Gallery": "square"})
    made = draw_figure(
        figure,
        T["Room trial"],
        style=Style({"room": {"Alcove": "#445566", "Gallery": "#778899"}}, {"room": {"Alcove": "cross"}}),
    )
    assert made.colours["Alcove"] == "#112233" and made.colours["Gallery"] == "#778899"
    assert made.shapes["Gallery"] == "square" and made.shapes["Alcove"] == "cross" and made.level_column == "room"


def test_the_key_names_levels_where_the_axis_does_not() -> None:
    keys = [
        x
        for x in layers(drawn("Seat and light", response="minutes", groups="seat", colour="light").vega)
        if "legend" in x["encoding"].get("color", {})
    ]
    assert keys[0]["encoding"]["color"]["scale"]["domain"] == ["daylight", "warm"]
    none = drawn("Room trial", response="minutes", groups="room").vega
    assert not any("legend" in x["encoding"].get("color", {}) for x in layers(none))


def test_a_million_rows_are_counted_in_squares_and_none_is_left_out() -> None:
    rng = np.random.default_rng(3)
    n = 60_000
    x, y = rng.normal(size=n), rng.normal(size=n)
    table = from_csv("x,y\n" + "\n".join(f"{a:.4f},{b:.4f}" for a, b in zip(x, y, strict=True)))
    made = draw_figure(Figure(kind="relation", response="y", x="x", show=["points"]), table)
    squares = next(v for v in layers(made.vega) if v["mark"]["type"] == "rect")["data"]["values"]
    assert sum(s["n"] for s in squares) == n
    assert "shaded by the number of rows" in w.plain(made.caption) and len(json.dumps(made.vega)) < 600_000


def test_a_sample_of_points_says_so() -> None:
    said = w.plain(
        drawn("Winter challenge", kind="relation", response="minutes", x="visits", show=["points"]).caption
    )
    assert "Points are a random 2000 of 3400 rows" in said


def test_a_caption_keeps_its_live_parts_in_the_researchers_words() -> None:
    words = "Reading in {counts} visits. {boxes} A brace {like this} and {arrows} stay or go."
    made = drawn("Room trial", response="minutes", groups="room", caption=words)
    said = w.plain(made.caption)
    assert said.startswith("Reading in n = 30, 40 and 38 visits. Boxes show medians")
    assert "A brace {like this} and stay or go." in said  # no arrows are drawn: their part leaves nothing behind
    assert made.template.startswith("{subject} ({counts}).") and set(re.findall(r"\{(\w+)\}", made.template)) <= set(
        made.parts
    )


def test_signs_that_the_face_lacks_are_told() -> None:
    made = draw_figure(Figure(response="y", groups="g"), from_csv("g,y\n漢,1\n漢,2\nσ²,3\nσ²,4\n"))
    assert any("no sign for 漢" in x for x in made.warnings) and not any("σ" in x for x in made.warnings)


def test_colours_that_look_alike_are_told() -> None:
    colours = {"daylight": "#7a3e8e", "warm": "#7b3f8f"}
    made = drawn("Seat and light", response="minutes", groups="seat", colour="light", colours=colours)
    assert any("daylight and warm have colours that are hard to tell apart" in x for x in made.warnings)


def test_pdf_carries_its_faces() -> None:
    data = pdf(drawn("Room trial", response="minutes", groups="room").vega, "Minutes", "alt")
    assert data.startswith(b"%PDF-") and b"/FontFile" in data


def test_values_outside_what_a_slot_takes() -> None:
    for table, figure, match in (
        ("Branches", {"kind": "relation", "response": "visits", "x": "visits"}, "both axes"),
        ("Monthly loans", {"kind": "course", "response": "loans", "x": "loans"}, "both slots"),
        ("Reading motives", {"kind": "paired", "samples": ["m1"]}, "at least two columns"),
        ("Reading motives", {"kind": "matrix", "samples": ["m1", "m1"]}, "chosen twice"),
        ("Winter challenge", {"kind": "roc", "samples": ["minutes"], "groups": "card"}, "has 4 levels"),
        ("Room trial", {"response": "minutes", "groups": "room", "where": "minutes > 9999"}, "No row is left"),
    ):
        with pytest.raises(DataProblem, match=match):
            draw_figure(Figure.model_validate(figure), T[table])


def test_estimates_from_columns_and_one_outside_its_interval() -> None:
    good = from_csv("who,b,lo,hi\nA,1,0.5,1.5\nB,2,1,3\nC,,,\n")
    figure = Figure(kind="forest", response="b", low="lo", high="hi", groups="who", order="value")
    made = draw_figure(figure, good)
    assert made.groups == ["B", "A"] and "1 row without an estimate is not drawn" in w.plain(made.caption)
    with pytest.raises(DataProblem, match="outside its interval in row 2") as found:
        draw_figure(figure, from_csv("who,b,lo,hi\nA,1,0.5,1.5\nB,9,1,3\n"))
    assert found.value.column == "b"


def test_a_plot_of_nothing_is_still_a_picture() -> None:
    plot = Plot(
        Axis("x", 0, 1),
        Axis("y", 0, 1),
        [Panel("", [])],
        [],
        {"subject": "Nothing"},
        "Nothing.",
        drawn("Room trial", response="minutes", groups="room").behind,
    )  # type: ignore[arg-type]
    assert "<svg" in svg(compose(Figure(), plot, []))


def test_cut_names_can_still_be_told_apart() -> None:
    assert told_apart(["Alcove", "Gallery"], 10) == ["Alcove", "Gallery"]
    assert told_apart(["A long name of a room", "Gallery"], 8) == ["A long…", "Gallery"]
    same = [f"Room number {i} of the valley" for i in range(3)]
    assert told_apart(same, 12) == ["…0 of the v…", "…1 of the v…", "…2 of the v…"]
