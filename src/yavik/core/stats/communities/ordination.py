"""Samples as points whose distances follow how unlike they are: non-metric scaling, principal coordinates and
components.

Pictures are turned to their principal axes, signs fixed, so that the same samples always lie the same way up.
"""

from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from scipy.optimize import isotonic_regression, minimize
from scipy.spatial import ConvexHull, QhullError

from yavik.core.stats import distributions as laws
from yavik.core.stats.communities.group_tests import Spaced
from yavik.core.stats.groups import Floats
from yavik.core.stats.in_parts import spread
from yavik.core.table.telling import Told, silent

SCREENED, KEPT, FEW, MORE = 12, 2, 150, 4
"""Steps that every start makes, and starts that are gone on with (the best): more of up to ``FEW`` samples."""
SMALL = 1e-7


@dataclass(frozen=True)
class Scaled:
    """A non-metric picture.

    Args:
        points: shape (n, dims). stress: stress-1 (Kruskal, 1964), ties primary. distances, fitted: of each pair, as
            condensed. every: stress of each start; those gone on with to the end, others after the first steps.
        found: starts gone on with that came to the least stress, to one part in a thousand.
    """

    points: Floats
    stress: float
    distances: Floats
    fitted: Floats
    every: Floats
    found: int


class _Pairs:
    """Pairs from the least unlike to the most, and the stress of points."""

    def __init__(self, d: Floats, n: int) -> None:
        self.n = n
        i, j = np.triu_indices(n, 1)
        _, rank = np.unique(np.round(d / max(float(d.max()), 1e-300), 12), return_inverse=True)
        self.order = np.argsort(rank, kind="stable")
        self.rank = rank[self.order]
        self.cell = (i * n + j)[self.order]
        """Places of the pairs in a square."""
        same = self.rank[1:] == self.rank[:-1]
        self.tied = np.flatnonzero(np.append(same, False) | np.append(False, same))
        """Places in that order that share their dissimilarity with a neighbour."""
        # large arrays are made once: making them anew at each step would cost as much as the work in them
        self.square, self.gap = np.empty((n, n)), np.empty((n, n))
        self.turn, self.pull = np.arange(len(d)), np.zeros((n, n))

    def look(self, points: Floats) -> tuple[Floats, Floats]:
        """Distances of the pairs, and those fitted: within ties any order is good."""
        self.square.fill(0.0)
        for axis in points.T:
            np.subtract.outer(axis, axis, out=self.gap)
            self.gap *= self.gap
            self.square += self.gap
        dist = np.sqrt(self.square.ravel().take(self.cell))
        if not len(self.tied):
            return dist, np.asarray(isotonic_regression(dist).x)
        # one key for both: dissimilarities in whole numbers, distances between them
        own = dist[self.tied]
        self.turn[self.tied] = self.tied[np.argsort(self.rank[self.tied] + own / (2 * own.max() + 1e-300))]
        fitted = np.empty_like(dist)
        fitted[self.turn] = isotonic_regression(dist.take(self.turn)).x
        return dist, fitted

    def stress(self, flat: Floats, dims: int) -> tuple[float, Floats]:
        """Stress-1 and its slope."""
        points = flat.reshape(self.n, dims)
        dist, fitted = self.look(points)
        off = dist - fitted
        above, below = float(off @ off), float(dist @ dist)
        if not below > 0:
            return 1.0, np.zeros_like(flat)
        value = float(np.sqrt(above / below))
        if value < 1e-9:
            return value, np.zeros_like(flat)
        off /= below
        off -= dist * (above / below**2)
        off /= np.maximum(dist, 1e-300) * value
        self.pull.ravel()[self.cell] = off
        # of each pair one half of the square is filled: both samples are pulled
        long = (self.pull.sum(axis=1) + self.pull.sum(axis=0))[:, None] * points
        return value, np.asarray(long - self.pull @ points - self.pull.T @ points).ravel()

    def condensed(self, values: Floats) -> Floats:
        """Values of the pairs in the order of condensed dissimilarities."""
        out = np.empty_like(values)
        out[self.order] = values
        return out


