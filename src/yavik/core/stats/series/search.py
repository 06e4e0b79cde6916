"""The search for an ARIMA model's maximum: several starts, conditional least squares, the exact likelihood climbed by
its slope, Newton's last steps."""

import warnings
from collections.abc import Sequence

import numpy as np
from scipy import optimize, signal

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.arima import Factors, Fitted, Order, Prepared, Profile, Singular, inside, profile
from yavik.core.stats.series.arma import AR_EDGE, to_partials
from yavik.core.stats.series.slope import shock_turns, slope

FAR = 1e-3
"""Difference of log-likelihoods from which two maxima are told apart."""
STEP = 1e-3
TRIED = 2
NEAR = 0.99
"""Size of a partial correlation from which the border is tried."""
START_POINTS = 5000
"""Points that a start is found from."""
MOST_STEPS = 60


def fit(
    given: Prepared, starts: Sequence[Floats] | None = None, rough: bool = False, nested: Sequence[Fitted] = ()
) -> Fitted:
    """The best maximum that the starts lead to.

    Args:
        starts: places of an earlier search, in place of those found here. rough: without standard errors.
        nested: smaller models of the same differences, at whose best the search starts too, so that a larger model
            never fits worse.

    Raises Singular where nothing is left to fit.
    """
    order = given.order
    if order.parameters == 0:
        return _made(given, np.zeros(0), np.zeros((0, 0)), None, True)
    begun = list(starts or ())
    if starts is None:
        smaller = [grown(one, order) for one in nested]
        begun = [*smaller, *_conditional(given, beginnings(given)[: 2 if smaller else None])]
    near = _best(begun, given)
    if not near:
        raise Singular("no model of this order fits")
    # the best that differ are gone on with: which of them leads furthest does not show at once
    tried = [near[0]]
    for one in near[1:]:
        if one[0] - tried[-1][0] > FAR and len(tried) < TRIED:
            tried.append(one)
    found = sorted((_climbed(given, x) for _, x in tried), key=lambda one: one[0])
    best, x, settled = found[0]
    other = next((v for v, _, _ in found if v - best > 2 * FAR), None)
    x = _snapped(given, x, best)
    if rough:
        return _made(given, x, np.full((len(x), len(x)), np.nan), other, settled)
    hessian = _hessian(given, x)
    return _made(given, _ended(given, x, hessian), hessian, other, settled)


def _snapped(given: Prepared, x: Floats, value: float) -> Floats:
    """Numbers near the border put onto it, where that is no worse: towards it the likelihood is flat, so that a search
    comes to rest before."""
    for i in np.flatnonzero(np.abs(np.sin(x)) >= NEAR):
        moved = x.copy()
        moved[i] = np.pi * (np.round(x[i] / np.pi - 0.5) + 0.5)
        now = _value(given, moved)
        if now <= value + 1e-6:
            x, value = moved, min(value, now)
    return x


def _ended(given: Prepared, x: Floats, hessian: Floats) -> Floats:
    """Newton's last steps off the border, so that digits do not hang on the way that led here."""
    free = np.flatnonzero(inside(x))
    hessian = hessian[np.ix_(free, free)]
    if not len(free) or not np.isfinite(hessian).all() or np.linalg.eigvalsh(hessian)[0] <= 1e-6:
        return x
    value = _value(given, x)
    for _ in range(3):
        now = _sloped(given, x)
        assert now is not None
        move = np.zeros(len(x))
        move[free] = np.linalg.solve(hessian, now[1][free])
        if np.abs(move).max() > 0.1 or not _value(given, x - move) <= value + 1e-9:
            break
        x = x - move
        if np.abs(move).max() < 1e-8:
            break
    return x


def grown(smaller: Fitted, order: Order) -> Floats:
    """The place of a smaller model in the search for a larger one."""
    o = smaller.order
    parts = np.split(smaller.x, np.cumsum([o.p, o.q, o.P]))
    sizes = (order.p, order.q, order.P, order.Q)
    return np.concatenate(
        [np.pad(x, (0, k - len(x)), constant_values=0.02) for x, k in zip(parts, sizes, strict=True)]
    )


