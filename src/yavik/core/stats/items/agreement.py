"""How far raters agree: kappa, intraclass correlation, limits of agreement."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy import special

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats

Weights = Literal["none", "linear", "quadratic"]


@dataclass(frozen=True)
class Kappa:
    """Agreement beyond chance.

    Args:
        observed, expected: agreement seen, and of raters who answer at random with their own shares (weighted where
            so).
        se: for the interval; null_se: if there were no agreement beyond chance, for z and p.
    """

    value: float
    observed: float
    expected: float
    se: float
    low: float
    high: float
    z: float
    p: float


def kappa(table: Floats, weights: Weights, level: float) -> Kappa | None:
    """Cohen's κ (1960), weighted (1968), with large-sample errors by Fleiss, Cohen and Everitt (1969).

    Args:
        table: counts of the first rater's answers by the second's, shape (K, K). level: of the interval, such as .95.

    None where chance alone gives full agreement.
    """
    n = float(table.sum())
    p = table / n
    k = len(p)
    gap = np.abs(np.arange(k)[:, None] - np.arange(k)[None, :])
    w = {"none": (gap == 0).astype(float), "linear": 1 - gap / (k - 1), "quadratic": 1 - (gap / (k - 1)) ** 2}[
        weights
    ]
    row, column = p.sum(axis=1), p.sum(axis=0)
    observed, expected = float((w * p).sum()), float(row @ w @ column)
    if expected > 1 - 1e-12:
        return None
    value = (observed - expected) / (1 - expected)
    across = (w @ column)[:, None] + (row @ w)[None, :]
    inside = (p * (w - across * (1 - value)) ** 2).sum() - (value - expected * (1 - value)) ** 2
    se = float(np.sqrt(max(inside, 0.0) / n) / (1 - expected))
    null = (np.outer(row, column) * (w - across) ** 2).sum() - expected**2
    null_se = float(np.sqrt(max(null, 0.0) / n) / (1 - expected))
    z = value / null_se if null_se > 0 else np.nan
    reach = float(special.ndtri((1 + level) / 2)) * se
    return Kappa(value, observed, expected, se, max(value - reach, -1.0), min(value + reach, 1.0), z, _two_sided(z))


def _two_sided(z: float) -> float:
    return float(2 * special.ndtr(-abs(z))) if np.isfinite(z) else np.nan


def fleiss(counts: Floats, level: float) -> tuple[Kappa | None, Floats]:
    """κ of several raters (Fleiss, 1971), and that of each answer against all others, shape (K,).

    Args:
        counts: how many raters gave each answer to each subject, shape (n, K), as many raters for each.

    z by the error if there were no agreement (Fleiss, Nee and Landis, 1979); the interval by the jackknife over
    subjects.
    """
    n = len(counts)
    m = float(counts[0].sum())
    share = counts.sum(axis=0) / (n * m)
    own = ((counts**2).sum(axis=1) - m) / (m * (m - 1))
    observed, expected = float(own.mean()), float((share**2).sum())
    with np.errstate(invalid="ignore", divide="ignore"):
        each = 1 - (counts * (m - counts)).sum(axis=0) / (n * m * (m - 1) * share * (1 - share))
    if expected > 1 - 1e-12:
        return None, each
    value = (observed - expected) / (1 - expected)
    q = share * (1 - share)
    null = 2 / (n * m * (m - 1)) * (q.sum() ** 2 - (q * (1 - 2 * share)).sum()) / q.sum() ** 2
    z = value / np.sqrt(null) if null > 0 else np.nan
    left = (counts.sum(axis=0) - counts) / ((n - 1) * m)  # shares without each subject
    o, e = (own.sum() - own) / (n - 1), (left**2).sum(axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        without = (o - e) / (1 - e)
    se = (
        float(np.sqrt((n - 1) / n * ((without - without.mean()) ** 2).sum()))
        if np.isfinite(without).all()
        else np.nan
    )
    reach = float(laws.t.ppf((1 + level) / 2, n - 1)) * se
    made = Kappa(
        value,
        observed,
        expected,
        se,
        max(value - reach, -1.0),
        min(value + reach, 1.0),
        float(z),
        _two_sided(float(z)),
    )
    return made, each


@dataclass(frozen=True)
class Intraclass:
    """One of the six forms of Shrout and Fleiss (1979)."""

    form: str
    value: float
    low: float
    high: float
    f: float
    df1: float
    df2: float
    p: float


@dataclass(frozen=True)
class Intraclasses:
    """All six, with the analysis of variance that they come from: mean squares of subjects, raters and error."""

    forms: list[Intraclass]
    subjects: float
    raters: float
    error: float
    within: float
    f_raters: float
    p_raters: float


def intraclass(x: Floats, level: float) -> Intraclasses:
    """ICC(1,1), (2,1), (3,1) and of the mean of k raters (Shrout and Fleiss, 1979), intervals as theirs.

    Args:
        x: shape (n, k), filled throughout.
    """
    n, k = x.shape
    z = x - x.mean()
    rows, columns = z.mean(axis=1), z.mean(axis=0)
    ss_rows, ss_columns = k * (rows**2).sum(), n * (columns**2).sum()
    rest = z - rows[:, None] - columns[None, :]
    bms, jms = ss_rows / (n - 1), ss_columns / (k - 1)
    ems = float((rest**2).sum() / ((n - 1) * (k - 1)))
    wms = float(((z - rows[:, None]) ** 2).sum() / (n * (k - 1)))
    tail = (1 + level) / 2
    d1, d3, dw = n - 1, (n - 1) * (k - 1), n * (k - 1)

    def ends(ratio: float, df2: float) -> tuple[float, float]:
        """F ratio divided and multiplied by the quantiles."""
        return ratio / laws.f.ppf(tail, d1, df2), ratio * laws.f.ppf(tail, df2, d1)

    def over(a: float, b: float) -> float:
        """A quotient, 1 where an error is nothing at all."""
        return a / b if b > 0 else (np.inf if a > 0 else np.nan)

    f1, f3 = over(bms, wms), over(bms, ems)
    l1, u1 = ends(f1, dw)
    l3, u3 = ends(f3, d3)

    def single(f: float) -> float:
        """From a ratio to one rater's reliability."""
        return (f - 1) / (f + k - 1) if np.isfinite(f) else 1.0

    def averaged(f: float) -> float:
        """From a ratio to that of the mean."""
        return 1 - 1 / f if f > 0 else -np.inf

    two = (bms - ems) / (bms + (k - 1) * ems + k * (jms - ems) / n)
    two_k = (bms - ems) / (bms + (jms - ems) / n)
    low2, high2 = _absolute(bms, jms, ems, n, k, two, tail)
    stepped = [k * v / (1 + (k - 1) * v) for v in (low2, high2)]
    made = [
        Intraclass("ICC(1,1)", single(f1), single(l1), single(u1), f1, d1, dw, _tail(f1, d1, dw)),
        Intraclass("ICC(2,1)", two, low2, high2, f3, d1, d3, _tail(f3, d1, d3)),
        Intraclass("ICC(3,1)", single(f3), single(l3), single(u3), f3, d1, d3, _tail(f3, d1, d3)),
        Intraclass(f"ICC(1,{k})", averaged(f1), averaged(l1), averaged(u1), f1, d1, dw, _tail(f1, d1, dw)),
        Intraclass(f"ICC(2,{k})", two_k, stepped[0], stepped[1], f3, d1, d3, _tail(f3, d1, d3)),
        Intraclass(f"ICC(3,{k})", averaged(f3), averaged(l3), averaged(u3), f3, d1, d3, _tail(f3, d1, d3)),
    ]
    fr = over(jms, ems)
    return Intraclasses(made, float(bms), float(jms), ems, wms, fr, _tail(fr, k - 1, d3))


