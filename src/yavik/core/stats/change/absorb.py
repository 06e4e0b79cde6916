"""Own levels of units and of periods taken out of columns, without a column for each of them."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats

TOLERANCE = 1e-11
"""Largest level left in any column, in units of its spread."""
MOST_ROUNDS = 10_000
MOST_SOLVED, MOST_CELLS = 500, 20_000_000
"""Levels of the smaller of two groupings, and cells of both, up to which their levels are solved for at once."""


def demeaned(columns: Floats, codes: Sequence[Any], weights: Floats | None = None) -> Floats:
    """Columns without the means of each grouping.

    One grouping takes one turn. The levels of two are solved for at once where the smaller one is small, and taken out
    by turns (alternating projections) until none is left where both are large.

    Args:
        columns: shape (n, k). codes: one or two groupings of the rows, from 0.
        weights: shape (n,), of rows.

    Raises:
        ValueError: where the turns do not come to an end.
    """
    x = np.array(columns, np.float64, copy=True)
    x -= x.mean(axis=0)  # levels take it out anyway; what is left is judged by its own spread
    size = np.maximum(np.sqrt((x**2).mean(axis=0)), 1e-300)
    w = np.ones(len(x)) if weights is None else weights
    turn = _by_turns(codes, w) if len(codes) < 2 else _at_once(codes, w)
    for _ in range(MOST_ROUNDS):
        left = turn(x, size)
        if len(codes) < 2 or left < TOLERANCE:
            return x
    raise ValueError("the levels of units and periods do not settle")


Turn = Callable[[Floats, Floats], float]
"""Takes levels out of columns, in place; returns the largest it met, in units of its column's spread (the second)."""


def _by_turns(codes: Sequence[Any], w: Floats) -> Turn:
    totals = [np.maximum(np.bincount(c, w), 1e-300) for c in codes]

    def turn(x: Floats, size: Floats) -> float:
        left = 0.0
        for c, total in zip(codes, totals, strict=True):
            for j in range(x.shape[1]):
                mean = np.bincount(c, w * x[:, j]) / total
                x[:, j] -= mean[c]
                left = max(left, float(np.abs(mean).max()) / float(size[j]))
        return left

    return turn


def _at_once(codes: Sequence[Any], w: Floats) -> Turn:
    """A turn that solves for the levels of both groupings; the second one takes back what rounding left of them."""
    long, short = _by_length(codes)
    m, k = int(long.max()) + 1, int(short.max()) + 1
    if k > MOST_SOLVED or m * k > MOST_CELLS:
        return _by_turns(codes, w)
    total, share, inner = _solved(long, short, w)

    def turn(x: Floats, size: Floats) -> float:
        left = 0.0
        for j in range(x.shape[1]):
            weighed = w * x[:, j]
            of_long, of_short = np.bincount(long, weighed, m), np.bincount(short, weighed, k)
            late = inner @ (of_short - share.T @ of_long)
            early = of_long / total - share @ late
            x[:, j] -= early[long] + late[short]
            left = max(left, float(np.abs(early).max() + np.abs(late).max()) / float(size[j]))
        return left

    return turn


def _by_length(codes: Sequence[Any]) -> tuple[Any, Any]:
    """Two groupings, the one with more levels first."""
    long, short = sorted(codes, key=lambda c: -int(c.max()))
    return long, short


def _solved(long: Any, short: Any, w: Floats) -> tuple[Floats, Floats, Floats]:
    """Weights of the first grouping's m levels, the shares of the second one's k within them, shape (m, k), and the
    inverse for the levels of the second.

    One level of each connected part is free: the directions that belong to it are nought but for rounding, which must
    not be taken for a link.
    """
    m, k = int(long.max()) + 1, int(short.max()) + 1
    cells = np.asarray(np.bincount(long * k + short, w, m * k), np.float64).reshape(m, k)
    total = np.maximum(cells.sum(axis=1), 1e-300)
    share = cells / total[:, None]
    inner = np.linalg.pinv(np.diag(cells.sum(axis=0)) - cells.T @ share, rcond=1e-12, hermitian=True)
    return total, share, inner


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
    a, b = _by_length(codes)
    w = np.ones(len(a)) if weights is None else weights
    total, share, inner = _solved(a, b, w)
    mixed = share @ inner
    own = np.einsum("ij,ij->i", mixed, share)
    return np.asarray(w * (1 / total[a] + np.diag(inner)[b] - 2 * mixed[a, b] + own[a]))
