"""How fast models of counts and scales of items are, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/counts_and_scales.py [rows]
"""

import sys
from functools import partial
from typing import Any

import numpy as np
import pandas as pd
import statsmodels.api as sm
import statsmodels.formula.api as smf
from comparing import best, table_of
from statsmodels.multivariate.factor import Factor

from yavik.core.methods import answer
from yavik.core.table import Table

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000


def show(name: str, plain: float, ours: float) -> None:
    print(f"| {name} | {1000 * plain:,.1f} ms | {1000 * ours:,.1f} ms | {plain / ours:.1f} × |", flush=True)


def fresh(table: Table) -> Table:
    """The same cells with nothing remembered of them."""
    return Table(table.columns, table.arrays, table.rows, table.about)


def counts(rows: int) -> None:
    rng = np.random.default_rng(1)
    columns: dict[str, Any] = {f"x{i}": rng.normal(size=rows).round(4) for i in range(8)}
    columns["g"] = np.array([f"g{i}" for i in range(5)])[rng.integers(0, 5, rows)]
    mu = np.exp(0.8 + 0.3 * columns["x0"] - 0.2 * columns["x1"] + 0.2 * (columns["g"] == "g2"))
    columns["y"] = rng.negative_binomial(2, 2 / (2 + mu))
    table, frame = table_of(**columns), pd.DataFrame(columns)
    terms = [f"x{i}" for i in range(8)] + ["g"]
    formula = "y ~ " + " + ".join(terms)
    spec = {"response": "y", "terms": terms}
    plain = best(lambda: smf.glm(formula, frame, family=sm.families.Poisson()).fit().summary(), 1)
    for family in ("poisson", "quasi"):
        ours = best(partial(answer, "counts_model", fresh(table), {**spec, "family": family}), 1)
        show(f"{family}, {rows:,} × 9: whole answer against a bare Poisson fit", plain, ours)
    plain = best(lambda: smf.negativebinomial(formula, frame).fit(disp=0).summary(), 1)
    ours = best(lambda: answer("counts_model", fresh(table), {**spec, "family": "negative_binomial"}), 1)
    show(f"negative binomial, {rows:,} × 9: whole answer against a bare fit", plain, ours)


def by_hand(frame: pd.DataFrame) -> None:
    """α, α without each item, item–rest correlations and one factor, as a notebook would work them out."""

    def alpha(items: pd.DataFrame) -> float:
        k = items.shape[1]
        return k / (k - 1) * (1 - items.var().sum() / items.sum(axis=1).var())

    alpha(frame)
    for name in frame:
        rest = frame.drop(columns=name)
        alpha(rest)
        frame[name].corr(rest.sum(axis=1))
    Factor(corr=frame.corr().to_numpy(), n_factor=1, method="ml").fit()


def scales(rows: int) -> None:
    rng = np.random.default_rng(2)
    trait = rng.normal(size=rows)
    items = {
        f"i{i}": np.clip(np.round(3 + 0.9 * trait + rng.normal(0, 1, rows)), 1, 5).astype(int) for i in range(12)
    }
    table, frame = table_of(**items), pd.DataFrame(items)
    plain = best(lambda: by_hand(frame), 1)
    ours = best(lambda: answer("reliability", fresh(table), {"items": list(items)}), 2)
    show(f"reliability, {rows:,} × 12: whole answer against α, items and one factor by hand", plain, ours)


def main() -> None:
    print("| job | plain | ours | faster |\n|---|---:|---:|---:|")
    for rows in (3_400, min(ROWS, 100_000), ROWS):
        counts(rows)
        scales(rows)


if __name__ == "__main__":
    main()
