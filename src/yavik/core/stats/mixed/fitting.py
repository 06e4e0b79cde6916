"""The maximum of the likelihood: scoring steps from one start, a quasi-Newton search from another, and whether they
agree."""

from dataclasses import dataclass

import numpy as np
from scipy.optimize import minimize

from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.likelihood import Derivatives, Engine, Products

STEPS = 60
CLOSE = 1e-19
"""Rise of the log-likelihood that a further step could still bring, at its end."""
SAME = 1e-5
"""Log-likelihoods of two searches that are taken for one."""


class NotFound(Exception):
    """No parameters with a finite likelihood were found."""


@dataclass(frozen=True)
class Maximum:
    """Where the search ended.

    Args:
        phi, theta: parameters searched over, and the natural ones.
        found: the products there; ``derivatives`` in ``theta``.
        value: the log-likelihood.
        rise: what a further step could still bring, by the expected information: 0 at a maximum.
        flat: places of parameters on their bound.
        agrees: whether the second search ended at the same height.
        other: the height of the second search.
    """

    phi: Floats
    theta: Floats
    found: Products
    derivatives: Derivatives
    value: float
    rise: float
    flat: list[int]
    agrees: bool
    other: float

    @property
    def converged(self) -> bool:
        """A finite maximum, level, found twice."""
        return bool(np.isfinite(self.value) and self.rise < 1e-4 and self.agrees)


def value_at(engine: Engine, phi: Floats, restricted: bool) -> tuple[float, Products | None]:
    """The log-likelihood at ``phi``; −∞ where V is not positive there."""
    try:
        found = engine.products(engine.theta(phi))
        value = found.log_likelihood(engine.n, restricted)
    except (np.linalg.LinAlgError, ValueError, FloatingPointError):
        return -np.inf, None
    return (value, found) if np.isfinite(value) else (-np.inf, None)


@np.errstate(all="ignore")  # places far out overflow; their likelihood is then not finite, and is left
def maximise(engine: Engine, restricted: bool, second: bool = True) -> Maximum:
    """The maximum over all parameters. Raises NotFound."""
    first, *others = engine.starts()
    phi = scoring(engine, first, restricted)
    if phi is None or _rise(engine, phi, restricted) > 1e-4:
        rough = search(engine, first, restricted)
        phi = scoring(engine, rough, restricted) if rough is not None else phi
    if phi is None:
        raise NotFound
    phi = _off_the_floor(engine, phi, restricted)
    value, found = value_at(engine, phi, restricted)
    other = -np.inf
    for start in others if second else []:
        again = search(engine, start, restricted)
        if again is None:
            continue
        height = value_at(engine, again, restricted)[0]
        other = max(other, height)
        if abs(height - value) > SAME:
            better = scoring(engine, again, restricted)
            v = value_at(engine, better, restricted) if better is not None else (-np.inf, None)
            other = max(other, v[0])
            if better is not None and v[0] > value + SAME:
                phi, (value, found) = better, v
    if found is None:
        raise NotFound
    theta = engine.theta(phi)
    d = engine.derivatives(theta, found, restricted)
    agrees = not second or not others or abs(other - value) < max(SAME, 1e-7 * abs(value))
    return Maximum(
        phi, theta, found, d, value, _rise(engine, phi, restricted), engine.flat(phi), bool(agrees), float(other)
    )


@np.errstate(all="ignore")
def scoring(
    engine: Engine, start: Floats, restricted: bool, held: dict[int, float] | None = None, close: float = CLOSE
) -> Floats | None:
    """Steps by the expected information, halved until they rise; None where the likelihood is nowhere finite.

    Args:
        held: parameters that are kept at a value, by place.
        close: the rise that is let go.
    """
    phi = _inside(engine, start)
    for i, v in (held or {}).items():
        phi[i] = v
    value, found = value_at(engine, phi, restricted)
    if found is None:
        return None
    for _ in range(STEPS):
        step, rise = _step(engine, phi, found, restricted, held)
        if rise < close or not np.isfinite(rise):
            break
        for _ in range(25):
            tried = _inside(engine, phi + step)
            height, next_ = value_at(engine, tried, restricted)
            if next_ is not None and height >= value - 1e-12 * abs(value):
                break
            step = step / 2
        else:
            break
        if next_ is None or np.array_equal(tried, phi):
            break
        phi, value, found = tried, height, next_
    return phi


