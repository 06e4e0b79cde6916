"""What chosen columns are to a mixed model: units, subjects, times, treatments.

Read from the table, never silently kept: the check of the design says what each was taken for.
"""

from typing import Any

from yavik.core.methods.kit.roles import constant_within, names_units, once_at_a_time, orders
from yavik.core.table import Kind, Table


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
        if orders(table, n) and once_at_a_time(table, subject, n) and not constant_within(table, subject, n)
    ]
    numbers = [n for n in others if table.column(n).kind in (Kind.measure, Kind.count)]
    time = min(times, key=lambda n: len(table.codes(n).levels), default=None)
    measured = [n for n in numbers if n != time]
    if time is None or not measured:
        return -30, "subjects over time"
    response = spec["response"] if spec.get("response") in measured else measured[0]
    rest = [n for n in others if n not in (time, response)]
    between = [
        n
        for n in rest
        if table.column(n).kind not in (Kind.measure, Kind.date) and constant_within(table, subject, n)
    ]
    covariates = [n for n in rest if n not in between]
    spec |= {"response": response, "subject": subject, "time": time, "between": between, "covariates": covariates}
    within = [n for n in covariates if not constant_within(table, subject, n)]
    return (26 if within else 19), "subjects at several times"


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
        orders(table, n) and once_at_a_time(table, finest, n)
        for n in [*spec.get("terms", []), spec.get("response")]
        if n
    ):
        return 6, "rows that belong together, over time"
    return (18 if measures or len(chosen) > 2 else 6), "rows that belong together by numbered units"
