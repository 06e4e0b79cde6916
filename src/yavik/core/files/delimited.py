"""Reading delimited text into a Table: the fast parallel reader, and a patient one for ragged files."""

import csv
import io
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv as pa_csv

from yavik.core.files.detect import SAMPLE_BYTES, decode_head, detect
from yavik.core.files.kinds import DATE_FORMS, change_kind, number_mask
from yavik.core.files.naming import unique_names
from yavik.core.files.options import Notice, Preview, Progress, ReadOptions
from yavik.core.files.tidy import tidied
from yavik.core.table import DataProblem, Kind, Table, rows_in_words
from yavik.core.table.infer import infer
from yavik.core.table.table import cell_texts, make_table

MOST_COLUMNS = 20_000
PREVIEW_ROWS = 50
WIDEST_LINE = 1 << 24
NOT_IN = "The file cannot be read as text in {}: choose another encoding."
NO_ROWS = "The file has column names but no rows."
Source = bytes | Path


def read(
    source: Source, options: ReadOptions | None = None, progress: Progress | None = None
) -> tuple[Table, list[Notice]]:
    """The whole file as a Table, with what the reader had to do.

    Raises:
        DataProblem: empty, not text, no columns, too many columns, or kinds that cells contradict.
    """
    if options is None:
        head, whole = head_of(source)
        options = detect(head, whole=whole)
    said = progress or (lambda _part, _what: None)
    said(0.05, "Reading the file")
    names, notices = _names(source, options)
    arrow, ragged = _parse(source, options, names)
    notices += ragged
    # Each column is looked at on its own; the work is in Arrow, which lets threads run side by side.
    done = 0

    def look(name: str) -> tuple[Any, Any, list[Notice]]:
        """One column with its kind found out."""
        nonlocal done
        raw = arrow.column(name)
        column, array = infer(name, raw)
        said(0.4 + 0.5 * done / arrow.num_columns, f"Looking at {name}")
        done += 1
        if name in options.kinds:
            return *change_kind(column, array, options.kinds[name], options.empty_codes), []
        return column, array, [] if pa.types.is_integer(raw.type) else _mixed(column, array)

    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(look, arrow.column_names))
    columns, arrays = [f[0] for f in found], [f[1] for f in found]
    notices += [n for f in found for n in f[2]]
    if not columns:
        raise DataProblem("The file has no columns.")
    return make_table(columns, arrays), notices


def preview(head: bytes, whole: bool, options: ReadOptions | None = None) -> Preview:
    """The first rows, read exactly as the whole file would be."""
    options = options or detect(head, whole=whole)
    if not whole:
        head = _whole_lines(head, options)
    table, notices = tidied(*read(head, options))
    shown = table.slice(0, PREVIEW_ROWS)
    texts = [cell_texts(c, a) for c, a in zip(shown.columns[:200], shown.arrays[:200], strict=True)]
    return Preview(
        options=options,
        columns=list(table.columns[:200]),
        rows=[list(row) for row in zip(*texts, strict=True)],
        rows_seen=table.n_rows,
        whole=whole,
        notices=notices,
        n_columns=len(table.columns),
    )


def head_of(source: Source) -> tuple[bytes, bool]:
    """The sample that detection looks at, and whether it is the whole file."""
    if isinstance(source, bytes):
        size = SAMPLE_BYTES if b"\n" in source[:SAMPLE_BYTES] else SAMPLE_BYTES + WIDEST_LINE
        return source[:size], len(source) <= size
    with source.open("rb") as file:
        data = file.read(SAMPLE_BYTES + 1)
        if len(data) > SAMPLE_BYTES and b"\n" not in data:
            data += file.read(WIDEST_LINE)  # names alone can be longer than a sample
            return data, not file.read(1)
    return data[:SAMPLE_BYTES], len(data) <= SAMPLE_BYTES


def _whole_lines(head: bytes, options: ReadOptions) -> bytes:
    """Cuts the half line at the end of a sample. Works on bytes so that encodings stay as they are."""
    newline = "\n".encode("utf-16-le" if "16" in options.encoding else "ascii")
    place = head.rfind(newline)
    return head if place < 0 else head[: place + len(newline)]


