"""Rows of Python values, as spreadsheets and JSON give them, into a Table."""

import json
import re
from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.files.kinds import change_kind, number_mask
from yavik.core.files.naming import unique_names
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import DataProblem, Table
from yavik.core.table.infer import infer
from yavik.core.table.table import make_table

MOST_COLUMNS = 20_000
MOST_CELLS = 60_000_000
"""Cells of a sheet or of records, also empty ones, up to which rows are built."""
SPARSE_CELLS = 3_000_000
"""Beyond so many cells at least one in two hundred must be filled: what is emptier is no table, but a stray cell."""


def demand_cells(rows: int, columns: int, filled: int | None = None) -> None:
    """Raises DataProblem before more cells are built than a table from rows can have, or nearly none of them
    filled."""
    cells = rows * columns
    sparse = filled is not None and cells > SPARSE_CELLS and filled * 200 < cells
    if cells > MOST_CELLS or sparse:
        why = f", and only {filled} of them are filled" if sparse else ""
        raise DataProblem(
            f"The cells span {rows} rows and {columns} columns{why}. Choose the block of cells that holds the table, "
            "or save it as CSV or Parquet."
        )


LEADING_ZERO = r"^[+-]?0\d"


def table_from_rows(rows: list[Sequence[Any]], names: list[str], options: ReadOptions) -> tuple[Table, list[Notice]]:
    """Rows below the header, and the names found there, as a Table. Raises DataProblem."""
    width = max([len(names), *(len(r) for r in rows)]) if rows else len(names)
    if width == 0:
        raise DataProblem("There are no filled cells here.")
    if width > MOST_COLUMNS:
        raise DataProblem(f"The file has {width} columns; a table can have {MOST_COLUMNS}.")
    demand_cells(len(rows), width)
    names, notices = unique_names([*names, *[""] * (width - len(names))])
    if not rows:
        notices.append(Notice(text="The file has column names but no rows."))
        columns: list[Sequence[Any]] = [()] * width
    else:
        columns = list(zip(*(r if len(r) == width else [*r, *[None] * (width - len(r))] for r in rows), strict=True))
    return table_from_columns(names, columns, options, notices)


def table_from_columns(
    names: list[str], columns: Sequence[Sequence[Any]], options: ReadOptions, notices: list[Notice]
) -> tuple[Table, list[Notice]]:
    """A table from columns of cells, their kinds found out, with what was noticed on the way."""
    described, arrays = [], []
    for name, values in zip(names, columns, strict=True):
        array, note = arrow_of(name, values, options)
        column, cells = infer(name, array)
        if name in options.kinds:
            column, cells = change_kind(column, cells, options.kinds[name], [], dates=options.dates)
        described.append(column)
        arrays.append(cells)
        notices += [note] if note else []
    return make_table(described, arrays), notices


def arrow_of(name: str, values: Sequence[Any], options: ReadOptions) -> tuple[Any, Notice | None]:
    """Values of one column as an Arrow array: as they are where all are alike, else as text, which is said."""
    kinds = {type(v) for v in values} - {type(None)}
    if not kinds:
        return pa.nulls(len(values), pa.large_string()), None
    if kinds <= {int, float} or kinds == {bool}:
        try:
            return pa.array(values, from_pandas=True), None
        except (pa.ArrowInvalid, OverflowError):
            return pa.array([None if v is None else float(v) for v in values], pa.float64(), from_pandas=True), None
    if kinds <= {datetime, date}:
        plain = [datetime(v.year, v.month, v.day) if type(v) is date else v for v in values]
        plain = [v.replace(tzinfo=None) if v is not None else None for v in plain]
        return pa.array(plain, pa.timestamp("us")), None
    empty = set(options.empty_codes)
    texts = pa.array([_text(v, empty) for v in values], pa.large_string())
    if name in options.text_columns:
        return texts, None
    mixed = len(kinds - {str}) > 0 and str in kinds
    return _numbers_if_all(name, texts, mixed)


def _numbers_if_all(name: str, texts: Any, mixed: bool) -> tuple[Any, Notice | None]:
    """Numbers that a spreadsheet keeps as text become numbers; text among numbers is said."""
    numeric = number_mask(texts)
    good = int(pc.sum(numeric).as_py() or 0)
    filled = len(texts) - texts.null_count
    if good == filled and filled and not pc.any(pc.match_substring_regex(texts, LEADING_ZERO)).as_py():
        plain = pc.utf8_trim_whitespace(texts)
        floating = pc.any(pc.match_substring_regex(plain, r"[.eE]")).as_py()
        try:
            return plain.cast(pa.float64() if floating else pa.int64()), None
        except pa.ArrowInvalid:
            return plain.cast(pa.float64()), None
    if mixed and good >= 0.5 * filled:
        odd = (~pc.fill_null(numeric, True).to_numpy(zero_copy_only=False)).nonzero()[0]
        words = ", ".join(f"'{w}'" for w in sorted({str(texts[int(i)].as_py()) for i in odd[:1000]})[:5])
        count = "1 cell is text" if len(odd) == 1 else f"{len(odd)} cells are text"
        note = Notice(
            text=f"{name}: {count} among numbers ({words}). If they mean empty, add them to the empty codes.",
            column=name,
            rows=(odd[:100] + 1).tolist(),
        )
        return texts, note
    return texts, None


def _text(value: Any, empty: set[str]) -> str | None:
    if value is None:
        return None
    if isinstance(value, bool):
        text = "yes" if value else "no"
    elif isinstance(value, float):
        text = f"{value:.15g}"
    elif isinstance(value, datetime):
        text = value.isoformat(sep=" ").removesuffix(" 00:00:00")
    elif isinstance(value, date | time):
        text = value.isoformat()
    elif isinstance(value, timedelta):
        text = str(value)
    elif isinstance(value, dict | list):
        text = json.dumps(value, ensure_ascii=False)
    else:
        text = str(value)
    return None if text.strip() in empty or not text.strip() else text


def looks_like_header(row: Sequence[Any], below: Sequence[Any] | None) -> bool:
    """Names are texts, all different; a row of numbers or dates is data."""
    filled = [v for v in row if v is not None and str(v).strip()]
    if not filled or any(isinstance(v, int | float | datetime | date) and not isinstance(v, bool) for v in filled):
        return False
    texts = [str(v).strip() for v in filled]
    if any(re.fullmatch(r"[+-]?\d+([.,]\d+)?", t) for t in texts):
        return False
    return below is None or len(set(texts)) == len(texts)
