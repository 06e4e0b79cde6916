"""Families of comparisons and contrasts: printed tables, or two independent routes."""

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import stats

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.stats import many_to_one, pairwise, studentized_range
from yavik.core.stats.contrasts import estimates, orthogonal, polynomial, satterthwaite
from yavik.core.stats.families import of_family
from yavik.core.stats.groups import Groups
from yavik.core.stats.letters import letters
from yavik.core.table import DataProblem

# Dunnett (1964), two-sided 5 % points for p treatments and a control with equal n.
DUNNETT = {
    5: [2.57, 3.03, 3.29, 3.48],
    10: [2.23, 2.57, 2.76, 2.89],
    20: [2.09, 2.38, 2.54, 2.65],
    10**7: [1.96, 2.21, 2.35, 2.44],
}
# Duncan (1955), 5 % significant studentised ranges for r = 2 … 5 (as corrected by Harter, 1960).
DUNCAN = {10: [3.15, 3.29, 3.38, 3.43], 20: [2.95, 3.10, 3.19, 3.25], 60: [2.83, 2.98, 3.07, 3.14]}
# Studentised range, upper 5 % points for r = 2 … 5 (Harter, 1960): Student–Newman–Keuls walks along these.
RANGES = {10: [3.15, 3.88, 4.33, 4.65], 20: [2.95, 3.58, 3.96, 4.23], 60: [2.83, 3.40, 3.74, 3.98]}
RNG = np.random.default_rng(5)


def groups(*sizes: int, step: float = 0.5) -> Groups:
    parts = [RNG.normal(i * step, 1 + 0.2 * i, n) for i, n in enumerate(sizes)]
    return Groups(
        np.concatenate(parts),
        np.concatenate([[0], np.cumsum(sizes)]),
        np.arange(1, sum(sizes) + 1),
        tuple("abcdefg"[: len(sizes)]),
    )


@pytest.mark.parametrize("df", DUNNETT)
def test_dunnett_as_printed(df: int) -> None:
    found = [many_to_one.critical(0.05, np.full(p, np.sqrt(0.5)), df) for p in range(1, 5)]
    assert found == pytest.approx(DUNNETT[df], abs=0.0051)


def test_dunnett_with_unequal_n_against_the_library() -> None:
    g = groups(8, 11, 6, 14)
    there = stats.dunnett(*(g.part(i) for i in range(1, 4)), control=g.part(0), rng=1)
    assert pairwise.pooled(g, "dunnett", 0.05, 0).p_adjusted == pytest.approx(there.pvalue, abs=2e-3)


def test_dunnett_of_one_group_is_students_t() -> None:
    t = np.array([0.5, 2.0, 6.0])
    assert many_to_one.sf(t, np.array([0.6]), 7) == pytest.approx(2 * stats.t.sf(t, 7), rel=1e-8)


@pytest.mark.parametrize(("method", "table"), [("duncan", DUNCAN), ("snk", RANGES)])
def test_range_tests_as_printed(method: str, table: dict[int, list[float]]) -> None:
    """At the printed range the p of the widest pair is 5 %."""
    for df, points in table.items():
        for r, q in enumerate(points, start=2):
            a, b = np.triu_indices(r, 1)
            t = np.full(len(a), q / np.sqrt(2))
            p = of_family(a, b, np.arange(r, dtype=float), np.ones(r), t, df, method, 0.05)[1]  # type: ignore[arg-type]
            assert p[r - 2] == pytest.approx(0.05, abs=0.0012)  # the pair (0, r − 1)


def test_a_pair_within_a_range_that_does_not_differ_does_not_differ() -> None:
    for method in ("snk", "duncan"):
        g = groups(6, 7, 5, 9, 6, step=0.4)
        p = pairwise.pooled(g, method, 0.05)  # type: ignore[arg-type]
        order = np.argsort(np.argsort(g.means))
        adjusted = {
            (min(order[i], order[j]), max(order[i], order[j])): q
            for i, j, q in zip(p.a, p.b, p.p_adjusted, strict=True)
        }
        for (i, j), q in adjusted.items():
            assert all(q >= other - 1e-12 for (k, m), other in adjusted.items() if k <= i and m >= j)


