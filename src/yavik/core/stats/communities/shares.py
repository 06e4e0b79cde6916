"""What each taxon adds to how unlike two groups are (Clarke, 1993)."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from yavik.core.stats.communities.unlike import unlike
from yavik.core.stats.groups import Floats

Adding = Literal["bray_curtis", "sorensen", "manhattan"]
"""Dissimilarities that are sums over taxa."""


@dataclass(frozen=True)
class Shares:
    """Of every taxon over all pairs of a sample of one group and one of the other: shape (k,) each.

    Args:
        mean: what it adds to the dissimilarity; sd: over the pairs (n − 1 below), NaN with a single pair.
        first, second: mean amounts in the two groups. whole: mean dissimilarity, the sum of ``mean``.
    """

    mean: Floats
    sd: Floats
    first: Floats
    second: Floats
    whole: float
    pairs: int

    @property
    def order(self) -> Any:
        """Places of the taxa, those that add most first."""
        return np.argsort(-self.mean, kind="stable")

    @property
    def part(self) -> Floats:
        """Share of the whole."""
        return self.mean / self.whole if self.whole > 0 else np.zeros_like(self.mean)


def between(a: Floats, b: Floats, kind: Adding) -> Shares:
    """Args: a, b: amounts of the two groups' samples, shape (n, k) and (m, k)."""
    first, second = a.mean(axis=0), b.mean(axis=0)
    u, v = (a, b) if kind != "sorensen" else ((a > 0).astype(float), (b > 0).astype(float))
    weight = np.ones((len(u), len(v)))
    if kind != "manhattan":
        weight = 1 / (u.sum(axis=1)[:, None] + v.sum(axis=1)[None, :])
    mean, square = np.zeros(u.shape[1]), np.zeros(u.shape[1])
    pairs, part = weight.size, np.empty_like(weight)
    # taxon by taxon, in place: a block of pairs that stays in the processor is what makes this quick
    for k in range(u.shape[1]):
        np.subtract.outer(u[:, k], v[:, k], out=part)
        np.abs(part, out=part)
        part *= weight
        mean[k] = part.mean()
        part -= mean[k]
        square[k] = float(np.vdot(part, part))
    sd = np.sqrt(square / (pairs - 1)) if pairs > 1 else np.full_like(mean, np.nan)
    sd[sd <= 1e-12 * mean] = 0.0
    return Shares(mean, sd, first, second, float(mean.sum()), pairs)


def within(a: Floats, kind: Adding) -> float:
    """Mean dissimilarity of the pairs within a group; NaN with a single sample."""
    return float(unlike(a, kind).mean()) if len(a) > 1 else np.nan
