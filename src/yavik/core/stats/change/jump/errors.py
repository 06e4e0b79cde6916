"""How far each row's outcome scatters: by its nearest neighbours on the same side, or by residuals."""

from typing import Literal

import numpy as np

from yavik.core.stats.change.jump.local import Local
from yavik.core.stats.groups import Floats

Se = Literal["nearest", "hc0", "hc1", "hc2", "hc3", "cluster"]
NEIGHBOURS = 3


def neighbour_residuals(u: Floats, y: Floats, least: int = NEIGHBOURS) -> Floats:
    """√(J/(J + 1)) × (outcome − mean of its J nearest others), shape of ``y``.

    Rows of one value are neighbours of each other; whole values are added, the nearer one first and both where they are
    equally near, until there are ``least`` others (Calonico, Cattaneo and Titiunik, 2014).

    Args:
        u: sorted distances of one side, shape (n,). y: shape (n,) or (n, k).
    """
    y2 = y if y.ndim == 2 else y[:, None]
    least = min(least, len(u) - 1)
    values, first, count = np.unique(u, return_index=True, return_counts=True)
    sums = np.add.reduceat(y2, first, axis=0)
    m = len(values)
    n_found, total = count.astype(np.int64), sums.copy()
    left, right = np.arange(m) - 1, np.arange(m) + 1
    while True:
        open_ = np.flatnonzero((n_found - 1 < least) & ((left >= 0) | (right < m)))
        if not len(open_):
            break
        lo, hi, at = left[open_], right[open_], values[open_]
        d_lo = np.where(lo >= 0, at - values[np.maximum(lo, 0)], np.inf)
        d_hi = np.where(hi < m, values[np.minimum(hi, m - 1)] - at, np.inf)
        same = np.isclose(d_lo, d_hi, rtol=1e-6, atol=0)
        for take, source, step in (((d_lo < d_hi) | same, left, -1), ((d_hi < d_lo) | same, right, 1)):
            own = open_[take]
            n_found[own] += count[source[own]]
            total[own] += sums[source[own]]
            source[own] += step
    of = np.repeat(np.arange(m), count)
    others = (n_found - 1)[of].astype(np.float64)
    mean = (total[of] - y2) / np.maximum(others, 1)[:, None]
    out = np.sqrt(others / (others + 1))[:, None] * (y2 - mean)
    return np.asarray(out if y.ndim == 2 else out[:, 0])


def fit_residuals(fit: Local, y: Floats, se: Se) -> Floats:
    """Residuals of the rows within a fit's window, raised as the error asks."""
    e = fit.residuals(y)
    if se == "hc1":
        return np.asarray(e * np.sqrt(fit.n / max(fit.n - fit.basis.shape[1], 1)))
    if se in ("hc2", "hc3"):
        room = np.maximum(1 - fit.leverage, 1e-12)
        scale = np.sqrt(room) if se == "hc2" else room
        return np.asarray(e / (scale[:, None] if e.ndim == 2 else scale))
    return e