def nonmetric(
    d: Floats, n: int, dims: int, starts: int, seed: int, told: Told = silent,
    seen: Callable[[Floats], None] = lambda _points: None, ends: int | None = None,
) -> Scaled:  # fmt: skip
    """The least stress of a start by principal coordinates and others by chance.

    Args:
        d: condensed dissimilarities.
        seen: is given the best places so far. ends: starts that are gone on with to the end, those that stand best
            after the first steps.
    """
    pairs = _Pairs(d, n)
    rng = np.random.default_rng(seed)
    first = coordinates(d).points[:, :dims]
    first = np.pad(first, ((0, 0), (0, dims - first.shape[1]))) + rng.normal(size=(n, dims)) * 1e-4 * float(d.max())
    begun = [first, *(rng.normal(size=(n, dims)) for _ in range(starts - 1))]
    every, places = np.empty(starts), []
    with closing(spread([partial(_gone_on, pairs, dims, s.ravel(), {"maxiter": SCREENED}) for s in begun])) as made:
        for k in range(starts):
            told(0.8 * k / starts, f"Start {k + 1} of {starts}")
            every[k], place = next(made)
            places.append(place)
            if every[k] <= every[: k + 1].min():
                seen(upright(place.reshape(n, dims)))
    best = np.argsort(every, kind="stable")[: ends or (MORE if n <= FEW else KEPT)]
    ended = []
    end = {"maxiter": 1000, "ftol": 1e-12, "gtol": 1e-7}
    with closing(spread([partial(_gone_on, pairs, dims, places[k], end) for k in best])) as made:
        for k in best:
            told(0.9, f"To the end; least stress so far {every.min():.4f}")
            ended.append(next(made))
            every[k] = ended[-1][0]
    stress, flat = min(ended, key=lambda e: e[0])
    points = upright(flat.reshape(n, dims))
    dist, fitted = (pairs.condensed(v) for v in pairs.look(points))
    size = float(d.mean()) / max(float(dist.mean()), 1e-300)
    found = sum(e[0] <= stress * 1.001 + 1e-9 for e in ended)
    return Scaled(points * size, stress, dist * size, fitted * size, every, found)


def _gone_on(pairs: "_Pairs", dims: int, start: Floats, options: Any) -> tuple[float, Floats]:
    """Stress and places, so many steps on."""
    made: Any = minimize(pairs.stress, start, args=(dims,), jac=True, method="L-BFGS-B", options=options)
    return float(made.fun), made.x


def upright(points: Floats) -> Floats:
    """Centred, turned to principal axes, each signed so that the cubes of its scores add up to more than 0."""
    centred = points - points.mean(axis=0)
    _, _, turn = np.linalg.svd(centred, full_matrices=False)
    return signed(np.asarray(centred @ turn.T))


def signed(points: Floats) -> Floats:
    """Axes mirrored where the cubes of their scores add up to less than 0."""
    cubes = (points**3).sum(axis=0)
    size = (np.abs(points) ** 3).sum(axis=0)
    return np.asarray(points * np.where(cubes < -1e-9 * size, -1.0, 1.0))


@dataclass(frozen=True)
class Coordinates:
    """Points on all axes that have something: shape (n, axes). values: eigenvalues; negative: the sum of those below
    0, which no axis shows."""

    points: Floats
    values: Floats
    negative: float

    @property
    def shares(self) -> Floats:
        """Of each axis in the sum of eigenvalues above 0."""
        return np.asarray(self.values / self.values.sum())


def coordinates(d: Floats) -> Coordinates:
    """Principal coordinates (Gower, 1966). Args: d: condensed dissimilarities."""
    values, vectors = np.linalg.eigh(Spaced.of(d).centred)
    order = np.argsort(-values)
    values, vectors = values[order], vectors[:, order]
    keep = values > SMALL * max(float(values[0]), 1e-300)
    points = signed(vectors[:, keep] * np.sqrt(values[keep]))
    below = values[values < -SMALL * max(float(values[0]), 1e-300)]
    return Coordinates(points, values[keep], float(below.sum()))


def components(x: Floats) -> Coordinates:
    """Principal components of the columns as they are: eigenvalues are variances, n − 1 below."""
    centred = x - x.mean(axis=0)
    u, s, _ = np.linalg.svd(centred, full_matrices=False)
    keep = s > 1e-9 * max(float(s[0]), 1e-300)
    return Coordinates(signed(u[:, keep] * s[keep]), s[keep] ** 2 / (len(x) - 1), 0.0)


