"""Steps about cells that are empty: codes that mean it, filling, and rows or columns of nothing."""

from itertools import pairwise
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import BaseModel, Field

from yavik.core.ask import asked
from yavik.core.files.kinds import change_kind
from yavik.core.steps.base import (
    ALONE,
    GROUPING,
    ORDERING,
    Around,
    Outcome,
    Step,
    names_in_words,
    need,
    plural,
    rows_change,
)
from yavik.core.steps.grouping import grouping, order_of, spread
from yavik.core.steps.making import as_text, emptied, measure, words
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Level, Table
from yavik.core.table.table import kind_words


class Reason(BaseModel):
    """What a code for empty means: 'refused', 'not asked'."""

    code: str
    meaning: str = Field(min_length=1)


class EmptyCodes(Step):
    """Values that mean empty: single values ('−9', 'refused') or ranges ('90..99') for numbers."""

    step: Literal["empty_codes"] = "empty_codes"
    columns: list[str] = asked("columns", "Columns", min_length=1)
    codes: list[str] = asked(
        "codes", "Codes that mean empty, with commas between", placeholder="−9, 90..99, refused", min_length=1
    )
    meanings: list[Reason] = asked(
        "pairs",
        "What they mean",
        [],
        left={"field": "code", "shown": "text", "title": "code"},
        right={"field": "meaning", "shown": "text", "title": "means, such as refused"},
    )
    reasons: str | None = asked(
        "text", "Keep the kind of emptiness in a column called", None, placeholder="no column"
    )
    words = "In {columns}, {codes} mean empty"
    help = (
        "Turns codes such as −9 or 'refused' into empty cells. Ranges are written 90..99. What each code means is"
        " kept and counted."
    )
    family = "Empty cells"

    def title(self) -> str:
        codes = ", ".join(self.codes)
        return f"{codes} in {names_in_words(self.columns)} {'is' if len(self.codes) == 1 else 'are'} empty".replace(
            "-", "−"
        )

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        total, counts = 0, dict.fromkeys(self.codes, 0)
        meanings = {m.code: m.meaning for m in self.meanings}
        why = np.full(table.n_rows, -1, np.int32)
        for name in self.columns:
            column, array = table.column(name), table.array(name)
            mask = np.zeros(table.n_rows, bool)
            for i, code in enumerate(self.codes):
                own = _has_code(column, array, code) & ~mask
                counts[code] += int(own.sum())
                why[own & (why < 0)] = i
                mask |= own
            total += int(mask.sum())
            array = emptied(array, mask)
            fresh = column
            if column.kind in CODED:
                fresh, array = _without(column, array, set(self.codes))
            elif column.kind in (Kind.text, Kind.identifier):
                fresh, array = _numbers_after_all(column, array)
            codes = tuple(dict.fromkeys((*column.empty_codes, *self.codes)))
            table = table.with_column(
                fresh.but(empty_codes=codes, empty_meanings={**column.empty_meanings, **meanings}), array
            )
        notes = (
            [f"{meanings.get(c, c)}: {plural(n, 'cell')}".replace("-", "−") for c, n in counts.items()]
            if len(counts) > 1 or meanings
            else []
        )
        if self.reasons:
            levels = [Level(value=c, label=meanings.get(c)) for c in self.codes]
            table = table.with_column(*words(self.reasons.strip(), why, levels))
        return Outcome(table, plural(total, "cell"), notes)


