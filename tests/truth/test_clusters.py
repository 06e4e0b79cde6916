"""Standard errors by cluster against the library and against the formulas written out with whole matrices."""

from itertools import product
from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf
from scipy import linalg, stats

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.stats.clusters import WEBB

CLUSTERS = 9
rng = np.random.default_rng(3)
N = 60
code = np.sort(rng.integers(0, CLUSTERS, N))
x = (rng.normal(size=N) + 0.2 * code).round(3)
g = np.array(["a", "b", "c"])[rng.integers(0, 3, N)]
y = (1 + 0.5 * x + (g == "b") + rng.normal(size=CLUSTERS)[code] + rng.normal(size=N)).round(3)
TABLE = table_from(y=y, x=x, g=g, c=[f"u{i}" for i in code])
X = np.column_stack([np.ones(N), x, g == "b", g == "c"]).astype(float)
BREAD = np.linalg.inv(X.T @ X)
H = X @ BREAD @ X.T
E = y - H @ y


def facts(se: str, **more: Any) -> dict[str, Any]:
    return answer("linear", TABLE, {"response": "y", "terms": ["x", "g"], "se": se, "cluster": "c", **more}).facts


def corrected() -> list[np.ndarray]:
    """Each cluster's own matrix of CR2, shape (rows, rows)."""
    out = []
    for k in range(CLUSTERS):
        own = code == k
        out.append(np.linalg.inv(linalg.sqrtm(np.eye(own.sum()) - H[np.ix_(own, own)]).real))
    return out


def cr2() -> np.ndarray:
    meat = sum(
        np.outer(s, s) for k, a in enumerate(corrected()) for own in [code == k] for s in [X[own].T @ a @ E[own]]
    )
    return np.asarray(BREAD @ meat @ BREAD)


def quadratic(rows: np.ndarray) -> np.ndarray:
    """The matrices A of e'Ae for each entry of the estimated covariance of some combinations, with e the errors."""
    left = np.eye(N) - H
    back = []
    for k, a in enumerate(corrected()):
        own = code == k
        touch = np.zeros((len(rows), N))
        touch[:, own] = rows @ BREAD @ X[own].T @ a
        back.append(touch @ left)
    return np.array([[sum(np.outer(b[s], b[t]) for b in back) for t in range(len(rows))] for s in range(len(rows))])


def test_many_clusters_agree_with_the_library() -> None:
    f = pd.DataFrame({"y": y, "x": x, "g": g})
    told = smf.ols("y ~ x + g", f).fit(cov_type="cluster", cov_kwds={"groups": code}, use_t=True)
    found = facts("cluster")
    for key, name in (("intercept", "Intercept"), ("x", "x"), ("g=b", "g[T.b]")):
        assert found[f"{key}.se"] == pytest.approx(told.bse[name], rel=1e-9)
        assert found[f"{key}.p"] == pytest.approx(2 * stats.t.sf(abs(told.tvalues[name]), CLUSTERS - 1), rel=1e-9)
    joint = told.f_test("g[T.b] = 0, g[T.c] = 0")
    assert found["g.f"] == pytest.approx(float(joint.fvalue), rel=1e-9)
    assert found["g.p"] == pytest.approx(stats.f.sf(found["g.f"], 2, CLUSTERS - 1), rel=1e-9)


@pytest.mark.parametrize(("key", "place"), [("intercept", 0), ("x", 1), ("g=b", 2), ("g=c", 3)])
def test_few_clusters_as_the_formula_is_written(key: str, place: int) -> None:
    found, v = facts("cr2"), cr2()
    assert found[f"{key}.se"] == pytest.approx(np.sqrt(v[place, place]), rel=1e-9)
    # Satterthwaite's degrees of freedom from mean and variance of e'Ae: tr(A) and 2 tr(A²).
    a = quadratic(np.eye(4)[[place]])[0, 0]
    df = np.trace(a) ** 2 / np.trace(a @ a)
    assert found[f"{key}.p"] == pytest.approx(2 * stats.t.sf(abs(found[f"{key}.t"]), df), rel=1e-7)


def test_several_comparisons_of_few_clusters() -> None:
    """Hotelling's T² with the degrees of freedom of the Wishart whose entries vary as much in all (Pustejovsky and
    Tipton, 2018)."""
    rows = np.eye(4)[2:]
    middle = linalg.sqrtm(np.linalg.inv(rows @ BREAD @ rows.T)).real
    a = quadratic(middle @ rows)
    spread = sum(2 * np.trace(s @ s) for s in ((a[i, j] + a[j, i]) / 2 for i, j in product(range(2), repeat=2)))
    k, eta = 2, 2 * 3 / spread
    b = rows @ BREAD @ X.T @ y
    q = b @ np.linalg.solve(rows @ cr2() @ rows.T, b)
    f = (eta - k + 1) / (eta * k) * q
    found = facts("cr2")
    assert found["g.f"] == pytest.approx(f, rel=1e-8)
    assert found["g.p"] == pytest.approx(stats.f.sf(f, k, eta - k + 1), rel=1e-8)


def test_the_wild_bootstrap_as_it_is_written() -> None:
    """With x's coefficient held at zero, whole responses drawn and fitted anew."""
    held = np.delete(X, 1, axis=1)
    under = held @ np.linalg.lstsq(held, y, rcond=None)[0]
    left = y - under

    def wald(response: np.ndarray) -> float:
        b = BREAD @ X.T @ response
        e = response - X @ b
        v = BREAD @ sum(np.outer(s, s) for k in range(CLUSTERS) for s in [X[code == k].T @ e[code == k]]) @ BREAD
        return float(b[1] ** 2 / v[1, 1])

    seen, many = wald(y), np.random.default_rng(11)
    draws = np.array([wald(under + left * many.choice(WEBB, CLUSTERS)[code]) for _ in range(4000)])
    p = float((draws >= seen).mean())
    assert facts("wild")["x.p"] == pytest.approx(p, abs=4 * np.sqrt(p * (1 - p) * (1 / 4000 + 1 / 1999)))


@pytest.mark.parametrize("se", ["cluster", "cr2", "wild"])
def test_shift_and_unit_move_no_p(se: str) -> None:
    spec = {"response": "y", "terms": ["x", "g"], "se": se, "cluster": "c"}
    moved = table_from(
        y=[f"{v * 1000 + 1e6:.3f}" for v in y], x=[f"{v * 8 - 1e5:.3f}" for v in x], g=g, c=[f"u{i}" for i in code]
    )
    one, other = facts(se), answer("linear", moved, spec).facts
    for key in ("x.p", "g.p", "g.f", "p"):
        assert other[key] == pytest.approx(one[key], rel=1e-6), key


def test_two_clusters_carry_one_comparison_and_say_so() -> None:
    two = table_from(y=y, x=x, g=g, c=["u" if i < 4 else "v" for i in code])
    found = answer("linear", two, {"response": "y", "terms": ["x", "g"], "se": "cr2", "cluster": "c"})
    assert "2 clusters can carry no more than 1 comparison at once" in str(found.model_dump())
