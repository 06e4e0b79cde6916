"""Looking at a table without changing it: in another order, only some rows, and from one notable cell to the next."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table.column import CODED, NUMERIC, Kind
from yavik.core.table.table import Table

Places = npt.NDArray[np.int64]
Sought = Literal["empty", "outlier", "text"]
FENCE = 1.5
"""Outliers lie more than this many interquartile ranges beyond the quartiles (Tukey, 1977)."""


@dataclass(frozen=True)
class Cell:
    """``row`` is the place in what is shown, ``number`` the row's number in the table."""

    row: int
    number: int
    column: str


def is_numeric_text(text: str) -> float | None:
    """The number that a text is, with either decimal mark; None where it is none."""
    try:
        return float(text.replace("−", "-").replace(",", "."))
    except ValueError:
        return None


def matches(table: Table, name: str, text: str) -> npt.NDArray[np.bool_]:
    """Cells that hold the text, case aside; numbers must equal it."""
    column, array = table.column(name), table.array(name)
    n = table.n_rows
    if column.kind in CODED:
        low = text.casefold()
        hit = np.array([low in lv.words.casefold() for lv in column.levels] + [False], bool)
        codes: npt.NDArray[np.int32] = array.indices.fill_null(-1).to_numpy(zero_copy_only=False)
        named: npt.NDArray[np.bool_] = hit[codes]
        return named
    if column.kind in NUMERIC:
        wanted = is_numeric_text(text)
        if wanted is None:
            return np.zeros(n, bool)
        values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        equal: npt.NDArray[np.bool_] = np.isclose(values, wanted, rtol=1e-12, atol=10.0 ** -(column.decimals + 2))
        return equal
    plain = pc.cast(array, pa.large_string()) if column.kind is Kind.date else array
    found: npt.NDArray[np.bool_] = pc.fill_null(pc.match_substring(plain, text, ignore_case=True), False).to_numpy(
        zero_copy_only=False
    )
    return found


def containing(table: Table, text: str) -> Places:
    """Places of the rows that hold the text in any column."""
    mask = np.zeros(table.n_rows, bool)
    for name in table.names:
        mask |= matches(table, name, text)
    return np.flatnonzero(mask)


def outliers(table: Table, name: str) -> npt.NDArray[np.bool_]:
    """Numbers beyond the fences; nothing for other kinds."""
    if table.column(name).kind not in NUMERIC:
        return np.zeros(table.n_rows, bool)
    values = table.array(name).cast(pa.float64()).to_numpy(zero_copy_only=False)
    finite = values[np.isfinite(values)]
    if len(finite) < 4:
        return np.zeros(len(values), bool)
    q1, q3 = np.quantile(finite, [0.25, 0.75])
    width = FENCE * (q3 - q1)
    out: npt.NDArray[np.bool_] = (values < q1 - width) | (values > q3 + width)
    return out


def seek(
    table: Table,
    places: Places | None,
    what: Sought,
    columns: Sequence[str],
    start: int,
    text: str = "",
    back: bool = False,
) -> tuple[Cell | None, int]:
    """The next notable cell after the row ``start`` of what is shown, going round at its end, and how many there are.

    Args:
        places: the rows shown, in their order; None for all as they stand.
        columns: where to look; within a row the first of them comes first.
        start: −1 for "from the top".
    """
    hits = []
    for name in columns:
        if what == "text":
            mask = matches(table, name, text)
        else:
            mask = table.empty(name) if what == "empty" else outliers(table, name)
        hits.append(mask if places is None else mask[places])
    if not hits:
        return None, 0
    any_hit = np.logical_or.reduce(hits)
    rows = np.flatnonzero(any_hit)
    total = int(sum(h.sum() for h in hits))
    if not len(rows):
        return None, 0
    if back:
        before = rows[rows < start]
        row = int(before[-1] if len(before) else rows[-1])
    else:
        after = rows[rows > start]
        row = int(after[0] if len(after) else rows[0])
    name = next(n for n, h in zip(columns, hits, strict=True) if h[row])
    place = row if places is None else int(places[row])
    return Cell(row, int(table.rows[place]), name), total


def row_of(table: Table, places: Places | None, number: int) -> int | None:
    """Where the row with this number is shown."""
    numbers: Any = table.rows if places is None else table.rows[places]
    found = np.flatnonzero(numbers == number)
    return int(found[0]) if len(found) else None
