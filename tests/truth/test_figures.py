"""What figures compute on their own: densities, local regression, bands, colour differences, lent lines."""

import numpy as np
import pytest
import statsmodels.api as sm
import statsmodels.formula.api as smf
from scipy import stats

from tests.tables import demo_tables, table_from
from yavik.core.answers.lending import lent_marks
from yavik.core.figures import Figure, Lent, draw_figure
from yavik.core.figures.lends import fitting, lends, lent
from yavik.core.figures.telling_apart import difference, lab, linear
from yavik.core.methods import answer
from yavik.core.stats.density import bandwidth, density
from yavik.core.stats.local import local_line

T = demo_tables()
RNG = np.random.default_rng(20)


@pytest.mark.parametrize(
    "values", [RNG.normal(size=300), RNG.exponential(3, 1000) + 40, RNG.integers(0, 9, 200).astype(float)]
)
def test_density_against_the_sum_of_kernels(values: np.ndarray) -> None:
    ordered = np.sort(values)
    width = bandwidth(ordered)
    at, found = density(ordered, width)
    kernel = stats.gaussian_kde(ordered, bw_method=width / ordered.std(ddof=1))
    assert found == pytest.approx(kernel(at), abs=2e-3 * found.max())
    wide, tall = density(ordered, width, ordered[0] - 8 * width, ordered[-1] + 8 * width)
    assert np.trapezoid(tall, wide) == pytest.approx(1, abs=0.01)


def test_silvermans_bandwidth() -> None:
    x = np.sort(RNG.normal(size=500))
    iqr = np.subtract(*np.quantile(x, [0.75, 0.25]))
    assert bandwidth(x) == pytest.approx(0.9 * min(x.std(ddof=1), iqr / 1.34) * 500**-0.2)
    assert bandwidth(np.array([2.0])) == 0 and bandwidth(np.full(5, 3.0)) == 0


@pytest.mark.parametrize("span", [0.3, 0.75, 1.0])
def test_local_regression_against_the_library(span: float) -> None:
    x = np.sort(RNG.uniform(0, 10, 120))
    y = np.sin(x) + RNG.normal(0, 0.2, 120)
    there = sm.nonparametric.lowess(y, x, frac=span, it=0, xvals=x[::7])
    assert local_line(x, y, x[::7], span) == pytest.approx(there, rel=1e-6)


def test_bands_of_a_straight_line_against_the_library() -> None:
    b = T["Branches"]
    x, y = b.numbers("floor_area"), b.numbers("visits")
    vega = draw_figure(Figure(kind="relation", response="visits", x="floor_area", show=["line"]), b).vega
    area = next(v for v in vega["layer"] if v["mark"]["type"] == "area")["data"]["values"]
    fit = sm.OLS(y, sm.add_constant(x)).fit()
    there = fit.get_prediction(sm.add_constant(np.array([v["x"] for v in area]))).conf_int(alpha=0.05)
    assert np.array([[v["low"], v["high"]] for v in area]) == pytest.approx(there, rel=1e-5)


def test_intervals_of_means_and_shares() -> None:
    made = draw_figure(
        Figure(kind="course", response="fluency", x="week", colour="tutoring", show=["line", "band"]), T["Fluency"]
    )
    assert made.behind is not None
    d = T["Fluency"]
    own = d.numbers("fluency")[(d.numbers("week") == 1) & (d.codes("tutoring").codes == 0)]
    low, high = stats.t.interval(0.95, len(own) - 1, own.mean(), own.std(ddof=1) / np.sqrt(len(own)))
    first = made.behind.rows[0]
    assert (first["low"].v, first["high"].v) == pytest.approx((low, high), rel=1e-9)


SHARMA = [
    ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425), ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
    ((50, 2.8361, -74.0200), (50, 0, -82.7485), 3.4412), ((50, 0, 0), (50, -1, 2), 2.3669),
    ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792), ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
    ((50, -0.001, 2.49), (50, 0.0009, -2.49), 4.8045), ((50, 2.5, 0), (73, 25, -18), 27.1492),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
]  # fmt: skip
"""Pairs of Sharma, Wu and Dalal (2005), table 1."""


@pytest.mark.parametrize(("one", "other", "expected"), SHARMA)
def test_colour_differences_as_published(one: tuple[float, ...], other: tuple[float, ...], expected: float) -> None:
    assert difference(np.array(one), np.array(other)) == pytest.approx(expected, abs=5e-5)
    assert difference(np.array(other), np.array(one)) == pytest.approx(expected, abs=5e-5)


