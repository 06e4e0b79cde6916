"""What workbooks share: from a sheet's cells to a table, with headers that may be merged, and back."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from yavik.core.files.cells import SPARSE_CELLS, demand_cells, table_from_rows
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import DataProblem, Table

RANGE = re.compile(r"^\s*([A-Za-z]{1,3})(\d{1,7})\s*:\s*([A-Za-z]{1,3})(\d{1,7})\s*$")


@dataclass(frozen=True)
class Area:
    """A block of a sheet, 1-based and inclusive."""

    top: int = 1
    left: int = 1
    bottom: int | None = None
    right: int | None = None


@dataclass
class Sheet:
    """Cells of a sheet from the area's corner on, and merged blocks relative to that corner (0-based, inclusive)."""

    rows: list[Sequence[Any]]
    merged: list[tuple[int, int, int, int]] = field(default_factory=list)


def area_of(text: str | None) -> Area:
    """'B3:H200' as an area. Raises DataProblem."""
    if not text or not text.strip():
        return Area()
    match = RANGE.match(text)
    if not match:
        raise DataProblem(f"'{text}' is no block of cells. Write it like B3:H200.")
    left, top, right, bottom = column_number(match[1]), int(match[2]), column_number(match[3]), int(match[4])
    return Area(min(top, bottom), min(left, right), max(top, bottom), max(left, right))


def column_number(letters: str) -> int:
    """A is 1, Z 26, AA 27."""
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number


def table_from_sheet(sheet: Sheet, options: ReadOptions) -> tuple[Table, list[Notice]]:
    """Empty rows and columns around the cells fall away; a header of two merged rows becomes one of both words."""
    rows, down = _trimmed(sheet.rows)
    if not rows:
        raise DataProblem("This sheet has no filled cells. Choose another sheet.")
    across = min(_first_filled(r) for r in rows)
    if across:
        rows = [r[across:] for r in rows]
    width = max(last_filled(r) for r in rows)
    if len(rows) * width > SPARSE_CELLS:
        demand_cells(len(rows), width, sum(_filled(v) for r in rows for v in r))
    rows = [r[:width] for r in rows]
    merged = [(t - down, lf - across, b - down, r - across) for t, lf, b, r in sheet.merged]
    notices: list[Notice] = []
    if not options.header:
        return table_from_rows(rows, [f"column {i + 1}" for i in range(width)], options)
    depth = _header_rows(rows, merged)
    names = _header(rows[:depth], merged, width)
    if depth == 2:
        notices.append(Notice(text="The names stand in two rows with merged cells; they were put together."))
    table, more = table_from_rows(rows[depth:], names, options)
    return table, [*notices, *more]


def _trimmed(rows: list[Sequence[Any]]) -> tuple[list[Sequence[Any]], int]:
    first = next((i for i, r in enumerate(rows) if any(_filled(v) for v in r)), len(rows))
    last = next((i for i in range(len(rows) - 1, first - 1, -1) if any(_filled(v) for v in rows[i])), first - 1)
    return rows[first : last + 1], first


def _filled(value: Any) -> bool:
    return value is not None and (not isinstance(value, str) or bool(value.strip()))


def _first_filled(row: Sequence[Any]) -> int:
    return next((i for i, v in enumerate(row) if _filled(v)), 1 << 30)


def last_filled(row: Sequence[Any]) -> int:
    """Cells up to the last one that is filled."""
    return next((i + 1 for i in range(len(row) - 1, -1, -1) if _filled(row[i])), 0)


def _header_rows(rows: list[Sequence[Any]], merged: list[tuple[int, int, int, int]]) -> int:
    """Two where a name of the first row spans several columns that have names of their own below it."""
    spans = [(left, right) for top, left, bottom, right in merged if top == 0 and bottom == 0 and right > left]
    if len(rows) > 1 and any(sum(_filled(v) for v in rows[1][left : right + 1]) > 1 for left, right in spans):
        return 2
    return 1


def _header(rows: list[Sequence[Any]], merged: list[tuple[int, int, int, int]], width: int) -> list[str]:
    grid = [[str(v).strip() if _filled(v) else "" for v in r] + [""] * (width - len(r)) for r in rows]
    for top, left, bottom, right in merged:
        if 0 <= top < len(grid) and 0 <= left < width:
            for j in range(left, min(right, width - 1) + 1):
                if bottom == top or top == 0:
                    grid[top][j] = grid[top][j] or grid[top][left]
    return [" ".join(dict.fromkeys(w for w in (row[j] for row in grid) if w)) for j in range(width)]


def chosen_sheet(names: list[str], wanted: str | None, own: str) -> str:
    """The sheet to read: the one asked for, else the first that is not our dictionary. Raises DataProblem."""
    if not names:
        raise DataProblem("The workbook has no sheets.")
    if wanted is not None and wanted not in names:
        raise DataProblem(f"The workbook has no sheet '{wanted}'. It has {', '.join(names[:8])}.")
    return wanted or next((n for n in names if n != own), names[0])
