"""Effects of starts at different times: each group by start compared with units that have not started yet.

For units that start at g, at time t: the change since the period before g, less that of units that have not started by
t (Callaway and Sant'Anna, 2021, without covariates). Standard errors from each unit's part in the estimate.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.stats.change.regression import joint
from yavik.core.stats.groups import Floats


@dataclass(frozen=True)
class Cell:
    """One group by start at one period; ``parts`` is what each unit adds to the estimate's error, shape (units,)."""

    start: int
    period: int
    estimate: float
    parts: Floats
    n: int
    others: int


@dataclass(frozen=True)
class Averaged:
    """A weighted mean of cells."""

    label: str
    estimate: float
    se: float
    n: int
    parts: Floats


def together(chosen: list[Averaged], df: float) -> tuple[float, int, float] | None:
    """F, df1 and p of several averages being zero; None where their covariance says nothing.

    T² with df − q + 1 (Hotelling, 1931): plain F rejects too often with as few units as groups by start have.
    """
    q, parts = len(chosen), np.column_stack([a.parts for a in chosen])
    found = joint(np.array([a.estimate for a in chosen]), parts.T @ parts, df) if df >= q else None
    if found is None:
        return None
    f = found[0] * (df - q + 1) / df
    return f, q, float(special.fdtrc(q, df - q + 1, f))


def cells(y: Floats, start: Any) -> list[Cell]:
    """All cells that can be had, periods before the start too.

    Args:
        y: units × periods, NaN where there is no row.
        start: shape (units,), the place of the first treated period; −1 for never.
    """
    units, periods = y.shape
    out = []
    for g in sorted({int(s) for s in start if s > 0}):
        own_all = start == g
        for t in range(periods):
            base = g - 1
            if t == base:
                continue
            later = max(t, base)
            free_all = (start < 0) | (start > later)
            change = y[:, t] - y[:, base]
            here = np.isfinite(change)
            own, free = own_all & here, free_all & here & ~own_all
            if own.sum() < 1 or free.sum() < 1:
                continue
            a, b = change[own], change[free]
            parts = np.zeros(units)
            parts[own] = (a - a.mean()) / np.sqrt(len(a) * max(len(a) - 1, 1))
            parts[free] = -(b - b.mean()) / np.sqrt(len(b) * max(len(b) - 1, 1))
            out.append(Cell(g, t, float(a.mean() - b.mean()), parts, int(own.sum()), int(free.sum())))
    return out


def averaged(label: str, chosen: list[Cell], weights: Floats, clusters: Any) -> Averaged | None:
    """Cells weighted; the units' parts are summed by cluster. Weights are taken as known."""
    if not chosen:
        return None
    w = np.asarray(weights, np.float64) / np.sum(weights)
    parts = sum(v * c.parts for v, c in zip(w, chosen, strict=True))
    g = int(clusters.max()) + 1
    by: Floats = np.bincount(clusters, np.asarray(parts, np.float64), minlength=g).astype(np.float64)
    if g < len(clusters):
        by *= np.sqrt(g / max(g - 1, 1))
    estimate = float(sum(v * c.estimate for v, c in zip(w, chosen, strict=True)))
    return Averaged(label, estimate, float(np.sqrt((by**2).sum())), int(sum(c.n for c in chosen)), by)
