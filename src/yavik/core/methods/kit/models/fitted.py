"""A fitted model as its tables and pictures see it: coefficients, their covariance, and how far a sum lies from a
mean."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import estimable

UNTOLD = "no row used has this combination, and the terms cannot stand in for it"
BLIND = "a single row decides it, and its scatter cannot be known"


def _same(x: Any) -> Any:
    return x


@dataclass(frozen=True)
class Fitted:
    """
    Args:
        columns: places of the design's columns that have coefficients, in order.
        coef, covariance: the intercept first where there is one.
        df: of t; infinite where z is used.
        back: from the sum of terms to the mean of the response.
        spread: residual variance of single rows, of all design columns and the mean; None where there is no such
        thing.
        null: combinations of all coefficients that change nothing (see ``null_vectors``).
        blind: combinations of ``coef`` that single rows decide alone, which have no robust standard error.
        df_of: df of single combinations of ``coef``, shape (k, q), where they are not all the same.
    """

    data: ModelData
    columns: list[int]
    intercept: bool
    coef: Floats
    covariance: Floats
    df: float
    alpha: float
    at: dict[str, Any]
    y_title: str
    back: Callable[[Any], Any] = _same
    spread: Callable[[Floats, Floats], Floats] | None = None
    infinite: frozenset[int] = field(default_factory=frozenset)
    """Places among ``columns`` whose estimate is not finite."""
    null: Floats | None = None
    blind: Floats | None = None
    df_of: Callable[[Floats], Floats] | None = None
    single_words: str = ""
    """What is said of a new row beyond that it is one."""

    @property
    def first(self) -> int:
        """Place of the first slope among the coefficients."""
        return int(self.intercept)

    @cached_property
    def reach(self) -> float:
        """Quantile that makes a standard error an interval."""
        if np.isinf(self.df):
            return float(special.ndtri(1 - self.alpha / 2))
        return float(special.stdtrit(self.df, 1 - self.alpha / 2))

    @cached_property
    def typical(self) -> dict[str, Any]:
        """Where each column is held unless it is looked at."""
        return self.data.typical(self.at)

    def rows(self, x: Floats) -> Floats:
        """Design rows with the intercept, of the columns in use."""
        kept = x[:, self.columns]
        return np.column_stack([np.ones(len(kept)), kept]) if self.intercept else kept

    @cached_property
    def turn(self) -> Any:
        """Leads ``coef`` to coefficients of the columns as they are, shape (q, q)."""
        take = [*([0] if self.intercept else []), *(c + 1 for c in self.columns)]
        return self.data.design.raw[np.ix_(take, take)]

    @cached_property
    def raw_coef(self) -> Floats:
        """Of the columns as they are, in their units and about their own zero."""
        return np.asarray(self.turn @ self.coef, np.float64)

    @cached_property
    def raw_se(self) -> Floats:
        """NaN where a single row decides."""
        variance = np.asarray(np.einsum("ij,jk,ik->i", self.turn, self.covariance, self.turn), np.float64)
        rows = self._unit(np.asarray(self.turn, np.float64))
        return np.where(self._known(rows), np.sqrt(np.maximum(variance, 0)), np.nan)

    @cached_property
    def raw_df(self) -> Floats:
        """Degrees of freedom of ``raw_coef``, shape (q,)."""
        rows = self._unit(np.asarray(self.turn, np.float64))
        return self.df_of(rows) if self.df_of else np.full(len(self.coef), self.df)

    @staticmethod
    def _unit(rows: Floats) -> Floats:
        return np.asarray(rows / np.maximum(np.abs(rows).max(axis=1, keepdims=True), 1e-300))

    def _known(self, rows: Floats) -> Any:
        """Which combinations of ``coef`` have a standard error."""
        if self.blind is None or not len(self.blind):
            return np.ones(len(rows), bool)
        size = np.linalg.norm(rows, axis=1) * np.linalg.norm(self.blind, axis=1).max()
        return np.abs(rows @ self.blind.T).max(axis=1) <= 1e-7 * np.maximum(size, 1e-300)

    def reach_of(self, rows: Floats) -> Floats:
        """The quantile for each combination."""
        if self.df_of is None:
            return np.full(len(rows), self.reach)
        return np.asarray(special.stdtrit(np.maximum(self.df_of(rows), 1e-3), 1 - self.alpha / 2))

    def sums(self, rows: Floats) -> tuple[Floats, Floats]:
        """Sum of terms and its standard error, for rows from ``rows``; NaN where there is none."""
        variance = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        se = np.sqrt(np.maximum(variance, 0))
        return rows @ self.coef, np.where(self._known(rows), se, np.nan)

    def told(self, x: Floats) -> Any:
        """Which design rows the data can tell: not those of combinations that no row has and no term can stand in
        for."""
        whole = np.column_stack([np.full(len(x), float(self.intercept)), x])
        return estimable(whole, self.null) if self.null is not None else np.ones(len(x), bool)

    def told_slope(self, x: Floats) -> Any:
        """Which derivatives of design rows the data can tell."""
        whole = np.column_stack([np.zeros(len(x)), x])
        return estimable(whole, self.null) if self.null is not None else np.ones(len(x), bool)

    def coef_about(self, middle: dict[str, float]) -> Floats:
        """Coefficients of columns about these values, in their units."""
        take = [*([0] if self.intercept else []), *(c + 1 for c in self.columns)]
        turn = self.data.design.carry({k: (v, 1.0) for k, v in middle.items()})[np.ix_(take, take)]
        return np.asarray(turn @ self.coef, np.float64)

    def means(self, x: Floats) -> tuple[Floats, Floats, Floats]:
        """Mean of the response with its interval at design rows; NaN where the data cannot tell it."""
        rows = self.rows(x)
        eta, se = self.sums(rows)
        eta = np.where(self.told(x), eta, np.nan)
        reach = self.reach_of(rows) * se
        low, high = self.back(eta - reach), self.back(eta + reach)
        return self.back(eta), np.minimum(low, high), np.maximum(low, high)

    def single(self, x: Floats, weights: Floats | None = None) -> tuple[Floats, Floats] | None:
        """Interval for one new row, of weight 1 unless given."""
        if self.spread is None:
            return None
        rows = self.rows(x)
        eta, se = self.sums(rows)
        eta = np.where(self.told(x), eta, np.nan)
        spread = self.spread(x, eta) / (1.0 if weights is None else weights)
        wide = self.reach_of(rows) * np.sqrt(se**2 + spread)
        return eta - wide, eta + wide

    def held(self, *shown: str) -> str:
        """What the others are held at, in words."""
        others = [n for n in self.data.names if n not in shown]
        said = [f"{self.data.title(n)} {self.data.said_place(n, self.typical[n])}" for n in others]
        return f"Held at: {', '.join(said)}." if said else ""