def test_scheffe_and_sidak_by_their_formulas() -> None:
    g = groups(9, 12, 7)
    df, k = g.n.sum() - 3, 3
    found = pairwise.pooled(g, "scheffe", 0.05)
    assert found.p_adjusted == pytest.approx(stats.f.sf(found.statistic**2 / (k - 1), k - 1, df))
    assert found.ci_high is not None
    assert found.ci_high - found.difference == pytest.approx(np.sqrt(2 * stats.f.isf(0.05, 2, df)) * found.se)
    sidak = pairwise.pooled(g, "sidak", 0.05)
    assert sidak.p_adjusted == pytest.approx(1 - (1 - sidak.p) ** 3)
    assert sidak.ci_low is not None
    share = 1 - 0.95 ** (1 / 3)
    assert sidak.difference - sidak.ci_low == pytest.approx(stats.t.isf(share / 2, df) * sidak.se)


def test_pairwise_rank_sums_against_the_library() -> None:
    g = groups(9, 12, 30, step=0.8)
    found = pairwise.pairwise_mann_whitney(g, "holm")
    single = [
        stats.mannwhitneyu(g.part(i), g.part(j), method="exact").pvalue for i, j in zip(found.a, found.b, strict=True)
    ]
    assert found.p == pytest.approx(single, rel=1e-9)


@pytest.mark.parametrize("pooled", [True, False])
def test_contrasts_against_a_regression(pooled: bool) -> None:
    g = groups(8, 13, 6, 10)
    weights = np.array([[1, -1, 0, 0], [0.5, 0.5, -0.5, -0.5], [3, -1, -1, -1]])
    n = g.n.astype(float)
    dummies = np.zeros((len(g.y), 4))
    dummies[np.arange(len(g.y)), np.repeat(np.arange(4), g.n)] = 1
    if pooled:
        free = float(n.sum() - 4)
        found = estimates(
            list("xyz"),
            weights,
            g.means,
            np.diag(g.ss.sum() / free / n),
            np.full(3, free),
            n,
            adjusting="none",
            alpha=0.05,
        )
        there = sm.OLS(g.y, dummies).fit().t_test(weights)
        assert [c.p for c in found] == pytest.approx(there.pvalue, rel=1e-8)
        assert [c.ci_low for c in found] == pytest.approx(there.conf_int()[:, 0])
    else:
        df = satterthwaite(weights, g.variances, n)
        found = estimates(
            list("xyz"), weights, g.means, np.diag(g.variances / n), df, n, adjusting="none", alpha=0.05
        )
        welch = stats.ttest_ind(g.part(0), g.part(1), equal_var=False)
        assert (found[0].p, found[0].df) == pytest.approx((welch.pvalue, welch.df), rel=1e-9)


def test_sums_of_squares_of_orthogonal_contrasts_add_up() -> None:
    g = groups(6, 6, 6, 6)
    labels, weights = polynomial(np.arange(4.0))
    free = float(g.n.sum() - 4)
    found = estimates(
        labels,
        weights,
        g.means,
        np.diag(g.ss.sum() / free / g.n),
        np.full(3, free),
        g.n.astype(float),
        adjusting="none",
        alpha=0.05,
    )
    between = float((g.n * (g.means - g.y.mean()) ** 2).sum())
    assert sum(c.ss for c in found) == pytest.approx(between)
    assert orthogonal(weights, g.n.astype(float)) == []
    assert orthogonal(np.array([[1.0, -1, 0], [1, 0, -1]]), np.ones(3)) == [(0, 1)]


