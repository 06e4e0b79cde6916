"""Standard errors of a linear model as they were asked for, and every test that rests on them."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.clusters import Clustered, clustered
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import LeastSquares, Rows, decided, estimable, robust_covariance, wald
from yavik.core.stats.oneway import FTest, f_test
from yavik.core.stats.spreading import variance_along

BY_CLUSTER = ("cluster", "cr2", "wild")
DRAWS = 1999
FEW_CLUSTERS = 40
NOT_ESTIMABLE = "needs a combination of levels that no row used has"
DECIDED = "a single row decides it, so that robust errors know nothing of its scatter"


@dataclass(frozen=True, eq=False)
class Errors:
    """
    Args:
        df: of t and of F's denominator, where it is the same for all.
        df_of: of single combinations of coefficients, where it is not.
        blind: combinations of coefficients that single rows decide; ``alone`` are these rows' places.
    """

    kind: str
    covariance: Floats
    df: float
    df_of: Callable[[Floats], Floats] | None
    clusters: Clustered | None
    blind: Floats
    alone: Any
    seed: int


def errors_of(
    data: ModelData, model: LeastSquares, rows: Rows, spec: "LinearSpec", codes: Any, n_clusters: int, exact: bool
) -> Errors:
    """By the kind asked for. What an exact fit leaves is rounding, not scatter."""
    none, kind = np.zeros((0, model.q)), spec.se
    df = float(n_clusters - 1 if kind in BY_CLUSTER else model.df)
    if exact:
        return Errors(kind, np.zeros_like(model.covariance), df, None, None, none, none, spec.seed)
    if kind == "classical":
        return Errors(kind, model.covariance, df, None, None, none, none, spec.seed)
    if kind in BY_CLUSTER:
        found = clustered(data.design, rows, codes, n_clusters)
        fine = kind != "cluster" and found.inner is not None
        return Errors(
            kind, found.covariance(fine), df, found.df if fine else None, found, none, none, spec.seed
        )  # fmt: skip
    blind, alone = decided(data.design, rows)
    return Errors(
        kind, robust_covariance(data.design, rows, kind), df, None, None,
        blind if kind in ("hc2", "hc3") else none, alone, spec.seed,
    )  # fmt: skip


def spread_for(
    spec: "LinearSpec", data: ModelData, model: LeastSquares, rows: Rows, exact: bool
) -> Callable[[Floats, Floats], Floats]:
    """The scatter of single rows: one spread under classical errors, else the spread that goes with the terms."""
    if exact or spec.se == "classical" or model.df < 5:
        return lambda x, _: np.full(len(x), model.mse if np.isfinite(model.mse) else np.nan)
    return variance_along(data.design, rows)


def tested(
    rows: Floats, model: LeastSquares, errors: Errors, null: Floats, intercept: bool, exact: bool
) -> FTest | str:
    """F of combinations of the design's columns, all zero; or why it cannot be had.

    Args:
        rows: shape (k, p), of the slopes of all design columns.
    """
    if exact:
        return "the model fits every value exactly"
    whole = np.column_stack([np.zeros(len(rows)), rows])
    if not estimable(whole, null).all():
        return NOT_ESTIMABLE
    own = rows[:, model.used]
    own = own[np.abs(own).max(axis=1) > 0] if own.size else own
    if not len(own) or model.df <= 0:
        return "follows from the other columns"
    full = np.column_stack([np.zeros(len(own)), own]) if intercept else own
    if (
        len(errors.blind)
        and np.abs(full @ errors.blind.T).max() > 1e-7 * np.abs(errors.blind).max() * np.abs(full).max()
    ):
        return DECIDED
    k = int(np.linalg.matrix_rank(full / np.linalg.norm(full, axis=1, keepdims=True)))
    if errors.clusters is None:
        got = wald(own, model.coef[int(intercept) :], errors.covariance[int(intercept) :, int(intercept) :])
        return f_test(got[0] / got[1], got[1], errors.df) if got else "follows from the other columns"
    return _by_cluster(full, k, model, errors)


def _by_cluster(full: Floats, k: int, model: LeastSquares, errors: Errors) -> FTest | str:
    c = errors.clusters
    assert c is not None
    if k > c.n - 1:
        return (
            f"{counted(c.n, 'cluster')} can carry no more than {counted(c.n - 1, 'comparison')} at once; this has {k}"
        )
    full = full[_independent(full, k)]
    if errors.kind == "cluster" or c.inner is None:
        got = wald(full, model.coef, errors.covariance)
        if got is None or got[1] < k:
            return f"{counted(c.n, 'cluster')} cannot carry {counted(k, 'comparison')} at once"
        return f_test(got[0] / got[1], got[1], errors.df)
    found = c.joint(full, model.coef, errors.covariance)
    if errors.kind == "wild":
        p = c.wild(full, model.coef, DRAWS, errors.seed)
        f, df1, df2 = found[:3] if found else (np.nan, float(k), float(c.n - 1))
        if not np.isfinite(f):
            got = wald(full, model.coef, errors.covariance)
            f = got[0] / got[1] if got else np.nan
        return FTest(f, df1, df2, p) if np.isfinite(f) else "cannot be computed from these clusters"
    if found is None:
        return f"{counted(c.n, 'cluster')} cannot carry {counted(k, 'comparison')} at once"
    return FTest(*found)


def _independent(rows: Floats, k: int) -> Any:
    """Places of k rows that say different things."""
    if len(rows) == k:
        return np.arange(k)
    from scipy.linalg import qr

    return np.sort(qr(rows.T, mode="economic", pivoting=True)[2][:k])


def wild_ps(model: LeastSquares, errors: Errors, turn: Floats) -> dict[int, float]:
    """p of each coefficient of the columns as they are, by the wild cluster bootstrap."""
    c = errors.clusters
    if errors.kind != "wild" or c is None or c.inner is None:
        return {}
    rows = np.asarray(turn / np.maximum(np.abs(turn).max(axis=1, keepdims=True), 1e-300), np.float64)
    return {i: c.wild(row[None, :], model.coef, DRAWS, errors.seed) for i, row in enumerate(rows)}
