"""Numbers in words, and figures from their descriptions."""

import json

import numpy as np
import pytest

from yavik.core.answers import quantities as q
from yavik.core.answers import wording as w
from yavik.core.figures import Figure, draw
from yavik.core.figures.data import Grouped, grouped
from yavik.core.figures.images import png, svg
from yavik.core.files.delimited import read
from yavik.core.methods import answer
from yavik.core.table import DataProblem

TABLE = read(
    b"g,y\n"
    + b"".join(b"%s,%d.5\n" % ([b"Alcove", b"Gallery"][i % 2], (i * 37) % 23) for i in range(60))
    + b"Alcove,90.0\n"
)[0]


def data() -> Grouped:
    return grouped(TABLE, "y", "g", [])


@pytest.mark.parametrize(
    ("p", "text"),
    [
        (0.0831, ".083"),
        (0.05, ".050"),
        (0.0004, "< .001"),
        (1e-300, "< .001"),
        (0.9996, "> .999"),
        (1.0, "> .999"),
        (0.001, ".001"),
    ],
)
def test_p(p: float, text: str) -> None:
    assert w.p_bare(p) == text


@pytest.mark.parametrize(
    ("x", "d", "text"),
    [
        (-5.46, 1, "−5.5"),
        (-0.04, 1, "0.0"),
        (12345.6, 1, "12\u2009345.6"),
        (1234.5, 0, "1234"),
        (2.94e9, 2, "2\u2009940\u2009000\u2009000.00"),
        (0.00002, 2, "2.000 × 10⁻⁵"),
        (0, 3, "0.000"),
    ],
)
def test_numbers(x: float, d: int, text: str) -> None:
    assert w.number(x, d) == text


SPOKEN = {
    "no": "“No”",
    "yes": "“Yes”",
    "read aloud": "Read aloud",
    "quiet": "Quiet",
    "übung": "Übung",
    "old, alone": "Old, alone",
    "Hall": "Hall",
}
SIGNS = ("pH", "m2", "a", "", "24 °C", "treat1 high")


@pytest.mark.parametrize(("name", "begun"), [*SPOKEN.items(), *((sign, sign) for sign in SIGNS)])
def test_a_level_begins_a_sentence_as_words_do_and_signs_do_not(name: str, begun: str) -> None:
    assert w.begun(name) == begun


def test_other_words() -> None:
    assert w.share(0.236) == ".24" and w.share(-0.02) == "−.02" and w.share(1.0) == "1.00"
    assert w.df(69.84) == "69.8" and w.df(2.0) == "2"
    assert w.listing(["a", "b", "c", "d", "e"]) == "a, b, c and 2 more"
    assert w.level_words(0.05) == "95%" and w.level_words(0.001) == "99.9%"
    assert q.num(np.nan, 2, why="one value").why == "one value"


def layers(figure: Figure) -> list[dict]:  # type: ignore[type-arg]
    return draw(figure, data()).vega["layer"]  # type: ignore[no-any-return]


def whiskers(figure: Figure) -> list[tuple[float, float]]:
    return [(v["low"], v["high"]) for v in layers(figure)[0]["data"]["values"]]


def test_whiskers() -> None:
    alcove = np.sort(data().groups.part(0))
    base = Figure(response="y", groups="g", show=["box"])
    assert whiskers(base)[0][1] < 90  # the far value is beyond 1.5 interquartile ranges
    assert whiskers(base.model_copy(update={"whiskers": "range"}))[0] == (alcove[0], 90.0)
    chosen = base.model_copy(update={"whiskers": "percentiles", "low_percentile": 10, "high_percentile": 90})
    assert whiskers(chosen)[0] == pytest.approx(tuple(np.quantile(alcove, [0.1, 0.9])))


def test_values_beyond_the_whiskers_are_drawn_when_points_are_not() -> None:
    only_box = layers(Figure(response="y", groups="g", show=["box"]))
    assert [v["y"] for v in only_box[-1]["data"]["values"]] == [90.0]


def test_jitter_is_seeded() -> None:
    figure = Figure(response="y", groups="g", show=["points"])
    assert layers(figure) == layers(figure)
    assert layers(figure) != layers(figure.model_copy(update={"seed": 2}))
    still = layers(figure.model_copy(update={"jitter": 0}))[0]["data"]["values"]
    assert {v["x"] for v in still} == {0.0, 1.0}