def test_polynomial_weights_as_printed() -> None:
    """Fisher and Yates (1938): −3 −1 1 3, 1 −1 −1 1, −1 3 −3 1 for four levels at equal distances."""
    _, weights = polynomial(np.array([10.0, 20, 30, 40]))
    printed = np.array([[-3, -1, 1, 3], [1, -1, -1, 1], [-1, 3, -3, 1]], float)
    assert weights == pytest.approx(printed / np.linalg.norm(printed, axis=1, keepdims=True))


def test_polynomial_weights_at_real_distances() -> None:
    at = np.array([0.0, 1, 2, 4, 8])
    _, weights = polynomial(at)
    assert weights @ weights.T == pytest.approx(np.eye(4), abs=1e-12)
    assert weights.sum(axis=1) == pytest.approx(np.zeros(4), abs=1e-12)
    assert weights[1:] @ at == pytest.approx(np.zeros(3), abs=1e-10)  # a straight line has no curvature
    assert weights[2:] @ at**2 == pytest.approx(np.zeros(2), abs=1e-10)


def test_a_trend_is_found_at_the_levels_own_numbers() -> None:
    dose = [0] * 6 + [1] * 6 + [4] * 6
    y = [2 + 0.5 * d + e for d, e in zip(dose, RNG.normal(0, 0.1, 18), strict=True)]
    found = answer(
        "compare_groups",
        table_from(dose=dose, y=y),
        {"response": "y", "groups": "dose", "test": "anova", "contrasts": "polynomial"},
    )
    assert found.facts["contrast.linear.p"] < 1e-6
    assert found.facts["contrast.quadratic.p"] > 0.01
    assert "own numbers" in found.block("contrasts").note


def test_letters_by_their_definition_with_sixty_groups() -> None:
    """Two groups share a letter exactly when they do not differ, for patterns from real means."""
    rng = np.random.default_rng(8)
    for k in (12, 30, 60):
        means = np.sort(rng.normal(0, 3, k))
        differ = {
            (i, j) for i in range(k) for j in range(i + 1, k) if abs(means[i] - means[j]) > rng.uniform(1.5, 2.5)
        }
        found = letters(range(k), differ)
        split = [set(_signs(f)) for f in found]
        for i in range(k):
            for j in range(i + 1, k):
                assert bool(split[i] & split[j]) == ((i, j) not in differ)


def _signs(text: str) -> list[str]:
    out: list[str] = []
    for sign in text:
        if sign == "′":
            out[-1] += sign
        else:
            out.append(sign)
    return out


def test_few_letters_are_enough_for_a_plain_threshold() -> None:
    """Where differing depends on distance alone, an interval graph: no more letters than the widest runs."""
    means = np.arange(60.0)
    differ = {(i, j) for i in range(60) for j in range(i + 1, 60) if means[j] - means[i] > 4.5}
    found = letters(range(60), differ)
    assert len({s for f in found for s in _signs(f)}) == 56
    assert max(len(_signs(f)) for f in found) == 5


def test_the_range_of_many_is_never_below_that_of_two() -> None:
    q = np.array([2.0, 3.5, 6.0])
    for k in (3, 10, 40):
        assert np.all(studentized_range.sf(q, k, 12) >= studentized_range.sf(q, 2, 12))


@pytest.mark.parametrize("alternative", ["greater", "less"])
def test_one_sided_comparisons_with_a_control_agree_with_the_library(alternative: str) -> None:
    rng = np.random.default_rng(1)
    names, sizes = ("ctl", "a", "b", "c"), (12, 9, 15, 12)
    samples = {n: (rng.normal(size=s) + (n == "a")).round(3) for n, s in zip(names, sizes, strict=True)}
    table = table_from(y=np.concatenate(list(samples.values())), g=np.repeat(names, sizes))
    spec = {"response": "y", "groups": "g", "test": "anova", "pairs": "dunnett", "control": "ctl"}
    rows = answer("compare_groups", table, {**spec, "alternative": alternative}).block("pairs").rows
    library = stats.dunnett(
        *(samples[n] for n in names[1:]), control=samples["ctl"], alternative=alternative, rng=rng
    )
    assert [r["group_a"].v for r in rows] == list(names[1:])
    for row, p in zip(rows, library.pvalue, strict=True):
        assert row["p_adjusted"].v == pytest.approx(p, abs=3e-4)  # the library's p is by random numbers
    low, high = library.confidence_interval(0.95)
    own, other, open_end = ("ci_low", low, "ci_high") if alternative == "greater" else ("ci_high", high, "ci_low")
    assert [r[own].v for r in rows] == pytest.approx(other, abs=2e-2)
    assert all(r[open_end].v is None for r in rows)


