"""OpenDocument spreadsheets (ISO/IEC 26300), read as a stream of XML events and written as plain XML."""

import re
import zipfile
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from lxml import etree

from yavik.core.files.archive import safe_zip
from yavik.core.files.cells import MOST_CELLS
from yavik.core.files.dictionary import HEAD, SHEET, as_written, columns_from_rows, dictionary_rows, restored
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.files.sheets import Area, Sheet, area_of, chosen_sheet, last_filled, table_from_sheet
from yavik.core.files.xlsx import MOST_ROWS, clean, values
from yavik.core.table import DataProblem, Kind, Table

WHAT = "an OpenDocument spreadsheet"
OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
MOST_LETTERS = 32_767
"""A sheet's cell holds no more."""


def sheet_names(path: Path) -> list[str]:
    """Names of the sheets."""
    with safe_zip(path, WHAT) as archive:
        return [name for name, _ in _sheets(archive, None, None)]


def read(path: Path, options: ReadOptions, most: int | None = None) -> tuple[Table, list[Notice]]:
    """One sheet as a Table; ``most`` reads only so many rows. Raises DataProblem."""
    names = sheet_names(path)
    name = chosen_sheet(names, options.sheet, SHEET)
    area = area_of(options.cells)
    with safe_zip(path, WHAT) as archive:
        wanted = {name, SHEET}
        found = dict(_sheets(archive, wanted, most))
    known = columns_from_rows([list(r) for r in found[SHEET].rows]) if SHEET in found and name != SHEET else None
    if known is not None:
        options = as_written(options, known)
    table, notices = table_from_sheet(_cut(found[name], area), options)
    if known is not None and options.header and not options.kinds:
        table, more = restored(table, known, words=True)
        notices += more
    return table, notices


def _cut(sheet: Sheet, area: Area) -> Sheet:
    rows = [r[area.left - 1 : area.right] for r in sheet.rows[area.top - 1 : area.bottom]]
    moved = [
        (t - area.top + 1, lf - area.left + 1, b - area.top + 1, r - area.left + 1) for t, lf, b, r in sheet.merged
    ]
    return Sheet(rows, moved)


def _sheets(archive: zipfile.ZipFile, wanted: set[str] | None, most: int | None) -> Iterator[tuple[str, Sheet]]:
    """Sheets one after another; with ``wanted`` None only their names."""
    try:
        with archive.open("content.xml") as file:
            name, sheet, cells = "", Sheet([]), 0
            for event, node in etree.iterparse(
                file, events=("start", "end"), huge_tree=True, resolve_entities=False, no_network=True, load_dtd=False
            ):
                if event == "start":
                    if node.tag == f"{TABLE}table":
                        name, sheet = node.get(f"{TABLE}name") or "Sheet", Sheet([])
                elif node.tag == f"{TABLE}table-row":
                    if (
                        wanted is not None
                        and name in wanted
                        and (most is None or name == SHEET or len(sheet.rows) < most)
                    ):
                        cells += _add_row(sheet, node)
                        if cells > MOST_CELLS:
                            raise DataProblem("This sheet repeats cells beyond any real table; it is not opened.")
                    _forget(node)
                elif node.tag == f"{TABLE}table":
                    yield name, sheet
                    _forget(node)
    except (etree.XMLSyntaxError, KeyError, ValueError, zipfile.BadZipFile) as trouble:
        raise DataProblem(f"This file cannot be opened as {WHAT}: it is damaged or incomplete.") from trouble


def _forget(node: Any) -> None:
    """What was read is let go, so that memory holds one row and not the whole document."""
    node.clear()
    while node.getprevious() is not None:
        del node.getparent()[0]


def _add_row(sheet: Sheet, node: Any) -> int:
    """The row's cells; repeated empty rows are kept only when something comes after them, which trimming decides."""
    row: list[Any] = []
    at = len(sheet.rows)
    for cell in node:
        if cell.tag not in (f"{TABLE}table-cell", f"{TABLE}covered-table-cell"):
            continue
        times = _times(cell, f"{TABLE}number-columns-repeated")
        value = _value(cell)
        if value is None and times > 1000:
            break  # the empty rest of the sheet's width
        across, down = (
            _times(cell, f"{TABLE}number-columns-spanned"),
            _times(cell, f"{TABLE}number-rows-spanned"),
        )
        if across > 1 or down > 1:
            sheet.merged.append((at, len(row), at + down - 1, len(row) + across - 1))
        row += [value] * min(times, 20_000)
    del row[last_filled(row) :]
    repeat = _times(node, f"{TABLE}number-rows-repeated")
    if not row and repeat > 1000:
        return 0  # the empty rest of the sheet's length
    if repeat > MOST_ROWS:
        raise DataProblem("This sheet repeats rows beyond any real table; it is not opened.")
    if len(sheet.rows) + repeat > MOST_ROWS or len(row) * (len(sheet.rows) + repeat) > MOST_CELLS:
        raise DataProblem("This sheet repeats rows beyond any real table; it is not opened.")
    sheet.rows += [row] * repeat
    return max(1, len(row)) * repeat


