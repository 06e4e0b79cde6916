"""Functions of columns that tell groups apart, and rows put into groups."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import RowsUsed
from yavik.core.methods.communities.discriminant.spec import DiscriminantSpec
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.taxa import grouped_as
from yavik.core.stats.discriminant import (
    Alone,
    Discriminant,
    Placed,
    Spreads,
    box,
    discriminant,
    each_alone,
    left_out,
    made_up,
    placed,
)
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table

MOST_GROUPS, MOST_COLUMNS = 50, 200


@dataclass(frozen=True)
class Told:
    """Everything computed; tables and words only read it.

    Args:
        place: rows of the table that are used; numbers: what they are called. d: the functions. inside: rows placed by
            functions made with them; outside: by functions made without them. alone: of every column. spreads: Box's
            M. tolerance: of every column, the part of its spread within groups that no other column has.
    """

    spec: DiscriminantSpec
    columns: list[str]
    levels: list[str]
    place: Any
    numbers: Any
    rows: RowsUsed
    d: Discriminant
    priors: Floats
    inside: Placed
    outside: Placed
    alone: list[Alone]
    spreads: Spreads
    tolerance: Floats

    def right(self, found: Placed) -> tuple[int, int]:
        """Rows that fall into their own group, and rows that can be placed."""
        known = found.chosen >= 0
        return int((found.chosen[known] == self.d.codes[known]).sum()), int(known.sum())

    def counts(self, found: Placed) -> Floats:
        """Rows of each group (down) by the group they are put into (across)."""
        known = found.chosen >= 0
        out = np.zeros((self.d.groups, self.d.groups))
        np.add.at(out, (self.d.codes[known], found.chosen[known]), 1)
        return out

    @property
    def largest(self) -> float:
        """Share of rows in the largest group: what is right by putting all rows there."""
        return float(self.d.sizes.max()) / self.d.n


def compute(
    table: Table, spec: DiscriminantSpec, progress: Callable[[float, str], None] = lambda _part, _what: None
) -> Told:
    """Raises DataProblem for columns that cannot tell, and for too few rows."""
    if not spec.groups:
        raise DataProblem("Telling groups apart needs groups: choose a column.")
    columns = list(dict.fromkeys(spec.columns))
    if not columns or len(columns) > MOST_COLUMNS:
        raise DataProblem(
            f"{len(columns)} columns are too many; {MOST_COLUMNS} is the most." if columns else "Choose columns."
        )
    if spec.groups in columns:
        raise DataProblem(f"{spec.groups} cannot tell groups apart and be the groups.", column=spec.groups)
    raw = np.column_stack([table.numbers(c) for c in columns])
    coded = table.codes(spec.groups)
    use: Any = ~np.isnan(raw).any(axis=1) & (coded.codes >= 0)
    rows = used_where(table, use, "a column or the group is empty")
    if not use.any():
        raise DataProblem("No row is filled in every column.", column=columns[0])
    levels, codes = grouped_as(coded, use, spec.groups)
    x = raw[use]
    _refuse(x, codes, levels, columns, spec.groups)
    progress(0.2, "Functions")
    d = discriminant(x, codes, len(levels))
    priors = d.sizes / d.n if spec.prior == "observed" else np.full(d.groups, 1 / d.groups)
    progress(0.5, "Rows put into groups")
    spread = np.sqrt(np.diag(d.pooled))
    tolerance = 1 / np.diag(np.linalg.inv(d.pooled / np.outer(spread, spread)))
    place = np.flatnonzero(use)
    return Told(
        spec, columns, levels, place, table.rows[place], rows, d, priors, placed(d, priors), left_out(d, priors),
        each_alone(d), box(d), np.asarray(tolerance),
    )  # fmt: skip


def _refuse(x: Floats, codes: Any, levels: list[str], columns: list[str], groups: str) -> None:
    if len(levels) > MOST_GROUPS:
        raise DataProblem(f"{groups} has {len(levels)} levels; {MOST_GROUPS} groups is the most.", column=groups)
    if len(x) - len(levels) < len(columns) + 1:
        raise DataProblem(
            f"{len(x)} rows in {len(levels)} groups are too few for {len(columns)} columns;"
            f" {len(levels) + len(columns) + 1} are needed.",
            column=groups,
        )
    odd = made_up(x, codes, len(levels))
    if odd:
        name = columns[odd[0]]
        flat = bool(np.all([np.ptp(x[codes == g, odd[0]]) == 0 for g in range(len(levels))]))
        why = (
            "is the same in every row of each group: nothing varies within groups"
            if flat
            else "is made up of the columns before it within groups"
        )
        raise DataProblem(f"{name} {why}. Leave it out.", column=name)
