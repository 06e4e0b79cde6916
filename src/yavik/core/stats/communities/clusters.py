"""Clusters of samples: joined step by step by how unlike they are, or about means."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from scipy.cluster.hierarchy import cophenet, dendrogram, fcluster, leaves_list, linkage

from yavik.core.stats.groups import Floats

Linkage = Literal["average", "complete", "single", "ward"]


@dataclass(frozen=True)
class Tree:
    """Samples joined step by step.

    Args:
        merges: shape (n − 1, 4): the two joined, the height, and samples in the new cluster; a cluster made in step i
            counts as n + i. Ward's heights are √(2 × increase of the sum of squares). d: condensed dissimilarities.
    """

    merges: Floats
    d: Floats

    @property
    def n(self) -> int:
        """Samples."""
        return len(self.merges) + 1

    @cached_property
    def cophenetic(self) -> float:
        """Correlation of heights at which pairs are joined with their dissimilarities (Sokal and Rohlf, 1962)."""
        joined = cophenet(self.merges)
        if not (np.ptp(joined) > 0 and np.ptp(self.d) > 0):
            return np.nan
        return float(np.corrcoef(joined, self.d)[0, 1])

    @cached_property
    def order(self) -> Any:
        """Samples as they stand under the tree."""
        return leaves_list(self.merges)

    def at(self, k: int) -> Any:
        """Cluster of each sample, 0 …, in the order in which clusters begin; ties may give fewer than k."""
        return renumbered(fcluster(self.merges, k, "maxclust"))

    def below(self, height: float) -> Any:
        """Clusters whose samples are joined at that height or below."""
        return renumbered(fcluster(self.merges, height, "distance"))

    def between(self, k: int) -> float:
        """A height that leaves k clusters: midway between two joins."""
        heights = self.merges[:, 2]
        if k >= self.n:
            return float(heights[0] / 2)
        upper = heights[self.n - k] if k > 1 else heights[-1] * 1.05
        return float((heights[self.n - k - 1] + upper) / 2)

    @cached_property
    def lines(self) -> tuple[Any, Any]:
        """Corners of each join for a drawing: places (n − 1, 4), samples at 0, 1, …, and heights."""
        made = dendrogram(self.merges, no_plot=True)
        return (np.array(made["icoord"]) - 5) / 10, np.array(made["dcoord"])


def joined(d: Floats, how: Linkage) -> Tree:
    """Args: d: condensed dissimilarities; Ward's method takes them for Euclidean."""
    return Tree(linkage(d, how, optimal_ordering=len(d) < 20_000), d)


def renumbered(codes: Any) -> Any:
    """Codes in the order in which they appear, from 0."""
    _, first, inverse = np.unique(codes, return_index=True, return_inverse=True)
    rank = np.argsort(np.argsort(first))
    return rank[inverse]


def silhouettes(square: Floats, codes: Any) -> Floats:
    """Of each sample (b − a)/max(a, b), a its mean dissimilarity to its own cluster, b to the nearest other; 0 for
    one alone (Rousseeuw, 1987)."""
    k = int(codes.max()) + 1
    one = np.eye(k)[codes]
    sizes = one.sum(axis=0)
    sums = square @ one
    own = sizes[codes]
    a = sums[np.arange(len(codes)), codes] / np.maximum(own - 1, 1)
    others = sums / sizes
    others[np.arange(len(codes)), codes] = np.inf
    b = others.min(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        out = (b - a) / np.maximum(a, b)
    return np.where((own > 1) & np.isfinite(out), out, 0.0)


@dataclass(frozen=True)
class Means:
    """Samples about means.

    Args:
        codes: cluster of each sample. centres: shape (k, columns). within: sum of squares of each cluster; total: of
            all about their mean. found: starts that came to the same sum, to one part in a million.
    """

    codes: Any
    centres: Floats
    within: Floats
    total: float
    found: int


def about_means(x: Floats, k: int, starts: int, seed: int) -> Means:
    """The least sum of squares of so many starts (Lloyd, 1982; Arthur and Vassilvitskii, 2007)."""
    rng = np.random.default_rng(seed)
    best: tuple[float, Any] | None = None
    sums = []
    for _ in range(starts):
        codes, value = _lloyd(x, _begun(x, k, rng))
        sums.append(value)
        if best is None or value < best[0]:
            best = value, codes
    assert best
    codes = renumbered(best[1])
    one = np.eye(int(codes.max()) + 1)[codes]
    centres = (one.T @ x) / one.sum(axis=0)[:, None]
    within = one.T @ ((x - centres[codes]) ** 2).sum(axis=1)
    total = float(((x - x.mean(axis=0)) ** 2).sum())
    least = min(sums)
    return Means(codes, centres, within, total, int(sum(s <= least * (1 + 1e-6) + 1e-12 for s in sums)))


def _begun(x: Floats, k: int, rng: np.random.Generator) -> Floats:
    """Samples far from one another, by chance."""
    places = [int(rng.integers(len(x)))]
    away = ((x - x[places[0]]) ** 2).sum(axis=1)
    for _ in range(k - 1):
        total = float(away.sum())
        at = int(rng.choice(len(x), p=away / total)) if total > 0 else int(rng.integers(len(x)))
        places.append(at)
        away = np.minimum(away, ((x - x[at]) ** 2).sum(axis=1))
    return x[places].copy()


def _lloyd(x: Floats, centres: Floats) -> tuple[Any, float]:
    squares = (x**2).sum(axis=1)
    codes = np.full(len(x), -1)
    for _ in range(300):
        gap = squares[:, None] - 2 * x @ centres.T + (centres**2).sum(axis=1)
        now = gap.argmin(axis=1)
        if (now == codes).all():
            break
        codes = now
        one = np.eye(len(centres))[codes]
        sizes = one.sum(axis=0)
        filled = sizes > 0
        centres[filled] = (one.T @ x)[filled] / sizes[filled, None]
        # a mean that lost its samples goes to the one that lies farthest off
        for g in np.flatnonzero(~filled):
            centres[g] = x[int(gap[np.arange(len(x)), codes].argmax())]
    return codes, float(((x - centres[codes]) ** 2).sum())
