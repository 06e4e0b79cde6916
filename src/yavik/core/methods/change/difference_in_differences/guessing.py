"""What chosen columns are to a difference in differences: outcome, period, who was treated, and what was followed."""

from typing import Any

import numpy as np

from yavik.core.methods.change.difference_in_differences.data import AFTER, BEFORE, MOST_PERIODS
from yavik.core.methods.kit.roles import chosen_in, constant_within, names_units, once_at_a_time, orders
from yavik.core.table import Kind, Table
from yavik.core.table.level_numbers import plain_level

NUMBERS = (Kind.measure, Kind.count)


def suits(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """How well chosen columns suit it. They are put into their slots; the unit and the last period before are sought
    among the table's other columns."""
    chosen = chosen_in(spec)
    unit = next((n for n in chosen if names_units(table, n)), None)
    rest = [n for n in chosen if n != unit]
    starts, period = _started(table, rest, unit) or (None, None)
    if ("starts" in spec) != (starts is not None and "treated" not in spec):
        return -30, "periods and who was treated"
    if period is None:
        period = next((n for n in rest if _halves(table, n)), None) or next(
            (n for n in rest if _times(table, n)), None
        )
    other = [n for n in rest if n != period]
    treated = starts or next((n for n in other if _two(table, n)), None)
    outcome = next((n for n in other if n != treated and table.column(n).kind in NUMBERS), None)
    if not (period and treated and outcome):
        return -30, "periods and who was treated"
    unit = unit or next((n for n in table.names if n not in rest and _followed(table, n, period)), None)
    found: dict[str, Any] = {"outcome": outcome, "period": period, "starts" if starts else "treated": treated}
    covariates = [n for n in rest if n not in found.values()]
    found |= {"unit": unit} if unit else {}
    found |= {"covariates": covariates} if covariates else {}
    if not (starts or _halves(table, period) or (unit and not constant_within(table, unit, treated))):
        base = _last_before(table, period)
        if base is None:
            return -30, "periods and who was treated"
        found["base"] = base
    spec.clear()
    spec |= found
    return 30, "before and after, treated or not"


def _words(table: Table, name: str) -> set[str]:
    return {str(x).casefold().strip() for x in table.codes(name).levels}


def _halves(table: Table, name: str) -> bool:
    """Whether a column says before and after in words."""
    if table.column(name).kind in NUMBERS:
        return False
    words = _words(table, name)
    return len(words) == 2 and bool(words & BEFORE) and bool(words & AFTER)


def _two(table: Table, name: str) -> bool:
    kind = table.column(name).kind
    return kind not in (Kind.measure, Kind.date, Kind.text) and len(table.codes(name).levels) == 2


def _times(table: Table, name: str) -> bool:
    return orders(table, name) and 2 <= len(table.codes(name).levels) <= MOST_PERIODS and not names_units(table, name)


def _followed(table: Table, name: str, period: str) -> bool:
    """Units that are seen in several periods."""
    if not names_units(table, name):
        return False
    who, when = table.codes(name).codes, table.codes(period).codes
    both = (who >= 0) & (when >= 0)
    return once_at_a_time(table, name, period) or len(np.unique(when[both])) == 2


def _started(table: Table, names: list[str], unit: str | None) -> tuple[str, str] | None:
    """A column of starts with its periods: the same within units, filled for some of them, and with periods as its
    values
    (or called a start)."""
    for name in names:
        if table.column(name).kind not in (Kind.count, Kind.measure, Kind.date, Kind.ordered):
            continue
        called = any(w in name.casefold() for w in ("start", "since", "began", "begin", "first_treated", "adopt"))
        own = {plain_level(x) for x in table.codes(name).levels}
        if len(own) > MOST_PERIODS or (unit and not constant_within(table, unit, name)):
            continue
        for period in names:
            if period == name or not _times(table, period) or (unit and constant_within(table, unit, period)):
                continue
            when = {plain_level(x) for x in table.codes(period).levels}
            some = bool((table.codes(name).codes < 0).any())
            if own and len(own) < len(when) and (own <= when and (some or called) and (unit or called)):
                return name, period
    return None


def _last_before(table: Table, period: str) -> str | None:
    """The last period that another column calls before."""
    when = table.codes(period)
    for name in table.names:
        if name == period or table.column(name).kind in (*NUMBERS, Kind.date) or not _halves(table, name):
            continue
        half = table.codes(name)
        before = {i for i, x in enumerate(half.levels) if x.casefold().strip() in BEFORE}
        early = np.isin(half.codes, list(before))
        told = (half.codes >= 0) & (when.codes >= 0)
        if told.any() and (early & told).any() and when.codes[early & told].max() < when.codes[~early & told].min():
            return str(when.levels[int(when.codes[early & told].max())])
    return None
