"""Texts from outside without what no document, page or database can hold: control characters, broken halves of
characters."""

import json
import math
import re
from collections.abc import Callable
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table.problem import DataProblem

NOT_TEXT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ufdd0-\ufdef\ufffe\uffff\ud800-\udfff]")
"""Tab and line ends are texts' own; all other controls, noncharacters and lone surrogates are not."""
MARKED = re.compile(r"\\u00[01][0-9a-f]|[\x7f\ufdd0-\ufdef\ufffe\uffff\ud800-\udfff]")
"""The same in JSON, whose writer escapes the controls; one that is a text's own costs a walk and no more."""
IN_ARROW = "[\\x00-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\\x{fdd0}-\\x{fdef}\\x{fffe}\\x{ffff}]"


def cleaned(text: str) -> str:
    """The text without characters that are none."""
    return NOT_TEXT.sub("", text) if NOT_TEXT.search(text) else text


MOST_NUMBER = 2**63
"""Whole numbers beyond it fit no database and no table."""


def _walked(data: Any, leaf: Callable[[Any], Any]) -> Any:
    if isinstance(data, dict):
        return {leaf(k): _walked(v, leaf) for k, v in data.items()}
    if isinstance(data, list | tuple):
        return [_walked(v, leaf) for v in data]
    return leaf(data)


def cleaned_deep(data: Any) -> Any:
    """JSON data with every text cleaned, keys too."""
    try:
        # Nearly always nothing is to be cleaned: one search through the whole is quicker than a walk to every leaf.
        if not MARKED.search(json.dumps(data, ensure_ascii=False)):
            return data
    except (TypeError, ValueError):
        pass  # no JSON as it stands: leaves of other kinds are left as they are
    return _walked(data, lambda v: cleaned(v) if isinstance(v, str) else v)


def keepable(data: Any) -> Any:
    """JSON data as it may be kept: texts cleaned, keys too. Raises DataProblem for numbers that nothing can hold."""
    return _walked(data, _kept)


def _kept(value: Any) -> Any:
    if isinstance(value, int) and abs(value) >= MOST_NUMBER:
        raise DataProblem("A whole number here has more than 18 digits; none so large can be kept.")
    if isinstance(value, float) and not math.isfinite(value):
        raise DataProblem("A number here is not finite; it cannot be kept.")
    return cleaned(value) if isinstance(value, str) else value


def cleaned_array(array: Any) -> Any:
    """An Arrow array of texts with every text cleaned; other arrays as they are."""
    kind = array.type
    if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
        return array
    if not pc.any(pc.match_substring_regex(array, IN_ARROW)).as_py():
        return array
    return pc.replace_substring_regex(array, IN_ARROW, "")
