"""Steps that give values anew: recoding, classes, dummies, and single cells."""

from itertools import pairwise
from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import BaseModel

from yavik.core.ask import asked
from yavik.core.steps.base import ALONE, NUMBERS, Around, Outcome, Step, names_in_words, need, new_name, plural
from yavik.core.steps.emptiness import measure_like, number_range, with_value
from yavik.core.steps.making import as_text, emptied, words, yes_no
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Level, Table, rows_in_words
from yavik.core.table.infer import coded, decimals_of
from yavik.core.table.table import cell_texts, number_text


class Rule(BaseModel):
    """``old`` is a value, a level's words, or for numbers a range such as 18..29; an empty ``new`` means empty."""

    old: str
    new: str


class Recode(Step):
    """Old values to new ones. The first rule that fits a cell decides; empty cells stay empty."""

    step: Literal["recode"] = "recode"
    columns: list[str] = asked("columns", "Columns", min_length=1)
    rules: list[Rule] = asked(
        "pairs",
        "Rules",
        min_length=1,
        left={"field": "old", "shown": "text", "title": "old: a value, or 18..29"},
        right={"field": "new", "shown": "text", "title": "new (nothing: empty)", "blank": True},
    )
    otherwise: Literal["keep", "empty", "value"] = asked(
        "choice",
        "All other values",
        "keep",
        words={"keep": "stay as they are", "empty": "become empty", "value": "become"},
    )
    value: str | None = asked("text", "That value", None, when={"otherwise": "value"})
    ending: str = asked(
        "text", "New columns are called like the old ones with", "", placeholder="nothing: in their place"
    )
    words = "Recode {columns}: {rules}"
    help = (
        "Gives values anew: 1..3 to 'low', 'f' to 'female'. Ranges hold both their ends; the first rule that fits"
        " decides."
    )
    family = "Values"

    def title(self) -> str:
        return f"Recode {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        changed, notes = 0, []
        for name in self.columns:
            column, array = table.column(name), table.array(name)
            rule = _which_rule(column, array, self.rules)
            idle = [r.old for i, r in enumerate(self.rules) if not (rule == i).any()]
            if idle:
                notes.append(f"{name}: no cell fits {', '.join(idle[:8])}.")
            fresh, cells = self._recoded(column, array, rule)
            changed += int((rule >= 0).sum())
            place = name if not self.ending.strip() else new_name(table, f"{name} {self.ending.strip()}")
            table = table.with_column(fresh.but(name=place), cells)
        return Outcome(table, plural(changed, "cell"), notes)

    def _recoded(self, column: Column, array: Any, rule: Any) -> tuple[Column, Any]:
        new = [r.new.strip() for r in self.rules]
        if self.otherwise == "keep" and column.kind in NUMERIC and all(_number(n) is not None for n in new):
            return self._as_numbers(column, array, rule, np.array([*map(_number, new), np.nan], float), None)
        empty = array.is_null(nan_is_null=True).to_numpy(zero_copy_only=False)
        if self.otherwise == "value":
            new.append((self.value or "").strip())
            rule = np.where((rule < 0) & ~empty, len(new) - 1, rule)
        keep = (rule < 0) & ~empty
        gone = keep if self.otherwise == "empty" else np.zeros(len(rule), bool)
        numbers = [_number(n) for n in new]
        if column.kind in NUMERIC and all(n is not None for n in numbers):
            return self._as_numbers(column, array, rule, np.array([*numbers, np.nan], float), gone)
        used = [n for n in dict.fromkeys(new) if n]
        if not (keep & ~gone).any():
            place = {n: i for i, n in enumerate(used)}
            codes = np.array([*(place.get(n, -1) for n in new), -1], np.int32)[np.where(gone, -1, rule)]
            kind = (
                Kind.category
                if column.kind not in CODED or len(used) > 2 or column.kind is Kind.yes_no
                else column.kind
            )
            fresh, cells = words(column.name, codes, [Level(value=n) for n in used], kind)
            return column.but(kind=kind, levels=fresh.levels, decimals=0), cells
        if column.kind in CODED:
            return _recoded_levels(column, array, rule, new, gone)
        text = np.array(as_text(column, array).to_pylist(), object)
        for i, word in enumerate(new):
            text[rule == i] = word or None
        text[gone] = None
        plain = pa.array(text.tolist(), pa.large_string())
        if column.kind in NUMERIC:
            return coded(column.but(kind=Kind.category, decimals=0), plain)
        return column, plain

    def _as_numbers(self, column: Column, array: Any, rule: Any, numbers: Any, gone: Any) -> tuple[Column, Any]:
        values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        out = np.where(rule >= 0, numbers[rule], values)
        return measure_like(column, out if gone is None else np.where(gone, np.nan, out))


