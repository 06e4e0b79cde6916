"""Numbers that preparation makes, against formulas from the literature or a second route."""

from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from yavik.core.steps import new_step
from yavik.core.steps.path import apply_step
from yavik.core.steps.waves import usual_scale
from yavik.core.table import Column, Kind, Table
from yavik.core.table.table import make_table


def column_of(values: Any, name: str = "x") -> tuple[Column, Any]:
    return Column(name=name, kind=Kind.measure, decimals=6), pa.array(np.asarray(values, float), from_pandas=True)


def table_of(**columns: Any) -> Table:
    made = [column_of(v, n) for n, v in columns.items()]
    return make_table([c for c, _ in made], [a for _, a in made])


def do(table: Table, **step: Any) -> Table:
    after, effect = apply_step(table, new_step(step))
    assert effect.problem is None
    return after


@pytest.mark.parametrize(
    ("values", "q1", "median", "q3"),
    [
        # Worked by hand for the definition: position 1 + (n − 1) p, straight between neighbours (Hyndman & Fan, 1996, 7).
        ([1, 2, 3, 4], 1.75, 2.5, 3.25),
        ([1, 2, 3, 4, 5], 2, 3, 4),
        ([7, 15, 36, 39, 40, 41], 20.25, 37.5, 39.75),
        ([5], 5, 5, 5),
    ],
)
def test_quartiles_of_type_seven(values: list[float], q1: float, median: float, q3: float) -> None:
    after = do(table_of(x=values), step="summarise", columns=["x"], what=["q1", "median", "q3"])
    assert [after.numbers(n)[0] for n in ("x q1", "x median", "x q3")] == pytest.approx([q1, median, q3])


@settings(deadline=None)
@given(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=40, unique=True))
def test_delete_one_jackknife_gives_the_textbook_variance_of_a_mean(values: list[float]) -> None:
    """(n − 1)/n Σ (θᵣ − θ)² over the n delete-one replicates of a mean is s²/n (Wolter, 2007, ch. 4)."""
    x = np.array(values)
    n = len(x)
    replicates = [np.where(np.arange(n) == r, 0.0, n / (n - 1)) for r in range(n)]
    estimates = np.array([np.average(x, weights=w) for w in replicates])
    variance = usual_scale("jk1", n) * ((estimates - x.mean()) ** 2).sum()
    assert variance == pytest.approx(x.var(ddof=1) / n, rel=1e-6, abs=1e-9 * max(1.0, np.abs(x).max()) ** 2)


def test_multipliers_of_replicate_methods() -> None:
    assert usual_scale("brr", 40) == pytest.approx(1 / 40)
    assert usual_scale("fay", 40, 0.5) == pytest.approx(4 / 40)
    assert usual_scale("fay", 40, 0.0) == usual_scale("brr", 40)
    assert usual_scale("bootstrap", 200) == pytest.approx(1 / 200)
    assert usual_scale("successive", 80) == pytest.approx(4 / 80)


@settings(deadline=None)
@given(st.lists(st.floats(0.01, 1e4), min_size=4, max_size=60, unique=True))
def test_standardised_values_have_mean_zero_and_sd_one(values: list[float]) -> None:
    z = do(table_of(x=values), step="standardise", columns=["x"]).numbers("x z")
    if np.isnan(z).all():
        return  # no spread beside rounding
    assert z.mean() == pytest.approx(0, abs=1e-9) and z.std(ddof=1) == pytest.approx(1)
    np.testing.assert_allclose(z, stats.zscore(values, ddof=1), rtol=1e-6, atol=1e-9)


@settings(deadline=None)
@given(st.lists(st.integers(0, 9), min_size=1, max_size=50))
def test_ranks_share_their_mean_and_add_up(values: list[int]) -> None:
    ranks = do(table_of(x=values), step="transform", columns=["x"], how="rank").numbers("x rank")
    assert ranks.sum() == pytest.approx(len(values) * (len(values) + 1) / 2)
    np.testing.assert_allclose(ranks, stats.rankdata(values))


