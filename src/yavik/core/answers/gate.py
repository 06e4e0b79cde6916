"""What no answer may hold: a number that is none, as a value or in words."""

import math
import re
from collections.abc import Iterator
from typing import Any

from yavik.core.answers.answer import Answer
from yavik.core.answers.wording import NoNumber

NONE = re.compile(r"(?<![\w'’])[-−+]?(?:nan|inf(?:inity)?)(?![\w'’])|(?<=[=<>] )an(?=[ .,;)]|$)", re.I)
"""Words that a number that is none leaves in a text; 'p = an' is what is left of nan without its first letter."""
QUIET = {"drawing", "figure", "spec", "id", "key", "type", "style", "remedies", "model", "variants"}
"""Parts of an answer that hold no sentences."""


def demand_numbers(answer: Answer, own: set[str]) -> None:
    """Raises NoNumber where a value is not finite, or a text says that one is none.

    Args:
        own: the researcher's own words, which may be anything.
    """
    data = answer.model_dump()
    # A name at the start of a sentence has a capital, so letters' case does not count.
    names = sorted((w.casefold() for w in own if NONE.search(w)), key=len, reverse=True)
    for path, value in _leaves(data, ""):
        if isinstance(value, float) and not math.isfinite(value):
            raise NoNumber(f"{path} is {value}")
        if isinstance(value, str) and NONE.search(value):
            rest = value.casefold()
            for name in names:
                rest = rest.replace(name, "·")
            if NONE.search(rest):
                raise NoNumber(f"{path}: {value[:200]!r}")


def _leaves(data: Any, path: str) -> Iterator[tuple[str, Any]]:
    if isinstance(data, dict):
        for key, value in data.items():
            if key not in QUIET:
                yield from _leaves(value, f"{path}.{key}")
    elif isinstance(data, list | tuple):
        for i, value in enumerate(data):
            yield from _leaves(value, f"{path}[{i}]")
    else:
        yield path, data
