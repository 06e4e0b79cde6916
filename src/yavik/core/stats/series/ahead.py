"""What follows a series by its ARIMA model: expectations, and how far they may be off."""

from dataclasses import dataclass

import numpy as np
from scipy import signal

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.arima import Factors, Fitted, Prepared, Profile, slopes
from yavik.core.stats.series.arma import alike, triangular


@dataclass(frozen=True)
class Ahead:
    """For 1 … h points after the last: shape (h,) each, in the series' unit.

    Args:
        se: standard error if the parameters were known; se_full: with their own error, by the delta method.
    """

    mean: Floats
    se: Floats
    se_full: Floats


def ahead(fitted: Fitted, horizon: int, future: Floats | None = None) -> Ahead:
    """Exact expectations given all points.

    Args:
        future: regressors of those points, shape (horizon, k), without drift and mean.
    """
    given = fitted.given
    if horizon < 1:
        return Ahead(np.zeros(0), np.zeros(0), np.zeros(0))
    beyond = _beyond(given, horizon, future)
    mean = _mean(given, fitted.factors, fitted.at, beyond)
    shocks = _spread(fitted, horizon)
    turn = beyond - _of_columns(given, fitted.factors, fitted.at, horizon)[:, 1:]
    gone = len(given.missing)
    base = shocks
    if gone:
        inner = triangular(fitted.at.r[:gone, :gone], np.eye(gone))
        unit = fitted.sigma / given.sizes[:gone]
        base = base + (((turn[:, :gone] * unit) @ inner) ** 2).sum(axis=1)
    full = shocks
    if turn.shape[1]:
        full = full + np.einsum("hi,ij,hj->h", turn, fitted.beta_given, turn)
    free = ~fitted.on_border
    if free.any() and np.isfinite(fitted.variance[np.ix_(free, free)]).all():
        by = slopes(fitted, lambda factors, at: _mean(given, factors, at, beyond))[:, free]
        full = full + np.einsum("hi,ij,hj->h", by, fitted.variance[np.ix_(free, free)], by)
    return Ahead(mean, np.sqrt(base), np.sqrt(np.maximum(full, base)))


def expected(fitted: Fitted, horizon: int, future: Floats | None = None) -> Floats:
    """Expectations alone, as ``ahead`` has them: shape (horizon,)."""
    return _mean(fitted.given, fitted.factors, fitted.at, _beyond(fitted.given, horizon, future))


def _beyond(given: Prepared, horizon: int, future: Floats | None) -> Floats:
    """Regressors after the end, as ``given.raw`` has them: shape (horizon, k)."""
    n = len(given.values)
    out = np.zeros((horizon, given.raw.shape[1]))
    at = len(given.missing)
    if given.names[:1] == ("drift",):
        out[:, at] = np.arange(n, n + horizon)
        at += 1
    elif given.names[:1] == ("mean",):
        out[:, at] = 1.0
        at += 1
    if future is not None and at < out.shape[1]:
        out[:, at:] = future - given.shift
    return out


def _mean(given: Prepared, factors: Factors, at: Profile, beyond: Floats) -> Floats:
    beta = at.beta * given.scale / given.sizes
    own = _of_columns(given, factors, at, len(beyond))
    return np.asarray(given.level + own[:, 0] + (beyond - own[:, 1:]) @ beta)


def _padded(factors: Factors) -> tuple[Floats, Floats, int]:
    ar, ma = factors.polynomials
    r = max(len(ar), len(ma)) - 1
    return *alike(ar, ma, r), r


def _of_columns(given: Prepared, factors: Factors, at: Profile, horizon: int) -> Floats:
    """What follows the series and each regressor if it were one: shape (horizon, 1 + k), in their own units."""
    ar, ma, r = _padded(factors)
    n = len(given.w)
    columns = np.column_stack([given.w, given.x])
    levels = np.column_stack([given.values, given.raw])
    units = np.append(given.scale, given.sizes)
    differences = given.order.differences
    back = len(differences) - 1
    out = np.zeros((horizon, columns.shape[1]))
    for j in range(columns.shape[1]):
        follows = np.zeros(horizon)
        if r:
            before = at.white.root @ at.white.rows[n:, j]
            _, end = signal.lfilter(ar, ma, columns[:, j], zi=-before)
            follows = _of_state(ar, -end, horizon) * units[j]
        if back:
            start = signal.lfiltic([1.0], differences, levels[::-1, j][:back])
            follows, _ = signal.lfilter([1.0], differences, follows, zi=start)
        out[:, j] = follows
    return out


def _of_state(ar: Floats, state: Floats, horizon: int) -> Floats:
    """Expectations of the next points from the state at the end."""
    into = np.zeros(horizon)
    into[: min(len(state), horizon)] = state[:horizon]
    return np.asarray(signal.lfilter([1.0], ar, into))


def _spread(fitted: Fitted, horizon: int) -> Floats:
    """Variances by the shocks to come, and by what is not known of the first state: shape (horizon,)."""
    ar, ma, r = _padded(fitted.factors)
    start = np.zeros(horizon)
    start[0] = 1.0
    back = np.convolve(ar, fitted.order.differences)
    psi = signal.lfilter(ma, back, start)
    out = np.cumsum(psi**2)
    if r:
        n = len(fitted.given.w)
        white = fitted.at.white
        half: Floats = triangular(white.factor, white.root.T, lower=True).T
        ends = np.empty((r, half.shape[1]))
        zeros = np.zeros(n)
        for j in range(half.shape[1]):
            _, end = signal.lfilter(ar, ma, zeros, zi=-half[:, j])
            ends[:, j] = -end
        into = np.zeros((horizon, half.shape[1]))
        into[: min(r, horizon)] = ends[:horizon]
        out = out + (signal.lfilter([1.0], back, into, axis=0) ** 2).sum(axis=1)
    return np.asarray(out * fitted.sigma**2)
