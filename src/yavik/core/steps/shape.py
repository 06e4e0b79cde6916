"""Steps that give a table another shape: wide to long, long to wide, and on its side."""

import re
from typing import Any, Literal

import numpy as np
import pyarrow as pa

from yavik.core.ask import asked
from yavik.core.steps.base import (
    ALONE,
    GROUPING,
    Around,
    Outcome,
    Step,
    listed,
    names_in_words,
    need,
    new_name,
    plural,
    rows_change,
    spaced,
)
from yavik.core.steps.grouping import grouping
from yavik.core.steps.making import measure, stacked, whole, words
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Level, Table
from yavik.core.table.table import make_table

MOST_ROWS = 200_000_000
MOST_COLUMNS = 20_000
NUMBER = re.compile(r"\d+(?:\.\d+)?")
"""All numbers of a text, of which the last is meant: one pass, however long the text."""


class Lengthen(Step):
    """Several columns into one, a row for each: wide to long. Rows of one old row stay together."""

    step: Literal["lengthen"] = "lengthen"
    columns: list[str] = asked("columns", "Columns", min_length=2)
    values_to: str = asked("text", "The values are called", placeholder="a name")
    names_to: str = asked("text", "The old names go to", placeholder="a name")
    split_at: str | None = asked("text", "Names are cut at", None, placeholder="not cut")
    numbers: bool = asked("flag", "Keep only the number in the names", False)
    drop_empty: bool = asked("flag", "Leave out empty cells", False)
    words = "Lengthen {columns} into {values_to} by {names_to}"
    help = (
        "Wide to long: week 1 … week 6 become one column and six rows each. With names cut at a mark (read_1,"
        " speed_1) what stands before it names the new columns."
    )
    family = "Shape"
    fresh = True

    def title(self) -> str:
        return f"Lengthen into **{self.values_to}** by **{self.names_to}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        wide = set(self.columns)
        kept = table.select([n for n in table.names if n not in wide])
        times, sets = self._sets()
        k, n = len(times), table.n_rows
        if n * k > MOST_ROWS:
            raise DataProblem(f"That would make {spaced(n * k)} rows; {spaced(MOST_ROWS)} are possible.")
        long = Table(kept.columns, tuple(_repeated(a, k) for a in kept.arrays), np.arange(1, n * k + 1), table.about)
        names = self._names(times)
        name = new_name(long, self.names_to, sets)
        column, array = names
        long = long.with_column(column.but(name=name), _tiled(array, n))
        for value, members in sets.items():
            parts = [(table.column(m), table.array(m)) for m in members]
            fresh, joined = stacked(parts)
            label = fresh.label if len({c.label for c, _ in parts}) == 1 else None
            # From column after column to row after row.
            turned = joined.take(pa.array(np.arange(n * k).reshape(k, n).T.ravel()))
            long = long.with_column(fresh.but(name=new_name(long, value), label=label), turned)
        if self.drop_empty:
            hollow = np.logical_and.reduce([long.empty(v) for v in sets])
            long = long.keep(~hollow)
            long = Table(long.columns, long.arrays, np.arange(1, long.n_rows + 1), long.about)
        return Outcome(long, rows_change(n, long.n_rows))

    def _sets(self) -> tuple[list[str], dict[str, list[str]]]:
        """The times, and for each new column the old ones in the order of the times."""
        mark = self.split_at
        if not mark:
            return list(self.columns), {self.values_to: list(self.columns)}
        times: list[str] = []
        found: dict[str, dict[str, str]] = {}
        for name in self.columns:
            stem, cut, time = name.rpartition(mark)
            if not cut:
                raise DataProblem(f"There is no '{mark}' in the name {name}, so it cannot be cut there.", column=name)
            times += [time] if time not in times else []
            found.setdefault(stem.strip(), {})[time] = name
        for stem, members in found.items():
            lacking = [t for t in times if t not in members]
            if lacking:
                raise DataProblem(
                    f"{stem} has no column for {lacking[0]}, which others have. Choose columns that have the same"
                    " ones.",
                    column=next(iter(members.values())),
                )
        if len(found) == 1:
            found = {self.values_to: next(iter(found.values()))}
        return times, {stem: [members[t] for t in times] for stem, members in found.items()}

    def _names(self, times: list[str]) -> tuple[Column, Any]:
        if self.numbers:
            hits = [found[-1] if (found := NUMBER.findall(t)) else None for t in times]
            odd = next((t for t, h in zip(times, hits, strict=True) if h is None), None)
            if odd is not None:
                raise DataProblem(f"There is no number in the name {odd}.", column=odd)
            figures = [float(h) for h in hits if h]
            if all(f == int(f) for f in figures):
                return whole("", [int(f) for f in figures])
            return Column(name="", kind=Kind.measure, decimals=2), pa.array(figures, pa.float64())
        return words("", np.arange(len(times)), [Level(value=t) for t in times], Kind.ordered)


