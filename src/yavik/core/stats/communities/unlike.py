"""How unlike samples are: transformations, standardisation, and dissimilarities of every pair.

Samples are rows, taxa columns; amounts are 0 and more. Pairs stand condensed, as (0, 1), (0, 2) … (1, 2) …
"""

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
from scipy.spatial.distance import pdist

from yavik.core.stats.groups import Floats

Transform = Literal["none", "sqrt", "fourth_root", "log1p", "presence"]
Standard = Literal["none", "sample", "taxon_max"]
Unlike = Literal[
    "bray_curtis",
    "jaccard",
    "sorensen",
    "ruzicka",
    "euclidean",
    "manhattan",
    "canberra",
    "hellinger",
    "chord",
    "gower",
]
BOUNDED = ("bray_curtis", "jaccard", "sorensen", "ruzicka", "canberra", "gower")
"""Those between 0 and 1."""


def transformed(x: Floats, how: Transform) -> Floats:
    """Amounts on another scale; presence is 0 or 1."""
    if how == "sqrt":
        return np.asarray(np.sqrt(x))
    if how == "fourth_root":
        return np.asarray(np.sqrt(np.sqrt(x)))
    if how == "log1p":
        return np.asarray(np.log1p(x))
    return np.asarray((x > 0).astype(float)) if how == "presence" else x


def standardised(x: Floats, ways: Sequence[Standard]) -> Floats:
    """In the order given: samples as shares of their sum, taxa over their largest amount."""
    for way in ways:
        if way == "sample":
            x = x / x.sum(axis=1, keepdims=True)
        elif way == "taxon_max":
            x = x / x.max(axis=0, keepdims=True)
    return x


def unlike(x: Floats, kind: Unlike) -> Floats:
    """Dissimilarity of every pair of samples: shape (n(n − 1)/2,).

    Bray and Curtis: Σ|a − b|/Σ(a + b) (1957). Sørensen is the same of presence, Jaccard 2S/(1 + S) of it; Růžička is
    that of amounts. Canberra: |a − b|/(a + b) averaged over taxa that either sample has. Hellinger: Euclidean of the
    roots of shares; chord: of samples at length 1. Gower: |a − b| over each taxon's range, averaged.

    Args:
        x: shape (n, k), no sample empty where shares or sums are taken.
    """
    if kind in ("bray_curtis", "ruzicka"):
        d = pdist(x, "braycurtis")
        return np.asarray(d if kind == "bray_curtis" else 2 * d / (1 + d))
    if kind in ("sorensen", "jaccard"):
        d = pdist((x > 0).astype(float), "braycurtis")
        return np.asarray(d if kind == "sorensen" else 2 * d / (1 + d))
    if kind == "canberra":
        both = (x > 0).astype(float)
        shared = len(both[0]) - _empty_in_both(both)
        return np.asarray(pdist(x, "canberra") / np.maximum(shared, 1))
    if kind == "hellinger":
        return np.asarray(pdist(np.sqrt(x / x.sum(axis=1, keepdims=True)), "euclidean"))
    if kind == "chord":
        return np.asarray(pdist(x / np.sqrt((x**2).sum(axis=1, keepdims=True)), "euclidean"))
    if kind == "gower":
        size = np.ptp(x, axis=0)
        used = size > 0
        return np.asarray(pdist(x[:, used] / size[used], "cityblock") / max(int(used.sum()), 1))
    return np.asarray(pdist(x, "euclidean" if kind == "euclidean" else "cityblock"))


def any_kind(numbers: Floats, codes: Sequence[Any]) -> Floats:
    """Columns of any kind so that the Manhattan distance of two rows is Gower's (1971) dissimilarity.

    Numbers are taken over their range, levels differ by 0 or 1; both over the number of columns that vary.

    Args:
        numbers: shape (n, k). codes: of each column of levels, shape (n,).
    """
    size = np.ptp(numbers, axis=0) if numbers.size else np.zeros(0)
    parts = [numbers[:, size > 0] / size[size > 0]]
    many = int((size > 0).sum())
    for c in codes:
        _, place = np.unique(c, return_inverse=True)
        if place.max() > 0:
            parts.append(np.eye(int(place.max()) + 1)[place] / 2)
            many += 1
    return np.asarray(np.hstack(parts) / max(many, 1))


def parts_between(a: Floats, b: Floats, kind: Unlike) -> Floats:
    """What each taxon adds to how unlike two samples are, as shares of the whole: shape (k,); zeros where they are
    alike.

    Differences, squared where the dissimilarity is a root of squares. Jaccard and Růžička take the shares of what they
    are made from.
    """
    if kind in ("sorensen", "jaccard"):
        a, b = (a > 0).astype(float), (b > 0).astype(float)
    elif kind == "hellinger":
        a, b = np.sqrt(a / a.sum()), np.sqrt(b / b.sum())
    elif kind == "chord":
        a, b = a / np.sqrt(a @ a), b / np.sqrt(b @ b)
    gap = np.abs(a - b)
    if kind in ("euclidean", "hellinger", "chord"):
        gap = gap**2
    elif kind == "canberra":
        gap = gap / np.where(a + b > 0, a + b, 1.0)
    whole = float(gap.sum())
    return np.asarray(gap / whole if whole > 0 else gap)


def _empty_in_both(there: Floats) -> Floats:
    """Of every pair the taxa that neither sample has: shape (n(n − 1)/2,)."""
    gone = 1 - there
    i, j = np.triu_indices(len(there), 1)
    return np.asarray((gone @ gone.T)[i, j])
