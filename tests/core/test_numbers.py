"""Numbers as texts: those that were given keep every digit, in sentences, conditions, levels and settings."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.laws import beside_its_number, slips
from tests.tables import table_from
from yavik.core.answers.answer import Cell
from yavik.core.answers.wording import NoNumber, given, share, share_fine
from yavik.core.methods import answer
from yavik.core.report.appendix import _value
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem
from yavik.core.table.written import written


@pytest.mark.parametrize(
    ("x", "text"),
    [
        (0.0, "0"), (-3.0, "-3"), (1234567.5, "1234567.5"), (1e9 + 50, "1000000050"), (-0.00005, "-0.00005"),
        (0.1, "0.1"), (1e15, "1000000000000000"), (1e20, "1e+20"), (-1e-9, "-1e-09"),
    ],
)  # fmt: skip
def test_a_number_is_written_with_all_its_digits(x: float, text: str) -> None:
    assert written(x) == text


@drawn(st.floats(allow_nan=False, allow_infinity=False))
def test_what_is_written_reads_back(x: float) -> None:
    assert float(written(x)) == x
    assert ("e" in written(x)) == (x != 0 and not 1e-7 <= abs(x) < 1e16)


@pytest.mark.parametrize(
    ("x", "text"),
    [
        (12500.75, "12\u2009500.75"), (9999.5, "9999.5"), (-1234567.0, "−1\u2009234\u2009567"), (5e-05, "0.00005"),
        (0, "0"), (50 - 10.7, "39.3"), (2e20, "2.000 × 10²⁰"), (-3e-12, "−3.000 × 10⁻¹²"),
    ],
)  # fmt: skip
def test_a_given_number_in_a_sentence(x: float, text: str) -> None:
    assert given(x) == text


def test_no_sentence_speaks_of_what_is_no_number() -> None:
    for x in (math.nan, math.inf):
        with pytest.raises(NoNumber):
            given(x)


@drawn(st.floats(-50, 50))
def test_a_share_that_lies_beyond_one_keeps_all_its_digits(x: float) -> None:
    """An intraclass correlation estimated far below nought is no share, and not to be cut to one."""
    for made, places in ((share, 2), (share_fine, 3)):
        assert float(made(x).replace("−", "-")) == pytest.approx(x, abs=0.5000001 * 10**-places)
        assert made(x).startswith(("0", "-0", "−0")) is False


def test_an_intraclass_correlation_far_below_nought_is_printed_whole() -> None:
    table = table_from(a=[1, 2, 3, 4, 5, 6], b=[6, 5, 4, 3, 2, 1.5], c=[3, 3, 3, 3, 3, 3])
    found = answer("agreement", table, {"raters": ["a", "b", "c"]})
    cells = [row["estimate"] for row in found.block("icc").rows]
    assert min(float(c.v) for c in cells if c.v is not None) < -1
    assert all(beside_its_number(c) is not False for c in cells)


def test_a_coded_column_is_compared_with_a_large_number() -> None:
    table = table_from(code=[1234567, 1234568, 1234567], x=[1.0, 2, 3])
    path = [
        {"step": "kind", "column": "code", "kind": "category"},
        {"step": "keep_rows", "where": "code == 1234567"},
    ]
    kept = apply_path(table, [new_step(s) for s in path])
    assert [e.problem for e in kept.effects] == [None, None]
    assert kept.table.numbers("x").tolist() == [1, 3]


def test_the_settings_of_a_method_are_told_with_every_digit() -> None:
    assert _value(1234567.5) == "1\u2009234\u2009567.5"
    assert _value(0.05) == "0.05"


@pytest.fixture(scope="module")
def jump() -> Any:
    """A jump of 3 at a cut-off of seven digits."""
    rng = np.random.default_rng(2)
    score = 1_234_567 + rng.uniform(-80, 80, 900).round(1)
    y = 0.01 * (score - 1_234_567) + 3 * (score >= 1_234_567) + rng.normal(size=900)
    return table_from(score=score.tolist(), y=y.round(3).tolist())


def test_a_cut_off_of_many_digits_is_told_whole_and_its_conditions_hold(jump: Any) -> None:
    spec = {"outcome": "y", "running": "score", "cutoff": 1234567.0}
    found = answer("discontinuity", jump, spec)
    assert "crosses 1\u2009234\u2009567 " in found.headline
    opened = [s for b in found.blocks if b.id == "sensitivity" for s in (b.opens or []) if s and s.get("where")]  # type: ignore[union-attr]
    assert opened
    for one in opened:
        assert "1234567" in one["where"] and "e+" not in one["where"]
        own = answer("discontinuity", jump, {**spec, **one})
        assert own.rows.used < found.rows.used and slips(own.headline) == []


def test_a_constant_is_told_with_every_digit() -> None:
    table = table_from(t=list(range(1, 21)), y=[1234567.25] * 20)
    with pytest.raises(DataProblem, match=r"1\u2009234\u2009567\.25 at every time"):
        answer("series", table, {"value": "y", "time": "t"})


@pytest.mark.parametrize(
    ("cell", "holds"),
    [
        (Cell(v=0.3987, s=".40"), True), (Cell(v=0.3987, s=".41"), False), (Cell(v=-10.88, s="−1.88"), False),
        (Cell(v=0.694, s="69.4%"), True), (Cell(v=12004, s="12\u2009004"), True), (Cell(v=1.2e-5, s="1.2 × 10⁻⁵"), True),
        (Cell(v=0.0002, s="<\xa0.001"), True), (Cell(v=0.002, s="<\xa0.001"), False), (Cell(v=3, s="three"), None),
        (Cell(v=None, s="–", why="no spread"), None), (Cell(v=0.9996, s=">\xa0.999"), True),
    ],
)  # fmt: skip
def test_the_law_of_cells_can_be_broken(cell: Cell, holds: bool | None) -> None:
    assert beside_its_number(cell) is holds


@pytest.mark.parametrize(
    "text",
    ["p = nan", "1 rows changed.", "a  b", "differs .", "(open", "4e+06 rows", "a {slot}", "Means of x over ."],
)
def test_the_law_of_words_can_be_broken(text: str) -> None:
    assert slips(text)


@pytest.mark.parametrize(
    "text", ["1.1 times as much", "p = .03, n = 12 004 (rows).", "Levene … about", "at 11 levels"]
)
def test_the_law_of_words_lets_sentences_be(text: str) -> None:
    assert slips(text) == []


BIG = 1_234_567.25
"""A number of nine digits: six of them are another number."""


def wide(n: int = 60) -> Any:
    """Measures of seven digits, and an outcome that follows one of them."""
    rng = np.random.default_rng(6)
    area = BIG + rng.uniform(-5e5, 5e5, n).round(2)
    return table_from(
        area=area.tolist(),
        depth=rng.normal(5, 1, n).round(2).tolist(),
        site=np.array(["dune", "marsh", "wood"])[np.arange(n) % 3].tolist(),
        y=(area / 1e5 + rng.normal(size=n)).round(3).tolist(),
    )


def test_the_amount_that_a_coefficient_is_for_is_told_whole() -> None:
    spec = {"response": "y", "terms": ["area"], "per": {"area": BIG}}
    found = answer("linear", wide(), spec)
    words = " ".join(
        [found.headline, *(c.s for b in found.blocks if b.type == "table" for r in b.rows for c in r.values())]
    )
    assert "1\u2009234\u2009567.25" in words and "e+" not in words


def test_where_an_effect_is_held_and_refused_is_told_whole() -> None:
    spec = {"response": "y", "factors": ["site"], "covariates": ["depth"], "at": {"area": BIG}}
    with pytest.raises(DataProblem, match=r"area is held at 1\u2009234\u2009567\.25"):
        answer("factorial", wide(), spec)


def test_a_question_is_named_after_its_whole_value() -> None:
    from yavik.core.methods.registry import get, parse_spec

    name = get("one_sample").name
    assert name(parse_spec("one_sample", {"column": "y", "value": BIG})) == "y against 1\u2009234\u2009567.25"


@pytest.mark.parametrize("method", ["arima", "smoothing"])
def test_a_series_that_does_not_move_is_told_with_every_digit(method: str) -> None:
    table = table_from(t=list(range(1, 41)), y=[BIG] * 40)
    with pytest.raises(DataProblem, match=r"1\u2009234\u2009567\.25"):
        answer(method, table, {"value": "y", "time": "t"})


def test_ratings_that_are_all_the_same_are_told_with_every_digit() -> None:
    table = table_from(a=[BIG] * 6, b=[BIG] * 6)
    with pytest.raises(DataProblem, match=r"Every rating is 1\u2009234\u2009567\.25"):
        answer("agreement", table, {"raters": ["a", "b"], "kind": "limits"})


@pytest.mark.parametrize(
    ("first", "words"),
    [
        (["yes", "no", "no", "no", "yes"], "1 of 5 rows changed: 1 has yes only for"),
        (["yes", "yes", "no", "no", "yes"], "2 of 5 rows changed: 2 have yes only for"),
    ],
)
def test_one_row_has_and_several_have(first: list[str], words: str) -> None:
    table = table_from(before=first, after=["no", "no", "no", "no", "yes"])
    found = answer("paired_proportions", table, {"columns": ["before", "after"]})
    assert words in found.headline and slips(found.headline) == []


@pytest.mark.parametrize(("names", "words"), [(["a", "b", "c"], "1 of 1 pair "), (["a", "b", "d"], "of 3 pairs ")])
def test_pairs_of_columns_are_counted_in_words(names: list[str], words: str) -> None:
    """Of three columns one of which has no spread a single pair is left."""
    rng = np.random.default_rng(1)
    a = rng.normal(size=30)
    columns = {"a": a, "b": a + 0.1 * rng.normal(size=30), "c": np.full(30, 2.0), "d": rng.normal(size=30)}
    table = table_from(**{k: v.round(3).tolist() for k, v in columns.items()})
    found = answer("correlate", table, {"columns": names})
    assert words in found.headline and slips(found.headline) == []


@pytest.mark.parametrize("far", [1.0, 1e4, 1e8])
def test_the_words_of_a_picture_hold_no_powers_of_ten_as_machines_write_them(far: float) -> None:
    from yavik.core.figures.plots import Bar, forest

    bars = [Bar("one", 2.5 * far, 1.5 * far, 3.5 * far), Bar("none", math.nan, math.nan, math.nan)]
    drawn, alt = forest(bars, "Total")
    assert alt.startswith("Total with intervals: one ") and "none" not in alt
    assert slips(alt) == [] and [v["name"] for v in drawn["data"]["values"]] == ["one"]


def test_a_small_share_at_the_edge_of_one_is_written_with_it() -> None:
    for x, text in (
        (0.996, "1.00"),
        (-0.996, "−1.00"),
        (0.994, ".99"),
        (-0.001, ".00"),
        (1.004, "1.00"),
        (-1.2, "−1.20"),
    ):
        assert share(x) == text
