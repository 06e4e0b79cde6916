"""What a factorial analysis computes beyond its model; tables only read it."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.methods.compare.factorial.data import Factorial
from yavik.core.methods.compare.factorial.spec import FactorialSpec
from yavik.core.stats.direction import t_p, t_reach
from yavik.core.stats.groups import Floats
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.linear import Term
from yavik.core.stats.oneway import FTest, f_test
from yavik.core.stats.pairwise import Pairs, from_means

MOST_CELLS = 60
"""Cells of a term up to which they are compared in pairs."""


@dataclass(frozen=True)
class TermMeans:
    """Estimated means of a term's cells.

    Args:
        places: levels of each cell; mean, se: shape (cells,), NaN where a cell that the mean needs has no rows.
        covariance: of the means. n, observed: rows of each cell and their mean as it is.
    """

    places: list[tuple[int, ...]]
    mean: Floats
    se: Floats
    covariance: Floats
    n: Floats
    observed: Floats


@dataclass(frozen=True)
class TermPairs:
    """Pairs of a term's cells, with their names and letters."""

    names: list[str]
    pairs: Pairs
    letters: list[str]


@dataclass(frozen=True)
class SimpleEffect:
    """The test of one factor at one combination of levels of the others."""

    factor: int
    at: list[tuple[int, int]]
    """Each other factor and its level."""
    test: FTest


@dataclass(frozen=True)
class Slope:
    """Of a covariate, the same in all cells."""

    name: str
    slope: float
    se: float
    t: float
    p: float


@dataclass(frozen=True, eq=False)
class FactorialResults:
    """``at``: where covariates are held, shape (covariates,); None without any."""

    factorial: Factorial
    spec: FactorialSpec
    at: Any

    @cached_property
    def reach(self) -> float:
        """Quantile that makes a standard error an interval."""
        return t_reach(float(self.factorial.model.df), self.spec.alpha)

    def means(self, term: Term) -> TermMeans:
        """Means of the cells of a term, the levels of other factors counting alike."""
        f = self.factorial
        places, mean, covariance = f.model.estimated(term, self.at)
        n, sums = dict.fromkeys(places, 0.0), dict.fromkeys(places, 0.0)
        for levels, k, m in zip(f.cells.levels[:, list(term)], f.cells.n, f.cells.mean, strict=True):
            place = tuple(int(v) for v in levels)
            n[place], sums[place] = n[place] + float(k), sums[place] + float(k * m)
        counts = np.array([n[p] for p in places])
        with np.errstate(invalid="ignore", divide="ignore"):
            observed = np.array([sums[p] for p in places]) / counts + f.cells.shift
        variance = np.diag(covariance)
        se = np.sqrt(np.where(np.isfinite(variance), np.maximum(variance, 0), np.nan))
        return TermMeans(list(places), mean, se, covariance, counts, observed)

    def pairs(self, term: Term) -> TermPairs | None:
        """Every two cells of a term; None for too few or too many."""
        f, spec, means = self.factorial, self.spec, self.means(term)
        known = np.flatnonzero(np.isfinite(means.mean))
        if len(known) < 2 or len(known) > MOST_CELLS:
            return None
        mean, covariance = means.mean[known], means.covariance[np.ix_(known, known)]
        names = [", ".join(f.factors[t].levels[v] for t, v in zip(term, means.places[i], strict=True)) for i in known]
        p = from_means(mean, np.diag(covariance).copy(), float(f.model.df), spec.pairs, spec.alpha, None, covariance)
        adjusted = [float(x) for x in p.p_adjusted]
        letters = letters_from_pairs(
            [float(m) for m in mean], p.a.tolist(), p.b.tolist(), adjusted, spec.alpha, up=True
        )
        return TermPairs(names, p, letters)

    def simple(self, term: Term) -> list[SimpleEffect]:
        """Does one factor matter at each combination of the others? Empty where a mean cannot be estimated.

        Each is tested against the residual of the whole model; covariates stand at their means.
        """
        f = self.factorial
        places, means, covariance = f.model.estimated(term)
        if not np.isfinite(means).all():
            return []
        made = []
        for inner in range(len(term)):
            outer = [i for i in range(len(term)) if i != inner]
            for levels in np.ndindex(*(len(f.factors[term[o]].levels) for o in outer)):
                own = [i for i, p in enumerate(places) if tuple(p[o] for o in outer) == levels]
                contrast = np.hstack([np.eye(len(own) - 1), -np.ones((len(own) - 1, 1))])
                c, m = contrast @ means[own], contrast @ covariance[np.ix_(own, own)] @ contrast.T
                test = f_test(float(c @ np.linalg.solve(m, c)) / len(c), len(c), f.model.df)
                made.append(
                    SimpleEffect(term[inner], [(term[o], v) for o, v in zip(outer, levels, strict=True)], test)
                )
        return made

    @cached_property
    def slopes(self) -> list[Slope]:
        """One for each covariate."""
        f = self.factorial
        return [
            Slope(name, b, se, b / se, t_p(b / se, float(f.model.df), "two_sided"))
            for name, (b, se) in zip(f.covariates, f.model.slopes(), strict=True)
        ]
