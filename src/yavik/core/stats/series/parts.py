"""A series as trend, season and rest, which add up to it exactly."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.groups import Floats

TURNS = 4
WIDEST = 501
"""Points that a line of a series without a season looks at, at most."""


@dataclass(frozen=True)
class Parts:
    """Shape (n,) each. ``trend_strength`` and ``season_strength``: 1 − variance of the rest over that of the rest
    with the part,
    at least 0 (Wang, Smith and Hyndman, 2006); season_strength is NaN without one."""

    trend: Floats
    season: Floats
    rest: Floats
    trend_strength: float
    season_strength: float


def parts(y: Floats, season: int) -> Parts:
    """By local lines and means of each season, in turns (after Cleveland and others, 1990), the season the same
    every year.

    Args:
        y: without gaps. season: points of a year; 1 for none.
    """
    n = len(y)
    level = float(y.mean())
    z = y - level
    if season > 1 and n >= 2 * season:
        window = odd(1.5 * season)
        place = np.arange(n) % season
        count = np.bincount(place, minlength=season)
        own = np.zeros(season)
        for _ in range(TURNS):
            trend = smooth(z - own[place], window)
            own = np.bincount(place, z - trend, season) / count
            own -= own.mean()
        seasonal = own[place]
        trend = smooth(z - seasonal, window)
    else:
        seasonal = np.zeros(n)
        trend = smooth(z, odd(min(max(7.0, n / 5), WIDEST)))
    rest = z - trend - seasonal
    strength = _strength(rest, trend)
    by_season = _strength(rest, seasonal) if season > 1 and n >= 2 * season else np.nan
    trend = trend + level
    return Parts(trend, seasonal, y - trend - seasonal, strength, by_season)


def _strength(rest: Floats, part: Floats) -> float:
    both = float((rest + part).var())
    return max(0.0, 1 - float(rest.var()) / both) if both > 0 else np.nan


def odd(x: float) -> int:
    """The next odd whole number."""
    k = int(np.ceil(x))
    return k if k % 2 else k + 1


def smooth(y: Floats, window: int) -> Floats:
    """Local lines of evenly spaced points, tricube weights over ``window`` points (odd).

    Inside, lines at the middle of their points are weighted means; at both ends lines are fitted to the points there
    are.
    """
    n = len(y)
    half = min(window, 2 * ((n - 1) // 2) + 1) // 2
    if half < 1:
        return np.asarray(y.copy())
    away = np.abs(np.arange(-half, half + 1)) / (half + 1)
    weight = (1 - away**3) ** 3
    out = np.convolve(y, weight / weight.sum(), mode="same")
    width = min(2 * half + 1, n)
    x = np.arange(width, dtype=float)
    for i in range(half):
        w = (1 - np.minimum(np.abs(x - i) / (width - i), 1.0) ** 3) ** 3
        for at, own in ((i, y[:width]), (n - 1 - i, y[::-1][:width])):
            mx, my = (w @ x) / w.sum(), (w @ own) / w.sum()
            out[at] = my + (i - mx) * (w @ ((x - mx) * own)) / (w @ (x - mx) ** 2)
    return np.asarray(out)


def box_cox(y: Floats, power: float) -> Floats:
    """(y^λ − 1)/λ, ln y at 0; y above 0."""
    return np.asarray(np.log(y) if abs(power) < 1e-12 else (y**power - 1) / power)


def back(z: Floats, power: float) -> Floats:
    """Back from ``box_cox``; NaN where there is no way back."""
    if abs(power) < 1e-12:
        return np.asarray(np.exp(z))
    inside = power * z + 1
    with np.errstate(invalid="ignore"):
        return np.asarray(np.where(inside > 0, np.maximum(inside, 1e-300) ** (1 / power), np.nan))


def power_of(y: Floats, season: int) -> float:
    """The λ between −1 and 2 that makes spread within years most alike (Guerrero, 1993), to a tenth."""
    width = season if season > 1 else max(4, len(y) // 12)
    years = len(y) // width
    blocks = y[len(y) - years * width :].reshape(years, width)
    mean, sd = blocks.mean(axis=1), blocks.std(axis=1, ddof=1)
    best, found = np.inf, 1.0
    for power in np.round(np.arange(-1.0, 2.01, 0.1), 1):
        ratio = sd / mean ** (1 - power)
        cv = float(ratio.std(ddof=1) / ratio.mean()) if years > 1 and ratio.mean() > 0 else np.inf
        if cv < best - 1e-12:
            best, found = cv, float(power)
    return found
