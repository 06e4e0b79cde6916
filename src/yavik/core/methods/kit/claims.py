"""What a p allows to be said."""

import math

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import number, span


def claimed(claim: str, shown: bool) -> str:
    """'Mean yield differs by plot', or 'There is no evidence that mean yield differs by plot': never that it does
    not."""
    return f"{claim[0].upper()}{claim[1:]}" if shown else f"There is no evidence that {claim}"


def at_alpha(p: float, alpha: float, shown: str = "differ", why: str = q.HERE) -> q.Quantity:
    """The word of one test in a table of several: 'differ' or 'no evidence'."""
    title = "At this α"
    return q.word(shown if p < alpha else "no evidence", title) if math.isfinite(p) else q.gone(why, title, "word")


def ends(low: float, high: float, decimals: int) -> str:
    """An interval in a sentence: '1.2 to 3.4', or 'above 1.2' where one end is open."""
    if math.isinf(high) and math.isinf(low):
        return "cannot be given with so few values"
    return span(low, high, lambda x: number(x, decimals))
