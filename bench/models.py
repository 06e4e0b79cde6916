"""How fast models are: bare fits and whole answers, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/models.py [rows]
"""

import sys
import time
from typing import Any

import numpy as np
import pandas as pd
import statsmodels.api as sm
import statsmodels.formula.api as smf
from comparing import best, table_of

from yavik.core.files.delimited import read
from yavik.core.methods import answer
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import PowerTerm
from yavik.core.stats.binary import fit as fit_binary
from yavik.core.stats.binary import prepare
from yavik.core.stats.design import Design, ModelTerm, Part
from yavik.core.stats.least_squares import fit
from yavik.core.stats.selection import LinearJudge, best_subsets, walk
from yavik.core.stats.triangle import triangle
from yavik.core.steps import apply_path, new_step
from yavik.core.table import Table
from yavik.demo import people

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000


def show(name: str, plain: float, ours: float, mark: float) -> None:
    """``mark``: how many times faster it is meant to be."""
    ratio = plain / ours
    print(f"| {name} | {1000 * plain:,.1f} ms | {1000 * ours:,.1f} ms | {ratio:.1f} × | {mark:g} × |", flush=True)


def fresh(table: Table) -> Table:
    """The same cells with nothing remembered of them."""
    return Table(table.columns, table.arrays, table.rows, table.about)


def large() -> None:
    rng = np.random.default_rng(1)
    columns: dict[str, Any] = {f"x{i}": rng.normal(size=ROWS).round(4) for i in range(18)}
    columns["g"] = np.array([f"g{i}" for i in range(5)])[rng.integers(0, 5, ROWS)]
    columns["h"] = np.array([f"h{i}" for i in range(4)])[rng.integers(0, 4, ROWS)]
    eta = 0.3 * columns["x0"] - 0.2 * columns["x1"] + 0.1 * (columns["g"] == "g2")
    columns["y"] = (eta + rng.normal(size=ROWS)).round(4)
    columns["d"] = np.where(rng.random(ROWS) < 1 / (1 + np.exp(-eta)), "yes", "no")
    table, frame = table_of(**columns), pd.DataFrame(columns)
    terms = [f"x{i}" for i in range(18)] + ["g", "h"]
    start = time.perf_counter()
    plain = smf.ols("y ~ " + " + ".join(terms), frame).fit()
    plain.summary()
    took = time.perf_counter() - start

    def bare() -> None:
        data = read_model(fresh(table), "y", terms, {}, None, table.numbers("y"))
        model = fit(triangle(data.design, data.y, None, True))
        assert np.isfinite(model.covariance).all() and np.isfinite(model.vif).all()

    show(f"linear fit, {ROWS:,} × 20 with two categories", took, best(bare), 20)
    spec = {"response": "y", "terms": terms}
    show("… the whole answer with diagnostics", took, best(lambda: answer("linear", fresh(table), spec), 2), 5)
    y = (columns["d"] == "yes").astype(float)
    start = time.perf_counter()
    smf.logit("yes ~ " + " + ".join(terms), frame.assign(yes=y)).fit(disp=0).summary()
    took = time.perf_counter() - start

    def odds() -> None:
        data = read_model(fresh(table), "d", terms, {}, None, y)
        assert fit_binary(prepare(data.design, data.y, list(range(data.design.p)), True)).converged

    show(f"logistic fit, {ROWS:,} × 20", took, best(odds, 2), 3)
    spec = {"response": "d", "terms": terms}
    show("… the whole answer against that bare fit", took, best(lambda: answer("logistic", fresh(table), spec), 1), 1)


def winter() -> None:
    demo = next(t for t in people.TABLES if t.name == "Winter challenge")
    table = apply_path(read(demo.as_csv())[0], [new_step(s) for s in demo.steps]).table
    terms: list[Any] = [
        "minutes",
        {"column": "minutes", "power": 2},
        "visits",
        "reminders",
        "late_fees",
        "card",
        "age_group",
    ]
    spec = {"response": "finished", "terms": terms}
    y = table.numbers("finished")
    chosen = [PowerTerm(column="minutes", power=2) if isinstance(t, dict) else t for t in terms]
    data = read_model(table, "finished", chosen, {}, None, y)
    x = sm.add_constant(data.design.block(0, data.n))
    plain = best(lambda: sm.Logit(data.y, x).fit(disp=0).summary(), 5)
    ours = best(lambda: fit_binary(prepare(data.design, data.y, list(range(data.design.p)), True)), 5)
    show(f"logistic fit, {data.n:,} × {data.design.p} (meant: ≤ 10 ms)", plain, ours, 3)
    whole = best(lambda: answer("logistic", fresh(table), spec), 5)
    show("… the whole answer (meant: ≤ 200 ms)", plain, whole, 0)
    profile = best(lambda: answer("logistic", fresh(table), {**spec, "interval": "profile"}), 1)
    show("… with profile intervals", plain, profile, 0)


def selecting() -> None:
    rng = np.random.default_rng(2)
    n = 100_000
    data: dict[str, Any] = {f"x{i}": rng.normal(size=n) for i in range(20)}
    y = 0.02 * data["x3"] + 0.3 * data["x1"] + 0.01 * data["x7"] + 0.05 * data["x11"] + rng.normal(size=n)
    design = Design([ModelTerm((Part(k),)) for k in data], {}, data)

    def refitting() -> list[str]:
        now: list[str] = []
        while True:
            able = [k for k in data if k not in now]
            fits = {k: sm.OLS(y, sm.add_constant(np.column_stack([data[c] for c in [*now, k]]))).fit() for k in able}
            best_of = min(able, key=lambda k: fits[k].pvalues[-1])
            if fits[best_of].pvalues[-1] > 0.05:
                return now
            now.append(best_of)
            kept = fits[best_of].pvalues[1:]
            now = [k for k, p in zip(now, kept, strict=True) if p <= 0.10]

    start = time.perf_counter()
    plain = refitting()
    took = time.perf_counter() - start

    def ours() -> Any:
        judge = LinearJudge(design, triangle(design, y, None, True))
        return walk(judge, design.terms, "stepwise", "p", 0.05, 0.10)

    assert sorted(f"x{i}" for i in ours()[-1].terms) == sorted(plain)
    show("stepwise over 20 candidates, 100,000 rows", took, best(ours), 50)
    t = triangle(design, y, None, True)
    show("best of all 1,048,576 choices, against that", took, best(lambda: best_subsets(design, t, "bic")), 0)


def main() -> None:
    print("| job | plain | ours | faster | mark |\n|---|---:|---:|---:|---:|")
    winter()
    selecting()
    large()


if __name__ == "__main__":
    main()
