"""Making columns: from numbers, from words, and one from several."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table import CODED, NUMERIC, Column, Kind, Level, Table
from yavik.core.table.infer import decimals_of

MOST_DECIMALS = 4


def measure(name: str, values: Any, *, like: Column | None = None, decimals: int | None = None) -> tuple[Column, Any]:
    """Numbers as a measure; what is not finite is empty. Decimals follow the data, four at most."""
    values = np.ascontiguousarray(values, dtype=np.float64)
    good = np.isfinite(values)
    array = pa.array(values, pa.float64()) if good.all() else pa.array(values, pa.float64(), mask=~good)
    places = min(MOST_DECIMALS, decimals_of(array)) if decimals is None else decimals
    column = Column(name=name, kind=Kind.measure, decimals=places)
    return (column.but(unit=like.unit) if like else column), array


def whole(name: str, values: Any, empty: Any = None) -> tuple[Column, Any]:
    return Column(name=name, kind=Kind.count), pa.array(np.asarray(values, np.int64), pa.int64(), mask=empty)


def words(name: str, codes: Any, levels: Sequence[Level], kind: Kind = Kind.category) -> tuple[Column, Any]:
    """A coded column; −1 is empty."""
    codes = np.asarray(codes, np.int32)
    indices = pa.array(codes, pa.int32(), mask=codes < 0)
    values = pa.array([lv.value for lv in levels], pa.string())
    return Column(name=name, kind=kind, levels=tuple(levels)), pa.DictionaryArray.from_arrays(indices, values)


def yes_no(name: str, truth: Any, empty: Any = None) -> tuple[Column, Any]:
    levels = (Level(value="no"), Level(value="yes"))
    indices = pa.array(
        np.asarray(truth, np.int32), pa.int32(), mask=empty if empty is not None and empty.any() else None
    )
    array = pa.DictionaryArray.from_arrays(indices, pa.array(["no", "yes"], pa.string()))
    return Column(name=name, kind=Kind.yes_no, levels=levels), array


def emptied(array: Any, mask: Any) -> Any:
    """The array with the cells under the mask empty."""
    if pa.types.is_dictionary(array.type):
        old = array.indices
        mask = np.asarray(mask) | old.is_null().to_numpy(zero_copy_only=False)
        indices = pa.array(old.fill_null(0).to_numpy(zero_copy_only=False), pa.int32(), mask=mask)
        return pa.DictionaryArray.from_arrays(indices, array.dictionary)
    return pc.if_else(pa.array(np.asarray(mask)), pa.scalar(None, array.type), array)


def stacked(parts: Sequence[tuple[Column, Any]]) -> tuple[Column, Any]:
    """Columns one under another as one column, described as the first one is.

    Equal kinds stay; a count beside a measure becomes a measure; coded columns share their levels **by their words**,
    so that '1 = yes' and 'y = yes' are one level; all else becomes text.
    """
    first = parts[0][0]
    kinds = {c.kind for c, _ in parts}
    if kinds <= CODED:
        return _stacked_levels(parts)
    decimals = max(c.decimals for c, _ in parts)
    if len(kinds) == 1:
        return first.but(decimals=decimals), pa.concat_arrays([a for _, a in parts])
    if kinds <= NUMERIC:
        arrays = [a.cast(pa.float64()) for _, a in parts]
        return first.but(kind=Kind.measure, decimals=decimals), pa.concat_arrays(arrays)
    return first.but(kind=Kind.text, levels=(), decimals=0), pa.concat_arrays([as_text(c, a) for c, a in parts])


def as_text(column: Column, array: Any) -> Any:
    """Cells as large_string: level words, numbers as short as they can be written, dates as ISO."""
    if column.kind in CODED:
        dictionary = pa.array([lv.words for lv in column.levels], pa.large_string())
        return pa.DictionaryArray.from_arrays(array.indices, dictionary).dictionary_decode()
    if column.kind is Kind.date:
        plain = pc.cast(array, pa.large_string())
        return pc.replace_substring_regex(plain, r"( 00:00:00)?\.0+$", "")
    return pc.cast(array, pa.large_string())


def _stacked_levels(parts: Sequence[tuple[Column, Any]]) -> tuple[Column, Any]:
    levels: list[Level] = []
    place: dict[str, int] = {}
    values: set[str] = set()
    moved = []
    for column, array in parts:
        move = []
        for level in column.levels:
            if level.words not in place:
                value = level.value if level.value not in values else level.words
                value = value if value not in values else f"{level.words} ({len(levels) + 1})"
                values.add(value)
                place[level.words] = len(levels)
                levels.append(Level(value=value, label=level.words if level.words != value else None))
            move.append(place[level.words])
        codes = array.indices.fill_null(-1).to_numpy(zero_copy_only=False)
        moved.append(np.array([*move, -1], np.int32)[codes])
    kinds = {c.kind for c, _ in parts}
    kind = kinds.pop() if len(kinds) == 1 else Kind.category
    kind = Kind.category if kind is Kind.yes_no and len(levels) > 2 else kind
    fresh, array = words(parts[0][0].name, np.concatenate(moved) if moved else [], levels, kind)
    return parts[0][0].but(kind=kind, levels=fresh.levels), array


def added(table: Table, *columns: tuple[Column, Any]) -> Table:
    for column, array in columns:
        table = table.with_column(column, array)
    return table


def nothing(column: Column, n: int) -> Any:
    """n empty cells of a column's kind."""
    if column.kind in CODED:
        return words(column.name, np.full(n, -1), column.levels)[1]
    kind = {Kind.measure: pa.float64(), Kind.count: pa.int64(), Kind.date: pa.timestamp("us")}
    return pa.nulls(n, kind.get(column.kind, pa.large_string()))