def _number(text: str) -> float | None:
    """A rule's new value as a number; nothing is an empty cell."""
    if not text:
        return np.nan
    try:
        return float(text.replace("−", "-"))
    except ValueError:
        return None


def _which_rule(column: Column, array: Any, rules: list[Rule]) -> Any:
    """For each cell the first rule that fits, −1 where none does or the cell is empty."""
    out = np.full(len(array), -1, np.int32)
    if column.kind in NUMERIC:
        values = array.cast(pa.float64()).to_numpy(zero_copy_only=False)
        for i in range(len(rules) - 1, -1, -1):
            low, high = number_range(rules[i].old, column.name)
            out[(values >= low) & (values <= high)] = i
        return out
    by_word = {r.old.strip(): i for i, r in reversed(list(enumerate(rules)))}
    if column.kind in CODED:
        hits = [min(by_word.get(lv.words, len(rules)), by_word.get(lv.value, len(rules))) for lv in column.levels]
        move = np.array([*(h if h < len(rules) else -1 for h in hits), -1], np.int32)
        return move[array.indices.fill_null(-1).to_numpy(zero_copy_only=False)]
    encoded = as_text(column, array).dictionary_encode()
    move = np.array([*(by_word.get(w, -1) for w in encoded.dictionary.to_pylist()), -1], np.int32)
    return move[encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)]


def _recoded_levels(column: Column, array: Any, rule: Any, new: list[str], gone: Any) -> tuple[Column, Any]:
    """Levels that no rule names stay in their order; new words come after them."""
    old = array.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    left = np.bincount(old[(rule < 0) & (old >= 0) & ~gone], minlength=len(column.levels)) > 0
    levels = [lv for lv, stays in zip(column.levels, left, strict=True) if stays]
    place = {lv.words: i for i, lv in enumerate(levels)}
    for word in new:
        if word and word not in place:
            place[word] = len(levels)
            levels.append(Level(value=word))
    stay = np.array(
        [*(place[lv.words] if s else -1 for lv, s in zip(column.levels, left, strict=True)), -1], np.int32
    )
    into = np.array([*(place.get(word, -1) for word in new), -1], np.int32)
    codes = np.where(rule >= 0, into[rule], stay[old])
    kind = Kind.category if column.kind is Kind.yes_no and len(levels) > 2 else column.kind
    fresh, cells = words(column.name, np.where(gone, -1, codes), levels, kind)
    return column.but(kind=kind, levels=fresh.levels), cells


