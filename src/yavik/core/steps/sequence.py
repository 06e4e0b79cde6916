"""Steps over the order of rows within units: the row before, differences, running sums; and what a panel is."""

from typing import Any, Literal

import numpy as np
import pandas as pd
import pyarrow as pa

from yavik.core.ask import asked
from yavik.core.steps.base import (
    ALONE,
    GROUPING,
    NUMBERS,
    ORDERING,
    Around,
    Outcome,
    Step,
    listed,
    names_in_words,
    need,
    new_name,
    plural,
)
from yavik.core.steps.emptiness import measure_like
from yavik.core.steps.grouping import grouping, order_of
from yavik.core.table import DataProblem, Panel, Table, rows_in_words


class _InOrder(Step):
    """What lag, difference and cumulate share: columns, units and time."""

    columns: list[str] = asked("columns", "Columns", min_length=1)
    by: list[str] = asked("columns", "Within each", [], kinds=GROUPING, placeholder="the whole table")
    order: str | None = asked("column", "In the order of", None, kinds=ORDERING, placeholder="the rows as they stand")

    def _walk(self, table: Table) -> tuple[Any, Any, list[str]]:
        """Places of the rows by unit and time, each row's unit in that order, and a note on times that occur
        twice."""
        need(table, self.columns)
        place = order_of(table, [*self.by, *([self.order] if self.order else [])])
        units = grouping(table, self.by).codes[place]
        notes = []
        if self.order:
            times = grouping(table, [self.order]).codes[place]
            twice = np.flatnonzero((units[1:] == units[:-1]) & (times[1:] == times[:-1])) + 1
            if len(twice):
                where = np.sort(table.rows[place[twice]]).tolist()
                notes.append(
                    f"{self.order} occurs more than once within a unit ({rows_in_words(where)}): there the order is"
                    " that of the rows."
                )
        return place, units, notes

    def _source(self, place: Any, units: Any, steps: int) -> Any:
        """For each row the place of the row so many steps earlier in its unit; −1 where there is none."""
        n = len(place)
        before = np.full(n, -1, np.int64)
        at = np.arange(n) - steps
        good = (at >= 0) & (at < n)
        good[good] = units[at[good]] == units[good]
        before[place[good]] = place[at[good]]
        return before


class Lag(_InOrder):
    """The value of the row so many steps before, within its unit."""

    step: Literal["lag"] = "lag"
    steps: int = asked("number", "Rows before", 1, ge=-1000, le=1000)
    words = "Take {columns} from the row before"
    help = (
        "Adds the value of an earlier row of the same unit (a negative number of rows looks ahead). The first row of"
        " each unit has none."
    )
    family = "New columns"

    def title(self) -> str:
        side = "before" if self.steps > 0 else "after"
        which = f"the row {side}" if abs(self.steps) == 1 else f"{abs(self.steps)} rows {side}"
        return f"{names_in_words(self.columns)} of {which}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        place, units, notes = self._walk(table)
        before = self._source(place, units, self.steps)
        chosen = pa.array(np.maximum(before, 0), pa.int64(), mask=before < 0)
        for name in self.columns:
            column = table.column(name)
            word = f"lag {self.steps}" if self.steps >= 0 else f"lead {-self.steps}"
            label = f"{column.label}, {word}" if column.label else None
            table = table.with_column(
                column.but(name=new_name(table, f"{name} {word}"), label=label), table.array(name).take(chosen)
            )
        return Outcome(table, f"{plural(int((before < 0).sum()), 'row')} without", notes)


class Difference(_InOrder):
    """A value less that of the row so many steps before, within its unit."""

    step: Literal["difference"] = "difference"
    columns: list[str] = asked("columns", "Columns", kinds=NUMBERS, min_length=1)
    steps: int = asked("number", "Rows before", 1, ge=1, le=1000)
    words = "Take the difference of {columns} from the row before"
    help = "Adds x − x of an earlier row of the same unit: the change since then."
    family = "New columns"

    def title(self) -> str:
        return f"Change of {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        place, units, notes = self._walk(table)
        before = self._source(place, units, self.steps)
        for name in self.columns:
            values, column = table.numbers(name), table.column(name)
            change = np.where(before < 0, np.nan, values - values[before]) if len(values) else values
            label = f"Change of {column.label}" if column.label else None
            word = "difference" if self.steps == 1 else f"difference {self.steps}"
            fresh, array = measure_like(
                column.but(name=new_name(table, f"{name} {word}"), label=label), _rounded(change, column.decimals)
            )
            table = table.with_column(fresh, array)
        return Outcome(table, f"{plural(int((before < 0).sum()), 'row')} without", notes)


