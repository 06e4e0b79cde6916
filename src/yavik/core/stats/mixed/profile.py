"""Profile limits: where the likelihood, with everything else at its best, has fallen by half a quantile of χ²."""

from collections.abc import Callable

import numpy as np
from scipy import special

from yavik.core.stats.mixed.fitting import Maximum, scoring, search, value_at
from yavik.core.stats.mixed.likelihood import Engine

TRIES = 30


def limits(
    engine: Engine,
    top: Maximum,
    place: int,
    restricted: bool,
    alpha: float,
    value_of: Callable[[float], float] = float,
) -> tuple[float, float]:
    """Ends of the interval of one parameter of ``phi`` (χ² with 1 df, no correction at a bound).

    Args:
        value_of: what is told of the parameter.

    Returns:
        Both ends; a bound where the likelihood does not fall enough before it, NaN where it cannot be followed.
    """
    need = float(np.sqrt(special.chdtri(1, alpha)))
    at = float(top.phi[place])
    low, high = engine.bounds[place]
    step = _first_step(engine, top, place, restricted)
    below = _end(engine, top, place, restricted, need, at, -step, low)
    above = _end(engine, top, place, restricted, need, at, step, high)
    return value_of(below) if np.isfinite(below) else below, value_of(above) if np.isfinite(above) else above


def _first_step(engine: Engine, top: Maximum, place: int, restricted: bool) -> float:
    """About two standard errors."""
    turn = engine.jacobian(top.phi)
    info = turn.T @ top.derivatives.information(top.found.covariance if restricted else None) @ turn
    own = float(info[place, place])
    return 2 / np.sqrt(own) if own > 1e-12 else 0.3


def _end(
    engine: Engine, top: Maximum, place: int, restricted: bool, need: float, at: float, step: float, bound: float
) -> float:
    """Secants on the signed root of the fall, which is nearly straight."""
    start = top.phi.copy()

    def fall(value: float) -> float:
        """Root of twice the fall at a value; begins where the last one ended."""
        nonlocal start
        held = {place: value}
        best = scoring(engine, start, restricted, held, close=1e-6)
        if best is None:
            best = search(engine, start, restricted, held)
        if best is None:
            return np.nan
        height = value_at(engine, best, restricted)[0]
        if not np.isfinite(height):
            return np.nan
        start = best
        return float(np.sqrt(max(2 * (top.value - height), 0.0)))

    inner, inner_fall = at, 0.0
    toward = np.sign(step)

    def kept(value: float) -> float:
        """No farther than the bound."""
        return min(value, bound) if toward > 0 else max(value, bound)

    outer = kept(at + step)
    for _ in range(TRIES):
        found = fall(outer)
        if np.isnan(found):
            outer = inner + (outer - inner) / 2
            continue
        if found >= need:
            break
        if outer == bound:
            return bound
        inner, inner_fall = outer, found
        rate = max(found / abs(outer - at), 1e-12)
        away = abs(outer - at)
        outer = kept(at + toward * min(max(1.1 * need / rate, 1.2 * away), 4 * away))
    else:
        return float(np.nan)
    outer_fall = found
    for _ in range(TRIES):
        if abs(outer_fall - need) < 2e-5 * need or abs(outer - inner) < 1e-9 * max(abs(outer), 1e-3):
            return outer
        share = float(np.clip((need - inner_fall) / (outer_fall - inner_fall), 0.02, 0.98))
        middle = inner + share * (outer - inner)
        found = fall(middle)
        if np.isnan(found):
            return float(np.nan)
        if abs(found - need) < 2e-5 * need:
            return middle
        if found < need:
            inner, inner_fall = middle, found
        else:
            outer, outer_fall = middle, found
    return outer
