"""Finding out encoding, delimiter, header, decimal mark, dates and empty codes from the start of a file."""

import codecs
import csv
import io
import re
from collections import Counter
from typing import Literal

from yavik.core.files.options import EMPTY_WORDS, Dates, Encoding, ReadOptions
from yavik.core.table import DataProblem

SAMPLE_BYTES = 1 << 18
csv.field_size_limit(1 << 27)  # a line that another mark would cut may look like one huge cell
DELIMITERS = (",", ";", "\t", "|")
POINT = re.compile(r"^[+-]?\d+(\.\d+)?([eE][+-]?\d+)?$")
COMMA = re.compile(r"^[+-]?\d{1,15},\d+$|^[+-]?\d+$")
DAY_MONTH = re.compile(r"^(\d{1,2})([./-])(\d{1,2})\2(\d{4})$")
LEADING_ZERO = re.compile(r"^0\d+$")


def find_encoding(data: bytes) -> Encoding:
    """By byte-order mark, then by what decodes; raises DataProblem for what is not text."""
    if not data.strip(b"\x00\r\n\t \xef\xbb\xbf"):
        raise DataProblem("The file is empty: it holds no text at all.")
    if data.startswith(codecs.BOM_UTF8):
        return "utf-8-sig"
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    head = data[:4096]
    zeros = head.count(0)
    if zeros:
        even, odd = head[::2].count(0), head[1::2].count(0)
        if odd > 0.3 * len(head) / 2 > 5 * even:
            return "utf-16-le"
        if even > 0.3 * len(head) / 2 > 5 * odd:
            return "utf-16-be"
        raise DataProblem(_not_text())
    controls = sum(byte < 32 and byte not in (9, 10, 13, 12) for byte in head)
    if controls > 0.01 * len(head) + 1:
        raise DataProblem(_not_text())
    try:
        codecs.getincrementaldecoder("utf-8")().decode(data)  # a cut last character is no error
        return "utf-8"
    except UnicodeDecodeError:
        pass
    try:
        data.decode("cp1252")
        return "cp1252"
    except UnicodeDecodeError:
        return "latin-1"


def _not_text() -> str:
    return "This is not a text file. Bring comma- or tab-separated text; save a spreadsheet as CSV first."


BYTE_ORDER_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)


def decode_head(data: bytes, encoding: Encoding) -> str:
    """The beginning of a file as text."""
    # Without a byte-order mark there is nothing to say which half comes first: the low one, as most programs write.
    known = encoding if encoding != "utf-16" or data[:2] in BYTE_ORDER_MARKS else "utf-16-le"
    return codecs.getincrementaldecoder(known)(errors="replace").decode(data)


def split(text: str, delimiter: str, most: int = 400) -> list[list[str]]:
    """Lines cut at a delimiter, quotes minded."""
    rows = []
    for row in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter):
        if row:
            rows.append(row)
        if len(rows) >= most:
            break
    return rows


def detect(data: bytes, *, whole: bool) -> ReadOptions:
    """Options for the first ``SAMPLE_BYTES`` of a file; ``whole`` says the file ends there."""
    encoding = find_encoding(data)
    text = decode_head(data, encoding)
    if not whole and "\n" in text:
        text = text[: text.rindex("\n") + 1]
    delimiter = find_delimiter(text)
    rows = split(text, delimiter)
    header = find_header(rows)
    body = rows[1:] if header else rows
    decimal = find_decimal(body, delimiter)
    names = rows[0] if header else [f"column {i + 1}" for i in range(len(rows[0]))]
    columns = {
        name.strip(): [row[i].strip() for row in body if i < len(row)] for i, name in enumerate(names) if name.strip()
    }
    extra = [code for code in (".", "-", "–", "?") if any(_code_among_numbers(c, code) for c in columns.values())]
    return ReadOptions(
        encoding=encoding,
        delimiter=delimiter,
        decimal=decimal,
        header=header,
        empty_codes=[*EMPTY_WORDS, *extra],
        dates=find_dates(columns),
        text_columns=[n for n, cells in columns.items() if any(LEADING_ZERO.match(c) for c in cells)],
    )


def find_delimiter(text: str) -> str:
    """The mark that cuts the most rows into the same number (> 1) of cells; wider tables win ties."""
    best, best_score = ",", (0.0, 0)
    for mark in DELIMITERS:
        widths = Counter(len(row) for row in split(text, mark, 100))
        width, hits = max(((w, h) for w, h in widths.items() if w > 1), key=lambda p: p[1], default=(1, 0))
        score = (round(hits / max(1, sum(widths.values())), 2), width)
        if score > best_score:
            best, best_score = mark, score
    return best


def find_header(rows: list[list[str]]) -> bool:
    """True when the first row has no numbers or dates though some column below it has, or all of it is distinct
    text."""
    if not rows:
        raise DataProblem("The file is empty: it holds no rows.")
    first = [c.strip() for c in rows[0]]
    if any(_valued(c) for c in first):
        return False
    if len(rows) == 1:
        return True
    below = [row[i].strip() for row in rows[1:50] for i in range(min(len(row), len(first)))]
    return any(_valued(c) for c in below) or (len(set(first)) == len(first) and not set(first) & set(below))


def _valued(cell: str) -> bool:
    return bool(
        POINT.match(cell) or COMMA.match(cell) or DAY_MONTH.match(cell) or re.match(r"^\d{4}-\d\d-\d\d", cell)
    )


def find_decimal(body: list[list[str]], delimiter: str) -> Literal[".", ","]:
    """The decimal mark that most numbers have."""
    if delimiter == ",":
        quoted = sum(bool(re.match(r"^[+-]?\d+,\d+$", c.strip())) for row in body for c in row)
        points = sum(bool(re.match(r"^[+-]?\d+\.\d+$", c.strip())) for row in body for c in row)
        return "," if quoted > points else "."
    commas = sum(bool(re.match(r"^[+-]?\d+,\d+$", c.strip())) for row in body for c in row)
    points = sum(bool(re.match(r"^[+-]?\d+\.\d+$", c.strip())) for row in body for c in row)
    return "," if commas > points else "."


def find_dates(columns: dict[str, list[str]]) -> Dates:
    """In which order days and months stand."""
    for cells in columns.values():
        parts = [m for m in map(DAY_MONTH.match, cells) if m]
        if parts and len(parts) >= 0.8 * sum(bool(c) for c in cells):
            second_over_12 = any(int(m[3]) > 12 for m in parts)
            return "month_first" if second_over_12 else "day_first"
    return "iso"


def _code_among_numbers(cells: list[str], code: str) -> bool:
    if code not in cells:
        return False
    others = [c for c in cells if c and c != code]
    return bool(others) and all(POINT.match(c) or COMMA.match(c) for c in others)
