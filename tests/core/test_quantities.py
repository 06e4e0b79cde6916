"""Quantities: one value, and all that is a view of it: cell, head, bold, interval, sentence."""

import math
from typing import Any, NamedTuple

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yavik.core.answers import RowsUsed
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import plain, say
from yavik.core.methods.kit.analysis import effect, source
from yavik.core.methods.kit.claims import at_alpha, ends
from yavik.core.methods.kit.pairs import MOST_OPEN, pairs_table
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.pairwise import Pairs

NAN, INF = math.nan, math.inf
numbers = st.floats(allow_nan=True, allow_infinity=True)
MAKERS: dict[str, Any] = {
    "num": lambda v: q.num(v, 2), "est": lambda v: q.est(v, 1, "b"), "size": q.size, "fine": q.fine, "part": q.part,
    "stat": lambda v: q.stat(v, "t"), "df": q.df, "p": q.p,
}  # fmt: skip


class Tested(NamedTuple):
    """A test by F, t or χ²."""

    f: float
    t: float
    chi2: float
    df: float
    df1: float
    df2: float
    p: float


WELCH = Tested(12.55, -3.5, 9.2, 3, 2, 68.7, 0.0000213)


@given(numbers, st.sampled_from(sorted(MAKERS)))
def test_what_is_not_finite_is_a_dash_with_its_reason(value: float, maker: str) -> None:
    cell = MAKERS[maker](value).cell
    if math.isfinite(value):
        assert cell.v == value and cell.why is None and cell.s not in ("", "–")
    else:
        assert (cell.v, cell.s) == (None, "–") and cell.why


@pytest.mark.parametrize(
    ("made", "head", "role", "align"),
    [
        (q.name("Elm", "Room"), "Room", "name", "left"),
        (q.said("it differs", "Says"), "Says", "said", "left"),
        (q.word("a", "Letters"), "Letters", "word", "right"),
        (q.count(1234), "n", "count", "right"),
        (q.est(2.5, 1, "Difference", "min"), "Difference (min)", "estimate", "right"),
        (q.p(0.04), "p", "p", "right"),
        (q.stat(2.1, "F", lowered="W"), "F", "statistic", "right"),
    ],
)
def test_a_head_is_a_view_of_its_quantities(made: q.Quantity, head: str, role: str, align: str) -> None:
    found = q.table("t", "T", [q.row(x=made)]).columns[0]
    assert (found.title, found.role, found.align) == (head, role, align)


def test_a_number_under_the_key_of_an_estimate_is_one() -> None:
    found = q.table("t", "T", [q.row(slope=q.num(1.0, 1, "Slope"), estimate=q.num(1.0, 1, "Estimate"))])
    assert [c.role for c in found.columns] == ["value", "estimate"]
    assert (found.columns[0].italic, q.table("t", "T", [q.row(t=q.stat(1.0, "t"))]).columns[0].italic) == (
        False,
        True,
    )


def test_columns_come_from_the_first_row_that_has_them_and_p_is_what_is_marked() -> None:
    rows = [
        q.row(term=q.name("a"), p=q.p(0.2)),
        q.row(term=q.name("b"), estimate=q.num(3, 0, "Estimate"), p=q.p(0.01)),
    ]
    made = q.table("t", "T", rows, marked=[1])
    assert [c.key for c in made.columns] == ["term", "p", "estimate"]
    assert made.strong == ["p"]
    assert [made.bold(i, "p") for i in (0, 1)] == [False, True]
    assert [c.key for c in q.table("t", "T", rows, order=["p", "term"]).columns] == ["p", "term"]


def test_a_value_kept_for_others_has_no_column() -> None:
    made = q.table("t", "T", [q.row(a=q.name("a"), se=q.num(0.5, 1, None))])
    assert [c.key for c in made.columns] == ["a"]
    assert made.rows[0]["se"].v == 0.5


@given(st.floats(-1e6, 1e6), st.floats(0, 1e6))
def test_an_interval_is_one_cell_of_words_with_both_ends_kept(low: float, width: float) -> None:
    made = q.ci(low, low + width, 3, 0.05)
    assert made["ci_low"].title == "95% CI" and made["ci_low"].role == "interval"
    assert (made["ci_low"].v, made["ci_high"].v) == (low, low + width)
    assert made["ci_high"].title is None
    assert made["ci_low"].s.count(" to ") == 1


@pytest.mark.parametrize("value", [5e-324, -5e-324, 1e-310, 1.7e308, 9.9996e-7])
def test_the_smallest_and_largest_doubles_have_words(value: float) -> None:
    assert "× 10" in q.num(value, 3).s