def _tail(f: float, df1: float, df2: float) -> float:
    return float(laws.f.sf(f, df1, df2)) if not np.isnan(f) else np.nan


def _absolute(bms: float, jms: float, ems: float, n: int, k: int, icc: float, tail: float) -> tuple[float, float]:
    """Ends of ICC(2,1) with the df of Satterthwaite."""
    if ems <= 0:
        return (icc, icc) if jms <= 0 else (np.nan, np.nan)
    fj = jms / ems
    a = k * icc * fj + n * (1 + (k - 1) * icc) - k * icc
    df = (k - 1) * (n - 1) * a**2 / ((n - 1) * k**2 * icc**2 * fj**2 + (n * (1 + (k - 1) * icc) - k * icc) ** 2)
    below, above = laws.f.ppf(tail, n - 1, df), laws.f.ppf(tail, df, n - 1)
    shared = k * jms + (k * n - k - n) * ems
    low = n * (bms - below * ems) / (below * shared + n * bms)
    high = n * (above * bms - ems) / (shared + n * above * bms)
    return float(low), float(high)


@dataclass(frozen=True)
class Limits:
    """Limits of agreement of two raters (Bland and Altman, 1986), first less second.

    Args:
        bias: mean difference with its interval. low, high: limits; ``*_ends`` their intervals. slope: of the
            differences on the
            means, with its p.
    """

    n: int
    bias: float
    sd: float
    bias_ends: tuple[float, float]
    low: float
    high: float
    low_ends: tuple[float, float]
    high_ends: tuple[float, float]
    p_bias: float
    slope: float
    p_slope: float
    p_spread: float
    mean: Floats
    difference: Floats


