"""Whole columns as values of an expression: numbers, texts and truths, each with its empty cells."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pyarrow as pa

from yavik.core.table import CODED, NUMERIC, Column, Kind, Level, Table
from yavik.core.table.infer import decimals_of, infer

Sort = Literal["number", "text", "truth"]


@dataclass(frozen=True)
class Vec:
    """One value per row, or one for all rows (shape ()). ``empty`` has the same shape.

    Text is kept as codes into ``levels`` so that comparing a million cells compares a few words.
    """

    sort: Sort
    data: Any
    empty: Any
    levels: tuple[str, ...] = ()
    whole: bool = False
    """True for numbers that are counts: a result made of them can be a count."""
    aliases: tuple[str, ...] = ()
    """The values behind the levels' labels, so that either may be written."""


def from_column(table: Table, name: str) -> Vec:
    column = table.column(name)
    if column.kind in NUMERIC:
        array = table.array(name)
        # No empty cells are one False for all rows: most columns have none, and masks cost as much as numbers.
        empty = array.is_null().to_numpy(zero_copy_only=False) if array.null_count else np.bool_(False)
        data = (array.fill_null(0) if array.null_count else array).cast(pa.float64()).to_numpy(zero_copy_only=False)
        return Vec("number", data, empty, whole=column.kind is Kind.count)
    if column.kind is Kind.date:
        days = table.array(name).cast(pa.int64()).fill_null(0).to_numpy(zero_copy_only=False) / 86_400_000_000
        return Vec("number", days, table.empty(name))
    codes = table.codes(name)
    empty = codes.codes < 0 if table.array(name).null_count else np.bool_(False)
    values = tuple(level.value for level in column.levels) if column.kind in CODED else ()
    return Vec("text", codes.codes, empty, codes.levels, aliases=values)


def constant(value: float | str | bool) -> Vec:
    if isinstance(value, bool):
        return Vec("truth", np.bool_(value), np.bool_(False))
    if isinstance(value, str):
        return Vec("text", np.int32(0), np.bool_(False), (value,))
    return Vec("number", np.float64(value), np.bool_(False), whole=isinstance(value, int))


def numeric(data: Any, empty: Any, whole: bool = False) -> Vec:
    """Numbers, with what cannot be computed (0/0, log of a negative) left empty."""
    bad = np.isnan(data)
    if not bad.any():
        return Vec("number", data, empty, whole=whole)
    return Vec("number", np.where(bad, 0.0, data), empty | bad, whole=whole)


def align(a: Vec, b: Vec) -> tuple[Any, Any, tuple[str, ...]]:
    """Two texts' codes in one set of levels; a label's own value counts as the label."""
    lookup = {word: i for i, word in enumerate(a.levels)}
    for i, value in enumerate(a.aliases):
        lookup.setdefault(value, i)
    levels = list(a.levels)
    move = np.empty(len(b.levels) + 1, np.int32)
    move[-1] = -1
    for j, word in enumerate(b.levels):
        place = lookup.get(word)
        if place is None and j < len(b.aliases):
            place = lookup.get(b.aliases[j])
        if place is None:
            place = len(levels)
            levels.append(word)
            lookup[word] = place
        move[j] = place
    return a.data, move[b.data], tuple(levels)


def to_column(name: str, value: Vec, rows: int) -> tuple[Column, Any]:
    """A result as a column: truths become yes/no, whole numbers of counts a count, few words a category."""
    empty = np.broadcast_to(value.empty, rows)
    data = np.broadcast_to(value.data, rows)
    if value.sort == "truth":
        codes = pa.array(data.astype(np.int32), pa.int32(), mask=empty.copy())
        column = Column(name=name, kind=Kind.yes_no, levels=(Level(value="no"), Level(value="yes")))
        return column, pa.DictionaryArray.from_arrays(codes, pa.array(["no", "yes"], pa.string()))
    if value.sort == "text":
        codes = pa.array(data.astype(np.int32), pa.int32(), mask=empty.copy())
        words = pa.DictionaryArray.from_arrays(codes, pa.array(value.levels, pa.string()))
        return infer(name, words)
    filled = data[~empty] if value.whole else data[:0]
    if value.whole and len(filled) and np.all(filled == np.floor(filled)) and np.abs(filled).max() < 2**53:
        whole = np.where(empty, 0, data).astype(np.int64)
        return Column(name=name, kind=Kind.count), pa.array(whole, pa.int64(), mask=empty.copy())
    masked = bool(empty.any())
    array = pa.array(data.astype(np.float64, copy=False), pa.float64(), mask=empty.copy() if masked else None)
    return Column(name=name, kind=Kind.measure, decimals=min(4, decimals_of(array))), array