def _best(places: Sequence[Floats], given: Prepared) -> list[tuple[float, Floats]]:
    """Places with their −2 ln L, the best first."""
    made = [(_value(given, x), x) for x in places]
    return sorted((one for one in made if np.isfinite(one[0])), key=lambda one: one[0])


def _made(given: Prepared, x: Floats, hessian: Floats, other: float | None, settled: bool) -> Fitted:
    factors = Factors.at(x, given.order)
    at = profile(given, factors)
    if at.s / given.n < 1e-20:
        raise Singular("nothing is left for shocks")
    unit = 2 * given.n * float(np.log(given.scale))
    free = np.flatnonzero(inside(x))
    variance = np.full((len(x), len(x)), np.nan)
    if len(free):
        own = hessian[np.ix_(free, free)]
        if np.isfinite(own).all() and (values := np.linalg.eigvalsh(own))[0] > 1e-8 * max(values[-1], 1.0):
            variance[np.ix_(free, free)] = np.linalg.inv(own / 2)
    told = None if other is None else -(other + unit) / 2
    return Fitted(given, x, factors, at, variance, -(at.deviance(given.n) + unit) / 2, told, settled)


def _try(given: Prepared, x: Floats) -> Profile | None:
    try:
        return profile(given, Factors.at(x, given.order))
    except np.linalg.LinAlgError:
        return None


def _value(given: Prepared, x: Floats) -> float:
    at = _try(given, x)
    return np.inf if at is None else at.deviance(given.n)


def _sloped(given: Prepared, x: Floats) -> tuple[float, Floats, Floats] | None:
    """−2 ln L, its slope, and a first curvature; None off what stands still."""
    at = _try(given, x)
    if at is None:
        return None
    if not len(given.missing):
        return at.deviance(given.n), *slope(given, x, at)
    h = 1e-4
    ends = [(_value(given, x + h * one), _value(given, x - h * one)) for one in np.eye(len(x))]
    rough = slope(given, x, at)[1]
    return at.deviance(given.n), np.array([(a - b) / (2 * h) for a, b in ends]), rough


def _climbed(given: Prepared, x: Floats) -> tuple[float, Floats, bool]:
    """By Broyden, Fletcher, Goldfarb and Shanno from Gauss's and Newton's curvature; −2 ln L, the place, and whether
    the search came to rest there."""
    now = _sloped(given, x)
    if now is None:
        return np.inf, x, False
    value, g, curve = now
    curve = _firm(curve)
    for turn in range(MOST_STEPS):
        move = -np.linalg.solve(curve, g)
        move *= min(1.0, 0.7 / float(np.abs(move).max()))
        step, after = 1.0, None
        while step > 1e-6:
            after = _sloped(given, x + step * move)
            if after is not None and after[0] <= value + 1e-4 * step * float(g @ move) + 1e-10:
                break
            step, after = step / 3, None
        if after is None:
            return value, x, float(np.abs(g).max()) < 0.05
        s, y = step * move, after[1] - g
        gain = value - after[0]
        x, value, g = x + s, after[0], after[1]
        if float(np.abs(g).max()) < 1e-3 or (gain < 1e-8 and float(np.abs(s).max()) < 1e-3):
            return value, x, True
        if turn % 12 == 11:
            curve = _firm(after[2])
        elif float(s @ y) > 1e-12 * float(np.linalg.norm(s) * np.linalg.norm(y)):
            cs = curve @ s
            curve = curve + np.outer(y, y) / float(s @ y) - np.outer(cs, cs) / float(s @ cs)
    return value, x, float(np.abs(g).max()) < 0.05


def _firm(curve: Floats) -> Floats:
    """A curvature that leads downwards in every direction."""
    values, vectors = np.linalg.eigh((curve + curve.T) / 2)
    low = 1e-4 * max(float(values[-1]), 1.0)
    return np.asarray((vectors * np.maximum(values, low)) @ vectors.T)


