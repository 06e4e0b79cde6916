"""Tables of two columns from samples drawn by a design: shares, and the test of Rao and Scott (1984)."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy.linalg import null_space

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats
from yavik.core.stats.surveys.designs import Sampled, Totals

Base = Literal["row", "column", "total"]
OVER: dict[Base, tuple[int, ...]] = {"row": (1,), "column": (0,), "total": (0, 1)}
"""Of each kind of share the ways of the table that its base is summed over."""


@dataclass(frozen=True)
class Crossed:
    """Cells of a table.

    Args:
        totals: weights of the cells, in rows' order. counts: rows of each cell, shape (rows, columns).
    """

    totals: Totals
    counts: Floats

    @property
    def n(self) -> int:
        """Rows that have both."""
        return int(self.counts.sum())

    @property
    def weighted(self) -> Floats:
        """Weights of the cells, shape (rows, columns)."""
        return self.totals.values.reshape(self.counts.shape)

    def shares(self, base: Base) -> tuple[Floats, Floats]:
        """Shares of one kind, shape (rows, columns), and their covariance, cells in rows' order."""

        def share(t: Floats) -> Floats:
            cells = t.reshape(*self.counts.shape, -1)
            return np.asarray((cells / cells.sum(axis=OVER[base], keepdims=True)).reshape(t.shape))

        return share(self.totals.values).reshape(self.counts.shape), self.totals.covariance(share)

    def plain(self, base: Base) -> Floats:
        """The same shares without weights."""
        return np.asarray(self.counts / self.counts.sum(axis=OVER[base], keepdims=True))


def crossed(design: Sampled, a: Any, b: Any, shape: tuple[int, int], used: Floats) -> Crossed:
    """Args: a, b: codes of each row; used: 1 for rows of the domain that have both."""
    rows, columns = shape
    cell = np.where(used > 0, a * columns + b, 0).astype(int)
    one = np.zeros((len(a), rows * columns))
    one[np.arange(len(a)), cell] = used
    return Crossed(design.totals(one), one.sum(axis=0).reshape(shape))


@dataclass(frozen=True)
class RaoScott:
    """Pearson's X² of the weighted shares, and F by its mean and variance under the design.

    Args:
        effects: the design effects that X² is made of, descending; first: X² over their mean.
    """

    chi2: float
    f: float
    df1: float
    df2: float
    p: float
    effects: Floats

    @property
    def first(self) -> float:
        """X² corrected by the mean design effect alone (first order)."""
        return self.chi2 / float(self.effects.mean())


def rao_scott(c: Crossed, df: float) -> RaoScott:
    """That rows and columns are independent. Rows and columns without weight are left out by the caller.

    X² = n Σ(p − e)²/e with e the product of margins. Under independence it is a sum of χ² with one df each, weighed by
    the eigenvalues of (C′PC)⁻¹(C′VC): C the interactions over e, P the covariance of a simple random sample of as many
    rows. F = X²/Σδ with (Σδ)²/Σδ² and df times that (Satterthwaite, second order).
    """
    p, covariance = c.shares("total")
    expected = np.outer(p.sum(axis=1), p.sum(axis=0))
    chi2 = c.n * float(((p - expected) ** 2 / expected).sum())
    rows, columns = p.shape
    main = np.vstack(
        [np.ones(rows * columns)]
        + [np.kron(np.eye(rows)[i], np.ones(columns)) for i in range(1, rows)]
        + [np.kron(np.ones(rows), np.eye(columns)[j]) for j in range(1, columns)]
    )
    e = expected.ravel()
    # contrasts that are 0 for every table of independent columns: orthogonal to the margins, taken over e
    contrast = null_space(main) / e[:, None]
    simple = contrast.T @ ((np.diag(e) - np.outer(e, e)) / c.n) @ contrast
    found = contrast.T @ covariance @ contrast
    effects = np.sort(np.linalg.eigvals(np.linalg.solve(simple, found)).real)[::-1]
    total, square = float(effects.sum()), float((effects**2).sum())
    if not total > 0 or df <= 0:
        return RaoScott(chi2, np.nan, np.nan, np.nan, np.nan, np.asarray(effects))
    df1 = total**2 / square
    f = chi2 / total
    return RaoScott(chi2, f, df1, df1 * df, float(laws.f.sf(f, df1, df1 * df)), np.asarray(effects))
