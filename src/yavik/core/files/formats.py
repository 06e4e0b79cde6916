"""Every open format in one list: found out by content, read, previewed and written through one door."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from yavik.core.files import columnar, csv_out, delimited, ods, package, records, xlsx
from yavik.core.files.detect import detect
from yavik.core.files.dictionary import SHEET
from yavik.core.files.options import FormatId, Notice, Preview, Progress, ReadOptions
from yavik.core.files.room import demand_room
from yavik.core.files.tidy import tidied
from yavik.core.table import DataProblem, Table
from yavik.core.table.table import cell_texts

PREVIEW_ROWS = 200
SHOWN_ROWS = 50
SHOWN_COLUMNS = 200


@dataclass(frozen=True)
class Output:
    """A way to save a table."""

    id: str
    title: str
    suffix: str
    media: str
    write: Callable[[Table, Path, str], None]
    keeps: bool
    """Whether labels, levels and codes come back when it is read again."""


OUTPUTS: tuple[Output, ...] = (
    Output("csv", "CSV", ".csv", "text/csv", lambda t, p, _n: csv_out.write(t, p), False),
    Output(
        "tsv",
        "Tab-separated text",
        ".tsv",
        "text/tab-separated-values",
        lambda t, p, _n: csv_out.write(t, p, delimiter="\t"),
        False,
    ),
    Output(
        "xlsx",
        "Workbook (XLSX)",
        ".xlsx",
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        lambda t, p, _n: xlsx.write(t, p),
        True,
    ),
    Output(
        "ods",
        "OpenDocument (ODS)",
        ".ods",
        "application/vnd.oasis.opendocument.spreadsheet",
        lambda t, p, _n: ods.write(t, p),
        True,
    ),
    Output("json", "JSON", ".json", "application/json", lambda t, p, _n: records.write(t, p), False),
    Output(
        "parquet",
        "Parquet",
        ".parquet",
        "application/vnd.apache.parquet",
        lambda t, p, _n: columnar.write_parquet(t, p),
        True,
    ),
    Output(
        "arrow",
        "Arrow (Feather)",
        ".arrow",
        "application/vnd.apache.arrow.file",
        lambda t, p, _n: columnar.write_arrow(t, p),
        True,
    ),
    Output("package", "Data package", ".zip", "application/zip", lambda t, p, n: package.write(t, p, n), True),
)
SUFFIXES = (
    ".csv",
    ".tsv",
    ".txt",
    ".xlsx",
    ".ods",
    ".json",
    ".jsonl",
    ".ndjson",
    ".parquet",
    ".arrow",
    ".feather",
    ".zip",
)


def output(id: str) -> Output:
    """Raises DataProblem for a format there is not."""
    found = next((o for o in OUTPUTS if o.id == id), None)
    if found is None:
        raise DataProblem(f"Tables can be saved as {', '.join(o.id for o in OUTPUTS)}, not as '{id}'.")
    return found


def find_format(head: bytes, filename: str) -> FormatId:
    """By the first bytes, then by the name. Raises DataProblem for what cannot be read."""
    name = filename.lower()
    if head.startswith(b"PK\x03\x04"):
        if b"mimetypeapplication/vnd.oasis.opendocument.spreadsheet" in head[:200] or name.endswith(".ods"):
            return "ods"
        return (
            "xlsx"
            if name.endswith((".xlsx", ".xlsm")) or b"xl/" in head[:4000] or b"[Content_Types].xml" in head[:100]
            else "package"
        )
    if head.startswith(b"PAR1"):
        return "parquet"
    if head.startswith(b"ARROW1"):
        return "arrow"
    if head.startswith(b"\xd0\xcf\x11\xe0"):
        raise DataProblem("This is a workbook in an old closed format. Save it as XLSX or CSV, then bring it in.")
    if head.startswith(b"%PDF"):
        raise DataProblem("This is a PDF. Tables cannot be read from it reliably; look for the data as CSV or XLSX.")
    expected = {
        ".xlsx": "a workbook",
        ".ods": "an OpenDocument spreadsheet",
        ".parquet": "a Parquet file",
        ".arrow": "an Arrow file",
        ".feather": "an Arrow file",
        ".zip": "a zip",
    }
    for suffix, what in expected.items():
        if name.endswith(suffix) and head.strip():
            raise DataProblem(
                f"The name says this is {what}, but its content is not: it is damaged or something else."
            )
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1]
    if name.endswith((".json", ".jsonl", ".ndjson")) or start in (b"{", b"["):
        return "json"
    return "text"


def read(path: Path, options: ReadOptions, progress: Progress | None = None) -> tuple[Table, list[Notice]]:
    """The whole file as a Table, with what the reader had to do. Raises DataProblem."""
    demand_room(path, options.format)
    return tidied(*_read(path, options, progress))


def _read(path: Path, options: ReadOptions, progress: Progress | None) -> tuple[Table, list[Notice]]:
    if options.format == "text":
        return delimited.read(path, options, progress)
    if progress:
        progress(0.1, "Reading the file")
    if options.format == "xlsx":
        return xlsx.read(path, options, None, progress)
    return _READERS[options.format](path, options, None)


_READERS: dict[str, Callable[[Path, ReadOptions, int | None], tuple[Table, list[Notice]]]] = {
    "xlsx": xlsx.read,
    "ods": ods.read,
    "json": records.read,
    "parquet": columnar.read,
    "arrow": columnar.read,
    "package": package.read,
}
_SHEETS: dict[str, Callable[[Path], list[str]]] = {
    "xlsx": xlsx.sheet_names,
    "ods": ods.sheet_names,
    "package": package.sheet_names,
}


def open_file(path: Path, filename: str) -> tuple[Table, list[Notice]]:
    """A file with everything found out: for the command line. Raises DataProblem."""
    head, whole = delimited.head_of(path)
    format = find_format(head, filename)
    options = detect(head, whole=whole) if format == "text" else ReadOptions(format=format)
    return read(path, options)


def preview_file(path: Path, format: FormatId, options: ReadOptions | None = None) -> Preview:
    """The first rows of a file that is not text. Raises DataProblem."""
    options = options or ReadOptions(format=format)
    sheets = _SHEETS[format](path) if format in _SHEETS else []
    table, notices = tidied(*_READERS[format](path, options, PREVIEW_ROWS))
    if options.sheet is None and sheets:
        first = next((s for s in sheets if s != SHEET), sheets[0])
        options = options.model_copy(update={"sheet": first})
    shown = table.slice(0, SHOWN_ROWS)
    texts = [
        cell_texts(c, a) for c, a in zip(shown.columns[:SHOWN_COLUMNS], shown.arrays[:SHOWN_COLUMNS], strict=True)
    ]
    return Preview(
        options=options,
        columns=list(table.columns[:SHOWN_COLUMNS]),
        rows=[list(r) for r in zip(*texts, strict=True)],
        rows_seen=table.n_rows,
        whole=table.n_rows < PREVIEW_ROWS - 2,
        notices=notices,
        n_columns=len(table.columns),
        sheets=sheets,
    )