def _repeated(array: Any, k: int) -> Any:
    return array.take(pa.array(np.repeat(np.arange(len(array)), k)))


def _tiled(array: Any, n: int) -> Any:
    return array.take(pa.array(np.tile(np.arange(len(array)), n)))


FOLDS = {
    "refuse": "are refused",
    "first": "give the first value",
    "mean": "give their mean",
    "sum": "give their sum",
    "count": "give their number",
}


class Widen(Step):
    """One column into several, one for each level of another: long to wide."""

    step: Literal["widen"] = "widen"
    values: list[str] = asked("columns", "Values", min_length=1)
    names: str = asked("column", "Names", kinds=(*GROUPING,))
    rows: list[str] = asked("columns", "A row for each", [], placeholder="combination of all other columns")
    several: Literal["refuse", "first", "mean", "sum", "count"] = asked(
        "choice", "Several values for one cell", "refuse", words=FOLDS
    )
    words = "Widen {values} into a column for each {names}"
    help = (
        "Long to wide: one column for each level. Say which columns tell the new rows apart; columns that are neither"
        " are left out."
    )
    family = "Shape"
    fresh = True

    def title(self) -> str:
        return f"Widen {names_in_words(self.values)} by **{self.names}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, [*self.values, self.names])
        keys = self.rows or [n for n in table.names if n not in {*self.values, self.names}]
        for name in keys:
            if name in self.values or name == self.names:
                raise DataProblem(
                    f"{name} is spread over columns, so it cannot also tell the rows apart.", column=name
                )
        if not keys:
            raise DataProblem("No column is left to tell the new rows apart; name one.")
        into = table.codes(self.names)
        if len(into.levels) * len(self.values) > MOST_COLUMNS:
            raise DataProblem(
                f"{self.names} has {spaced(len(into.levels))} different values: that would be more than"
                f" {spaced(MOST_COLUMNS)} columns.",
                column=self.names,
            )
        groups = grouping(table, keys)
        named = into.codes >= 0
        cell = groups.codes * max(1, len(into.levels)) + into.codes
        self._refuse_doubles(table, cell, named, keys)
        # In the order in which the rows first come, not that of their keys.
        order = np.argsort(groups.first, kind="stable")
        wide = table.select(keys).take(groups.first[order])
        wide = Table(wide.columns, wide.arrays, np.arange(1, groups.count + 1), table.about)
        words_are_names = table.column(self.names).kind not in (*NUMERIC, Kind.date)
        seen = np.bincount(into.codes[named], minlength=len(into.levels)) > 0
        for value in self.values:
            for level in np.flatnonzero(seen).tolist():
                column, array = self._column(
                    table, value, np.flatnonzero(into.codes == level), groups.codes, groups.count
                )
                # '3' alone would be no name that an expression can be written with.
                plain = into.levels[level] if words_are_names else f"{self.names} {into.levels[level]}"
                name = plain if len(self.values) == 1 else f"{value} {into.levels[level]}"
                label = f"{column.title}, {into.levels[level]}" if column.label else None
                wide = wide.with_column(
                    column.but(name=new_name(wide, name), label=label), array.take(pa.array(order))
                )
        lost = [n for n in table.names if n not in {*keys, *self.values, self.names}]
        notes = [f"Left out, as they are neither: {', '.join(lost[:12])}."] if lost else []
        if not named.all():
            notes.append(
                f"{plural(int((~named).sum()), 'row')} with no {self.names} {'is' if (~named).sum() == 1 else 'are'}"
                " left out."
            )
        return Outcome(wide, rows_change(table.n_rows, wide.n_rows), notes)

    def _refuse_doubles(self, table: Table, cell: Any, named: Any, keys: list[str]) -> None:
        if self.several != "refuse":
            return
        _, place, counts = np.unique(cell[named], return_inverse=True, return_counts=True)
        twice = np.flatnonzero(named)[counts[place] > 1]
        if len(twice):
            example = listed("", table, twice[:1], [*keys, self.names]).rows[0]
            raise DataProblem(
                f"{plural(len(twice), 'row')} have another with the same {', '.join(keys[:3])} and {self.names} (such"
                f" as {', '.join(str(e) for e in example)}). Name the columns that tell rows apart, or say what"
                " several values give.",
                column=self.names,
                rows=table.rows[twice],
            )

    def _column(self, table: Table, value: str, rows: Any, groups: Any, count: int) -> tuple[Column, Any]:
        column, own = table.column(value), groups[rows]
        if self.several == "count":
            full = ~table.empty(value)[rows]
            return whole(value, np.bincount(own[full], minlength=count))
        if self.several in ("mean", "sum"):
            x = table.numbers(value)[rows]
            full = ~np.isnan(x)
            n = np.bincount(own[full], minlength=count)
            total = np.bincount(own[full], x[full], minlength=count)
            with np.errstate(invalid="ignore", divide="ignore"):
                folded = np.where(n > 0, total / n if self.several == "mean" else total, np.nan)
            return column.but(kind=Kind.measure, decimals=max(column.decimals, 2)), pa.array(
                folded, mask=np.isnan(folded)
            )
        place = np.full(count, -1, np.int64)
        place[own[::-1]] = rows[::-1]
        return column, table.array(value).take(pa.array(np.maximum(place, 0), mask=place < 0))


