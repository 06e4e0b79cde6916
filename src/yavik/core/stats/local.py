"""Local linear regression: a smooth curve through points."""

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]


def local_line(x: Floats, y: Floats, at: Floats, span: float) -> Floats:
    """Weighted straight lines through the nearest ``span`` of the points, tricube weights, no robustness rounds
    (Cleveland, 1979).

    Args:
        x, y: shape (n,), finite.
        at: shape (m,), the places wanted.
        span: share of the points that each line looks at, above 0; beyond 1 all of them.

    Returns:
        Shape (m,); NaN where fewer than two different x lie within reach.
    """
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    n = len(x)
    k = int(np.clip(np.ceil(span * n - 1e-9), 2, n)) if n >= 2 else n
    out = np.full(len(at), np.nan)
    for i, place in enumerate(at):
        left = _nearest(x, place, k)
        right = left + k
        away = np.abs(x[left:right] - place)
        reach = max(place - x[left], x[right - 1] - place)
        if reach <= 0:
            same = away == 0
            out[i] = y[left:right][same].mean()
            continue
        w = np.clip(1 - (away / reach) ** 3, 0, None) ** 3
        dx, v = x[left:right] - place, y[left:right]
        sw = w.sum()
        if sw <= 0:
            continue
        mx, my = (w @ dx) / sw, (w @ v) / sw
        sxx = w @ (dx - mx) ** 2
        slope = (w @ ((dx - mx) * (v - my))) / sxx if sxx > 1e-12 * reach**2 * sw else 0.0
        out[i] = my - slope * mx
    return out


def _nearest(x: Floats, place: float, k: int) -> int:
    """Where the k values of sorted ``x`` nearest to ``place`` begin: a search by halves, as the window only ever
    moves on."""
    low, high = 0, len(x) - k
    while low < high:
        middle = (low + high) // 2
        if place - x[middle] > x[middle + k] - place:
            low = middle + 1
        else:
            high = middle
    return low
