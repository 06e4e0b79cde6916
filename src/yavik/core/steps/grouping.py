"""Rows in groups: small integers for any set of key columns, alone or shared by two tables."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table import CODED, NUMERIC, DataProblem, Kind, Table
from yavik.core.table.table import kind_words

Ints = npt.NDArray[np.int64]
DENSE = 1 << 22
"""Up to this many possible key combinations groups are found by counting, above by hashing."""


@dataclass(frozen=True)
class Grouping:
    """``codes[i]`` is row i's group, 0 … count − 1 in the order of the keys (empty keys last)."""

    codes: Ints
    count: int
    first: Ints
    """Place of the first row of each group."""


def grouping(table: Table, names: Sequence[str]) -> Grouping:
    """Groups of the rows that agree in these columns; no columns make one group of all rows."""
    n = table.n_rows
    if not names:
        return Grouping(np.zeros(n, np.int64), min(1, n), np.zeros(min(1, n), np.int64))
    codes, radix = np.zeros(n, np.int64), 1
    for name in names:
        own = table.codes(name)
        size = len(own.levels) + 1
        if radix * size > 2**62:
            codes, radix = _pressed(codes, radix)
        codes = (
            codes * size + np.where(own.codes < 0, size - 1, own.codes) if radix > 1 else _emptied(own.codes, size)
        )
        radix *= size
    codes, count = _pressed(codes, radix)
    first = np.full(count, n, np.int64)
    first[codes[::-1]] = np.arange(n - 1, -1, -1)
    return Grouping(codes, count, first)


def _emptied(codes: npt.NDArray[np.int32], size: int) -> Ints:
    wide: Ints = codes.astype(np.int64)
    if len(wide) and codes.min() < 0:
        wide[codes < 0] = size - 1
    return wide


def _pressed(codes: Ints, radix: int) -> tuple[Ints, int]:
    """The same groups, in the same order, as 0 … count − 1."""
    if radix <= max(DENSE, 2 * len(codes)):
        there = np.bincount(codes, minlength=1) > 0
        place = np.cumsum(there) - 1
        return place[codes], int(there.sum())
    found, unique = pd.factorize(codes, sort=True)
    return found.astype(np.int64, copy=False), len(unique)


def order_of(table: Table, names: Sequence[str], descending: Sequence[str] = ()) -> Ints:
    """Places of the rows in the order of these columns; ties stay as they stand, empty cells come last."""
    keys: list[npt.NDArray[np.generic]] = []
    for name in reversed(list(names)):
        kind = table.column(name).kind
        if kind in NUMERIC or kind is Kind.date:
            array = table.array(name)
            values = (array.cast(pa.int64()) if kind is Kind.date else array).fill_null(0)
            data = values.to_numpy(zero_copy_only=False)
            empty = table.empty(name)
        else:
            codes = table.codes(name).codes
            data, empty = codes, codes < 0
        keys.append(-data if name in descending else data)
        if empty.any():
            keys.append(empty)
    if len(keys) == 1:
        return np.argsort(keys[0], kind="stable")
    return np.lexsort(keys) if keys else np.arange(table.n_rows)


def shared_codes(
    left: Table, left_names: Sequence[str], right: Table, right_names: Sequence[str]
) -> tuple[Ints, Ints]:
    """Key codes that mean the same in both tables; −1 where a key cell is empty (an empty key matches nothing).

    Raises:
        DataProblem: the two columns of a key are of kinds that cannot be compared.
    """
    n = left.n_rows
    total, radix = np.zeros(n + right.n_rows, np.int64), 1
    missing = np.zeros(n + right.n_rows, bool)
    for a, b in zip(left_names, right_names, strict=True):
        codes, size = _one_key(left, a, right, b)
        missing |= codes < 0
        codes = np.where(codes < 0, 0, codes)
        if radix * size > 2**62:
            total, radix = _pressed(total, radix)
        total = total * size + codes
        radix *= max(1, size)
    if radix > max(DENSE, 2 * len(total)):
        total, _ = _pressed(total, radix)
    total[missing] = -1
    return total[:n], total[n:]


