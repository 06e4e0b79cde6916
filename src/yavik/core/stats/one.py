"""One sample against a value, and paired differences against zero."""

from dataclasses import dataclass

import numpy as np
from scipy import special, stats

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative, t_interval, t_p, z_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.ranks import mid_ranks
from yavik.core.stats.selecting import mean_of_two_at
from yavik.core.stats.two import TTest

MOST_EXACT = 50


def t_one(mean: float, sd: float, n: int, null: float, alpha: float, alternative: Alternative) -> TTest:
    """Student's test of one mean. The estimate is the mean itself, not its distance from the value."""
    se = sd / np.sqrt(n)
    t = (mean - null) / se
    low, high = t_interval(mean, se, n - 1, alpha, alternative)
    return TTest(mean, float(se), float(t), n - 1, t_p(float(t), n - 1, alternative), low, high)


@dataclass(frozen=True)
class SignedRank:
    """``w_plus`` and ``w_minus``: sums of the ranks of distances above and below; ``n`` without zero distances."""

    w_plus: float
    w_minus: float
    n: int
    zeros: int
    z: float
    p: float
    exact: bool


def signed_rank(away: Floats, *, continuity: bool = True, alternative: Alternative = "two_sided") -> SignedRank:
    """Wilcoxon's (1945) signed-rank test; zero distances are left out, as he did.

    Exact up to 50 distances, ties among them kept (their mean ranks are added up in every pattern of signs);
    else normal with the variance Σr²/4, which carries the correction for ties.
    """
    used = away[away != 0]
    n = len(used)
    ranks = mid_ranks(np.abs(used))
    plus = float(ranks[used > 0].sum())
    minus = float(ranks[used < 0].sum())
    gap = plus - ranks.sum() / 2
    se = float(np.sqrt((ranks**2).sum() / 4))
    if alternative == "two_sided":
        shifted = np.sign(gap) * max(abs(gap) - 0.5, 0.0) if continuity else gap
    else:
        shifted = gap - (0.5 if alternative == "greater" else -0.5) * continuity
    z = float(shifted / se) if se > 0 else np.nan
    exact = 0 < n <= MOST_EXACT
    p = _exact_signed(ranks, plus, alternative) if exact else z_p(z, alternative)
    return SignedRank(plus, minus, n, len(away) - n, z, p, exact)


def _exact_signed(ranks: Floats, plus: float, alternative: Alternative) -> float:
    doubled = np.rint(2 * ranks).astype(np.int64)
    chances = np.zeros(int(doubled.sum()) + 1)
    chances[0] = 1.0
    for s in doubled:
        moved = np.zeros_like(chances)
        moved[s:] = chances[: len(chances) - s]
        chances = (chances + moved) / 2
    seen = round(2 * plus)
    below, above = float(chances[: seen + 1].sum()), float(chances[seen:].sum())
    if alternative == "two_sided":
        return min(1.0, 2 * min(below, above))
    return min(1.0, above if alternative == "greater" else below)


def pseudo_median(values: Floats, alpha: float, alternative: Alternative = "two_sided") -> tuple[float, float, float]:
    """Pseudo-median: the median of all means of two values (Hodges & Lehmann, 1963), and its interval."""
    n = len(values)
    total = n * (n + 1) // 2
    if n == 0:
        return np.nan, np.nan, np.nan
    share = alpha / (2 if alternative == "two_sided" else 1)
    place = int(np.floor(total / 2 - laws.norm.isf(share) * np.sqrt(n * (n + 1) * (2 * n + 1) / 24)))
    ends = (place, total - place + 1) if place >= 1 else ()
    middle, *reached = mean_of_two_at(np.sort(values), ((total + 1) / 2, *ends))
    low, high = reached or (-np.inf, np.inf)
    if alternative == "greater":
        return middle, low, np.inf
    return (middle, -np.inf, high) if alternative == "less" else (middle, low, high)


@dataclass(frozen=True)
class SignTest:
    above: int
    below: int
    zeros: int
    p: float


def sign_test(away: Floats, alternative: Alternative = "two_sided") -> SignTest:
    """Exact binomial test that as many lie above as below; those equal to the value are left out."""
    above, below = int((away > 0).sum()), int((away < 0).sum())
    n = above + below
    more, fewer = float(stats.binom.sf(above - 1, n, 0.5)), float(stats.binom.cdf(above, n, 0.5))
    p = {"two_sided": min(1.0, 2 * min(more, fewer)), "greater": more, "less": fewer}[alternative]
    return SignTest(above, below, len(away) - n, p)


def median_interval(
    values: Floats, alpha: float, alternative: Alternative = "two_sided"
) -> tuple[float, float, float]:
    """Order statistics around the median by the binomial distribution, with the level they really have.

    Returns:
        low, high, level; the widest pair still below the level asked for is not taken: the level is at least 1 − α.
        A one-sided test gets one end, the other is infinite.
    """
    if alternative != "two_sided":
        low, high, level = median_interval(values, 2 * alpha)
        one = (1 + level) / 2
        return (low, np.inf, one) if alternative == "greater" else (-np.inf, high, one)
    s, n = np.sort(values), len(values)
    place = int(stats.binom.ppf(alpha / 2, n, 0.5))
    while place > 0 and float(stats.binom.cdf(place - 1, n, 0.5)) > alpha / 2:
        place -= 1
    if place < 1:
        return np.nan, np.nan, np.nan
    level = 1 - 2 * float(stats.binom.cdf(place - 1, n, 0.5))
    return float(s[place - 1]), float(s[n - place]), level


@dataclass(frozen=True)
class VarianceTest:
    chi2: float
    df: int
    p: float
    sd_low: float
    sd_high: float


def variance_test(variance: float, n: int, sd: float, alpha: float, alternative: Alternative) -> VarianceTest:
    """χ² test of one SD against a value; two-sided p is twice the smaller tail."""
    df = n - 1
    chi2 = df * variance / sd**2
    above, below = float(special.chdtrc(df, chi2)), float(special.chdtr(df, chi2))
    p = {"two_sided": min(1.0, 2 * min(above, below)), "greater": above, "less": below}[alternative]
    share = alpha / 2 if alternative == "two_sided" else alpha
    low = float(np.sqrt(df * variance / laws.chi2.isf(share, df)))
    high = float(np.sqrt(df * variance / laws.chi2.ppf(share, df)))
    if alternative == "greater":
        high = np.inf
    if alternative == "less":
        low = 0.0
    return VarianceTest(float(chi2), df, p, low, high)