def _times(node: Any, what: str) -> int:
    """A count that the file gives; it is not to be trusted with more digits than any sheet needs."""
    text = node.get(what) or "1"
    return max(1, int(text)) if text.isdigit() and len(text) < 10 else 1


def _value(cell: Any) -> Any:
    kind = cell.get(f"{OFFICE}value-type")
    if kind in ("float", "percentage", "currency"):
        number = float(cell.get(f"{OFFICE}value"))
        return int(number) if number.is_integer() and abs(number) < 2**53 else number
    if kind == "boolean":
        return cell.get(f"{OFFICE}boolean-value") == "true"
    if kind == "date":
        text = str(cell.get(f"{OFFICE}date-value"))
        try:
            return datetime.fromisoformat(text)
        except ValueError:
            return text
    if kind == "string" and cell.get(f"{OFFICE}string-value") is not None:
        return cell.get(f"{OFFICE}string-value")
    if kind is None and len(cell) == 0:
        return None
    words = "\n".join("".join(p.itertext()) if len(p) == 0 else _spaced(p) for p in cell.findall(f"{TEXT}p"))
    return words or None


def _spaced(node: Any) -> str:
    """A paragraph's text; runs of spaces are elements of their own."""
    out = node.text or ""
    for child in node:
        out += (
            " " * min(_times(child, f"{TEXT}c"), MOST_LETTERS)
            if child.tag == f"{TEXT}s"
            else ("\t" if child.tag == f"{TEXT}tab" else "".join(child.itertext()))
        )
        out += child.tail or ""
    return out[:MOST_LETTERS]


HEADER = (
    '<?xml version="1.0" encoding="UTF-8"?><office:document-content'
    ' xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    ' office:version="1.3"><office:body><office:spreadsheet>'
)
MANIFEST = (
    '<?xml version="1.0" encoding="UTF-8"?><manifest:manifest'
    ' xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"><manifest:file-entry'
    ' manifest:full-path="/"'
    ' manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/><manifest:file-entry'
    ' manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
)


def write(table: Table, path: Path) -> None:
    """Cells as typed values, and the dictionary on a sheet of its own. Raises DataProblem for too many rows."""
    if table.n_rows >= MOST_ROWS:
        raise DataProblem(
            f"A sheet holds 1 048 575 rows and this table has {table.n_rows:,}. Save it as CSV or Parquet.".replace(
                ",", " "
            )
        )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        # The first member says what the file is and must not be compressed.
        archive.writestr(
            zipfile.ZipInfo("mimetype"), "application/vnd.oasis.opendocument.spreadsheet", zipfile.ZIP_STORED
        )
        archive.writestr("META-INF/manifest.xml", MANIFEST)
        with archive.open("content.xml", "w", force_zip64=True) as out:
            out.write(HEADER.encode())
            out.write(b'<table:table table:name="Data">')
            out.write(_row(table.names).encode())
            for start in range(0, table.n_rows, 5000):
                part = table.slice(start, 5000)
                whole = [part.column(n).kind is Kind.date for n in part.names]
                for row in zip(*[values(part, n) for n in part.names], strict=True):
                    out.write(_row(row, whole).encode())
            out.write(f'</table:table><table:table table:name="{SHEET}">'.encode())
            for line in [HEAD, *dictionary_rows(table)]:
                out.write(_row(line).encode())
            out.write(b"</table:table></office:spreadsheet></office:body></office:document-content>")


def _row(values: Any, _dates: Any = None) -> str:
    return f"<table:table-row>{''.join(map(_cell, values))}</table:table-row>"


def _cell(value: Any) -> str:
    if value is None or value == "":
        return "<table:table-cell/>"
    if isinstance(value, int | float):
        return (
            '<table:table-cell office:value-type="float"'
            f' office:value="{value!r}"><text:p>{value!r}</text:p></table:table-cell>'
        )
    if isinstance(value, datetime):
        text = value.isoformat().removesuffix("T00:00:00")
        return (
            '<table:table-cell office:value-type="date"'
            f' office:date-value="{text}"><text:p>{text}</text:p></table:table-cell>'
        )
    text = clean(str(value))
    shown = escape(re.sub(r"\s+", " ", text))
    return (
        '<table:table-cell office:value-type="string"'
        f" office:string-value={quoteattr(text)}><text:p>{shown}</text:p></table:table-cell>"
    )