def aligned(points: Floats, to: Floats) -> tuple[Floats, float]:
    """Points turned, mirrored, moved and sized so that they lie as near to others as can be (Procrustes; Gower, 1975),
    and how much of the others they hold, from 0 to 1.

    Args:
        points, to: shape (n, axes).
    """
    a, b = points - points.mean(axis=0), to - to.mean(axis=0)
    u, s, v = np.linalg.svd(a.T @ b)
    size = float((a**2).sum())
    whole = float((b**2).sum())
    if not size > 0 or not whole > 0:
        return np.asarray(a), 0.0
    scale = float(s.sum()) / size
    return np.asarray(a @ (u @ v) * scale + to.mean(axis=0)), float(s.sum()) ** 2 / (size * whole)


def taxa_at(points: Floats, amounts: Floats) -> Floats:
    """Taxa as points: the mean place of the samples, weighted by amounts, all drawn out by one factor so that they lie
    as wide as the samples do (means draw together); shape (k, axes).

    Args:
        points: shape (n, axes). amounts: shape (n, k), no taxon empty.
    """
    weight = amounts.sum(axis=0)
    middle = points.mean(axis=0)
    at = (amounts.T @ points) / weight[:, None] - middle
    wide = float(np.sqrt((weight @ at**2).sum() / weight.sum()))
    own = float(np.sqrt(((points - middle) ** 2).sum(axis=1).mean()))
    return np.asarray(middle + at * (own / wide if wide > 1e-9 * own else 1.0))


def ellipse(points: Floats, level: float = 0.95, many: int = 61) -> Floats | None:
    """Outline within which a share of samples lies under a normal distribution with the points' means and covariance:
    shape (many, 2); None for points on a line or fewer than three.

    Args:
        points: shape (n, 2). level: the share; Hotelling's limit for one more sample.
    """
    n = len(points)
    if n < 4:
        return None
    cov = np.cov(points.T)
    values, vectors = np.linalg.eigh(cov)
    if values[0] <= 1e-10 * max(float(values[1]), 1e-300):
        return None
    limit = 2 * (n - 1) * (n + 1) / (n * (n - 2)) * float(laws.f.ppf(level, 2, n - 2))
    turn = np.linspace(0, 2 * np.pi, many)
    circle = np.column_stack([np.cos(turn), np.sin(turn)])
    return np.asarray(points.mean(axis=0) + np.sqrt(limit) * (circle * np.sqrt(values)) @ vectors.T)


def hull(points: Floats) -> Floats:
    """Corners of the smallest outline without dents, in order: shape (corners, 2); points on a line give its ends."""
    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:
        centred = points - points.mean(axis=0)
        along = centred @ np.linalg.svd(centred, full_matrices=False)[2][0]
        return np.asarray(points[[int(np.argmin(along)), int(np.argmax(along))]])


@dataclass(frozen=True)
class Arrow:
    """A column on the picture: its correlation with each axis, r² with both, and where its arrow points (length
    √r²)."""

    correlations: Floats
    r2: float
    ends: Floats


def arrow(points: Floats, z: Floats) -> Arrow:
    """Args: points: shape (n, axes); z: a column that varies."""
    own = z - z.mean()
    centred = points - points.mean(axis=0)
    size = np.sqrt((centred**2).sum(axis=0)) * np.sqrt(own @ own)
    r = centred.T @ own / np.where(size > 0, size, 1.0)
    b = np.linalg.lstsq(centred, own, rcond=None)[0]
    r2 = float(((centred @ b) ** 2).sum() / (own @ own))
    # the arrow points where the column grows fastest on the picture
    long = float(np.sqrt(b @ b))
    return Arrow(r, min(r2, 1.0), np.asarray(b / long * np.sqrt(min(r2, 1.0)) if long > 0 else np.zeros_like(b)))


def draws_of_r2(points: Floats, z: Floats) -> Callable[[np.random.Generator, int], Floats]:
    """r² of shuffled columns."""
    q, _ = np.linalg.qr(points - points.mean(axis=0))
    own = z - z.mean()

    def batch(rng: np.random.Generator, draws: int) -> Floats:
        moved = rng.permuted(np.tile(own, (draws, 1)), axis=1)
        return np.asarray(((moved @ q) ** 2).sum(axis=1) / float(own @ own))

    return batch
