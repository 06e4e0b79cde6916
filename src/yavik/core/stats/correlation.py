"""Correlations of many columns at once, with tests and intervals."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy import special

from yavik.core.stats.direction import Alternative, t_p, z_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.ranks import mid_ranks

Kind = Literal["pearson", "spearman", "kendall"]


DETERMINED = 1e-10
"""Share of a column's length below which what is left of it, others held constant, is rounding."""


@dataclass(frozen=True)
class Correlations:
    """Symmetric matrices; NaN where a pair has none. ``n`` counts the rows of each pair."""

    r: Floats
    p: Floats
    low: Floats
    high: Floats
    n: Floats
    statistic: Floats


def correlations(
    x: Floats, kind: Kind, held: Floats | None, pairwise: bool, alpha: float, alternative: Alternative
) -> Correlations:
    """All pairs of the columns of ``x``, shape (rows, k), NaN where empty.

    Pearson's and Spearman's p from t with n − 2 − h df, h the columns held constant. Pearson's interval by
    Fisher's (1921) z, Spearman's with Bonett and Wright's (2000) SE, Kendall's with Fieller, Hartley and
    Pearson's (1957). Kendall's τ-b with variance corrected for ties; exact for few rows without ties.
    """
    k = x.shape[1]
    out = [np.full((k, k), np.nan) for _ in range(6)]
    r, p, low, high, n, statistic = out
    h = 0 if held is None else held.shape[1]
    filled: Any = ~np.isnan(x)
    if held is not None:
        base: Any = ~np.isnan(held).any(axis=1)
        filled = filled & base[:, None]
    if not pairwise or filled.all():
        rows: Any = filled.all(axis=1)
        data = x if rows.all() else x[rows]
        n[:] = len(data)
        if len(data) < 3:
            return Correlations(r, p, low, high, n, statistic)
        r[:] = _matrix(data, kind, None if held is None else held[rows])
    else:
        for i in range(k):
            for j in range(i + 1):
                rows = filled[:, i] & filled[:, j]
                n[i, j] = n[j, i] = rows.sum()
                if n[i, j] > 2:
                    pair = _matrix(x[rows][:, [i, j]], kind, None if held is None else held[rows])
                    r[i, j] = r[j, i] = pair[0, 1]
    for i in range(k):
        for j in range(i):
            value, m = float(r[i, j]), float(n[i, j])
            if np.isnan(value) or m - h < 3:
                r[i, j] = r[j, i] = np.nan if m < 3 else value
                continue
            both = None
            if kind == "kendall" and not h:
                rows = filled[:, i] & filled[:, j] if pairwise else filled.all(axis=1)
                both = (x[rows, i], x[rows, j])
            statistic[i, j], p[i, j] = _test(value, m, h, kind, alternative, both)
            low[i, j], high[i, j] = _interval(value, m, h, kind, alpha, alternative)
            for table in (statistic, p, low, high):
                table[j, i] = table[i, j]
    return Correlations(r, p, low, high, n, statistic)


def _matrix(x: Floats, kind: Kind, held: Floats | None) -> Floats:
    k = x.shape[1]
    if kind == "kendall":
        from scipy.stats import kendalltau  # takes longer to load than most answers to work out

        taus = np.eye(k + (0 if held is None else held.shape[1]))
        every = x if held is None else np.hstack([x, held])
        for i in range(len(taus)):
            for j in range(i):
                taus[i, j] = taus[j, i] = kendalltau(every[:, i], every[:, j], method="asymptotic").statistic
        return taus if held is None else _partial(taus, k)
    if kind == "spearman":
        x = np.array([mid_ranks(c) for c in x.T]).T
        held = None if held is None else np.array([mid_ranks(c) for c in held.T]).T
    away = _centred(x)
    if held is not None and held.shape[1]:
        base = _centred(held)
        length = np.sqrt((base**2).sum(axis=0))
        base = base[:, length > 0] / length[length > 0]
        before = np.sqrt((away**2).sum(axis=0))
        for _ in range(2):  # twice, so that what is left is free of what was taken out
            away = away - base @ np.linalg.lstsq(base, away, rcond=None)[0]
        # A column that the held ones determine leaves rounding behind, which is no correlation.
        away[:, np.sqrt((away**2).sum(axis=0)) <= DETERMINED * before] = 0
    size = np.sqrt((away**2).sum(axis=0))
    with np.errstate(invalid="ignore", divide="ignore"):
        r = (away.T @ away) / np.outer(size, size)
    r[:, size == 0] = r[size == 0, :] = np.nan
    return np.asarray(np.clip(r, -1, 1))