def _conditional(given: Prepared, starts: Sequence[Floats]) -> list[Floats]:
    """Least squares of shocks alone, those before the start taken as 0: quick, and near the maximum as a rule."""
    o = given.order
    w = given.free
    skip = o.p + o.m * o.P if len(w) > 2 * (o.p + o.m * o.P) + 3 * o.parameters else 0
    seen: dict[bytes, tuple[Factors, Floats]] = {}

    def at(x: Floats) -> tuple[Factors, Floats]:
        key = x.tobytes()
        if key not in seen:
            seen.clear()
            factors = Factors.at(x, o)
            seen[key] = factors, signal.lfilter(*factors.polynomials, w)
        return seen[key]

    def shocks(x: Floats) -> Floats:
        return at(x)[1][skip:]

    def turns(x: Floats) -> Floats:
        factors, e = at(x)
        return np.asarray(Factors.turn(x, o).T @ shock_turns(factors, o, w, e)[:, skip:])

    out = []
    with warnings.catch_warnings():
        # the exact likelihood follows: a search that stops early is gone on with
        warnings.simplefilter("ignore", RuntimeWarning)
        for x in starts:
            out.append(
                np.asarray(
                    optimize.leastsq(shocks, x, Dfun=turns, col_deriv=True, ftol=1e-5, xtol=1e-5, maxfev=40)[0]
                )
            )
    return out


def _hessian(given: Prepared, x: Floats) -> Floats:
    """Second derivatives of −2 ln L, by central differences of its slope."""
    k, h = len(x), STEP
    out = np.zeros((k, k))
    for i, one in enumerate(np.eye(k)):
        up, down = _sloped(given, x + h * one), _sloped(given, x - h * one)
        if up is None or down is None:
            return np.full((k, k), np.nan)
        out[i] = (up[1] - down[1]) / (2 * h)
    return (out + out.T) / 2


def beginnings(given: Prepared) -> list[Floats]:
    """Places to start from: by a long autoregression, near nothing, and where the two sides pull apart."""
    o = given.order
    made = [long_autoregression(given)]
    if not (o.q or o.Q):
        return made
    # partial correlations of −θ, as the search has them: alike on both sides, the two nearly cancel
    sides = np.concatenate([np.ones(o.p), -np.ones(o.q), np.ones(o.P), -np.ones(o.Q)])
    made.append(0.1 * sides)
    if o.parameters > 1:
        made += [0.7 * sides, -0.7 * sides]
    if o.parameters > 2 and (o.p or o.P):
        made += [np.full(o.parameters, 0.9), np.where(np.arange(o.parameters) % 2 == 0, 0.6, -0.4)]
    return made


def long_autoregression(given: Prepared) -> Floats:
    """Shocks by a long autoregression, then the series on its own past and theirs (Hannan and Rissanen, 1982)."""
    o = given.order
    w = given.free[-START_POINTS:]
    n = len(w)
    reach = max(o.p + o.m * o.P, o.q + o.m * o.Q)
    long = min(max(int(np.ceil(1.5 * np.log(n) ** 1.5)), reach + 2), n // 4)
    start = long + reach
    if long < 1 or n - start < 2 * (o.parameters + 2):
        return np.full(o.parameters, 0.1)
    past = _lagged(w, range(1, long + 1), long)
    e = np.concatenate([np.zeros(long), w[long:] - past @ np.linalg.lstsq(past, w[long:], rcond=None)[0]])
    own = [*range(1, o.p + 1), *(o.m * k for k in range(1, o.P + 1))]
    shocks = [*range(1, o.q + 1), *(o.m * k for k in range(1, o.Q + 1))]
    x = np.column_stack([_lagged(w, own, start), _lagged(e, shocks, start)])
    b = np.linalg.lstsq(x, w[start:], rcond=None)[0]
    ar, seasonal_ar, ma, seasonal_ma = np.split(b, np.cumsum([o.p, o.P, o.q]))
    r = [to_partials(ar) / AR_EDGE, to_partials(-ma), to_partials(seasonal_ar) / AR_EDGE, to_partials(-seasonal_ma)]
    return np.asarray(np.arcsin(np.clip(np.concatenate(r), -0.98, 0.98)))


def _lagged(v: Floats, lags: Sequence[int] | range, start: int) -> Floats:
    """v at each lag before places ``start`` …: shape (n − start, lags)."""
    if not len(lags):
        return np.zeros((len(v) - start, 0))
    return np.column_stack([v[start - k : len(v) - k] for k in lags])