def _has_code(column: Column, array: Any, code: str) -> Any:
    if column.kind in NUMERIC:
        low, high = number_range(code, column.name)
        values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        return (values >= low) & (values <= high)
    if column.kind in CODED:
        hit = np.array([lv.value == code or lv.label == code for lv in column.levels] + [False])
        return hit[array.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    same = pc.equal(as_text(column, array), pa.scalar(code, pa.large_string()))
    return pc.fill_null(same, False).to_numpy(zero_copy_only=False)


def number_range(code: str, column: str) -> tuple[float, float]:
    """'−9' or '90..99' as (low, high). Either end may be left out: '..0', '100..'."""
    try:
        low, dots, high = code.replace("−", "-").partition("..")
        if not dots:
            return float(low), float(low)
        return float(low) if low.strip() else -np.inf, float(high) if high.strip() else np.inf
    except ValueError:
        raise DataProblem(
            f"'{code}' is no number, and {column} holds numbers. Write −9, or a range such as 90..99.", column=column
        ) from None


def _without(column: Column, array: Any, codes: set[str]) -> tuple[Column, Any]:
    """Levels that were only codes for empty disappear from the list."""
    keep = [i for i, level in enumerate(column.levels) if level.value not in codes and level.label not in codes]
    if len(keep) == len(column.levels):
        return column, array
    move = np.full(len(column.levels) + 1, -1, np.int32)
    move[keep] = np.arange(len(keep), dtype=np.int32)
    codes_now = move[array.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    fresh, array = words(column.name, codes_now, [column.levels[i] for i in keep])
    return column.but(levels=fresh.levels), array


def _numbers_after_all(column: Column, array: Any) -> tuple[Column, Any]:
    try:
        numbers = pc.cast(array, pa.float64())
    except pa.ArrowInvalid:
        return column, array
    if numbers.null_count == len(numbers):
        return column, array
    integral = pc.all(pc.equal(numbers, pc.floor(numbers))).as_py()
    return change_kind(column, array, Kind.count if integral else Kind.measure, [])


FILLS = {
    "constant": "a value",
    "mean": "the mean",
    "median": "the median",
    "previous": "the one before",
    "next": "the one after",
    "interpolate": "a straight line between neighbours",
}


class Fill(Step):
    """Empty cells filled. A straight line is drawn over the order of the rows, or over the values of ``order``."""

    step: Literal["fill"] = "fill"
    columns: list[str] = asked("columns", "Columns", min_length=1)
    how: Literal["constant", "mean", "median", "previous", "next", "interpolate"] = asked(
        "choice", "Filled with", "constant", words=FILLS
    )
    value: str | None = asked("text", "Value", None, placeholder="a value", when={"how": "constant"})
    by: list[str] = asked("columns", "Within each", [], kinds=GROUPING)
    order: str | None = asked("column", "In the order of", None, kinds=ORDERING)
    words = "Fill the empty cells of {columns} with {how}"
    help = (
        "Puts a value into empty cells. Filled means and lines make the data look surer than they are: say so when"
        " you report them."
    )
    family = "Empty cells"

    def title(self) -> str:
        return f"Fill {names_in_words(self.columns)} with {self.value if self.how == 'constant' else FILLS[self.how]}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        before = after = 0
        if self.how == "constant" and not (self.value or "").strip():
            raise DataProblem("Say which value goes into the empty cells.")
        for name in self.columns:
            before += int(table.array(name).null_count)
            table = table.with_column(*self._filled(table, name))
            after += int(table.array(name).null_count)
        left = (
            [f"{plural(after, 'cell')} could not be filled and {'is' if after == 1 else 'are'} still empty."]
            if after
            else []
        )
        return Outcome(table, plural(before - after, "cell"), left)

    def _filled(self, table: Table, name: str) -> tuple[Column, Any]:
        column, array = table.column(name), table.array(name)
        if self.how == "constant":
            return with_value(column, array, table.empty(name), str(self.value).strip())
        if self.how in ("previous", "next") and not self.by and not self.order and column.kind not in CODED:
            return column, pc.fill_null_forward(array) if self.how == "previous" else pc.fill_null_backward(array)
        if self.how in ("previous", "next"):
            return column, array.take(pa.array(self._neighbour(table, name)))
        values = table.numbers(name)
        groups = grouping(table, self.by)
        filled = (
            self._line(table, values, groups.codes)
            if self.how == "interpolate"
            else self._middle(values, groups.codes, groups.count)
        )
        return measure_like(column, filled)

    def _order(self, table: Table) -> Any:
        return order_of(table, [*self.by, *([self.order] if self.order else [])])

    def _neighbour(self, table: Table, name: str) -> Any:
        """For each row the place of the cell to take: its own where filled, else the last filled one of its group."""
        place = self._order(table)
        place = place[::-1] if self.how == "next" else place
        codes = grouping(table, self.by).codes[place]
        full = ~table.empty(name)[place]
        last = np.maximum.accumulate(np.where(full, np.arange(len(place)), -1))
        good = (last >= 0) & (codes[np.maximum(last, 0)] == codes)
        found = np.empty(len(place), np.int64)
        found[place] = place[np.where(good, last, np.arange(len(place)))]
        return found

    def _middle(self, values: Any, codes: Any, count: int) -> Any:
        full = ~np.isnan(values)
        if self.how == "mean":
            n = np.bincount(codes[full], minlength=count)
            with np.errstate(invalid="ignore"):
                middle = np.bincount(codes[full], values[full], minlength=count) / n
        else:
            places, starts = spread(codes, count)
            middle = np.array([_median(values[places[a:b]]) for a, b in pairwise(starts)])
        return np.where(full, values, middle[codes])

    def _line(self, table: Table, values: Any, codes: Any) -> Any:
        place = self._order(table)
        x = (
            table.numbers(self.order)[place]
            if self.order and table.column(self.order).kind in NUMERIC
            else np.arange(len(place), dtype=float)
        )
        out, own = values.copy(), codes[place]
        edges = np.flatnonzero(np.diff(own)) + 1
        for part in np.split(np.arange(len(place)), edges):
            v = values[place[part]]
            full = ~np.isnan(v)
            if full.sum() >= 2 and not full.all():
                # Only between neighbours: a line is never drawn beyond the first or last filled cell.
                out[place[part]] = np.where(
                    full, v, np.interp(x[part], x[part][full], v[full], left=np.nan, right=np.nan)
                )
        return out


def _median(values: Any) -> float:
    full = values[~np.isnan(values)]
    return float(np.median(full)) if len(full) else np.nan


def measure_like(column: Column, values: Any) -> tuple[Column, Any]:
    """Numbers in place of a column's: a count stays one while all are whole."""
    full = values[~np.isnan(values)]
    if column.kind is Kind.count and np.all(full == np.floor(full)):
        empty = np.isnan(values)
        return column, pa.array(np.where(empty, 0, values).astype(np.int64), mask=empty)
    fresh, array = measure(column.name, values)
    return column.but(kind=Kind.measure, decimals=max(column.decimals, fresh.decimals)), array


def with_value(column: Column, array: Any, mask: Any, value: str) -> tuple[Column, Any]:
    """The column with a value, written as text, in the cells under the mask. Raises DataProblem for one that does
    not fit."""
    if column.kind in CODED:
        at = next((i for i, lv in enumerate(column.levels) if value in (lv.words, lv.value)), len(column.levels))
        levels = column.levels if at < len(column.levels) else (*column.levels, Level(value=value))
        if column.kind is Kind.yes_no and len(levels) > 2:
            raise DataProblem(
                f"{column.name} is yes/no; it has the values {column.levels[0].words} and {column.levels[-1].words},"
                f" not '{value}'.",
                column=column.name,
            )
        codes = np.where(mask, at, array.indices.fill_null(-1).to_numpy(zero_copy_only=False))
        fresh, array = words(column.name, codes, levels)
        return column.but(levels=fresh.levels), array
    if column.kind in NUMERIC:
        try:
            number = float(value.replace("−", "-").replace("\u202f", "").replace(" ", ""))
        except ValueError:
            raise DataProblem(f"{column.name} holds numbers; '{value}' is none.", column=column.name) from None
        values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        return measure_like(column, np.where(mask, number, values))
    try:
        scalar = pa.scalar(value, pa.large_string()).cast(array.type)
    except pa.ArrowInvalid:
        raise DataProblem(
            f"{column.name} is of kind {kind_words(column.kind)}; '{value}' cannot be read as one (write dates as"
            " 2026-03-31).",
            column=column.name,
        ) from None
    return column, pc.if_else(pa.array(np.asarray(mask)), scalar, array)


class DropEmpty(Step):
    """Rows or columns with nothing in them."""

    step: Literal["drop_empty"] = "drop_empty"
    what: Literal["rows", "columns", "both"] = asked(
        "choice", "Drop", "rows", words={"rows": "rows", "columns": "columns", "both": "rows and columns"}
    )
    zeros: bool = asked("choice", "That are all", False, words={"false": "empty", "true": "empty or zero"})
    columns: list[str] = asked("columns", "Looking only at", [])
    words = "Drop the {what} that are all {zeros}"
    help = (
        "Drops rows or columns that hold nothing, or nothing but zeros: species that were never seen, forms left"
        " blank."
    )
    family = "Rows"

    def title(self) -> str:
        return (
            f"Drop {self.what if self.what != 'both' else 'rows and columns'} that are all"
            f" {'empty or zero' if self.zeros else 'empty'}"
        )

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        looked = self.columns or table.names
        for name in looked:
            table.index(name)
        hollow = {name: self._hollow(table, name) for name in looked}
        after, dropped = table, []
        if self.what != "rows":
            dropped = [n for n in looked if hollow[n].all()]
            after = after.select([n for n in after.names if n not in set(dropped)])
        # Beside zeros, names of sites say nothing about whether a row holds something.
        counted = [n for n in looked if self.columns or not self.zeros or table.column(n).kind in NUMERIC]
        # A row is hollow only if it is so in every column: one column without empty cells settles it.
        if self.what != "columns" and counted and all(hollow[n].any() for n in counted):
            after = after.keep(~np.logical_and.reduce([hollow[n] for n in counted]))
        if not after.columns:
            raise DataProblem("Every column would be dropped.")
        said = [rows_change(table.n_rows, after.n_rows)] if self.what != "columns" else []
        said += [f"{plural(len(dropped), 'column')} dropped"] if self.what != "rows" else []
        notes = [f"Dropped: {', '.join(dropped[:20])}{'…' if len(dropped) > 20 else ''}."] if dropped else []
        return Outcome(after, ", ".join(said), notes)

    def _hollow(self, table: Table, name: str) -> Any:
        mask = table.empty(name) if table.array(name).null_count else np.zeros(table.n_rows, bool)
        if self.zeros and table.column(name).kind in NUMERIC:
            mask = mask | (table.numbers(name) == 0)
        return mask
