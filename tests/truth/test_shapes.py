"""Spread, shape, correlation and power: printed values, the library, or a second route."""

import numpy as np
import pytest
from scipy import stats
from statsmodels.stats.diagnostic import lilliefors as library_lilliefors
from statsmodels.stats.diagnostic import normal_ad
from statsmodels.stats.power import FTestAnovaPower, GofChisquarePower, TTestIndPower, TTestPower

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats import power
from yavik.core.stats.correlation import correlations, straight_line
from yavik.core.stats.groups import Groups
from yavik.core.stats.normality import anderson_darling, grubbs, lilliefors, normal_scores, shape_errors, shapiro_wilk
from yavik.core.stats.spread import bartlett, f_ratio, levene_trimmed, sd_intervals

RNG = np.random.default_rng(71)


def groups(*parts: np.ndarray) -> Groups:
    n = [len(p) for p in parts]
    return Groups(
        np.concatenate(parts),
        np.concatenate([[0], np.cumsum(n)]),
        np.arange(1, sum(n) + 1),
        tuple("abcdef"[: len(n)]),
    )


def test_equal_spread_against_the_library() -> None:
    parts = [RNG.normal(0, s, n) for s, n in ((1, 12), (1.5, 20), (2, 9))]
    g = groups(*parts)
    there = stats.bartlett(*parts)
    found = bartlett(g.n.astype(float), g.variances)
    assert (found.chi2, found.p) == pytest.approx((there.statistic, there.pvalue))
    trimmed = stats.levene(*parts, center="trimmed", proportiontocut=0.1)
    # The library trims before it measures distances; about the same middles the F is that of all distances.
    middles = [stats.trim_mean(p, 0.1) for p in parts]
    f = stats.f_oneway(*(np.abs(p - m) for p, m in zip(parts, middles, strict=True)))
    assert levene_trimmed(g).p == pytest.approx(f.pvalue)
    assert trimmed.pvalue == pytest.approx(f.pvalue, abs=0.2)


@pytest.mark.parametrize(("way", "tail"), [("two_sided", None), ("less", "cdf"), ("greater", "sf")])
def test_the_ratio_of_two_spreads(way: str, tail: str | None) -> None:
    found = f_ratio(6.0, 2.5, 13, 18, 1.2, 0.05, way)  # type: ignore[arg-type]
    f = 6.0 / 2.5 / 1.44
    both = 2 * min(stats.f.cdf(f, 12, 17), stats.f.sf(f, 12, 17))
    assert found.p == pytest.approx(both if tail is None else getattr(stats.f, tail)(f, 12, 17))
    if tail is None:  # the interval holds the ratios that are not rejected
        assert f_ratio(6.0, 2.5, 13, 18, found.ci_low, 0.05, "two_sided").p == pytest.approx(0.05)
        assert f_ratio(6.0, 2.5, 13, 18, found.ci_high, 0.05, "two_sided").p == pytest.approx(0.05)


def test_intervals_of_an_sd_cover_it() -> None:
    rng, covered, apart = np.random.default_rng(4), 0, 0
    for _ in range(600):
        g = groups(*(rng.normal(0, 2, 25) for _ in range(4)))
        found = sd_intervals(g, 0.05)
        covered += int(((found.own_low <= 2) & (found.own_high >= 2)).sum())
        apart += found.low.max() > found.high.min()
    assert covered / 2400 == pytest.approx(0.95, abs=0.02)
    assert apart / 600 <= 0.075  # some two of four equal SDs are told apart about as seldom as α says


def test_normality_against_the_library() -> None:
    for y in (RNG.normal(5, 2, 40), RNG.exponential(1, 60), RNG.uniform(size=25)):
        s = np.sort(y)
        assert shapiro_wilk(s).p == pytest.approx(stats.shapiro(y).pvalue, rel=1e-6)
        a2, p = normal_ad(y)
        n = len(y)
        assert anderson_darling(s).statistic == pytest.approx(a2 * (1 + 0.75 / n + 2.25 / n**2))
        assert anderson_darling(s).p == pytest.approx(p, rel=1e-6)
        d, p = library_lilliefors(y, pvalmethod="approx")
        assert lilliefors(s).statistic == pytest.approx(d)
        if p < 0.1:
            assert lilliefors(s).p == pytest.approx(p, rel=1e-6)


def test_lilliefors_against_its_table() -> None:
    """Lilliefors (1967), n = 20: 5 % point .190, 10 % point .174 (as recomputed by Dallal & Wilkinson, 1986: .192 and .176)."""
    rng = np.random.default_rng(6)
    d = [lilliefors(np.sort(rng.normal(size=20))).statistic for _ in range(4000)]
    assert np.quantile(d, [0.90, 0.95]) == pytest.approx([0.176, 0.192], abs=0.004)
    assert np.mean([lilliefors(np.sort(rng.normal(size=20))).p < 0.05 for _ in range(2000)]) == pytest.approx(
        0.05, abs=0.015
    )


