"""The studentised range distribution for many pairs at once.

With W(w) the probability that the range of k standard normals is below w,

    P(Q > q) = ∫ f(s) [1 − W(q s)] ds,     1 − W(w) = k ∫ φ(z) [Φ(z)^(k−1) − (Φ(z) − Φ(z − w))^(k−1)] dz

where s is the root of a χ² over its df. The bracket is −Φ(z)^(k−1) expm1((k−1) log1p(−Φ(z−w)/Φ(z))): a sum of
positive terms, so small tails keep their digits. log(1 − W) is tabulated once per k; the outer integrand is
log-concave in u = log s, so its peak is found by secant steps and a Gauss–Legendre rule is laid over it.
"""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special
from scipy.interpolate import CubicSpline

Floats = npt.NDArray[np.float64]

TOP = 38.0  # beyond this w the tail is below 1e-150 for any k in use
STEP = 0.04
KNOTS = np.arange(0.0, TOP + STEP / 2, STEP)
NODES, WEIGHTS = np.polynomial.legendre.leggauss(96)


@lru_cache(maxsize=64)
def _log_tail(k: int) -> CubicSpline:
    """Spline of log P(range of k normals > w) on [0, TOP]."""
    w = KNOTS
    # For a given w the integrand peaks near z = w/2 (two extremes apart) to z of the largest of k; ±9 around covers
    # it.
    low, high = -8.5, TOP / 2 + 9.0
    z0 = np.polynomial.legendre.leggauss(200)
    z = (high - low) / 2 * z0[0] + (high + low) / 2
    weight = (high - low) / 2 * z0[1]
    log_phi = -0.5 * z**2 - 0.5 * np.log(2 * np.pi)
    log_cdf = special.log_ndtr(z)
    out = np.empty_like(w)
    for start in range(0, len(w), 256):
        block = w[start : start + 256, None]
        ratio = np.minimum(np.exp(special.log_ndtr(z - block) - log_cdf), 1.0)
        with np.errstate(divide="ignore"):
            miss = -np.expm1((k - 1) * np.log1p(-ratio))
        terms = np.log(k) + log_phi + (k - 1) * log_cdf + np.log(np.maximum(miss, 1e-320))
        out[start : start + 256] = special.logsumexp(terms, axis=1, b=weight)
    out[0] = 0.0
    return CubicSpline(w, np.minimum(out, 0.0))


def sf(q: npt.ArrayLike, k: int, df: npt.ArrayLike) -> Floats:
    """P(Q > q) for the range of k means with df degrees of freedom.

    Args:
        q: any shape, ≥ 0.
        k: number of means, ≥ 2.
        df: broadcasts with q; > 1 is meant, infinity is allowed.

    Source: the integral of Hartley (1942); checked against two other routes in ``tests/truth``.
    """
    q, df = np.broadcast_arrays(np.asarray(q, float), np.asarray(df, float))
    shape = q.shape
    q, df = q.ravel(), df.ravel()
    table = _log_tail(k)
    out = np.ones_like(q)
    known = df > 1e6
    out[known] = np.exp(table(np.minimum(q[known], TOP)))
    work = ~known & (q > 0)
    if work.any():
        out[work] = _integrate(q[work], df[work], table)
    return np.clip(out, 0.0, 1.0).reshape(shape)


def _integrate(q: Floats, df: Floats, table: CubicSpline) -> Floats:
    slope = table.derivative()
    log_q = np.log(q)

    def climb(u: Floats) -> Floats:
        """Derivative of the log integrand in u = log s; falls as u grows."""
        w = q * np.exp(u)
        inside = w < TOP
        return np.asarray(df * (1 - np.exp(2 * u)) + np.where(inside, slope(np.minimum(w, TOP)) * w, -0.5 * w**2))

    peak, width = _peak(q, df, climb)
    left = np.minimum(9 * width + 38 / df, 9 * width * (1 + 3 / np.sqrt(df)) + 4 / df + 30 / df * (df < 30))
    right = np.minimum(9 * width, np.maximum(1.0, 9 / np.sqrt(2 * df)))
    # Two panels meet at the peak so that a wide left tail does not thin out the nodes on the right.
    total = np.zeros_like(q)
    log_norm = np.log(2.0) + df / 2 * np.log(df / 2) - special.gammaln(df / 2)
    for a, b in ((peak - left, peak - left / 5), (peak - left / 5, peak), (peak, peak + right)):
        u = (b - a)[:, None] / 2 * NODES + (a + b)[:, None] / 2
        w = np.exp(np.minimum(log_q[:, None] + u, np.log(TOP)))
        log_f = log_norm[:, None] + df[:, None] * (u - np.exp(2 * u) / 2) + table(w)
        total += (np.exp(log_f) @ WEIGHTS) * (b - a) / 2
    return total


