"""Two samples, one sample and pairs: published values, or two independent routes."""

from itertools import combinations, product
from typing import Any

import numpy as np
import pytest
from scipy import special, stats

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.stats import draws, selecting
from yavik.core.stats.decimals import settled
from yavik.core.stats.effect_sizes import (
    cohen_d,
    one_sample_d,
    small_sample_factor,
    superiority,
)
from yavik.core.stats.noncentral import t_interval
from yavik.core.stats.one import median_interval, pseudo_median, sign_test, signed_rank, variance_test
from yavik.core.stats.selecting import difference_at, mean_of_two_at
from yavik.core.stats.two import mann_whitney, shift

# Hours of sleep gained under two drugs (Student, 1908, after Cushny and Peebles, 1905).
FIRST = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
SECOND = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
SLEEP = table_from(gain=FIRST + SECOND, drug=["a"] * 10 + ["b"] * 10)
RNG = np.random.default_rng(20)
ALTERNATIVES = [("two_sided", "two-sided"), ("less", "less"), ("greater", "greater")]


def test_students_sleep() -> None:
    found = answer("compare_two", SLEEP, {"response": "gain", "groups": "drug", "test": "student"})
    assert found.facts["student.t"] == pytest.approx(-1.8608, abs=5e-5)
    assert found.facts["student.p"] == pytest.approx(0.07919, abs=5e-6)
    assert found.facts["welch.df"] == pytest.approx(17.776, abs=5e-4)
    assert found.facts["welch.p"] == pytest.approx(0.07939, abs=5e-6)
    assert (found.facts["welch.ci_low"], found.facts["welch.ci_high"]) == pytest.approx((-3.3655, 0.2055), abs=5e-5)


def test_students_sleep_in_pairs() -> None:
    """Student (1908) gives t = 4.06 for the ten differences; with 9 df p = .0028."""
    pairs = table_from(one=FIRST, two=SECOND)
    found = answer("compare_paired", pairs, {"first": "two", "second": "one"})
    assert found.facts["t"] == pytest.approx(4.0621, abs=5e-5)
    assert found.facts["p"] == pytest.approx(0.002833, abs=5e-7)
    assert found.facts["estimate"] == pytest.approx(1.58)


@pytest.mark.parametrize(("ours", "theirs"), ALTERNATIVES)
def test_t_tests_against_the_library(ours: str, theirs: str) -> None:
    a, b = RNG.normal(1, 2, 17), RNG.normal(0.2, 1, 23)
    table = table_from(y=[*a, *b], g=["a"] * 17 + ["b"] * 23)
    found = answer("compare_two", table, {"response": "y", "groups": "g", "alternative": ours, "difference": 0.3})
    for name, equal in (("student", True), ("welch", False)):
        there = stats.ttest_ind(a - 0.3, b, equal_var=equal, alternative=theirs)
        assert found.facts[f"{name}.p"] == pytest.approx(there.pvalue, rel=1e-10)
        low, high = there.confidence_interval(0.95)
        if np.isfinite(low):
            assert found.facts[f"{name}.ci_low"] == pytest.approx(low + 0.3)
        if np.isfinite(high):
            assert found.facts[f"{name}.ci_high"] == pytest.approx(high + 0.3)


@pytest.mark.parametrize(("ours", "theirs"), ALTERNATIVES)
@pytest.mark.parametrize("sizes", [(3, 4), (9, 12), (12, 9), (25, 25)])
def test_exact_rank_sums_against_the_library(ours: str, theirs: str, sizes: tuple[int, int]) -> None:
    a, b = RNG.normal(0.4, 1, sizes[0]), RNG.normal(size=sizes[1])
    there = stats.mannwhitneyu(a, b, method="exact", alternative=theirs)
    here = mann_whitney(np.sort(a), np.sort(b), alternative=ours)  # type: ignore[arg-type]
    assert here.exact
    assert (here.u, here.p) == pytest.approx((there.statistic, there.pvalue), rel=1e-10)


