"""The step that makes one row of each group."""

from itertools import pairwise
from typing import Any, Literal

import numpy as np
import pyarrow as pa

from yavik.core.ask import asked
from yavik.core.steps.base import ALONE, GROUPING, Around, Outcome, Step, names_in_words, new_name, rows_change
from yavik.core.steps.grouping import Grouping, grouping, spread
from yavik.core.steps.making import measure, whole
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Table

Statistic = Literal[
    "n", "empty", "mean", "sd", "se", "median", "q1", "q3", "sum", "min", "max", "first", "last", "share", "distinct"
]
STATISTICS: dict[str, str] = {
    "n": "number of values",
    "empty": "empty cells",
    "mean": "mean",
    "sd": "SD",
    "se": "SE of the mean",
    "median": "median",
    "q1": "lower quartile",
    "q3": "upper quartile",
    "sum": "sum",
    "min": "minimum",
    "max": "maximum",
    "first": "first value",
    "last": "last value",
    "share": "share of each level",
    "distinct": "number of different values",
}
OF_ANY = {"n", "empty", "first", "last", "distinct"}


class Summarise(Step):
    """One row for each group, with what was asked of each column. SD and SE use n − 1; quartiles are interpolated
    between order statistics (Hyndman & Fan, 1996, type 7). Empty cells are passed over; a group of none has none."""

    step: Literal["summarise"] = "summarise"
    columns: list[str] = asked("columns", "Columns", [])
    by: list[str] = asked("columns", "For each", [], kinds=GROUPING, placeholder="the whole table")
    what: list[Statistic] = asked("several", "What", ["mean"], words=STATISTICS, min_length=1)
    rows_to: str = asked("text", "The number of rows goes to", "rows")
    words = "Summarise {columns} for each {by} by {what}"
    help = (
        "One row for each group: branch means, counts per day. The rows it was made from stay in the table it came"
        " from."
    )
    family = "Shape"
    fresh = True

    def title(self) -> str:
        return f"Summarise for each {names_in_words(self.by)}" if self.by else "Summarise the whole table"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        for name in [*self.columns, *self.by]:
            table.index(name)
        both = [n for n in self.columns if n in self.by]
        if both:
            raise DataProblem(f"{both[0]} tells the groups apart, so it is the same in each of them.", column=both[0])
        groups = grouping(table, self.by)
        out = table.select(self.by).take(groups.first)
        out = Table(out.columns, out.arrays, np.arange(1, groups.count + 1), table.about)
        out = out.with_column(
            *whole(new_name(out, self.rows_to or "rows"), np.bincount(groups.codes, minlength=groups.count))
        )
        passed: dict[str, list[str]] = {}
        for i, name in enumerate(self.columns):
            around.told(i / len(self.columns), f"Summarising {name}")
            work = _Work(table, name, groups)
            for what in self.what:
                if not work.can(what):
                    passed.setdefault(STATISTICS[what], []).append(name)
                    continue
                for column, array in work.columns(what):
                    out = out.with_column(column.but(name=new_name(out, column.name)), array)
        notes = [f"There is no {word} of {', '.join(names[:6])}." for word, names in passed.items()]
        hollow = [n for n in self.by if table.empty(n)[groups.first].any()]
        if hollow:
            notes.append(f"Rows with no {hollow[0]} make a group of their own.")
        return Outcome(out, rows_change(table.n_rows, groups.count), notes)


