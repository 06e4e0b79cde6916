"""Ranks from 1, ties at their mean."""

import numpy as np

from yavik.core.stats.grid import grid_of
from yavik.core.stats.groups import Floats, Ints


def mid_ranks(values: Floats) -> Floats:
    """Of values in any order, none of them NaN. Values on a grid are counted, which is quicker than sorting them."""
    grid = grid_of(values) if len(values) else None
    if grid is not None:
        many = np.bincount(grid.cells[0])
        return np.asarray((np.cumsum(many) - (many - 1) / 2)[grid.cells[0]])
    order = np.argsort(values)  # equal values share their rank, whichever comes first
    ranks = np.empty(len(values))
    ranks[order] = mid_ranks_of_sorted(values[order])
    return ranks


def mid_ranks_of_sorted(ordered: Floats) -> Floats:
    """Of values in rising order."""
    many = _runs(ordered)
    return np.asarray(np.repeat(np.cumsum(many) - (many - 1) / 2, many))


Merged = tuple[list[Floats], float]
"""Ranks of each sample's sorted values among all, and Σ(t³ − t) over runs of equal values."""


def merged_ranks(*runs: Floats) -> Merged:
    """Of sorted samples among all of them together. Merging sorted runs takes few passes."""
    every = np.concatenate(runs)
    order = np.argsort(every, kind="stable")
    many = _runs(every[order])
    ranks = np.empty(len(every))
    ranks[order] = np.repeat(np.cumsum(many) - (many - 1) / 2, many)
    t = many[many > 1].astype(np.float64)
    return np.split(ranks, np.cumsum([len(r) for r in runs])[:-1]), float((t * (t * t - 1)).sum())


def placements(a: Floats, b: Floats, merged: Merged | None = None) -> tuple[Floats, Floats]:
    """For each value of one sample how many of the other lie below it, ties half: of ``a`` in ``b``, and turned round.

    Args:
        a, b: sorted values.
        merged: their ranks among both, where they are known already.
    """
    (of_a, of_b), ties = merged or merged_ranks(a, b)
    if not ties:
        return of_a - np.arange(1, len(a) + 1), of_b - np.arange(1, len(b) + 1)
    return of_a - mid_ranks_of_sorted(a), of_b - mid_ranks_of_sorted(b)


def _runs(ordered: Floats) -> Ints:
    """Lengths of runs of equal values."""
    ends = np.flatnonzero(np.append(ordered[1:] != ordered[:-1], True)) + 1 if len(ordered) else np.zeros(0, np.int64)
    return np.diff(ends, prepend=0)
