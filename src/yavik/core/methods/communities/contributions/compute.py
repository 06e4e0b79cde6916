"""What each taxon adds to the dissimilarity of every two groups."""

from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np

from yavik.core.methods.communities.contributions.spec import ContributionsSpec
from yavik.core.methods.kit.taxa import Samples, read_samples
from yavik.core.methods.kit.taxa_given import demand_at_most
from yavik.core.stats.communities.shares import Shares, between, within
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_PAIRS = 100
MOST_SAMPLES = 10_000
"""Of all groups together: every two of them are compared."""


@dataclass(frozen=True)
class Pair:
    """Two groups, and what taxa add to how unlike they are."""

    first: int
    second: int
    shares: Shares

    @cached_property
    def order(self) -> Any:
        """Places of taxa, those that add most first."""
        return self.shares.order

    @cached_property
    def running(self) -> Floats:
        """Running share, in that order."""
        return np.asarray(np.cumsum(self.shares.part[self.order]))

    def named(self, cutoff: float) -> int:
        """Taxa until the running share reaches the cut-off."""
        return int(np.searchsorted(self.running, cutoff - 1e-12)) + 1 if self.shares.whole > 0 else 0


@dataclass(frozen=True)
class Contributions:
    """Everything computed; tables and words only read it. ``inside``: mean dissimilarity within each group."""

    spec: ContributionsSpec
    samples: Samples
    pairs: list[Pair]
    inside: Floats

    @cached_property
    def main(self) -> Pair:
        """The two groups that are most unlike."""
        return max(self.pairs, key=lambda p: p.shares.whole)


def compute(table: Table, spec: ContributionsSpec, progress: Told = silent) -> Contributions:
    """Raises DataProblem for what cannot be read, and pairs that are not there."""
    if not spec.groups:
        raise DataProblem("What makes groups differ needs groups: choose a column.")
    s = read_samples(table, spec, least=2)
    demand_at_most(s.n, MOST_SAMPLES)
    asked = _asked(spec, s)
    raw = s.x
    made = []
    for i, (a, b) in enumerate(asked):
        progress(0.1 + 0.8 * i / len(asked), f"{s.levels[a]} and {s.levels[b]}")
        made.append(Pair(a, b, between(raw[s.codes == a], raw[s.codes == b], spec.dissimilarity)))
    if not any(m.shares.whole > 0 for m in made):
        raise DataProblem("All samples of these groups are alike: nothing makes them differ.", column=s.taxa[0])
    inside = np.array([within(raw[s.codes == g], spec.dissimilarity) for g in range(len(s.levels))])
    return Contributions(spec, s, made, inside)


def _asked(spec: ContributionsSpec, s: Samples) -> list[tuple[int, int]]:
    if spec.pairs == "all":
        both = list(combinations(range(len(s.levels)), 2))
        if len(both) > MOST_PAIRS:
            raise DataProblem(
                f"{len(s.levels)} groups make {len(both)} pairs; {MOST_PAIRS} is the most. Keep some groups by"
                " “Only rows where”.",
                column=spec.groups,
            )
        return both
    out = []
    for pair in spec.pairs:
        wrong = next((name for name in pair if name not in s.levels), None)
        if wrong is not None:
            raise DataProblem(f"{wrong} is no group among the samples that are left.", column=spec.groups)
        if pair[0] == pair[1]:
            raise DataProblem(f"A pair is of two groups; {pair[0]} stands twice.", column=spec.groups)
        out.append((s.levels.index(pair[0]), s.levels.index(pair[1])))
    if not out:
        raise DataProblem("No pair of groups is chosen.", column=spec.groups)
    return out