def _centred(x: Floats) -> Floats:
    """Columns about their means, in two passes, so that an offset costs no digits."""
    moved = x - x[0]
    moved = moved - moved.mean(axis=0)
    return np.asarray(moved - moved.mean(axis=0))


def _partial(r: Floats, k: int) -> Floats:
    inverse = np.linalg.pinv(r[k:, k:])
    left = r[:k, :k] - r[:k, k:] @ inverse @ r[k:, :k]
    own = np.diag(left).copy()
    own[own <= DETERMINED] = np.nan  # determined by the held ones
    d = np.sqrt(own)
    return np.asarray(np.clip(left / np.outer(d, d), -1, 1))


def _test(
    r: float, n: float, h: int, kind: Kind, alternative: Alternative, both: tuple[Floats, Floats] | None
) -> tuple[float, float]:
    if kind == "kendall":
        if both is not None:
            from scipy.stats import kendalltau

            way: Any = alternative.replace("_", "-")
            return r, float(kendalltau(both[0], both[1], alternative=way).pvalue)
        z = r * np.sqrt(9 * (n - h) * (n - h - 1) / (2 * (2 * (n - h) + 5)))
        return float(z), z_p(float(z), alternative)
    df = n - 2 - h
    if abs(r) >= 1:
        return np.inf * np.sign(r), (
            0.0 if alternative == "two_sided" or (r > 0) == (alternative == "greater") else 1.0
        )
    t = r * np.sqrt(df / ((1 - r) * (1 + r)))
    return float(t), t_p(float(t), df, alternative)


def _interval(r: float, n: float, h: int, kind: Kind, alpha: float, alternative: Alternative) -> tuple[float, float]:
    m = n - h
    if abs(r) >= 1 or m <= (4 if kind == "kendall" else 3):
        return np.nan, np.nan
    variance = 0.437 / (m - 4) if kind == "kendall" else (1 + r * r / 2 if kind == "spearman" else 1.0) / (m - 3)
    se = float(np.sqrt(variance))
    middle = np.arctanh(r)
    reach = float(special.ndtri(1 - (alpha / 2 if alternative == "two_sided" else alpha))) * se
    low = -1.0 if alternative == "less" else float(np.tanh(middle - reach))
    high = 1.0 if alternative == "greater" else float(np.tanh(middle + reach))
    return low, high


@dataclass(frozen=True)
class StraightLine:
    intercept: float
    slope: float
    r2: float
    sd: float
    n: int
    x0: float
    x1: float

    def at(self, x: float) -> float:
        """The line's height."""
        return self.intercept + self.slope * x


def straight_line(x: Floats, y: Floats) -> StraightLine | None:
    """Least squares of y on x; None without spread in x."""
    mx, my = float(x.mean()), float(y.mean())
    a, b = x - mx, y - my
    sxx, syy, sxy = float(a @ a), float(b @ b), float(a @ b)
    if sxx == 0 or len(x) < 2:
        return None
    slope = sxy / sxx
    rest = max(syy - slope * sxy, 0.0)
    sd = float(np.sqrt(rest / (len(x) - 2))) if len(x) > 2 else np.nan
    r2 = slope * sxy / syy if syy > 0 else np.nan
    return StraightLine(my - slope * mx, slope, r2, sd, len(x), float(x.min()), float(x.max()))
