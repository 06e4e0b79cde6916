"""What chosen columns are to a mixed model: units, subjects, times, treatments.

Read from the table, never silently kept: the check of the design says what each was taken for.
"""

from typing import Any

import numpy as np

from yavik.core.table import Kind, Table
from yavik.core.table.level_numbers import level_numbers

FEWEST = 3
"""Units of a column that is taken for one."""


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
    return len(np.unique(key)) == len(key) and len(key) >= 2 * len(np.unique(who.codes[both]))


def suits(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """How well chosen columns suit a mixed model. Names of units are put into their slot, the rest among the terms."""
    return _over_time(table, spec) if "subject" in spec or "time" in spec else _nested(table, spec)


def _over_time(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    lists = [*spec.get("between", []), *spec.get("covariates", [])]
    chosen = [n for n in (spec.get("response"), spec.get("subject"), spec.get("time"), *lists) if n]
    subject = max(
        (n for n in chosen if names_units(table, n)), key=lambda n: len(table.codes(n).levels), default=None
    )
    if subject is None:
        return -30, "subjects over time"
    others = [n for n in chosen if n != subject]
    times = [
        n
        for n in others
        if _orders(table, n) and once_at_a_time(table, subject, n) and not _between(table, subject, n)
    ]
    numbers = [n for n in others if table.column(n).kind in (Kind.measure, Kind.count)]
    time = min(times, key=lambda n: len(table.codes(n).levels), default=None)
    measured = [n for n in numbers if n != time]
    if time is None or not measured:
        return -30, "subjects over time"
    response = spec["response"] if spec.get("response") in measured else measured[0]
    rest = [n for n in others if n not in (time, response)]
    between = [
        n for n in rest if table.column(n).kind not in (Kind.measure, Kind.date) and _between(table, subject, n)
    ]
    covariates = [n for n in rest if n not in between]
    spec |= {"response": response, "subject": subject, "time": time, "between": between, "covariates": covariates}
    within = [n for n in covariates if not _between(table, subject, n)]
    return (26 if within else 19), "subjects at several times"


def _orders(table: Table, name: str) -> bool:
    """Whether a column's levels stand in an order that can be time: few whole numbers, dates, numbered names."""
    column = table.column(name)
    if column.kind is Kind.measure:
        return False
    return column.kind in (Kind.date, Kind.ordered, Kind.count) or level_numbers(table.codes(name).levels) is not None


def _between(table: Table, subject: str, name: str) -> bool:
    """Whether a column is the same on all rows of a subject."""
    who, what = table.codes(subject).codes, table.codes(name).codes
    both = (who >= 0) & (what >= 0)
    pairs = np.unique(np.column_stack([who[both], what[both]]), axis=0)
    return len(pairs) == len(np.unique(who[both]))


def _nested(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    def plain(values: list[Any]) -> list[str]:
        """Names of columns among terms or units."""
        return [v if isinstance(v, str) else v["units"][-1] for v in values]

    chosen = [*plain(spec.get("terms", [])), *plain(spec.get("random", []))]
    units = [n for n in chosen if names_units(table, n)]
    if not units:
        return -30, "rows that belong together"
    spec["random"] = [{"units": [n]} for n in sorted(units, key=lambda n: len(table.codes(n).levels))]
    spec["terms"] = [n for n in chosen if n not in units]
    if not spec["terms"]:
        del spec["terms"]
    measures = [n for n in spec.get("terms", []) if table.column(n).kind in (Kind.measure, Kind.count)]
    finest = spec["random"][-1]["units"][-1]
    if any(
        _orders(table, n) and once_at_a_time(table, finest, n)
        for n in [*spec.get("terms", []), spec.get("response")]
        if n
    ):
        return 6, "rows that belong together, over time"
    return (18 if measures or len(chosen) > 2 else 6), "rows that belong together by numbered units"
