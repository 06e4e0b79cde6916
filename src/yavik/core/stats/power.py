"""Power of common designs, and what follows from it: rows needed, and the smallest effect that would be seen."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from scipy import optimize, special

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats
from yavik.core.stats.noncentral import LARGE_SHIFT, t_below

MOST = 10_000_000
NODES, WEIGHTS = np.polynomial.legendre.leggauss(400)


def t_power(nc: float, df: float, alpha: float, alternative: Alternative) -> float:
    """Chance that a t test rejects, given the noncentrality."""
    if alternative == "two_sided":
        c = float(laws.t.isf(alpha / 2, df))
        return _tail(df, nc, c) + _tail(df, -nc, c)
    return _tail(df, abs(nc), float(laws.t.isf(alpha, df)))


def _tail(df: float, nc: float, c: float) -> float:
    """P(noncentral t > c)."""
    found = float(special.nctdtr(df, -nc, -c)) if abs(nc) <= LARGE_SHIFT else np.nan
    return found if np.isfinite(found) else float(np.clip(1 - t_below(c, df, nc), 0.0, 1.0))


@lru_cache(maxsize=64)
def _spread_of(df: float) -> tuple[Floats, Floats]:
    """Nodes and weights of the estimated SD over the true one, the root of a χ² over its df."""
    if df > 1e6:
        return np.ones(1), np.ones(1)
    low, high = np.sqrt(laws.chi2.ppf(1e-14, df) / df), np.sqrt(laws.chi2.isf(1e-14, df) / df)
    s = low + (NODES + 1) / 2 * (high - low)
    log_f = np.log(2.0) + df / 2 * np.log(df / 2) - special.gammaln(df / 2) + (df - 1) * np.log(s) - df * s**2 / 2
    return s, WEIGHTS * (high - low) / 2 * np.exp(log_f)


def two_means(n: float, d: float, ratio: float, alpha: float, alternative: Alternative) -> float:
    """n rows in the first group, n·ratio in the second; d in standard deviations."""
    m = n * ratio
    return t_power(abs(d) / np.sqrt(1 / n + 1 / m), n + m - 2, alpha, alternative)


def one_mean(n: float, d: float, alpha: float, alternative: Alternative) -> float:
    """n rows, or n pairs with d in SDs of their differences."""
    return t_power(abs(d) * np.sqrt(n), n - 1, alpha, alternative)


def two_shares(n: float, p1: float, p2: float, ratio: float, alpha: float, alternative: Alternative) -> float:
    """Normal approximation with the pooled variance under equal shares (Fleiss, Levin & Paik, 2003)."""
    m = n * ratio
    pooled = (n * p1 + m * p2) / (n + m)
    null = np.sqrt(pooled * (1 - pooled) * (1 / n + 1 / m))
    own = np.sqrt(p1 * (1 - p1) / n + p2 * (1 - p2) / m)
    z = float(laws.norm.isf(alpha / (2 if alternative == "two_sided" else 1)))
    gap = abs(p1 - p2)
    power = float(special.ndtr((gap - z * null) / own))
    return power + float(special.ndtr((-gap - z * null) / own)) if alternative == "two_sided" else power


def one_way(n: float, f: float, k: int, alpha: float) -> float:
    """Classical F with n rows in each of k groups; f is the SD of the group means over the SD within (Cohen,
    1988)."""
    df2 = k * (n - 1)
    return _upper_f(k - 1, df2, f * f * k * n, alpha)


def _upper_f(df1: float, df2: float, nc: float, alpha: float) -> float:
    c = float(laws.f.isf(alpha, df1, df2))
    below = float(special.ncfdtr(df1, df2, nc, c))
    if np.isfinite(below):
        return 1 - below
    s, w = _spread_of(df2)
    return float(np.clip(1 - w @ np.nan_to_num(special.chndtr(c * df1 * s**2, df1, nc), nan=0.0), 0.0, 1.0))


def correlation(n: float, r: float, alpha: float, alternative: Alternative) -> float:
    """By Fisher's z with its bias r/(2(n − 1))."""
    middle = np.arctanh(abs(r)) + abs(r) / (2 * (n - 1))
    z = float(laws.norm.isf(alpha / (2 if alternative == "two_sided" else 1)))
    root = np.sqrt(n - 3)
    power = float(special.ndtr(middle * root - z))
    return power + float(special.ndtr(-middle * root - z)) if alternative == "two_sided" else power


def chi_square(n: float, w: float, df: float, alpha: float) -> float:
    """n rows in all; w is the root of Σ(p − p₀)²/p₀ (Cohen, 1988)."""
    below = float(special.chndtr(float(laws.chi2.isf(alpha, df)), df, n * w * w))
    return 1 - below if np.isfinite(below) else 1.0


def smallest_n(power: Callable[[float], float], wanted: float, least: int) -> int | None:
    """The smallest whole n whose power is at least the one wanted; None beyond ten million."""
    low, high = least, max(2 * least, 8)
    if power(low) >= wanted:
        return low
    while power(high) < wanted:
        low, high = high, high * 2
        if high > MOST:
            return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if power(middle) >= wanted else (middle, high)
    return high


def smallest_effect(power: Callable[[float], float], wanted: float, low: float, high: float) -> float | None:
    """The effect at which the power is the one wanted, between low and high."""
    if power(high) < wanted or power(low) > wanted:
        return None
    return float(optimize.brentq(lambda x: power(x) - wanted, low, high, xtol=1e-10))
