"""Groups of samples tested by their dissimilarities: all together, in pairs, and their spread."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
from scipy.spatial.distance import squareform

from yavik.core.methods.communities.community_test.spec import CommunityTestSpec
from yavik.core.methods.kit.draws import drawn, p_of
from yavik.core.methods.kit.kept import content
from yavik.core.methods.kit.taxa import Samples
from yavik.core.methods.kit.taxa_given import demand_at_most, read_compared, room_for
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.communities.group_tests import (
    Draw,
    Partition,
    Ranked,
    Spaced,
    distances_to_middle,
    draws_of_f,
    draws_of_r,
    draws_of_spread,
    f_of,
    permanova,
)
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_SAMPLES = 5000
ARRAYS = 7.0
"""Squares of samples by samples that are held at a time."""
ROUNDING = 1e-9
"""A draw that is less by this part of the statistic counts as a hit: sums in another order differ by rounding."""


@dataclass(frozen=True)
class Pair:
    """Two groups: the partition of their squares, p by their own permutations, and adjusted for all pairs."""

    first: int
    second: int
    parts: Partition
    p: float
    adjusted: float
    between: float


@dataclass(frozen=True)
class Tested:
    """Everything computed; tables and words only read it.

    Args:
        d: condensed dissimilarities. away: of each sample from its group's middle. r: ANOSIM; spread: F of distances.
        ps: of 'permanova', 'anosim' and 'dispersion'. error: Monte Carlo error of the first. ways: how many different
            exchanges there are, infinite where they are countless. inside: mean dissimilarity within each group.
    """

    spec: CommunityTestSpec
    samples: Samples
    d: Floats
    parts: Partition
    r: float
    away: Floats
    spread: float
    ps: dict[str, float]
    error: float
    ways: float
    pairs: list[Pair]
    inside: Floats
    blocks: int

    def mean_away(self, g: int) -> float:
        """Mean distance of a group's samples from its middle."""
        return float(self.away[self.samples.codes == g].mean())

    def sd_away(self, g: int) -> float:
        """Its standard deviation; NaN with one sample."""
        own = self.away[self.samples.codes == g]
        return float(own.std(ddof=1)) if len(own) > 1 else np.nan


def compute(table: Table, spec: CommunityTestSpec, progress: Told = silent) -> Tested:
    """Raises DataProblem for what cannot be read, and for groups that cannot be tested."""
    if not spec.groups:
        raise DataProblem("A test of communities needs groups: choose a column.")
    s = read_compared(table, spec, least=4)
    blocks, count = _blocks(table, spec, s)
    # draws must not hang on the order of rows
    order = s.settled(*([blocks] if blocks is not None else []))
    s, blocks = s.taken(order), None if blocks is None else blocks[order]
    groups = len(s.levels)
    demand_at_most(s.n, MOST_SAMPLES)
    if s.n <= groups:
        raise DataProblem(
            f"Every group of {spec.groups} has one sample: nothing is left within groups.", column=spec.groups
        )
    room_for(s.n, ARRAYS, progress)
    progress(0.05, "Dissimilarities")
    d = s.unlike(spec.dissimilarity)
    if not d.max() > 0:
        raise DataProblem("All samples are alike: there is nothing to tell apart.", column=spec.groups)
    spaced, ranked = Spaced.of(d), Ranked.of(d)
    away = distances_to_middle(spaced, s.codes, groups, spec.about)
    parts, r = permanova(spaced, s.codes, groups), float(ranked.r(s.codes[None, :])[0])
    spread = float(f_of(away[None, :], s.codes, groups)[0])
    key = content(d, s.codes, blocks)

    def p(name: str, seen: float, batch: Draw, span: tuple[float, float]) -> tuple[float, float]:
        if not np.isfinite(seen):
            return np.nan, np.nan
        found = drawn(
            spec.permutations, spec.seed, batch, key=key + name.encode(), told=progress, span=span, what=NAMES[name]
        )
        return p_of(int((found >= seen - ROUNDING * max(abs(seen), 1e-3)).sum()), spec.permutations)

    first = p("permanova", parts.f, draws_of_f(spaced, s.codes, groups, blocks), (0.1, 0.4))
    ps = {
        "permanova": first[0],
        "anosim": p("anosim", r, draws_of_r(ranked, s.codes, blocks), (0.4, 0.6))[0],
        "dispersion": p("dispersion", spread, draws_of_spread(away, s.codes, groups, blocks), (0.6, 0.7))[0],
    }
    pairs = _pairs(spec, s, spaced.d, blocks, progress)
    inside = _inside(spaced.d, s)
    return Tested(
        spec, s, d, parts, r, away, spread, ps, first[1], _ways(s.codes, blocks, groups), pairs, inside, count
    )  # fmt: skip


