"""A fitted model as its tables and pictures see it: coefficients, their covariance, and how far a sum lies from a mean."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.methods.predict._terms import ModelData
from yavik.core.stats.groups import Floats


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
        spread: residual variance for single rows; None where there is no such thing.
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
    spread: float | None = None
    infinite: frozenset[int] = field(default_factory=frozenset)
    """Places among ``columns`` whose estimate is not finite."""

    @property
    def first(self) -> int:
        return int(self.intercept)

    @cached_property
    def reach(self) -> float:
        """Quantile that makes a standard error an interval."""
        if np.isinf(self.df):
            return float(special.ndtri(1 - self.alpha / 2))
        return float(special.stdtrit(self.df, 1 - self.alpha / 2))

    @cached_property
    def typical(self) -> dict[str, Any]:
        return self.data.typical(self.at)

    def rows(self, x: Floats) -> Floats:
        """Design rows with the intercept, of the columns in use."""
        kept = x[:, self.columns]
        return np.column_stack([np.ones(len(kept)), kept]) if self.intercept else kept

    def sums(self, rows: Floats) -> tuple[Floats, Floats]:
        """Sum of terms and its standard error, for rows from ``rows``."""
        variance = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        return rows @ self.coef, np.sqrt(np.maximum(variance, 0))

    def means(self, x: Floats) -> tuple[Floats, Floats, Floats]:
        """Mean of the response with its interval at design rows."""
        eta, se = self.sums(self.rows(x))
        low, high = self.back(eta - self.reach * se), self.back(eta + self.reach * se)
        return self.back(eta), np.minimum(low, high), np.maximum(low, high)

    def single(self, x: Floats) -> tuple[Floats, Floats] | None:
        """Interval for one new row."""
        if self.spread is None:
            return None
        eta, se = self.sums(self.rows(x))
        wide = self.reach * np.sqrt(se**2 + self.spread)
        return eta - wide, eta + wide

    def held(self, *shown: str) -> str:
        """What the others are held at, in words."""
        others = [n for n in self.data.names if n not in shown]
        said = [f"{self.data.title(n)} {self.data.said_place(n, self.typical[n])}" for n in others]
        return f"Held at: {', '.join(said)}." if said else ""
