"""How fast survey questions are, as ratios to a loop of plain fits on the same data in the same run.

.venv/bin/python bench/surveys.py
"""

import tracemalloc

import numpy as np
import statsmodels.api as sm
from comparing import best
from items import show

from yavik.core.stats.surveys.designs import Replicated
from yavik.core.stats.surveys.estimates import means
from yavik.core.stats.surveys.models import weighted_fit


def made(n: int, replicates: int) -> Replicated:
    rng = np.random.default_rng(1)
    w = rng.gamma(5, 1, n)
    group = rng.permutation(n) % replicates
    reps = w[:, None] * np.where(group[:, None] == np.arange(replicates), 0.0, replicates / (replicates - 1))
    return Replicated(w, reps, np.full(replicates, (replicates - 1) / replicates))


def main() -> None:
    print("| what | plain | ours | ratio | mark |\n|---|---|---|---|---|")
    rng = np.random.default_rng(2)
    d = made(7000, 100)
    x = np.column_stack([np.ones(7000), rng.normal(size=(7000, 9))])
    y = x @ rng.normal(size=10) + rng.normal(size=7000)
    yes = (y > 0).astype(float)
    rows = np.arange(7000)
    show(
        "linear, 7 000 × 10, 100 replicates",
        best(lambda: [sm.WLS(y, x, weights=d.replicates[:, k]).fit().params for k in range(100)], 1),
        best(lambda: weighted_fit(d, rows, x, y, "linear"), 3),
        "≥ 30 ×",
    )
    logit = sm.families.Binomial()
    show(
        "logistic, 7 000 × 10, 100 replicates",
        best(lambda: [sm.GLM(yes, x, logit, freq_weights=d.replicates[:, k]).fit().params for k in range(100)], 1),
        best(lambda: weighted_fit(d, rows, x, yes, "logistic"), 3),
        "",
    )
    z, used = rng.normal(size=(7000, 20)), np.ones((7000, 20))
    show(
        "20 questions × 100 replicates × 7 000 rows",
        best(lambda: [np.average(z, axis=0, weights=d.replicates[:, k]) for k in range(100)], 1),
        best(lambda: means(d, z, used), 3),
        "≤ 300 ms",
    )
    n, r = 1_000_000, 200
    big = Replicated(np.ones(n), np.ones((n, r)), np.full(r, 1.0))
    tracemalloc.start()
    means(big, np.ones((n, 1)), np.ones((n, 1)))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    print(
        f"\n1 000 000 rows × 200 replicates: {peak / 1e6:.0f} MB beside the weights' {big.replicates.nbytes / 1e6:.0f} MB"
    )


if __name__ == "__main__":
    main()