def limits(a: Floats, b: Floats, level: float) -> Limits:
    """Mean difference ± z · SD, of which 95 % (``level``) of differences are expected between; intervals of the
    limits by the error
    √(1/n + z²/(2(n − 1))) · SD."""
    d, mean = a - b, (a + b) / 2
    n = len(d)
    bias = float(d.mean())
    sd = float(d.std(ddof=1))
    z = float(special.ndtri((1 + level) / 2))
    t = float(laws.t.ppf((1 + level) / 2, n - 1))
    low, high = bias - z * sd, bias + z * sd
    own, edge = t * sd / np.sqrt(n), t * sd * np.sqrt(1 / n + z**2 / (2 * (n - 1)))
    p = float(2 * laws.t.sf(abs(bias) / (sd / np.sqrt(n)), n - 1)) if sd > 0 else np.nan
    slope, p_slope = _line(mean, d)
    p_spread = _line(mean, np.abs(d - bias))[1]
    return Limits(
        n, bias, sd, (bias - own, bias + own), low, high, (low - edge, low + edge), (high - edge, high + edge), p,
        slope,
        p_slope, p_spread, mean, d,
    )  # fmt: skip


def _line(x: Floats, y: Floats) -> tuple[float, float]:
    """Slope and its p; NaN without spread."""
    u, v = x - x.mean(), y - y.mean()
    sxx = float(u @ u)
    if sxx <= 1e-12 * max(float((x**2).sum()), 1e-300) or len(x) < 3:
        return np.nan, np.nan
    slope = float(u @ v / sxx)
    rest = float(((v - slope * u) ** 2).sum())
    if rest <= 1e-20 * max(float(v @ v), 1e-300):
        return slope, np.nan
    t = slope / np.sqrt(rest / (len(x) - 2) / sxx)
    return slope, float(2 * laws.t.sf(abs(t), len(x) - 2))


def crossed(a: Any, b: Any, k: int) -> Floats:
    """Counts of pairs of answers, shape (k, k)."""
    return np.bincount(a * k + b, minlength=k * k).reshape(k, k).astype(float)
