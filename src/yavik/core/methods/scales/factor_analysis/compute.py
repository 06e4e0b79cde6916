"""Correlations, factors and their rotation; all as numbers."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.methods.kit.correlated import ItemData, chance_limits, read_correlated
from yavik.core.methods.scales.factor_analysis.spec import FactorSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.adequacy import beyond_chance
from yavik.core.stats.items.extraction import (
    Extracted,
    GoodnessOfFit,
    extract,
    goodness_of_fit,
    most_factors,
)
from yavik.core.stats.items.rotation import OBLIQUE, Rotated, rotate
from yavik.core.stats.items.scoring import caught, weights
from yavik.core.stats.scales import Alpha, cronbach, omega, one_factor
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

BIG_RESIDUAL = 0.05
HALF = 0.5
"""Share of a factor's items that a row must have answered for their mean."""


@dataclass(frozen=True)
class Solution:
    """So many factors of the items, rotated."""

    extracted: Extracted
    rotated: Rotated
    fit: GoodnessOfFit | None
    residuals: Floats

    @property
    def m(self) -> int:
        """Factors."""
        return int(self.rotated.pattern.shape[1])

    @property
    def communality(self) -> Floats:
        """Shares of the items' variances that the factors explain."""
        return np.asarray((self.extracted.loadings**2).sum(axis=1))

    @property
    def explained(self) -> float:
        """Share of the items' whole variance."""
        return float(self.communality.mean())

    @property
    def big(self) -> float:
        """Share of residual correlations beyond .05."""
        off = self.residuals[np.tril_indices(len(self.residuals), -1)]
        return float((np.abs(off) > BIG_RESIDUAL).mean())

    @property
    def rmsr(self) -> float:
        """Root mean square of the residual correlations."""
        off = self.residuals[np.tril_indices(len(self.residuals), -1)]
        return float(np.sqrt((off**2).mean()))

    def stray(self, below: float) -> list[int]:
        """Items without a loading of this size."""
        return [int(i) for i in np.flatnonzero((np.abs(self.rotated.pattern) < below).all(axis=1))]

    def crossed(self, below: float) -> list[int]:
        """Items with two loadings or more of this size."""
        return [int(i) for i in np.flatnonzero((np.abs(self.rotated.pattern) >= below).sum(axis=1) > 1)]

    @property
    def main(self) -> Any:
        """The factor that each item loads on most, shape (k,)."""
        return np.argmax(np.abs(self.rotated.pattern), axis=1)


@dataclass(frozen=True)
class Scale:
    """Items of one factor added up.

    Args:
        items: their places. turned: which of them run the other way.
    """

    items: list[int]
    turned: Any
    alpha: Alpha
    omega: float


@dataclass(frozen=True)
class Factors:
    """Everything computed; tables and words only read it."""

    spec: FactorSpec
    data: ItemData
    limits: Floats
    by_kaiser: int
    by_parallel: int
    solution: Solution

    @property
    def m(self) -> int:
        """Factors."""
        return self.solution.m

    @property
    def most(self) -> int:
        """The largest number of factors that these items can tell apart."""
        return most_factors(self.data.k)

    @property
    def oblique(self) -> bool:
        """Whether factors may correlate."""
        return self.m > 1 and self.spec.rotation in OBLIQUE

    @cached_property
    def names(self) -> list[str]:
        """Factors by the names that they were given, or by number."""
        made = [f"Factor {j + 1}" for j in range(self.m)]
        for item, name in self.spec.names.items():
            if item in self.data.names and name.strip():
                made[int(self.solution.main[self.data.names.index(item)])] = name.strip()
        return made

    @cached_property
    def markers(self) -> list[int]:
        """The item that loads most on each factor."""
        return [int(i) for i in np.argmax(np.abs(self.solution.rotated.pattern), axis=0)]

    @cached_property
    def order(self) -> list[int]:
        """Items as they are shown: by factor, the highest loadings first; or as chosen."""
        if not self.spec.sorted:
            return list(range(self.data.k))
        size = np.abs(self.solution.rotated.pattern).max(axis=1)
        stray = set(self.solution.stray(self.spec.hide_below))
        return sorted(range(self.data.k), key=lambda i: (i in stray, int(self.solution.main[i]), -size[i]))

    @cached_property
    def other_numbers(self) -> dict[int, Solution]:
        """One factor fewer and one more, where there can be."""
        most = self.most
        tried = [m for m in (self.m - 1, self.m + 1) if 1 <= m <= most]
        return {m: s for m in tried if (s := attempt(self.data, self.spec, m)) is not None}

    @cached_property
    def when_oblique(self) -> Floats | None:
        """Correlations of the factors if they may correlate, where they were kept from it."""
        if self.m < 2 or self.oblique or self.spec.rotation == "none":
            return None
        try:
            return rotate(self.solution.extracted.loadings, "oblimin", normalise=self.spec.kaiser_normalisation).phi
        except ValueError:
            return None

    @cached_property
    def caught(self) -> Floats | None:
        """R² of each factor from the items; None where the correlations cannot be inverted."""
        r = self.solution.rotated
        return None if self.data.c.singular else caught(self.data.c.r, r.pattern, r.phi)

    def belonging(self, j: int) -> list[int]:
        """Items that load on a factor most, and by the threshold at least."""
        size = np.abs(self.solution.rotated.pattern[:, j])
        return [int(i) for i in np.flatnonzero((self.solution.main == j) & (size >= self.spec.hide_below))]

    @cached_property
    def scales(self) -> list[Scale | None]:
        """Each factor's items added up; None for fewer than two."""
        return [self._scale(self.belonging(j), j) for j in range(self.m)]

    def _scale(self, items: list[int], j: int) -> "Scale | None":
        if len(items) < 2:
            return None
        way = np.sign(self.solution.rotated.pattern[items, j])
        r = self.data.c.r[np.ix_(items, items)] * np.outer(way, way)
        s = r * np.outer(self.data.c.sd[items], self.data.c.sd[items])
        factor = one_factor(r)
        sd = self.data.c.sd[items]
        return Scale(
            items,
            way < 0,
            cronbach(s, self.data.c.rows, 1 - self.spec.alpha),
            omega(factor, sd) if factor else np.nan,
        )

    @cached_property
    def score_weights(self) -> Floats | str:
        """What each standardised item counts in each score, or why there are none."""
        r = self.solution.rotated
        if self.spec.scores == "means":
            return "means count their items alike"
        try:
            return weights(self.data.c.r, r.pattern, r.phi, self.solution.extracted.unique, self.spec.scores)
        except ValueError as e:
            return str(e)

    def without(self, item: int) -> Solution | None:
        """As many factors of the other items."""
        return attempt(self.data.without(item), self.spec, self.m)