def _step(
    engine: Engine, phi: Floats, found: Products, restricted: bool, held: dict[int, float] | None
) -> tuple[Floats, float]:
    """The scoring step over parameters that can move, and half the rise that it promises."""
    theta, turn = engine.theta(phi), engine.jacobian(phi)
    score, information = engine.scored(theta, found, restricted)
    g, info = turn.T @ score, turn.T @ information @ turn
    step = np.zeros(len(phi))
    free = [i for i in range(len(phi)) if i not in (held or {}) and not _pressed(engine, phi, g, i)]
    if not free:
        return step, 0.0
    if not (np.isfinite(info).all() and np.isfinite(g).all()):
        return step, np.inf
    own = np.diag(info)[free]
    if not (own > 0).all():  # where V is all but singular the information is noise
        return step, np.inf
    size = np.sqrt(own)
    scaled = info[np.ix_(free, free)] / size[:, None] / size[None, :]
    try:
        step[free] = np.linalg.lstsq(scaled + 1e-12 * np.eye(len(free)), g[free] / size, rcond=1e-10)[0] / size
    except np.linalg.LinAlgError:
        return step, np.inf
    return step, float(g[free] @ step[free]) / 2


def _pressed(engine: Engine, phi: Floats, g: Floats, i: int) -> bool:
    """Whether a parameter lies on its bound and would leave it."""
    low, high = engine.bounds[i]
    return bool((phi[i] <= low and g[i] <= 0) or (phi[i] >= high and g[i] >= 0))


def _rise(engine: Engine, phi: Floats, restricted: bool) -> float:
    found = value_at(engine, phi, restricted)[1]
    return np.inf if found is None else _step(engine, phi, found, restricted, None)[1]


def _inside(engine: Engine, phi: Floats) -> Floats:
    low, high = np.array(engine.bounds).T
    return np.clip(np.array(phi, np.float64), low, high)


def _off_the_floor(engine: Engine, phi: Floats, restricted: bool) -> Floats:
    """A component at zero is lifted where the likelihood would rise with it: its SD has no slope there."""
    for i in engine.flat(phi):
        if phi[i] != 0.0:
            continue
        tried = phi.copy()
        tried[i] = 0.05
        better = scoring(engine, tried, restricted)
        if (
            better is not None
            and value_at(engine, better, restricted)[0] > value_at(engine, phi, restricted)[0] + CLOSE
        ):
            return better
    return phi


@np.errstate(all="ignore")
def search(engine: Engine, start: Floats, restricted: bool, held: dict[int, float] | None = None) -> Floats | None:
    """A quasi-Newton search between the bounds (Byrd and others, 1995)."""
    held = held or {}
    free = [i for i in range(len(start)) if i not in held]
    whole = _inside(engine, start)
    for i, v in held.items():
        whole[i] = v
    if not free:
        return whole

    def down(x: Floats) -> tuple[float, Floats]:
        """Minus the log-likelihood, and its slopes."""
        phi = whole.copy()
        phi[free] = x
        value, found = value_at(engine, phi, restricted)
        if found is None:
            return 1e15, np.zeros(len(x))
        theta = engine.theta(phi)
        g = engine.jacobian(phi).T @ engine.score(theta, found, restricted)
        return -value, -g[free]

    if down(whole[free])[0] >= 1e15:
        return None
    bounds = [engine.bounds[i] for i in free]
    ended = minimize(
        down,
        whole[free],
        jac=True,
        method="L-BFGS-B",
        bounds=bounds,
        options={"maxiter": 300, "ftol": 1e-11, "gtol": 1e-6},
    )
    whole[free] = ended.x
    return whole
