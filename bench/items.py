"""How fast scales and items are, as ratios to plain library calls on the same data in the same run.

.venv/bin/python bench/items.py
"""

import time
from typing import Any

import numpy as np
from comparing import best, table_of
from models import fresh
from scipy import optimize
from scipy.special import expit
from statsmodels.multivariate.factor import Factor

from yavik.core.methods import answer
from yavik.core.stats.items.adequacy import adequacy, by_chance, correlated
from yavik.core.stats.items.extraction import extract
from yavik.core.stats.items.response.marginal import fit
from yavik.core.stats.items.response.people import answers, nodes
from yavik.core.stats.items.rotation import rotate


def show(name: str, plain: float | None, ours: float, mark: str) -> None:
    told = (
        f"{1000 * plain:,.0f} ms | {1000 * ours:,.1f} ms | {plain / ours:.1f} ×"
        if plain
        else f"– | {1000 * ours:,.0f} ms | –"
    )
    print(f"| {name} | {told} | {mark} |", flush=True)


def scale(n: int, k: int, m: int, seed: int = 1) -> Any:
    """Answers from 1 to 5 to k items of m factors."""
    rng = np.random.default_rng(seed)
    f = rng.normal(size=(n, m))
    return np.clip(np.round(3 + f[:, np.arange(k) % m] * 0.8 + rng.normal(0, 0.8, (n, k))), 1, 5)


def factors() -> None:
    """Principal axes, varimax, adequacy and sphericity; the plain way is the library's own."""
    y = scale(200, 12, 2)

    def plain() -> Any:
        r = np.corrcoef(y.T)
        inverse = np.linalg.inv(r)
        partial = -inverse / np.sqrt(np.outer(np.diag(inverse), np.diag(inverse)))
        off = ~np.eye(12, dtype=bool)
        kmo = (r[off] ** 2).sum() / ((r[off] ** 2).sum() + (partial[off] ** 2).sum())
        sphericity = -(199 - 29 / 6) * np.log(np.linalg.det(r))
        made = Factor(corr=r, n_factor=2, method="pa").fit(maxiter=500, tol=1e-8)
        made.rotate("varimax")
        return kmo, sphericity, made.loadings

    def ours() -> Any:
        c = correlated(y)
        return adequacy(c.r, 200), rotate(extract(c.r, 2, "principal_axis").loadings, "varimax")

    show("principal axes of 200 × 12, varimax, adequacy, sphericity", best(plain, 9), best(ours, 9), "4 ×")
    wide = scale(5000, 60, 5)

    def all_of_it() -> Any:
        c = correlated(wide)
        return adequacy(c.r, 5000), rotate(extract(c.r, 5, "principal_axis").loadings, "varimax")

    show("the same for 5 000 × 60, five factors", None, best(all_of_it, 3), "≤ 1 s")
    show(
        "1 000 draws of chance eigenvalues, 5 000 × 60",
        None,
        best(lambda: by_chance(5000, 60, 1000, np.random.default_rng(1)), 2),
        "",
    )
    table = table_of(**{f"m{j}": y[:, j].astype(int) for j in range(12)})
    spec = {"items": [f"m{j}" for j in range(12)]}
    show(
        "whole answer of factor analysis, 200 × 12",
        None,
        best(lambda: answer("factor_analysis", fresh(table), spec), 5),
        "≤ 150 ms",
    )
    big = table_of(**{f"m{j}": wide[:, j].astype(int) for j in range(60)})
    spec = {"items": [f"m{j}" for j in range(60)]}
    show(
        "whole answer of factor analysis, 5 000 × 60",
        None,
        best(lambda: answer("factor_analysis", fresh(big), spec), 2),
        "",
    )


def test_of(n: int, k: int, levels: int = 2) -> Any:
    """Answers of one ability."""
    rng = np.random.default_rng(2)
    theta, a = rng.normal(size=(n, 1)), rng.uniform(0.6, 2.2, k)
    b = np.sort(rng.normal(0, 1.2, (k, levels - 1)), axis=1)
    y = a * theta + rng.logistic(size=(n, k))
    return (y[:, :, None] > a[:, None] * b).sum(axis=2)


