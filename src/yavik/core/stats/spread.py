"""Spread of several groups: tests of equal variances, and intervals for standard deviations."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats import distributions as laws
from yavik.core.stats import studentized_range
from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.oneway import FTest, anova


@dataclass(frozen=True)
class RatioTest:
    """Variance of the first over the second, and the interval of the ratio of the SDs."""

    f: float
    df1: float
    df2: float
    p: float
    sd_ratio: float
    ci_low: float
    ci_high: float


def f_ratio(
    v1: float, v2: float, n1: float, n2: float, ratio: float, alpha: float, alternative: Alternative
) -> RatioTest:
    """F test that the ratio of two SDs is ``ratio`` (1 for equal spread); two-sided p is twice the smaller tail."""
    df1, df2 = n1 - 1, n2 - 1
    plain = v1 / v2
    f = plain / ratio**2
    above, below = float(special.fdtrc(df1, df2, f)), float(special.fdtr(df1, df2, f))
    p = {"two_sided": min(1.0, 2 * min(above, below)), "greater": above, "less": below}[alternative]
    share = alpha / 2 if alternative == "two_sided" else alpha
    low = float(np.sqrt(plain / laws.f.isf(share, df1, df2)))
    high = float(np.sqrt(plain / laws.f.ppf(share, df1, df2)))
    if alternative == "greater":
        high = np.inf
    if alternative == "less":
        low = 0.0
    return RatioTest(f, df1, df2, p, float(np.sqrt(plain)), low, high)


@dataclass(frozen=True)
class Chi2Test:
    chi2: float
    df: float
    p: float


def bartlett(n: Floats, variances: Floats) -> Chi2Test:
    """Bartlett's (1937) test; sharp for normal values only."""
    df = n - 1
    total = df.sum()
    pooled = (df * variances).sum() / total
    k = len(n)
    scale = 1 + ((1 / df).sum() - 1 / total) / (3 * (k - 1))
    chi2 = float((total * np.log(pooled) - (df * np.log(variances)).sum()) / scale)
    return Chi2Test(chi2, k - 1, float(laws.chi2.sf(chi2, k - 1)))


def levene_trimmed(g: Groups, cut: float = 0.1) -> FTest:
    """Levene's test about means of the middle 80 % (Brown & Forsythe, 1974): a tenth is cut off at each end."""
    middles = np.array([_trimmed_mean(s, cut) for s in g.ordered])
    away = np.abs(g.y - np.repeat(middles, g.n))
    return anova(Groups(away, g.starts, g.rows, g.names)).test


def _trimmed_mean(ordered: Floats, cut: float) -> float:
    drop = int(cut * len(ordered))
    return float(ordered[drop : len(ordered) - drop].mean())


@dataclass(frozen=True)
class SpreadIntervals:
    """``own``: each SD's 1 − α interval. ``comparing``: intervals that do not overlap where two SDs differ, for all
    pairs together."""

    own_low: Floats
    own_high: Floats
    low: Floats
    high: Floats


def _log_sd_se(g: Groups) -> Floats:
    """SE of log s from the pooled kurtosis about trimmed means (Bonett, 2006)."""
    n = g.n.astype(float)
    fourth, second = 0.0, 0.0
    for i in range(g.k):
        part, centre = g.part(i), _trimmed_mean(g.ordered[i], min(0.25, 1 / (2 * np.sqrt(max(n[i] - 4, 1)))))
        square = (part - centre) ** 2
        fourth += float(square @ square)
        second += float(g.ss[i])
    kurtosis = n.sum() * fourth / second**2
    spare = np.maximum((kurtosis - (n - 3) / n) / (n - 1), 1e-12)
    return np.asarray(np.sqrt(spare) / 2)


def sd_intervals(g: Groups, alpha: float) -> SpreadIntervals:
    """Intervals for every SD and intervals made for comparing them.

    The comparing ones give each group a width so that the widths of two groups add up, as nearly as k widths can,
    to the least significant difference of their log SDs (Hochberg, Weiss & Hart, 1982), with the studentised
    range's critical value for all pairs together.
    """
    se = _log_sd_se(g)
    log_sd = np.log(g.variances) / 2
    z = float(laws.norm.isf(alpha / 2))
    together = np.sqrt(se[:, None] ** 2 + se[None, :] ** 2)
    np.fill_diagonal(together, 0)
    k = g.k
    if k == 2:
        width, critical = together[0, 1] * se / se.sum(), z
    else:
        rows = together.sum(axis=1)
        width = ((k - 1) * rows - together.sum() / 2) / ((k - 1) * (k - 2))
        critical = float(studentized_range.isf(alpha, k, np.array([1e7]))[0]) / np.sqrt(2)
    reach = critical * np.maximum(width, 0)
    return SpreadIntervals(
        np.exp(log_sd - z * se), np.exp(log_sd + z * se), np.exp(log_sd - reach), np.exp(log_sd + reach)
    )
