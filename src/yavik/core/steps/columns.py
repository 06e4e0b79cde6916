"""Steps about columns as such: their names, order, kind, levels and description."""

from typing import Any, Literal

from pydantic import BaseModel

from yavik.core.ask import asked
from yavik.core.files.kinds import change_kind
from yavik.core.steps.base import ALONE, Around, Outcome, Step, names_in_words, need, plural
from yavik.core.table import CODED, Column, DataProblem, Kind, Level, Table
from yavik.core.table.infer import coded
from yavik.core.table.table import kind_words


class Levels(Step):
    """Words and order for the levels of one or several columns. Values not listed keep their own word, after the
    listed ones."""

    step: Literal["levels"] = "levels"
    column: str = asked("column", "Column")
    levels: list[Level] = asked("levels", "Levels", min_length=1)
    also: list[str] = asked("columns", "The same levels for", [], placeholder="other columns")
    words = "Label the levels of {column}"
    help = (
        "Gives the values of a column words (1 is 'Armchair') and an order. A column of numbers becomes a category."
    )
    family = "What columns mean"

    def title(self) -> str:
        return f"Label {names_in_words([self.column, *self.also])}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        values = [level.value for level in self.levels]
        twice = sorted({v for v in values if values.count(v) > 1})
        if twice:
            raise DataProblem(f"'{twice[0]}' is listed twice among the levels of {self.column}.", column=self.column)
        words = [level.words for level in self.levels]
        same = sorted({w for w in words if words.count(w) > 1})
        if same:
            raise DataProblem(f"Two levels of {self.column} would both be called '{same[0]}'.", column=self.column)
        n = 0
        for name in dict.fromkeys([self.column, *self.also]):
            column, array = self._labelled(table.column(name), table.array(name), values)
            n = n or len(column.levels)
            table = table.with_column(column, array)
        return Outcome(table, plural(n, "level"))

    def _labelled(self, column: Column, array: Any, values: list[str]) -> tuple[Column, Any]:
        if column.kind not in CODED:
            column, array = change_kind(column, array, Kind.category, [])
        labels = {level.value: level for level in self.levels}
        known = {level.value for level in column.levels}
        levels = [labels.get(level.value, level) for level in column.levels]
        column = column.but(levels=(*levels, *(lv for lv in self.levels if lv.value not in known)))
        return coded(column, array.dictionary_decode(), order=values)


class ChangeKind(Step):
    """What a column's values are."""

    step: Literal["kind"] = "kind"
    column: str = asked("column", "Column")
    kind: Kind = asked("choice", "What its values are", words={k.value: kind_words(k) for k in Kind})
    dates: Literal["iso", "day_first", "month_first"] = asked(
        "choice",
        "Dates written as",
        "iso",
        words={"iso": "2026-03-31", "day_first": "31.03.2026", "month_first": "03/31/2026"},
        when={"kind": "date"},
    )
    words = "Read {column} as {kind}"
    help = "Says what a column's values are: a measure, a count, a category and so on."
    family = "What columns mean"

    def title(self) -> str:
        words = (
            "ordered category"
            if self.kind is Kind.ordered
            else "text"
            if self.kind is Kind.text
            else kind_words(self.kind)
        )
        article = "" if self.kind is Kind.text else "an " if words[0] in "aeio" else "a "
        return f"**{self.column}** is {article}{words}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        column = table.column(self.column)
        fresh, array = change_kind(column, table.array(self.column), self.kind, [], table.rows, self.dates)
        return Outcome(table.with_column(fresh, array), f"was {kind_words(column.kind)}")


class Description(BaseModel):
    column: str
    label: str | None = None
    unit: str | None = None
    note: str | None = None

    def given(self) -> dict[str, str | None]:
        """What is said here; an empty text takes a description away."""
        said = {"label": self.label, "unit": self.unit, "note": self.note}
        return {k: v.strip() or None for k, v in said.items() if v is not None}


