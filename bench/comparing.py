"""How fast comparisons are: whole answers with all their checks, as ratios to plain library calls on the same data."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import statsmodels.formula.api as smf
from scipy import stats
from statsmodels.stats.anova import anova_lm

from yavik.core.methods import answer
from yavik.core.stats import draws, pairwise
from yavik.core.stats.groups import Groups
from yavik.core.table import Column, Kind, Level
from yavik.core.table.table import Table, make_table

ROWS = 1_000_000


def best(work: Callable[[], Any], times: int = 3) -> float:
    took = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        took.append(time.perf_counter() - start)
    return min(took)


def table_of(**columns: Any) -> Table:
    described, arrays = [], []
    for name, values in columns.items():
        if values.dtype.kind == "f":
            described.append(Column(name=name, kind=Kind.measure, decimals=2))
            arrays.append(pa.array(values))
        elif values.dtype.kind == "i":
            described.append(Column(name=name, kind=Kind.count, decimals=0))
            arrays.append(pa.array(values, pa.int64()))
        else:
            levels = [str(v) for v in np.unique(values)]
            place = {v: i for i, v in enumerate(levels)}
            codes = pa.array([place[str(v)] for v in values], pa.int32())
            described.append(Column(name=name, kind=Kind.category, levels=[Level(value=v) for v in levels]))
            arrays.append(pa.DictionaryArray.from_arrays(codes, pa.array(levels)))
    return make_table(described, arrays)


def show(name: str, plain: float, ours: float) -> None:
    print(f"| {name} | {1000 * plain:,.0f} ms | {1000 * ours:,.0f} ms | {ours / plain:.2f} × |", flush=True)


def main() -> None:
    rng = np.random.default_rng(1)
    g = rng.integers(0, 5, ROWS)
    h = rng.integers(0, 4, ROWS)
    two = rng.integers(0, 2, ROWS)
    y = (rng.normal(size=ROWS) + 0.01 * g).round(4)
    x = (rng.normal(size=ROWS) + 0.3 * y).round(4)
    words = {
        "g": np.array([f"g{i}" for i in range(5)])[g],
        "h": np.array([f"h{i}" for i in range(4)])[h],
        "two": np.array(["no", "yes"])[two],
    }
    table = table_of(y=y, x=x, **words)
    frame = pd.DataFrame({"y": y, "x": x, **words})

    def fresh() -> Table:
        """Without anything remembered from the last run."""
        return Table(table.columns, table.arrays, table.rows)

    print("| answer with all checks, 1 000 000 rows | plain calls | answer | ratio |\n|---|---:|---:|---:|")
    ours = best(lambda: answer("compare_groups", fresh(), {"response": "y", "groups": "g"}))
    plain = best(lambda: stats.f_oneway(*(v.to_numpy() for _, v in frame.groupby("g").y)))
    show("compare_groups, 5 groups: groupby and f_oneway", plain, ours)
    ours = best(lambda: answer("compare_two", fresh(), {"response": "y", "groups": "two"}))
    plain = best(lambda: stats.ttest_ind(*(v.to_numpy() for _, v in frame.groupby("two").y), equal_var=False))
    show("compare_two, Welch: groupby and ttest_ind", plain, ours)
    ours = best(lambda: answer("compare_two", fresh(), {"response": "y", "groups": "two", "test": "mann_whitney"}))
    plain = best(lambda: stats.mannwhitneyu(*(v.to_numpy() for _, v in frame.groupby("two").y)))
    show("compare_two, rank sums with their shift: groupby and mannwhitneyu", plain, ours)
    ours = best(lambda: answer("compare_spread", fresh(), {"response": "y", "groups": ["g"]}))
    plain = best(lambda: stats.levene(*(v.to_numpy() for _, v in frame.groupby("g").y)))
    show("compare_spread: groupby and levene", plain, ours)
    ours = best(lambda: answer("compare_paired", fresh(), {"first": "y", "second": "x"}))
    plain = best(lambda: stats.ttest_rel(y, x))
    show("compare_paired: ttest_rel", plain, ours)
    ours = best(lambda: answer("one_sample", fresh(), {"column": "y"}))
    plain = best(lambda: stats.ttest_1samp(y, 0))
    show("one_sample: ttest_1samp", plain, ours)
    ours = best(lambda: answer("factorial", fresh(), {"response": "y", "factors": ["g", "h"], "covariates": ["x"]}))
    plain = best(lambda: anova_lm(smf.ols("y ~ x + C(g, Sum)*C(h, Sum)", frame).fit(), typ=3), 1)
    show("factorial 5 × 4 with a covariate: ols and anova_lm", plain, ours)
    ours = best(lambda: answer("correlate", fresh(), {"columns": ["y", "x"]}))
    plain = best(lambda: stats.pearsonr(y, x))
    show("correlate, Pearson: pearsonr", plain, ours)
    ours = best(lambda: answer("correlate", fresh(), {"columns": ["y", "x"], "kind": "spearman"}))
    plain = best(lambda: stats.spearmanr(y, x))
    show("correlate, Spearman: spearmanr", plain, ours)
    ours = best(lambda: answer("crosstab", fresh(), {"rows": "g", "columns": "h"}))
    plain = best(lambda: stats.chi2_contingency(pd.crosstab(frame.g, frame.h)))
    show("crosstab: crosstab and chi2_contingency", plain, ours)
    ours = best(lambda: answer("frequencies", fresh(), {"columns": ["g", "h"]}))
    plain = best(lambda: (frame.g.value_counts(), frame.h.value_counts()))
    show("frequencies: value_counts", plain, ours)
    ours = best(lambda: answer("distribution", fresh(), {"column": "y"}))
    plain = best(lambda: (stats.anderson(y, method="interpolate"), frame.y.describe()))
    show("distribution: anderson and describe", plain, ours)
    subjects = 20_000
    wide = rng.normal(size=(subjects, 5)) + rng.normal(size=(subjects, 1))
    times = table_of(**{f"t{i}": wide[:, i].round(4) for i in range(5)})
    ours = best(
        lambda: answer(
            "repeated", Table(times.columns, times.arrays, times.rows), {"columns": [f"t{i}" for i in range(5)]}
        )
    )
    plain = best(lambda: stats.friedmanchisquare(*wide.T))
    show("repeated, 20 000 subjects × 5 times, all corrections and Friedman: friedmanchisquare", plain, ours)
    routines(rng)


def routines(rng: np.random.Generator) -> None:
    print("\n| routine | took | mark |\n|---|---:|---:|")
    a, b = rng.normal(size=100), rng.normal(0.2, 1, 100)
    print(
        "| permutation of two samples, n = 200, 10 000 draws |"
        f" {1000 * best(lambda: draws.two_samples(a, b, 'two_sided', 10_000, 1)):.0f} ms | 300 ms |"
    )
    y = rng.normal(size=50 * 20_000)
    big = Groups(y, np.arange(51) * 20_000, np.arange(len(y)), tuple(f"g{i}" for i in range(50)))
    took = best(lambda: pairwise.games_howell(Groups(big.y, big.starts, big.rows, big.names), 0.05))
    print(f"| 1 225 Games–Howell pairs of 50 groups × 20 000 | {1000 * took:.0f} ms | 300 ms |")
    small = table_of(y=rng.normal(size=9000).round(3), g=np.array(["a", "b", "c"])[rng.integers(0, 3, 9000)])
    took = best(
        lambda: answer(
            "compare_groups", Table(small.columns, small.arrays, small.rows), {"response": "y", "groups": "g"}
        )
    )
    print(f"| whole answer of compare_groups, 9 000 rows | {1000 * took:.0f} ms | 150 ms |")


if __name__ == "__main__":
    main()