@pytest.mark.parametrize(("ours", "theirs"), ALTERNATIVES)
@pytest.mark.parametrize("continuity", [True, False])
def test_rank_sums_with_ties_against_the_library(ours: str, theirs: str, continuity: bool) -> None:
    a, b = RNG.integers(0, 6, 40).astype(float), RNG.integers(1, 7, 55).astype(float)
    there = stats.mannwhitneyu(a, b, method="asymptotic", use_continuity=continuity, alternative=theirs)
    here = mann_whitney(np.sort(a), np.sort(b), continuity=continuity, alternative=ours)  # type: ignore[arg-type]
    assert not here.exact
    assert here.p == pytest.approx(there.pvalue, rel=1e-9)


def test_exact_rank_sums_with_ties_by_listing_every_division() -> None:
    a, b = np.array([1.0, 2, 2, 5, 7]), np.array([2.0, 3, 5, 8, 8, 9])
    ranks = stats.rankdata(np.concatenate([a, b]))
    sums = np.array([ranks[list(c)].sum() for c in combinations(range(11), 5)])
    seen = ranks[:5].sum()
    below, above = (sums <= seen + 1e-9).mean(), (sums >= seen - 1e-9).mean()
    assert mann_whitney(a, b, exact="yes").p == pytest.approx(min(1, 2 * min(below, above)), rel=1e-12)
    assert mann_whitney(a, b, exact="yes", alternative="less").p == pytest.approx(below, rel=1e-12)
    assert mann_whitney(b, a, exact="yes", alternative="less").p == pytest.approx(above, rel=1e-12)


def test_the_shift_is_the_median_of_all_differences() -> None:
    a, b = np.sort(RNG.normal(2, 1, 31)), np.sort(RNG.normal(size=24))
    every = np.sort(np.subtract.outer(a, b).ravel())
    middle, low, high = shift(a, b, 0.05)
    assert middle == pytest.approx(np.median(every))
    place = int(np.floor(31 * 24 / 2 - stats.norm.isf(0.025) * np.sqrt(31 * 24 * 56 / 12)))
    assert (low, high) == pytest.approx((every[place - 1], every[-place]))


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("decimals", [1, 3, 15])
def test_the_place_of_many_is_found_without_listing_all(seed: int, decimals: int) -> None:
    """The very difference and the very mean of two that have the place, at the ends, in the tails and in the middle."""
    rng = np.random.default_rng(seed)
    a, b = (np.sort(np.round(rng.normal(m, 1, n), decimals)) for m, n in ((1, 1500), (0, 1400)))
    demand_places(a, b)


