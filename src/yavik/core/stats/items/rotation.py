"""Rotation of factors to simple structure: orthogonal by planes, oblique by projected gradients or towards a target."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from yavik.core.stats.groups import Floats

Rotation = Literal["none", "varimax", "quartimax", "equamax", "oblimin", "promax"]
OBLIQUE = ("oblimin", "promax")
STARTS = 12
"""Starts of a rotation of three factors and more: from the extracted factors, and from random turns of them."""
SAME = 1e-7
ROUNDS = 3000


@dataclass(frozen=True)
class Rotated:
    """Rotated factors.

    Args:
        pattern: loadings, shape (k, m). phi: correlations of the factors, shape (m, m).
        starts: how many turns were tried; agreeing: how many of them ended at the best simplicity, which is kept.
    """

    pattern: Floats
    phi: Floats
    starts: int = 1
    agreeing: int = 1

    @property
    def structure(self) -> Floats:
        """Correlations of items with factors, shape (k, m)."""
        return np.asarray(self.pattern @ self.phi)

    @property
    def explained(self) -> Floats:
        """Variance that each factor explains together with what it shares with others, shape (m,): their sum is that of
        the communalities."""
        return np.asarray((self.pattern * self.structure).sum(axis=0))


def rotate(
    loadings: Floats, how: Rotation, *, delta: float = 0.0, power: float = 4.0, normalise: bool = True
) -> Rotated:
    """Rotated loadings, the factor that explains most first, each signed so that the cubes of its loadings add up to
    more than 0.

    Args:
        loadings: unrotated, shape (k, m).
        delta: of direct oblimin; 0 is the most oblique that is usual, below it factors become less so.
        power: that promax raises varimax loadings to.
        normalise: rows brought to length one while rotating (Kaiser, 1958).

    Raises:
        ValueError: where oblique factors fall together.
    """
    k, m = loadings.shape
    if m < 2 or how == "none":
        return _in_order(Rotated(loadings, np.eye(m)))
    length = np.sqrt((loadings**2).sum(axis=1))
    scale = np.where(length > 1e-12, length, 1.0) if normalise else np.ones(k)
    a = loadings / scale[:, None]
    if how == "oblimin":
        pattern, phi, starts, agreeing = oblimin(a, delta)
        return _in_order(Rotated(pattern * scale[:, None], phi, starts, agreeing))
    weight = {"quartimax": 0.0, "equamax": m / 2}.get(how, 1.0)
    turned, starts, agreeing = orthomax(a, weight)
    turned = turned * scale[:, None]
    if how == "promax":
        pattern, phi = promax(turned, power)
        return _in_order(Rotated(pattern, phi, starts, agreeing))
    return _in_order(Rotated(turned, np.eye(m), starts, agreeing))


def _in_order(r: Rotated) -> Rotated:
    """Largest factor first; signs by Σ λ³, which large loadings decide and no single item does."""
    order = np.argsort(-r.explained, kind="stable")
    pattern, phi = r.pattern[:, order], r.phi[np.ix_(order, order)]
    sign = np.where((pattern**3).sum(axis=0) < 0, -1.0, 1.0)
    return Rotated(pattern * sign, phi * np.outer(sign, sign), r.starts, r.agreeing)


def turns(m: int, starts: int) -> Floats:
    """Rotations to start from, shape (starts, m, m): none, then random ones, always the same."""
    rng = np.random.default_rng(1)
    q = np.linalg.qr(rng.standard_normal((starts, m, m)))[0]
    q[0] = np.eye(m)
    return np.asarray(q)


def orthomax(a: Floats, weight: float, starts: int | None = None) -> tuple[Floats, int, int]:
    """Loadings at the largest Σ λ⁴ − weight/k Σ (Σ λ²)², with how many starts there were and how many reached it.

    Planes are turned one after another by Kaiser's closed form (1958), which of two factors finds the best outright.

    Args:
        a: shape (k, m). weight: 0 quartimax, 1 varimax, m/2 equamax.
    """
    k, m = a.shape
    tried = starts or (1 if m == 2 else STARTS)
    x = a @ turns(m, tried) if tried > 1 else a[None].copy()  # (starts, k, m)
    for _ in range(ROUNDS):
        most = 0.0
        for i in range(m):
            for j in range(i + 1, m):
                p, q = x[:, :, i], x[:, :, j]
                u, v = p * p - q * q, 2 * p * q
                su, sv = u.sum(axis=1), v.sum(axis=1)
                up = 2 * (u * v).sum(axis=1) - 2 * weight / k * su * sv
                along = (u * u - v * v).sum(axis=1) - weight / k * (su * su - sv * sv)
                angle = np.arctan2(up, along) / 4
                angle[np.hypot(up, along) < 1e-15] = 0.0
                most = max(most, float(np.abs(angle).max()))
                c, s = np.cos(angle)[:, None], np.sin(angle)[:, None]
                x[:, :, i], x[:, :, j] = c * p + s * q, c * q - s * p
        if most < 1e-11:
            break
    simple = (x**4).sum(axis=(1, 2)) - weight / k * ((x**2).sum(axis=1) ** 2).sum(axis=1)
    best = int(np.argmax(np.round(simple, 9)))
    return x[best], tried, int((simple > simple[best] - SAME).sum())


def oblimin(a: Floats, delta: float, starts: int | None = None) -> tuple[Floats, Floats, int, int]:
    """Direct oblimin (Jennrich and Sampson, 1966) by projected gradients (Jennrich, 2002): pattern, factor
    correlations,
    starts and how many of them agree.

    Least Σ over pairs of factors of Σ λ²λ'² − delta/k Σ λ² Σ λ'².

    Raises:
        ValueError: where factors fall together, which a large delta makes.
    """
    k, m = a.shape
    tried = starts or (4 if m == 2 else STARTS)
    t = turns(m, tried)
    other = 1 - np.eye(m)

    def told(t: Floats) -> tuple[Floats, Floats, Floats]:
        """Loadings, the criterion and its slope by t, for every start."""
        inverse = np.linalg.inv(t)
        x = a @ inverse.transpose(0, 2, 1)
        squares = x * x
        less = squares - delta / k * squares.sum(axis=1, keepdims=True)
        crossed = less @ other
        value = (squares * crossed).sum(axis=(1, 2)) / 4
        slope = -(x.transpose(0, 2, 1) @ (x * crossed) @ inverse).transpose(0, 2, 1)
        return x, value, slope

    t, value = _descend(told, t)
    x = told(t)[0]
    phi = t.transpose(0, 2, 1) @ t
    whole = np.isfinite(value) & (np.linalg.eigvalsh(phi)[:, 0] > 1e-4)
    if not whole.any():
        raise ValueError("factors fall together")
    value = np.where(whole, value, np.inf)
    best = int(np.argmin(np.round(value, 9)))
    return x[best], phi[best], tried, int((value < value[best] + SAME).sum())


Told = Callable[[Floats], tuple[Floats, Floats, Floats]]


def _descend(told: Told, t: Floats) -> tuple[Floats, Floats]:
    """Down the slope over columns of length one, for several starts at once: where they end, and how low.

    Steps are those of Barzilai and Borwein (1988), halved until a value falls below the highest of the last few: a
    slope
    then vanishes to the last digits, which a value that must always fall would not allow.
    """

    def slope_of(t: Floats) -> tuple[Floats, Floats]:
        """Values, and slopes along the columns' spheres."""
        _, value, slope = told(t)
        return value, slope - t * (t * slope).sum(axis=1, keepdims=True)

    def moved(t: Floats, along: Floats, step: Floats) -> Floats:
        """A step down, back on the spheres."""
        there = t - step[:, None, None] * along
        return np.asarray(there / np.sqrt((there**2).sum(axis=1, keepdims=True)))

    value, along = slope_of(t)
    recent = np.repeat(value[:, None], 6, axis=1)
    step = 0.5 / np.maximum(np.sqrt((along**2).sum(axis=(1, 2))), 1.0)
    for done in range(ROUNDS):
        size = (along**2).sum(axis=(1, 2))
        busy = np.flatnonzero(size > 1e-22)
        if not len(busy):
            break
        own, top = along[busy], recent[busy].max(axis=1)
        trial = moved(t[busy], own, step[busy])
        now, turned = slope_of(trial)
        for _ in range(25):
            poor = ~(now <= top - 1e-4 * step[busy] * size[busy] + 1e-14)
            if not poor.any():
                break
            step[busy[poor]] /= 3
            trial[poor] = moved(t[busy[poor]], own[poor], step[busy[poor]])
            now[poor], turned[poor] = slope_of(trial[poor])
        way, bend = trial - t[busy], turned - own
        both = (way * bend).sum(axis=(1, 2))
        length = (way**2).sum(axis=(1, 2))
        step[busy] = np.where(both > 1e-30, np.clip(length / np.maximum(both, 1e-30), 1e-4, 1e4), 1.0)
        t[busy], along[busy], value[busy] = trial, turned, now
        recent[busy, done % recent.shape[1]] = now
    return t, value


def promax(varimax: Floats, power: float) -> tuple[Floats, Floats]:
    """Pattern and factor correlations of the turn that comes nearest, in least squares, to varimax loadings raised to
    ``power`` with their signs kept (Hendrickson and White, 1964).

    Args:
        varimax: shape (k, m), rows at their own length.
    """
    target = np.sign(varimax) * np.abs(varimax) ** power
    u = np.linalg.solve(varimax.T @ varimax, varimax.T @ target)
    u = u * np.sqrt(np.diag(np.linalg.inv(u.T @ u)))
    phi = np.linalg.inv(u.T @ u)
    return varimax @ u, np.asarray((phi + phi.T) / 2)
