"""What counts as an event: the one rule for every question about shares, odds and probabilities.

The event is decided from a column's levels, never from how often a level occurs:

1. a level that says *yes* or *true* (in the file or by its label);
2. where every level is one side of a pair (0 and 1, no and yes, n and y …), the side that means yes, also when
   no row has it: a column that is all 0 has no events, not only events;
3. else the last level. A 1 among other numbers is a number, not a yes.
"""

from collections.abc import Sequence

from yavik.core.answers.wording import among
from yavik.core.table import DataProblem, Kind, Table
from yavik.core.table.infer import NO, YES

PLAIN = ("yes", "true")
OTHER_SIDE = {"no": "yes", "false": "true", "n": "y", "0": "1", "nein": "ja", "non": "oui", "f": "t"}


def says_yes(levels: Sequence[str]) -> int | None:
    """Place of the level that plainly means yes; None where the levels are of another sort."""
    words = [level.strip().casefold() for level in levels]
    plain = next((i for i, w in enumerate(words) if w in PLAIN), None)
    if plain is None and all(w in YES or w in NO for w in words):
        return next((i for i, w in enumerate(words) if w in YES), None)
    return plain


def plain_event(table: Table, name: str) -> int | None:
    """Place of the level of a column that plainly means yes, by its label or its value."""
    words, values = table.codes(name).levels, [level.value for level in table.column(name).levels]
    place = says_yes(words)
    return place if place is not None or not values else says_yes(values)


def event_word(levels: Sequence[str], values: Sequence[str] = ()) -> str:
    """The event in words; it need not be among the levels (rule 2).

    Args:
        levels: as shown.
        values: as they stand in the file, in the same order; they speak where labels do not.
    """
    for words in (levels, values):
        place = says_yes(words) if words else None
        if place is not None:
            return levels[place]
    words = [level.strip().casefold() for level in levels]
    return OTHER_SIDE[words[0]] if words[0] in OTHER_SIDE and len(words) == 1 else levels[-1]


def event_in(table: Table, names: Sequence[str]) -> str:
    """One event for columns that are compared with one another: their levels are taken together."""
    levels: dict[str, str] = {}
    for name in sorted(names, key=lambda n: -len(table.codes(n).levels)):  # a column with every level gives the order
        words = table.codes(name).levels
        own = [level.value for level in table.column(name).levels] or list(words)
        for word, value in zip(words, own, strict=False):
            levels.setdefault(word, value)
    if not levels:
        raise DataProblem(f"{names[0]} has no filled cell {among(table.n_rows)}.", column=names[0])
    return event_word(list(levels), list(levels.values()))


def place_of(table: Table, name: str, event: str | None) -> tuple[str, int]:
    """The event of one column, in words and as a place among its levels (−1: no row has it, but one could).

    Raises:
        DataProblem: an event is named that the column cannot have.
    """
    levels = table.codes(name).levels
    word = event_in(table, [name]) if event is None else event
    if word in levels:
        return word, levels.index(word)
    number = table.column(name).kind is Kind.count and word.lstrip("-").isdigit()
    if event is not None and not number and event != event_word(levels):
        raise DataProblem(f"{name} has no level '{event}'. It has {', '.join(levels[:8])}.", column=name)
    return word, -1
