"""Texts from outside without what no document, page or database can hold: control characters, broken halves of characters."""

import math
import re
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table.problem import DataProblem

NOT_TEXT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ufdd0-\ufdef\ufffe\uffff\ud800-\udfff]")
"""Tab and line ends are texts' own; all other controls, noncharacters and lone surrogates are not."""
IN_ARROW = "[\\x00-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\\x{fdd0}-\\x{fdef}\\x{fffe}\\x{ffff}]"


def cleaned(text: str) -> str:
    """The text without characters that are none."""
    return NOT_TEXT.sub("", text) if NOT_TEXT.search(text) else text


def cleaned_deep(data: Any) -> Any:
    """JSON data with every text cleaned, keys too; the same object where nothing had to be."""
    if isinstance(data, str):
        return cleaned(data)
    if isinstance(data, dict):
        return {cleaned(k) if isinstance(k, str) else k: cleaned_deep(v) for k, v in data.items()}
    if isinstance(data, list | tuple):
        return [cleaned_deep(v) for v in data]
    return data


MOST_NUMBER = 2**63
"""Whole numbers beyond it fit no database and no table."""


def keepable(data: Any) -> Any:
    """JSON data as it may be kept: texts cleaned, keys too. Raises DataProblem for numbers that nothing can hold."""
    if isinstance(data, dict):
        return {cleaned(k) if isinstance(k, str) else k: keepable(v) for k, v in data.items()}
    if isinstance(data, list | tuple):
        return [keepable(v) for v in data]
    if isinstance(data, int) and abs(data) >= MOST_NUMBER:
        raise DataProblem("A whole number here has more than 18 digits; none so large can be kept.")
    if isinstance(data, float) and not math.isfinite(data):
        raise DataProblem("A number here is not finite; it cannot be kept.")
    return cleaned(data) if isinstance(data, str) else data


def cleaned_array(array: Any) -> Any:
    """An Arrow array of texts, or of levels, with every text cleaned; other arrays as they are."""
    kind = array.type
    if pa.types.is_dictionary(kind):
        words = array.dictionary.cast(pa.large_string())
        fresh = cleaned_array(words)
        if fresh is words:
            return array
        return pa.DictionaryArray.from_arrays(array.indices, fresh).dictionary_decode()
    if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
        return array
    if not pc.any(pc.match_substring_regex(array, IN_ARROW)).as_py():
        return array
    return pc.replace_substring_regex(array, IN_ARROW, "")
