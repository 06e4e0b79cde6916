"""Permutation tests: how often a division of the values by chance separates the groups as much as the one seen."""

from collections.abc import Callable
from dataclasses import dataclass
from math import comb

import numpy as np

from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats, Groups

DRAWS = 9999
MOST_LISTED = 20_000
"""Divisions up to which all are looked at, and p is exact."""
CELLS = 2_000_000
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Permuted:
    """``draws`` divisions looked at; exact when these are all there are. With chance draws p = (hits + 1)/(draws + 1)."""

    p: float
    draws: int
    exact: bool


def _nothing(_share: float) -> None:
    return None


def _p(hits: int, draws: int) -> float:
    return (hits + 1) / (draws + 1)


def two_samples(
    a: Floats, b: Floats, alternative: Alternative, draws: int, seed: int, progress: Progress = _nothing
) -> Permuted:
    """Difference of two means; only the smaller sample is drawn, many draws at once."""
    pooled = np.concatenate([a, b])
    pooled = pooled - pooled.mean()
    n, small = len(pooled), min(len(a), len(b))
    sign = 1.0 if len(a) <= len(b) else -1.0
    seen = sign * float(pooled[: len(a)].sum() if len(a) <= len(b) else pooled[len(a) :].sum())
    slack = 1e-9 * max(float(np.abs(pooled).sum()), 1e-300)

    def hits(sums: Floats) -> int:
        moved = sign * sums
        if alternative == "two_sided":
            return int((np.abs(moved) >= abs(seen) - slack).sum())
        return int((moved >= seen - slack).sum() if alternative == "greater" else (moved <= seen + slack).sum())

    if comb(n, small) <= MOST_LISTED:
        from itertools import combinations

        every = np.array(list(combinations(range(n), small)))
        return Permuted(hits(pooled[every].sum(axis=1)) / len(every), len(every), True)
    rng, found, done = np.random.default_rng(seed), 0, 0
    while done < draws:
        block = min(draws - done, max(1, CELLS // n))
        if n <= 4000:
            keys = rng.random((block, n), dtype=np.float32)
            chosen = np.argpartition(keys, small - 1, axis=1)[:, :small]
            sums = pooled[chosen].sum(axis=1)
        else:
            sums = np.array([pooled[rng.choice(n, small, replace=False, shuffle=False)].sum() for _ in range(block)])
        found += hits(sums)
        done += block
        progress(done / draws)
    return Permuted(_p(found, draws), draws, False)


def several_groups(g: Groups, draws: int, seed: int, progress: Progress = _nothing) -> Permuted:
    """The classical F over k groups: Σ (sum of a group)²/n orders divisions as F does."""
    y = g.y - g.y.mean()
    seen = _between(np.add.reduceat(y, g.starts[:-1])[None, :], g)
    rng, found, done, n = np.random.default_rng(seed), 0, 0, len(y)
    limit = float(seen[0]) * (1 - 1e-9)
    while done < draws:
        block = min(draws - done, max(1, CELLS // n))
        mixed = (
            y[np.argsort(rng.random((block, n), dtype=np.float32), axis=1)]
            if n <= 4000
            else np.stack([rng.permutation(y) for _ in range(block)])
        )
        found += int((_between(np.add.reduceat(mixed, g.starts[:-1], axis=1), g) >= limit).sum())
        done += block
        progress(done / draws)
    return Permuted(_p(found, draws), draws, False)


def _between(sums: Floats, g: Groups) -> Floats:
    return np.asarray((sums**2 / g.n).sum(axis=1))


def within_blocks(values: Floats, draws: int, seed: int, progress: Progress = _nothing) -> Permuted:
    """Treatments shuffled within each block: values of shape (blocks, treatments), none empty."""
    away = values - values.mean(axis=1, keepdims=True)
    seen = float((away.sum(axis=0) ** 2).sum()) * (1 - 1e-9)
    b, k = away.shape
    rng, found, done = np.random.default_rng(seed), 0, 0
    while done < draws:
        block = min(draws - done, max(1, CELLS // (b * k)))
        order = np.argsort(rng.random((block, b, k), dtype=np.float32), axis=2)
        mixed = np.take_along_axis(np.broadcast_to(away, (block, b, k)), order, axis=2)
        found += int(((mixed.sum(axis=1) ** 2).sum(axis=1) >= seen).sum())
        done += block
        progress(done / draws)
    return Permuted(_p(found, draws), draws, False)
