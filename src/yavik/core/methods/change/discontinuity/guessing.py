"""What chosen columns are to a jump: outcome, score, treatment, and where the rule turns."""

from typing import Any

import numpy as np

from yavik.core.answers.wording import given
from yavik.core.methods.kit.roles import chosen_in
from yavik.core.table import Kind, Table

NUMBERS = (Kind.measure, Kind.count)
FEWEST = 20
"""Different scores below which a column is not taken for one."""


def suits(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """How well chosen columns suit it: a yes/no column that turns at one value of a measure, and a measure that may
    jump."""
    chosen = chosen_in(spec)
    scores = [n for n in chosen if table.column(n).kind in NUMBERS]
    for name in table.names:
        if table.column(name).kind is not Kind.yes_no and name not in chosen:
            continue
        for score in scores:
            at = turning(table, score, name) if score != name else None
            if at is None:
                continue
            others = [n for n in scores if n != score]
            spec.clear()
            spec |= {"running": score, "cutoff": at}
            if others:
                spec["outcome"] = others[0]
            got = next((n for n in chosen if n != name and n not in scores), None)
            if got:
                spec["treatment"] = got
            if others[1:]:
                spec["placebo_outcomes"] = others[1:]
            return 24 if others else -6, f"{table.column(name).title} turns at {given(at)}"
    return -30, "a rule with a cut-off"


def turning(table: Table, score: str, treated: str) -> float | None:
    """The roundest value that parts two levels of a column by a score; None where none does."""
    column = table.column(treated)
    if column.kind in NUMBERS or column.kind is Kind.date:
        return None
    codes = table.codes(treated)
    if len(codes.levels) != 2:
        return None
    values = table.numbers(score)
    known = np.isfinite(values) & (codes.codes >= 0)
    one, two = values[known & (codes.codes == 0)], values[known & (codes.codes == 1)]
    if min(len(one), len(two)) == 0 or len(np.unique(values[known][:5000])) < FEWEST:
        return None
    low, high = (one, two) if one.max() < two.min() else (two, one)
    a, b = float(low.max()), float(high.min())
    if not a < b:
        return None
    for digits in range(-6, 12):
        at = float(np.round(np.floor(b * 10.0**digits) / 10.0**digits, max(digits, 0)))
        if a < at <= b:
            return at
    return b
