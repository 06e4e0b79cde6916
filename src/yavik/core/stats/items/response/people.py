"""Answers of people put together, and what they say of ability."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.items.response.curves import Curves

REACH = 6.0


@dataclass(frozen=True)
class Answers:
    """Answers of people who answered anything, those alike put together.

    Args:
        codes: shape (patterns, J), 0 for the lowest answer, −1 where empty. counts: people of each pattern, shape
            (patterns,).
        pattern: the pattern of each person. levels: answers of each item, shape (J,).
    """

    codes: Any
    counts: Floats
    pattern: Any
    levels: Any
    chosen: Floats = field(repr=False)
    """One column for each answer of each item, 1 where it was given, shape (patterns, J · K)."""

    @property
    def people(self) -> int:
        """How many."""
        return int(self.counts.sum())

    @property
    def items(self) -> int:
        """How many."""
        return int(self.codes.shape[1])

    @property
    def most(self) -> int:
        """Answers of the item that has most."""
        return int(self.levels.max())

    @cached_property
    def right(self) -> Floats | None:
        """Of right and wrong without empty answers: 1 where right, shape (patterns, J); what is wrong is the rest."""
        if self.most > 2 or (self.codes < 0).any():
            return None
        return np.ascontiguousarray(self.chosen[:, 1::2])


def answers(codes: Any, levels: Any) -> Answers:
    """People with the same answers put together.

    Args:
        codes: shape (people, J), −1 where empty.
    """
    codes = np.ascontiguousarray(codes, np.int16)
    base = int(max(levels)) + 1
    if codes.shape[1] * np.log2(base) < 62:
        key = (codes.astype(np.int64) + 1) @ (base ** np.arange(codes.shape[1], dtype=np.int64))
    else:
        key = codes.view(np.dtype((np.void, codes.dtype.itemsize * codes.shape[1]))).ravel()
    _, first, pattern, counts = np.unique(key, return_index=True, return_inverse=True, return_counts=True)
    own = codes[first]
    most = int(max(levels))
    chosen = (own[:, :, None] == np.arange(most)).reshape(len(own), -1).astype(float)
    return Answers(own, counts.astype(float), pattern.ravel(), np.asarray(levels), chosen)


@dataclass(frozen=True)
class Nodes:
    """Abilities at which the normal distribution is looked at, with its weights."""

    theta: Floats
    weight: Floats


def nodes(count: int) -> Nodes:
    """Evenly spaced between −6 and 6, weighted by the normal density: for curves this smooth as good as any."""
    theta = np.linspace(-REACH, REACH, count)
    weight = np.exp(-(theta**2) / 2)
    return Nodes(theta, weight / weight.sum())


@dataclass(frozen=True)
class Posterior:
    """What answers say of ability: of each pattern its distribution over the nodes, shape (patterns, Q)."""

    over: Floats
    log_likelihood: float
    log_chance: Floats
    """Of each pattern."""


def posterior(a: Answers, c: Curves, at: Nodes) -> Posterior:
    """By Bayes' rule."""
    log = c.log_chance
    if a.right is not None:
        made = a.right @ (log[:, 1] - log[:, 0])
        made += log[:, 0].sum(axis=0)
    else:
        made = a.chosen @ log.reshape(-1, len(at.theta))
    made += np.log(at.weight)
    top = made.max(axis=1, keepdims=True)
    made -= top
    np.exp(made, out=made)
    total = made.sum(axis=1, keepdims=True)
    made /= total
    log_chance = (np.log(total) + top)[:, 0]
    return Posterior(made, float(a.counts @ log_chance), log_chance)


def table_of(a: Answers, weighted: Floats, shape: tuple[int, ...]) -> Floats:
    """How many people are expected at each node with each answer, shape (J, K, Q)."""
    if a.right is None:
        return np.asarray((a.chosen.T @ weighted).reshape(shape))
    right = a.right.T @ weighted
    return np.stack([weighted.sum(axis=0) - right, right], axis=1)
