"""Standard errors where rows of one cluster may be alike, also for few clusters.

Everything is worked out in the orthonormal columns of the fit, in which a cluster is one score and one small matrix;
no matrix of a cluster's rows is ever made.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats, Ints
from yavik.core.stats.least_squares import LeastSquares, Rows, basis_of, block_of
from yavik.core.stats.triangle import blocks

MOST_KEPT = 30_000_000
"""Numbers of all clusters' small matrices up to which they are kept; beyond, there are so many clusters that the
correction is nothing."""
MOST_SQUARE = 3000
"""Clusters up to which their likeness with one another is worked out for the degrees of freedom."""


@dataclass(frozen=True, eq=False)
class Clustered:
    """
    Args:
        scores: shape (G, q): each cluster's residuals times its orthonormal columns.
        inner: shape (G, q, q): cross-products of each cluster's orthonormal columns; None where they are too many.
    """

    model: LeastSquares
    scores: Floats
    inner: Floats | None

    @property
    def n(self) -> int:
        """Clusters."""
        return len(self.scores)

    @property
    def root(self) -> Floats:
        """Leads from orthonormal columns back to coefficients."""
        return self.model.root

    @cached_property
    def _parts(self) -> tuple[Floats, Floats, Floats]:
        """Of each cluster's matrix: eigenvalues (shares of leverage), one over what they leave of 1, and vectors.
        Directions that a cluster decides alone are left out of the second (generalised inverse)."""
        assert self.inner is not None
        values, vectors = np.linalg.eigh(self.inner)
        values = np.clip(values, 0.0, 1.0)
        alone = values > 1 - 1e-9
        return values, np.where(alone, 0.0, 1 / np.where(alone, 1.0, 1 - values)), vectors

    @cached_property
    def _spread_out(self) -> Floats:
        """(I − Bg'Bg)^(−1/2), by cluster."""
        _, over, vectors = self._parts
        return np.asarray(np.einsum("gij,gj,gkj->gik", vectors, np.sqrt(over), vectors))

    def covariance(self, corrected: bool) -> Floats:
        """Of the coefficients. Plain with G/(G − 1) · (n − 1)/(n − q) (Liang & Zeger, 1986), or corrected for the
        leverage of whole clusters (Bell & McCaffrey, 2002: CR2)."""
        n, q, g = self.model.n, self.model.q, self.n
        if corrected and self.inner is not None:
            s = np.einsum("gij,gj->gi", self._spread_out, self.scores)
            return np.asarray(self.root @ (s.T @ s) @ self.root.T)
        factor = g / (g - 1) * (n - 1) / max(n - q, 1)
        return np.asarray(self.root @ (self.scores.T @ self.scores) @ self.root.T * factor)

    def _touch(self, along: Floats) -> tuple[Floats, Floats]:
        """For each direction m, shape (k, q): squared lengths w'w, shape (k, G), and Xg'w, shape (k, G, q)."""
        values, over, vectors = self._parts
        m = np.einsum("gji,kj->kgi", vectors, along)
        lengths = (m**2 * values * over).sum(axis=2)
        back = np.einsum("gij,kgj->kgi", vectors, m * values * np.sqrt(over))
        return lengths, back

    def _likeness(self, along: Floats) -> Floats:
        """Inner products of the clusters' parts in two combinations, shape (k, k, G, G)."""
        values, over, vectors = self._parts
        m = np.einsum("gji,kj->kgi", vectors, along)
        own = np.einsum("kgi,lgi,gi->klg", m, m, values * over)
        _, back = self._touch(along)
        out = -np.einsum("kgi,lhi->klgh", back, back)
        g = np.arange(self.n)
        out[:, :, g, g] += own
        return np.asarray(out)

    def df(self, rows: Floats) -> Floats:
        """Satterthwaite's degrees of freedom of single combinations of coefficients, shape (k,) (Bell & McCaffrey,
        2002)."""
        if self.inner is None or self.n > MOST_SQUARE:
            return np.full(len(rows), float(self.n - 1))
        out = np.empty(len(rows))
        for i, row in enumerate(rows):
            lengths, back = self._touch((row @ self.root)[None, :])
            square = -back[0] @ back[0].T
            square[np.diag_indices(self.n)] += lengths[0]
            top = np.trace(square)
            below = float((square**2).sum())
            out[i] = top**2 / below if below > 0 else np.nan
        return out

    def joint(self, rows: Floats, coef: Floats, covariance: Floats) -> tuple[float, float, float, float] | None:
        """F of several combinations at once by Hotelling's T² with estimated df (Pustejovsky & Tipton, 2018).

        Returns:
            F, df1, df2, p; None where the clusters cannot carry that many comparisons.
        """
        k = len(rows)
        if k == 1:
            free = float(self.df(rows)[0])
            f = float((rows @ coef)[0] ** 2 / (rows @ covariance @ rows.T)[0, 0])
            return f, 1.0, free, float(laws.f.sf(f, 1, free))
        if self.inner is None or self.n > MOST_SQUARE / 10:
            eta = float(self.n - 1)
        else:
            middle = rows @ (self.root @ self.root.T) @ rows.T
            values, vectors = np.linalg.eigh(middle)
            if values[0] <= 1e-10 * values[-1]:
                return None
            half = (vectors / np.sqrt(values)) @ vectors.T
            p = self._likeness(half @ rows @ self.root)
            cross = np.einsum("stgh,tsgh->", p, p)  # Σ over s, t of tr(P_st P_ts') …
            both = np.einsum("ssgh,ttgh->", p, p)
            eta = k * (k + 1) / float(cross + both)
        df2 = eta - k + 1
        if not df2 > 0:
            return None
        m = rows @ covariance @ rows.T
        e = rows @ coef
        try:
            q = float(e @ np.linalg.solve(m, e))
        except np.linalg.LinAlgError:
            return None
        f = (eta - k + 1) / (eta * k) * q
        return f, float(k), float(df2), float(laws.f.sf(f, k, df2))

    def wild(self, rows: Floats, coef: Floats, draws: int, seed: int) -> float:
        """p of rows @ coef = 0 by the wild cluster bootstrap with the null imposed (Cameron, Gelbach & Miller, 2008).

        Each cluster's residuals under the null get one sign, below twelve clusters one of Webb's six weights: of so
        few signs there are too few patterns. The statistic of every draw is the plain clustered Wald statistic.
        """
        assert self.inner is not None
        c = rows @ self.root
        # Imposing the null moves the coefficients, in orthonormal columns, along c to where c·b = 0.
        own = np.linalg.solve(self.root, coef)
        back = c.T @ np.linalg.solve(c @ c.T, c @ own)
        scores = self.scores + np.einsum("gij,j->gi", self.inner, back)
        seen = self._wald(c, np.asarray(own)[None, :], self.scores[None])[0]
        weights = _weights(self.n, draws, seed)
        hits = 0
        step = max(1, 4_000_000 // max(self.n * scores.shape[1], 1))
        for start in range(0, len(weights), step):
            v = weights[start : start + step]
            moved = v[:, :, None] * scores
            delta = moved.sum(axis=1)
            left = moved - np.einsum("gij,dj->dgi", self.inner, delta)
            hits += int((self._wald(c, delta, left) >= seen * (1 - 1e-9)).sum())
        return (hits + 1) / (draws + 1)

    @staticmethod
    def _wald(c: Floats, b: Floats, scores: Floats) -> Floats:
        """Wald statistics, up to a factor, for coefficients b, shape (d, q), and scores, shape (d, G, q)."""
        s = np.einsum("ij,dgj->dgi", c, scores)
        m = np.einsum("dgi,dgj->dij", s, s)
        e = b @ c.T
        if c.shape[0] == 1:
            with np.errstate(divide="ignore", invalid="ignore"):
                return np.asarray(np.nan_to_num(e[:, 0] ** 2 / m[:, 0, 0], nan=0.0, posinf=np.inf))
        return np.asarray(np.einsum("di,dij,dj->d", e, np.linalg.pinv(m, hermitian=True), e))


WEBB = np.array([-np.sqrt(1.5), -1.0, -np.sqrt(0.5), np.sqrt(0.5), 1.0, np.sqrt(1.5)])


def _weights(clusters: int, draws: int, seed: int) -> Floats:
    rng = np.random.default_rng(seed)
    if clusters < 12:
        return rng.choice(WEBB, (draws, clusters))
    return rng.choice(np.array([-1.0, 1.0]), (draws, clusters))


def clustered(design: Design, found: Rows, clusters: Any, n_clusters: int) -> Clustered:
    """
    Args:
        clusters: each row's cluster as a code from 0.
    """
    model = found.model
    q = model.q
    e = found.residuals if found.weights is None else found.residuals * found.weights
    root = None if found.weights is None else np.sqrt(found.weights)
    keep = n_clusters * q * q <= MOST_KEPT
    scores = np.zeros((n_clusters, q))
    inner = np.zeros((n_clusters, q, q)) if keep else None
    for a, b in blocks(0, len(e)):
        basis = basis_of(model, block_of(design, model, a, b))
        own: Ints = clusters[a:b]
        for j in range(q):
            scores[:, j] += np.bincount(own, basis[:, j] * e[a:b], minlength=n_clusters)
        if inner is not None:
            z = basis if root is None else basis * root[a:b, None]
            for j in range(q):
                for k in range(j + 1):
                    part = np.bincount(own, z[:, j] * z[:, k], minlength=n_clusters)
                    inner[:, j, k] += part
                    if k < j:
                        inner[:, k, j] += part
    return Clustered(model, scores, inner)
