"""How fast effects of a change and panels are, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/change.py [rows]
"""

import sys
import time
from typing import Any

import numpy as np
import pandas as pd
import statsmodels.api as sm
from comparing import best, table_of
from models import fresh

from yavik.core.methods import answer
from yavik.core.stats.change import panels
from yavik.core.stats.change.absorb import demeaned
from yavik.core.stats.change.jump.bandwidths import mse
from yavik.core.stats.change.jump.estimate import Sorted, jump
from yavik.core.stats.change.panels import Panel
from yavik.demo import branches

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000


def show(name: str, plain: float | None, ours: float, mark: str) -> None:
    told = (
        f"{1000 * plain:,.0f} ms | {1000 * ours:,.0f} ms | {plain / ours:.1f} ×"
        if plain
        else f"– | {1000 * ours:,.0f} ms | –"
    )
    print(f"| {name} | {told} | {mark} |", flush=True)


def fixed_effects() -> None:
    """Units' levels out, errors by unit."""
    n, units = ROWS, ROWS // 20
    rng = np.random.default_rng(1)
    unit, period = np.repeat(np.arange(units), 20), np.tile(np.arange(20), units)
    x = rng.normal(size=(n, 3))
    y = x[:, 0] + rng.normal(size=units)[unit] + rng.normal(size=n)
    frame = pd.DataFrame({"u": unit, "t": period, "y": y, "a": x[:, 0], "b": x[:, 1], "c": x[:, 2]})

    def plain() -> Any:
        inner = frame[["y", "a", "b", "c"]] - frame.groupby("u")[["y", "a", "b", "c"]].transform("mean")
        return (
            sm.OLS(inner.y, inner[["a", "b", "c"]])
            .fit(cov_type="cluster", cov_kwds={"groups": frame.u.to_numpy()})
            .bse
        )

    ours = best(lambda: panels.fixed(Panel(y, x, unit, period), "cluster"))
    name = f"fixed effects by unit, {n:,} rows, {units:,} units, against means taken off and least squares"
    show(name, best(plain, 2), ours, "")
    try:
        from linearmodels.panel import PanelOLS
    except ImportError:
        print("| the same against a library for panels: not installed here | | | | |", flush=True)
    else:
        indexed = frame.set_index(["u", "t"])

        def library() -> Any:
            model = PanelOLS(indexed.y, indexed[["a", "b", "c"]], entity_effects=True)
            return model.fit(cov_type="clustered", cluster_entity=True).std_errors

        show("the same against a library for panels", best(library, 2), ours, "15 ×")
    both = np.column_stack([y, x])
    show("levels of units and periods out", None, best(lambda: demeaned(both, [unit, period]), 2), "")


def whole_panel() -> None:
    columns = branches.branch_years()
    f = pd.DataFrame(columns)
    table = table_of(
        branch=f.branch.to_numpy(str), year=f.year.to_numpy(int), loans=f.loans.to_numpy(int),
        staff=f.staff.to_numpy(float), hours=f.hours.to_numpy(float), fund=f.fund.to_numpy(int),
        rural=f.rural.to_numpy(str),
    )  # fmt: skip
    spec = {"outcome": "loans", "terms": ["staff", "hours", "fund", "rural"], "unit": "branch", "time": "year"}
    answer("panel", table, spec)
    show(
        "whole answer: nine models of 480 rows with checks",
        None,
        best(lambda: answer("panel", fresh(table), spec)),
        "300 ms",
    )


def discontinuity() -> None:
    rng = np.random.default_rng(2)
    for n, mark in ((1300, "300 ms"), (ROWS, "5 s")):
        u = rng.normal(0, 10, n).round(3)
        y = 0.1 * u + 2 * (u >= 0) + rng.normal(0, 3, n)
        table = table_of(u=u, y=y)
        spec = {"outcome": "y", "running": "u", "cutoff": 0}
        answer("discontinuity", table, spec)
        start = time.perf_counter()
        answer("discontinuity", fresh(table), spec)
        show(f"whole answer: a jump with its sensitivity set, {n:,} rows", None, time.perf_counter() - start, mark)
        order = np.argsort(u, kind="stable")
        d = Sorted(u[order], y[order][:, None], np.zeros((n, 0)))
        w = mse(d, "triangular")
        h = w.h[0]

        def plain(h: float = h, u: Any = u, y: Any = y) -> Any:
            near = np.abs(u) <= h
            right = (u[near] >= 0).astype(float)
            x = np.column_stack([np.ones(near.sum()), right, u[near], u[near] * right])
            return sm.WLS(y[near], x, weights=1 - np.abs(u[near]) / h).fit(cov_type="HC0").bse

        ours = best(lambda d=d, w=w: jump(d, w.h, w.b))  # type: ignore[misc]
        show(f"one estimate more, {n:,} rows, against weighted least squares", best(plain), ours, "")


if __name__ == "__main__":
    print("| what | plain | ours | ratio | mark |\n|---|---:|---:|---:|---:|")
    fixed_effects()
    whole_panel()
    discontinuity()
