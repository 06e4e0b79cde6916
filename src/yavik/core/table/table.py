"""A table: Arrow arrays with their columns' descriptions and the rows' numbers in the original file.

Arrays are kept in one shape per kind, so that no method has to ask:

====================================  ==========================================================
measure                               float64, null where empty
count                                 int64, null where empty
yes_no, category, ordered             dictionary<int32, string>; the dictionary is the levels' values
date                                  timestamp[us]
text, identifier                      large_string
====================================  ==========================================================
"""

import math
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.table.about import NOTHING, About
from yavik.core.table.column import CODED, NUMERIC, Column, Kind
from yavik.core.table.problem import DataProblem, nearest, rows_in_words
from yavik.core.table.written import written

if TYPE_CHECKING:
    import pandas as pd

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Codes:
    """A coded column as small integers: ``codes[i]`` indexes ``levels``; −1 where the cell is empty."""

    codes: npt.NDArray[np.int32]
    levels: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Table:
    """Immutable; every change makes a new table that shares the untouched arrays."""

    columns: tuple[Column, ...]
    arrays: tuple[Any, ...]
    rows: Ints
    about: About = NOTHING
    _memo: dict[tuple[str, str], Any] = field(default_factory=dict, repr=False)

    @property
    def n_rows(self) -> int:
        """Rows."""
        return len(self.rows)

    @property
    def names(self) -> list[str]:
        """Names of the columns, in order."""
        return [c.name for c in self.columns]

    def index(self, name: str) -> int:
        """Place of a column; raises DataProblem with the nearest name when there is none."""
        for i, column in enumerate(self.columns):
            if column.name == name:
                return i
        raise DataProblem(f"There is no column '{name}' in this table.{nearest(name, self.names)}", column=name)

    def column(self, name: str) -> Column:
        """What is known of a column. Raises DataProblem for one that is not there."""
        return self.columns[self.index(name)]

    def array(self, name: str) -> Any:
        """A column's cells. Raises DataProblem for one that is not there."""
        return self.arrays[self.index(name)]

    def has(self, name: str) -> bool:
        """Whether there is a column of that name."""
        return any(c.name == name for c in self.columns)

    def numbers(self, name: str) -> Floats:
        """Cells as float64, shape (rows,), NaN where empty; a yes/no column gives 0 and 1.

        Raises:
            DataProblem: the column is not numeric, or holds infinite values (with their rows).
        """
        key = ("numbers", name)
        if key not in self._memo:
            self._memo[key] = self._numbers(name)
        return self._memo[key]  # type: ignore[no-any-return]

    def _numbers(self, name: str) -> Floats:
        column, array = self.column(name), self.array(name)
        if column.kind is Kind.yes_no:
            codes = self.codes(name).codes
            return np.where(codes < 0, np.nan, codes).astype(np.float64)
        if column.kind not in NUMERIC:
            raise DataProblem(
                f"{name} is of kind {kind_words(column.kind)}; a measure or a count is needed here. "
                "Its kind can be changed in the dictionary.",
                column=name,
            )
        values: Floats = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        self._demand_size(column, values)
        infinite = np.isinf(values)
        if infinite.any():
            where = self.rows[infinite]
            raise DataProblem(
                f"{name} holds {len(where)} infinite {'value' if len(where) == 1 else 'values'} "
                f"({rows_in_words(where.tolist())}). Say that they mean empty, or leave those rows out.",
                column=name,
                rows=where,
            )
        return values

    def _demand_size(self, column: Column, values: Floats) -> None:
        """Raises DataProblem for values whose squares no double can hold: nothing could be computed with them."""
        with np.errstate(invalid="ignore"):
            huge = np.isfinite(values) & (np.abs(values) > LARGEST)
        if huge.any():
            where = self.rows[huge]
            first = f"{values[huge][0]:.3g}".replace("e+", " × 10^").replace("-", "−")
            raise DataProblem(
                f"{column.name} holds {'a value' if len(where) == 1 else f'{len(where)} values'} too large to compute"
                f" with ({first}; {rows_in_words(where.tolist())}). Say that such values mean empty, or leave those"
                " rows out.",
                column=column.name,
                rows=where,
            )

    def codes(self, name: str) -> Codes:
        """Cells as indices into the levels' words. Numbers and dates get one level per value, in order."""
        key = ("codes", name)
        if key not in self._memo:
            self._memo[key] = self._codes(name)
        return self._memo[key]  # type: ignore[no-any-return]

    def _codes(self, name: str) -> Codes:
        column, array = self.column(name), self.array(name)
        if column.kind in CODED:
            codes = array.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32, copy=False)
            return Codes(codes, tuple(level.words for level in column.levels))
        encoded = array.dictionary_encode()
        values = encoded.dictionary
        order = pa.compute.sort_indices(values).to_numpy()
        rank = np.empty(len(order) + 1, np.int32)
        rank[order] = np.arange(len(order), dtype=np.int32)
        rank[-1] = -1  # null codes are −1 and pick this last place
        codes = rank[encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
        words = values.take(pa.array(order)).to_pylist()
        if column.kind is Kind.date:
            return Codes(codes, tuple(date_text(v) for v in words))
        return Codes(codes, tuple(str(v) for v in words))

    def texts(self, name: str) -> list[str | None]:
        """Cells as shown: level words, dates as ISO, numbers as written. For windows, not for computing."""
        return cell_texts(self.column(name), self.array(name))

    def empty(self, name: str) -> Bools:
        """Which cells of a column are empty, shape (rows,)."""
        mask: Bools = self.array(name).is_null(nan_is_null=True).to_numpy(zero_copy_only=False)
        return mask

    def keep(self, mask: Bools) -> "Table":
        """The rows where mask is true."""
        if mask.all():
            return self
        places = np.flatnonzero(mask)
        return Table(self.columns, _taken(self.arrays, places), self.rows[places], self.about)

    def take(self, places: Any) -> "Table":
        """The rows at these places, in that order; a place may come more than once."""
        places = np.asarray(places, np.int64)
        return Table(self.columns, _taken(self.arrays, places), self.rows[places], self.about)

    def slice(self, start: int, count: int) -> "Table":
        """Some rows, one after the other."""
        return Table(
            self.columns,
            tuple(a.slice(start, count) for a in self.arrays),
            self.rows[start : start + count],
            self.about,
        )

    def select(self, names: Iterable[str]) -> "Table":
        """Some columns, in the order given."""
        places = [self.index(n) for n in names]
        columns, arrays = tuple(self.columns[i] for i in places), tuple(self.arrays[i] for i in places)
        return Table(columns, arrays, self.rows, self.about)

    def with_column(self, column: Column, array: Any, *, at: int | None = None) -> "Table":
        """Replaces the column of that name, or adds one at the end."""
        columns, arrays = list(self.columns), list(self.arrays)
        if at is None and self.has(column.name):
            at = self.index(column.name)
        if at is None:
            columns.append(column)
            arrays.append(array)
        else:
            columns[at], arrays[at] = column, array
        return Table(tuple(columns), tuple(arrays), self.rows, self.about)

    def knowing(self, about: About) -> "Table":
        """The same cells with something else known of the whole table."""
        return Table(self.columns, self.arrays, self.rows, about)

    @property
    def frame(self) -> "pd.DataFrame":
        """The table as a pandas frame indexed by original row, for library calls that want one."""
        import pandas as pd

        data = {
            c.name: (
                pd.Series(a.to_pandas(), dtype=None)
                if c.kind not in CODED
                else pd.Categorical.from_codes(self.codes(c.name).codes, list(self.codes(c.name).levels))  # type: ignore[call-overload]
            )
            for c, a in zip(self.columns, self.arrays, strict=True)
        }
        return pd.DataFrame(data).set_axis(self.rows, axis=0)


LARGEST = 1e100
"""Values beyond this cannot be squared, summed and divided without leaving what doubles can hold."""
PARALLEL_CELLS = 1_000_000


def _taken(arrays: Sequence[Any], places: Ints) -> tuple[Any, ...]:
    """Rows of every array by place. Arrow works outside the interpreter's lock, so columns go side by side."""
    chosen = pa.array(places, pa.int64())
    if len(places) * len(arrays) < PARALLEL_CELLS:
        return tuple(a.take(chosen) for a in arrays)
    with ThreadPoolExecutor(2) as pool:
        return tuple(pool.map(lambda a: pc.take(a, chosen, boundscheck=False), arrays))


def kind_words(kind: Kind) -> str:
    """A kind in words: yes/no, category."""
    return kind.value.replace("_", "/")


def make_table(columns: Sequence[Column], arrays: Sequence[Any], rows: Ints | None = None) -> Table:
    """A table with rows numbered from 1 unless given."""
    n = len(arrays[0]) if arrays else 0
    return Table(tuple(columns), tuple(arrays), np.arange(1, n + 1) if rows is None else rows)


def cell_texts(column: Column, array: Any, exact: bool = False) -> list[str | None]:
    """Cells as they are shown, or measures with every digit they have; None for empty ones."""
    if column.kind in CODED:
        words = [level.words for level in column.levels]
        return [None if i is None else words[i] for i in array.indices.to_pylist()]
    if column.kind is Kind.measure and exact:
        return [None if v is None else exact_text(v, column.decimals) for v in array.to_pylist()]
    if column.kind is Kind.measure:
        return [None if v is None else measure_text(v, column.decimals) for v in array.to_pylist()]
    if column.kind is Kind.count:
        return [None if v is None else str(v).replace("-", "−") for v in array.to_pylist()]
    if column.kind is Kind.date:
        return [None if v is None else date_text(v) for v in array.to_pylist()]
    return [None if v is None else str(v) for v in array.to_pylist()]


def exact_text(value: float, decimals: int) -> str:
    """As it is shown where that is the very same number, else the shortest text that is."""
    shown = measure_text(value, decimals)
    if math.isinf(value) or float(shown.replace("−", "-")) == value:
        return shown
    return written(value).replace("-", "−")


def measure_text(value: float, decimals: int) -> str:
    """A cell's number at the column's own precision; what that would show as nought is shown with its power of ten."""
    if 0 < abs(value) < 0.5 * 10**-decimals:
        return f"{value:.6g}".replace("-", "−")
    return number_text(value, decimals)


def number_text(value: float, decimals: int) -> str:
    """A cell's number at the column's own precision, with a real minus sign."""
    if value in (float("inf"), float("-inf")):
        return "∞" if value > 0 else "−∞"
    text = f"{value:.{decimals}f}" if abs(value) < 1e15 else f"{value:.6g}"
    return text.replace("-", "−")


def date_text(value: Any) -> str:
    """A date, with its time where it has one."""
    text: str = value.isoformat(sep=" ")
    return text.removesuffix(" 00:00:00")
