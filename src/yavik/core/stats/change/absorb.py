"""Own levels of units and of periods taken out of columns, without a column for each of them."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats

TOLERANCE = 1e-11
"""Largest level left in any column, in units of its spread."""
MOST_ROUNDS = 10_000


def demeaned(columns: Floats, codes: Sequence[Any], weights: Floats | None = None) -> Floats:
    """Columns without the means of each grouping, by turns (alternating projections) until none is left.

    One grouping takes one turn, two balanced ones one each.

    Args:
        columns: shape (n, k). codes: groupings of the rows, from 0.
        weights: shape (n,), of rows.

    Raises:
        ValueError: where the turns do not come to an end.
    """
    x = np.array(columns, np.float64, copy=True)
    x -= x.mean(axis=0)  # levels take it out anyway; what is left is judged by its own spread
    size = np.maximum(np.sqrt((x**2).mean(axis=0)), 1e-300)
    w = np.ones(len(x)) if weights is None else weights
    totals = [np.bincount(c, w) for c in codes]
    for _ in range(MOST_ROUNDS):
        left = 0.0
        for c, total in zip(codes, totals, strict=True):
            for j in range(x.shape[1]):
                mean = np.bincount(c, w * x[:, j]) / np.maximum(total, 1e-300)
                x[:, j] -= mean[c]
                left = max(left, float(np.abs(mean).max()) / float(size[j]))
        if len(codes) < 2 or left < TOLERANCE:
            return x
    raise ValueError("the levels of units and periods do not settle")


def independent(columns: Floats, size: Floats, least: float = 1e-8) -> list[int]:
    """Places of columns that do not follow from those before them.

    Args:
        size: of each column before anything was taken out of it, against which what is left is judged.
    """
    norms = np.sqrt(np.einsum("ij,ij->j", columns, columns))
    if (norms > least * np.maximum(size * np.sqrt(len(columns)), 1e-300)).all():
        cross = (columns.T @ columns) / np.outer(norms, norms)
        if columns.shape[1] == 0 or np.linalg.eigvalsh(cross)[0] > 1e-6:
            return list(range(columns.shape[1]))  # far from following from each other: no need to look one by one
    kept: list[int] = []
    basis = np.zeros((len(columns), 0))
    for j in range(columns.shape[1]):
        rest = columns[:, j] - basis @ (basis.T @ columns[:, j])
        rest -= basis @ (basis.T @ rest)
        norm = float(np.linalg.norm(rest))
        if norm > least * max(float(size[j]) * np.sqrt(len(columns)), 1e-300):
            kept.append(j)
            basis = np.column_stack([basis, rest / norm])
    return kept


def rank_of(codes: Sequence[Any]) -> int:
    """How many levels of the groupings are free: one is lost for each connected part where there are two."""
    from scipy import sparse
    from scipy.sparse.csgraph import connected_components

    if len(codes) == 1:
        return int(codes[0].max()) + 1
    a, b = codes
    m, n = int(a.max()) + 1, int(b.max()) + 1
    links = sparse.coo_array((np.ones(len(a)), (a, b + m)), shape=(m + n, m + n))
    return m + n - int(connected_components(links, directed=False)[0])


def leverage(codes: Sequence[Any], weights: Floats | None = None) -> Floats:
    """Diagonal of the hat matrix of the levels of two groupings, shape (n,), without dummies for the larger one."""
    a, b = sorted(codes, key=lambda c: -int(c.max()))
    w = np.ones(len(a)) if weights is None else weights
    m, k = int(a.max()) + 1, int(b.max()) + 1
    cells = np.zeros((m, k))
    np.add.at(cells, (a, b), w)
    total = cells.sum(axis=1)
    share = cells / np.maximum(total, 1e-300)[:, None]
    inner = np.linalg.pinv(np.diag(cells.sum(axis=0)) - cells.T @ share, hermitian=True)
    mixed = share @ inner
    own = np.einsum("ij,ij->i", mixed, share)
    return np.asarray(w * (1 / np.maximum(total[a], 1e-300) + np.diag(inner)[b] - 2 * mixed[a, b] + own[a]))
