"""Standardised sizes of a difference, with intervals."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats
from yavik.core.stats.noncentral import t_interval
from yavik.core.stats.ranks import Merged, placements


@dataclass(frozen=True)
class Size:
    estimate: float
    ci_low: float
    ci_high: float


def small_sample_factor(df: float) -> float:
    """Hedges' (1981) exact correction J = Γ(df/2) / (√(df/2) Γ((df − 1)/2))."""
    return (
        float(np.exp(special.gammaln(df / 2) - special.gammaln((df - 1) / 2)) / np.sqrt(df / 2)) if df > 1 else np.nan
    )


def cohen_d(m1: float, m2: float, v1: float, v2: float, n1: float, n2: float, alpha: float) -> tuple[Size, Size]:
    """Cohen's d by the pooled SD and Hedges' g, with intervals from the noncentral t distribution."""
    df = n1 + n2 - 2
    pooled = sum((n - 1) * v for n, v in ((n1, v1), (n2, v2)) if n > 1) / df
    if pooled <= 0:
        nothing = Size(np.nan, np.nan, np.nan)
        return nothing, nothing
    d = (m1 - m2) / np.sqrt(pooled)
    scale = np.sqrt(1 / n1 + 1 / n2)
    low, high = (x * scale for x in t_interval(float(d / scale), df, alpha))
    j = small_sample_factor(df)
    return Size(float(d), float(low), float(high)), Size(float(d * j), float(low * j), float(high * j))


def one_sample_d(mean: float, sd: float, n: float, alpha: float) -> tuple[Size, Size]:
    """d of one sample (or of paired differences): mean over SD, and its small-sample form."""
    if sd <= 0:
        nothing = Size(np.nan, np.nan, np.nan)
        return nothing, nothing
    d, scale = mean / sd, 1 / np.sqrt(n)
    low, high = (x * scale for x in t_interval(float(d / scale), n - 1, alpha))
    j = small_sample_factor(n - 1)
    return Size(float(d), float(low), float(high)), Size(float(d * j), float(low * j), float(high * j))


def superiority(
    a: Floats, b: Floats, alpha: float, alternative: Alternative = "two_sided", merged: Merged | None = None
) -> Size:  # fmt: skip
    """P(a value of the first exceeds one of the second), ties counting half.

    Variance from the values' placements (DeLong, DeLong & Clarke-Pearson, 1988); interval on the logit scale.

    Args:
        a, b: sorted values.
        merged: their ranks among both, where they are known already.
    """
    n1, n2 = len(a), len(b)
    above_b, above_a = (below / n for below, n in zip(placements(a, b, merged), (n2, n1), strict=True))
    share = float(above_b.mean())
    if n1 < 2 or n2 < 2 or not 0 < share < 1:
        return Size(share, np.nan, np.nan)
    se = np.sqrt(above_b.var(ddof=1) / n1 + above_a.var(ddof=1) / n2)
    if se == 0:
        return Size(share, np.nan, np.nan)
    reach = float(laws.norm.isf(alpha / (2 if alternative == "two_sided" else 1))) * se / (share * (1 - share))
    middle = special.logit(share)
    low = 0.0 if alternative == "less" else float(special.expit(middle - reach))
    return Size(share, low, 1.0 if alternative == "greater" else float(special.expit(middle + reach)))