def test_grubbs_as_printed() -> None:
    """Grubbs (1969): two-sided 5 % point for n = 10 is 2.290, for n = 20 2.709 (one-sided 2.5 %)."""
    for n, point in ((10, 2.290), (20, 2.709)):
        y = np.sort(RNG.normal(size=n - 1))
        # A last value is moved out until the farthest stands at the printed point.
        low, high = y[-1], y[-1] + 100
        for _ in range(80):
            last = (low + high) / 2
            low, high = (last, high) if grubbs(np.append(y, last))[1] < point else (low, last)
        place, g, p = grubbs(np.append(y, last))
        assert (place, g) == (n - 1, pytest.approx(point))
        assert p == pytest.approx(0.05, abs=0.0005)


def test_shape_errors_by_simulation() -> None:
    rng = np.random.default_rng(2)
    y = rng.normal(size=(20_000, 30))
    skew, kurt = stats.skew(y, axis=1, bias=False), stats.kurtosis(y, axis=1, bias=False)
    assert shape_errors(30) == pytest.approx((skew.std(), kurt.std()), rel=0.03)
    assert shape_errors(100)[0] == pytest.approx(0.2414, abs=5e-5)


def test_normal_scores_are_bloms() -> None:
    """Blom (1958) for n = 5: ±1.18, ±0.50, 0."""
    assert normal_scores(5) == pytest.approx([-1.1798, -0.4972, 0, 0.4972, 1.1798], abs=5e-4)


@pytest.mark.parametrize("kind", ["pearson", "spearman", "kendall"])
@pytest.mark.parametrize(("ours", "theirs"), [("two_sided", "two-sided"), ("less", "less"), ("greater", "greater")])
def test_correlations_against_the_library(kind: str, ours: str, theirs: str) -> None:
    x = RNG.normal(size=(40, 3))
    x[:, 1] += 0.5 * x[:, 0]
    x[:, 2] = np.round(x[:, 2] * 2)
    found = correlations(x, kind, None, False, 0.05, ours)  # type: ignore[arg-type]
    test = {"pearson": stats.pearsonr, "spearman": stats.spearmanr, "kendall": stats.kendalltau}[kind]
    for i, j in ((0, 1), (0, 2), (1, 2)):
        there = test(x[:, i], x[:, j], alternative=theirs)
        assert (found.r[i, j], found.p[i, j]) == pytest.approx((there.statistic, there.pvalue), rel=1e-9)
        if kind == "pearson":
            low, high = there.confidence_interval(0.95)
            assert (found.low[i, j], found.high[i, j]) == pytest.approx((low, high))


@pytest.mark.parametrize("kind", ["pearson", "spearman", "kendall"])
def test_partial_correlations_by_the_inverse_matrix(kind: str) -> None:
    x = RNG.normal(size=(60, 2)) + RNG.normal(size=(60, 1))
    held = RNG.normal(size=(60, 2)) + x[:, :1]
    found = correlations(x, kind, held, False, 0.05, "two_sided")  # type: ignore[arg-type]
    every = np.hstack([x, held])
    if kind == "kendall":
        r = np.array([[stats.kendalltau(a, b).statistic for a in every.T] for b in every.T])
    else:
        r = np.corrcoef((stats.rankdata(every, axis=0) if kind == "spearman" else every).T)
    inverse = np.linalg.inv(r)
    assert found.r[0, 1] == pytest.approx(-inverse[0, 1] / np.sqrt(inverse[0, 0] * inverse[1, 1]), rel=1e-8)
    if kind == "pearson":
        t = found.r[0, 1] * np.sqrt(56 / (1 - found.r[0, 1] ** 2))
        assert found.p[0, 1] == pytest.approx(2 * stats.t.sf(abs(t), 56))


def test_pair_by_pair_uses_the_rows_of_each_pair() -> None:
    x = RNG.normal(size=(30, 3))
    x[:5, 0], x[3:9, 2] = np.nan, np.nan
    found = correlations(x, "pearson", None, True, 0.05, "two_sided")
    full = ~np.isnan(x[:, 0]) & ~np.isnan(x[:, 2])
    assert found.n[0, 2] == full.sum() == 21
    assert found.r[0, 2] == pytest.approx(np.corrcoef(x[full, 0], x[full, 2])[0, 1])


def test_intervals_of_ranks_cover() -> None:
    """Bonett and Wright's for ρ = 6/π·asin(r/2), Fieller's for τ = 2/π·asin(r), r = .6 normal."""
    rng = np.random.default_rng(12)
    truth = {"spearman": 6 / np.pi * np.arcsin(0.3), "kendall": 2 / np.pi * np.arcsin(0.6)}
    for kind, value in truth.items():
        covered = 0
        for _ in range(500):
            a = rng.normal(size=60)
            x = np.column_stack([a, 0.6 * a + 0.8 * rng.normal(size=60)])
            found = correlations(x, kind, None, False, 0.05, "two_sided")  # type: ignore[arg-type]
            covered += found.low[0, 1] <= value <= found.high[0, 1]
        assert covered / 500 == pytest.approx(0.95, abs=0.03)


