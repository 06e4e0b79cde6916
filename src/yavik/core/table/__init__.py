"""Tables: typed columns over Arrow arrays, and what can be found out about them."""

from yavik.core.table.about import About, Design, Panel
from yavik.core.table.column import CODED, NUMERIC, Column, Kind, Level
from yavik.core.table.problem import DataProblem, rows_in_words
from yavik.core.table.table import Codes, Table

__all__ = [
    "CODED",
    "NUMERIC",
    "About",
    "Codes",
    "Column",
    "DataProblem",
    "Design",
    "Kind",
    "Level",
    "Panel",
    "Table",
    "rows_in_words",
]
