"""Intervals of noncentrality, against numerical integration over the χ² below the fraction line."""

import numpy as np
import pytest
from scipy import integrate, stats

from yavik.core.stats.noncentral import f_interval, t_interval
from yavik.core.stats.power import t_power


def share_below_t(t: float, df: float, nc: float) -> float:
    """P(T ≤ t): Φ over the density of √(χ²/df) where it is neither 0 nor 1, and what lies above."""
    root = np.sqrt(df)
    low, high = max((nc - 9) / t, 0.0), (nc + 9) / t

    def at(s: float) -> float:
        return float(stats.norm.cdf(t * s - nc) * stats.chi.pdf(s * root, df) * root)

    middle = integrate.quad(at, low, high, points=[max(nc, 0) / t], limit=400, epsabs=1e-11)[0]
    return float(middle + stats.chi.sf(high * root, df))


@pytest.mark.parametrize("t", [3.0, 49.0, 60.0, 400.0, 1e4])
@pytest.mark.parametrize("df", [1, 4, 30, 5000])
def test_ends_of_t_leave_the_right_share(t: float, df: float) -> None:
    low, high = t_interval(t, df, 0.05)
    assert low < t < high
    assert share_below_t(t, df, low) == pytest.approx(0.975, abs=5e-6)
    assert share_below_t(t, df, high) == pytest.approx(0.025, abs=5e-6)


def test_of_huge_statistics_only_the_scatter_below_is_left() -> None:
    low, high = t_interval(1e14, 12, 0.05)
    q = np.sqrt(stats.chi2.ppf([0.025, 0.975], 12) / 12) * 1e14
    assert (low, high) == pytest.approx(tuple(q), rel=1e-9)
    assert t_interval(-7.0, 12, 0.05) == pytest.approx(tuple(-x for x in reversed(t_interval(7.0, 12, 0.05))))


@pytest.mark.parametrize(("f", "df1", "df2"), [(4.0, 3, 20), (900.0, 5, 8), (2.0, 39, 300_000), (1e3, 2, 10**6)])
def test_ends_of_f_leave_the_right_share(f: float, df1: float, df2: float) -> None:
    low, high = f_interval(f, df1, df2, 0.1)
    assert stats.ncf.cdf(f, df1, df2, low) == pytest.approx(0.95, abs=1e-6)
    assert stats.ncf.cdf(f, df1, df2, high) == pytest.approx(0.05, abs=1e-6)


def test_f_has_ends_at_any_size() -> None:
    """Every combination has an interval that holds its own estimate, and both routes meet where one takes over."""
    for f in (0.0, 1e-8, 0.5, 20.0, 1e5, 1e12, 1e20):
        for df1 in (1, 5, 199):
            for df2 in (1, 20, 1000, 1e6):
                low, high = f_interval(f, df1, df2, 0.05)
                assert 0 <= low <= high < np.inf
    before, after = (np.array(f_interval(f, 20, 30, 0.05)) / f for f in (6300.0, 6500.0))
    assert before == pytest.approx(after, rel=1e-4)


@pytest.mark.parametrize(("df", "nc", "alpha"), [(1, 38.0, 1e-3), (1, 1e5, 1e-6), (2, 1e3, 1e-6), (20, 60.0, 1e-6)])
def test_power_far_out_is_the_share_beyond(df: float, nc: float, alpha: float) -> None:
    """Where the library has no series: against the density of √(χ²/df), to the digits that a power has."""
    beyond = 1 - share_below_t(float(stats.t.isf(alpha / 2, df)), df, nc)
    assert t_power(nc, df, alpha, "two_sided") == pytest.approx(beyond, rel=1e-3)
