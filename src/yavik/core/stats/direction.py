"""Tails and intervals for a chosen direction: one place for what 'less' and 'greater' mean."""

from typing import Any, Literal

import numpy as np

from yavik.core.stats import distributions as laws

Alternative = Literal["two_sided", "less", "greater"]


def t_p(t: float, df: float, alternative: Alternative) -> float:
    """p of a t statistic; each tail is taken directly, never as one minus the other."""
    if alternative == "two_sided":
        return float(2 * laws.t.sf(abs(t), df))
    return float(laws.t.sf(t, df) if alternative == "greater" else laws.t.cdf(t, df))


def z_p(z: float, alternative: Alternative) -> float:
    """p of a standard normal statistic."""
    if alternative == "two_sided":
        return float(2 * laws.norm.sf(abs(z)))
    return float(laws.norm.sf(z) if alternative == "greater" else laws.norm.cdf(z))


def t_interval(estimate: float, se: float, df: float, alpha: float, alternative: Alternative) -> tuple[float, float]:
    """1 − α interval; one-sided tests get the one-sided bound, open at the other end."""
    if alternative == "two_sided":
        reach = float(laws.t.isf(alpha / 2, df)) * se
        return estimate - reach, estimate + reach
    reach = float(laws.t.isf(alpha, df)) * se
    return (estimate - reach, np.inf) if alternative == "greater" else (-np.inf, estimate + reach)


def t_reach(df: float, alpha: float) -> float:
    """How many standard errors a two-sided 1 − α interval reaches."""
    return float(laws.t.isf(alpha / 2, df))


def reach_of_means(n: Any, sd: Any, alpha: float) -> Any:
    """Half the 1 − α interval of each mean, by t with n − 1 df; NaN for a single value."""
    n, sd = np.asarray(n, np.float64), np.asarray(sd, np.float64)
    return np.where(n > 1, laws.t.isf(alpha / 2, np.maximum(n - 1, 1)) * sd / np.sqrt(n), np.nan)
