"""What chosen columns are to a panel: outcome, terms, unit and time."""

from typing import Any

from yavik.core.methods.kit.roles import chosen_in, constant_within, names_units, once_at_a_time, orders
from yavik.core.table import Kind, Table

NUMBERS = (Kind.measure, Kind.count)


def suits(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """How well chosen columns suit it. A table that says which column is the unit and which the time is believed."""
    chosen = chosen_in(spec)
    known = table.about.panel
    unit = known.unit if known else next((n for n in chosen if names_units(table, n)), None)
    time = known.time if known else None
    if unit and not time:
        others = [n for n in chosen if n != unit]
        time = next(
            (
                n
                for n in others
                if orders(table, n) and once_at_a_time(table, unit, n) and not constant_within(table, unit, n)
            ),
            None,
        )
    if not unit or not time:
        return -30, "units over time"
    rest = [n for n in chosen if n not in (unit, time)]
    outcome = next((n for n in rest if table.column(n).kind in NUMBERS), None)
    terms = [n for n in rest if n != outcome]
    if not outcome or not terms or len(table.codes(time).levels) < 2:
        return -30, "units over time"
    spec.clear()
    spec |= {"outcome": outcome, "terms": terms, "unit": unit, "time": time}
    moving = any(not constant_within(table, unit, n) for n in terms)
    return (27 if known and moving else 4), "units over time" + (", as the table says" if known else "")
