"""Steps that bring two tables of a study together: under each other, or side by side on keys."""

from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import BaseModel

from yavik.core.ask import asked
from yavik.core.steps.base import (
    ALONE,
    Around,
    Listed,
    Outcome,
    Step,
    listed,
    names_in_words,
    need,
    new_name,
    plural,
    spaced,
)
from yavik.core.steps.grouping import nearly_same, shared_codes
from yavik.core.steps.making import nothing, stacked, words
from yavik.core.table import CODED, Column, DataProblem, Level, Table
from yavik.core.table.table import kind_words

MOST_ROWS = 200_000_000


class Match(BaseModel):
    """A column of this table and the one of the other table that is the same."""

    mine: str
    theirs: str


PAIR: dict[str, Any] = {
    "left": {"field": "mine", "shown": "column", "title": "this table's column"},
    "right": {"field": "theirs", "shown": "theirs", "title": "the other's"},
}


class Append(Step):
    """The rows of another table under those of this one."""

    step: Literal["append"] = "append"
    table: str = asked("table", "Table")
    matches: list[Match] = asked("pairs", "Columns of other names that are the same", [], of="table", **PAIR)
    source: str = asked("text", "A column saying which table is called", "table", placeholder="no column")
    mine: str = asked("text", "It calls the rows of this table", "", placeholder="first")
    words = "Append the rows of {table}"
    help = (
        "Stacks two tables. Columns are matched by name, others as you say; a column that one table lacks is empty"
        " there. No row is lost."
    )
    family = "Tables together"
    fresh = True

    def title(self) -> str:
        return "Append rows"

    def tables(self) -> list[str]:
        return [self.table]

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        other = around.other(self.table)
        theirs = other.table
        pairs = {m.mine: m.theirs for m in self.matches}
        need(table, list(pairs)) if pairs else None
        for name in pairs.values():
            if not theirs.has(name):
                raise DataProblem(f"{other.name} has no column '{name}'.", column=name)
        used = {pairs.get(n, n) for n in table.names}
        columns, arrays, notes = [], [], []
        lacking = []
        for column, array in zip(table.columns, table.arrays, strict=True):
            name = pairs.get(column.name, column.name)
            if not theirs.has(name):
                lacking.append(column.name)
                fresh, cells = column, pa.concat_arrays([array, nothing(column, theirs.n_rows)])
            else:
                partner = theirs.column(name)
                fresh, cells = stacked([(column, array), (partner, theirs.array(name))])
                notes += differences(column, partner, fresh, other.name)
            columns.append(fresh)
            arrays.append(cells)
        extra = [n for n in theirs.names if n not in used and not table.has(n)]
        for name in extra:
            column = theirs.column(name)
            columns.append(column)
            arrays.append(pa.concat_arrays([nothing(column, table.n_rows), theirs.array(name)]))
        n = table.n_rows + theirs.n_rows
        made = Table(tuple(columns), tuple(arrays), np.arange(1, n + 1), table.about)
        if self.source.strip():
            first = self.mine.strip() or "first"
            second = other.name if other.name != first else f"{other.name} (2)"
            which = np.repeat([0, 1], [table.n_rows, theirs.n_rows])
            made = made.with_column(
                *words(new_name(made, self.source), which, [Level(value=first), Level(value=second)])
            )
        if lacking:
            notes.append(f"{other.name} lacks {_listing(lacking)}: empty in its rows.")
        if extra:
            notes.append(f"Only {other.name} has {_listing(extra)}: empty in the rows of this table.")
        return Outcome(made, f"{spaced(table.n_rows)} + {spaced(theirs.n_rows)} = {plural(n, 'row')}", notes)


def _listing(names: list[str]) -> str:
    return ", ".join(names[:8]) + (f" and {len(names) - 8} more" if len(names) > 8 else "")


def differences(mine: Column, theirs: Column, made: Column, other: str) -> list[str]:
    """What a researcher must know of two columns that became one."""
    if mine.kind in CODED and theirs.kind in CODED:
        a, b = {lv.words for lv in mine.levels}, {lv.words for lv in theirs.levels}
        if a != b and a and b:
            return [
                f"{mine.name}: levels differ; only here {_listing(sorted(a - b)) or 'none'}, only in {other}"
                f" {_listing(sorted(b - a)) or 'none'}."
            ]
        return []
    if mine.kind != theirs.kind:
        return [
            f"{mine.name} is of kind {kind_words(mine.kind)} here and {kind_words(theirs.kind)} in {other}; together"
            f" it is read as {kind_words(made.kind)}."
        ]
    if mine.unit != theirs.unit and mine.unit and theirs.unit:
        return [f"{mine.name} is in {mine.unit} here and in {theirs.unit} in {other}: numbers were not converted."]
    return []


