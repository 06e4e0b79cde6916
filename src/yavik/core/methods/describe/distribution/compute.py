"""Moments and outlying values of each group, as numbers."""

from dataclasses import dataclass

import numpy as np

from yavik.core.methods.kit.shared import far_out
from yavik.core.stats.groups import Groups
from yavik.core.stats.moments import Moments, moments
from yavik.core.stats.normality import grubbs, shape_errors


@dataclass(frozen=True)
class Shape:
    """Moments of one group; the standard errors of its skewness and kurtosis under normality."""

    name: str
    moments: Moments
    se_skewness: float
    se_kurtosis: float


@dataclass(frozen=True)
class Outlying:
    """Values of one group beyond the quartiles, and the farthest from its mean by Grubbs.

    Args:
        mild: values beyond 1.5 × IQR with their rows; far: how many lie beyond 3 × IQR.
        farthest: the value farthest from the mean with its row, None without spread. g, p: of Grubbs' test.
    """

    name: str
    mild: list[tuple[float, int]]
    far: int
    farthest: tuple[float, int] | None
    g: float
    p: float


def shapes(g: Groups, alpha: float) -> list[Shape]:
    """Of every group."""
    out = []
    for i, name in enumerate(g.names):
        m = moments(g.part(i), 1 - alpha, g.ordered[i])
        out.append(Shape(name, m, *map(float, shape_errors(m.n))))
    return out


def outlying(g: Groups) -> list[Outlying]:
    """Of every group."""
    out = []
    for i, name in enumerate(g.names):
        y, rows = g.part(i), g.part_rows(i)
        mild, far = far_out(y), far_out(y, 3.0)
        place, size, p = grubbs(y)
        listed = [(float(y[j]), int(rows[j])) for j in np.flatnonzero(mild)]
        farthest = (float(y[place]), int(rows[place])) if place >= 0 else None
        out.append(Outlying(name, listed, int(far.sum()), farthest, float(size), float(p)))
    return out
