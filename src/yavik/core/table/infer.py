"""Finding out what a column is: its kind, levels and precision, from Arrow arrays as a reader gives them."""

import re
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table.column import CODED, Column, Kind, Level

YES = {"yes", "true", "y", "1", "ja", "oui", "sí", "si", "t"}
NO = {"no", "false", "n", "0", "nein", "non", "f"}
MOST_LEVELS = 60
ID_NAME = re.compile(r"(^|[ _.])(id|nr|no|number|code|key)$|^(id|visitor|subject|person|participant|case)\b", re.I)


def natural(text: str) -> list[tuple[int, float, str]]:
    """Sort key that puts 'week 2' before 'week 10'."""
    parts = re.split(r"(\d+(?:\.\d+)?)", text)
    return [(0, float(p), "") if i % 2 else (1, 0.0, p.casefold()) for i, p in enumerate(parts) if p]


def infer(name: str, array: Any) -> tuple[Column, Any]:
    """A column's description and its array in that kind's shape (see ``table``)."""
    array = single(array)
    kind = pa.types
    if kind.is_dictionary(array.type):
        return _from_text(name, array)
    if kind.is_boolean(array.type):
        return coded(Column(name=name, kind=Kind.yes_no), pc.cast(array, pa.string()))
    if kind.is_integer(array.type):
        return _from_integers(name, array)
    if kind.is_floating(array.type):
        values = array.cast(pa.float64())
        return Column(name=name, kind=Kind.measure, decimals=decimals_of(values)), _nan_to_null(values)
    if kind.is_temporal(array.type) and not kind.is_time(array.type) and not kind.is_duration(array.type):
        return Column(name=name, kind=Kind.date), array.cast(pa.timestamp("us"))
    if kind.is_null(array.type):
        return Column(name=name, kind=Kind.text), pa.nulls(len(array), pa.large_string())
    return _from_text(name, array.cast(pa.large_string()))


def single(array: Any) -> Any:
    """One contiguous array from a chunked one; dictionaries unified first."""
    if isinstance(array, pa.ChunkedArray):
        if pa.types.is_dictionary(array.type):
            array = array.unify_dictionaries()
        array = array.combine_chunks()
        if isinstance(array, pa.ChunkedArray):
            array = pa.concat_arrays(array.chunks) if array.num_chunks else pa.array([], array.type)
    return array


def coded(column: Column, array: Any, order: list[str] | None = None) -> tuple[Column, Any]:
    """Text cells as levels. Levels stand in the given order, then in natural order of what is left."""
    if not pa.types.is_dictionary(array.type):
        array = array.cast(pa.large_string()).dictionary_encode()
    values = [str(v) for v in array.dictionary.to_pylist()]
    known = {level.value: level for level in column.levels}
    first = order if order is not None else list(known)
    rest = sorted((v for v in values if v not in set(first)), key=natural)
    if column.kind is Kind.yes_no and not first:
        rest.sort(key=lambda v: v.casefold() in YES)
    wanted = [*first, *rest]
    place = {v: i for i, v in enumerate(wanted)}
    move = np.array([place[v] for v in values] + [-1], np.int32)
    codes = move[array.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    indices = pa.array(codes, pa.int32(), mask=codes < 0)
    levels = tuple(known.get(v, Level(value=v)) for v in wanted)
    return column.but(levels=levels), pa.DictionaryArray.from_arrays(indices, pa.array(wanted, pa.string()))


def _from_text(name: str, array: Any) -> tuple[Column, Any]:
    encoded = array if pa.types.is_dictionary(array.type) else array.dictionary_encode()
    filled, distinct = len(array) - array.null_count, len(encoded.dictionary)
    words = {str(v).strip().casefold() for v in encoded.dictionary.to_pylist()} if distinct == 2 else set()
    if words and words & YES and words & NO:
        return coded(Column(name=name, kind=Kind.yes_no), encoded)
    few = distinct <= MOST_LEVELS and (distinct <= 12 or distinct * 2 <= filled)
    if few and not (distinct == filled and distinct > 2):
        return coded(Column(name=name, kind=Kind.category), encoded)
    plain = encoded.dictionary_decode().cast(pa.large_string())
    named = bool(ID_NAME.search(name)) or distinct == filled
    short = pc.max(pc.utf8_length(plain)).as_py() or 0
    kind = Kind.identifier if named and short <= 40 else Kind.text
    return Column(name=name, kind=kind), plain


def _from_integers(name: str, array: Any) -> tuple[Column, Any]:
    values = array.cast(pa.int64())
    ends = pc.min_max(values).as_py()
    if ends["min"] == 0 and ends["max"] == 1:
        return coded(Column(name=name, kind=Kind.yes_no), pc.cast(values, pa.string()))
    if ID_NAME.search(name) and values.null_count == 0 and len(values) > 2 and _all_different(values):
        return Column(name=name, kind=Kind.identifier), pc.cast(values, pa.large_string())
    return Column(name=name, kind=Kind.count), values


def _all_different(values: Any) -> bool:
    """Numbers that rise throughout, as ids mostly do, need no counting."""
    if np.all(np.diff(values.to_numpy()) > 0):
        return True
    return int(pc.count_distinct(values).as_py()) == len(values)


def decimals_of(array: Any, sample: int = 5000, most: int = 8) -> int:
    """Most decimals among the first values: what the instrument wrote, so what to print."""
    values = array.slice(0, sample).drop_null().to_numpy(zero_copy_only=False)
    values = values[np.isfinite(values)]
    for places in range(most + 1):
        scale = 10.0**places
        # A value "has" these decimals when rounding to them changes it by no more than its own last bits.
        if np.all(np.abs(np.round(values * scale) / scale - values) <= 4 * np.spacing(np.abs(values))):
            return places
    return most


def _nan_to_null(array: Any) -> Any:
    mask = pc.is_nan(array)
    return pc.if_else(mask, pa.scalar(None, pa.float64()), array) if pc.any(mask).as_py() else array


def recast(column: Column, array: Any, kind: Kind) -> tuple[Column, Any]:
    """The same cells as another kind. Raises ValueError-free: see ``steps.columns`` for the checks around it."""
    if kind is column.kind:
        return column, array
    if kind in CODED and column.kind in CODED:
        return column.but(kind=kind), array
    as_text = pc.cast(array.dictionary_decode() if column.kind in CODED else array, pa.large_string())
    if kind in CODED:
        return coded(column.but(kind=kind, decimals=0), as_text)
    plain = column.but(kind=kind, levels=(), decimals=0)
    if kind in (Kind.text, Kind.identifier):
        return plain, as_text
    if kind is Kind.date:
        return plain, pc.cast(as_text, pa.timestamp("us"))
    numbers = pc.cast(pc.utf8_trim_whitespace(as_text), pa.float64())
    if kind is Kind.count:
        return plain, pc.cast(numbers, pa.int64())
    return plain.but(decimals=decimals_of(numbers)), numbers