class Join(Step):
    """Columns of another table beside those of this one, where keys agree."""

    step: Literal["join"] = "join"
    table: str = asked("table", "Table")
    keys: list[Match] = asked("pairs", "Keys", min_length=1, of="table", **PAIR)
    how: Literal["left", "inner", "outer"] = asked(
        "choice",
        "Keep",
        "left",
        words={
            "left": "every row of this table",
            "inner": "only rows with a partner",
            "outer": "every row of both tables",
        },
    )
    columns: list[str] = asked("columns", "Columns to take", [], of="table", placeholder="all of its columns")
    many_to_many: bool = asked("flag", "Keys may occur several times in both tables", False)
    words = "Join the columns of {table} where {keys}"
    help = (
        "Adds another table's columns where keys agree. Rows without a partner and keys that occur twice are counted"
        " and listed."
    )
    family = "Tables together"

    def title(self) -> str:
        return f"Join on {names_in_words([k.mine for k in self.keys])}"

    def tables(self) -> list[str]:
        return [self.table]

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        other = around.other(self.table)
        right = other.table
        mine, theirs = [k.mine for k in self.keys], [k.theirs for k in self.keys]
        need(table, mine)
        for name in [*theirs, *self.columns]:
            if not right.has(name):
                raise DataProblem(f"{other.name} has no column '{name}'.", column=name)
        around.told(0.0, "Matching keys")
        left_codes, right_codes = shared_codes(table, mine, right, theirs)
        around.told(0.2, "Matching keys")
        match = _Match(left_codes, right_codes)
        if len(match.both) and not self.many_to_many:
            rows = table.rows[np.isin(left_codes, match.both)]
            raise DataProblem(
                f"{plural(len(match.both), 'key')} {'occurs' if len(match.both) == 1 else 'occur'} several times in"
                " both tables, so rows would be multiplied. Take the duplicates out first, add a key that tells the"
                " rows apart, or say that this is meant.",
                column=mine[0],
                rows=rows,
            )
        left_rows, right_rows = match.rows(self.how)
        if len(left_rows) > MOST_ROWS:
            raise DataProblem(f"That would make {spaced(len(left_rows))} rows; {spaced(MOST_ROWS)} are possible.")
        around.told(0.4, "Taking columns")
        made = self._columns(table, right, left_rows, right_rows, mine, theirs, around)
        notes, lists = self._report(table, other.name, right, match, mine, theirs)
        return Outcome(
            made,
            f"{spaced(table.n_rows)} → {plural(made.n_rows, 'row')},"
            f" {plural(len(made.columns) - len(table.columns), 'column')} added",
            notes,
            lists,
        )

    def _columns(
        self, table: Table, right: Table, left_rows: Any, right_rows: Any, mine: list[str], theirs: list[str],
        around: Around,
    ) -> Table:  # fmt: skip
        same = len(left_rows) == table.n_rows and bool(np.array_equal(left_rows, np.arange(table.n_rows)))
        from_left = None if same else pa.array(np.maximum(left_rows, 0), pa.int64(), mask=left_rows < 0)
        from_right = pa.array(np.maximum(right_rows, 0), pa.int64(), mask=right_rows < 0)
        arrays = (
            list(table.arrays)
            if same
            else [_taken(a, c, from_left) for a, c in zip(table.arrays, table.columns, strict=True)]
        )
        columns = list(table.columns)
        if (left_rows < 0).any():
            for a, b in zip(mine, theirs, strict=True):
                # A row that only the other table has takes its key from there.
                i = table.index(a)
                known = int((left_rows >= 0).sum())
                columns[i], arrays[i] = stacked(
                    [
                        (columns[i], arrays[i].slice(0, known)),
                        (right.column(b), right.array(b).take(from_right.slice(known))),
                    ]
                )
        rows = table.rows if same else np.arange(1, len(left_rows) + 1)
        made = Table(tuple(columns), tuple(arrays), rows, table.about)
        added = self.columns or [n for n in right.names if n not in theirs]
        for i, name in enumerate(added):
            around.told(0.7 + 0.3 * i / len(added), f"Taking {name}")
            column = right.column(name)
            made = made.with_column(
                column.but(name=new_name(made, name)), _taken(right.array(name), column, from_right)
            )
        return made

    def _report(
        self, table: Table, name: str, right: Table, match: "_Match", mine: list[str], theirs: list[str]
    ) -> tuple[list[str], list[Listed]]:
        notes: list[str] = []
        lists: list[Listed] = []
        shown = {
            "left": "and have nothing in the new columns",
            "inner": "and are left out",
            "outer": "and have nothing in the new columns",
        }[self.how]
        alone, unused = match.left_alone, match.right_alone
        if len(alone):
            notes.append(f"{plural(len(alone), 'row')} of this table found no partner {shown}.")
            lists.append(
                listed(
                    "Rows of this table without a partner",
                    table,
                    alone,
                    [*mine, *(n for n in table.names if n not in mine)],
                )
            )
        if len(unused):
            end = "are added" if self.how == "outer" else "are not used"
            notes.append(f"{plural(len(unused), 'row')} of {name} found no partner and {end}.")
            lists.append(
                listed(
                    f"Rows of {name} without a partner",
                    right,
                    unused,
                    [*theirs, *(n for n in right.names if n not in theirs)],
                )
            )
        if len(alone) and len(unused) and len(mine) == 1:
            a = list(dict.fromkeys(t for t in table.take(alone[:2000]).texts(mine[0]) if t))
            b = list(dict.fromkeys(t for t in right.take(unused[:2000]).texts(theirs[0]) if t))
            near = nearly_same(a, b)
            if near:
                words = ", ".join(f"'{x}' and '{y}'" for x, y in near[:4])
                notes.append(
                    f"{plural(len(near), 'key')} {'differs' if len(near) == 1 else 'differ'} only by case or spaces"
                    f" ({words})."
                )
        if match.twice_right:
            notes.append(
                f"{plural(match.twice_right, 'key')} {'occurs' if match.twice_right == 1 else 'occur'} several times"
                f" in {name}: rows of this table are repeated."
            )
        if match.empty_left:
            notes.append(
                f"{plural(match.empty_left, 'row')} of this table {'has' if match.empty_left == 1 else 'have'} an"
                " empty key, which matches nothing."
            )
        return notes, lists


