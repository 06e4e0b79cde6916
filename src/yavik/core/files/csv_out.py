"""Writing delimited text."""

import re
from pathlib import Path
from typing import Any, BinaryIO

import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv as pa_csv

from yavik.core.table import CODED, NUMERIC, Column, Kind, Table

GUARD = "'"
RUNS = r"^'*[=+\-@\t\r]"
"""Also what already has apostrophes before it: it gets one more, so that taking one away always leads back."""
NUMBER = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"


def write(table: Table, path: Path, *, values: bool = False, delimiter: str = ",") -> None:
    """UTF-8 text with a header; numbers in full precision, dates as ISO, empty cells as nothing.

    A text cell that a spreadsheet would run (it begins with =, +, − or @ and is no number) gets an apostrophe before
    it.

    Args:
        values: levels as their values instead of their words.
    """
    with path.open("wb") as out:
        write_to(table, out, values=values, delimiter=delimiter)


def write_to(table: Table, out: BinaryIO, *, values: bool = False, delimiter: str = ",") -> None:
    """The table as delimited text."""
    names = pa.array([guarded_word(n) for n in table.names])
    out.write(delimiter.join(_quoted(n) for n in names.to_pylist()).encode() + b"\n")
    arrays = [_texts(c, a, values) for c, a in zip(table.columns, table.arrays, strict=True)]
    if table.n_rows and arrays:
        style = "needed"
        if len(arrays) == 1:
            # An empty cell on its own would be an empty line, which readers pass over.
            arrays, style = [pc.fill_null(pc.cast(arrays[0], pa.large_string()), "")], "all_valid"
        plain = pa.Table.from_arrays(arrays, names=[str(i) for i in range(len(arrays))])
        options = pa_csv.WriteOptions(include_header=False, delimiter=delimiter, quoting_style=style)
        pa_csv.write_csv(plain, out, options)


def _quoted(word: str) -> str:
    return '"' + word.replace('"', '""') + '"'


def guarded_word(word: str) -> str:
    """A text that a spreadsheet would run, kept from it."""
    return GUARD + word if re.match(RUNS, word) and not re.match(NUMBER, word) else word


def _texts(column: Column, array: Any, values: bool) -> Any:
    """Numbers go as they are; all else as text, guarded."""
    if column.kind in NUMERIC:
        return array
    if column.kind is Kind.date:
        return pc.replace_substring_regex(pc.cast(array, pa.large_string()), r"( 00:00:00)?\.0+$", "")
    if column.kind in CODED:
        words = [guarded_word(lv.value if values else lv.words) for lv in column.levels]
        return pa.DictionaryArray.from_arrays(array.indices, pa.array(words, pa.large_string())).dictionary_decode()
    runs = pc.and_(pc.match_substring_regex(array, RUNS), pc.invert(pc.match_substring_regex(array, NUMBER)))
    if not pc.any(runs).as_py():
        return array
    long = array.cast(pa.large_string())
    guard, nothing = pa.scalar(GUARD, pa.large_string()), pa.scalar("", pa.large_string())
    return pc.if_else(pc.fill_null(runs, False), pc.binary_join_element_wise(guard, long, nothing), long)


def unguarded(table: Table) -> Table:
    """The table without the apostrophes that ``write`` put in; only for files known to be our own."""
    for column, array in zip(table.columns, table.arrays, strict=True):
        if column.kind in CODED:
            words = [
                w[1:] if w.startswith(GUARD) and re.match(RUNS, w[1:]) else w for w in array.dictionary.to_pylist()
            ]
            levels = tuple(lv.model_copy(update={"value": w}) for lv, w in zip(column.levels, words, strict=True))
            fresh = pa.DictionaryArray.from_arrays(array.indices, pa.array(words, pa.string()))
            table = table.with_column(column.but(levels=levels), fresh)
        elif column.kind in (Kind.text, Kind.identifier):
            table = table.with_column(column, pc.replace_substring_regex(array, r"^'('*[=+\-@\t\r])", r"\1"))
    names = [n[1:] if n.startswith(GUARD) and re.match(RUNS, n[1:]) else n for n in table.names]
    return Table(
        tuple(c.but(name=n) for c, n in zip(table.columns, names, strict=True)), table.arrays, table.rows, table.about
    )
