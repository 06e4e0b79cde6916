"""Linear models by least squares: estimates, inference, what rows do to them. From the triangle of the design."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from scipy.linalg import solve_triangular

from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.oneway import FTest, f_test
from yavik.core.stats.triangle import Triangle, blocks, side_by_side

Errors = Literal["classical", "hc0", "hc1", "hc2", "hc3", "cluster", "cr2", "wild"]
CERTAIN = 1 - 1e-9
"""Leverage from which a row decides its own fitted value."""


def independent_columns(t: Triangle) -> tuple[list[int], dict[int, list[int]]]:
    """Columns that have something of their own, and for each of the others those that it follows from."""
    keep: list[int] = []
    follows: dict[int, list[int]] = {}
    p = len(t.centre) - 1
    r = t.r[:, :p]
    if p and np.abs(np.diag(r)[:p]).min() > t.tolerance:
        return list(range(p)), {}
    basis = np.zeros((len(r), 0))
    for j in range(p):
        column = r[:, j]
        rest = column - basis @ (basis.T @ column)
        rest -= basis @ (basis.T @ rest)
        own = float(np.linalg.norm(rest))
        if own <= t.tolerance * max(float(np.linalg.norm(column)), 1e-300) or np.linalg.norm(column) == 0:
            weights = np.linalg.lstsq(r[:, keep], column, rcond=None)[0] if keep else np.empty(0)
            follows[j] = [k for k, w in zip(keep, weights, strict=True) if abs(w) > 1e-7]
        else:
            keep.append(j)
            basis = np.column_stack([basis, rest / own])
    return keep, follows


def null_vectors(t: Triangle, keep: Sequence[int], follows: Sequence[int]) -> Floats:
    """Combinations of coefficients (the intercept first) that change no fitted value, one a row, each of size one.

    What is not orthogonal to them cannot be estimated: its value would hang on which of the dependent columns was
    left out, and so on a reference level.
    """
    p = len(t.centre) - 1
    out = np.zeros((len(follows), p + 1))
    kept = list(keep)
    for i, j in enumerate(follows):
        weights = np.linalg.lstsq(t.r[:, kept], t.r[:, j], rcond=None)[0] if kept else np.empty(0)
        own = np.zeros(p)
        own[j] = 1 / t.scale[j]
        own[kept] -= weights / t.scale[kept]
        out[i, 1:] = own
        out[i, 0] = -float(t.centre[:p] @ own) if t.intercept else 0.0
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-300))


def estimable(rows: Floats, null: Floats) -> Any:
    """Which combinations of coefficients, shape (k, 1 + p), the design can tell (Searle, 1971)."""
    if not len(null):
        return np.ones(len(rows), bool)
    size = np.maximum(np.linalg.norm(rows, axis=1), 1e-300)
    return np.abs(rows @ null.T).max(axis=1) <= 1e-8 * size


@dataclass(frozen=True)
class LeastSquares:
    """A fitted model. Coefficients stand in the order of the design, after the intercept where there is one.

    Args:
        used: places of the design's columns that have coefficients.
        coef: shape (q,), q = used columns and intercept.
        root: shape (q, q), with root root' = (X'X)⁻¹.
        rss: residual sum of squares.
        total: of the response, about its mean where there is an intercept.
    """

    triangle: Triangle
    used: list[int]
    coef: Floats
    root: Floats
    rss: float
    total: float

    @property
    def n(self) -> int:
        """Rows."""
        return self.triangle.n

    @property
    def first(self) -> int:
        """1 where the intercept stands before the columns."""
        return int(self.triangle.intercept)

    @property
    def q(self) -> int:
        """Coefficients."""
        return len(self.coef)

    @property
    def df(self) -> int:
        """Rows beyond the coefficients."""
        return self.n - self.q

    @property
    def mse(self) -> float:
        """Residual variance; NaN where no row is left over."""
        return self.rss / self.df if self.df > 0 else np.nan

    @property
    def r2(self) -> float:
        """Share of the squares about the mean, or about zero without an intercept."""
        return 1 - self.rss / self.total if self.total > 0 else np.nan

    @property
    def adjusted_r2(self) -> float:
        """R² with variances in place of squares; NaN where no row is left over."""
        return 1 - (1 - self.r2) * (self.n - self.first) / self.df if self.df > 0 else np.nan

    @property
    def log_likelihood(self) -> float:
        """Of normal errors; with weights less the half sum of their logs, which is the same for all models of the
        rows."""
        return -0.5 * self.n * (float(np.log(2 * np.pi * max(self.rss, 1e-300) / self.n)) + 1)

    @property
    def parameters(self) -> int:
        """Coefficients and the residual variance."""
        return self.q + 1

    @property
    def aic(self) -> float:
        """−2 log-likelihood + 2 parameters."""
        return -2 * self.log_likelihood + 2 * self.parameters

    @property
    def bic(self) -> float:
        """−2 log-likelihood + parameters × ln n."""
        return -2 * self.log_likelihood + float(np.log(self.n)) * self.parameters

    @cached_property
    def covariance(self) -> Floats:
        """Classical, shape (q, q)."""
        return np.asarray(self.root @ self.root.T * self.mse)

    @cached_property
    def standardised(self) -> Floats:
        """Coefficients with all columns and the response in standard deviations, shape (used columns,)."""
        t = self.triangle
        return np.asarray(self.coef[self.first :] * t.scale[self.used] / np.sqrt(self.total))

    @cached_property
    def vif(self) -> Floats:
        """Variance inflation of each used column: its scaled variance over what it would be alone."""
        t = self.triangle
        return np.asarray((self.root[self.first :, self.first :] ** 2).sum(axis=1) * t.scale[self.used] ** 2)

    def generalised_vif(self, columns: Sequence[int]) -> float:
        """Of several columns together, to the power 1 / (their number), comparable to a VIF (Fox & Monette, 1992)."""
        places = [self.used.index(c) for c in columns if c in self.used]
        if not places:
            return np.nan
        r = self.triangle.r[:, self.used]
        c = r.T @ r
        rest = [i for i in range(len(c)) if i not in places]
        logs = [np.linalg.slogdet(c[np.ix_(s, s)])[1] if s else 0.0 for s in (places, rest, list(range(len(c))))]
        if not np.isfinite(logs).all():
            return np.nan
        return float(np.exp((logs[0] + logs[1] - logs[2]) / len(places)))

    def whole(self) -> FTest | None:
        """All columns at once."""
        df = self.q - self.first
        if df == 0 or self.df <= 0 or self.rss <= 0:
            return None
        return f_test(max(self.total - self.rss, 0.0) / df / self.mse, df, self.df)

    def wald(self, hypothesis: Floats, covariance: Floats | None = None, df2: float | None = None) -> FTest | None:
        """F of a set of combinations of the design's coefficients, shape (k, p): all zero."""
        rows = hypothesis[:, self.used]
        found = wald(rows, self.coef[self.first :], self._slopes(covariance))
        if found is None or self.df <= 0:
            return None
        return f_test(found[0] / found[1], found[1], df2 or self.df)

    def _slopes(self, covariance: Floats | None) -> Floats:
        whole = self.covariance if covariance is None else covariance
        return whole[self.first :, self.first :]


