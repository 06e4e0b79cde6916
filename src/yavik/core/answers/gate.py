"""What no answer may hold: a number that is none, as a value or in words."""

import math
import re
from typing import Any

from yavik.core.answers.answer import Answer
from yavik.core.answers.wording import NoNumber

NONE = re.compile(r"(?<![\w'’])[-−+]?(?:nan|inf(?:inity)?)(?![\w'’])|(?<=[=<>] )an(?=[ .,;)]|$)", re.I)
"""Words that a number that is none leaves in a text; 'p = an' is what is left of nan without its first letter."""
QUIET = {"drawing", "figure", "spec", "id", "key", "type", "style", "remedies", "opens", "model", "variants"}
"""Parts of an answer that hold no sentences."""


def demand_numbers(answer: Answer, own: set[str]) -> None:
    """Raises NoNumber where a value is not finite, or a text says that one is none.

    Args:
        own: the researcher's own words, which may be anything.
    """
    data = answer.model_dump(exclude={"blocks": {"__all__": {"drawing", "figure"}}, "spec": True, "model": True})
    # A name at the start of a sentence has a capital, so letters' case does not count.
    names = sorted((w.casefold() for w in own if NONE.search(w)), key=len, reverse=True)
    waiting: list[tuple[str, Any]] = [("", data)]
    while waiting:
        path, value = waiting.pop()
        if isinstance(value, dict):
            waiting += [(key, v) for key, v in value.items() if v is not None and key not in QUIET]
        elif isinstance(value, list | tuple):
            waiting += [(path, v) for v in value]
        elif isinstance(value, float):
            if not math.isfinite(value):
                raise NoNumber(f"{path} is {value}")
        elif isinstance(value, str) and NONE.search(value):
            rest = value.casefold()
            for name in names:
                rest = rest.replace(name, "·")
            if NONE.search(rest):
                raise NoNumber(f"{path}: {value[:200]!r}")
