"""Chances of each answer over ability, with their slopes and curvatures by the items' parameters."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy.special import expit

from yavik.core.stats.groups import Floats

Model = Literal["one_parameter", "two_parameter", "three_parameter", "graded"]
TINY = 1e-12


@dataclass(frozen=True)
class Curves:
    """At each node of ability, for items with up to K answers and p parameters; padded entries have chance 0.

    Args:
        chance: shape (J, K, Q). slope: of the chances by the parameters, shape (J, K, p, Q). bend: second
            derivatives, shape
            (J, K, p, p, Q), or None.
    """

    chance: Floats
    slope: Floats
    bend: Floats | None

    @property
    def log_chance(self) -> Floats:
        """Logarithms; those of padded answers are never used."""
        return np.log(np.maximum(self.chance, TINY))

    @property
    def relative(self) -> Floats:
        """Slopes of the logarithms."""
        return np.asarray(self.slope / np.maximum(self.chance, TINY)[:, :, None, :])


def curves(model: Model, beta: Floats, levels: Any, theta: Floats, bend: bool = False) -> Curves:
    """Of all items at once.

    Args:
        beta: shape (J, p): slope and intercept, for three parameters the logit of the floor; graded: slope, then K −
            1 falling
            intercepts. levels: answers of each item, shape (J,).
        theta: abilities, shape (Q,).
    """
    if model == "graded":
        return _graded(beta, levels, theta, bend)
    return _right_wrong(beta, theta, bend, model == "three_parameter")


def _right_wrong(beta: Floats, theta: Floats, bend: bool, floored: bool) -> Curves:
    s = expit(beta[:, :1] * theta + beta[:, 1:2])  # (J, Q)
    g = expit(beta[:, 2:3]) if floored else np.zeros((len(beta), 1))
    p = g + (1 - g) * s
    first = s * (1 - s)
    z = np.stack([theta, np.ones_like(theta)])  # (2, Q)
    up = (1 - g) * first
    parts = [up[:, None, :] * z]
    if floored:
        parts.append((g * (1 - g) * (1 - s))[:, None, :])
    slope = np.concatenate(parts, axis=1)
    chance = np.stack([1 - p, p], axis=1)
    whole = np.stack([-slope, slope], axis=1)
    if not bend:
        return Curves(chance, whole, None)
    second = (1 - g) * first * (1 - 2 * s)
    width = slope.shape[1]
    made = np.zeros((len(beta), width, width, len(theta)))
    made[:, :2, :2] = second[:, None, None, :] * (z[:, None] * z[None])
    if floored:
        dg = g * (1 - g)
        across = -(dg * first)[:, None, :] * z
        made[:, 2, :2], made[:, :2, 2] = across, across
        made[:, 2, 2] = dg * (1 - 2 * g) * (1 - s)
    return Curves(chance, whole, np.stack([-made, made], axis=1))


def _graded(beta: Floats, levels: Any, theta: Floats, bend: bool) -> Curves:
    items, width = beta.shape
    most = width  # a slope and K − 1 intercepts
    steps = np.arange(1, most)
    there = steps[None, :] < np.asarray(levels)[:, None]  # (J, K − 1)
    s = expit(beta[:, :1, None] * theta + beta[:, 1:, None]) * there[:, :, None]  # chance of at least k
    ends = np.concatenate([np.ones((items, 1, len(theta))), s, np.zeros((items, 1, len(theta)))], axis=1)
    chance = ends[:, :-1] - ends[:, 1:]
    first = s * (1 - s)
    up = np.zeros((items, most - 1, width, len(theta)))  # slopes of the chances of at least k
    up[:, :, 0] = first * theta
    up[:, steps - 1, steps] = first
    none = np.zeros((items, 1, width, len(theta)))
    padded = np.concatenate([none, up, none], axis=1)
    slope = padded[:, :-1] - padded[:, 1:]
    if not bend:
        return Curves(chance, slope, None)
    second = first * (1 - 2 * s)
    made = np.zeros((items, most - 1, width, width, len(theta)))
    made[:, :, 0, 0] = second * theta**2
    made[:, steps - 1, 0, steps] = second * theta
    made[:, steps - 1, steps, 0] = second * theta
    made[:, steps - 1, steps, steps] = second
    none2 = np.zeros((items, 1, width, width, len(theta)))
    whole = np.concatenate([none2, made, none2], axis=1)
    return Curves(chance, slope, whole[:, :-1] - whole[:, 1:])


def information(model: Model, beta: Floats, levels: Any, theta: Floats) -> Floats:
    """Fisher information of each item about ability, shape (J, Q): Σ over answers of (dP/dθ)²/P."""
    s = expit(beta[:, :1] * theta + beta[:, 1:2])
    a = beta[:, :1]
    if model == "graded":
        steps = np.arange(1, beta.shape[1])
        there = (steps[None, :] < np.asarray(levels)[:, None])[:, :, None]
        at_least = expit(a[:, :, None] * theta + beta[:, 1:, None]) * there
        up = a[:, :, None] * at_least * (1 - at_least)
        none = np.zeros((len(beta), 1, len(theta)))
        ends = np.concatenate([none, up, none], axis=1)
        change = ends[:, :-1] - ends[:, 1:]
        chance = curves(model, beta, levels, theta).chance
        return np.asarray((change**2 / np.maximum(chance, TINY)).sum(axis=1))
    g = expit(beta[:, 2:3]) if model == "three_parameter" else np.zeros((len(beta), 1))
    p = g + (1 - g) * s
    return np.asarray(((1 - g) * a * s * (1 - s)) ** 2 / np.maximum(p * (1 - p), TINY))


def expected(chance: Floats) -> Floats:
    """Expected answer of each item, 0 for its lowest, shape (J, Q)."""
    return np.asarray((chance * np.arange(chance.shape[1])[None, :, None]).sum(axis=1))