class Transpose(Step):
    """Rows become columns. Only numbers, or only words, can stand in one column, so all columns must agree."""

    step: Literal["transpose"] = "transpose"
    names: str | None = asked("column", "The new columns are named by", None, placeholder="row numbers")
    names_to: str = asked("text", "The old names go to", "column")
    words = "Turn the table on its side, columns named by {names}"
    help = "Rows become columns and columns rows: species in rows to species in columns."
    family = "Shape"
    fresh = True

    def title(self) -> str:
        return "Turned on its side"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        if table.n_rows > MOST_COLUMNS:
            raise DataProblem(
                f"{spaced(table.n_rows)} rows would become columns; {spaced(MOST_COLUMNS)} are possible."
            )
        body = [n for n in table.names if n != self.names]
        need(table, body)
        kinds = {table.column(n).kind for n in body}
        if kinds <= NUMERIC:
            block = np.array([table.numbers(n) for n in body])
        elif not kinds & NUMERIC:
            block = np.array([table.texts(n) for n in body], object)
        else:
            odd = next(n for n in body if table.column(n).kind not in NUMERIC)
            raise DataProblem(
                f"{odd} holds words and other columns numbers; turned, they would stand in one column. Drop or keep"
                " columns first.",
                column=odd,
            )
        titles = self._titles(table)
        column, array = words(
            " ".join(self.names_to.split()) or "column",
            np.arange(len(body)),
            [Level(value=n, label=table.column(n).label) for n in body],
        )
        whole_numbers = kinds == {Kind.count}
        columns: list[Column] = [
            column.but(kind=Kind.category) if len(body) <= 200 else Column(name=column.name, kind=Kind.identifier)
        ]
        arrays = [array if len(body) <= 200 else pa.array(body, pa.large_string())]
        taken = {column.name}
        for i, title in enumerate(titles):
            name = title if title not in taken else f"{title} ({i + 1})"
            taken.add(name)
            fresh, cells = self._cells(name, block[:, i], whole_numbers, kinds)
            columns.append(fresh)
            arrays.append(cells)
        return Outcome(
            make_table(columns, arrays), f"{table.n_rows} × {len(table.columns)} → {len(body)} × {len(columns)}"
        )

    def _titles(self, table: Table) -> list[str]:
        if self.names is None:
            return [f"row {r}" for r in table.rows.tolist()]
        titles = table.texts(self.names)
        hollow = [int(r) for r, t in zip(table.rows, titles, strict=True) if t is None]
        if hollow:
            raise DataProblem(
                f"{self.names} is empty in row {hollow[0]}, so the new column would have no name.",
                column=self.names,
                rows=hollow,
            )
        return [str(t) for t in titles]

    def _cells(self, name: str, cells: Any, whole_numbers: bool, kinds: set[Kind]) -> tuple[Column, Any]:
        if kinds <= NUMERIC:
            if whole_numbers:
                empty = np.isnan(cells)
                return whole(name, np.where(empty, 0, cells), empty)
            return measure(name, cells)
        if kinds <= CODED:
            levels = list(dict.fromkeys(c for c in cells if c is not None))
            place = {w: i for i, w in enumerate(levels)}
            return words(name, [place.get(c, -1) for c in cells], [Level(value=w) for w in levels])
        return Column(name=name, kind=Kind.text), pa.array(cells.tolist(), pa.large_string())