@pytest.mark.parametrize(("interval", "factor"), [("sd", 1.0), ("se", 61**-0.5), ("none", 0.0)])
def test_bars_around_means(interval: str, factor: float) -> None:
    mean = layers(Figure(response="y", groups="g", show=["mean"], interval=interval))[0]["data"]["values"][0]  # type: ignore[arg-type]
    g = data().groups
    reach = {"sd": 1.0, "se": g.n[0] ** -0.5, "none": 0.0}[interval] * np.sqrt(g.variances[0])
    assert mean["high"] - mean["mean"] == pytest.approx(reach)


def test_marks_and_caption_come_from_the_answer() -> None:
    found = answer("compare_groups", TABLE, {"response": "y", "groups": "g"})
    drawing = draw(Figure(response="y", groups="g", marks_from="q"), data(), found.marks)
    texts = [
        v["text"]
        for layer in drawing.vega["layer"]
        if layer["mark"]["type"] == "text"
        for v in layer["data"]["values"]
    ]
    assert texts[:2] == list(found.marks.letters.values())
    caption = w.plain(drawing.caption)
    assert "n = 31 and 30" in caption and "share a letter" in caption
    own = draw(Figure(response="y", groups="g", caption="Mine."), data())
    assert w.plain(own.caption) == "Mine." and w.plain(own.own_caption).startswith("y by g")


def test_a_large_table_is_thinned_and_says_so() -> None:
    big = read(b"g,y\n" + b"\n".join(b"%s,%d" % ([b"a", b"b"][i % 2], i) for i in range(9000)))[0]
    drawing = draw(Figure(response="y", groups="g"), grouped(big, "y", "g", []))
    assert "Points are a random 2000 of 9000 values" in w.plain(drawing.caption)
    assert len(json.dumps(drawing.vega)) < 400_000


def test_size_colour_and_bounds() -> None:
    vega = draw(
        Figure(response="y", groups="g", width_mm=100, y_min=-10, y_max=120, colours={"Alcove": "#112233"}), data()
    ).vega
    assert vega["width"] == round(100 * 96 / 25.4)
    assert vega["encoding"]["y"]["scale"]["domain"] == [-10, 120]
    assert "#112233" in json.dumps(vega)
    with pytest.raises(ValueError, match="colour of Alcove"):
        Figure(colours={"Alcove": "red"})
    with pytest.raises(ValueError, match="end above"):
        Figure(y_min=5, y_max=5)


def test_images_of_awkward_names() -> None:
    table = read('g,y\n"a\'b""c <svg>\\",1\n"a\'b""c <svg>\\",2\nσ²−μ,3\nσ²−μ,5\n'.encode())[0]
    vega = draw(Figure(response="y", groups="g"), grouped(table, "y", "g", [])).vega
    text = svg(vega)
    assert "<svg>\\" not in text.split(">", 1)[1] and "σ²−μ" in text
    image = png(vega, 300)
    assert int.from_bytes(image[16:20], "big") == pytest.approx(85 / 25.4 * 300, abs=4)


def test_a_figure_says_what_is_wrong() -> None:
    with pytest.raises(DataProblem, match="chosen twice"):
        grouped(TABLE, None, None, ["y", "y"])
    with pytest.raises(DataProblem, match="Choose a measurement"):
        grouped(TABLE, "y", None, [])


@pytest.mark.parametrize(
    "values", [np.r_[np.random.default_rng(0).normal(size=1000), 5.0], np.arange(50.0) % 7, np.full(5, 3.0)]
)
def test_histogram_counts(values: np.ndarray) -> None:
    from yavik.core.figures.pictures import histogram
    from yavik.core.stats.groups import Groups
    from yavik.core.table import Column, Kind

    groups = Groups.of(values, np.zeros(len(values), np.int32), np.arange(len(values)), ("",))
    bins = histogram(Column(name="y", kind=Kind.measure), groups)[0]["data"]["values"]
    edges = [b["a"] for b in bins] + [bins[-1]["b"]]
    assert [b["n"] for b in bins] == np.histogram(values, edges)[0].tolist()
    assert sum(b["n"] for b in bins) == len(values)
