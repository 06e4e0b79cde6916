"""Workbooks (Office Open XML): values of formulas, dates, merged headers; read as a stream, written as a stream."""

import re
import warnings
from datetime import datetime
from pathlib import Path
from typing import Any, BinaryIO
from xml.etree.ElementTree import ParseError

from yavik.core.files.archive import safe_zip
from yavik.core.files.cells import demand_cells
from yavik.core.files.dictionary import HEAD, SHEET, as_written, columns_from_rows, dictionary_rows, restored
from yavik.core.files.options import Notice, Progress, ReadOptions
from yavik.core.files.sheets import Area, Sheet, area_of, chosen_sheet, column_number, last_filled, table_from_sheet
from yavik.core.table import CODED, NUMERIC, DataProblem, Kind, Table
from yavik.core.table.table import cell_texts

WHAT = "a workbook"
MERGED = re.compile(rb'<(?:\w+:)?mergeCell [^>]*ref="([A-Z]+)(\d+):([A-Z]+)(\d+)"')
MOST_ROWS = 1_048_576


def sheet_names(path: Path) -> list[str]:
    """Names of the sheets."""
    with safe_zip(path, WHAT), path.open("rb") as file:
        return list(_open(file).sheetnames)


def read(
    path: Path, options: ReadOptions, most: int | None = None, progress: Progress | None = None
) -> tuple[Table, list[Notice]]:
    """One sheet as a Table; ``most`` reads only so many rows. Raises DataProblem."""
    area = area_of(options.cells)
    with safe_zip(path, WHAT) as archive, path.open("rb") as file:
        book = _open(file)
        try:
            name = chosen_sheet(list(book.sheetnames), options.sheet, SHEET)
            page = book[name]
            if not hasattr(page, "iter_rows"):
                raise DataProblem(f"'{name}' is a chart, not a sheet of cells. Choose another sheet.")
            rows = _rows(page, area, most, progress)
            merged = _merged(archive, str(page._worksheet_path), area)
            known = _dictionary(book, name)
            if known is not None:
                options = as_written(options, known)
            table, notices = table_from_sheet(Sheet(rows, merged), options)
        except (ParseError, SyntaxError, ValueError, KeyError, AttributeError, TypeError, IndexError) as trouble:
            raise _damaged() from trouble
    if known is not None and options.header and not options.kinds:
        table, more = restored(table, known, words=True)
        notices += more
    return table, notices


def _open(file: BinaryIO) -> Any:
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # about styles and extensions, which are not read
            return load_workbook(file, read_only=True, data_only=True, keep_links=False)
    except (
        InvalidFileException,
        ParseError,
        SyntaxError,
        ValueError,
        KeyError,
        AttributeError,
        TypeError,
        IndexError,
        OSError,
        EOFError,
    ) as trouble:
        raise _damaged() from trouble


def _damaged() -> DataProblem:
    return DataProblem("This file cannot be opened as a workbook: it is damaged or incomplete.")


def _rows(page: Any, area: Area, most: int | None, progress: Progress | None) -> list[Any]:
    page.reset_dimensions()  # what the file says of its size is not to be trusted
    bottom = area.bottom
    if most is not None:
        bottom = min(bottom or MOST_ROWS, area.top + most - 1)
    rows: list[Any] = []
    widest = built = filled = 0
    for row in page.iter_rows(
        min_row=area.top, max_row=bottom, min_col=area.left, max_col=area.right, values_only=True
    ):
        row = row[: last_filled(row)]  # the empty rest of the sheet's width is not kept
        rows.append(row)
        built += len(row)
        if len(row) > 500:
            filled += sum(v is not None for v in row)
            widest = max(widest, len(row))
            demand_cells(built // widest + 1, widest, filled if filled * 200 < built else None)
        if progress and len(rows) % 2000 == 0:
            progress(min(0.8, len(rows) / (len(rows) + 50_000)), f"{len(rows)} rows read")
        if most is not None and len(rows) >= most:
            break
    return rows


def _merged(archive: Any, path: str, area: Area) -> list[tuple[int, int, int, int]]:
    """Merged blocks of the first rows. They stand after the cells, so the end of the sheet's text is looked at."""
    tail = b""
    with archive.open(path.lstrip("/")) as file:
        while chunk := file.read(1 << 20):
            tail = tail[-(1 << 18) :] + chunk
    found = []
    for a, top, b, bottom in MERGED.findall(tail)[:10_000]:
        block = (
            int(top) - area.top,
            column_number(a.decode()) - area.left,
            int(bottom) - area.top,
            column_number(b.decode()) - area.left,
        )
        found.append(block)
    return found


def _dictionary(book: Any, chosen: str) -> Any:
    if SHEET not in book.sheetnames or chosen == SHEET:
        return None
    page = book[SHEET]
    page.reset_dimensions()
    return columns_from_rows([list(r) for r in page.iter_rows(max_row=20_002, max_col=len(HEAD), values_only=True)])


def write(table: Table, path: Path) -> None:
    """Cells as values with level words, and the dictionary on a sheet of its own. Text is never a formula.

    Raises:
        DataProblem: more rows than a sheet can hold.
    """
    from openpyxl import Workbook

    if table.n_rows >= MOST_ROWS:
        raise DataProblem(
            f"A sheet holds 1 048 575 rows and this table has {table.n_rows:,}. Save it as CSV or Parquet.".replace(
                ",", " "
            )
        )
    book = Workbook(write_only=True)
    page = book.create_sheet("Data")
    page.append([_cell(page, name) for name in table.names])
    for start in range(0, table.n_rows, 5000):
        part = table.slice(start, 5000)
        columns = [values(part, name) for name in part.names]
        for row in zip(*columns, strict=True):
            page.append([_cell(page, v) if isinstance(v, str) and v[:1] in "=" else v for v in row])
    other = book.create_sheet(SHEET)
    for line in [HEAD, *dictionary_rows(table)]:
        other.append([_cell(other, v) for v in line])
    book.save(path)


def _cell(page: Any, value: str) -> Any:
    """A text that begins like a formula stays a text."""
    from openpyxl.cell import WriteOnlyCell

    cell = WriteOnlyCell(page, value=clean(value))
    cell.data_type = "s"
    return cell


def clean(text: str) -> str:
    """Without the control characters that XML cannot hold; 32 767 characters at most, as sheets have it."""
    return re.sub(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]", "", text)[:32_767]


def values(part: Table, name: str) -> list[Any]:
    """Cells of a column as a sheet has them."""
    kind = part.column(name).kind
    if kind in NUMERIC:
        return [v if v is None or abs(v) < 1e308 else None for v in part.array(name).to_pylist()]
    if kind is Kind.date:
        # Sheets have no dates before 1900; those are written as text.
        return [
            v if v is None or v >= datetime(1900, 3, 1) else str(v).removesuffix(" 00:00:00")
            for v in part.array(name).to_pylist()
        ]
    texts = part.texts(name) if kind in CODED else cell_texts(part.column(name), part.array(name))
    return [None if t is None else clean(t) for t in texts]
