"""Noncentral t and F turned round: intervals of their noncentrality, at any size of the statistic."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from scipy import optimize, special

from yavik.core.stats.groups import Floats

LARGE_T = 50.0
"""Beyond, the library's series of the noncentral t loses its way, and scatter over the normal part is averaged."""
LARGE_NC = 1e5
"""Beyond, the root of a noncentral χ² is normal about √(nc + df − 1) to a part in nc."""
LARGE_SHIFT = 37.0
"""Beyond, the library's series is not to be trusted at any t."""
NODES, WEIGHTS = np.polynomial.hermite_e.hermegauss(96)
WEIGHTS = WEIGHTS / WEIGHTS.sum()
FAR = 12.0
"""Standard deviations beyond which a normal value is not met with."""


def t_interval(t: float, df: float, alpha: float) -> tuple[float, float]:
    """Interval for the noncentrality of a t statistic (Steiger & Fouladi, 1997); two-sided, level 1 − ``alpha``."""
    if t < 0:
        low, high = t_interval(-t, df, alpha)
        return -high, -low
    return _t_end(t, df, 1 - alpha / 2), _t_end(t, df, alpha / 2)


def f_interval(f: float, df1: float, df2: float, alpha: float) -> tuple[float, float]:
    """Interval for the noncentrality of an F statistic (Steiger, 2004); an end below zero is zero."""
    return _f_end(f, df1, df2, 1 - alpha / 2), _f_end(f, df1, df2, alpha / 2)


def t_below(t: float, df: float, nc: float) -> float:
    """P(noncentral t ≤ t) for t ≥ 0, also where the library's series has no value."""
    if t < LARGE_T and abs(nc) <= LARGE_SHIFT:
        found = float(special.nctdtr(df, nc, t))
        if np.isfinite(found):
            return found
    if t > np.sqrt(2 * df):
        # (Z + nc)/√(χ²/df) ≤ t just when χ² ≥ df((Z + nc)/t)²; smooth in Z where t is large.
        return float(WEIGHTS @ special.chdtrc(df, df * (np.maximum(NODES + nc, 0.0) / t) ** 2))
    # Just when Z ≤ t√(χ²/df) − nc; smooth in χ² where df is large.
    return float(WEIGHTS @ special.ndtr(t * _roots(df) - nc))


@lru_cache(maxsize=64)
def _roots(df: float) -> Floats:
    """√(χ²/df) at the nodes of the normal value that has the same rank."""
    return np.asarray(np.sqrt(special.chdtri(df, special.ndtr(-np.clip(NODES, -8, 8))) / df))


def _t_end(t: float, df: float, share: float) -> float:
    """The noncentrality under which a share of t lies below the one seen."""
    # √(χ²/df) of all but a part in 10¹⁴.
    wide = np.sqrt(special.chdtri(df, np.array([1 - 1e-14, 1e-14])) / df)
    return _crossing(lambda nc: t_below(t, df, nc), share, t * float(wide[0]) - FAR, t * float(wide[1]) + FAR)


def _f_end(f: float, df1: float, df2: float, share: float) -> float:
    def below(nc: float) -> float:
        """Chance of a smaller F; 0 where it cannot be computed."""
        got = float(special.ncfdtr(df1, df2, nc, f))
        return got if np.isfinite(got) else 0.0  # far out in the tail the library gives up

    if below(0.0) < share:
        return 0.0
    high = 10.0
    while high < LARGE_NC and below(high) > share:
        high *= 2
    if high < LARGE_NC:
        return _crossing(below, share, 0.0, high)
    return _t_end(float(np.sqrt(f * df1)), df2, share) ** 2 - (df1 - 1)


def _crossing(below: Callable[[float], float], share: float, low: float, high: float) -> float:
    return float(optimize.brentq(lambda nc: below(nc) - share, low, high, xtol=1e-10, rtol=1e-13))