def _rounded(values: Any, decimals: int) -> Any:
    """Differences of decimals such as 0.3 − 0.1 without the noise of binary fractions."""
    return np.round(values, decimals) if decimals <= 8 else values


class Cumulate(_InOrder):
    """The running sum within a unit. An empty cell adds nothing and stays empty."""

    step: Literal["cumulate"] = "cumulate"
    columns: list[str] = asked("columns", "Columns", kinds=NUMBERS, min_length=1)
    words = "Add up {columns} row by row"
    help = "Adds the running sum within each unit. An empty cell adds nothing and stays empty."
    family = "New columns"

    def title(self) -> str:
        return f"Running sum of {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        place, units, notes = self._walk(table)
        for name in self.columns:
            column, values = table.column(name), table.numbers(name)
            out = np.empty(len(values))
            # pandas' running sums are compensated (Kahan, 1965) and restart with each unit.
            out[place] = pd.Series(np.nan_to_num(values[place])).groupby(units, sort=False).cumsum()
            out[np.isnan(values)] = np.nan
            label = f"Running sum of {column.label}" if column.label else None
            fresh, array = measure_like(
                column.but(name=new_name(table, f"{name} running sum"), label=label), _rounded(out, column.decimals)
            )
            table = table.with_column(fresh, array)
        return Outcome(table, plural(len(np.unique(units)), "unit"), notes)


class PanelStructure(Step):
    """Which column names the unit and which the time; changes no cells."""

    step: Literal["panel"] = "panel"
    unit: str = asked("column", "Unit", kinds=GROUPING)
    time: str = asked("column", "Time", kinds=ORDERING)
    words = "Each row is one {unit} at one {time}"
    help = (
        "Says what the units and times of a panel are. Says whether it is balanced, where times are missing, and"
        " which rows stand twice."
    )
    family = "What columns mean"

    def title(self) -> str:
        return f"**{self.unit}** over **{self.time}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        if self.unit == self.time:
            raise DataProblem("Unit and time must be two columns.", column=self.time)
        units, times = grouping(table, [self.unit]), grouping(table, [self.time])
        cells = units.codes * max(1, times.count) + times.codes
        counts = np.bincount(cells, minlength=units.count * times.count)
        table = table.knowing(table.about.model_copy(update={"panel": Panel(unit=self.unit, time=self.time)}))
        full = int((counts > 0).sum())
        twice = np.flatnonzero(counts[cells] > 1)
        missing = units.count * times.count - full
        balanced = missing == 0 and not len(twice)
        said = (
            f"{plural(units.count, 'unit')} × {plural(times.count, 'time')},"
            f" {'balanced' if balanced else 'not balanced'}"
        )
        notes, lists = [], []
        if missing:
            notes.append(
                self._gaps(table, counts.reshape(units.count, times.count) > 0, units.first, times.first, missing)
            )
        if len(twice):
            notes.append(f"{plural(len(twice), 'row')} share a unit and a time ({rows_in_words(table.rows[twice])}).")
            lists.append(listed("Rows that share a unit and a time", table, twice, [self.unit, self.time]))
        return Outcome(table, said, notes, lists)

    def _gaps(self, table: Table, there: Any, units: Any, times: Any, missing: int) -> str:
        lacking = np.flatnonzero(~there.all(axis=1))
        # A gap is a missing time between two that are there; before the first and after the last it is entry or exit.
        first, last = there.argmax(axis=1), there.shape[1] - 1 - there[:, ::-1].argmax(axis=1)
        inside = sum(int((~there[u, first[u] : last[u]]).any()) for u in lacking.tolist())
        shown = table.take(units[lacking[:5]]).texts(self.unit)
        more = f" and {len(lacking) - 5} more" if len(lacking) > 5 else ""
        words = ", ".join(s or "empty" for s in shown)
        return (
            f"{plural(len(lacking), 'unit')} {'lacks' if len(lacking) == 1 else 'lack'} times ({words}{more}):"
            f" {plural(missing, 'row')} in all, {plural(inside, 'unit')} with a gap between times."
        )
