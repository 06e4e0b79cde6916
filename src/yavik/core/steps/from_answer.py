"""The steps that take up what an answer makes: columns for every row (predicted values, scores), or one of its
tables."""

from itertools import chain, count
from typing import Any, Literal

import numpy as np

from yavik.core.ask import asked
from yavik.core.steps.base import ALONE, Around, Outcome, Step, names_in_words, new_name, plural
from yavik.core.steps.making import measure, whole, words
from yavik.core.table import Column, DataProblem, Level, Table


class FromAnswer(Step):
    """New columns of an answer, computed on the table as it is at this place of the path."""

    step: Literal["from_answer"] = "from_answer"
    method: str = asked("text", "Method")
    spec: dict[str, Any] = asked("fixed", "Question", {})
    columns: list[str] = asked("codes", "Columns", [], placeholder="all that it makes")
    words = "Take up {columns} of an answer"
    help = "Adds what an answer computed for each row. It is made from the answer's page, by 'Add to the table'."
    family = "New columns"
    listed = False

    def title(self) -> str:
        return f"From an answer: {names_in_words(self.columns)}" if self.columns else "From an answer"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        if around.columns_of_answer is None:
            raise DataProblem("Answers cannot be asked here.")
        made = around.columns_of_answer(table, self.method, self.spec)
        known = [c.name for c, _ in made]
        odd = [n for n in self.columns if n not in known]
        if odd:
            raise DataProblem(f"The answer makes no column '{odd[0]}'; it makes {', '.join(known) or 'none'}.")
        chosen = [(c, a) for c, a in made if not self.columns or c.name in self.columns]
        if not chosen:
            raise DataProblem("This answer makes no columns.")
        for column, array in chosen:
            table = table.with_column(column.but(name=new_name(table, column.name)), array)
        return Outcome(table, plural(len(chosen), "column"))


class TableOfAnswer(Step):
    """A table of an answer as a table of its own, computed on the table as it is at this place of the path."""

    step: Literal["table_of_answer"] = "table_of_answer"
    method: str = asked("text", "Method")
    spec: dict[str, Any] = asked("fixed", "Question", {})
    block: str = asked("text", "Table")
    words = "Take the table {block} of an answer"
    help = "Rows and columns become those of a table of an answer. It is made from the answer's page."
    family = "Shape"
    listed = False

    def title(self) -> str:
        return f"From an answer: the table {self.block}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        if around.answer is None:
            raise DataProblem("Answers cannot be asked here.")
        blocks = {b.id: b for b in around.answer(table, self.method, self.spec).blocks if b.type == "table"}
        if self.block not in blocks:
            raise DataProblem(f"The answer has no table '{self.block}'; it has {', '.join(blocks) or 'none'}.")
        block = blocks[self.block]
        made: list[tuple[Column, Any]] = []
        for head in block.columns:
            cells = [row.get(head.key) for row in block.rows]
            name = " ".join(t for t in (head.title, head.sub) if t) or head.key
            known = [c.name for c, _ in made]
            name = next(n for n in chain([name], (f"{name} {k}" for k in count(2))) if n not in known)
            made.append(_column(name, cells, head.role == "count"))
        rows = np.arange(1, len(block.rows) + 1)
        taken = Table(tuple(c for c, _ in made), tuple(a for _, a in made), rows)
        return Outcome(taken, f"{plural(len(block.rows), 'row')}, {plural(len(made), 'column')}")


def _column(name: str, cells: list[Any], counts: bool) -> tuple[Column, Any]:
    """Numbers where every filled cell is one, texts otherwise."""
    values = [None if c is None else c.v for c in cells]
    numbers = [v for v in values if v is not None]
    if numbers and all(isinstance(v, int | float) for v in numbers):
        array = np.array([np.nan if v is None else float(v) for v in values])
        if counts and np.all(array[np.isfinite(array)] % 1 == 0):
            return whole(name, np.nan_to_num(array), np.isnan(array))
        return measure(name, array)
    texts = [None if c is None or c.v is None else c.s for c in cells]
    known = list(dict.fromkeys(t for t in texts if t))
    codes = [known.index(t) if t else -1 for t in texts]
    return words(name, codes, [Level(value=t) for t in known])
