"""Tests of means and ranks against independent routes: other libraries, and plain loops over the textbook formula."""

import itertools

import numpy as np
import pytest
from scipy import special, stats
from statsmodels.stats.oneway import anova_oneway

from yavik.core.stats.groups import Groups
from yavik.core.stats.moments import moments
from yavik.core.stats.oneway import anova, brown_forsythe, eta2_interval, kruskal_wallis, levene, welch


def make(seed: int = 3, ties: bool = False) -> tuple[Groups, list[np.ndarray]]:
    rng = np.random.default_rng(seed)
    samples = [rng.normal(m, s, n) for m, s, n in ((10, 1, 8), (11, 4, 25), (12.5, 2, 14), (9, 6, 31))]
    if ties:
        samples = [np.round(s) for s in samples]
    y = np.concatenate(samples)
    codes = np.repeat(np.arange(4, dtype=np.int32), [len(s) for s in samples])
    order = rng.permutation(len(y))
    return Groups.of(y[order], codes[order], np.arange(1, len(y) + 1), ("a", "b", "c", "d")), samples


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_classical_f(seed: int) -> None:
    g, samples = make(seed)
    f, p = stats.f_oneway(*samples)
    found = anova(g)
    assert found.test.f == pytest.approx(f, rel=1e-11)
    assert found.test.p == pytest.approx(p, rel=1e-9)
    total = np.concatenate(samples)
    assert found.ss_between + found.ss_within == pytest.approx(((total - total.mean()) ** 2).sum(), rel=1e-12)


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_welch(seed: int) -> None:
    g, samples = make(seed)
    other = anova_oneway(samples, use_var="unequal", welch_correction=True)
    found = welch(g)
    assert found.f == pytest.approx(other.statistic, rel=1e-10)
    assert (found.df1, found.df2) == pytest.approx((other.df_num, other.df_denom), rel=1e-10)
    assert found.p == pytest.approx(other.pvalue, rel=1e-8)


def test_welch_of_two_groups_is_welchs_t_squared() -> None:
    _, samples = make()
    g = Groups.of_samples([np.append(samples[0], [np.nan] * 17), samples[1]], np.arange(1, 26), ("a", "b"))
    t = stats.ttest_ind(samples[0], samples[1], equal_var=False)
    found = welch(g)
    assert found.f == pytest.approx(t.statistic**2, rel=1e-11)
    assert found.df2 == pytest.approx(t.df, rel=1e-11)
    assert found.p == pytest.approx(t.pvalue, rel=1e-9)


def test_brown_forsythe_by_plain_loops() -> None:
    g, samples = make()
    n = [len(s) for s in samples]
    total, grand = sum(n), np.concatenate(samples).mean()
    top = sum(k * (s.mean() - grand) ** 2 for k, s in zip(n, samples, strict=True))
    parts = [(1 - k / total) * s.var(ddof=1) for k, s in zip(n, samples, strict=True)]
    df2 = sum(parts) ** 2 / sum(p**2 / (k - 1) for p, k in zip(parts, n, strict=True))
    found = brown_forsythe(g)
    assert found.f == pytest.approx(top / sum(parts), rel=1e-11)
    assert found.df2 == pytest.approx(df2, rel=1e-11)
    assert found.f == pytest.approx(anova_oneway(samples, use_var="bf").statistic, rel=1e-10)


@pytest.mark.parametrize("ties", [False, True])
def test_kruskal_wallis(ties: bool) -> None:
    g, samples = make(ties=ties)
    h, p = stats.kruskal(*samples)
    found = kruskal_wallis(g)
    assert found.h == pytest.approx(h, rel=1e-11)
    assert found.p == pytest.approx(p, rel=1e-9)
    ranks = stats.rankdata(np.concatenate(samples))
    ends = np.cumsum([0, *[len(s) for s in samples]])
    assert found.mean_ranks == pytest.approx([ranks[a:b].mean() for a, b in itertools.pairwise(ends)], rel=1e-12)
    assert (found.tie_factor > 0) is ties


@pytest.mark.parametrize("centre", ["mean", "median"])
def test_levene(centre: str) -> None:
    g, samples = make(ties=True)
    w, p = stats.levene(*samples, center=centre)
    found = levene(g, centre)
    assert found.f == pytest.approx(w, rel=1e-10)
    assert found.p == pytest.approx(p, rel=1e-8)


def test_effect_sizes_of_a_worked_table() -> None:
    """Three groups 1 2 3 | 2 3 4 | 6 7 8: SSb 42, SSw 6, F(2, 6) = 21; η² = 42/48, ω² = (42 − 2)/(48 + 1)."""
    g = Groups.of_samples(
        [np.array([1.0, 2, 3]), np.array([2.0, 3, 4]), np.array([6.0, 7, 8])], np.arange(1, 4), ("a", "b", "c")
    )
    found = anova(g)
    assert found.test.f == pytest.approx(21)
    assert found.eta2 == pytest.approx(42 / 48)
    assert found.omega2 == pytest.approx(40 / 49)


def test_interval_of_eta2_turns_the_noncentral_f_round() -> None:
    g, _ = make()
    t = anova(g).test
    low, high = eta2_interval(t)
    size = t.df1 + t.df2 + 1
    for share, tail in ((low, 0.975), (high, 0.025)):
        assert special.ncfdtr(t.df1, t.df2, share * size / (1 - share), t.f) == pytest.approx(tail, abs=1e-7)


@pytest.mark.parametrize("n", [1, 2, 3, 4, 57])
def test_moments(n: int) -> None:
    y = np.random.default_rng(n).gamma(2, 3, n) + 1e6
    found = moments(y)
    assert found.mean == pytest.approx(y.mean(), rel=1e-14)
    assert (found.q1, found.median, found.q3) == pytest.approx(tuple(np.quantile(y, [0.25, 0.5, 0.75])))
    if n > 1:
        assert found.sd == pytest.approx(y.std(ddof=1), rel=1e-9)
        assert (found.ci_low, found.ci_high) == pytest.approx(stats.t.interval(0.95, n - 1, y.mean(), stats.sem(y)))
    if n > 2:
        assert found.skewness == pytest.approx(stats.skew(y, bias=False), rel=1e-6)
    if n > 3:
        assert found.kurtosis == pytest.approx(stats.kurtosis(y, bias=False), rel=1e-6)
    assert np.isfinite(found.kurtosis) == (n > 3)
