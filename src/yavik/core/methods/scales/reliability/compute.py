"""The items of a scale as numbers, and everything computed of them."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.methods.kit.items import demand_spread, filled_throughout, items_of
from yavik.core.methods.scales.reliability.spec import ReliabilitySpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.adequacy import by_chance
from yavik.core.stats.scales import (
    Alpha,
    OneFactor,
    correlations,
    cronbach,
    omega,
    one_factor,
    split_half,
    turned,
    with_the_rest,
    without_each,
)
from yavik.core.table import Column, DataProblem, Kind, Table

DRAWS = 200
"""Draws behind the number of factors by chance."""


@dataclass(frozen=True)
class Items:
    """Answers to the items, the turned ones turned.

    Args:
        x: shape (rows of the table, k), NaN where empty.
        use: rows filled throughout.
        against: which items were turned.
        low, high: ends of the scale that they were turned within.
    """

    columns: list[Column]
    x: Floats
    use: Any
    against: Any
    low: float
    high: float
    found: bool

    @property
    def lengths(self) -> list[float]:
        """Steps from the lowest to the highest answer of each item, by its levels where it has some."""
        made = []
        for column, own in zip(self.columns, self.x.T, strict=True):
            seen = float(np.nanmax(own) - np.nanmin(own))
            made.append(max(seen, float(len(column.levels) - 1)) if column.kind is Kind.ordered else seen)
        return made

    @property
    def titles(self) -> list[str]:
        """The items' wordings, or their names."""
        return [c.title for c in self.columns]


@dataclass(frozen=True)
class ReliabilityResults:
    """Everything computed; tables and words only read it."""

    items: Items
    y: Floats
    alpha: Alpha
    factor: OneFactor | None
    omega: float
    mean: Floats
    sd: Floats
    rest: Floats
    without: Floats
    split: tuple[float, float, float] | None
    correlations: Floats
    eigenvalues: Floats
    chance: Floats
    level: float

    @property
    def n(self) -> int:
        """Rows filled throughout."""
        return len(self.y)

    @property
    def k(self) -> int:
        """Items."""
        return int(self.y.shape[1])

    @property
    def rest_ends(self) -> Floats:
        """Ends of the intervals of ``rest`` by Fisher's z, shape (k, 2); NaN for fewer than four rows."""
        if self.n < 4:
            return np.full((self.k, 2), np.nan)
        reach = float(special.ndtri((1 + self.level) / 2)) / np.sqrt(self.n - 3)
        z = np.arctanh(np.clip(self.rest, -0.999999, 0.999999))
        return np.asarray(np.tanh(z[:, None] + np.array([-reach, reach])))


def read_items(table: Table, spec: ReliabilitySpec) -> Items:
    """Raises DataProblem for too few items or rows, and for items without spread."""
    columns, x = items_of(table, spec.items)
    use = filled_throughout(columns, x)
    demand_spread(columns, x[use])
    if spec.reversed == "auto":
        against = np.asarray(turned(np.cov(x[use], rowvar=False)), bool)
    else:
        unknown = next((r for r in spec.reversed if r not in spec.items), None)
        if unknown:
            raise DataProblem(f"{unknown} is to be turned round, but is not among the items.", column=unknown)
        against = np.array([n in spec.reversed for n in spec.items])
    low, high = float(np.nanmin(x)), float(np.nanmax(x))
    x = np.where(against, low + high - x, x)
    return Items(columns, x, use, against, low, high, spec.reversed == "auto")


def compute(table: Table, spec: ReliabilitySpec) -> ReliabilityResults:
    """Raises DataProblem for what is no scale."""
    items = read_items(table, spec)
    y = items.x[items.use]
    n, k = y.shape
    s = np.asarray(np.cov(y, rowvar=False), np.float64)
    if float(s.sum()) <= 1e-12 * float(np.trace(s)):
        raise DataProblem(
            "The sum of the items is the same in every row: there is no scale. Some items may have to be turned"
            " round.",
            column=spec.items[0],
        )
    sd, r = np.sqrt(np.diag(s)), correlations(s)
    factor = one_factor(r)
    eigenvalues = np.asarray(np.linalg.eigvalsh(r)[::-1])
    first = np.arange(k) % 2 == 0 if spec.split == "odd_even" else np.arange(k) < (k + 1) // 2
    chance = np.full(k, np.nan)
    if k > 2 and n > k:
        chance = np.quantile(by_chance(n, k, DRAWS, np.random.default_rng(spec.seed)), 0.95, axis=0)
    return ReliabilityResults(
        items=items, y=y, alpha=cronbach(s, n, 1 - spec.alpha), factor=factor,
        omega=omega(factor, sd) if factor else np.nan,
        mean=y.mean(axis=0), sd=sd, rest=with_the_rest(s), without=without_each(s),
        split=split_half(s, first) if spec.split != "none" else None, correlations=r, eigenvalues=eigenvalues,
        chance=chance,
        level=1 - spec.alpha,
    )  # fmt: skip
