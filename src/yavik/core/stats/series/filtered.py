"""One-step errors of smoothing models whose parts add up, by a linear filter instead of a recursion in steps.

What is expected is then a straight function of the past: the error's part in level, slope and season is

    1 + αL/(1 − L) + φβL/((1 − φL)(1 − L)) + γLᵐ/(1 − Lᵐ)

of the errors (L takes the value before), so that they are the series without its first states, filtered by its inverse
(Hyndman, Koehler, Ord and Snyder, 2008, chapter 11). Sets that differ in their first states alone share a filter.
"""

import numpy as np
from scipy.signal import lfilter

from yavik.core.stats.groups import Floats


def filtered_errors(y: Floats, weights: Floats, firsts: Floats, season: Floats, trending: bool) -> Floats:
    """What each parameter set leaves of a series, in the series' unit.

    Args:
        y: shape (n,).
        weights: α, β, φ and γ of each set, shape (B, 4).
        firsts: level and slope before the first point, shape (B, 2).
        season: its first m states in the order of its points, shape (B, m); m = 1 where there is none.
        trending: whether there is a slope.

    Returns:
        Shape (B, n); not finite where a set lets the errors grow without end.
    """
    n, m = len(y), season.shape[1]
    left = y - np.take(season, np.arange(n) % m, axis=1) - firsts[:, :1]
    if trending:
        left -= firsts[:, 1:] * np.cumsum(weights[:, 2:3] ** np.arange(1, n + 1), axis=1)
    out: Floats = np.empty_like(left)
    different, which = np.unique(weights, axis=0, return_inverse=True)
    for i, (above, below) in enumerate(zip(*_inverses(different, m, trending), strict=True)):
        rows = which.ravel() == i
        out[rows] = lfilter(above, below, left[rows], axis=1)
    return out


def _inverses(weights: Floats, m: int, trending: bool) -> tuple[Floats, Floats]:
    """The two polynomials in L of each filter, (1 − L)(1 − φL)(1 − Lᵐ) and what it divides."""
    alpha, beta, phi, gamma = (weights[:, k, None] for k in range(4))
    phi = phi if trending else np.zeros_like(phi)
    level, around = np.array([1.0, -1.0]), np.zeros(m + 1)
    around[0] = 1.0
    if m > 1:
        around[m] = -1.0

    def placed(part: Floats, at: int) -> Floats:
        out = np.zeros(m + 3)
        out[at : at + len(part)] = part
        return out

    both = np.convolve(level, around)[: m + 2]
    above = placed(both, 0) - phi * placed(both, 1)
    below = above + alpha * (placed(around, 1) - phi * placed(around, 2)) + phi * beta * placed(around, 1)
    if m > 1:
        below = below + gamma * (placed(level, m) - phi * placed(level, m + 1))
    return above, below
