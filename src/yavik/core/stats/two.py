"""Two independent samples: t tests and the rank-sum test with its shift."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative, t_interval, t_p, z_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.ranks import Merged, merged_ranks, mid_ranks
from yavik.core.stats.selecting import difference_at

MOST_EXACT = 50
"""Values in all up to which the rank-sum test is exact by itself, where nothing ties."""


@dataclass(frozen=True)
class TTest:
    difference: float
    se: float
    t: float
    df: float
    p: float
    ci_low: float
    ci_high: float


@dataclass(frozen=True)
class Sample:
    """What a t test needs to know of a sample."""

    n: float
    mean: float
    variance: float


def t_test(a: Sample, b: Sample, null: float, alpha: float, alternative: Alternative, *, pooled: bool) -> TTest:
    """Student's (1908) test with one pooled variance, or Welch's (1947) with each sample's own and Satterthwaite's
    df."""
    difference = a.mean - b.mean
    if pooled:  # a sample of one brings its mean, and nothing to the spread
        df = a.n + b.n - 2
        variance = sum((s.n - 1) * s.variance for s in (a, b) if s.n > 1) / df
        se = float(np.sqrt(variance * (1 / a.n + 1 / b.n)))
    else:
        u, v = a.variance / a.n, b.variance / b.n
        se = float(np.sqrt(u + v))
        df = float((u + v) ** 2 / (u**2 / (a.n - 1) + v**2 / (b.n - 1)))
    t = (difference - null) / se
    low, high = t_interval(difference, se, df, alpha, alternative)
    return TTest(difference, se, t, df, t_p(t, df, alternative), low, high)


@dataclass(frozen=True)
class RankSum:
    """``u`` counts pairs in which the first sample's value is the larger, ties half."""

    u: float
    u_other: float
    rank_sum_a: float
    rank_sum_b: float
    z: float
    p: float
    exact: bool
    ties: float


def mann_whitney(
    a: Floats,
    b: Floats,
    *,
    exact: str = "auto",
    continuity: bool = True,
    alternative: Alternative = "two_sided",
    merged: Merged | None = None,
) -> RankSum:
    """Mann and Whitney's (1947) U, the same test as Wilcoxon's rank sum.

    Exact p count every division of the pooled ranks into the two samples, ties kept as they are (Streitberg &
    Röhmel, 1986); else the normal approximation with variance corrected for ties.

    Args:
        a, b: sorted values.
        exact: 'yes', 'no', or 'auto': without ties and up to 50 values in all.
        merged: their ranks among both, where they are known already.
    """
    n1, n2 = len(a), len(b)
    n = n1 + n2
    (of_a, _), ties = merged or merged_ranks(a, b)
    u = float(of_a.sum()) - n1 * (n1 + 1) / 2
    variance = n1 * n2 / 12 * ((n + 1) - ties / (n * (n - 1)))
    gap = u - n1 * n2 / 2
    use_exact = exact == "yes" or (exact == "auto" and n <= MOST_EXACT and ties == 0)
    if alternative == "two_sided":
        shifted = np.sign(gap) * max(abs(gap) - 0.5, 0.0) if continuity else gap
    else:
        shifted = gap - (0.5 if alternative == "greater" else -0.5) * continuity
    z = float(shifted / np.sqrt(variance)) if variance > 0 else np.nan
    if variance <= 0:  # every value is the same: no division separates the samples, and there is nothing to test
        p = np.nan
    else:
        p = _exact_p(a, b, u, alternative) if use_exact else z_p(z, alternative)
    w1 = u + n1 * (n1 + 1) / 2
    return RankSum(u, n1 * n2 - u, w1, n * (n + 1) / 2 - w1, z, p, use_exact, ties)


def subset_sums(scores: Floats, size: int) -> Floats:
    """Chances of each sum of ``size`` out of whole-number scores drawn without putting back (shift algorithm)."""
    whole = np.rint(scores).astype(np.int64)
    top = int(np.sort(whole)[len(whole) - size :].sum())
    table = np.zeros((size + 1, top + 1))
    table[0, 0] = 1.0
    for drawn, s in enumerate(whole, start=1):
        # From the back, so that no value is used twice; chances, not counts, so that nothing overflows.
        for k in range(min(drawn, size), 0, -1):
            table[k, s:] += table[k - 1, : top + 1 - s]
        if drawn % 64 == 0:
            table /= table.max()
    return np.asarray(table[size] / table[size].sum())


def _exact_p(a: Floats, b: Floats, u: float, alternative: Alternative) -> float:
    n1 = min(len(a), len(b))
    pooled = np.concatenate([a, b])
    doubled = 2 * mid_ranks(pooled)
    chances = subset_sums(doubled, n1)
    small_u = u if len(a) <= len(b) else len(a) * len(b) - u
    seen = round(2 * (small_u + n1 * (n1 + 1) / 2))
    below, above = float(chances[: seen + 1].sum()), float(chances[seen:].sum())
    if alternative == "two_sided":
        return min(1.0, 2 * min(below, above))
    greater = (alternative == "greater") == (len(a) <= len(b))
    return min(1.0, above if greater else below)


def shift(a: Floats, b: Floats, alpha: float, alternative: Alternative = "two_sided") -> tuple[float, float, float]:
    """Hodges and Lehmann's (1963) shift, the median of all differences, with its distribution-free interval.

    The interval's order statistics come from the normal approximation to U (Hollander & Wolfe, 1999).

    Args:
        a, b: sorted values.
    """
    n1, n2 = len(a), len(b)
    total = n1 * n2
    spread = float(laws.norm.isf(alpha / (2 if alternative == "two_sided" else 1))) * np.sqrt(
        total * (n1 + n2 + 1) / 12
    )
    low_place = int(np.floor(total / 2 - spread))
    if n1 == 0 or n2 == 0:
        return np.nan, np.nan, np.nan
    ends = (low_place, total - low_place + 1) if low_place >= 1 else ()
    middle, *reached = difference_at(a, b, ((total + 1) / 2, *ends))
    low, high = reached or (-np.inf, np.inf)
    if alternative == "greater":
        return middle, low, np.inf
    return (middle, -np.inf, high) if alternative == "less" else (middle, low, high)
