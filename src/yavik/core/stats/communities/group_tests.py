"""Tests of groups by dissimilarities: PERMANOVA, ANOSIM, and the spread of samples about their group's middle.

Permutations keep within blocks where there are any. All of a batch are one product of matrices.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.spatial.distance import squareform
from scipy.stats import rankdata

from yavik.core.stats.groups import Floats

Draw = Callable[[np.random.Generator, int], Floats]
FAR = 1e-7


def shuffles(rng: np.random.Generator, codes: Any, blocks: Any, draws: int) -> Any:
    """Group codes exchanged among samples, within blocks where there are any: shape (draws, n)."""
    out = np.tile(codes, (draws, 1))
    if blocks is None:
        return np.asarray(rng.permuted(out, axis=1))
    for b in np.unique(blocks):
        own = np.flatnonzero(blocks == b)
        out[:, own] = rng.permuted(out[:, own], axis=1)
    return out


@dataclass(frozen=True)
class Partition:
    """Sums of squares of dissimilarities between and within groups (Anderson, 2001)."""

    between: float
    within: float
    df_between: int
    df_within: int

    @property
    def f(self) -> float:
        """Pseudo-F; infinite where nothing is left within."""
        if self.df_within < 1:
            return np.nan
        rest = self.within / self.df_within
        return self.between / self.df_between / rest if rest > 0 else np.inf

    @property
    def r2(self) -> float:
        """Share of all squares that is between groups."""
        total = self.between + self.within
        return self.between / total if total > 0 else np.nan


@dataclass(frozen=True)
class Spaced:
    """Dissimilarities as the tests use them.

    Args:
        d: square, shape (n, n); centred: Gower's matrix −½ d², rows and columns centred.
    """

    d: Floats
    centred: Floats

    @classmethod
    def of(cls, condensed: Floats) -> "Spaced":
        """Of condensed dissimilarities."""
        d = squareform(condensed, checks=False)
        a = -0.5 * d**2
        means = a.mean(axis=1)
        return cls(d, a - means[:, None] - means[None, :] + means.mean())

    @property
    def total(self) -> float:
        """Sum of squares about the middle of all samples."""
        return float(np.trace(self.centred))


def permanova(spaced: Spaced, codes: Any, groups: int) -> Partition:
    """One-way partition of the squares."""
    between = float(between_of(spaced, codes[None, :], groups)[0])
    n = len(codes)
    return Partition(between, max(spaced.total - between, 0.0), groups - 1, n - groups)


def between_of(spaced: Spaced, codes: Any, groups: int) -> Floats:
    """Squares between groups of every row of codes: shape (draws,)."""
    sizes = np.bincount(codes[0], minlength=groups)
    out = np.zeros(len(codes))
    for g in range(groups):
        z = (codes == g).astype(float)
        out += ((z @ spaced.centred) * z).sum(axis=1) / max(sizes[g], 1)
    return out


def draws_of_f(spaced: Spaced, codes: Any, groups: int, blocks: Any) -> Draw:
    """Pseudo-F of shuffled groups."""
    n = len(codes)

    def batch(rng: np.random.Generator, draws: int) -> Floats:
        between = between_of(spaced, shuffles(rng, codes, blocks, draws), groups)
        within = np.maximum(spaced.total - between, 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(between / (groups - 1) / (within / (n - groups)))

    return batch


@dataclass(frozen=True)
class Ranked:
    """Ranks of dissimilarities for ANOSIM, square, 0 on the diagonal: shape (n, n); total: of all pairs."""

    ranks: Floats
    total: float

    @classmethod
    def of(cls, condensed: Floats) -> "Ranked":
        """Ties share their mean rank; those that differ by rounding are ties."""
        ranks = rankdata(np.round(condensed / max(float(condensed.max()), 1e-300), 12))
        return cls(squareform(ranks, checks=False), float(ranks.sum()))

    def r(self, codes: Any) -> Floats:
        """R of every row of codes (Clarke, 1993): mean rank between less within, over half the number of pairs."""
        n = len(self.ranks)
        pairs = n * (n - 1) / 2
        sizes = np.bincount(codes[0])
        count = float((sizes * (sizes - 1) / 2).sum())
        inside = np.zeros(len(codes))
        for g in range(len(sizes)):
            z = (codes == g).astype(float)
            inside += ((z @ self.ranks) * z).sum(axis=1) / 2
        if not 0 < count < pairs:
            return np.full(len(codes), np.nan)
        return np.asarray(((self.total - inside) / (pairs - count) - inside / count) / (pairs / 2))


def draws_of_r(ranked: Ranked, codes: Any, blocks: Any) -> Draw:
    """R of shuffled groups."""
    return lambda rng, draws: ranked.r(shuffles(rng, codes, blocks, draws))


def distances_to_middle(spaced: Spaced, codes: Any, groups: int, about: str) -> Floats:
    """Of each sample to the middle of its group in the space of all principal coordinates, those with negative
    eigenvalues taken off (Anderson, 2006): shape (n,).

    Args:
        about: 'centroid', or 'median', the point whose distances add up to the least.
    """
    if about == "centroid":
        return to_centroid(spaced.d, codes, groups)
    values, vectors = np.linalg.eigh(spaced.centred)
    keep = np.abs(values) > FAR * float(np.abs(values).max())
    axes = vectors[:, keep] * np.sqrt(np.abs(values[keep]))
    real = values[keep] > 0
    out = np.zeros(len(codes))
    for g in range(groups):
        own = np.flatnonzero(codes == g)
        plus, minus = axes[np.ix_(own, np.flatnonzero(real))], axes[np.ix_(own, np.flatnonzero(~real))]
        gap = [((p - _middle(p)) ** 2).sum(axis=1) for p in (plus, minus)]
        out[own] = np.sqrt(np.maximum(gap[0] - gap[1], 0.0))
    return out


def to_centroid(square: Floats, codes: Any, groups: int) -> Floats:
    """Of each sample to its group's centroid, without axes: the mean of its squared dissimilarities to the group less
    half the mean of all within it (Anderson, 2006): shape (n,).

    Args:
        square: dissimilarities, shape (n, n).
    """
    out = np.zeros(len(codes))
    for g in range(groups):
        own = np.flatnonzero(codes == g)
        inside = square[np.ix_(own, own)] ** 2
        out[own] = np.sqrt(np.maximum(inside.mean(axis=1) - inside.mean() / 2, 0.0))
    return out


def _middle(points: Floats) -> Floats:
    """Spatial median by Weiszfeld's steps (Vardi and Zhang, 2000)."""
    at = points.mean(axis=0)
    if len(points) < 3 or not points.shape[1]:
        return np.asarray(at)
    for _ in range(500):
        away = np.sqrt(((points - at) ** 2).sum(axis=1))
        near = away < 1e-12
        if near.all():
            return np.asarray(at)
        weight = np.where(near, 0.0, 1 / np.maximum(away, 1e-300))
        to = weight @ points / weight.sum()
        if near.any():
            pull = float(np.sqrt((((weight[:, None] * (points - at)).sum(axis=0)) ** 2).sum()))
            part = max(0.0, 1 - near.sum() / pull) if pull > 0 else 0.0
            to = part * to + (1 - part) * at
        if float(np.abs(to - at).max()) < 1e-11 * max(float(np.abs(points).max()), 1e-300):
            return np.asarray(to)
        at = to
    return np.asarray(at)


