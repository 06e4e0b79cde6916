"""Permutation tests: how often a division of the values by chance separates the groups as much as the one seen."""

from collections.abc import Callable
from dataclasses import dataclass
from math import comb

import numpy as np

from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats, Groups, Ints
from yavik.core.stats.lots import Lots

DRAWS = 9999
MOST_LISTED = 20_000
"""Divisions up to which all are looked at, and p is exact."""
CELLS = 2_000_000
MOST_SHUFFLED = 4000
"""Values up to which each division is made; beyond, only its sums (see ``lots``)."""
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Permuted:
    """``draws`` divisions looked at; exact when these are all there are. With chance draws p = (hits + 1)/(draws +
    1).

    ``ends``: the differences that this very test does not reject, where it was asked for; see ``_ends``.
    """

    p: float
    draws: int
    exact: bool
    ends: tuple[float, float] | None = None


def _nothing(_share: float) -> None:
    return None


def _p(hits: int, draws: int) -> float:
    return (hits + 1) / (draws + 1)


def two_samples(
    a: Floats,
    b: Floats,
    alternative: Alternative,
    draws: int,
    seed: int,
    progress: Progress = _nothing,
    alpha: float = 0.05,
) -> Permuted:
    """Difference of two means; only the smaller sample is drawn, many draws at once.

    Up to ``MOST_SHUFFLED`` values also the interval, at level 1 − ``alpha``.
    """
    pooled = np.concatenate([a, b])
    pooled = pooled - pooled.mean()
    n, small = len(pooled), min(len(a), len(b))
    sign = 1.0 if len(a) <= len(b) else -1.0
    seen = sign * float(pooled[: len(a)].sum() if len(a) <= len(b) else pooled[len(a) :].sum())
    slack = 1e-9 * max(float(np.abs(pooled).sum()), 1e-300)

    def hits(sums: Floats) -> int:
        """How many divisions are as far out as the one seen."""
        moved = sign * sums
        if alternative == "two_sided":
            return int((np.abs(moved) >= abs(seen) - slack).sum())
        return int((moved >= seen - slack).sum() if alternative == "greater" else (moved <= seen + slack).sum())

    if comb(n, small) <= MOST_LISTED:
        from itertools import combinations

        every = np.array(list(combinations(range(n), small)))
        sums = pooled[every].sum(axis=1)
        reach = _reach(sums, every, a, b, alternative)
        return Permuted(hits(sums) / len(every), len(every), True, _ends(reach, alpha, alternative))
    rng, found, done = np.random.default_rng(seed), 0, 0
    lots = Lots(pooled, np.array([small, n - small]), rng)
    reached = [np.array([[-np.inf], [np.inf]])]  # the division seen counts among those drawn
    while done < draws:
        block = min(draws - done, max(1, CELLS // n))
        if n <= MOST_SHUFFLED:
            keys = rng.random((block, n), dtype=np.float32)
            chosen = np.argpartition(keys, small - 1, axis=1)[:, :small]
            sums = pooled[chosen].sum(axis=1)
            reached.append(_reach(sums, chosen, a, b, alternative))
        else:
            sums = np.array([lots.draw()[0] for _ in range(block)])
        found += hits(sums)
        done += block
        progress(done / draws)
    ends = _ends(np.concatenate(reached, axis=1), alpha, alternative) if n <= MOST_SHUFFLED else None
    return Permuted(_p(found, draws), draws, False, ends)


def _reach(sums: Floats, chosen: Ints, a: Floats, b: Floats, alternative: Alternative) -> Floats:
    """For each division the differences d for which it separates ``a − d`` from ``b`` as much as the division seen.

    With m values changed over, the difference of a division is D* − d·c, c = 1 − m(1/n₁ + 1/n₂), and that seen D − d.
    Both are straight in d, so each division counts from one value to another.

    Returns:
        shape (2, divisions), lowest and highest.
    """
    n1, n2, small = len(a), len(b), min(len(a), len(b))
    whole = 1 / n1 + 1 / n2
    seen = float(a.mean() - b.mean())
    first = n1 <= n2
    drawn = sums * whole if first else -sums * whole  # sums are of values about the mean of all
    changed = small - ((chosen < n1) if first else (chosen >= n1)).sum(axis=1)
    c = 1 - changed * whole
    with np.errstate(divide="ignore", invalid="ignore"):
        one = (seen - drawn) / (1 - c)
        other = (seen + drawn) / (1 + c)
    one = np.where(changed == 0, np.nan, one)
    if alternative == "greater":
        return np.stack([np.where(changed == 0, -np.inf, one), np.full(len(c), np.inf)])
    if alternative == "less":
        return np.stack([np.full(len(c), -np.inf), np.where(changed == 0, np.inf, one)])
    endless = (changed == 0) | (1 + c < 1e-12)
    low, high = np.minimum(one, other), np.maximum(one, other)
    return np.stack([np.where(endless, -np.inf, low), np.where(endless, np.inf, high)])


def _ends(reach: Floats, alpha: float, alternative: Alternative) -> tuple[float, float]:
    """Where p sinks below α on either side: ends of a test turned round (Garthwaite, 1996), by counting divisions."""
    last = max(int(np.ceil(alpha * reach.shape[1] - 1e-9)), 1) - 1
    low = -np.inf if alternative == "less" else float(np.partition(reach[0], last)[last])
    high = np.inf if alternative == "greater" else -float(np.partition(-reach[1], last)[last])
    return low, high


def several_groups(g: Groups, draws: int, seed: int, progress: Progress = _nothing) -> Permuted:
    """The classical F over k groups: Σ (sum of a group)²/n orders divisions as F does."""
    y = g.y - g.y.mean()
    seen = _between(np.add.reduceat(y, g.starts[:-1])[None, :], g)
    rng, found, done, n = np.random.default_rng(seed), 0, 0, len(y)
    limit = float(seen[0]) * (1 - 1e-9)
    lots = Lots(y, g.n, rng)
    while done < draws:
        block = min(draws - done, max(1, CELLS // n))
        if n <= MOST_SHUFFLED:
            mixed = y[np.argsort(rng.random((block, n), dtype=np.float32), axis=1)]
            sums = np.add.reduceat(mixed, g.starts[:-1], axis=1)
        else:
            sums = np.stack([lots.draw() for _ in range(block)])
        found += int((_between(sums, g) >= limit).sum())
        done += block
        progress(done / draws)
    return Permuted(_p(found, draws), draws, False)


def _between(sums: Floats, g: Groups) -> Floats:
    return np.asarray((sums**2 / g.n).sum(axis=1))


def within_blocks(
    y: Floats, group: Ints, block: Ints, draws: int, seed: int, progress: Progress = _nothing
) -> Permuted:
    """Values shuffled within each block, complete or not; ordered by the sum of squares of groups after blocks.

    Every row that the F uses is used. Within a block the values keep their sum, so only the groups' sums move; what
    these say after blocks is a fixed quadratic form of them.

    Args:
        y, group, block: shape (rows,); group and block are codes from 0.
    """
    order = np.argsort(block, kind="stable")
    y, group, block = y[order], group[order], block[order]
    k, sizes = int(group.max()) + 1, np.bincount(block)
    away = y - (np.bincount(block, y) / sizes)[block]
    counts = np.zeros((len(sizes), k))
    np.add.at(counts, (block, group), 1.0)
    spread = np.diag(counts.sum(axis=0)) - (counts / sizes[:, None]).T @ counts
    inverse = np.linalg.pinv(spread, hermitian=True)
    members = np.eye(k)[group]

    def between(values: Floats) -> Floats:
        """Sum of squares between groups, of each arrangement."""
        sums = values @ members
        return np.asarray(np.einsum("ij,jk,ik->i", sums, inverse, sums))

    seen = float(between(away[None, :])[0]) * (1 - 1e-9)
    n = len(y)
    rng, found, done = np.random.default_rng(seed), 0, 0
    while done < draws:
        part = min(draws - done, max(1, CELLS // n))
        mixed = away[np.argsort(block + rng.random((part, n)), axis=1)]
        found += int((between(mixed) >= seen).sum())
        done += part
        progress(done / draws)
    return Permuted(_p(found, draws), draws, False)