@pytest.mark.parametrize(
    ("low", "high", "words", "values"),
    [
        (1.0, INF, "above 1.0", (1.0, None)),
        (-INF, 2.0, "below 2.0", (None, 2.0)),
        (-INF, INF, "–", (None, None)),
        (NAN, 2.0, "–", (None, None)),
    ],
)
def test_an_open_end_is_written_as_such(low: float, high: float, words: str, values: tuple[Any, Any]) -> None:
    made = q.ci(low, high, 1, 0.05)
    assert made["ci_low"].s == words
    assert (made["ci_low"].v, made["ci_high"].v) == values


def test_a_sentence_and_a_table_say_the_same_test() -> None:
    cells = q.f_cells(WELCH, lowered="W")
    assert [cells[k].s for k in ("f", "df1", "df2", "p")] == ["12.55", "2", "68.7", "< .001"]
    assert plain(q.tested_f(WELCH, lowered="W")).replace("\u00a0", " ") == "FW(2, 68.7) = 12.55, p < .001"
    assert [s.style for s in q.tested_f(WELCH, lowered="W")][:2] == ["italic", "sub"]
    assert (
        plain(q.tested("χ²", 9.2, (3,), 0.027, n=1200)).replace("\u00a0", " ") == "χ²(3, n = 1200) = 9.20, p = .027"
    )
    assert list(q.f_cells(WELCH, "p", "f")) == ["p", "f"]


@pytest.mark.parametrize("cells", [q.f_cells, q.t_cells, q.chi2_cells])
def test_a_text_in_the_place_of_a_test_says_why_there_is_none(cells: Any) -> None:
    made = cells("every value is the same")
    assert {c.why for c in made.values()} == {"every value is the same"}
    assert all(c.why is None for c in cells(WELCH).values())


@given(st.floats(0, 1), st.sampled_from([0.01, 0.05, 0.1]))
def test_a_word_of_one_test_follows_its_alpha(p: float, alpha: float) -> None:
    assert at_alpha(p, alpha).s == ("differ" if p < alpha else "no evidence")
    assert at_alpha(NAN, alpha, why="no spread").why == "no spread"


def test_an_interval_in_a_sentence() -> None:
    assert [ends(1, 2, 1), ends(1, INF, 1), ends(-INF, 2, 1)] == ["1.0 to 2.0", "above 1.0", "below 2.0"]
    assert ends(-INF, INF, 1) == "cannot be given with so few values"


def test_a_source_without_a_test_is_empty_and_one_that_lost_it_says_why() -> None:
    rest = source("Residual", 20.0, 8, 1, ms=2.5)
    assert (rest["f"].s, rest["p"].s, rest["f"].why) == ("", "", None)
    lost = source("Room", 3.0, 2, 1, ms=1.5, tested=True, why="nothing is left to judge by")
    assert lost["f"].why == lost["p"].why == "nothing is left to judge by"
    assert source("Total", 23.0, 10, 1)["ms"].s == ""
    assert "partial_eta2" not in source("Total", 23.0, 10, 1, sizes=False)


def test_an_effect_size_says_its_interval_or_why_it_has_none() -> None:
    whole = effect("η²", Size(0.25, 0.1, 0.4), 0.05, decimals=None)
    assert (whole["estimate"].s, whole["ci_low"].s) == (".25", ".10 to .40")
    bare = effect("d", Size(0.5, NAN, NAN), 0.1, why_ci="from summaries alone")
    assert (bare["estimate"].s, bare["ci_low"].why, bare["ci_low"].title) == (
        "0.50",
        "from summaries alone",
        "90% CI",
    )


def pairs(k: int, p: float = 0.2) -> Pairs:
    a, b = np.triu_indices(k, 1)
    m = len(a)
    one = np.ones(m)
    return Pairs(a, b, one, one / 2, 2 * one, 10 * one, p * one, p * one, one - 1, one + 1)


def test_a_table_of_pairs_is_marked_by_the_adjusted_p_and_folded_when_long() -> None:
    found = pairs(3)
    found.p_adjusted[1] = 0.01
    made = pairs_table(found, ["a", "b", "c"], 0.05, decimals=1, title="Pairs", by="Holm", unit="min")
    assert (made.marked, made.by, made.folded) == ([1], "Holm", False)
    assert [made.rows[1][k].v for k in ("pair", "group_a", "group_b")] == ["a – c", "a", "c"]
    assert next(c for c in made.columns if c.key == "difference").title == "Difference (min)"
    assert "p" not in [c.key for c in made.columns] and made.rows[0]["p"].v == 0.2
    many = pairs_table(pairs(7), list("abcdefg"), 0.05, decimals=1, title="Pairs", by="Holm")
    assert len(many.rows) > MOST_OPEN and many.folded


def test_blocks_that_have_nothing_to_show_are_left_out() -> None:
    table = q.table("t", "T", [q.row(a=q.name("a"))])
    made = compose(say("It is so."), short="so", blocks=[None, table, None], checks=[], rows=RowsUsed(total=3, used=3), facts={"p": NAN, "n": 3}, settings=[])  # fmt: skip
    assert [b.id for b in made.blocks] == ["t"]
    assert made.facts == {"n": 3}
