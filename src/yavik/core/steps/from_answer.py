"""The step that takes up columns which an answer makes: predicted values, residuals, scores."""

from typing import Any, Literal

from yavik.core.ask import asked
from yavik.core.steps.base import ALONE, Around, Outcome, Step, names_in_words, new_name, plural
from yavik.core.table import DataProblem, Table


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
