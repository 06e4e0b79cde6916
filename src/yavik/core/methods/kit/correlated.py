"""Items with their correlations, and the eigenvalues that chance would give: what factors and components begin from."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.methods.kit.draws import drawn
from yavik.core.methods.kit.items import demand_spread, filled_throughout, items_of
from yavik.core.methods.kit.kept import content
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.adequacy import Adequacy, Correlated, adequacy, by_chance, correlated
from yavik.core.table import Column, DataProblem, Table
from yavik.core.table.telling import Told, silent

PERCENTILE = 0.95


@dataclass(frozen=True)
class ItemData:
    """Answers and their correlations.

    Args:
        x: shape (rows of the table, k), NaN where empty. use: rows that count.
    """

    columns: list[Column]
    x: Floats
    use: Any
    c: Correlated

    @property
    def k(self) -> int:
        """Items."""
        return len(self.columns)

    @property
    def n(self) -> int:
        """Rows that count."""
        return int(self.use.sum())

    @property
    def names(self) -> list[str]:
        """The items' column names."""
        return [c.name for c in self.columns]

    @property
    def titles(self) -> list[str]:
        """The items' wordings, or their names."""
        return [c.title for c in self.columns]

    @cached_property
    def eigenvalues(self) -> Floats:
        """Of the correlations, largest first."""
        return np.asarray(np.linalg.eigvalsh(self.c.r)[::-1])

    @cached_property
    def adequacy(self) -> Adequacy | None:
        """None where the correlations cannot be inverted."""
        return None if self.c.singular else adequacy(self.c.r, self.c.rows)

    def without(self, item: int) -> "ItemData":
        """The same without one item; rows as they are."""
        keep = np.delete(np.arange(self.k), item)
        c, grid = self.c, np.ix_(keep, keep)
        least = float(np.linalg.eigvalsh(c.r[grid])[0])
        own = replace(c, r=c.r[grid], n=c.n[grid], mean=c.mean[keep], sd=c.sd[keep], least=least)
        return ItemData([self.columns[i] for i in keep], self.x[:, keep], self.use, own)

    @cached_property
    def tied(self) -> list[int]:
        """Items that make the correlations impossible to invert: the same as others, or sums of them."""
        values, vectors = np.linalg.eigh(self.c.r)
        null = np.abs(vectors[:, values < 1e-10])
        return [int(i) for i in np.flatnonzero((null > 0.1).any(axis=1))]

    @cached_property
    def doubled(self) -> tuple[int, int] | None:
        """Two items that are the same but for scale."""
        r = np.abs(np.tril(self.c.r, -1))
        at = np.unravel_index(int(np.argmax(r)), r.shape)
        return (int(at[1]), int(at[0])) if r[at] > 1 - 1e-9 else None


def read_correlated(table: Table, names: Sequence[str], pairwise: bool, what: str) -> ItemData:
    """Answers and their correlations. Raises DataProblem for too few items or rows, and items without spread."""
    columns, x = items_of(table, names, 3, what)
    if pairwise:
        demand_spread(columns, x)
        use = ~np.isnan(x).all(axis=1)
    else:
        use = filled_throughout(columns, x, 4)
        demand_spread(columns, x[use])
    c = correlated(x[use], pairwise)
    if not np.isfinite(c.r).all() or c.n.min() < 4:
        a, b = np.unravel_index(int(np.argmin(np.where(np.isfinite(c.r), c.n, -1))), c.n.shape)
        raise DataProblem(
            f"{columns[a].name} and {columns[b].name} are both filled in too few rows to be correlated. Leave one out.",
            column=columns[a].name,
        )
    return ItemData(columns, x, use, c)


def chance_limits(data: ItemData, draws: int, seed: int, told: Told = silent, *, covariances: bool = False) -> Floats:
    """The 95th percentile of each eigenvalue of columns that have nothing in common, shape (k,).

    Args:
        covariances: of the same spread as the data's, not of correlations.
    """
    rows, sd = max(data.c.rows, 3), data.c.sd if covariances else None
    made = drawn(
        draws, seed, lambda rng, size: by_chance(rows, data.k, size, rng, sd),
        key=content(np.array([rows, data.k]), sd), told=told, span=(0.1, 0.6), what="Eigenvalues of chance",
    )  # fmt: skip
    return np.asarray(np.quantile(made, PERCENTILE, axis=0))
