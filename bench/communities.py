"""How fast questions about communities are, as ratios to plain library calls on the same data in the same run.

Of the usual scaling one start is timed and taken twenty times.

.venv/bin/python bench/communities.py
"""

from typing import Any

import numpy as np
from comparing import best, table_of
from items import show
from models import fresh
from scipy.optimize import isotonic_regression
from scipy.spatial.distance import pdist, squareform

from yavik.core.methods import answer
from yavik.core.stats.communities.group_tests import Spaced, draws_of_f
from yavik.core.stats.communities.ordination import nonmetric
from yavik.core.stats.communities.shares import between
from yavik.core.stats.communities.unlike import unlike


def amounts(n: int, k: int) -> Any:
    """Taxa along a gradient."""
    rng = np.random.default_rng(1)
    along = np.linspace(0, 3, n)[:, None] - np.linspace(0, 3, k)
    x = rng.poisson(rng.gamma(0.7, 4, (n, k))) + rng.poisson(20 * np.exp(-2 * along**2))
    x[:, 0] += 1
    return x.astype(float)


def plain_permanova(d: Any, codes: Any, draws: int) -> float:
    """Every permutation by itself."""
    rng, square, seen = np.random.default_rng(1), squareform(d) ** 2, 0.0
    for _ in range(draws):
        c = rng.permutation(codes)
        seen += sum(square[np.ix_(c == g, c == g)].sum() / 2 / (c == g).sum() for g in range(4))
    return seen


def plain_scaling(d: Any, n: int, dims: int) -> float:
    """One start of the usual loop: distances, a monotone regression, and the step that majorises the stress."""
    rng = np.random.default_rng(1)
    points = rng.normal(size=(n, dims))
    order = np.argsort(d)
    before = np.inf
    for _ in range(300):
        dist = pdist(points)
        fitted = np.empty_like(dist)
        fitted[order] = isotonic_regression(dist[order]).x
        fitted *= np.sqrt((n * (n - 1) / 2) / (fitted**2).sum())
        stress = float(((dist - fitted) ** 2).sum() / 2)
        ratio = squareform(fitted / np.maximum(dist, 1e-5))
        b = -ratio
        b[np.arange(n), np.arange(n)] += ratio.sum(axis=1)
        points = b @ points / n
        if before - stress / np.sqrt((points**2).sum(axis=1)).sum() < 1e-6:
            break
        before = stress / np.sqrt((points**2).sum(axis=1)).sum()
    return stress


def main() -> None:
    print("| what | plain | ours | ratio | mark |\n|---|---|---|---|---|")
    x, codes = amounts(500, 60), np.arange(500) % 4
    d = unlike(x, "bray_curtis")
    show(
        "Bray and Curtis, 500 × 60",
        best(lambda: pdist(x, "braycurtis"), 3),
        best(lambda: unlike(x, "bray_curtis"), 3),
        "",
    )
    batch = draws_of_f(Spaced.of(d), codes, 4, None)
    show(
        "PERMANOVA, 999 permutations, 500 samples, 4 groups",
        best(lambda: plain_permanova(d, codes, 999), 1),
        best(lambda: batch(np.random.default_rng(1), 999), 3),
        "≤ 100 ms",
    )
    for n, mark in ((60, "≤ 150 ms"), (500, "≤ 6.9 s")):
        d = unlike(amounts(n, 40), "bray_curtis")
        show(
            f"non-metric scaling, {n} samples, 20 starts",
            20 * best(lambda d=d, n=n: plain_scaling(d, n, 2), 1),
            best(lambda d=d, n=n: nonmetric(d, n, 2, 20, 1), 1),
            mark,
        )
    x = amounts(1000, 500)
    groups = [x[k::10] for k in range(10)]

    def pairs() -> None:
        for a in range(10):
            for b in range(a):
                between(groups[a], groups[b], "bray_curtis")

    show("contributions, 10 groups, 500 taxa, 1 000 samples", None, best(pairs, 1), "≤ 1 s")
    y = amounts(60, 40)
    table = table_of(group=np.array([f"g{k % 3}" for k in range(60)]), **{f"t{j}": y[:, j] for j in range(40)})
    taxa = [f"t{j}" for j in range(40)]
    for method in ("ordination", "contributions", "community_test", "clustering", "diversity"):
        spec = {"taxa": taxa, "groups": "group"}
        show(
            f"{method}, 60 × 40, whole answer", None, best(lambda m=method, s=spec: answer(m, fresh(table), s), 1), ""
        )


if __name__ == "__main__":
    main()
