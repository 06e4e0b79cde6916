"""Everything that repeated measurements compute; tables and words only read it."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from yavik.core.methods.compare.repeated.data import Subjects, by_group, design_of
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.direction import reach_of_means, t_p, t_reach
from yavik.core.stats.groups import Floats
from yavik.core.stats.pairwise import Pairs, ranks_within
from yavik.core.stats.within import Friedman, Repeated, Times, effects, estimated_times, friedman

MOST_TIMES = 20
"""Times up to which every one is compared with every other."""


@dataclass(frozen=True)
class TimeMeans:
    """Mean, SD and half the mean's interval of each time, of one group of subjects; each shape (times,)."""

    name: str
    n: int
    mean: Floats
    sd: Floats
    reach: Floats


@dataclass(frozen=True, eq=False)
class RepeatedResults:
    """Of subjects measured at several times, at error rate ``alpha``."""

    subjects: Subjects
    alpha: float

    @cached_property
    def effects(self) -> Repeated:
        """Time, groups and covariates, within and between subjects."""
        return effects(self.subjects.y, design_of(self.subjects), self.subjects.time_title)

    @cached_property
    def times(self) -> Times:
        """The means that the test of time tests: groups counting alike, covariates at their mean."""
        return estimated_times(self.subjects.y, design_of(self.subjects))

    @cached_property
    def means(self) -> list[TimeMeans]:
        """Of each group of subjects, or of all."""
        made = []
        for name, y in by_group(self.subjects):
            n = len(y)
            sd = y.std(axis=0, ddof=1) if n > 1 else np.full(y.shape[1], np.nan)
            made.append(TimeMeans(name, n, y.mean(axis=0), sd, reach_of_means(n, sd, self.alpha)))
        return made

    @cached_property
    def pairs(self) -> Pairs | None:
        """Every time with every other, each pair with its own spread of differences: p by Holm, intervals by
        Bonferroni. None for many times."""
        t = self.subjects.y.shape[1]
        if t > MOST_TIMES:
            return None
        a, b = np.triu_indices(t, 1)
        both = [self.times.difference(int(i), int(j)) for i, j in zip(a, b, strict=True)]
        mean, se = (np.array(v) for v in zip(*both, strict=True))
        with np.errstate(invalid="ignore", divide="ignore"):
            value = mean / np.where(se > 0, se, np.nan)
        free = float(self.times.df)
        p = np.array([t_p(float(v), free, "two_sided") for v in value])
        known = np.isfinite(p)
        adjusted = np.full(len(p), np.nan)
        adjusted[known] = adjust(p[known], "holm")
        reach = t_reach(free, self.alpha / len(a)) * se
        return Pairs(a, b, mean, se, value, np.full(len(a), free), p, adjusted, mean - reach, mean + reach)

    @cached_property
    def ranks(self) -> Friedman | None:
        """Friedman's test; None where there are groups, or ranks cannot be had."""
        s = self.subjects
        if s.group is not None or s.y.shape[1] < 2 or len(s.y) < 2:
            return None
        found = friedman(s.y)
        return found if np.isfinite(found.chi2) else None

    @cached_property
    def rank_pairs(self) -> Pairs:
        """Every two times by their mean ranks, p by Holm."""
        assert self.ranks
        return ranks_within(self.ranks, len(self.subjects.y), "holm")
