"""What chosen columns can be: units, times, what never changes within a unit.

Read from the table, so that a sentence fills itself; the answer says what each was taken for.
"""

from typing import Any

import numpy as np

from yavik.core.stats.numbering import lies_within, occurring
from yavik.core.table import Kind, Table
from yavik.core.table.level_numbers import level_numbers

FEWEST = 3
"""Units of a column that is taken for one."""


class Filled(dict[str, Any]):
    """A spec with chosen columns put into slots, and the columns in the order in which they were chosen."""

    def __init__(self, chosen: list[str]) -> None:
        super().__init__()
        self.chosen = chosen


def chosen_in(spec: dict[str, Any]) -> list[str]:
    """Columns in the order in which they were chosen, or as they stand in a spec."""
    if isinstance(spec, Filled):
        return list(spec.chosen)
    values = [v for k in spec.values() for v in (k if isinstance(k, list) else [k])]
    return list(dict.fromkeys(v for v in values if isinstance(v, str)))


def names_units(table: Table, name: str) -> bool:
    """Whether a column's levels are numbered names, each on several rows: hall 1, hall 2; C01, C02."""
    column = table.column(name)
    if column.kind in (Kind.measure, Kind.count, Kind.date, Kind.yes_no):
        return False
    codes = table.codes(name)
    there = np.bincount(codes.codes[codes.codes >= 0], minlength=len(codes.levels))
    if (there > 0).sum() < FEWEST or there.sum() < 2 * (there > 0).sum():
        return False
    if column.kind is Kind.identifier:
        return True
    levels = [codes.levels[i] for i in np.flatnonzero(there)]
    return level_numbers(levels) is not None and not all(_is_number(x) for x in levels)


def _is_number(text: str) -> bool:
    try:
        float(text.replace(",", ".").replace("−", "-"))
    except ValueError:
        return False
    return True


def once_at_a_time(table: Table, subject: str, time: str) -> bool:
    """Whether no subject has two rows at a time, and most have several times."""
    who, when = table.codes(subject), table.codes(time)
    both = (who.codes >= 0) & (when.codes >= 0)
    if not both.any():
        return False
    key = who.codes[both].astype(np.int64) * (len(when.levels) + 1) + when.codes[both]
    return len(occurring(key)) == len(key) and len(key) >= 2 * len(occurring(who.codes[both]))


def orders(table: Table, name: str) -> bool:
    """Whether a column's levels stand in an order that can be time: few whole numbers, dates, numbered names."""
    column = table.column(name)
    if column.kind is Kind.measure:
        return False
    return column.kind in (Kind.date, Kind.ordered, Kind.count) or level_numbers(table.codes(name).levels) is not None


def constant_within(table: Table, subject: str, name: str) -> bool:
    """Whether a column is the same on all rows of a subject."""
    who, what = table.codes(subject).codes, table.codes(name).codes
    both = (who >= 0) & (what >= 0)
    return lies_within(who[both], what[both])
