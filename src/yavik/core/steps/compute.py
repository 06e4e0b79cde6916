"""The step that computes a column from an expression."""

from typing import Literal

from yavik.core.ask import asked
from yavik.core.steps.base import ALONE, Around, Outcome, Step, plural
from yavik.core.steps.expressions import evaluate_counting
from yavik.core.steps.values import to_column
from yavik.core.table import DataProblem, Table


class Compute(Step):
    """A new column, or one computed anew."""

    step: Literal["compute"] = "compute"
    name: str = asked("text", "Name of the new column", placeholder="a name")
    expression: str = asked("expression", "Expression")
    words = "Compute {name} as {expression}"
    help = 'Makes a column from others, such as minutes / 60 or "daylight" if lux > 500 else "warm".'
    family = "New columns"

    def title(self) -> str:
        return f"Compute **{self.name}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        name = self.name.strip()
        if not name or "`" in name:
            raise DataProblem("The new column needs a name (without backticks).")
        value, undefined = evaluate_counting(self.expression, table)
        column, array = to_column(name, value, table.n_rows)
        if table.has(name):
            old = table.column(name)
            column = column.but(label=old.label, unit=old.unit, note=old.note)
        empty = int(array.null_count)
        said = self.expression if len(self.expression) <= 34 else self.expression[:32] + "…"
        notes = [
            f"{plural(n, 'cell')} {'is' if n == 1 else 'are'} empty because of {why}." for why, n in undefined.items()
        ]
        return Outcome(table.with_column(column, array), said + (f", {empty} empty" if empty else ""), notes)