NAMES = {"permanova": "PERMANOVA", "anosim": "ANOSIM", "dispersion": "Spread", "pair": "Pairs"}


def _blocks(table: Table, spec: CommunityTestSpec, s: Samples) -> tuple[Any, int]:
    if not spec.block:
        return None, 0
    if spec.block == spec.groups or spec.block in (*spec.taxa, *spec.distances):
        raise DataProblem("Blocks are another column than the groups and the taxa.", column=spec.block)
    coded = table.codes(spec.block)
    own = coded.codes[s.place]
    if (own < 0).any():
        rows = [int(r) for r in table.rows[s.place[own < 0]]]
        raise DataProblem(f"{spec.block} is empty for {len(rows)} samples.", column=spec.block, rows=rows)
    inside = max(len(np.unique(s.codes[own == b])) for b in np.unique(own))
    if inside < 2:
        raise DataProblem(
            f"No block of {spec.block} has two groups: nothing can be exchanged within blocks.", column=spec.block
        )
    return own, len(np.unique(own))


def _ways(codes: Any, blocks: Any, groups: int) -> float:
    """Different exchanges of the groups, up to a million."""
    from math import factorial

    out = 1.0
    for b in [None] if blocks is None else np.unique(blocks):
        own = codes if b is None else codes[blocks == b]
        if len(own) > 20:
            return np.inf
        ways = factorial(len(own))
        for k in np.bincount(own, minlength=groups):
            ways //= factorial(int(k))
        out *= ways
        if out > 1e6:
            return np.inf
    return out


def _inside(square: Floats, s: Samples) -> Floats:
    out = np.full(len(s.levels), np.nan)
    for g in range(len(s.levels)):
        own = np.flatnonzero(s.codes == g)
        if len(own) > 1:
            out[g] = squareform(square[np.ix_(own, own)], checks=False).mean()
    return out


def _pairs(
    spec: CommunityTestSpec, s: Samples, square: Floats, blocks: Any, progress: Callable[[float, str], None]
) -> list[Pair]:
    """Every two groups by themselves, with permutations of their own."""
    if len(s.levels) < 3:
        return []
    made = []
    both = list(combinations(range(len(s.levels)), 2))
    for i, (a, b) in enumerate(both):
        progress(0.7 + 0.3 * i / len(both), f"{s.levels[a]} and {s.levels[b]}")
        own = np.flatnonzero((s.codes == a) | (s.codes == b))
        codes = (s.codes[own] == b).astype(int)
        part = squareform(square[np.ix_(own, own)], checks=False)
        spaced = Spaced.of(part)
        parts = permanova(spaced, codes, 2) if len(own) > 2 else None
        p = np.nan
        if parts is not None and np.isfinite(parts.f):
            inside = None if blocks is None else blocks[own]
            found = drawn(
                spec.permutations, spec.seed, draws_of_f(spaced, codes, 2, inside), key=content(part, codes, inside)
            )
            p = p_of(int((found >= parts.f * (1 - ROUNDING)).sum()), spec.permutations)[0]
        between = float(square[np.ix_(own[codes == 0], own[codes == 1])].mean())
        made.append(Pair(a, b, parts or Partition(np.nan, np.nan, 1, 0), p, np.nan, between))
    ps = np.array([m.p for m in made])
    known = np.isfinite(ps)
    adjusted = np.full(len(ps), np.nan)
    if known.any():
        adjusted[known] = adjust(ps[known], spec.adjust)
    return [Pair(m.first, m.second, m.parts, m.p, float(q), m.between) for m, q in zip(made, adjusted, strict=True)]
