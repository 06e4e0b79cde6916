"""The same estimates from running sums: kernels are polynomials in the distance, so that every window's fit, bias
and scatter
follow from sums of powers up to its end, whatever the rows between.

Sums begin at the cut-off and only grow; nothing is taken away but beyond a smaller window.
"""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from yavik.core.stats.change.jump.local import Kernel, TooFew
from yavik.core.stats.groups import Floats

SHAPES: dict[Kernel, tuple[float, ...]] = {
    "uniform": (0.5,), "triangular": (1.0, -1.0), "epanechnikov": (0.75, 0.0, -0.75)
}  # fmt: skip
"""Kernels as polynomials in distance ÷ window."""


@dataclass
class Powers:
    """Running sums of a series × powers of distance ÷ reach, made as they are asked for.

    Args:
        t: distance ÷ reach of one side, ascending from the cut-off, shape (n,). series: shape (n,).
    """

    t: Floats
    series: Floats
    sums: list[Floats] = field(default_factory=list)

    def upto(self, rows: int, most: int) -> Floats:
        """Sums over the first rows of the powers 0 to ``most``."""
        if len(self.sums) <= most:
            last = self.series * self.t ** len(self.sums) if self.sums else self.series.astype(np.float64)
            while len(self.sums) <= most:
                self.sums.append(np.cumsum(last))
                last = last * self.t
        return np.array([self.sums[m][rows - 1] if rows else 0.0 for m in range(most + 1)])


@dataclass(frozen=True)
class Weights:
    """Rows' weights as a polynomial in distance ÷ reach, up to a window's end."""

    poly: Floats
    rows: int


class Moments:
    """One side.

    Args:
        t: distances from the cut-off, none below 0, ascending. sign: 1 on the right, −1 on the left.
        y: shape (n, k). near: residuals by neighbours, shape (n, k).
    """

    def __init__(self, t: Floats, y: Floats, near: Floats, sign: int) -> None:
        self.reach = float(t[-1]) or 1.0
        self.t, self.sign = t, sign
        tau = t / self.reach
        self.ones = Powers(tau, np.ones(len(t)))
        self.y = [Powers(tau, y[:, j]) for j in range(y.shape[1])]
        k = y.shape[1]
        self.scatter = {
            (i, j): Powers(tau, near[:, i] * near[:, j]) for i in range(k) for j in range(i, k)
        }  # fmt: skip
        self.steps = np.concatenate([[1], (np.diff(t) > 0).astype(np.int64)]).cumsum()

    def rows(self, h: float) -> int:
        """Rows within a window."""
        return int(np.searchsorted(self.t, h, "right"))

    def weights(self, h: float, kernel: Kernel, degree: int, power: int = 0) -> Weights:
        """That make the coefficient of a power of the signed distance out of the outcome. Raises TooFew."""
        n = self.rows(h)
        inside = (
            int(np.searchsorted(self.t, h, "left")) if kernel != "uniform" else n
        )  # those at the very end weigh nothing
        if inside == 0 or self.steps[inside - 1] <= degree:
            raise TooFew
        shape = np.array(SHAPES[kernel])
        scale = (self.reach / h) ** np.arange(2 * degree + len(shape))
        moments = self.ones.upto(n, len(scale) - 1) * scale
        a = [float(shape @ moments[m : m + len(shape)]) for m in range(2 * degree + 1)]
        gram = np.array([a[r : r + degree + 1] for r in range(degree + 1)])
        size = np.sqrt(np.diag(gram))
        scaled = gram / np.outer(size, size)
        if np.linalg.eigvalsh(scaled)[0] < 1e-13:
            raise TooFew
        one = np.zeros(degree + 1)
        one[power] = 1 / size[power]
        row = np.linalg.solve(scaled, one) / size * self.sign**power / h**power
        poly = np.convolve(shape, row)
        return Weights(poly * (self.reach / h) ** np.arange(len(poly)), n)

    def value(self, w: Weights, j: int = 0) -> float:
        """Weights × outcome."""
        return float(w.poly @ self.y[j].upto(w.rows, len(w.poly) - 1))

    def moment(self, w: Weights, power: int) -> float:
        """Weights × signed distance to a power."""
        sums = self.ones.upto(w.rows, len(w.poly) - 1 + power)[power:]
        return float(w.poly @ sums) * (self.sign * self.reach) ** power

    def squares(self, parts: list[tuple[float, Weights]], share: Floats) -> float:
        """Σ (Σ parts' weights)² × (residuals × share)²."""
        ends = sorted({w.rows for _, w in parts})
        total, before = 0.0, 0
        for end in ends:
            poly: Any = np.zeros(1)
            for factor, w in parts:
                if w.rows >= end:
                    poly = np.polynomial.polynomial.polyadd(poly, factor * w.poly)
            square = np.convolve(poly, poly)
            most = len(square) - 1
            for (i, j), series in self.scatter.items():
                piece = series.upto(end, most) - (series.upto(before, most) if before else 0.0)
                total += float(square @ piece) * float(share[i] * share[j]) * (1 if i == j else 2)
            before = end
        return max(total, 0.0)