def _names(source: Source, options: ReadOptions) -> tuple[list[str], list[Notice]]:
    """Column names: from the header, made unique and never empty."""
    head, _ = head_of(source)
    if not head.strip():
        raise DataProblem("The file is empty: it holds no text at all.")
    text = decode_head(head, options.encoding)
    if "\x00" in text:
        raise DataProblem(
            "This is not a text file. Bring comma- or tab-separated text; save a spreadsheet as CSV first."
        )
    first = next((row for row in csv.reader(io.StringIO(text, newline=""), delimiter=options.delimiter) if row), None)
    if first is None:
        raise DataProblem("The file is empty: it holds no rows.")
    if len(first) > MOST_COLUMNS:
        raise DataProblem(
            f"The file has {len(first)} columns; a table can have {MOST_COLUMNS}. "
            "If these are rows that lie on their side, turn the file and bring it again."
        )
    if not options.header:
        return [f"column {i + 1}" for i in range(len(first))], []
    return unique_names(first)


def _parse(source: Source, options: ReadOptions, names: list[str]) -> tuple[Any, list[Notice]]:
    ragged: list[tuple[int | None, int]] = []

    def note(row: Any) -> str:
        """Keeps what is known of a ragged row."""
        ragged.append((row.number, row.actual_columns))
        return "error"

    parse = pa_csv.ParseOptions(
        delimiter=options.delimiter, newlines_in_values=_quoted_newlines(source, options), invalid_row_handler=note
    )
    convert = pa_csv.ConvertOptions(
        decimal_point=options.decimal,
        null_values=options.empty_codes,
        strings_can_be_null=True,
        timestamp_parsers=[pa_csv.ISO8601, *DATE_FORMS[options.dates]],
        column_types={n: pa.large_string() for n in options.text_columns},
        auto_dict_encode=True,
        auto_dict_max_cardinality=200,
    )
    # UTF-16 is turned into UTF-8 beforehand; a byte-order mark is skipped by the reader itself.
    encoding = "utf-8" if options.encoding.startswith("utf") else options.encoding
    settings = pa_csv.ReadOptions(
        column_names=names, skip_rows=1 if options.header else 0, encoding=encoding, block_size=1 << 22
    )
    try:
        data = (
            pa.BufferReader(_bytes(source, options))
            if isinstance(source, bytes) or "16" in options.encoding
            else str(source)
        )
        table = pa_csv.read_csv(data, settings, parse, convert)
        if any(_is_bytes(field.type) for field in table.schema):
            raise DataProblem(NOT_IN.format(options.encoding))
        return table, [Notice(text=NO_ROWS)] if table.num_rows == 0 else []
    except UnicodeError as trouble:
        raise DataProblem(NOT_IN.format(options.encoding)) from trouble
    except pa.ArrowInvalid as trouble:
        if ragged or "column" in str(trouble).lower() or "straddling" in str(trouble).lower():
            return _patient(source, options, names, convert)
        if "Empty CSV" in str(trouble):
            empty = pa.table({n: pa.nulls(0, pa.large_string()) for n in names})
            return empty, [Notice(text=NO_ROWS)]
        raise DataProblem(NOT_IN.format(options.encoding)) from trouble


def _is_bytes(type: Any) -> bool:
    """Whether the reader met bytes that are no characters of the encoding."""
    inner = type.value_type if pa.types.is_dictionary(type) else type
    return bool(pa.types.is_binary(inner) or pa.types.is_large_binary(inner))


def _bytes(source: Source, options: ReadOptions) -> bytes:
    """UTF-16 is turned into UTF-8 here; the parallel reader would look for single-byte line ends in it."""
    data = source if isinstance(source, bytes) else source.read_bytes()
    return data.decode(options.encoding, errors="replace").encode() if "16" in options.encoding else data


def _quoted_newlines(source: Source, options: ReadOptions) -> bool:
    """Line ends inside quotes need the careful parser, which is slower: only when the sample shows one."""
    text = decode_head(head_of(source)[0], options.encoding)
    return any(
        "\n" in cell or "\r" in cell
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=options.delimiter)
        for cell in row
    )


