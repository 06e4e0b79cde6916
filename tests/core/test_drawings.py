"""Every picture of every answer can be drawn as it is, and says in words what it shows."""

import json
from typing import Any

import numpy as np
import pytest

from tests.core.test_options import CASES
from tests.tables import named
from yavik.core.answers import FigureBlock
from yavik.core.figures.images import svg
from yavik.core.figures.plots import Bar, Cloud, Line, curve, forest, profile, quantiles, scatter
from yavik.core.figures.shades import heat, shares
from yavik.core.methods import answer


@pytest.mark.parametrize(
    ("method", "table", "spec"), [(m, t, s) for m, t, s, _ in CASES], ids=lambda x: x if isinstance(x, str) else None
)
def test_each_picture_is_drawn(method: str, table: str, spec: dict[str, Any]) -> None:
    found = answer(method, named(table), spec)
    pictures = [b for b in found.blocks if isinstance(b, FigureBlock)]
    for picture in pictures:
        drawn = svg(picture.drawing)
        text = drawn.decode() if isinstance(drawn, bytes) else drawn
        assert text.startswith("<svg") and "NaN" not in text and "undefined" not in text, picture.id
        assert picture.drawing["description"] == picture.alt
        assert len({b.id for b in found.blocks}) == len(found.blocks)


def values(drawn: tuple[dict[str, Any], str]) -> list[dict[str, Any]]:
    vega = drawn[0]
    return vega["data"]["values"] if "data" in vega else vega["layer"][0]["data"]["values"]  # type: ignore[no-any-return]


def test_points_are_thinned_the_same_way_each_time_and_tell_their_rows() -> None:
    x = np.arange(9000.0)
    drawn = scatter([Cloud("all", x, x, np.arange(1, 9001))], "x", "y")
    shown = values(drawn)
    assert len(shown) == 2000 and all(v["tx"] == v["row"] - 1 for v in shown)
    assert values(scatter([Cloud("all", x, x, np.arange(1, 9001))], "x", "y")) == shown
    assert "9000 rows" in drawn[1]


def test_jitter_moves_only_values_that_repeat_and_tells_the_true_ones() -> None:
    x = np.repeat([1.0, 2.0, 3.0], 10)
    y = np.linspace(0, 1, 30)
    shown = values(scatter([Cloud("all", x, y, np.arange(30))], "x", "y", jitter=True))
    assert any(v["x"] != v["tx"] for v in shown) and all(abs(v["x"] - v["tx"]) <= 0.3 for v in shown)
    assert all(v["y"] == v["ty"] for v in shown)


def test_intervals_leave_out_what_is_not_known() -> None:
    drawn = forest([Bar("a", 1, 0, 2, True), Bar("b", 2, np.nan, 3), Bar("c", 3, 2, np.inf)], "Difference")
    assert [v["name"] for v in values(drawn)] == ["a"] and "a 1.00 (0 to 2.00)" in drawn[1]


def test_means_without_an_interval_are_points() -> None:
    drawn = profile(
        [Line("one", [1.0, np.nan, 3.0], [0.5, np.nan, np.nan], [1.5, np.nan, np.nan])],
        ["t1", "t2", "t3"],
        "time",
        "mean",
        None,
    )
    shown = values(drawn)
    assert [(v["place"], v["low"], v["high"]) for v in shown] == [("t1", 0.5, 1.5), ("t3", 3.0, 3.0)]


def test_names_that_could_end_a_text_do_not() -> None:
    for drawn in (
        profile([Line("q\"']", [1.0], [0.0], [2.0])], ["a\"b'c]"], "time", "mean", None),
        shares(["a\"b'c", "d"], ["u\"'", "v"], [[1, 2], [3, 4]], "rows", "columns"),
        heat(["a\"'", "b", "c"], np.eye(3), [[""] * 3] * 3, "Matrix."),
    ):
        assert svg(drawn[0])


def test_shares_are_as_high_as_their_rows_are_many() -> None:
    shown = values(shares(["few", "many"], ["no", "yes"], [[5, 5], [10, 40]], "group", "answer"))
    tall = {v["row"]: v["low"] - v["top"] for v in shown}
    assert tall["many"] == pytest.approx(5 * tall["few"])
    assert sum(v["b"] - v["a"] for v in shown if v["row"] == "many") == pytest.approx(100)
    assert json.dumps(shown).count("80.0%") == 1


def test_a_quantile_line_goes_through_the_quartiles() -> None:
    theory = np.linspace(-2, 2, 41)
    drawn = quantiles(theory, 3 + 2 * theory, np.arange(41), "Normal", "y")
    line = drawn[0]["layer"][1]["data"]["values"]
    assert [p["y"] for p in line] == pytest.approx([-1, 7])


def test_a_curve_picks_out_its_point() -> None:
    drawn = curve([("power", [1, 2, 3], [0.1, 0.5, 0.9])], "n", "Power", mark=(2, 0.5), high=1.0)
    assert drawn[0]["layer"][1]["data"]["values"] == [{"x": 2, "y": 0.5}]
