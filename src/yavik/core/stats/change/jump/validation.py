"""The window that foretells best: cross-validation at an edge (Ludwig and Miller, 2007; Imbens and Lemieux, 2008)."""

from math import comb
from typing import Any

import numpy as np

from yavik.core.stats.change.jump.estimate import Sorted
from yavik.core.stats.change.jump.local import Kernel, TooFew
from yavik.core.stats.change.jump.quick import SHAPES
from yavik.core.stats.groups import Floats

TRIED = 25
"""Windows that are looked at."""
MOST_FORETOLD = 4_000
"""Rows that are foretold on each side; more are thinned evenly."""


def cross_validation(d: Sorted, kernel: Kernel, degree: int = 1) -> tuple[float, Floats, Floats]:
    """Each row foretold from those farther off than itself, as if it stood at the cut-off, for the half of each side
    nearest to the cut-off.

    Returns:
        The window of the least mean squared error, the windows tried, and their errors.

    Raises:
        TooFew: where no window has enough rows.
    """
    reach = min(float(-d.u[0]), float(d.u[-1]))
    tried = reach * np.linspace(0.05, 1.0, TRIED)
    errors = np.full(TRIED, np.nan)
    left, right = d.sides
    sides = [
        _Sums(-d.u[left][::-1], d.y[left][::-1, 0], reach, degree),
        _Sums(d.u[right], d.y[right][:, 0], reach, degree),
    ]
    for i, h in enumerate(tried):
        missed = [s.missed(float(h), kernel) for s in sides]
        if all(len(m) for m in missed):
            errors[i] = float(np.concatenate(missed).mean())
    if np.isnan(errors).all():
        raise TooFew
    return float(tried[int(np.nanargmin(errors))]), tried, errors


class _Sums:
    """Running sums of powers of a side's distances, from which every window's fit follows without its rows.

    Args:
        x: ascending distances from the cut-off. y: of the same rows.
    """

    def __init__(self, x: Floats, y: Floats, reach: float, degree: int) -> None:
        self.x, self.y, self.k, self.reach = x / reach, y, degree + 1, reach
        most = 2 * degree + 3
        long = np.vander(self.x.astype(np.longdouble), most, increasing=True)
        self.middle = float(y.mean())
        centred = (y - self.middle)[:, None]
        zero = np.zeros((1, most), np.longdouble)
        self.powers = np.vstack([zero, np.cumsum(long, axis=0)])
        self.with_y = np.vstack([zero, np.cumsum(long * centred, axis=0)])
        half = int(np.searchsorted(self.x, np.median(self.x), "right"))
        self.places = np.unique(np.linspace(0, half - 1, min(half, MOST_FORETOLD)).astype(int))

    def missed(self, h: float, kernel: Kernel) -> Floats:
        """Squared errors of the rows that are foretold from windows of a width."""
        h, k, own = h / self.reach, self.k, self.x[self.places]
        low, high = np.searchsorted(self.x, own, "right"), np.searchsorted(self.x, own + h, "right")
        enough = high - low > k
        places, own, low, high = self.places[enough], own[enough], low[enough], high[enough]
        if not len(places):
            return np.zeros(0)
        shape = SHAPES[kernel]
        cross = self._about(self.powers, own, low, high, h, 2 * k - 2 + len(shape))
        with_y = self._about(self.with_y, own, low, high, h, k - 1 + len(shape))
        gram = np.stack([_shaped(cross, shape, r, k) for r in range(k)], axis=1)
        right = _shaped(with_y, shape, 0, k)
        fine = np.linalg.det(gram / _outer(gram)) > 1e-10
        at = np.linalg.solve(gram[fine], right[fine][..., None])[:, 0, 0] + self.middle
        return np.asarray((self.y[places[fine]] - at) ** 2)

    def _about(self, sums: Any, own: Floats, low: Any, high: Any, h: float, most: int) -> Floats:
        """Sums of ((x − own) ÷ h)^a over windows, a from 0 below ``most``, shape (windows, most)."""
        raw = sums[high] - sums[low]
        out = np.zeros((len(own), most))
        away = -own.astype(np.longdouble)
        for a in range(most):
            whole = sum(comb(a, m) * raw[:, m] * away ** (a - m) for m in range(a + 1))
            out[:, a] = np.asarray(whole, np.float64) / h**a
        return out


def _outer(gram: Floats) -> Floats:
    size = np.sqrt(np.maximum(np.einsum("ijj->ij", gram), 1e-300))
    return np.asarray(size[:, :, None] * size[:, None, :])


def _shaped(sums: Floats, shape: tuple[float, ...], first: int, k: int) -> Floats:
    """Kernel-weighted sums of powers from ``first`` on, shape (windows, k)."""
    return np.asarray(sum(c * sums[:, first + j : first + j + k] for j, c in enumerate(shape)))
