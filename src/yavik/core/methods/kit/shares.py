"""What questions about counts share: columns of levels, weights of rows, the kinds their slots take."""

import math
from collections.abc import Callable

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import among, counted, level_words, number, percent, span
from yavik.core.stats.direction import Alternative
from yavik.core.stats.groups import Floats
from yavik.core.table import Codes, DataProblem, Kind, Table

LEVELS = ["category", "ordered", "yes_no", "count", "text"]
MOST_LEVELS = 60


def levels_of(table: Table, name: str, most: int = MOST_LEVELS) -> Codes:
    """Codes of a column; raises DataProblem for too many levels or none."""
    coded = table.codes(name)
    if len(coded.levels) > most:
        raise DataProblem(
            f"{name} has {len(coded.levels)} different values; this question takes up to {most}. Join some in the"
            " table, or choose another column.",
            column=name,
        )
    if not np.any(coded.codes >= 0):
        raise DataProblem(f"{name} has no filled cell {among(table.n_rows)}.", column=name)
    return coded


def weights(table: Table, count: str | None) -> Floats:
    """How often each row counts: once, or by a column of counts. Raises DataProblem for negative or broken ones."""
    if count is None:
        return np.ones(table.n_rows)
    values = table.numbers(count)
    bad = ~np.isnan(values) & ((values < 0) | (values != np.floor(values)))
    if bad.any():
        rows = table.rows[bad]
        raise DataProblem(
            f"{count} counts rows, but {counted(int(bad.sum()), 'value is', 'values are')} not a whole number of zero"
            " or more.",
            column=count,
            rows=rows.tolist(),
        )
    return np.where(np.isnan(values), 0.0, values)


def is_ordered(table: Table, name: str) -> bool:
    """Whether a column's levels have an order."""
    return table.column(name).kind in (Kind.ordered, Kind.count, Kind.yes_no)


def points(difference: float) -> str:
    """A difference of shares in percentage points."""
    return number(100 * difference, 1)


def ends_of(low: float, high: float, words: Callable[[float], str], alternative: Alternative = "two_sided") -> str:
    """An interval in words; a one-sided one names its one end."""
    open_low, open_high = alternative == "less", alternative == "greater"  # the scale's own end says nothing
    return span(-math.inf if open_low else low, math.inf if open_high else high, words)


def percent_ci(
    low: float, high: float, alpha: float | None, alternative: Alternative = "two_sided", what: str = "CI"
) -> q.Row:
    """The cells of an interval of shares in per cent; without α in a column without a head."""
    title = f"{level_words(alpha)} {what}" if alpha is not None else None
    return q.row(
        ci_low=q.texted(low, ends_of(low, high, percent, alternative), title, "interval"),
        ci_high=q.texted(high, percent(high), None),
    )
