"""Linear models of factors, covariates and blocks by least squares.

Rows that share all their factor levels share their part of the design, so the rows of a cell are first replaced
by their count and means, and what is left within cells by one small triangle from a QR. The compressed problem
has exactly the same solution and sums of squares, and its size no longer depends on the number of rows.

Factors are coded to sum to zero, so that type III tests of main effects are tests of unweighted means.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered
from yavik.core.stats.oneway import FTest, f_test

SumsOfSquares = Literal["iii", "ii", "i"]
MOST_CELLS = 20_000
MOST_DESIGN = 800
"""Columns of a design; more than this is not a factorial any more."""
Codes = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Factor:
    name: str
    codes: Codes
    levels: tuple[str, ...]


def present(codes: npt.NDArray[Any], levels: tuple[str, ...]) -> tuple[Codes, tuple[str, ...]]:
    """Only the levels that occur, with the codes numbered to them; no code is −1."""
    there, own = numbered(codes)
    return own, tuple(levels[i] for i in there)


@dataclass(frozen=True)
class Cells:
    """The filled cells of a factorial: per cell its levels (one column a factor), n, mean, and sums within cells.

    ``inner`` is the triangle that stands for everything within cells: columns are covariates and then y.
    Covariates are kept standardised (``covariate_shift``, ``covariate_scale``), so that nothing hangs on their unit or
    on where their zero lies; ``covariates`` has a row each, ``covariate_means`` a cell each.
    """

    factors: tuple[Factor, ...]
    levels: Codes
    n: Floats
    mean: Floats
    covariate_means: Floats
    inner: Floats
    cell_of_row: Codes
    ss_within: Floats
    shift: float
    covariates: Floats
    covariate_shift: Floats
    covariate_scale: Floats

    @property
    def covariates_within(self) -> Floats:
        """Standardised covariates about their cell's mean, shape (n, c)."""
        return np.asarray(self.covariates - self.covariate_means[self.cell_of_row])

    @property
    def n_rows(self) -> int:
        """Rows in all cells."""
        return int(self.n.sum())


def cells_of(y: Floats, factors: Sequence[Factor], covariates: Floats | None = None) -> Cells:
    """Sorts rows into the cells that occur.

    Args:
        y: filled values, shape (n,).
        factors: codes without −1.
        covariates: shape (n, c), filled.
    """
    flat = np.zeros(len(y), np.int64)
    for f in factors:
        flat = flat * len(f.levels) + f.codes
    there, cell = numbered(flat)
    k = len(there)
    shift = float(y[0])
    moved = y - shift
    n = np.bincount(cell, minlength=k).astype(float)
    mean = np.bincount(cell, moved, minlength=k) / n
    away = moved - mean[cell]
    mean += np.bincount(cell, away, minlength=k) / n  # the second pass takes back what rounding lost
    away = moved - mean[cell]
    within = np.bincount(cell, away * away, minlength=k)
    c, c_shift, c_scale = _standardised(covariates if covariates is not None else np.empty((len(y), 0)))
    c_means = (
        np.stack([np.bincount(cell, x, minlength=k) / n for x in c.T], axis=1) if c.shape[1] else np.empty((k, 0))
    )
    if c.shape[1]:
        inner: Floats = np.asarray(np.linalg.qr(np.column_stack([c - c_means[cell], away]), mode="r"), np.float64)
    else:
        inner = np.array([[np.sqrt(within.sum())]])
    levels = np.empty((k, len(factors)), np.int64)
    rest = there.copy()
    for i in range(len(factors) - 1, -1, -1):
        rest, levels[:, i] = np.divmod(rest, len(factors[i].levels))
    return Cells(
        tuple(factors), levels, n, mean, c_means, inner, np.asarray(cell, np.int64), np.asarray(within), shift,
        c, c_shift, c_scale,
    )  # fmt: skip


def _standardised(x: Floats) -> tuple[Floats, Floats, Floats]:
    """Columns about their means in their SDs, with these; the mean in two passes, so that no offset costs digits."""
    if not x.shape[1]:
        return x, np.empty(0), np.empty(0)
    moved = x - x[0]
    middle = moved.mean(axis=0)
    moved = moved - middle
    middle = middle + moved.mean(axis=0)
    moved = moved - moved.mean(axis=0)
    scale = np.sqrt((moved**2).mean(axis=0))
    scale[scale == 0] = 1.0
    return moved / scale, x[0] + middle, scale


Term = tuple[int, ...]
"""The factors of a term by place: (0,) a main effect, (0, 1) an interaction. Covariates come as negative places."""


