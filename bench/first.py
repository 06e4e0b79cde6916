"""How soon an answer's statement is known, beside the whole of it and the plain call for its number.

python bench/first.py [--rows 1000000]
"""

import argparse
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import statsmodels.api as sm
from comparing import table_of
from scipy import stats

from yavik.core.apart.memory import hold_on
from yavik.core.methods import Run, answer
from yavik.core.table import Table


def seconds(job: Callable[[], object]) -> float:
    start = time.perf_counter()
    job()
    return time.perf_counter() - start


def said_and_done(method: str, table: Table, spec: dict[str, Any]) -> tuple[float, float]:
    """Seconds until the statement is said, and until the answer is there; the best of three."""
    pairs = []
    for _ in range(3):
        said: list[float] = []
        start = time.perf_counter()
        answer(method, table, spec, Run(say=lambda _: said.append(time.perf_counter())))  # noqa: B023
        pairs.append((said[0] - start, time.perf_counter() - start))
    return min(pairs)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=1_000_000)
    n = parser.parse_args().rows
    hold_on()  # as workers do, for both sides
    rng = np.random.default_rng(1)
    before, half = rng.normal(50, 9, n), np.arange(n) % 2
    after, score = before + rng.normal(0.1, 5, n), rng.uniform(0, 100, n)
    done = rng.random(n) < 1 / (1 + np.exp(-(before - 50) / 9))
    table = table_of(
        before=before, after=after, score=score, half=np.array(["one", "two"])[half],
        done=np.array(["no", "yes"])[done.astype(int)],
    )  # fmt: skip
    x = np.column_stack([np.ones(n), before, score])

    def told() -> None:
        """The coefficients, and what predicted R² needs of each row."""
        np.linalg.lstsq(x, after)
        (np.linalg.qr(x)[0] ** 2).sum(axis=1)

    def judged() -> None:
        """The coefficients, and how well they tell yes from no."""
        found = sm.Logit(done, x).fit(disp=False)
        stats.rankdata(found.fittedvalues)[done].sum()

    def two() -> list[Any]:
        """Both samples, as they are had from a column of values and one of groups."""
        return [before[half == g] for g in (0, 1)]

    cases: list[tuple[str, dict[str, Any], Callable[[], object] | None]] = [
        ("one_sample", {"column": "before", "value": 50.0}, lambda: stats.ttest_1samp(before, 50)),
        ("compare_paired", {"first": "before", "second": "after"}, lambda: stats.ttest_rel(before, after)),
        ("compare_two", {"response": "before", "groups": "half"}, lambda: stats.ttest_ind(*two(), equal_var=False)),
        (
            "compare_two", {"response": "before", "groups": "half", "test": "mann_whitney"},
            lambda: stats.mannwhitneyu(*two()),
        ),
        ("correlate", {"columns": ["before", "after"]}, lambda: stats.pearsonr(before, after)),
        ("linear", {"response": "after", "terms": ["before", "score"]}, told),
        ("logistic", {"response": "done", "event": "yes", "terms": ["before", "score"]}, judged),
        ("discontinuity", {"outcome": "after", "running": "score", "cutoff": 50.0}, None),
    ]  # fmt: skip
    print(f"| {n:,} rows | plain | statement | ratio | whole answer |")
    print("|---|---:|---:|---:|---:|")
    for method, spec, plain in cases:
        said, whole = said_and_done(method, table, spec)
        bare = min(seconds(plain) for _ in range(3)) if plain else None
        shown = f"{1000 * bare:.0f} ms | {1000 * said:.0f} ms | {said / bare:.1f} ×" if bare else (
            f"– | {1000 * said:.0f} ms | –"
        )  # fmt: skip
        print(f"| {method}, {spec.get('test', '')} | {shown} | {1000 * whole:.0f} ms |")


if __name__ == "__main__":
    main()
