"""Steps that keep rows or compute columns from an expression."""

from typing import Literal

from yavik.core.steps.base import Step, plural
from yavik.core.steps.expressions import evaluate, rows_where
from yavik.core.steps.values import to_column
from yavik.core.table import DataProblem, Table


class KeepRows(Step):
    step: Literal["keep_rows"] = "keep_rows"
    where: str
    words = "Keep the rows where {where}"
    help = 'Keeps the rows for which a condition holds, such as consent == "yes".'

    def title(self) -> str:
        return f"Keep `{self.where}`"

    def apply(self, table: Table) -> tuple[Table, str]:
        kept = table.keep(rows_where(self.where, table))
        return kept, f"{table.n_rows:,} → {plural(kept.n_rows, 'row')}".replace(",", " ")


class Compute(Step):
    step: Literal["compute"] = "compute"
    name: str
    expression: str
    words = "Compute {name} as {expression}"
    help = 'Makes a column from others, such as minutes / 60 or "daylight" if lux > 500 else "warm".'

    def title(self) -> str:
        return f"Compute **{self.name}**"

    def apply(self, table: Table) -> tuple[Table, str]:
        name = self.name.strip()
        if not name or "`" in name:
            raise DataProblem("The new column needs a name (without backticks).")
        column, array = to_column(name, evaluate(self.expression, table), table.n_rows)
        if table.has(name):
            old = table.column(name)
            column = column.but(label=old.label, unit=old.unit, note=old.note)
        empty = int(array.null_count)
        said = self.expression if len(self.expression) <= 34 else self.expression[:32] + "…"
        return table.with_column(column, array), said + (f", {empty} empty" if empty else "")
