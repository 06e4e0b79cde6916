"""Tables: typed columns over Arrow arrays, and what can be found out about them."""

from yavik.core.table.column import CODED, NUMERIC, Column, Kind, Level
from yavik.core.table.problem import DataProblem, rows_in_words
from yavik.core.table.table import Codes, Table

__all__ = ["CODED", "NUMERIC", "Codes", "Column", "DataProblem", "Kind", "Level", "Table", "rows_in_words"]
