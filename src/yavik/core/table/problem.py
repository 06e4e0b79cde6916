"""The one exception for data that cannot carry what was asked."""

from collections.abc import Iterable, Sequence
from difflib import get_close_matches
from typing import TYPE_CHECKING

from yavik.core.table.written import grouped

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt


MOST_ROWS = 1000
"""Row numbers that a problem carries."""


class Stopped(Exception):
    """The researcher stopped the work."""


class DataProblem(Exception):
    """Something about the data stops the work; the message says what, where, and what to do.

    Args:
        message: a full sentence for the researcher.
        column: name of the column that is the trouble, where there is one.
        rows: row numbers in the original file (first data row is 1), where they help; the first thousand are kept.
        position: 0-based place in an expression's text, where the trouble is in an expression.
    """

    def __init__(
        self,
        message: str,
        *,
        column: str | None = None,
        rows: "Sequence[int] | npt.NDArray[np.int64] | None" = None,
        position: int | None = None,
    ) -> None:
        super().__init__(message)
        self.message = message
        self.column = column
        self.rows = [int(r) for r in rows[:MOST_ROWS]] if rows is not None else None
        self.position = position

    def __reduce__(self) -> tuple[object, ...]:
        # Problems travel from worker processes; keyword arguments need help to be pickled.
        return (_rebuild, (self.message, self.column, self.rows, self.position))


def _rebuild(message: str, column: str | None, rows: list[int] | None, position: int | None) -> DataProblem:
    return DataProblem(message, column=column, rows=rows, position=position)


def nearest(name: str, names: Iterable[str]) -> str:
    """' The nearest name is …' for the end of a sentence, or nothing."""
    found = get_close_matches(name, list(names), 1, cutoff=0.5)
    return f" The nearest name is '{found[0]}'." if found else ""


def rows_in_words(rows: "Sequence[int] | npt.NDArray[np.int64]", most: int = 5) -> str:
    """'row 4' or 'rows 4, 7, 12 and 31 more': row numbers for a sentence."""
    shown = [grouped(int(r)) for r in rows[:most]]
    if len(rows) == 1:
        return f"row {shown[0]}"
    if len(rows) > most:
        return f"rows {', '.join(shown)} and {grouped(len(rows) - most)} more"
    return f"rows {', '.join(shown[:-1])} and {shown[-1]}"
