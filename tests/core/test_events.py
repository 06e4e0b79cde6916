"""One rule says what is counted, whatever happens to occur; shares and tables lead with what can be relied on."""

from itertools import permutations
from typing import Any

import numpy as np
import pytest

from tests.tables import table_from
from yavik.core.methods.kit.events import event_word, says_yes
from yavik.core.methods.registry import answer
from yavik.core.stats.shares import score_interval
from yavik.core.stats.tables_of_counts import fisher_2x2, fisher_interval, independence
from yavik.core.table import DataProblem


@pytest.mark.parametrize(
    ("levels", "event"),
    [
        (["no", "yes"], "yes"),
        (["Yes", "No"], "Yes"),
        (["no"], "yes"),
        (["0"], "1"),
        (["0", "1"], "1"),
        (["0", "1", "2", "3", "4"], "4"),
        (["1", "2"], "2"),
        (["no", "yes", "unsure"], "yes"),
        (["left", "right"], "right"),
        (["n", "y"], "y"),
    ],
)
def test_the_event_is_read_from_the_levels(levels: list[str], event: str) -> None:
    assert event_word(levels) == event


def test_a_one_among_other_numbers_is_no_yes() -> None:
    assert says_yes(["0", "1", "2"]) is None


@pytest.mark.parametrize("none", [[0] * 30, ["no"] * 30, ["wrong"] * 30])
def test_a_column_without_events_has_a_share_of_zero(none: list[Any]) -> None:
    words = {0: (0, 1), "no": ("no", "yes"), "wrong": ("wrong", "zest")}[none[0]]
    some = [words[1]] * 13 + [words[0]] * 17
    for columns in permutations(["a", "b"]):
        found = answer("paired_proportions", table_from(a=none, b=some), {"columns": list(columns)})
        shares = {r["column"].s: r["share"].v for r in found.block("groups").rows}
        assert shares == {"a": 0.0, "b": pytest.approx(13 / 30)}
        assert found.facts["estimate"] == pytest.approx(shares[columns[0]] - shares[columns[1]])
    three = answer("paired_proportions", table_from(a=none, b=some, c=some[::-1]), {"columns": ["a", "b", "c"]})
    assert three.block("groups").rows[0]["share"].v == 0.0


def test_columns_of_other_pairs_are_not_compared() -> None:
    table = table_from(a=["yes", "no"] * 5, b=["right", "wrong"] * 5)
    with pytest.raises(DataProblem, match="4 different values"):
        answer("paired_proportions", table, {"columns": ["a", "b"]})


def test_counts_from_zero_to_four_have_no_share_of_one() -> None:
    rng = np.random.default_rng(2)
    table = table_from(late=rng.integers(0, 5, 200), card=rng.choice(["adult", "child"], 200))
    assert "share of 1 " not in answer("crosstab", table, {"rows": "card", "columns": "late"}).headline
    assert "late = 4" in answer("proportion", table, {"column": "late"}).headline


def test_one_direction_for_two_occasions() -> None:
    table = table_from(a=[1] * 12 + [0] * 18, b=[1] * 4 + [0] * 26)
    both = answer("paired_proportions", table, {"columns": ["a", "b"]})
    up = answer("paired_proportions", table, {"columns": ["a", "b"], "alternative": "greater"})
    assert up.facts["p"] == pytest.approx(both.facts["p"] / 2)
    assert "is higher for a than for b" in up.headline and "above" in up.headline
    down = answer("paired_proportions", table, {"columns": ["a", "b"], "alternative": "less"})
    assert down.facts["p"] > 0.9 and "no evidence" in down.headline


def test_p_and_interval_of_two_shares_never_disagree() -> None:
    rng = np.random.default_rng(1)
    for _ in range(400):
        n1, n2 = (int(x) for x in rng.integers(3, 60, 2))
        a, b = int(rng.integers(0, n1 + 1)), int(rng.integers(0, n2 + 1))
        if a + b in (0, n1 + n2):
            continue
        counts = np.array([[a, n1 - a], [b, n2 - b]], float)
        low, high = score_interval(a, n1, b, n2, 0.05)
        assert low <= a / n1 - b / n2 <= high
        assert (independence(counts).pearson.p < 0.05) == (low > 0 or high < 0)
        low, high = fisher_interval(counts, 0.05)
        assert (fisher_2x2(counts) < 0.05) == (low > 1 or high < 1), counts


@pytest.mark.parametrize("sizes", [(6, 1, 7, 8), (40, 25, 31, 50)])
def test_shares_and_the_table_of_counts_agree(sizes: tuple[int, int, int, int]) -> None:
    a, b, c, d = sizes
    table = table_from(
        group=["first"] * (a + b) + ["second"] * (c + d), done=["yes"] * a + ["no"] * b + ["yes"] * c + ["no"] * d
    )
    one = answer("proportion", table, {"column": "done", "groups": "group"})
    two = answer("crosstab", table, {"rows": "group", "columns": "done"})
    small = a < 10
    assert ("Fisher" in one.headline) == small
    assert small or one.facts["p"] == pytest.approx(two.facts["p"])
    assert one.facts["fisher.p"] == pytest.approx(two.facts["fisher.p"])


def test_a_reversal_within_layers_leads() -> None:
    cells = {("small", "A", "yes"): 81, ("small", "A", "no"): 6, ("small", "B", "yes"): 234, ("small", "B", "no"): 36}
    cells |= {
        ("large", "A", "yes"): 192,
        ("large", "A", "no"): 71,
        ("large", "B", "yes"): 55,
        ("large", "B", "no"): 25,
    }
    rows = [key for key, n in cells.items() for _ in range(n)]
    size, way, cured = zip(*rows, strict=True)
    found = answer(
        "crosstab", table_from(size=size, way=way, cured=cured), {"rows": "way", "columns": "cured", "layers": "size"}
    )
    # Charig et al. (1986): A is better with either size of stone, and worse in the table without them.
    assert found.facts["common.odds_ratio"] > 1 > found.facts["odds_ratio"]
    assert found.headline.startswith("Within layers of size") and "Simpson" in found.headline
    assert found.facts["p"] == found.facts["common.p"]


def test_phi_has_the_sign_of_tau() -> None:
    for a, b in (("no", "yes"), ("low", "zest")):
        x, y = [a] * 20 + [b] * 20, [a] * 15 + [b] * 5 + [a] * 4 + [b] * 16
        found = answer("crosstab", table_from(x=x, y=y), {"rows": "x", "columns": "y"})
        assert found.facts["phi"] == pytest.approx(found.facts["tau_b"]) and found.facts["phi"] > 0


def test_levels_that_never_occurred_count_unless_the_filter_takes_them_out() -> None:
    die = table_from(face=[1, 2, 3, 4, 5] * 12)
    with_six = answer("goodness_of_fit", die, {"column": "face", "expected": {str(i): 1 for i in range(1, 7)}})
    assert with_six.facts["df"] == 5 and with_six.facts["chi2"] == pytest.approx(12.0)
    plots = table_from(plot=["terrace"] * 20 + ["slope"] * 20 + ["valley"] * 21)
    found = answer("goodness_of_fit", plots, {"column": "plot", "where": 'plot != "terrace"'})
    assert found.facts["df"] == 1 and found.facts["p"] > 0.8
    assert answer("goodness_of_fit", die, {"column": "face", "fitted": 2}).facts["df"] == 2
    assert answer("proportion", die, {"column": "face", "event": "6"}).facts["estimate"] == 0
