"""How fast models over time are fitted, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/forecasts.py
"""

import warnings
from typing import Any

import numpy as np
from comparing import best, table_of
from items import show
from models import fresh
from scipy import signal
from statsmodels.tsa.exponential_smoothing.ets import ETSModel
from statsmodels.tsa.statespace.sarimax import SARIMAX

from yavik.core.methods import answer
from yavik.core.stats.series.arima import Order, prepare
from yavik.core.stats.series.search import fit
from yavik.core.stats.series.smoothing import Kind
from yavik.core.stats.series.smoothing import fit as smoothed

SIX = [[1, 1, 0], [0, 1, 1], [1, 1, 1], [2, 1, 0], [0, 1, 2], [2, 1, 2]]


def walk(n: int) -> Any:
    """Whose steps are ARMA(1, 1)."""
    e = np.random.default_rng(3).normal(size=n + 300)
    return np.cumsum(signal.lfilter([1, 0.4], [1, -0.5], e)[300:])


def monthly(n: int = 192) -> Any:
    """Trend, season and a walk."""
    rng = np.random.default_rng(1)
    t = np.arange(n)
    return (
        4000
        + 8 * t
        + 400 * np.sin(2 * np.pi * t / 12)
        + 30 * np.cumsum(rng.normal(size=n))
        + 100 * rng.normal(size=n)
    )


def ours(y: Any, order: Order) -> Any:
    return fit(prepare(y, order, np.zeros((len(y), 0)), (), False))


def theirs(y: Any, order: Order) -> Any:
    """Differenced first, so that the likelihood is of the same points."""
    season = (order.P, order.D, order.Q, order.m if order.m > 1 else 0)
    return SARIMAX(y, order=order[:3], seasonal_order=season, simple_differencing=True).fit(disp=0, maxiter=500)


def main() -> None:
    print("| what | plain | ours | ratio | mark |\n|---|---|---|---|---|")
    for y, order, mark in (
        (walk(200), Order(1, 1, 1), ""),
        (walk(200), Order(3, 1, 3), ""),
        (walk(2000), Order(3, 1, 3), "≥ 10 ×"),
        (monthly(), Order(1, 1, 1, 0, 1, 1, 12), "≤ 300 ms"),
    ):
        a, b = ours(y, order), theirs(y, order)
        name = f"ARIMA{order}, {len(y):,} points (ln L {a.log_likelihood - b.llf:+.3f})"
        show(name, best(lambda y=y, o=order: theirs(y, o), 2), best(lambda y=y, o=order: ours(y, o), 3), mark)
    y = monthly()
    kind = Kind("additive", "additive", "additive", 12)
    plain = best(
        lambda: ETSModel(_series(y), error="add", trend="add", seasonal="add", seasonal_periods=12).fit(disp=0), 2
    )
    show("exponential smoothing with trend and season, 192 points", plain, best(lambda: smoothed(y, kind), 3), "")
    for name, y, method, spec, mark in (
        ("six candidates, 200 points, whole answer", walk(200), "arima", {"candidates": SIX}, "≤ 500 ms"),
        ("a seasonal model, 192 points, whole answer", monthly(), "arima",
         {"candidates": [[1, 1, 1]], "seasonal": [0, 1, 1, 12]}, "≤ 300 ms"),
        ("a grid of 36 orders, 192 points, whole answer", walk(192), "arima", {"grid": [5, 1, 5]}, "≤ 3 s"),
        ("15 ways of smoothing, 192 points, whole answer", monthly(), "smoothing", {"season": 12}, ""),
    ):  # fmt: skip
        table = table_of(y=y, when=np.arange(len(y)))
        asked = {"value": "y", "time": "when", **spec}
        show(name, None, best(lambda t=table, m=method, a=asked: answer(m, fresh(t), a), 2), mark)


def _series(y: Any) -> Any:
    import pandas as pd

    return pd.Series(y)


if __name__ == "__main__":
    warnings.simplefilter("ignore")
    main()