def solve(data: ItemData, spec: FactorSpec, m: int) -> Solution:
    """m factors, extracted and rotated. Raises DataProblem where there can be none."""
    k = data.k
    if m > most_factors(k):
        raise DataProblem(
            f"{m} factors are more than {k} items can tell apart: at most {most_factors(k)}. Choose fewer factors, or"
            " more"
            " items.",
            column=data.columns[0].name,
        )
    if spec.extraction == "ml" and data.c.singular:
        named = " and ".join(data.columns[i].name for i in data.tied[:3]) or "some items"
        raise DataProblem(
            f"Maximum likelihood needs correlations that can be inverted; {named} repeat one another, or there are"
            " too few"
            " rows. Leave one out, or choose principal axes.",
            column=data.columns[data.tied[0]].name if data.tied else None,
        )
    found = extract(data.c.r, m, spec.extraction)
    if (np.abs(found.loadings).max(axis=0) < 1e-6).any():
        raise DataProblem(f"The items hold fewer than {m} factors; choose fewer.", column=data.columns[0].name)
    try:
        turned = rotate(
            found.loadings, spec.rotation, delta=spec.delta, power=spec.power, normalise=spec.kaiser_normalisation
        )
    except (ValueError, np.linalg.LinAlgError):
        raise DataProblem(
            "In this rotation factors fall together. Choose a smaller delta or power, another rotation, or fewer"
            " factors.",
            column=data.columns[0].name,
        ) from None
    residuals = data.c.r - found.loadings @ found.loadings.T
    np.fill_diagonal(residuals, 0.0)
    fit = goodness_of_fit(found.discrepancy, data.c.rows, k, m) if spec.extraction == "ml" else None
    return Solution(found, turned, fit, residuals)


def attempt(data: ItemData, spec: FactorSpec, m: int) -> Solution | None:
    """None where there are no such factors."""
    try:
        return solve(data, spec, m)
    except DataProblem:
        return None


def number_of_factors(data: ItemData, rule: str | int, kaiser: int, parallel: int) -> int:
    """As the rule or the researcher has it; one at least, and no more than the items can tell apart by a rule."""
    if isinstance(rule, int):
        return rule
    return min(max({"kaiser": kaiser, "parallel": parallel}[rule], 1), most_factors(data.k))


def compute(table: Table, spec: FactorSpec, told: Told = silent) -> Factors:
    """Raises DataProblem for what holds no factors."""
    data = read_correlated(table, spec.items, spec.missing == "pairwise", "Factor analysis")
    limits = chance_limits(data, spec.draws, spec.seed, told)
    kaiser, parallel = int((data.eigenvalues > 1).sum()), beyond_chance(data.eigenvalues, limits)
    told(0.65, "Extracting and rotating")
    solution = solve(data, spec, number_of_factors(data, spec.factors, kaiser, parallel))
    return Factors(spec, data, limits, kaiser, parallel, solution)


def _means(f: Factors) -> Floats:
    """Means of each factor's items, those that run the other way turned, of rows with half of them at least."""
    made = np.full((len(f.data.x), f.m), np.nan)
    for j, scale in enumerate(f.scales):
        if scale is None:
            continue
        x = f.data.x[:, scale.items]
        low, high = float(np.nanmin(x)), float(np.nanmax(x))
        x = np.where(scale.turned, low + high - x, x)
        there = ~np.isnan(x)
        enough = there.mean(axis=1) >= HALF
        made[enough, j] = np.where(there, x, 0.0)[enough].sum(axis=1) / there[enough].sum(axis=1)
    return made


def scored(f: Factors) -> Floats:
    """Scores of every row filled throughout, NaN elsewhere, shape (rows, m). Raises DataProblem where there are
    none."""
    if f.spec.scores == "means":
        return _means(f)
    w = f.score_weights
    if isinstance(w, str):
        raise DataProblem(f"There are no factor scores: {w}. Choose the other kind of scores, or leave an item out.")
    return np.asarray((f.data.x - f.data.c.mean) / f.data.c.sd @ w)