@pytest.mark.parametrize(
    ("alternative", "shifts", "said"),
    [
        ("greater", (-9, 0), "No group is shown to be higher than ctl."),
        ("less", (-9, 0), "; b is not shown to be lower."),
        ("less", (-9, -9), "; every group is lower than ctl."),
        ("greater", (9, 0, -9), "; 1 of 3 groups is higher than ctl."),
        ("less", (9,), "No group is shown to be lower than ctl."),
    ],
)
def test_only_the_direction_asked_about_is_claimed_or_missed(
    alternative: str, shifts: tuple[float, ...], said: str
) -> None:
    rng = np.random.default_rng(3)
    names = ["ctl", *"abc"[: len(shifts)]]
    y = np.concatenate([rng.normal(s, 1, 12) for s in (0, *shifts)]).round(3)
    spec = {"response": "y", "groups": "g", "pairs": "dunnett", "control": "ctl", "alternative": alternative}
    found = answer("compare_groups", table_from(y=y, g=np.repeat(names, 12)), spec)
    assert found.headline.endswith(said), found.headline


def test_a_control_with_one_other_group_is_students_t_in_one_direction() -> None:
    table = table_from(y=[3.1, 4.0, 5.2, 6.1, 4.4, 7.0, 6.2, 8.1], g=["c"] * 4 + ["a"] * 4)
    spec = {"response": "y", "groups": "g", "test": "anova", "pairs": "dunnett", "control": "c"}
    (row,) = answer("compare_groups", table, {**spec, "alternative": "greater"}).block("pairs").rows
    told = stats.ttest_ind([4.4, 7.0, 6.2, 8.1], [3.1, 4.0, 5.2, 6.1], alternative="greater")
    assert row["p_adjusted"].v == pytest.approx(told.pvalue, rel=1e-6) == pytest.approx(row["p"].v, rel=1e-6)
    assert row["ci_low"].v == pytest.approx(told.confidence_interval(0.95).low, rel=1e-6)


def test_a_trend_over_typed_places_is_the_regression_on_them() -> None:
    rng = np.random.default_rng(4)
    places = {"d1": 1.0, "d2": 2.0, "d4": 4.0, "d9": 9.0}
    d = np.repeat(list(places), 10)
    x = np.array([places[v] for v in d])
    y = (0.3 * x + rng.normal(size=40)).round(3)
    spec = {"response": "y", "groups": "d", "test": "anova", "contrasts": "polynomial"}
    found = answer("compare_groups", table_from(y=y, d=d), {**spec, "spacing": places}).block("contrasts")
    assert "as typed" in (found.note or "")
    # Sums of squares of orthogonal polynomials are what each power adds to the one below.
    for degree, row in enumerate(found.rows, 1):
        left = [float(((y - np.polynomial.Polynomial.fit(x, y, k)(x)) ** 2).sum()) for k in (degree - 1, degree)]
        assert row["ss"].v == pytest.approx(left[0] - left[1], rel=1e-7)
    for wrong, said in (
        (dict.fromkeys(places, 1.0), "a place of its own"),
        ({"d1": 1.0}, "No place is given for d2"),
    ):
        with pytest.raises(DataProblem, match=said):
            answer("compare_groups", table_from(y=y, d=d), {**spec, "spacing": wrong})
