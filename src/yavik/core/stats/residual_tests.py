"""Tests beside a linear model: spread, order and bends of its residuals."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import Rows, basis_of, block_of, fit
from yavik.core.stats.oneway import f_test
from yavik.core.stats.triangle import blocks, side_by_side, triangle


@dataclass(frozen=True)
class Aside:
    """A test beside the model."""

    statistic: float
    df1: float
    df2: float
    p: float


def breusch_pagan(fitted: Rows, design: Design) -> Aside | None:
    """Do squared residuals go with the design? n R² of that model (Koenker, 1981)."""
    square = fitted.weighted**2
    model = fitted.model
    if not model.used or np.ptp(square) == 0:
        return None
    aside = fit(triangle(design, square, None, True))  # with an intercept, whether the model has one or not
    statistic, df = model.n * aside.r2, len(aside.used)
    return Aside(statistic, df, np.nan, float(special.chdtrc(df, statistic))) if df else None


def durbin_watson(fitted: Rows) -> float:
    """About 2 where neighbouring rows are not alike (Durbin & Watson, 1950)."""
    e = fitted.weighted
    total = float((e * e).sum())
    return float((np.diff(e) ** 2).sum() / total) if total > 0 else np.nan


def reset(design: Design, y: Floats, fitted: Rows) -> Aside | None:
    """Do the square and cube of the fitted values add anything? (Ramsey, 1969)."""
    model = fitted.model
    spread = float(np.std(fitted.fitted))
    if spread == 0 or model.df < 4:
        return None
    u = (fitted.fitted - fitted.fitted.mean()) / spread
    e = fitted.weighted
    # The added columns less what the model has of them, taken in its orthonormal columns.
    root = None if fitted.weights is None else np.sqrt(fitted.weights)
    added = np.empty((2, len(u))).T
    np.multiply(u, u, out=added[:, 0])
    np.multiply(added[:, 0], u, out=added[:, 1])  # a power of 3 takes ten times as long
    if root is not None:
        added *= root[:, None]

    def inner(span: tuple[int, int]) -> Floats:
        """The sums of some of the rows."""
        out = np.zeros((model.q, 2))
        for a, b in blocks(*span):
            basis = basis_of(model, block_of(design, model, a, b))
            out += (basis * (1.0 if root is None else root[a:b, None])).T @ added[a:b]
        return out

    shared = sum(side_by_side(inner, len(y)))
    square = added.T @ added - shared.T @ shared
    with_e = added.T @ e
    if np.linalg.eigvalsh(square)[0] <= 1e-9 * np.trace(square):
        return None
    gain = float(with_e @ np.linalg.solve(square, with_e))
    rest = model.rss - gain
    df2 = model.df - 2
    if rest <= 0:
        return None
    test = f_test(gain / 2 / (rest / df2), 2, df2)
    return Aside(test.f, 2, df2, test.p)