def wald(rows: Floats, coef: Floats, covariance: Floats) -> tuple[float, int] | None:
    """Chi-square and its degrees of freedom for rows @ coef = 0; None where nothing is left to test."""
    middle = rows @ covariance @ rows.T
    scale = np.sqrt(np.maximum(np.diag(middle), 0))
    live = scale > 0
    if not live.any():
        return None
    rows, scale = rows[live], scale[live]
    m = middle[np.ix_(live, live)] / np.outer(scale, scale)
    e = (rows @ coef) / scale
    values, vectors = np.linalg.eigh(m)
    keep = values > 1e-12 * values[-1]
    along = vectors[:, keep].T @ e
    return float((along**2 / values[keep]).sum()), int(keep.sum())


def fit(t: Triangle, columns: Sequence[int] | None = None) -> LeastSquares:
    """Of the columns given, or of all that have something of their own."""
    if columns is None:
        used = independent_columns(t)[0]
    else:
        used = list(columns)
    part = t.among(used)
    k = len(used)
    r, y = part.r[:k, :k], part.r[:k, k]
    inverse = solve_triangular(r, np.eye(k)) if k else np.empty((0, 0))
    slopes = (inverse @ y) / part.scale[:k]
    own = inverse / part.scale[:k, None]
    if not t.intercept:
        coef, root = slopes, own
    else:
        coef = np.append(part.centre[k] - part.centre[:k] @ slopes, slopes)
        root = np.zeros((k + 1, k + 1))
        root[0, 0] = 1 / np.sqrt(t.weight)
        root[0, 1:] = -part.centre[:k] @ own
        root[1:, 1:] = own
    if t.coef is not None and used == list(range(len(t.centre) - 1)):
        coef = t.coef
    total = float((t.r[:, -1] ** 2).sum())
    return LeastSquares(t, used, coef, root, float(part.r[k, k] ** 2), total)