def demand_places(a: np.ndarray, b: np.ndarray) -> None:
    """Differences and means of two at places in the tails, in the middle and at the ends, against all of them."""
    every = settled(np.sort(np.subtract.outer(a, b).ravel()), a, b)
    means = settled(np.sort(np.add.outer(a, a)[np.tril_indices(len(a))]), a) / 2
    for found, known in ((difference_at, every), (mean_of_two_at, means)):
        if len(known) < 5:
            continue
        n = len(known)
        places = [1, 2, n // 1000 + 1, n / 2 if n % 2 else (n + 1) / 2, n // 2 + 0.5, n - 1, n]
        told = found(a, b, places) if found is difference_at else found(a, places)
        for place, value in zip(places, told, strict=True):
            both = known[[int(np.floor(place)) - 1, int(np.ceil(place)) - 1]]
            assert value == pytest.approx(both.mean(), rel=1e-13, abs=1e-13), place


@pytest.mark.parametrize("most", [50, 5000])
@pytest.mark.parametrize(
    "shape",
    [
        "normal",
        "few roots",
        "one value often",
        "far away",
        "two heaps",
        "skewed",
        "thousands",
        "all alike",
        "one beside many",
    ],
)
def test_the_place_of_many_whatever_they_look_like(shape: str, most: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each way of looking, made to look at samples small enough to list."""
    monkeypatch.setattr(selecting, "MOST_MADE", most)
    rng = np.random.default_rng(7)
    a, b = rng.normal(size=301), rng.normal(0.4, 2, 402)
    if shape == "few roots":
        a, b = np.sqrt(rng.poisson(4, 301)), np.sqrt(rng.poisson(5, 402))
    if shape == "one value often":
        a[:250], b[:390] = np.pi, np.e
    if shape == "far away":
        a, b = a + 1e9, b + 1e9
    if shape == "two heaps":
        a[150:] += 1e6
    if shape == "skewed":
        a, b = np.exp(6 * a), np.exp(3 * b)
    if shape == "thousands":
        a, b = np.round(a * 10) * 7000, np.round(b * 10) * 7000
    if shape == "all alike":
        a, b = np.full(301, 0.1), np.full(402, 0.3)
    if shape == "one beside many":
        a = a[:1]
    demand_places(np.sort(a), np.sort(b))


def test_an_interval_that_so_few_cannot_bound_is_open_however_many_there_are_beside() -> None:
    middle, low, high = shift(np.array([1.0]), np.sort(RNG.normal(size=4_000_100)), 0.05)
    assert middle == pytest.approx(1.0, abs=0.01) and (low, high) == (-np.inf, np.inf)


def test_effect_sizes_by_another_route() -> None:
    a, b = RNG.normal(0.8, 1, 14), RNG.normal(0, 1, 19)
    d, g = cohen_d(a.mean(), b.mean(), a.var(ddof=1), b.var(ddof=1), 14, 19, 0.05)
    t = stats.ttest_ind(a, b).statistic
    scale = np.sqrt(1 / 14 + 1 / 19)
    assert d.estimate == pytest.approx(t * scale)
    assert g.estimate == pytest.approx(d.estimate * (1 - 3 / (4 * 31 - 1)), rel=2e-4)  # Hedges' (1981) approximation
    for end, tail in ((d.ci_low, 0.975), (d.ci_high, 0.025)):
        assert stats.nct.cdf(t, 31, end / scale) == pytest.approx(tail, abs=1e-7)


def test_hedges_correction_as_printed() -> None:
    """Hedges (1981), table 1: c(2) = .5642, c(10) = .9228, c(30) = .9748."""
    assert [small_sample_factor(m) for m in (2, 10, 30)] == pytest.approx([0.5642, 0.9228, 0.9748], abs=6e-5)


def test_noncentral_interval_is_one_of_the_t() -> None:
    low, high = t_interval(0.0, 20, 0.05)
    assert low == pytest.approx(-high, rel=1e-6)
    d, _ = one_sample_d(2.0, 4.0, 25, 0.05)
    assert d.estimate == 0.5
    assert special.nctdtr(24, d.ci_low * 5, 2.5) == pytest.approx(0.975, abs=1e-7)


def test_chance_of_a_larger_value_by_counting() -> None:
    a, b = np.sort(RNG.integers(0, 9, 20).astype(float)), np.sort(RNG.integers(0, 7, 26).astype(float))
    wins = np.mean([(x > y) + 0.5 * (x == y) for x, y in product(a, b)])
    found = superiority(a, b, 0.05)
    assert found.estimate == pytest.approx(wins)
    # DeLong's variance against the bootstrap
    rng = np.random.default_rng(3)
    shares = [superiority(np.sort(rng.choice(a, 20)), np.sort(rng.choice(b, 26)), 0.05).estimate for _ in range(3000)]
    reach = stats.norm.isf(0.025) * np.std(shares)
    assert found.ci_high - found.ci_low == pytest.approx(2 * reach, rel=0.12)


def test_permutation_lists_every_division_of_few_values() -> None:
    a, b = np.array([92.28, 91.57, 92.31, 92.64]), np.array([91.1, 90.9, 91.36, 90.4])
    pooled = np.concatenate([a, b])
    sums = np.array([pooled[list(c)].sum() for c in combinations(range(8), 4)])
    two = np.mean(np.abs(sums - pooled.sum() / 2) >= abs(a.sum() - pooled.sum() / 2) - 1e-9)
    found = draws.two_samples(a, b, "two_sided", 999, 1)
    assert (found.exact, found.draws, found.p) == (True, 70, pytest.approx(two))
    assert draws.two_samples(a, b, "greater", 999, 1).p == pytest.approx(np.mean(sums >= a.sum() - 1e-9))
    assert draws.two_samples(a, b, "less", 999, 1).p == pytest.approx(np.mean(sums <= a.sum() + 1e-9))


def test_permutation_by_draws_agrees_with_t_and_keeps_its_seed() -> None:
    a, b = RNG.normal(0.25, 1, 80), RNG.normal(0, 1, 120)
    found = draws.two_samples(a, b, "two_sided", 20_000, 7)
    assert found.p == pytest.approx(stats.ttest_ind(a, b).pvalue, abs=0.012)
    assert draws.two_samples(a, b, "two_sided", 20_000, 7) == found
    mixed = draws.two_samples(b, a, "less", 20_000, 7)
    assert mixed.p == pytest.approx(stats.ttest_ind(b, a, alternative="less").pvalue, abs=0.012)


@pytest.mark.parametrize(("ours", "theirs"), ALTERNATIVES)
def test_signed_ranks_against_the_library(ours: str, theirs: str) -> None:
    few = RNG.normal(0.3, 1, 18)
    many = RNG.normal(0.1, 1, 120)
    here = signed_rank(few, alternative=ours)  # type: ignore[arg-type]
    assert here.exact and here.p == pytest.approx(stats.wilcoxon(few, method="exact", alternative=theirs).pvalue)
    there = stats.wilcoxon(many, method="approx", correction=True, alternative=theirs)
    assert signed_rank(many, alternative=ours).p == pytest.approx(there.pvalue, rel=1e-9)  # type: ignore[arg-type]


def test_signed_ranks_with_ties_by_listing_every_pattern() -> None:
    away = np.array([1.0, -1, 2, 2, 3, -2, 0, 4])
    ranks = stats.rankdata(np.abs(away[away != 0]))
    plus = ranks[away[away != 0] > 0].sum()
    sums = np.array([(np.array(s) * ranks).sum() for s in product([0, 1], repeat=7)])
    p = min(1, 2 * min((sums <= plus + 1e-9).mean(), (sums >= plus - 1e-9).mean()))
    found = signed_rank(away)
    assert (found.zeros, found.n, found.p) == (1, 7, pytest.approx(p))
    assert found.w_plus + found.w_minus == 28


def test_pseudo_median_and_intervals_by_listing() -> None:
    y = RNG.normal(3, 2, 15)
    walsh = np.sort([(y[i] + y[j]) / 2 for i in range(15) for j in range(i, 15)])
    middle, low, high = pseudo_median(y, 0.05)
    assert middle == pytest.approx(np.median(walsh))
    place = int(np.floor(60 - stats.norm.isf(0.025) * np.sqrt(15 * 16 * 31 / 24)))
    assert (low, high) == pytest.approx((walsh[place - 1], walsh[-place]))
    low, high, level = median_interval(
        np.arange(1.0, 11), 0.05
    )  # order statistics 2 and 9 of ten: 97.85 % (Conover, 1999)
    assert (low, high, level) == (2.0, 9.0, pytest.approx(0.9785, abs=5e-5))


@pytest.mark.parametrize(("ours", "theirs"), ALTERNATIVES)
def test_signs_and_spread_against_the_library(ours: str, theirs: str) -> None:
    away = np.array([1, 1, 1, -1, 1, 1, 0, 1, 1, -1.0])
    assert sign_test(away, ours).p == pytest.approx(stats.binomtest(7, 9, 0.5, theirs).pvalue)  # type: ignore[arg-type]
    y = RNG.normal(0, 2, 25)
    found = variance_test(float(y.var(ddof=1)), 25, 1.5, 0.05, ours)  # type: ignore[arg-type]
    chi2 = 24 * y.var(ddof=1) / 2.25
    below, above = stats.chi2.cdf(chi2, 24), stats.chi2.sf(chi2, 24)
    assert found.p == pytest.approx({"two_sided": 2 * min(below, above), "less": below, "greater": above}[ours])


def test_one_test_under_three_names() -> None:
    """Student's t, the point-biserial correlation and the regression slope share t and p."""
    found = answer("compare_two", SLEEP, {"response": "gain", "groups": "drug", "test": "student"})
    coded = table_from(gain=FIRST + SECOND, drug=["yes"] * 10 + ["no"] * 10)
    r = answer("correlate", coded, {"columns": ["gain", "drug"]})
    assert r.facts["p"] == pytest.approx(found.facts["student.p"], rel=1e-9)
    assert abs(r.facts["statistic"]) == pytest.approx(abs(found.facts["student.t"]), rel=1e-9)
    anova = answer("compare_groups", SLEEP, {"response": "gain", "groups": "drug", "test": "anova"})
    assert anova.facts["anova.f"] == pytest.approx(found.facts["student.t"] ** 2, rel=1e-9)
    assert "point-biserial correlation" in found.block("same").text


def test_two_groups_by_ranks_are_kruskal_and_wallis() -> None:
    """Without continuity correction z² is H."""
    spec = {"response": "gain", "groups": "drug"}
    two = answer("compare_two", SLEEP, {**spec, "test": "mann_whitney", "exact": "no", "continuity": False})
    several = answer("compare_groups", SLEEP, {**spec, "test": "kruskal_wallis"})
    assert two.facts["mann_whitney.z"] ** 2 == pytest.approx(several.facts["kruskal_wallis.h"], rel=1e-9)
    assert two.facts["p"] == pytest.approx(several.facts["p"], rel=1e-9)


def test_summaries_say_what_the_values_say() -> None:
    def summary(label: str, y: list[float]) -> dict[str, object]:
        return {"label": label, "n": len(y), "mean": float(np.mean(y)), "sd": float(np.std(y, ddof=1))}

    typed = [summary("a", FIRST), summary("b", SECOND)]
    for method, test in (("compare_two", "welch"), ("compare_two", "student"), ("compare_groups", "brown_forsythe")):
        a = answer(method, SLEEP, {"summaries": typed, "test": test})
        b = answer(method, SLEEP, {"response": "gain", "groups": "drug", "test": test})
        assert a.facts["p"] == pytest.approx(b.facts["p"], rel=1e-9)


@pytest.mark.parametrize("alternative", ["two_sided", "less", "greater"])
@pytest.mark.parametrize("sizes", [(4, 5), (6, 3), (5, 5), (1, 7)])
def test_the_interval_of_divisions_is_what_the_same_test_does_not_reject(
    alternative: Any, sizes: tuple[int, int]
) -> None:
    """Against the whole test again at each of many differences."""
    rng = np.random.default_rng(sum(sizes))
    a, b = rng.normal(1.5, 1, sizes[0]).round(2), rng.normal(0, 1, sizes[1]).round(2)
    alpha = 0.1
    found = draws.two_samples(a, b, alternative, 99, 1, alpha=alpha)
    assert found.exact and found.ends
    low, high = found.ends
    for d in np.linspace(-4, 6, 201) + 0.00123:
        kept = draws.two_samples(a - d, b, alternative, 99, 1).p >= alpha
        assert kept == (low <= d <= high), d


def test_few_values_leave_the_interval_open() -> None:
    """With one value against four no division of five is rare enough for 95 %."""
    found = draws.two_samples(np.array([1.0]), np.array([2.0, 3.0, 5.0, 4.0]), "two_sided", 99, 1)
    assert found.ends == (-np.inf, np.inf)
    drawn = draws.two_samples(np.arange(40) * 0.1, np.arange(40) * 0.1 + 0.3, "two_sided", 9999, 1)
    assert not drawn.exact and drawn.ends
    # About Student's interval, which has its own idea of the same.
    known = stats.ttest_ind(np.arange(40) * 0.1, np.arange(40) * 0.1 + 0.3).confidence_interval()
    assert drawn.ends == pytest.approx((known.low, known.high), abs=0.05)


@pytest.mark.parametrize("test", ["auto", "student", "mann_whitney", "permutation"])
def test_the_test_that_is_asked_for_is_there_however_large_the_table(
    monkeypatch: pytest.MonkeyPatch, test: str
) -> None:
    """Beyond a size tests that nobody asked for are left out; the asked one says the same as in a small table."""
    from yavik.core.methods.compare.two import compute

    spec = {"response": "gain", "groups": "drug", "test": test}
    whole = answer("compare_two", SLEEP, spec)
    monkeypatch.setattr(compute, "MOST_ASIDE", 5)
    lean = answer("compare_two", SLEEP, spec)
    assert lean.headline == whole.headline
    assert lean.facts.items() <= whole.facts.items()
    assert any(key.startswith("mann_whitney") for key in lean.facts) == (test == "mann_whitney")
    assert any(key.startswith("mann_whitney") for key in whole.facts)