def coded(levels: Codes, k: int) -> Floats:
    """Sum-to-zero columns, shape (rows, k − 1): the last level is −1 throughout."""
    table = np.vstack([np.eye(k - 1), -np.ones(k - 1)])
    return np.asarray(table[levels])


def term_columns(levels: Codes, sizes: Sequence[int], term: Term) -> Floats:
    """A term's columns over the cells, coded as departures from the mean, shape (cells, df)."""
    columns = np.ones((len(levels), 1))
    for f in term:
        own = coded(levels[:, f], sizes[f])
        columns = (columns[:, :, None] * own[:, None, :]).reshape(len(levels), -1)
    return columns


@dataclass(frozen=True)
class TermTest:
    ss: float
    df: int
    test: FTest | None
    """None where there is nothing to test against, or the hypothesis cannot be put."""

    @property
    def ms(self) -> float:
        """Mean square."""
        return self.ss / self.df if self.df else np.nan


class LinearModel:
    """A model over cells: an intercept, covariates (as −1, −2 …), and terms.

    Args:
        terms: in the order in which type I sums of squares take them.
    """

    def __init__(self, cells: Cells, terms: Sequence[Term]) -> None:
        self.cells = cells
        self.terms = list(terms)
        self.sizes = [len(f.levels) for f in cells.factors]
        self.c = cells.covariate_means.shape[1]
        self._middle = np.average(cells.covariate_means, axis=0, weights=cells.n) if self.c else np.empty(0)
        self.centre = cells.covariate_shift + cells.covariate_scale * self._middle
        root = np.sqrt(cells.n)
        self._parts: dict[Term, Floats] = {}
        for term in self.terms:
            if term[0] < 0:
                i = -term[0] - 1
                outer = (cells.covariate_means[:, i] - self._middle[i]) * root
                self._parts[term] = np.concatenate([outer, cells.inner[:, i]])[:, None]
            else:
                columns = term_columns(cells.levels, self.sizes, term) * root[:, None]
                self._parts[term] = np.vstack([columns, np.zeros((len(cells.inner), columns.shape[1]))])
        self._one = np.concatenate([root, np.zeros(len(cells.inner))])[:, None]
        self.y = np.concatenate([cells.mean * root, cells.inner[:, -1]])

    @cached_property
    def design(self) -> Floats:
        """Columns of all terms over the cells."""
        return np.hstack([self._one, *(self._parts[t] for t in self.terms)])

    @cached_property
    def _solved(self) -> tuple[Floats, Floats, int, float]:
        """Coefficients of least length, their (X'X)⁻ , rank and residual sum of squares."""
        u, s, vt = np.linalg.svd(self.design, full_matrices=False)
        keep = s > s[0] * max(self.design.shape) * np.finfo(float).eps * 8
        u, s, vt = u[:, keep], s[keep], vt[keep]
        beta = vt.T @ ((u.T @ self.y) / s)
        rest = self.y - self.design @ beta
        return beta, (vt.T / s**2) @ vt, int(keep.sum()), float(rest @ rest)

    @property
    def rank(self) -> int:
        """Columns that say something of their own."""
        return self._solved[2]

    @property
    def rss(self) -> float:
        """Residual sum of squares."""
        return self._solved[3]

    @property
    def df(self) -> int:
        """Residual degrees of freedom."""
        return self.cells.n_rows - self.rank

    @property
    def mse(self) -> float:
        """Residual variance; NaN where no row is left over."""
        return self.rss / self.df if self.df > 0 else np.nan

    @property
    def total(self) -> float:
        """Sum of squares about the mean."""
        away = self.y - self._one[:, 0] * (self._one[:, 0] @ self.y) / self.cells.n_rows
        return float(away @ away)

    def _rss_of(self, terms: Sequence[Term]) -> tuple[float, int]:
        x = np.hstack([self._one, *(self._parts[t] for t in terms)])
        q, rank = _basis(x)
        rest = self.y - q @ (q.T @ self.y)
        rest -= q @ (q.T @ rest)
        return float(rest @ rest), rank

    def test(self, term: Term, kind: SumsOfSquares) -> TermTest:
        """The term's sum of squares of the kind asked for, tested against the residual mean square.

        i: after the terms before it. ii: after all terms that do not contain it. iii: after all others, also
        those that contain it.
        """
        if kind == "i":
            place = self.terms.index(term)
            without, with_ = self.terms[:place], self.terms[: place + 1]
        elif kind == "ii":
            without = [t for t in self.terms if t != term and not _contains(t, term)]
            with_ = [*without, term]
        else:
            without, with_ = [t for t in self.terms if t != term], self.terms
        (rss_a, rank_a), (rss_b, rank_b) = self._rss_of(without), self._rss_of(with_)
        ss, df = max(rss_a - rss_b, 0.0), rank_b - rank_a
        if df == 0 or self.df <= 0 or self.rss <= 1e-20 * max(self.total, 1e-300):
            return TermTest(ss, df, None)
        return TermTest(ss, df, f_test(ss / df / self.mse, df, self.df))

    def width(self, term: Term) -> int:
        """Degrees of freedom that a term has where nothing else says a part of the same."""
        return int(self._parts[term].shape[1])

    def told_by(self, term: Term) -> list[Term]:
        """Other terms without which this one would have more degrees of freedom: they say a part of the same."""
        others = [t for t in self.terms if t != term and not _contains(t, term)]
        have = self._rank([*others, term]) - self._rank(others)
        found = []
        for t in others:
            rest = [o for o in others if o != t and not _contains(o, t)]
            if self._rank([*rest, term]) - self._rank(rest) > have:
                found.append(t)
        return found

    def _rank(self, terms: Sequence[Term]) -> int:
        return _basis(np.hstack([self._one, *(self._parts[t] for t in terms)]))[1]

    def whole(self) -> TermTest:
        """All terms at once."""
        ss, df = max(self.total - self.rss, 0.0), self.rank - 1
        return TermTest(
            ss, df, f_test(ss / df / self.mse, df, self.df) if df and self.df > 0 and self.rss > 0 else None
        )

    def estimated(self, term: Term, at: Floats | None = None) -> tuple[list[tuple[int, ...]], Floats, Floats]:
        """Estimated means of a term's cells: other factors averaged with equal weight, covariates at ``at``.

        Returns:
            The cells as level indices, their means, and their covariance matrix; NaN where a cell of the model
            that the mean needs has no rows.
        """
        places = list(np.ndindex(*(self.sizes[f] for f in term)))
        rows = [np.ones((len(places), 1))]
        grid = np.zeros((len(places), len(self.sizes)), np.int64)
        for j, f in enumerate(term):
            grid[:, f] = [p[j] for p in places]
        for t in self.terms:
            if t[0] < 0:
                i = -t[0] - 1
                value = 0.0 if at is None else float(at[i] - self.centre[i]) / self.cells.covariate_scale[i]
                rows.append(np.full((len(places), 1), value))
            elif set(t) <= set(term):
                rows.append(term_columns(grid, self.sizes, t))
            else:  # averaged over a factor that the mean does not name: sum-to-zero columns vanish
                width = self._parts[t].shape[1]
                rows.append(np.zeros((len(places), width)))
        wanted = np.hstack(rows)
        beta, inverse, _, _ = self._solved
        means = wanted @ beta + self.cells.shift
        covariance = wanted @ inverse @ wanted.T * self.mse
        # A combination of coefficients that the design does not carry cannot be estimated.
        projector = inverse @ (self.design.T @ self.design)
        lost = np.abs(wanted @ projector - wanted).max(axis=1) > 1e-7
        means[lost] = np.nan
        covariance[lost, :] = covariance[:, lost] = np.nan
        return [tuple(int(v) for v in p) for p in places], means, covariance

    def fitted_cells(self) -> Floats:
        """Fitted mean of each cell at its covariates' own means."""
        beta = self._solved[0]
        k = len(self.cells.n)
        return np.asarray((self.design[:k] @ beta) / np.sqrt(self.cells.n) + self.cells.shift)

    def slopes(self) -> list[tuple[float, float]]:
        """Estimate and SE of each covariate's slope."""
        beta, inverse, _, _ = self._solved
        out, place = [], 1
        for t in self.terms:
            if t[0] < 0:
                scale = float(self.cells.covariate_scale[-t[0] - 1])
                out.append((float(beta[place]) / scale, float(np.sqrt(inverse[place, place] * self.mse)) / scale))
            place += self._parts[t].shape[1]
        return out


def _contains(other: Term, term: Term) -> bool:
    return other[0] >= 0 and term[0] >= 0 and set(term) < set(other)


def _basis(x: Floats) -> tuple[Floats, int]:
    """An orthonormal basis of the columns' span, by pivoted QR."""
    from scipy.linalg import qr

    q, r, _ = qr(x, mode="economic", pivoting=True, check_finite=False)
    size = np.abs(np.diag(r))
    rank = int((size > size[0] * max(x.shape) * np.finfo(float).eps * 8).sum())
    return np.asarray(q[:, :rank]), rank