def _one_key(left: Table, a: str, right: Table, b: str) -> tuple[Ints, int]:
    sides = [(left, a), (right, b)]
    kinds = [t.column(name).kind for t, name in sides]
    plain = [_as_number(k) for k in kinds]
    if plain[0] != plain[1]:
        raise DataProblem(
            f"{a} is of kind {kind_words(kinds[0])}, {b} of kind {kind_words(kinds[1])}: they cannot be matched. "
            "Give both the same kind first.",
            column=a,
        )
    if plain[0] == "number" and all(k is Kind.count for k in kinds):
        found = _small_numbers([t.array(name) for t, name in sides])
        if found is not None:
            return found
    if plain[0]:
        numbers = [t.array(name).cast(pa.int64() if plain[0] == "date" else pa.float64()) for t, name in sides]
        encoded = pa.concat_arrays(numbers).dictionary_encode()
        codes = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
        return codes, len(encoded.dictionary)
    parts: list[Ints] = []
    words: dict[str, int] = {}
    for table, name in sides:
        own = _words(table, name)
        move = np.array([words.setdefault(w, len(words)) for w in own[1]] + [-1], np.int64)
        parts.append(move[own[0]])
    return np.concatenate(parts), len(words)


def _small_numbers(arrays: list[Any]) -> tuple[Ints, int] | None:
    """Whole numbers within a narrow range are their own codes; None where the range is wide."""
    ends = [pc.min_max(a).as_py() for a in arrays]
    lows, highs = [e["min"] for e in ends if e["min"] is not None], [e["max"] for e in ends if e["max"] is not None]
    if not lows or max(highs) - min(lows) >= DENSE:
        return None
    low = min(lows)
    parts = [a.fill_null(low - 1).to_numpy(zero_copy_only=False) if a.null_count else a.to_numpy() for a in arrays]
    return np.concatenate(parts) - low, max(highs) - low + 1


def _words(table: Table, name: str) -> tuple[npt.NDArray[np.int64], Sequence[str]]:
    if table.column(name).kind in CODED:
        own = table.codes(name)
        return own.codes.astype(np.int64), own.levels
    encoded = table.array(name).dictionary_encode()
    return (
        encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64),
        encoded.dictionary.to_pylist(),
    )


def _as_number(kind: Kind) -> str:
    return "number" if kind in NUMERIC else "date" if kind is Kind.date else ""


def nearly_same(words: Sequence[str], others: Sequence[str]) -> list[tuple[str, str]]:
    """Pairs that differ only by case or spaces: the commonest reason why keys do not match."""

    def plain(word: str) -> str:
        return "".join(word.split()).casefold()

    known = {plain(w): w for w in others}
    return [(w, known[plain(w)]) for w in words if plain(w) in known and known[plain(w)] != w]


def spread(codes: Ints, count: int) -> tuple[Ints, Ints]:
    """Rows gathered by group: (places sorted by group, start of each group, one longer than count)."""
    starts = np.concatenate([[0], np.cumsum(np.bincount(codes, minlength=count))])
    small = codes.astype(np.uint16) if count < 65_536 else codes  # 16-bit integers sort by radix
    return np.argsort(small, kind="stable"), starts


def numbers_for(table: Table, name: str) -> npt.NDArray[np.float64]:
    """Numbers to score with: of a measure or count, or of the values of coded answers ('1' … '5').

    Raises:
        DataProblem: a level's value is no number.
    """
    column = table.column(name)
    if column.kind not in CODED:
        return table.numbers(name)
    try:
        values = np.array([float(level.value.replace("−", "-")) for level in column.levels] + [np.nan])
    except ValueError:
        odd = next(lv.value for lv in column.levels if not _numeric(lv.value))
        raise DataProblem(
            f"{name} has the value '{odd}', which is no number; recode its values to numbers first.", column=name
        ) from None
    found: npt.NDArray[np.float64] = values[table.array(name).indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    return found


def _numeric(text: str) -> bool:
    try:
        float(text.replace("−", "-"))
    except ValueError:
        return False
    return True