def plain_em(x: Any, rounds: int) -> float:
    """Seconds of ``rounds`` of EM as a notebook has it: item after item by a general optimiser, standard errors not
    counted."""
    theta = np.linspace(-4, 4, 41)
    weight = np.exp(-(theta**2) / 2)
    weight /= weight.sum()
    a, c = np.ones(x.shape[1]), np.zeros(x.shape[1])
    start = time.perf_counter()
    for _ in range(rounds):
        p = expit(a[:, None] * theta + c[:, None])
        log = x @ np.log(p) + (1 - x) @ np.log(1 - p)
        post = np.exp(log) * weight
        post /= post.sum(axis=1, keepdims=True)
        n, right = post.sum(axis=0), x.T @ post
        for j in range(x.shape[1]):

            def away(v: Any, r: Any = right[j], n: Any = n) -> float:
                q = np.clip(expit(v[0] * theta + v[1]), 1e-10, 1 - 1e-10)
                return -float((r * np.log(q) + (n - r) * np.log(1 - q)).sum())

            a[j], c[j] = optimize.minimize(away, (a[j], c[j]), method="BFGS").x
    return time.perf_counter() - start


def response() -> None:
    """Two parameters for 2 000 × 40, graded answers of 5 000 × 20."""
    x = test_of(2000, 40)
    ours = best(lambda: fit(answers(x, [2] * 40), "two_parameter", nodes(41)), 5)
    rounds = 40  # until no parameter of a plain EM moves by more than .001
    show(
        f"two parameters, 2 000 × 40, with standard errors, against {rounds} rounds of a plain EM",
        plain_em(x.astype(float), 4) / 4 * rounds,
        ours,
        "≤ 150 ms, 100 ×",
    )
    table = table_of(**{f"q{j}": x[:, j] for j in range(40)})
    spec = {"items": [f"q{j}" for j in range(40)]}
    show("its whole answer", None, best(lambda: answer("item_response", fresh(table), spec), 3), "≤ 600 ms")
    y = test_of(5000, 20, 5)
    show(
        "graded answers, 5 000 × 20 × 5",
        None,
        best(lambda: fit(answers(y, [5] * 20), "graded", nodes(41)), 2),
        "≤ 2 s",
    )
    table = table_of(**{f"q{j}": y[:, j] for j in range(20)})
    spec = {"items": [f"q{j}" for j in range(20)]}
    show("its whole answer", None, best(lambda: answer("item_response", fresh(table), spec), 2), "")
    many = test_of(300_000, 9)
    table = table_of(**{f"q{j}": many[:, j] for j in range(9)})
    spec = {"items": [f"q{j}" for j in range(9)]}
    show(
        "whole answer, 300 000 × 9, three models",
        None,
        best(lambda: answer("item_response", fresh(table), spec), 2),
        "",
    )


def raters() -> None:
    rng = np.random.default_rng(3)
    wear = rng.uniform(0, 4, 300_000)
    seen = np.clip(np.floor(wear[:, None] + rng.normal(0, 0.5, (300_000, 3))), 0, 3).astype(int)
    table = table_of(**{n: np.array(["a", "b", "c", "d"])[seen[:, j]] for j, n in enumerate(("p", "q", "r"))})
    show(
        "agreement of three raters on 300 000 subjects",
        None,
        best(lambda: answer("agreement", fresh(table), {"raters": ["p", "q", "r"]}), 2),
        "",
    )
    x = wear[:, None] + rng.normal(0, 0.5, (300_000, 2))
    table = table_of(p=x[:, 0], q=x[:, 1])
    show(
        "two measures of 300 000 subjects",
        None,
        best(lambda: answer("agreement", fresh(table), {"raters": ["p", "q"]}), 2),
        "",
    )


if __name__ == "__main__":
    print("| what | plain | ours | ratio | mark |\n|---|---|---|---|---|")
    factors()
    response()
    raters()
