"""Whether rows pile up on one side of a cut-off: tests of a jump of their density."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats.change.jump.bandwidths import PILOT
from yavik.core.stats.change.jump.local import Kernel, Local, TooFew, local
from yavik.core.stats.groups import Floats


@dataclass(frozen=True)
class Densities:
    """Densities at the cut-off from the left and right, and the test that they are one.

    Args:
        left, right: without the bias of curvature; se of their difference.
        h: windows, left and right. n: rows within.
    """

    left: float
    right: float
    se: float
    z: float
    p: float
    h: tuple[float, float]
    n: tuple[int, int]


def local_density(u: Floats, kernel: Kernel = "triangular", h: tuple[float, float] | None = None) -> Densities:
    """The slope at the cut-off of a local polynomial through the distribution function (Cattaneo, Jansson and Ma,
    2020).

    A parabola gives the window, a cubic in the same window the densities and the error, so that the bias of
    curvature is
    out. Errors from what each row adds to the difference.

    Args:
        u: sorted distances from the cut-off, shape (n,).

    Raises:
        TooFew: where a side has too few different distances.
    """
    f = empirical(u)
    at = int(np.searchsorted(u, 0.0, "left"))
    h = h or density_window(u, f, kernel)
    fits = [local(u[:at], h[0], kernel, 3), local(u[at:], h[1], kernel, 3)]
    rows = [_weights(len(u), fits[0], 0), _weights(len(u), fits[1], at)]
    left, right = (float(r @ f) for r in rows)
    added = _added(rows[1] - rows[0], f)
    se = float(np.sqrt((added**2).sum()))
    z = (right - left) / se if se > 0 else np.nan
    return Densities(left, right, se, z, float(2 * special.ndtr(-abs(z))), h, (fits[0].n, fits[1].n))


def empirical(u: Floats) -> Floats:
    """The distribution function at each row: the share of rows not above it, the row itself by half."""
    n = len(u)
    return np.asarray((np.searchsorted(u, u, "left") + np.searchsorted(u, u, "right")) / (2 * n))


def _weights(n: int, fit: Local, start: int) -> Floats:
    """Weights that make the slope out of the distribution function, shape (n,)."""
    out = np.zeros(n)
    out[start + fit.rows.start : start + fit.rows.stop] = fit.row(1)
    return out


def _added(weights: Floats, f: Floats) -> Floats:
    """What each row adds to Σ weights × distribution function: its own part of every value from its place on."""
    n = len(weights)
    tail = np.cumsum(weights[::-1])[::-1]
    part = (tail - weights / 2) / n
    return part - float(weights @ f) / n


def density_window(u: Floats, f: Floats, kernel: Kernel) -> tuple[float, float]:
    """The window with the least mean squared error of the difference of the two slopes of parabolas; a plug-in with a
    penalty for curvature that is estimated badly."""
    at, n = int(np.searchsorted(u, 0.0, "left")), len(u)
    reach = (float(-u[0]), float(u[-1]))
    spread = float(np.std(u, ddof=1))
    pilot = min(PILOT[kernel] * spread * n ** (-1 / 9), max(reach))
    variance, bias, penalty = 0.0, 0.0, 0.0
    for side, (s, start) in enumerate(((slice(0, at), 0), (slice(at, n), at))):
        fit = local(u[s], pilot, kernel, 2)
        row = _weights(n, fit, start)
        variance += pilot * float((_added(row, f) ** 2).sum())
        z = u[s][fit.rows] / pilot
        constant = float((fit.weighted @ fit.inverse[1]) @ z**3)
        wide = local(u[s], reach[side], kernel, 4)
        curve = np.zeros(n)
        curve[start + wide.rows.start : start + wide.rows.stop] = wide.row(3)
        bias += (1 if side else -1) * constant * float(curve @ f)
        penalty += 3 * constant**2 * float((_added(curve, f) ** 2).sum())
    h = (variance / max(4 * (bias**2 + penalty), 1e-300)) ** 0.2
    return min(h, reach[0]), min(h, reach[1])


@dataclass(frozen=True)
class Binned:
    """The test by a histogram (McCrary, 2008): the logarithm of the heights' ratio.

    Args:
        bin: width. h: window, of both sides. left, right: densities at the cut-off.
    """

    bin: float
    h: float
    left: float
    right: float
    log_ratio: float
    se: float
    p: float


def binned_density(u: Floats, bin: float | None = None, h: float | None = None) -> Binned:
    """Straight lines through the heights of bins that do not straddle the cut-off.

    Raises:
        TooFew: where a side has too few bins, or a line falls to nought at the cut-off.
    """
    n = len(u)
    width = bin or 2 * float(u.std(ddof=1)) * n**-0.5
    if not width > 0:
        raise TooFew
    first, last = int(np.floor(u[0] / width)), int(np.floor(u[-1] / width))
    if last - first > 20_000:
        raise TooFew
    count = np.bincount(np.floor(u / width).astype(np.int64) - first, minlength=last - first + 1)
    middle = (np.arange(first, last + 1) + 0.5) * width
    height = count / (n * width)
    sides = [middle < 0, middle > 0]
    if min(s.sum() for s in sides) < 5:
        raise TooFew
    h = h or float(np.mean([_window_of(middle[s], height[s]) for s in sides]))
    found = []
    for s in sides:
        x, y = middle[s], height[s]
        z = np.abs(x) / h
        w = np.maximum(1 - z, 0.0)
        if (w > 0).sum() < 2:
            raise TooFew
        root = np.sqrt(w)
        found.append(float(np.linalg.lstsq(np.column_stack([root, root * x]), root * y, rcond=None)[0][0]))
    if min(found) <= 0:
        raise TooFew
    ratio = float(np.log(found[1] / found[0]))
    se = float(np.sqrt(24 / 5 / (n * h) * (1 / found[0] + 1 / found[1])))
    return Binned(width, h, found[0], found[1], ratio, se, float(2 * special.ndtr(-abs(ratio / se))))


def _window_of(x: Floats, y: Floats) -> float:
    """From a polynomial of the fourth degree through a side's heights."""
    span = float(np.ptp(x)) or 1.0
    middle = float(x.mean())
    fit = np.polynomial.Polynomial.fit(x, y, min(4, len(x) - 2), domain=[middle - span / 2, middle + span / 2])
    spread = float(((y - fit(x)) ** 2).sum()) / max(len(x) - 5, 1)
    bend = float((fit.deriv(2)(x) ** 2).sum())
    if bend <= 0:
        raise TooFew
    return float(3.348 * (spread * abs(span) / bend) ** 0.2)


def around(u: Floats, width: float) -> tuple[int, int, float]:
    """Rows within a width on either side of the cut-off, and the exact binomial p that both are as likely."""
    left = int(((u < 0) & (u >= -width)).sum())
    right = int(((u >= 0) & (u <= width)).sum())
    few, n = min(left, right), left + right
    p = 1.0 if n == 0 or left == right else min(1.0, 2 * float(special.bdtr(few, n, 0.5)))
    return left, right, p