class Bin(Step):
    """Numbers in classes, each from its lower end up to but without its upper end; the last holds both its ends."""

    step: Literal["bin"] = "bin"
    column: str = asked("column", "Column", kinds=NUMBERS)
    way: Literal["equal_width", "equal_count", "cuts"] = asked(
        "choice",
        "Classes",
        "equal_width",
        words={"equal_width": "of equal width", "equal_count": "of about equal counts", "cuts": "with cuts at"},
    )
    bins: int = asked("number", "How many", 4, ge=2, le=100, when={"way": ["equal_width", "equal_count"]})
    cuts: list[str] = asked("codes", "Cuts", [], placeholder="10, 20, 50", when={"way": "cuts"})
    name: str | None = asked("text", "Name of the new column", None, placeholder="column, in classes")
    words = "Put {column} in classes {way}"
    help = (
        "Makes an ordered category of a number. A class holds its lower end and not its upper one. Classes throw"
        " information away; most questions do better with the number itself."
    )
    family = "Values"

    def title(self) -> str:
        return f"**{self.column}** in classes"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        column, values = table.column(self.column), table.numbers(self.column)
        full = values[~np.isnan(values)]
        if not len(full):
            raise DataProblem(f"{self.column} has no values to put in classes.", column=self.column)
        edges = self._edges(full)
        codes = np.clip(np.searchsorted(edges, values, side="right") - 1, 0, len(edges) - 2)
        codes = np.where(np.isnan(values) | (values < edges[0]) | (values > edges[-1]), -1, codes)
        places = max(column.decimals, decimals_of(pa.array(edges[np.isfinite(edges)]), most=3))
        levels = [
            Level(value=_class_words(a, b, places, i == len(edges) - 2)) for i, (a, b) in enumerate(pairwise(edges))
        ]
        name = new_name(table, self.name or f"{self.column} classes")
        fresh, array = words(name, codes, levels, Kind.ordered)
        counts = np.bincount(codes[codes >= 0], minlength=len(levels))
        note = "; ".join(f"{lv.value}: {n}" for lv, n in zip(levels, counts.tolist(), strict=True))
        return Outcome(
            table.with_column(fresh.but(unit=column.unit), array),
            plural(len(levels), "class", "classes"),
            [f"Rows in each class: {note}."],
        )

    def _edges(self, full: Any) -> Any:
        low, high = float(full.min()), float(full.max())
        if self.way == "cuts":
            try:
                cuts = sorted({float(c.replace("−", "-")) for c in self.cuts})
            except ValueError:
                raise DataProblem(
                    "Cuts are numbers with commas between, such as 10, 20, 50.", column=self.column
                ) from None
            if not cuts:
                raise DataProblem("Say where the cuts are, such as 10, 20, 50.", column=self.column)
            return np.array([-np.inf, *cuts, np.inf])
        if low == high:
            raise DataProblem(
                f"All values of {self.column} are equal; there is nothing to divide.", column=self.column
            )
        if self.way == "equal_width":
            return np.linspace(low, high, self.bins + 1)
        edges = np.unique(np.quantile(full, np.linspace(0, 1, self.bins + 1)))
        return edges if len(edges) > 2 else np.array([low, np.nextafter(low, high), high])


def _class_words(low: float, high: float, places: int, last: bool) -> str:
    a, b = number_text(low, places), number_text(high, places)
    if low == -np.inf:
        return f"under {b}"
    if high == np.inf:
        return f"{a} and more"
    return f"{a} to {b}" if last else f"{a} to under {b}"


class Dummies(Step):
    """A yes/no column for each level."""

    step: Literal["dummies"] = "dummies"
    column: str = asked("column", "Column", kinds=(*CODED, Kind.count, Kind.text, Kind.identifier))
    levels: list[str] = asked("codes", "Only for the levels", [], placeholder="every level")
    words = "Make a yes/no column for each level of {column}"
    help = (
        "Models code categories by themselves; this is for a column of one level only, or for use elsewhere. Where"
        " the column is empty, so are they."
    )
    family = "New columns"

    def title(self) -> str:
        return f"Yes/no for **{self.column}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        codes = table.codes(self.column)
        wanted = self.levels or list(codes.levels)
        if len(wanted) > 200:
            raise DataProblem(
                f"{self.column} has {len(wanted)} levels. Name those that need a column (at most 200).",
                column=self.column,
            )
        values = {lv.value: lv.words for lv in table.column(self.column).levels}
        for word in wanted:
            word = values.get(word, word)
            if word not in codes.levels:
                raise DataProblem(f"{self.column} has no level '{word}'.", column=self.column)
            at = codes.levels.index(word)
            hollow = codes.codes < 0 if table.array(self.column).null_count else None
            table = table.with_column(*yes_no(new_name(table, f"{self.column} {word}"), codes.codes == at, hollow))
        return Outcome(table, plural(len(wanted), "column"))


