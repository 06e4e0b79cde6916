"""Small whole numbers that stand for levels and units: which occur, numbered anew, and which stand together.

Counting takes one pass where sorting takes many; numbers too far apart to be counted are sorted.
"""

from typing import Any

import numpy as np

from yavik.core.stats.groups import Ints

ROOM = 1_000_000
"""Counters that are always afforded, beside four for every row."""


def occurring(codes: Any) -> Ints:
    """The numbers that occur, ascending.

    Args:
        codes: whole numbers, shape (n,).
    """
    codes = np.asarray(codes)
    return np.flatnonzero(np.bincount(codes)) if _near(codes) else np.unique(codes).astype(np.int64)


def _near(codes: Any, rows: int | None = None) -> bool:
    """Whether numbers lie near enough to 0 for a counter each."""
    rows = len(codes) if rows is None else rows
    return bool(len(codes) and codes.min() >= 0 and codes.max() < 4 * rows + ROOM)


def numbered(codes: Any) -> tuple[Ints, Ints]:
    """The numbers that occur, ascending, and each row's place among them.

    Args:
        codes: whole numbers, shape (n,).
    """
    codes = np.asarray(codes)
    there = occurring(codes)
    if not _near(there, len(codes)):
        return there, np.searchsorted(there, codes)
    place = np.zeros(int(there[-1]) + 1, np.int64)
    place[there] = np.arange(len(there))
    return there, place[codes]


def first_of(own: Any, many: int) -> Ints:
    """The first row of each number from 0 to ``many`` − 1, all of which occur."""
    first = np.zeros(many, np.int64)
    first[own[::-1]] = np.arange(len(own))[::-1]
    return first


def paired(a: Any, b: Any) -> Ints:
    """The pairs of numbers that stand in a row together, each once, in order, shape (k, 2)."""
    wide = int(np.max(b, initial=0)) + 1
    return np.column_stack(np.divmod(occurring(np.asarray(a, np.int64) * wide + b), wide))


def lies_within(narrow: Any, wide: Any) -> bool:
    """Whether each number of ``narrow`` stands beside one of ``wide`` alone: desks within their halls."""
    return len(paired(narrow, wide)) == len(occurring(narrow))
