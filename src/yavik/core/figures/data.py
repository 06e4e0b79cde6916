"""The groups of values a figure or a method looks at, from either layout of a table."""

from dataclasses import dataclass

import numpy as np

from yavik.core.answers.wording import among
from yavik.core.stats.groups import Groups
from yavik.core.table import CODED, Column, DataProblem, Kind, Table

MOST_GROUPS = 2000


@dataclass(frozen=True)
class Grouped:
    """Groups with the words for them. ``n_empty`` per group; ``dropped`` names levels without any value."""

    groups: Groups
    value: str
    group: str
    unit: str | None
    decimals: int
    n_empty: list[int]
    empty_value: int
    empty_group: int
    dropped: list[str]
    ordered: bool

    @property
    def value_axis(self) -> str:
        """The measurement with its unit."""
        return f"{self.value} ({self.unit})" if self.unit else self.value


def stacked(table: Table, response: str, groups: str) -> Grouped:
    """One column of values and one of groups."""
    if response == groups:
        raise DataProblem(f"{response} stands in both slots; choose two different columns.", column=groups)
    column, by = table.column(response), table.column(groups)
    y, coded = table.numbers(response), table.codes(groups)
    filled = ~np.isnan(y)
    if not filled.any():
        raise DataProblem(f"{response} has no filled cells {among(table.n_rows)}.", column=response)
    if len(coded.levels) > MOST_GROUPS:
        raise DataProblem(
            f"{groups} has {len(coded.levels)} different values; a comparison takes at most {MOST_GROUPS} groups. "
            "Choose a column with fewer levels.",
            column=groups,
        )
    found = Groups.of(y, coded.codes, table.rows, coded.levels)
    empty = np.bincount(coded.codes[(coded.codes >= 0) & ~filled], minlength=len(coded.levels))
    keep = np.flatnonzero(found.n > 0)
    dropped = [w for i, w in enumerate(coded.levels) if found.n[i] == 0]
    if dropped:
        starts = np.concatenate([[0], np.cumsum(found.n[keep])])
        found = Groups(found.y, starts, found.rows, tuple(coded.levels[i] for i in keep))
    return Grouped(
        found,
        column.title,
        by.title,
        column.unit,
        printed_decimals(column),
        [int(empty[i]) for i in keep],
        int((~filled & (coded.codes >= 0)).sum()),
        int((coded.codes < 0).sum()),
        dropped,
        by.kind is Kind.ordered,
    )


def side_by_side(table: Table, samples: list[str]) -> Grouped:
    """One column per sample."""
    twice = [s for i, s in enumerate(samples) if s in samples[:i]]
    if twice:
        raise DataProblem(f"{twice[0]} is chosen twice.", column=twice[0])
    columns = [table.column(s) for s in samples]
    values = [table.numbers(s) for s in samples]
    for name, y in zip(samples, values, strict=True):
        if np.isnan(y).all():
            raise DataProblem(f"{name} has no filled cells {among(table.n_rows)}.", column=name)
    found = Groups.of_samples(values, table.rows, tuple(c.title for c in columns))
    empty = [int(np.isnan(y).sum()) for y in values]
    units = {c.unit for c in columns}
    return Grouped(
        found,
        "Value",
        "Sample",
        units.pop() if len(units) == 1 else None,
        max(map(printed_decimals, columns)),
        empty,
        0,
        0,
        [],
        False,
    )


def grouped(table: Table, response: str | None, groups: str | None, samples: list[str]) -> Grouped:
    """Samples side by side where there are some, else one column by another."""
    if samples:
        return side_by_side(table, samples)
    if not response or not groups:
        raise DataProblem("Choose a measurement and the groups to compare.", column=response or groups)
    return stacked(table, response, groups)


def printed_decimals(column: Column) -> int:
    """Decimals that a column's values are printed with."""
    return 0 if column.kind in CODED else min(column.decimals, 4)