class _Work:
    """One column's statistics per group; sorted values are made once and only when asked for."""

    def __init__(self, table: Table, name: str, groups: Grouping) -> None:
        self.table, self.name, self.groups = table, name, groups
        self.column, self.array = table.column(name), table.array(name)
        self.full = ~table.empty(name)
        self.own = groups.codes if self.full.all() else groups.codes[self.full]
        self.n = np.bincount(self.own, minlength=groups.count)
        self._x: Any = None
        self._mean: Any = None
        self._sorted: Any = None

    def can(self, what: str) -> bool:
        if what in OF_ANY:
            return True
        if what == "share":
            return self.column.kind in CODED
        return self.column.kind in NUMERIC or (self.column.kind is Kind.yes_no and what in ("mean", "sum"))

    @property
    def x(self) -> Any:
        if self._x is None:
            values = self.table.numbers(self.name)
            self._x = values if self.full.all() else values[self.full]
        return self._x

    @property
    def mean(self) -> Any:
        if self._mean is None:
            with np.errstate(invalid="ignore"):
                self._mean = np.bincount(self.own, self.x, minlength=self.groups.count) / self.n
        return self._mean

    def sd(self) -> Any:
        deviation = self.x - self.mean[self.own]
        squares = np.bincount(self.own, deviation * deviation, minlength=self.groups.count)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.sqrt(squares / np.where(self.n > 1, self.n - 1, np.nan))

    def quantile(self, q: float) -> Any:
        if self._sorted is None:
            place, starts = spread(self.own, self.groups.count)
            values = self.x[place]
            for a, b in pairwise(starts):
                values[a:b].sort()
            self._sorted = (values, starts[:-1])
        values, starts = self._sorted
        at = starts + (self.n - 1) * q
        low = np.clip(np.floor(at).astype(np.int64), 0, max(0, len(values) - 1))
        high = np.minimum(low + 1, np.maximum(starts + self.n - 1, low))
        if not len(values):
            return np.full(len(self.n), np.nan)
        return np.where(
            self.n > 0, values[low] + (values[np.minimum(high, len(values) - 1)] - values[low]) * (at - low), np.nan
        )

    def columns(self, what: str) -> list[tuple[Column, Any]]:
        title = f"{self.name} {STATISTICS[what] if what not in SHORT else SHORT[what]}"
        if what == "n":
            return [whole(title, self.n)]
        if what == "empty":
            return [whole(title, np.bincount(self.groups.codes, minlength=self.groups.count) - self.n)]
        if what in ("first", "last"):
            return [self._end(title, what == "first")]
        if what == "distinct":
            return [whole(title, self._distinct())]
        if what == "share":
            return self._shares()
        values = self._number(what)
        label = f"{self.column.label}, {SHORT.get(what, STATISTICS[what])}" if self.column.label else None
        if what in ("sum", "min", "max") and self.column.kind in (Kind.count, Kind.yes_no):
            empty = ~np.isfinite(values)
            column, array = whole(title, np.where(empty, 0, values), empty)
        else:
            more = 0 if what in ("min", "max", "sum", "median", "q1", "q3") else 2
            decimals = min(6, self.column.decimals + more + (1 if what in ("median", "q1", "q3") else 0))
            column, array = measure(title, values, decimals=decimals)
        return [(column.but(label=label, unit=self.column.unit), array)]

    def _number(self, what: str) -> Any:
        if what == "mean":
            return self.mean
        if what == "sum":
            return np.where(self.n > 0, np.bincount(self.own, self.x, minlength=self.groups.count), np.nan)
        if what == "sd":
            return self.sd()
        if what == "se":
            with np.errstate(invalid="ignore", divide="ignore"):
                return self.sd() / np.sqrt(self.n)
        if what in QUANTILES:
            return self.quantile(QUANTILES[what])
        out = np.full(self.groups.count, np.inf if what == "min" else -np.inf)
        (np.minimum if what == "min" else np.maximum).at(out, self.own, self.x)
        return out

    def _end(self, title: str, first: bool) -> tuple[Column, Any]:
        rows = np.flatnonzero(self.full)
        place = np.full(self.groups.count, -1, np.int64)
        if first:
            place[self.own[::-1]] = rows[::-1]
        else:
            place[self.own] = rows
        return self.column.but(name=title), self.array.take(pa.array(np.maximum(place, 0), mask=place < 0))

    def _distinct(self) -> Any:
        values = grouping(self.table, [self.name])
        pairs = np.unique(self.own * (values.count + 1) + values.codes[self.full])
        return np.bincount(pairs // (values.count + 1), minlength=self.groups.count)

    def _shares(self) -> list[tuple[Column, Any]]:
        codes = self.table.codes(self.name)
        own = codes.codes[self.full]
        levels = (
            [len(codes.levels) - 1]
            if self.column.kind is Kind.yes_no and len(codes.levels) == 2
            else range(len(codes.levels))
        )
        out = []
        for level in levels:
            with np.errstate(invalid="ignore"):
                share = np.bincount(self.own[own == level], minlength=self.groups.count) / self.n
            column, array = measure(f"{self.name} {codes.levels[level]} share", share, decimals=3)
            out.append((column, array))
        return out


SHORT = {
    "n": "n",
    "empty": "empty",
    "q1": "q1",
    "q3": "q3",
    "se": "SE",
    "sd": "SD",
    "min": "min",
    "max": "max",
    "first": "first",
    "last": "last",
    "distinct": "different values",
}
QUANTILES = {"median": 0.5, "q1": 0.25, "q3": 0.75}
