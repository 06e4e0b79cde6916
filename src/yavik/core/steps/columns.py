"""Steps about what a column means: empty codes, levels, kind, description."""

from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field

from yavik.core.files.delimited import change_kind
from yavik.core.steps.base import Step, need, plural
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Level, Table
from yavik.core.table.infer import coded
from yavik.core.table.table import kind_words


class EmptyCodes(Step):
    """Values that mean empty: single values ('−9', 'refused') or ranges ('90..99') for numbers."""

    step: Literal["empty_codes"] = "empty_codes"
    columns: list[str] = Field(min_length=1)
    codes: list[str] = Field(min_length=1)
    words = "In {columns}, {codes} mean empty"
    help = "Turns codes such as −9 or 'refused' into empty cells. Ranges are written 90..99."

    def title(self) -> str:
        codes, names = ", ".join(self.codes), ", ".join(self.columns)
        return f"{codes} in **{names}** {'is' if len(self.codes) == 1 else 'are'} empty".replace("-", "−")

    def apply(self, table: Table) -> tuple[Table, str]:
        need(table, self.columns)
        total = 0
        for name in self.columns:
            column, array = table.column(name), table.array(name)
            mask = self._mask(column, array)
            total += int(mask.sum())
            codes = tuple(dict.fromkeys((*column.empty_codes, *self.codes)))
            if column.kind in CODED:
                emptied = pa.array(array.indices.fill_null(0), mask=mask | table.empty(name))
                fresh, array = coded(
                    column,
                    pa.DictionaryArray.from_arrays(emptied, array.dictionary),
                    order=[level.value for level in column.levels if level.value not in self.codes],
                )
                fresh, array = _drop_unused(fresh, array, set(self.codes))
            else:
                array = pc.if_else(pa.array(mask), pa.scalar(None, array.type), array)
                fresh = column
                if column.kind in (Kind.text, Kind.identifier):
                    fresh, array = _numbers_after_all(column, array)
            table = table.with_column(fresh.but(empty_codes=codes), array)
        return table, plural(total, "cell")

    def _mask(self, column: Column, array: Any) -> Any:
        mask = np.zeros(len(array), bool)
        if column.kind in NUMERIC:
            values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
            for code in self.codes:
                low, high = _range(code, column.name)
                mask |= (values >= low) & (values <= high)
            return mask
        plain = array.dictionary_decode() if column.kind in CODED else array
        text = pc.cast(plain, pa.large_string())
        return pc.fill_null(pc.is_in(text, value_set=pa.array(self.codes, pa.large_string())), False).to_numpy(
            zero_copy_only=False
        )


def _range(code: str, column: str) -> tuple[float, float]:
    try:
        low, _, high = code.replace("−", "-").partition("..")
        return float(low), float(high or low)
    except ValueError:
        raise DataProblem(
            f"'{code}' is no number, and {column} holds numbers. Write −9, or a range such as 90..99.", column=column
        ) from None


def _drop_unused(column: Column, array: Any, codes: set[str]) -> tuple[Column, Any]:
    """Levels that were only codes for empty disappear from the list."""
    keep = [i for i, level in enumerate(column.levels) if level.value not in codes]
    if len(keep) == len(column.levels):
        return column, array
    move = np.full(len(column.levels) + 1, -1, np.int32)
    move[keep] = np.arange(len(keep), dtype=np.int32)
    codes_now = move[array.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    levels = tuple(column.levels[i] for i in keep)
    words = pa.array([level.value for level in levels], pa.string())
    return column.but(levels=levels), pa.DictionaryArray.from_arrays(pa.array(codes_now, mask=codes_now < 0), words)


def _numbers_after_all(column: Column, array: Any) -> tuple[Column, Any]:
    try:
        numbers = pc.cast(array, pa.float64())
    except pa.ArrowInvalid:
        return column, array
    if numbers.null_count == len(numbers):
        return column, array
    whole = pc.all(pc.equal(numbers, pc.floor(numbers))).as_py()
    return change_kind(column, array, Kind.count if whole else Kind.measure, [])


class Levels(Step):
    """Words and order for the levels of a column. Values not listed keep their own word, after the listed ones."""

    step: Literal["levels"] = "levels"
    column: str
    levels: list[Level] = Field(min_length=1)
    words = "Label the levels of {column}"
    help = (
        "Gives the values of a column words (1 is 'Armchair') and an order. A column of numbers becomes a category."
    )

    def title(self) -> str:
        return f"Label **{self.column}**"

    def apply(self, table: Table) -> tuple[Table, str]:
        column, array = table.column(self.column), table.array(self.column)
        values = [level.value for level in self.levels]
        twice = sorted({v for v in values if values.count(v) > 1})
        if twice:
            raise DataProblem(f"'{twice[0]}' is listed twice among the levels of {self.column}.", column=self.column)
        words = [level.words for level in self.levels]
        same = sorted({w for w in words if words.count(w) > 1})
        if same:
            raise DataProblem(f"Two levels of {self.column} would both be called '{same[0]}'.", column=self.column)
        if column.kind not in CODED:
            column, array = change_kind(column, array, Kind.category, [])
        labels = {level.value: level for level in self.levels}
        column = column.but(levels=tuple(labels.get(level.value, level) for level in column.levels))
        column = column.but(
            levels=(*column.levels, *(lv for lv in self.levels if lv.value not in {c.value for c in column.levels}))
        )
        plain = array.dictionary_decode()
        fresh, array = coded(column, plain, order=values)
        return table.with_column(fresh, array), plural(len(fresh.levels), "level")


class ChangeKind(Step):
    step: Literal["kind"] = "kind"
    column: str
    kind: Kind
    words = "Read {column} as {kind}"
    help = "Says what a column's values are: a measure, a count, a category and so on."

    def title(self) -> str:
        return f"**{self.column}** is {'an' if self.kind.value[0] in 'aeiou' else 'a'} {kind_words(self.kind)}"

    def apply(self, table: Table) -> tuple[Table, str]:
        column = table.column(self.column)
        fresh, array = change_kind(column, table.array(self.column), self.kind, [], table.rows)
        return table.with_column(fresh, array), f"was {kind_words(column.kind)}"


class DescribeColumn(Step):
    """Label, unit and note of a column."""

    step: Literal["describe_column"] = "describe_column"
    column: str
    label: str | None = None
    unit: str | None = None
    note: str | None = None
    words = "Describe {column}"
    help = "Gives a column a label (a question's wording), a unit and a note."

    def title(self) -> str:
        return f"Describe **{self.column}**"

    def apply(self, table: Table) -> tuple[Table, str]:
        given = {k: v for k, v in (("label", self.label), ("unit", self.unit), ("note", self.note)) if v is not None}
        fresh = table.column(self.column).but(**{k: v.strip() or None for k, v in given.items()})
        said = fresh.axis_title if fresh.axis_title != fresh.name else "no label"
        return table.with_column(fresh, table.array(self.column)), said
