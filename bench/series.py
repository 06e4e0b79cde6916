"""How fast a series is looked at, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/series.py
"""

import warnings
from typing import Any

import numpy as np
from comparing import best, table_of
from items import show
from models import fresh
from statsmodels.tsa.seasonal import STL
from statsmodels.tsa.stattools import adfuller, kpss

from yavik.core.methods import answer
from yavik.core.stats.series.parts import parts
from yavik.core.stats.series.unit_roots import augmented, still


def wandering(n: int) -> Any:
    """A random walk with a season of twelve."""
    rng = np.random.default_rng(1)
    return 1000 + np.cumsum(rng.normal(size=n)) + 5 * np.sin(2 * np.pi * np.arange(n) / 12)


def main() -> None:
    print("| what | plain | ours | ratio | mark |\n|---|---|---|---|---|")
    for n in (200, 20_000):
        y = wandering(n)
        show(
            f"Dickey and Fuller, lags by AIC, {n:,} points",
            best(lambda y=y: adfuller(y), 2),
            best(lambda y=y: augmented(y, "constant"), 3),
            "",
        )
        show(
            f"KPSS, {n:,} points",
            best(lambda y=y: kpss(y, nlags="auto"), 2),
            best(lambda y=y: still(y, "constant"), 3),
            "",
        )
        show(
            f"parts, {n:,} points",
            best(lambda y=y: STL(y, period=12).fit(), 2),
            best(lambda y=y: parts(y, 12), 3),
            "",
        )
    for n, mark in ((200, ""), (100_000, "≤ 500 ms")):
        table = table_of(y=wandering(n), when=np.arange(n))
        show(
            f"whole answer, {n:,} points",
            None,
            best(lambda t=table: answer("series", fresh(t), {"value": "y", "time": "when", "season": 12}), 2),
            mark,
        )


if __name__ == "__main__":
    warnings.simplefilter("ignore")
    main()
