"""Ranks, however they are had, are the library's; values on a grid are told from those on none."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from yavik.core.stats.grid import MOST_CELLS, grid_of
from yavik.core.stats.ranks import merged_ranks, mid_ranks, mid_ranks_of_sorted, placements
from yavik.core.stats.selecting import difference_at

numbers = st.one_of(
    st.floats(-1e6, 1e6), st.integers(-40, 40).map(float), st.integers(-500, 500).map(lambda v: round(v / 100, 2))
)
samples = st.lists(numbers, min_size=1, max_size=60).map(np.array)


@given(samples)
def test_ranks_are_the_librarys(values: np.ndarray) -> None:
    assert np.array_equal(mid_ranks(values), stats.rankdata(values))
    assert np.array_equal(mid_ranks_of_sorted(np.sort(values)), stats.rankdata(np.sort(values)))


@given(st.lists(samples, min_size=1, max_size=4))
def test_merged_ranks_are_those_of_all_together(runs: list[np.ndarray]) -> None:
    runs = [np.sort(r) for r in runs]
    ranks, ties = merged_ranks(*runs)
    assert np.array_equal(np.concatenate(ranks), stats.rankdata(np.concatenate(runs)))
    t = np.unique(np.concatenate(runs), return_counts=True)[1].astype(float)
    assert ties == (t**3 - t).sum()


@given(samples, samples)
def test_placements_count_those_below_and_half_of_those_alike(a: np.ndarray, b: np.ndarray) -> None:
    a, b = np.sort(a), np.sort(b)
    of_a, of_b = placements(a, b)
    assert np.array_equal(of_a, [(b < v).sum() + (b == v).sum() / 2 for v in a])
    assert np.array_equal(of_b, [(a < v).sum() + (a == v).sum() / 2 for v in b])


@pytest.mark.parametrize(
    ("values", "step", "power"),
    [
        ([1.0, 5.0, 3.0], 2, 1.0),
        ([0.25, 0.5, -1.75], 25, 100.0),
        ([7.1, 7.1, 7.1], 1, 10.0),
        ([3000.0, 12000.0, 0.0], 3000, 1.0),
        ([1e9 + 0.5, 1e9 + 1.5], 10, 10.0),
    ],
)
def test_a_grid_gives_its_values_back(values: list[float], step: int, power: float) -> None:
    grid = grid_of(np.array(values))
    assert grid is not None and (grid.step, grid.power) == (step, power)
    assert ((grid.first[0] + grid.cells[0] * grid.step) / grid.power).tolist() == values


@pytest.mark.parametrize(
    "values", [[0.1 + 0.2, 1.0], [np.pi, 1.0], [1e300, 1.0], [0.0, MOST_CELLS + 1.0, 1.0], [1e-12, 2e-12]]
)
def test_what_is_on_no_grid_of_few_cells(values: list[float]) -> None:
    assert grid_of(np.array(values)) is None


def test_a_value_off_the_grid_is_seen_wherever_it_lies() -> None:
    values = np.round(np.random.default_rng(1).normal(size=5000), 2)
    values[1237] += 1e-9
    assert grid_of(values) is None and np.array_equal(mid_ranks(values), stats.rankdata(values))


@pytest.mark.parametrize("shape", ["normal", "skewed", "far", "mostly one value"])
def test_a_place_among_very_many_differences_is_the_one_that_counting_gives(shape: str) -> None:
    """Samples so large that evenly spaced values of them are looked at first."""
    rng = np.random.default_rng(7)
    a, b = rng.normal(0, 1, 80_000), rng.normal(0.1, 2, 90_000)
    if shape == "skewed":
        a, b = np.exp(2 * a), np.exp(b)
    elif shape == "far":
        a, b = 1e9 + a, -1e9 + b
    elif shape == "mostly one value":
        a[:70_000], b[:80_000] = 1 / 3, 1 / 3
    a, b = np.sort(a), np.sort(b)
    total = len(a) * len(b)
    places = [1, total // 3, total // 2, total - 5]
    slack = 1e-12 * max(abs(a).max(), abs(b).max())
    for place, found in zip(places, difference_at(a, b, places), strict=True):
        below = int((len(b) - np.searchsorted(b, a - (found - slack), "right")).sum())
        up_to = int((len(b) - np.searchsorted(b, a - (found + slack), "left")).sum())
        assert below < place <= up_to
