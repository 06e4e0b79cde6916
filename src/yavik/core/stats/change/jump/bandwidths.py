"""How wide a window: rules that weigh bias against scatter, each from its published formula."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.change.jump.errors import fit_residuals
from yavik.core.stats.change.jump.estimate import Pair, Sorted
from yavik.core.stats.change.jump.local import Kernel, Local, TooFew, local
from yavik.core.stats.groups import Floats

PILOT = {"triangular": 2.576, "uniform": 1.843, "epanechnikov": 2.34}
EDGE = {"triangular": 3.4375, "uniform": 5.40, "epanechnikov": 3.1999}
"""Constants of the optimal window at an edge (Imbens and Kalyanaraman, 2012)."""


@dataclass(frozen=True)
class Parts:
    """Of one coefficient on one side: scatter, bias, and the penalty for a bias that is estimated badly."""

    variance: float
    bias: float
    penalty: float


@dataclass(frozen=True)
class Windows:
    """A rule's windows of the estimate and of its bias, left and right."""

    h: Pair
    b: Pair


def _errors(d: Sorted, s: slice, fit: Local) -> Floats:
    if d.se == "nearest":
        return np.asarray(d.near[s][fit.rows][:, 0])
    return fit_residuals(fit, d.centred[s][fit.rows][:, 0], "hc0" if d.se == "cluster" else d.se)


def _parts(
    d: Sorted, side: int, kernel: Kernel, degree: int, power: int, wide: int, h_v: float, h_b: float, penal: bool
) -> Parts:
    """Of the coefficient of a power in a polynomial of a degree, with its curvature from one of degree ``wide``."""
    if d.quick:
        return _quick_parts(d, side, kernel, degree, power, wide, h_v, h_b, penal)
    s = d.sides[side]
    u = d.u[s]
    fit = local(u, h_v, kernel, degree)
    row = fit.row(power)
    e = _errors(d, s, fit)
    variance = float(((row * e) ** 2).sum())
    z = u[fit.rows] / h_v
    constant = float((fit.weighted @ fit.inverse[power]) @ z ** (degree + 1))
    far = local(u, h_b, kernel, wide)
    curve = far.row(degree + 1)
    slope = float(curve @ d.centred[s][far.rows][:, 0])
    penalty = 0.0
    if penal:
        own = _errors(d, s, far)
        penalty = 2 * (degree + 1 - power) * 3 * constant**2 * float(((curve * own) ** 2).sum())
    return Parts(
        (2 * power + 1) * h_v ** (2 * power + 1) * variance,
        np.sqrt(2 * (degree + 1 - power)) * constant * slope,
        penalty,
    )


def _quick_parts(
    d: Sorted, side: int, kernel: Kernel, degree: int, power: int, wide: int, h_v: float, h_b: float, penal: bool
) -> Parts:
    """The same from running sums."""
    m, one = d.moments[side], np.ones(1)
    row, curve = m.weights(h_v, kernel, degree, power), m.weights(h_b, kernel, wide, degree + 1)
    constant = m.moment(row, degree + 1) * h_v ** (power - degree - 1)
    penalty = 2 * (degree + 1 - power) * 3 * constant**2 * m.squares([(1.0, curve)], one) if penal else 0.0
    return Parts(
        (2 * power + 1) * h_v ** (2 * power + 1) * m.squares([(1.0, row)], one),
        np.sqrt(2 * (degree + 1 - power)) * constant * m.value(curve),
        penalty,
    )


def _window(parts: tuple[Parts, Parts], rate: int) -> float:
    """Of both sides together: the bias of the jump is the difference of the sides' biases."""
    left, right = parts
    below = (right.bias - left.bias) ** 2 + left.penalty + right.penalty
    return float(((left.variance + right.variance) / max(below, 1e-300)) ** (1 / rate))


def _own(part: Parts, rate: int) -> float:
    return float((part.variance / max(part.bias**2 + part.penalty, 1e-300)) ** (1 / rate))


def mse(d: Sorted, kernel: Kernel, degree: int = 1, two_sided: bool = False) -> Windows:
    """The window with the least mean squared error, in three steps (Calonico, Cattaneo and Titiunik, 2014).

    A pilot of 2.576 (triangular) × the lesser of SD and IQR ÷ 1.349 × n^(−1/5); the bias' own bias from the whole side;
    then the window of the bias, then that of the estimate, each with a penalty for a bias that is estimated badly.
    """
    u, (p, q) = d.u, (degree, degree + 1)
    iqr = float(np.subtract(*np.percentile(u, [75, 25]))) / 1.349
    spread = min(float(u.std(ddof=1)), iqr) if iqr > 0 else float(u.std(ddof=1))
    reach = (float(-u[0]), float(u[-1]))
    pilot = min(PILOT[kernel] * spread * len(u) ** -0.2, max(reach))

    def step(order: int, power: int, wide: int, h_b: Pair, penal: bool) -> Pair:
        """One window, or one on each side."""
        pair = tuple(_parts(d, side, kernel, order, power, wide, pilot, h_b[side], penal) for side in (0, 1))
        if two_sided:
            return min(_own(pair[0], 2 * order + 3), reach[0]), min(_own(pair[1], 2 * order + 3), reach[1])
        found = min(_window((pair[0], pair[1]), 2 * order + 3), max(reach))
        return found, found

    whole = (reach[0], reach[1])
    first = step(q + 1, q + 1, q + 2, whole, False)
    b = step(q, p + 1, q + 1, first, True)
    return Windows(step(p, 0, q, b, True), b)


def coverage(found: Windows, n: int, degree: int) -> Windows:
    """Narrower windows whose interval misses its level least (Calonico, Cattaneo and Farrell, 2020)."""
    p, q = degree, degree + 1
    at_h, at_b = n ** -(p / ((3 + p) * (3 + 2 * p))), n ** -(q / ((3 + q) * (3 + 2 * q)))
    return Windows((found.h[0] * at_h, found.h[1] * at_h), (found.b[0] * at_b, found.b[1] * at_b))


def plug_in(d: Sorted, kernel: Kernel) -> float:
    """Imbens and Kalyanaraman (2012), for straight lines, step by step.

    Raises:
        TooFew: where a step has too few rows.
    """
    u, y, n = d.u, d.centred[:, 0], len(d.u)
    left, right = d.sides
    h1 = 1.84 * float(u.std(ddof=1)) * n**-0.2
    near = [y[s][np.abs(u[s]) <= h1] for s in (left, right)]
    if min(map(len, near)) < 2:
        raise TooFew
    density = sum(map(len, near)) / (2 * n * h1)
    spread = [float(v.var(ddof=1)) for v in near]
    third = float(np.linalg.lstsq(np.column_stack([u >= 0, np.vander(u, 4)]), y, rcond=None)[0][1]) * 6
    curves, penalties = [], []
    for s, var in zip((left, right), spread, strict=True):
        h2 = 3.56 * (var / (density * max(third**2, 0.01))) ** (1 / 7) * len(u[s]) ** (-1 / 7)
        own = np.abs(u[s]) <= h2
        if len(np.unique(u[s][own])) < 3:
            raise TooFew
        curves.append(2 * float(np.linalg.lstsq(np.vander(u[s][own], 3), y[s][own], rcond=None)[0][0]))
        penalties.append(2160 * var / (float(own.sum()) * h2**4))
    below = density * ((curves[1] - curves[0]) ** 2 + sum(penalties))
    return float(EDGE[kernel] * (sum(spread) / max(below, 1e-300)) ** 0.2 * n**-0.2)
