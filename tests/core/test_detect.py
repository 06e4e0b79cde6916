"""Finding out how a file is written, mark by mark."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.detect import (
    detect,
    find_dates,
    find_decimal,
    find_delimiter,
    find_encoding,
    find_header,
    split,
)
from yavik.core.table import DataProblem


@pytest.mark.parametrize(
    ("text", "mark"),
    [
        ("a,b\n1,2\n", ","),
        ("a;b\n1,5;2,5\n", ";"),
        ("a\tb\n1\t2\n", "\t"),
        ("a|b|c\n1|2|3\n", "|"),
        ("name\nx\ny\n", ","),
        ('"a;b",c\n"1;2",3\n', ","),
        ("place;note\nA;one, two\nB;three, four, five\n", ";"),
        ("a,b;c\n1,2;3\n1,2;3\n", ","),
    ],
)
def test_delimiters(text: str, mark: str) -> None:
    assert find_delimiter(text) == mark


@pytest.mark.parametrize(
    ("rows", "header"),
    [
        ([["a", "b"], ["1", "2"]], True),
        ([["1", "2"], ["3", "4"]], False),
        ([["town", "room"], ["Corrin", "Alcove"], ["Hollin", "Alcove"]], True),
        ([["Corrin", "Alcove"], ["Hollin", "Alcove"]], False),
        ([["only", "names"]], True),
        ([["2024", "2025"], ["3", "4"]], False),
        ([["day", "n"], ["31.12.2025", "x"]], True),
        ([["", "b"], ["1", "2"]], True),
    ],
)
def test_headers(rows: list[list[str]], header: bool) -> None:
    assert find_header(rows) is header


@pytest.mark.parametrize(
    ("body", "delimiter", "mark"),
    [
        ([["1,5", "2"]], ";", ","),
        ([["1.5", "2"]], ";", "."),
        ([["1,5"]], ",", ","),
        ([["1.5", "1,000"]], ";", "."),
        ([["x", "y"]], ";", "."),
    ],
)
def test_decimal_marks(body: list[list[str]], delimiter: str, mark: str) -> None:
    assert find_decimal(body, delimiter) == mark


@pytest.mark.parametrize(
    ("cells", "dates"),
    [
        (["31.12.2025", "01.02.2025"], "day_first"),
        (["12/31/2025", "01/02/2025"], "month_first"),
        (["01/02/2025", "03/04/2025"], "day_first"),
        (["2025-12-31"], "iso"),
        (["1.5.2", "x"], "iso"),
        (["31.12.2025", "never", "soon", "x"], "iso"),
    ],
)
def test_dates(cells: list[str], dates: str) -> None:
    assert find_dates({"day": cells}) == dates


@pytest.mark.parametrize("code", [".", "-", "?"])
def test_codes_among_numbers_are_found_and_elsewhere_left(code: str) -> None:
    data = f"x,y\n1,{code}\n{code},b\n3,c\n".encode()
    assert code in detect(data, whole=True).empty_codes
    assert code not in detect(f"x,y\n1,{code}\n2,b\n3,c\n".encode(), whole=True).empty_codes


def test_numbers_with_leading_zeros_are_names() -> None:
    assert detect(b"zip,n\n00123,1\n10123,2\n", whole=True).text_columns == ["zip"]


def test_a_character_cut_at_the_samples_end_is_no_error() -> None:
    data = "größe,n\nä,1\n".encode()
    assert find_encoding(data[:3]) == "utf-8"
    with pytest.raises(DataProblem, match="not a text file"):
        find_encoding(b"abc\x00\x01\x02\x03" * 40)


@settings(deadline=None, max_examples=60)
@given(
    st.sampled_from([",", ";", "\t", "|"]),
    st.lists(st.lists(st.integers(-999, 999), min_size=3, max_size=3), min_size=3, max_size=20),
)
def test_what_is_written_with_a_mark_is_cut_at_it(mark: str, rows: list[list[int]]) -> None:
    text = "\n".join(mark.join(map(str, r)) for r in [["first", "second", "third"], *rows])
    found = detect(text.encode(), whole=True)
    assert (found.delimiter, found.header) == (mark, True)
    assert [list(map(int, r)) for r in split(text, mark)[1:]] == rows
    assert np.shape(split(text, mark)) == (len(rows) + 1, 3)
