"""Levels whose names are numbers: '10 mg', 'week 2', '1,000'; and those whose names only hold some."""

import re
from collections.abc import Sequence

import numpy as np

from yavik.core.table.table import Floats

NUMBER = re.compile(r"[-+−]?(?:\d+(?:[.,]\d+)?|\d{1,3}(?:[,\u202f\u2009 ]\d{3})+(?:\.\d+)?)")
THOUSANDS = re.compile(r"[-+−]?[1-9]\d{0,2}(?:[,\u202f\u2009 ]\d{3})+(?:\.\d+)?")
WORDS = re.compile(r"[^\d]*?(?:[^\W\d_]|%)[^\d]*")
"""What may stand before or after a number, the same in every level: a word, such as 'week' or 'mg'."""


def level_numbers(names: Sequence[str]) -> Floats | None:
    """The number that each level's name plainly is, beside words that all levels share; None where one is none.

    In 'week-1, week-2' the dash belongs to the word; in '-1, 0, 1' it is a sign. '1,000' is a thousand where every
    comma is followed by three digits, else the comma is the decimal mark.
    """
    cleaned = [n.strip() for n in names]
    before, after = _shared(cleaned), _shared([n[::-1] for n in cleaned])[::-1]
    rest = [n[len(before) : len(n) - len(after)].strip() for n in cleaned]
    if not all(NUMBER.fullmatch(n) for n in rest):
        return None
    with_comma = [n for n in rest if "," in n]
    thousands = all(THOUSANDS.fullmatch(n) for n in with_comma)
    return np.array([_value(n, thousands) for n in rest])


def _shared(names: Sequence[str]) -> str:
    """The words that every name begins with; a bare sign or digit is no word."""
    found = WORDS.match(names[0]) if names else None
    full = re.match(r"[^\d]*", names[0]) if found else None
    prefix = full.group(0) if full else ""
    return (
        prefix
        if prefix and all(n.startswith(prefix) and n[len(prefix) : len(prefix) + 1].isdigit() for n in names)
        else ""
    )


def _value(text: str, thousands: bool) -> float:
    text = re.sub(r"[\u202f\u2009 ]", "", text.replace("−", "-"))
    return float(text.replace(",", "" if thousands else "."))


def plain_level(level: str) -> str:
    """A level of numbers without an idle decimal: '8' for '8.0', as a measure's level has it."""
    return level[:-2] if NUMBER_WITH_NOUGHT.fullmatch(level) else level


NUMBER_WITH_NOUGHT = re.compile(r"[-−]?\d+\.0")