class DescribeColumn(Step):
    """Label, unit and note of a column."""

    step: Literal["describe_column"] = "describe_column"
    column: str = asked("column", "Column")
    label: str | None = asked("text", "Label (a question's wording)", None)
    unit: str | None = asked("text", "Unit", None)
    note: str | None = asked("text", "Note", None)
    words = "Describe {column}"
    help = "Gives a column a label (a question's wording), a unit and a note."
    family = "What columns mean"

    def title(self) -> str:
        return f"Describe **{self.column}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        said = Description(column=self.column, label=self.label, unit=self.unit, note=self.note)
        fresh = table.column(self.column).but(**said.given())
        words = fresh.axis_title if fresh.axis_title != fresh.name else "no label"
        return Outcome(table.with_column(fresh, table.array(self.column)), words)


class DescribeColumns(Step):
    """Labels, units and notes of many columns: what pasting a sheet into the dictionary makes."""

    step: Literal["describe_columns"] = "describe_columns"
    descriptions: list[Description] = asked(
        "pairs",
        "Labels",
        min_length=1,
        left={"field": "column", "shown": "column", "title": "column"},
        right={"field": "label", "shown": "text", "title": "its label"},
    )
    words = "Describe many columns: {descriptions}"
    help = "Gives many columns their labels at once. In the dictionary a two-column sheet can be pasted for this."
    family = "What columns mean"

    def title(self) -> str:
        return f"Describe {plural(len(self.descriptions), 'column')}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, [d.column for d in self.descriptions])
        for d in self.descriptions:
            table = table.with_column(table.column(d.column).but(**d.given()), table.array(d.column))
        return Outcome(
            table,
            f"{self.descriptions[0].label or self.descriptions[0].unit or 'described'}{' …' if len(self.descriptions) > 1 else ''}",
        )


class Renamed(BaseModel):
    old: str
    new: str


class Rename(Step):
    """New names for columns."""

    step: Literal["rename"] = "rename"
    names: list[Renamed] = asked(
        "pairs",
        "Names",
        min_length=1,
        left={"field": "old", "shown": "column", "title": "column"},
        right={"field": "new", "shown": "text", "title": "its new name"},
    )
    words = "Rename {names}"
    help = (
        "Gives columns new names. For the wording of a question a label is better: it is shown everywhere, and names"
        " stay short."
    )
    family = "Columns"

    def title(self) -> str:
        first = self.names[0]
        return (
            f"Rename **{first.old}** to **{first.new}**"
            if len(self.names) == 1
            else f"Rename {plural(len(self.names), 'column')}"
        )

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, [n.old for n in self.names])
        new = {n.old: " ".join(n.new.split()).replace("`", "'") for n in self.names}
        names = [new.get(n, n) for n in table.names]
        for old, name in new.items():
            if not name:
                raise DataProblem(f"{old} needs a new name.", column=old)
            if names.count(name) > 1:
                raise DataProblem(f"Two columns would be called '{name}'.", column=old)
        columns = tuple(c.but(name=n) for c, n in zip(table.columns, names, strict=True))
        return Outcome(Table(columns, table.arrays, table.rows, table.about.renamed(new)), plural(len(new), "name"))


class KeepColumns(Step):
    """The named columns, in the order named."""

    step: Literal["keep_columns"] = "keep_columns"
    columns: list[str] = asked("columns", "Columns", min_length=1)
    words = "Keep the columns {columns}"
    help = "Keeps these columns, in this order, and leaves the others out."
    family = "Columns"

    def title(self) -> str:
        return f"Keep {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        return Outcome(table.select(self.columns), f"{len(table.columns)} → {plural(len(self.columns), 'column')}")


class DropColumns(Step):
    """All columns but the named ones."""

    step: Literal["drop_columns"] = "drop_columns"
    columns: list[str] = asked("columns", "Columns", min_length=1)
    words = "Drop the columns {columns}"
    help = "Leaves these columns out. They stay in the file and come back when the step is switched off."
    family = "Columns"

    def title(self) -> str:
        return f"Drop {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        gone = set(self.columns)
        left = [n for n in table.names if n not in gone]
        if not left:
            raise DataProblem("Every column would be dropped.")
        return Outcome(table.select(left), f"{len(table.columns)} → {plural(len(left), 'column')}")
