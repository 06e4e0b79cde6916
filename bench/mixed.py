"""How fast mixed models are, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/mixed.py
"""

import os

os.environ.setdefault("OMP_NUM_THREADS", "1")

import warnings
from functools import partial
from typing import Any

import numpy as np
import pandas as pd
import statsmodels.formula.api as smf
from comparing import best, table_of

from yavik.core.methods import answer
from yavik.core.methods.nested.mixed.fit import fit_model
from yavik.core.methods.nested.mixed.simulate import simulate
from yavik.core.methods.nested.mixed.spec import MixedSpec
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.fitting import scoring
from yavik.core.table import Table


def show(name: str, plain: float, ours: float, mark: float) -> None:
    print(
        f"| {name} | {1000 * plain:,.1f} ms | {1000 * ours:,.1f} ms | {plain / ours:.1f} × | {mark:g} × |", flush=True
    )


def fresh(table: Table) -> Table:
    """The same cells with nothing remembered of them."""
    return Table(table.columns, table.arrays, table.rows, table.about)


def grouped(units: int, each: int, slopes: bool) -> tuple[Table, pd.DataFrame, dict[str, Any]]:
    rng = np.random.default_rng(1)
    g, n = np.repeat(np.arange(units), each), units * each
    a, b = rng.normal(size=n), rng.normal(size=n)
    y = 1 + 0.5 * a - 0.3 * b + rng.normal(0, 0.8, units)[g] + rng.normal(size=n)
    y = y + (rng.normal(0, 0.4, units)[g] * a if slopes else 0.0)
    columns = {"g": np.array([f"u{i}" for i in range(units)])[g], "a": a, "b": b, "y": y}
    spec = {"response": "y", "terms": ["a", "b"], "random": [{"units": ["g"], "slopes": ["a"] if slopes else []}]}
    return table_of(**columns), pd.DataFrame({**columns, "g": g}), spec


def bare(table: Table, spec: dict[str, Any]) -> Blocks:
    """The fit alone: cross-products of the rows, and the search."""
    m = fit_model(table, MixedSpec(**spec), second=False)
    assert isinstance(m.engine, Blocks)
    return m.engine


def once(x: Any, y: Any, units: Any) -> None:
    e = Blocks(x, y, units)
    scoring(e, e.starts()[0], True)


def one_design(units: int, each: int, slopes: bool, marks: tuple[float, float]) -> None:
    table, frame, spec = grouped(units, each, slopes)
    form = "~a" if slopes else None
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        plain = best(lambda: smf.mixedlm("y ~ a + b", frame, groups="g", re_formula=form).fit(reml=True), 1)
    e = bare(table, spec)
    what = f"{'slopes' if slopes else 'random intercept'}, {units * each:,} rows, {units:,} units"
    show(f"{what}: the fit", plain, best(partial(once, e.x, e.y, e.units), 5), marks[0])
    show(
        f"{what}: whole answer against the bare fit",
        plain,
        best(lambda: answer("mixed", fresh(table), spec), 2),
        marks[1],
    )


def crossed() -> None:
    rng = np.random.default_rng(2)
    a, b = rng.integers(0, 500, 10_000), rng.integers(0, 200, 10_000)
    y = rng.normal(size=500)[a] + 0.5 * rng.normal(size=200)[b] + rng.normal(size=10_000)
    names = [np.array([f"{k}{i}" for i in range(500)]) for k in "ab"]
    table = table_of(a=names[0][a], b=names[1][b], x=rng.normal(size=10_000), y=y)
    spec = {"response": "y", "terms": ["x"], "random": [{"units": ["a"]}, {"units": ["b"]}]}
    e = bare(table, spec)
    fit = best(partial(once, e.x, e.y, e.units), 2)
    print(f"| crossed, 10,000 rows, 500 × 200 units: the fit | – | {1000 * fit:,.1f} ms | | |", flush=True)


def draws() -> None:
    """Quiet desks: six halls, three lamps, four noises; linear in the draws."""
    rng = np.random.default_rng(3)
    hall, lamp, noise = (v.ravel() for v in np.meshgrid(range(6), range(3), range(4), indexing="ij"))
    y = rng.normal(0, 2, 6)[hall] + rng.normal(0, 1.2, (6, 3))[hall, lamp] + rng.normal(0, 1.5, 72)
    word = {"hall": hall, "lamp": lamp, "noise": noise}
    columns = {k: np.array([f"{k}{i}" for i in range(6)])[v] for k, v in word.items()}
    table = table_of(**columns, y=y)
    spec = {
        "response": "y", "terms": ["lamp", "noise", {"interaction": ["lamp", "noise"]}],
        "random": [{"units": ["hall"]}, {"units": ["hall", "lamp"]}],
    }  # fmt: skip
    m = fit_model(table, MixedSpec(**spec))
    phi, units = m.top.phi, m.engine.units  # type: ignore[union-attr]
    some = [Blocks(m.x, rng.normal(size=72), units) for _ in range(50)]
    alone = best(lambda: [scoring(e, phi, True) for e in some], 1) / 50
    for n in (999, 3996):
        ask = MixedSpec(
            **spec, seed=n, simulate={"term": ["lamp", "noise"], "draws": n}
        )  # a seed whose draws are new
        ours = best(partial(simulate, fit_model(table, ask)), 1)
        show(f"critical values, {n} draws of 72 rows, against one fit after the other", n * alone, ours, 1)


if __name__ == "__main__":
    print("| what | plain | ours | ratio | mark |\n|---|---:|---:|---:|---:|")
    one_design(1000, 20, False, (200, 20))
    one_design(2000, 25, True, (30, 3))
    crossed()
    draws()