def _patient(source: Source, options: ReadOptions, names: list[str], convert: Any) -> tuple[Any, list[Notice]]:
    """Rows of unequal length: short ones are filled with empty cells, long ones keep theirs in new columns."""
    data = source if isinstance(source, bytes) else source.read_bytes()
    text = data.decode(options.encoding, errors="replace")
    rows = [r for r in csv.reader(io.StringIO(text, newline=""), delimiter=options.delimiter) if r]
    body = rows[1:] if options.header else rows
    width, widest = len(names), max((len(r) for r in body), default=0)
    while widest > width and all(not "".join(r[widest - 1 :]).strip() for r in body):
        widest -= 1  # trailing marks at line ends add nothing
    short = [i + 1 for i, r in enumerate(body) if len(r) < width]
    long = [i + 1 for i, r in enumerate(body) if len(r) > width and "".join(r[width:]).strip()]
    if widest > MOST_COLUMNS:
        raise DataProblem(f"The file has {widest} columns; a table can have {MOST_COLUMNS}.", rows=long[:5])
    names = names + [f"column {i + 1}" for i in range(width, widest)]
    notices = []
    if short:
        notices.append(
            Notice(
                text=(
                    f"{_rows(short)} fewer cells than the header: the missing ones are empty"
                    f" ({rows_in_words(short)})."
                ),
                rows=short[:100],
            )
        )
    if long:
        notices.append(
            Notice(
                text=(
                    f"{_rows(long)} more cells than the header: they are kept in columns of their own"
                    f" ({rows_in_words(long)})."
                ),
                rows=long[:100],
            )
        )
    out = io.StringIO()
    csv.writer(out, delimiter=options.delimiter, quoting=csv.QUOTE_MINIMAL).writerows(
        [*r[:widest], *([""] * (widest - len(r)))] for r in body
    )
    if not body:
        return pa.table({n: pa.nulls(0, pa.large_string()) for n in names}), [Notice(text=NO_ROWS)]
    settings = pa_csv.ReadOptions(column_names=names, block_size=max(1 << 20, len(out.getvalue()) + 1))
    parse = pa_csv.ParseOptions(delimiter=options.delimiter, newlines_in_values=True, ignore_empty_lines=False)
    try:
        return pa_csv.read_csv(pa.BufferReader(out.getvalue().encode()), settings, parse, convert), notices
    except pa.ArrowInvalid as trouble:
        raise DataProblem(
            "The file cannot be cut into rows and cells: check the delimiter and the quotation marks."
        ) from trouble


def _rows(rows: list[int]) -> str:
    return "1 row has" if len(rows) == 1 else f"{len(rows)} rows have"


def _mixed(column: Any, array: Any) -> list[Notice]:
    """Says where text stands among numbers, which made the column text."""
    if column.kind not in (Kind.text, Kind.category, Kind.identifier) or len(array) == 0:
        return []
    plain = array.dictionary_decode().cast(pa.large_string()) if pa.types.is_dictionary(array.type) else array
    head = number_mask(plain.slice(0, 2000))
    if (pc.sum(head).as_py() or 0) < 0.5 * (len(head) - head.null_count):
        return []  # words, not numbers: no need to look at a million of them
    numeric = pc.fill_null(number_mask(plain), True).to_numpy(zero_copy_only=False)
    odd = (~numeric).nonzero()[0]
    filled = len(array) - array.null_count
    if not len(odd) or len(odd) > 0.2 * filled:
        return []
    words = sorted({str(v) for v in plain.take(pa.array(odd[:1000])).to_pylist()})[:5]
    rows = (odd + 1).tolist()
    listed = ", ".join(f"'{w}'" for w in words)
    count = "1 cell is text" if len(rows) == 1 else f"{len(rows)} cells are text"
    return [
        Notice(
            text=(
                f"{column.name}: {count} among numbers ({listed}; {rows_in_words(rows)}), so the column is read as"
                f" {column.kind.value}. If {'it means' if len(words) == 1 else 'they mean'} empty, add {listed} to"
                " the empty codes."
            ),
            column=column.name,
            rows=rows[:100],
        )
    ]