def _peak(q: Floats, df: Floats, climb: Callable[[Floats], Floats]) -> tuple[Floats, Floats]:
    """Where the integrand is highest, and about how wide it is there: to place the panels, a hundredth of the width is
    near enough. Far out log(1 − W) falls like −w²/4, which gives a first guess that few secant steps make good."""

    def width(u: Floats) -> Floats:
        return np.asarray(1 / np.sqrt(np.maximum(2 * df * np.exp(2 * u), 1e-12) + _curve(q * np.exp(u))))

    before = -0.5 * np.log1p(q**2 / (2 * df))
    rise = climb(before)
    peak = np.clip(before + rise * width(before) ** 2, -12.0, 1.0)
    for _ in range(6):
        now = climb(peak)
        if np.all(np.abs(now) * width(peak) < 0.01):
            return peak, width(peak)
        with np.errstate(divide="ignore", invalid="ignore"):
            step = now * (peak - before) / (rise - now)
        step = np.where(np.isfinite(step), step, now * width(peak) ** 2)
        before, rise, peak = peak, now, np.clip(peak + step, -12.0, 1.0)
    low, high = np.full_like(q, -12.0), np.full_like(q, 1.0)
    for _ in range(44):
        middle = (low + high) / 2
        up = climb(middle) > 0
        low, high = np.where(up, middle, low), np.where(up, high, middle)
    peak = (low + high) / 2
    return peak, width(peak)


def _curve(w: Floats) -> Floats:
    """About how sharply log(1 − W) bends in u: it falls like −w²/4."""
    return np.minimum(w, TOP) ** 2


def isf(p: float, k: int, df: npt.ArrayLike) -> Floats:
    """The q with P(Q > q) = p: the critical value behind simultaneous intervals."""
    df = np.asarray(df, float)
    flat = np.unique(df)
    if len(flat) > 40 and flat[0] >= 2:
        return _interpolated(p, k, df)
    # Secant steps on log P, which is close to linear in q², kept inside a bracket that only shrinks.
    goal, table = np.log(p), _log_tail(k)
    low, high = np.full_like(flat, 1e-6), np.full_like(flat, 1e6)
    # From the value for infinite df, and what fewer df add to it in the first place.
    far = float(np.interp(-goal, -table(KNOTS), KNOTS))
    a = np.full_like(flat, far)
    b = far * (1 + np.minimum((far**2 / 2 + 1) / (4 * flat), 3.0)) + 1e-3
    f_a, f_b = (np.log(np.maximum(sf(x, k, flat), 1e-300)) - goal for x in (a, b))
    for _ in range(80):
        low, high = np.where(f_b > 0, np.maximum(low, b), low), np.where(f_b < 0, np.minimum(high, b), high)
        with np.errstate(all="ignore"):
            step = np.sqrt(b * b - f_b * (b * b - a * a) / (f_b - f_a))
        step = np.where(np.abs(f_b) < 1e-14, b, step)
        outside = ~((step >= low) & (step <= high))
        step = np.where(outside, np.sqrt(low * np.minimum(high, 4 * np.maximum(low, 1))), step)
        moved = np.abs(step - b)
        a, f_a = b, f_b
        b, f_b = step, np.log(np.maximum(sf(step, k, flat), 1e-300)) - goal
        if np.all((moved < 1e-7 * b) | (np.abs(f_b) < 1e-12)):  # what is left is that to the power of 1.6
            break
    return np.asarray(b[np.searchsorted(flat, df)])


def _interpolated(p: float, k: int, df: Floats) -> Floats:
    """Critical values for many df: log q is smooth in 1/df, so 28 Chebyshev points carry all of them."""
    x = 1 / df
    nodes = np.cos(np.pi * (np.arange(28) + 0.5) / 28)
    middle, half = (x.max() + x.min()) / 2, (x.max() - x.min()) / 2
    values = np.log(isf(p, k, 1 / (middle + half * nodes)))
    fit = np.polynomial.chebyshev.Chebyshev.fit(nodes, values, 27, domain=[-1, 1])
    return np.asarray(np.exp(fit((x - middle) / half)))
