"""Values that lie on a grid, as measures with few decimals and counts do: cells instead of doubles."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.groups import Floats, Ints

MOST_CELLS = 1 << 22
CELLS_PER_VALUE = 8
"""Beyond it, going through the cells takes longer than sorting the values."""
MOST_DECIMALS = 9
LOOKED_AT = 1000


@dataclass(frozen=True)
class Grid:
    """
    Args:
        cells: of each sample, its values as places from its lowest one.
        first: the lowest value of each, as a whole number.
        step: that all share, in whole numbers.
        power: values are whole numbers over this power of ten.
    """

    cells: tuple[Ints, ...]
    first: tuple[int, ...]
    step: int
    power: float


def grid_of(*parts: Floats) -> Grid | None:
    """The common grid of samples, none of them empty; None where they lie on none, or on one of too many cells."""
    largest = max(float(np.abs(p).max()) for p in parts)
    reach = sum(float(p.max() - p.min()) for p in parts)
    for d in range(MOST_DECIMALS + 1):
        power = 10.0**d
        if largest * power > 2.0**52:
            return None
        if all(_whole(p[:: max(1, len(p) // LOOKED_AT)], power) for p in parts):
            break
    else:
        return None
    if not all(_whole(p, power) for p in parts):
        return None
    whole = [np.rint(p * power).astype(np.int64) for p in parts]
    away = [w - w.min() for w in whole]
    step = int(np.gcd.reduce([_step(a) for a in away])) or 1
    if reach * power / step >= min(MOST_CELLS, CELLS_PER_VALUE * sum(map(len, parts))):
        return None
    return Grid(tuple(a // step if step > 1 else a for a in away), tuple(int(w.min()) for w in whole), step, power)


def _step(away: Ints) -> int:
    """What all distances are multiples of; of many values mostly told by a few."""
    few = int(np.gcd.reduce(away[:: max(1, len(away) // LOOKED_AT)]))
    return few if few == 1 else int(np.gcd.reduce(away))


def _whole(values: Floats, power: float) -> bool:
    """Whether values are the very doubles of whole numbers over a power of ten."""
    return bool((np.rint(values * power) / power == values).all())