def test_white_and_red_in_lab() -> None:
    assert lab(linear("#ffffff")) == pytest.approx([100, 0, 0], abs=0.02)
    assert lab(linear("#ff0000")) == pytest.approx([53.24, 80.09, 67.20], abs=0.02)


def test_lines_that_a_model_lends_are_its_own_predictions() -> None:
    b = T["Branches"]
    found = answer("linear", b, {"response": "visits", "terms": ["floor_area", {"column": "floor_area", "power": 2}]})
    line = next(f for f in found.marks.fitted if f.over == "floor_area" and f.by is None)
    data = {"visits": b.numbers("visits"), "a": b.numbers("floor_area")}
    there = smf.ols("visits ~ a + I(a**2)", data).fit().get_prediction({"a": np.array(line.x)}).summary_frame(0.05)
    assert line.y == pytest.approx(there["mean"].to_numpy(), rel=1e-4)
    assert line.low == pytest.approx(there["mean_ci_lower"].to_numpy(), rel=1e-4)
    figure = Figure(kind="relation", response="visits", x="floor_area", show=["points"])
    marks = fitting(figure, lent_marks(found))
    made = draw_figure(figure, b, Lent("What predicts visits", marks))
    assert (
        "Lines are the model’s means" in "".join(s.t for s in made.caption)
        and "“What predicts visits”" in made.parts["answer"]
    )
    assert fitting(figure.model_copy(update={"x": "staff"}), lent_marks(found)).fitted == []


def test_brackets_carry_the_p_of_their_pair_and_do_not_overlap() -> None:
    spec = {"response": "minutes", "groups": "room"}
    found = answer("compare_groups", T["Room trial"], spec)
    pairs = [["Alcove", "Gallery"], ["Alcove", "Winter garden"], ["Gallery", "Winter garden"]]
    figure = Figure(response="minutes", groups="room", brackets=pairs)
    given = lent(figure, "Minutes by room", spec, found)
    assert given is not None
    table = next(b for b in found.blocks if b.id == "pairs")
    by_pair = {(r["group_a"].v, r["group_b"].v): r["p_adjusted"].v for r in table.rows}
    assert {(m.a, m.b): m.p for m in given.marks.pairs} == by_pair
    layers = draw_figure(figure, T["Room trial"], given).vega["layer"]
    bars = [v for x in layers for v in x["data"]["values"] if {"x", "x2", "y"} == set(v)]
    assert len(bars) == 3
    for i, a in enumerate(bars):
        for b in bars[:i]:
            assert a["y"] != b["y"] or a["x"] >= b["x2"] or b["x"] >= a["x2"]
    top = T["Room trial"].numbers("minutes").max()
    assert all(bar["y"] > 55 for bar in bars) and max(bar["y"] for bar in bars) > top


def test_which_questions_lend_to_which_figures() -> None:
    groups = Figure(response="y", groups="g")
    assert lends(groups, {"response": "y", "groups": "g"}) and not lends(groups, {"response": "z", "groups": "g"})
    over = Figure(kind="relation", response="y", x="a")
    assert lends(over, {"response": "y", "terms": [{"column": "a", "power": 2}, "b"]}) and not lends(
        over, {"response": "y", "terms": ["b"]}
    )
    assert lends(Figure(kind="spread", response="y"), {"column": "y"})
    assert not lends(Figure(), {})


def test_two_groups_lend_one_bracket_and_a_value_lends_its_line() -> None:
    two = answer("compare_two", T["Page tint"], {"response": "brightness", "groups": "mill"})
    pair = lent_marks(two).pairs
    assert len(pair) == 1 and pair[0].p == two.facts["p"]
    # An axis that begins far below the values leaves the bracket room above them.
    figure = Figure(response="brightness", groups="mill", y_min=20, brackets=[[pair[0].a, pair[0].b]])
    made = draw_figure(figure, T["Page tint"], Lent("Brightness", lent_marks(two))).vega
    bar = next(v for x in made["layer"] for v in x["data"]["values"] if {"x", "x2", "y"} == set(v))
    assert T["Page tint"].numbers("brightness").max() + 1 < bar["y"] < made["encoding"]["y"]["scale"]["domain"][1]
    one = answer("one_sample", table_from(y=[1.0, 2.0, 4.0, 5.5]), {"column": "y", "value": 2.5})
    assert [v.at for v in one.marks.values] == [2.5]
