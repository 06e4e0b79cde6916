"""Means of bins on either side of a cut-off: as many as let the scatter of the data show."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.groups import Floats


@dataclass(frozen=True)
class Bins:
    """Bins of one side, empty ones left out.

    Args:
        middle, mean, n: shape (k,). width: of each. made: how many, empty ones too.
    """

    middle: Floats
    mean: Floats
    n: Floats
    width: float
    made: int


def mimicking(x: Floats, y: Floats) -> int:
    """Bins of one width whose means scatter about as the outcome does (Calonico, Cattaneo and Titiunik, 2015).

    Variance of y ÷ mean squared scatter by spacings × n ÷ (log n)².

    Args:
        x: sorted, of one side.
    """
    n, span = len(x), float(x[-1] - x[0])
    if n < 4 or span <= 0:
        return 1
    scatter = float((np.diff(x) * np.diff(y) ** 2).sum()) / (2 * span)
    variance = float(y.var(ddof=1))
    if scatter <= 0 or variance <= 0:
        return 1
    return int(min(np.ceil(variance / scatter * n / np.log(n) ** 2), n, 500))


def binned(x: Floats, y: Floats, edge: float, made: int) -> Bins:
    """Means of bins of one width from the cut-off (0) to the far end; none straddles the cut-off.

    Args:
        x: distances of one side. edge: the far end, below 0 on the left.
    """
    width = abs(edge) / made
    place = np.minimum((np.abs(x) / width).astype(np.int64), made - 1)
    n = np.bincount(place, minlength=made).astype(np.float64)
    total = np.bincount(place, y, minlength=made)
    there = np.flatnonzero(n)
    sign = -1.0 if edge < 0 else 1.0
    middle: Floats = np.asarray(sign * (there + 0.5) * width, np.float64)
    mean: Floats = np.asarray(total[there] / n[there], np.float64)
    rows: Floats = np.asarray(n[there], np.float64)
    return Bins(middle, mean, rows, width, made)