@dataclass(frozen=True)
class Rows:
    """What a model makes of each row.

    Args:
        fitted, residuals: in the response's unit.
        leverage: share of the row in its own fitted value.
        weights: of the rows; None for ones.
    """

    fitted: Floats
    residuals: Floats
    leverage: Floats
    weights: Floats | None
    model: LeastSquares

    @cached_property
    def weighted(self) -> Floats:
        """Residuals × √weight."""
        return self.residuals if self.weights is None else self.residuals * np.sqrt(self.weights)

    @cached_property
    def _free(self) -> Floats:
        return np.maximum(1 - self.leverage, 1e-10)

    @property
    def press(self) -> float:
        """Sum of squared errors of predicting each row by the model without it (Allen, 1974)."""
        certain = self.leverage > CERTAIN
        if certain.any():
            return np.inf
        away = self.weighted / self._free
        return float(away @ away)

    @property
    def predicted_r2(self) -> float:
        """R² of each row told by the others."""
        return 1 - self.press / self.model.total

    @cached_property
    def standardised(self) -> Floats:
        """Residuals over their own standard errors."""
        return np.asarray(self.weighted / np.sqrt(self.model.mse * self._free))

    @cached_property
    def deleted(self) -> Floats:
        """Studentised residuals, each against the spread without its row."""
        df = self.model.df
        t = self.standardised
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(t * np.sqrt((df - 1) / np.maximum(df - t**2, 1e-300)))

    @cached_property
    def cook(self) -> Floats:
        """Cook's (1977) distance."""
        return np.asarray(self.standardised**2 * self.leverage / self._free / self.model.q)


def rows_of(design: Design, y: Floats, weights: Floats | None, model: LeastSquares) -> Rows:
    """Fitted values, residuals and leverages of the rows, by blocks."""
    n = len(y)
    fitted, leverage = np.empty(n), np.empty(n)

    def work(span: tuple[int, int]) -> None:
        """Writes some of the rows."""
        for a, b in blocks(*span):
            x = block_of(design, model, a, b)
            fitted[a:b] = (model.coef[0] if model.first else 0.0) + x @ model.coef[model.first :]
            basis = basis_of(model, x)
            basis *= basis
            basis.sum(axis=1, out=leverage[a:b])

    side_by_side(work, n)
    if weights is not None:
        leverage *= weights
    return Rows(fitted, y - fitted, np.minimum(leverage, 1.0), weights, model)


def block_of(design: Design, model: LeastSquares, start: int, stop: int) -> Floats:
    """Rows of the columns that the model has."""
    x: Floats = design.block(start, stop)
    return x if model.used == list(range(design.p)) else x[:, model.used]


def basis_of(model: LeastSquares, x: Floats) -> Floats:
    """Rows in orthonormal columns, so that sums over them are free of scale; shape (rows, q), columns contiguous."""
    first = model.first
    away = x - model.triangle.centre[model.used]
    out = np.empty((model.q, len(x)))
    if first:
        out[0] = model.root[0, 0]
    np.matmul(model.root[first:, first:].T, away.T, out=out[first:])
    return out.T


def robust_covariance(design: Design, found: Rows, kind: Errors) -> Floats:
    """Heteroscedasticity-consistent (White, 1980; MacKinnon & White, 1985); hc1 carries n / (n − q).

    A row that decides its own fitted value has no residual: hc2 and hc3 are not defined there, and it brings nothing.
    ``decided`` says what then has no standard error.
    """
    model, n = found.model, len(found.residuals)
    e = found.residuals if found.weights is None else found.residuals * found.weights
    alone = found.leverage > CERTAIN
    if kind in ("hc2", "hc3"):
        free = np.where(alone, 1.0, 1 - found.leverage)
        e = np.where(alone, 0.0, e / (np.sqrt(free) if kind == "hc2" else free))

    def work(span: tuple[int, int]) -> Floats:
        """The sums of some of the rows."""
        meat = np.zeros((model.q, model.q))
        for a, b in blocks(*span):
            scores = basis_of(model, block_of(design, model, a, b)) * e[a:b, None]
            meat += scores.T @ scores
        return meat

    meat = sum(side_by_side(work, n))
    if kind == "hc1":
        meat = meat * (n / max(n - model.q, 1))
    # The root also leads from orthonormal columns back to coefficients.
    return np.asarray(model.root @ meat @ model.root.T)


def decided(design: Design, found: Rows) -> tuple[Floats, Any]:
    """Directions of the coefficients, shape (m, q), that single rows decide alone, and which rows these are.

    A combination of coefficients that is not orthogonal to them has no robust standard error: the row's residual is
    zero whatever its scatter.
    """
    model = found.model
    alone = np.flatnonzero(found.leverage > CERTAIN)[:200]
    if not len(alone):
        return np.zeros((0, model.q)), alone
    x = design.matrix({k: v[alone] for k, v in design.data.items()}, len(alone))[:, model.used]
    return np.asarray(basis_of(model, x) @ model.root.T), alone