def test_the_line_against_the_library() -> None:
    x, y = RNG.normal(size=50), RNG.normal(size=50)
    there, line = stats.linregress(x, y), straight_line(x, y)
    assert line is not None
    assert (line.slope, line.intercept, line.r2) == pytest.approx((there.slope, there.intercept, there.rvalue**2))


def test_power_of_t_f_and_chi_square_against_the_library() -> None:
    for n, d, ratio in ((20, 0.5, 1.0), (35, 0.8, 2.0)):
        assert power.two_means(n, d, ratio, 0.05, "two_sided") == pytest.approx(
            TTestIndPower().power(d, n, 0.05, ratio), rel=1e-6
        )
        assert power.two_means(n, d, ratio, 0.05, "greater") == pytest.approx(
            TTestIndPower().power(d, n, 0.05, ratio, alternative="larger"), rel=1e-6
        )
        assert power.one_mean(n, d, 0.05, "two_sided") == pytest.approx(TTestPower().power(d, n, 0.05), rel=1e-6)
    assert power.one_way(18, 0.3, 4, 0.05) == pytest.approx(FTestAnovaPower().power(0.3, 72, 0.05, 4), rel=1e-6)
    assert power.chi_square(120, 0.25, 3, 0.05) == pytest.approx(
        GofChisquarePower().power(0.25, 120, 0.05, n_bins=4), rel=1e-6
    )


@pytest.mark.parametrize(
    ("spec", "n"),
    [
        # Cohen (1988), power .80 at α = .05: d = .5 takes 64 a group, d = .8 takes 26, f = .25 with 4 groups 45, w = .3 with 1 df 88.
        ({"design": "two_means", "difference": 0.5}, 64),
        ({"design": "two_means", "difference": 0.8}, 26),
        ({"design": "one_way", "groups": 4, "effect": 0.25}, 45),
        ({"design": "chi_square", "effect": 0.3, "df": 1}, 88),
        # Fleiss, Levin and Paik (2003) without continuity correction: .25 against .40 takes 152 a group.
        ({"design": "two_proportions", "share": 0.25, "other_share": 0.4}, 152),
    ],
)
def test_study_sizes_as_published(spec: dict[str, object], n: int) -> None:
    assert answer("study_size", demo_tables()["Branches"], spec).facts["n"] == n


def test_power_of_a_correlation_by_simulation() -> None:
    rng = np.random.default_rng(1)
    a = rng.normal(size=(20_000, 84))
    b = 0.3 * a + np.sqrt(1 - 0.09) * rng.normal(size=a.shape)
    a, b = a - a.mean(axis=1, keepdims=True), b - b.mean(axis=1, keepdims=True)
    r = (a * b).sum(axis=1) / np.sqrt((a**2).sum(axis=1) * (b**2).sum(axis=1))
    t = r * np.sqrt(82 / (1 - r**2))
    assert power.correlation(84, 0.3, 0.05, "two_sided") == pytest.approx(
        np.mean(np.abs(t) > stats.t.isf(0.025, 82)), abs=0.01
    )


def test_the_smallest_effect_is_the_one_that_takes_these_rows() -> None:
    branches = demo_tables()["Branches"]
    effect = answer("study_size", branches, {"find": "effect", "n": 64}).facts["effect"]
    assert effect == pytest.approx(0.5, abs=0.003)
    assert power.two_means(64, effect, 1, 0.05, "two_sided") == pytest.approx(0.8)
    in_units = answer("study_size", branches, {"column": "visits", "difference": 80})
    sd = branches.numbers("visits").std(ddof=1)
    assert in_units.facts["n"] == answer("study_size", branches, {"difference": 80 / sd}).facts["n"]


def test_empty_cells_that_go_with_something_are_found() -> None:
    x = RNG.normal(50, 10, 200)
    y = [None if v > 58 and RNG.random() < 0.8 else 1.0 * i for i, v in enumerate(x)]
    table = table_from(x=x.round(2).tolist(), y=y, z=RNG.normal(size=200).round(3).tolist())
    found = answer("missing", table, {"columns": ["x", "y", "z"]})
    check = next(c for c in found.checks if c.id == "chance")
    assert check.verdict == "doubtful" and "y with x" in check.text
    gone = np.array([v is None for v in y])
    line = next(r for r in found.block("pairs").rows if r["other"].s == "x")
    assert line["p"].v == pytest.approx(stats.ttest_ind(x.round(2)[gone], x.round(2)[~gone], equal_var=False).pvalue)
    assert found.facts["y.missing"] == gone.sum()