def f_of(values: Floats, codes: Any, groups: int) -> Floats:
    """Classical F of each row of values by groups: shape (draws,)."""
    n = values.shape[1]
    sizes = np.bincount(codes, minlength=groups)
    one = np.eye(groups)[codes]
    sums = values @ one
    between = (sums**2 / sizes).sum(axis=1) - values.sum(axis=1) ** 2 / n
    within = (values**2).sum(axis=1) - (sums**2 / sizes).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(between / (groups - 1) / (np.maximum(within, 0.0) / (n - groups)))


def draws_of_spread(away: Floats, codes: Any, groups: int, blocks: Any) -> Draw:
    """F of distances to the middle, residuals about group means exchanged."""
    means = np.bincount(codes, away, groups) / np.bincount(codes, minlength=groups)
    left = away - means[codes]

    def batch(rng: np.random.Generator, draws: int) -> Floats:
        return f_of(_exchanged(rng, left, blocks, draws), codes, groups)

    return batch


def _exchanged(rng: np.random.Generator, values: Floats, blocks: Any, draws: int) -> Floats:
    out = np.tile(values, (draws, 1))
    if blocks is None:
        return np.asarray(rng.permuted(out, axis=1))
    for b in np.unique(blocks):
        own = np.flatnonzero(blocks == b)
        out[:, own] = rng.permuted(out[:, own], axis=1)
    return out
