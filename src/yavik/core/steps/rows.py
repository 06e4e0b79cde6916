"""Steps that choose, order or check rows."""

from typing import Literal

import numpy as np

from yavik.core.ask import asked
from yavik.core.steps.base import (
    ALONE,
    GROUPING,
    ORDERING,
    Around,
    Outcome,
    Step,
    listed,
    names_in_words,
    need,
    plural,
    rows_change,
    spaced,
)
from yavik.core.steps.expressions import Parsed, evaluate, holds, rows_where
from yavik.core.steps.grouping import grouping, order_of
from yavik.core.table import DataProblem, Table, rows_in_words


class KeepRows(Step):
    """The rows for which a condition holds; where it is empty, it does not hold."""

    step: Literal["keep_rows"] = "keep_rows"
    where: str = asked("expression", "Condition")
    words = "Keep the rows where {where}"
    help = 'Keeps the rows for which a condition holds, such as consent == "yes".'
    family = "Rows"

    def title(self) -> str:
        return f"Keep `{self.where}`"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        value = evaluate(self.where, table)
        kept = table.keep(holds(value, table))
        unsure = int(np.broadcast_to(value.empty, table.n_rows).sum())
        notes = (
            [f"In {plural(unsure, 'row')} the condition is empty; {'it is' if unsure == 1 else 'they are'} left out."]
            if unsure
            else []
        )
        return Outcome(kept, rows_change(table.n_rows, kept.n_rows), notes)


class LeaveOutRows(Step):
    """All rows but those for which a condition holds; where it is empty, the row stays."""

    step: Literal["leave_out_rows"] = "leave_out_rows"
    where: str = asked("expression", "Condition")
    words = "Leave out the rows where {where}"
    help = (
        "Leaves out the rows for which a condition holds, such as minutes > 600. Where the condition is empty the row"
        " stays."
    )
    family = "Rows"

    def title(self) -> str:
        return f"Leave out `{self.where}`"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        kept = table.keep(~rows_where(self.where, table))
        return Outcome(kept, rows_change(table.n_rows, kept.n_rows))


class CheckRows(Step):
    """A rule that every row should keep. It changes nothing; rows that break it are counted and listed."""

    step: Literal["check_rows"] = "check_rows"
    rule: str = asked("expression", "Rule", placeholder="0 <= age <= 110")
    name: str | None = asked("text", "Name of the rule", None, placeholder="no name")
    words = "Check that {rule}"
    help = (
        "A rule that holds for every row, such as 0 <= age <= 110. It stays in the path, and counts the rows that"
        " break it."
    )
    family = "Finding errors"

    def title(self) -> str:
        return f"Check {self.name}" if self.name else f"Check `{self.rule}`"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        value = evaluate(self.rule, table)
        kept = holds(value, table) | np.broadcast_to(value.empty, table.n_rows)
        broken = np.flatnonzero(~kept)
        if not len(broken):
            return Outcome(table, "holds in every row")
        used = [n for n in table.names if n in Parsed(self.rule).columns]
        rows = listed("Rows that break the rule", table, broken, used or table.names[:3])
        said = f"{plural(len(broken), 'row')} {'breaks' if len(broken) == 1 else 'break'} it"
        note = f"{said}: {rows_in_words(table.rows[broken])}."
        return Outcome(table, said, [note], [rows], broken=len(broken))


class Sort(Step):
    """Rows in the order of columns; ties stay as they stand, empty cells come last."""

    step: Literal["sort"] = "sort"
    by: list[str] = asked("columns", "Columns", kinds=(*ORDERING, *GROUPING), min_length=1)
    descending: list[str] = asked("columns", "From high to low", [])
    words = "Sort the rows by {by}"
    help = "Puts rows in an order. Levels stand in their own order, words by the alphabet, empty cells last."
    family = "Rows"

    def title(self) -> str:
        return f"Sort by {names_in_words(self.by)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.by)
        for name in self.descending:
            if name not in self.by:
                raise DataProblem(
                    f"{name} is to go from high to low, but is not among the columns to sort by.", column=name
                )
        return Outcome(
            table.take(order_of(table, self.by, self.descending)),
            ", ".join(f"{n} {'falling' if n in self.descending else 'rising'}" for n in self.by),
        )


class Unique(Step):
    """One row for each combination of values."""

    step: Literal["unique"] = "unique"
    columns: list[str] = asked("columns", "Columns that tell rows apart", [], placeholder="all columns")
    keep: Literal["first", "last", "none"] = asked(
        "choice", "Of rows that agree keep", "first", words={"first": "the first", "last": "the last", "none": "none"}
    )
    words = "Of rows that agree in {columns} keep {keep}"
    help = "Drops duplicates and lists them. With no columns named, rows must agree in all of them."
    family = "Finding errors"

    def title(self) -> str:
        return f"Unique in {names_in_words(self.columns)}" if self.columns else "Unique rows"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        names = self.columns or table.names
        need(table, names)
        groups = grouping(table, names)
        sizes = np.bincount(groups.codes, minlength=groups.count)
        repeated = sizes[groups.codes] > 1
        kept = np.zeros(table.n_rows, bool)
        if self.keep == "first":
            kept[groups.first] = True
        elif self.keep == "last":
            last = np.zeros(groups.count, np.int64)
            last[groups.codes] = np.arange(table.n_rows)
            kept[last] = True
        else:
            kept = ~repeated
        after = table.keep(kept)
        gone = table.n_rows - after.n_rows
        if not gone:
            return Outcome(after, "no duplicates")
        note = (
            f"{plural(int((sizes > 1).sum()), 'combination')} of values stood in {spaced(int(repeated.sum()))} rows."
        )
        rows = listed("Rows left out", table, np.flatnonzero(~kept), names)
        return Outcome(after, rows_change(table.n_rows, after.n_rows), [note], [rows])


class Sample(Step):
    """Random rows, the same ones for the same seed, in their old order."""

    step: Literal["sample"] = "sample"
    rows: int = asked("number", "Rows", ge=1)
    by: list[str] = asked("columns", "That many within each", [], kinds=GROUPING)
    seed: int = asked("number", "Seed", 1, ge=0, le=2**63 - 1)
    words = "Take {rows} random rows"
    help = "Draws rows without putting them back. The seed makes the draw repeatable."
    family = "Rows"

    def title(self) -> str:
        within = f" of each {names_in_words(self.by)}" if self.by else ""
        return f"{plural(self.rows, 'random row')}{within}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        ticket = np.random.default_rng(self.seed).random(table.n_rows)
        if not self.by and self.rows < table.n_rows:
            after = table.take(np.sort(np.argpartition(ticket, self.rows)[: self.rows]))
            return Outcome(after, rows_change(table.n_rows, after.n_rows))
        groups = grouping(table, self.by)
        place = np.lexsort([ticket, groups.codes])
        starts = np.concatenate([[0], np.cumsum(np.bincount(groups.codes, minlength=groups.count))])
        number = np.arange(table.n_rows) - starts[groups.codes[place]]
        chosen = np.zeros(table.n_rows, bool)
        chosen[place[number < self.rows]] = True
        small = int((np.diff(starts) < self.rows).sum())
        notes = (
            [
                f"{plural(small, 'group')} {'has' if small == 1 else 'have'} fewer than {self.rows} rows; all of them"
                " were taken."
            ]
            if small
            else []
        )
        after = table.keep(chosen)
        return Outcome(after, rows_change(table.n_rows, after.n_rows), notes)