class Edit(BaseModel):
    """One cell: its row's number and column, what stood there, what stands there now (None: empty), and why."""

    row: int
    column: str
    old: str | None = None
    new: str | None = None
    reason: str | None = None


class EditCells(Step):
    """Single cells changed by hand, each with its old value and the reason."""

    step: Literal["edit_cells"] = "edit_cells"
    edits: list[Edit] = asked("edits", "Cells", min_length=1)
    words = "Edit cells: {edits}"
    help = (
        "Changes single cells. In the grid press Enter on a cell to write one; old value, new value and reason are"
        " kept here."
    )
    family = "Finding errors"

    def title(self) -> str:
        first, last = self.edits[0], self.edits[-1]
        cells = len({(e.column, e.row) for e in self.edits})
        if cells > 1:
            return f"Edit {plural(cells, 'cell')}"
        return f"**{first.column}**, row {first.row}: {first.old or 'empty'} → {last.new or 'empty'}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        # Several edits of one cell are one: from what the first replaced to what the last wrote.
        wanted: dict[tuple[str, int], Edit] = {}
        for e in self.edits:
            before = wanted.get((e.column, e.row))
            wanted[e.column, e.row] = e.model_copy(update={"old": before.old}) if before else e
        for name in dict.fromkeys(e.column for e in wanted.values()):
            edits = [e for e in wanted.values() if e.column == name]
            table = table.with_column(*_edited(table, name, edits))
        notes = [
            f"{e.column}, row {e.row}: {e.old or 'empty'} → {e.new or 'empty'}{f' ({e.reason})' if e.reason else ''}."
            for e in self.edits
        ]
        reasons = list(dict.fromkeys(e.reason for e in self.edits if e.reason))
        return Outcome(table, "; ".join(reasons)[:60] or plural(len(wanted), "cell"), notes)


def _edited(table: Table, name: str, edits: list[Edit]) -> tuple[Column, Any]:
    column, array = table.column(name), table.array(name)
    found = np.flatnonzero(np.isin(table.rows, [e.row for e in edits]))
    texts = cell_texts(column, array.take(pa.array(found)))
    places: dict[int, int] = {}
    stands: dict[int, str | None] = {}
    for place, text in zip(found.tolist(), texts, strict=True):
        row = int(table.rows[place])
        if row not in places:  # of rows that were made into several, the first
            places[row], stands[row] = place, text
    for edit in edits:
        if edit.row not in places:
            raise DataProblem(
                f"Row {edit.row} is not in the table here, so its {name} cannot be edited.",
                column=name,
                rows=[edit.row],
            )
        now = stands[edit.row]
        # What an earlier version wrote of a value too small for its column's digits is the same cell.
        rounded = (
            number_text(array[places[edit.row]].as_py(), column.decimals)
            if now and column.kind is Kind.measure
            else now
        )
        if (edit.old or "") not in (now or "", rounded or ""):
            raise DataProblem(
                f"{name} in {rows_in_words([edit.row])} is {now or 'empty'} here, not {edit.old or 'empty'} as"
                " when it was edited.",
                column=name,
                rows=[edit.row],
            )
    for edit in edits:
        mask = np.zeros(len(array), bool)
        mask[places[edit.row]] = True
        new = (edit.new or "").strip()
        column, array = with_value(column, array, mask, new) if new else (column, emptied(array, mask))
    return column, array