@pytest.mark.parametrize("power", [-0.5, 0.0, 0.5, 1.0])
def test_the_box_cox_power_that_made_the_data_is_found(power: float) -> None:
    rng = np.random.default_rng(8)
    normal = rng.normal(0, 0.25, 3000)
    x = (
        np.exp(normal + 2)
        if power == 0
        else np.maximum(power * (normal * 2**power + (2**power - 1) / power) + 1, 1e-6) ** (1 / power)
    )
    _, effect = apply_step(table_of(x=x), new_step({"step": "transform", "columns": ["x"], "how": "box_cox"}))
    found = float(effect.notes[0].split("= ")[1].rstrip(".").replace("−", "-"))
    # The likelihood at the power found is at least that at the true one, and the two are near.
    assert stats.boxcox_llf(found, x) >= stats.boxcox_llf(power, x) - 1e-6
    assert abs(found - power) < 0.4


@settings(deadline=None)
@given(st.lists(st.one_of(st.none(), st.integers(1, 5)), min_size=5, max_size=5), st.integers(1, 5))
def test_a_score_is_the_mean_of_what_was_answered(answers: list[int | None], required: int) -> None:
    columns = [Column(name=f"q{i}", kind=Kind.count) for i in range(5)]
    table = make_table(columns, [pa.array([a], pa.int64()) for a in answers])
    names = [c.name for c in columns]
    given_ = [a for a in answers if a is not None]
    mean = do(table, step="score", columns=names, name="m", at_least=required).array("m").to_pylist()[0]
    total = do(table, step="score", columns=names, name="s", how="sum", at_least=required).array("s").to_pylist()[0]
    if len(given_) < required:
        assert mean is None and total is None
    else:
        assert mean == pytest.approx(np.mean(given_)) and total == pytest.approx(5 * np.mean(given_))


@settings(deadline=None)
@given(st.lists(st.integers(1, 7), min_size=1, max_size=30))
def test_reversing_twice_is_the_item_and_the_mean_turns_over(answers: list[int]) -> None:
    table = make_table([Column(name="q", kind=Kind.count)], [pa.array(answers)])
    once = do(table, step="reverse", columns=["q"], low=1, high=7)
    assert once.numbers("q").mean() == pytest.approx(8 - np.mean(answers))
    assert do(once, step="reverse", columns=["q"], low=1, high=7).array("q").to_pylist() == answers


@settings(deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 3), st.integers(0, 50), st.floats(-100, 100)),
        min_size=1,
        max_size=40,
        unique_by=lambda t: t[:2],
    )
)
def test_differences_add_up_to_the_way_from_first_to_last(rows: list[tuple[int, int, float]]) -> None:
    unit, time, y = (list(v) for v in zip(*rows, strict=True))
    table = make_table(
        [
            Column(name="u", kind=Kind.count),
            Column(name="t", kind=Kind.count),
            Column(name="y", kind=Kind.measure, decimals=12),
        ],
        [pa.array(unit), pa.array(time), pa.array(y)],
    )
    after = do(table, step="difference", columns=["y"], by=["u"], order="t")
    change = after.numbers("y difference")
    for u in set(unit):
        mine = sorted((t, v, c) for t, v, c, w in zip(time, y, change, unit, strict=True) if w == u)
        assert np.isnan(mine[0][2])
        assert np.nansum([c for _, _, c in mine]) == pytest.approx(mine[-1][1] - mine[0][1], abs=1e-6)


@pytest.mark.parametrize(("bins", "n"), [(2, 100), (4, 101), (5, 33)])
def test_classes_of_equal_counts_are_equal_up_to_one(bins: int, n: int) -> None:
    rng = np.random.default_rng(2)
    after = do(table_of(x=rng.permutation(n) + 0.5), step="bin", column="x", way="equal_count", bins=bins)
    counts = np.bincount(after.codes("x classes").codes)
    assert len(counts) == bins and counts.max() - counts.min() <= 1


def test_a_straight_line_is_filled_exactly_and_never_drawn_beyond() -> None:
    x = np.array([np.nan, 2, np.nan, np.nan, 8, np.nan])
    after = do(table_of(x=x, t=[0, 1, 2, 5, 7, 9]), step="fill", columns=["x"], how="interpolate", order="t")
    got = after.array("x").to_pylist()
    assert got == [None, 2, pytest.approx(3), pytest.approx(6), 8, None]
