"""Numbers that pictures of a jump draw."""

from typing import Any

import numpy as np

from yavik.core.methods.change.discontinuity.compute import Discontinuity
from yavik.core.stats.change.jump.local import TooFew, local

MOST_BARS = 120


def edges_of(r: Discontinuity) -> list[tuple[float, float, int]]:
    """Bins of the score from the cut-off outwards: from, to, rows."""
    u = r.study.u
    width = r.histogram.bin if r.histogram else 2 * float(u.std()) * len(u) ** -0.5
    width = max(width, float(u[-1] - u[0]) / MOST_BARS)
    first, last = int(np.floor(u[0] / width)), int(np.floor(u[-1] / width))
    n = np.bincount(np.floor(u / width).astype(np.int64) - first, minlength=last - first + 1)
    c = r.study.cutoff
    return [(c + (first + i) * width, c + (first + i + 1) * width, int(v)) for i, v in enumerate(n)]


def lines_of(r: Discontinuity) -> list[tuple[Any, Any]]:
    """The estimate's polynomial on each side, from the end of the window to the cut-off."""
    assert r.windows
    d, out = r.study.data, []
    for i, s in enumerate(d.sides):
        h = r.windows.h[i]
        try:
            fit = local(d.u[s], h, r.spec.kernel, r.spec.degree)
        except TooFew:
            return []
        coef = fit.inverse @ (fit.weighted.T @ d.y[s][fit.rows][:, 0])
        z = np.linspace(-1, 0, 30) if i == 0 else np.linspace(0, 1, 30)
        reach = min(h, float(-d.u[0]) if i == 0 else float(d.u[-1]))
        z = z * reach / h
        out.append((r.study.cutoff + z * h, np.vander(z, len(coef), increasing=True) @ coef))
    return out