def _taken(array: Any, column: Column, places: Any) -> Any:
    """Cells at places, empty where a place is null; a table of no rows gives nothing but empty cells."""
    return array.take(places) if len(array) else nothing(column, len(places))


class _Match:
    """Which rows of two tables belong together, from key codes that they share; found by counting, not by sorting
    pairs."""

    def __init__(self, left: Any, right: Any) -> None:
        self.left, self.right = left, right
        count = int(max(left.max(initial=-1), right.max(initial=-1))) + 1
        good = right >= 0
        self.order = np.flatnonzero(good)[np.argsort(right[good], kind="stable")]
        self.counts = np.bincount(right[good], minlength=count)
        self.starts = np.concatenate([[0], np.cumsum(self.counts)])[:-1] if count else np.zeros(0, np.int64)
        self.partners = (
            np.where(left >= 0, self.counts[np.maximum(left, 0)], 0) if count else np.zeros(len(left), np.int64)
        )
        in_left = np.bincount(left[left >= 0], minlength=count)
        self.left_alone = np.flatnonzero(self.partners == 0)
        hit = np.where(good, in_left[np.maximum(right, 0)] > 0, False) if count else np.zeros(len(right), bool)
        self.right_alone = np.flatnonzero(~hit)
        self.both = np.flatnonzero((in_left > 1) & (self.counts > 1))
        self.twice_right = int(((self.counts > 1) & (in_left > 0)).sum())
        self.empty_left = int((left < 0).sum())

    def rows(self, how: str) -> tuple[Any, Any]:
        """Places in both tables, row by row of the result; −1 where there is no partner."""
        if how == "left" and self.counts.max(initial=0) <= 1:
            # Keys of the other table occur once: each row has one partner or none.
            lookup = np.full(len(self.counts) + 1, -1, np.int64)
            lookup[np.flatnonzero(self.counts)] = self.order
            return np.arange(len(self.left)), lookup[self.left]
        times = self.partners if how == "inner" else np.maximum(self.partners, 1)
        left = np.repeat(np.arange(len(self.left)), times)
        number = np.arange(len(left)) - np.repeat(np.cumsum(times) - times, times)
        there = self.partners[left] > 0
        at = (
            np.where(there, self.starts[np.maximum(self.left[left], 0)] + number, 0)
            if len(self.starts)
            else np.zeros(len(left), np.int64)
        )
        right = (
            np.where(there, self.order[np.minimum(at, max(0, len(self.order) - 1))], -1)
            if len(self.order)
            else np.full(len(left), -1)
        )
        if how == "outer":
            left = np.concatenate([left, np.full(len(self.right_alone), -1)])
            right = np.concatenate([right, self.right_alone])
        return left, right
