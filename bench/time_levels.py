"""How often bands of what follows hold the points to come, and how often tests over time find what is not there.

Run with ``--write`` to store ``docs/time.json`` and the tables in ``docs/levels.md``; without, it prints them.
"""

from typing import Any

import numpy as np
from rates import rate, simulate
from scipy import signal

from yavik.core.stats.series.ahead import ahead
from yavik.core.stats.series.arima import Fitted, Order, Singular, prepare
from yavik.core.stats.series.arma import innovations
from yavik.core.stats.series.correlogram import correlogram
from yavik.core.stats.series.search import fit
from yavik.core.stats.series.smoothing import Kind, best, intervals
from yavik.core.stats.series.smoothing import fit as smoothed
from yavik.core.stats.series.unit_roots import augmented, still

SERIES = 500
LENGTHS = (40, 100, 300)
HORIZON = 12
REACH = 1.959963984540054


def made(rng: Any, n: int, ar: list[float], ma: list[float]) -> Any:
    """A standing series with ``HORIZON`` points after its end."""
    e = rng.normal(size=n + HORIZON + 200)
    return signal.lfilter([1, *ma], [1, *(-a for a in ar)], e)[200:]


def fitted(y: Any, order: Order, constant: bool) -> Fitted | None:
    try:
        return fit(prepare(y, order, np.zeros((len(y), 0)), (), constant))
    except Singular:
        return None


def bands(n: int, series: int = SERIES) -> dict[str, list[float]]:
    """Bands of 95 % for the first and the twelfth point to come, by the right order and by one that AICc takes; rates
    of the coefficients' intervals; false alarms of Ljung and Box."""
    rng = np.random.default_rng(n)
    hits: dict[str, list[bool]] = {}
    for _ in range(series):
        y = np.cumsum(made(rng, n, [0.5], [0.3])) + 100
        f = fitted(y[:n], Order(1, 1, 1), False)
        if f is not None:
            a = ahead(f, HORIZON)
            off = np.abs(a.mean - y[n:])
            hits.setdefault("first point, parameters’ error counted", []).append(off[0] <= REACH * a.se_full[0])
            hits.setdefault("twelfth point, parameters’ error counted", []).append(off[-1] <= REACH * a.se_full[-1])
            hits.setdefault("twelfth point, parameters taken as known", []).append(off[-1] <= REACH * a.se[-1])
            se = np.sqrt(np.diag(f.covariance))
            if np.isfinite(se).all():
                inside = np.abs(f.coefficients - [0.5, 0.3]) <= REACH * se
                hits.setdefault("intervals of AR 1 and MA 1", []).extend(inside.tolist())
            w = (f.given.w - f.given.x @ f.at.beta) * f.given.scale
            e = innovations(w, *f.factors.polynomials)
            p = correlogram(e, 10, 2).p[-1]
            hits.setdefault("false alarms of Ljung and Box, right order", []).append(bool(p < 0.05))
        tried = [
            g
            for o in ((1, 1, 0), (0, 1, 1), (1, 1, 1), (2, 1, 0), (0, 1, 2))
            if (g := fitted(y[:n], Order(*o), False))
        ]
        if tried:
            a = ahead(min(tried, key=lambda g: g.aicc), HORIZON)
            hits.setdefault("twelfth point, order by AICc", []).append(
                abs(a.mean[-1] - y[-1]) <= REACH * a.se_full[-1]
            )
    return {key: rate(value) for key, value in hits.items()}


def carried(n: int, series: int = SERIES) -> dict[str, list[float]]:
    """Bands of exponential smoothing on series that it describes, and by the parts that AICc takes."""
    rng = np.random.default_rng(n + 1)
    hits: dict[str, list[bool]] = {}
    for _ in range(series):
        e = rng.normal(size=n + HORIZON)
        level = np.concatenate([[0.0], np.cumsum(0.4 * e)])[:-1]
        y = 100 + level + e
        s = smoothed(y[:n], Kind("additive", "none", "none", 1), 1e-8)
        for key, one in (("level alone", s), ("parts by AICc", best(y[:n], 1, ("additive",), rest=1e-6))):
            if one is not None:
                low, high = intervals(one, HORIZON, [0.95])[0.95]
                hits.setdefault(f"first point, {key}", []).append(bool(low[0] <= y[n] <= high[0]))
                hits.setdefault(f"twelfth point, {key}", []).append(bool(low[-1] <= y[-1] <= high[-1]))
    return {key: rate(value) for key, value in hits.items()}


def roots(n: int, series: int = 1000) -> dict[str, list[float]]:
    """False alarms of unit root tests at 5 %: of ADF on walks, of KPSS on standing series."""
    rng = np.random.default_rng(n + 2)
    hits: dict[str, list[bool]] = {}
    for _ in range(series):
        walk, calm = np.cumsum(rng.normal(size=n)), made(rng, n, [0.5], [])[:n]
        for trend in ("constant", "trend"):
            hits.setdefault(f"ADF on a walk, {trend}", []).append(augmented(walk, trend).p < 0.05)  # type: ignore[arg-type]
            k = still(calm, trend)  # type: ignore[arg-type]
            hits.setdefault(f"KPSS on a series that stands still, {trend}", []).append(
                k.p < 0.05 or k.bounded == "below"
            )
    return {key: rate(value) for key, value in hits.items()}


if __name__ == "__main__":
    simulate(
        "time",
        {"bands": (bands, LENGTHS), "carried": (carried, LENGTHS), "roots": (roots, LENGTHS)},
        {"bands": "points of ARIMA(1, 1, 1)", "carried": "points", "roots": "points"},
    )
