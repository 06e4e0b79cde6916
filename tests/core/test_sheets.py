"""What workbooks share: areas, headers, names, and cells of every sort."""

from datetime import date, datetime, time
from typing import Any

import pytest

from yavik.core.files.cells import arrow_of, looks_like_header
from yavik.core.files.dictionary import HEAD, columns_from_rows
from yavik.core.files.naming import unique_names
from yavik.core.files.options import ReadOptions
from yavik.core.files.sheets import Area, Sheet, area_of, chosen_sheet, column_number, table_from_sheet
from yavik.core.table import DataProblem, Kind


@pytest.mark.parametrize(("letters", "number"), [("A", 1), ("Z", 26), ("AA", 27), ("az", 52), ("XFD", 16_384)])
def test_letters_of_columns(letters: str, number: int) -> None:
    assert column_number(letters) == number


@pytest.mark.parametrize(
    ("text", "area"),
    [
        (None, Area()),
        ("  ", Area()),
        ("B3:H200", Area(3, 2, 200, 8)),
        ("h200 : b3", Area(3, 2, 200, 8)),
        ("A1:A1", Area(1, 1, 1, 1)),
    ],
)
def test_areas(text: str | None, area: Area) -> None:
    assert area_of(text) == area


@pytest.mark.parametrize("text", ["B3", "3:4", "B3:", "B3:H", "B3-H4", "=A1:B2", "ABCD1:B2"])
def test_what_is_no_area(text: str) -> None:
    with pytest.raises(DataProblem, match="Write it like B3:H200"):
        area_of(text)


def sheet(
    *rows: list[Any], merged: list[tuple[int, int, int, int]] | None = None, **options: Any
) -> tuple[list[str], list[list[str | None]], list[str]]:
    table, notices = table_from_sheet(Sheet(list(rows), merged or []), ReadOptions(format="xlsx", **options))
    texts = [table.texts(n) for n in table.names]
    return table.names, [list(r) for r in zip(*texts, strict=True)], [n.text for n in notices]


def test_empty_rows_and_columns_around_fall_away() -> None:
    names, rows, _ = sheet(
        [None, None, None], [None, "town", "n"], [None, None, None], [None, "Corrin", 3], [None, "  ", None]
    )
    assert names == ["town", "n"] and rows == [[None, None], ["Corrin", "3"]]


def test_rows_of_unequal_length_are_filled_up() -> None:
    names, rows, notices = sheet(["a", "b"], [1], [1, 2, 3])
    assert names == ["a", "b", "column 3"] and rows == [["1", None, None], ["1", "2", "3"]]
    assert "Column 3 has no name" in notices[0]


def test_without_a_header() -> None:
    assert sheet([1, "x"], [2, "y"], header=False)[0] == ["column 1", "column 2"]


def test_a_title_over_all_columns_is_no_second_header() -> None:
    names, _, _ = sheet(["a", "b", "c"], [1, 2, 3], merged=[(5, 0, 5, 2)])
    assert names == ["a", "b", "c"]


def test_a_header_of_two_rows_shifts_with_the_empty_rows_above() -> None:
    names, rows, notices = sheet(
        [None] * 3, ["id", "score", None], [None, "before", "after"], ["x", 1, 2], merged=[(1, 1, 1, 2), (1, 0, 2, 0)]
    )
    assert names == ["id", "score before", "score after"] and rows == [["x", "1", "2"]] and "two rows" in notices[0]


def test_a_sheet_of_nothing_says_so() -> None:
    with pytest.raises(DataProblem, match="no filled cells"):
        sheet([None, ""], [" "])


@pytest.mark.parametrize(
    ("values", "kind", "first"),
    [
        ([1, 2.5, None], "double", 1.0),
        ([1, 2, None], "int64", 1),
        ([True, False], "bool", True),
        ([date(1850, 1, 2), None, datetime(2020, 1, 1, 5)], "timestamp[us]", datetime(1850, 1, 2)),
        ([time(5, 30), None], "large_string", "05:30:00"),
        (["1", " 2 ", "3"], "int64", 1),
        (["1.5", "2e3"], "double", 1.5),
        (["01", "02"], "large_string", "01"),
        (["1", "x"], "large_string", "1"),
        ([None, "NA", ""], "large_string", None),
        ([10**30, 1], "double", 1e30),
        ([1, "x", True, None], "large_string", "1"),
        ([{"a": 1}, [2]], "large_string", '{"a": 1}'),
    ],
)
def test_cells_of_every_sort(values: list[Any], kind: str, first: Any) -> None:
    array, _ = arrow_of("c", values, ReadOptions())
    assert str(array.type) == kind and array.to_pylist()[0] == first


def test_text_among_numbers_is_said() -> None:
    _, notice = arrow_of("c", [1, 2, 3, "lost", 5], ReadOptions())
    assert (
        notice is not None
        and notice.text.startswith("c: 1 cell is text among numbers ('lost')")
        and notice.rows == [4]
    )


@pytest.mark.parametrize(
    ("row", "below", "names"),
    [
        (["a", "b"], [1, 2], True),
        ([1, 2], [3, 4], False),
        (["2020", "2021"], [1, 2], False),
        (["a", "a"], ["x", "y"], False),
        ([], None, False),
    ],
)
def test_headers_are_told_from_data(row: list[Any], below: list[Any] | None, names: bool) -> None:
    assert looks_like_header(row, below) is names


def test_names_are_made_usable() -> None:
    names, notices = unique_names(["a", "A", "a", "", "  b\n c ", "x`y", None, "\ufeffz"])
    assert names == ["a", "A", "a (2)", "column 4", "b c", "x'y", "column 7", "z"]
    text = " ".join(n.text for n in notices)
    assert "differ only by case" in text and "stands twice" in text and "Column 4 has no name" in text


def test_the_sheet_to_read() -> None:
    assert chosen_sheet(["Dictionary", "Data"], None, "Dictionary") == "Data"
    assert chosen_sheet(["Dictionary"], None, "Dictionary") == "Dictionary"
    with pytest.raises(DataProblem, match="has no sheets"):
        chosen_sheet([], None, "Dictionary")
    with pytest.raises(DataProblem, match="It has A, B"):
        chosen_sheet(["A", "B"], "C", "Dictionary")


def test_a_dictionary_of_another_maker_is_left_alone() -> None:
    assert columns_from_rows([["Name", "Meaning"], ["x", "y"]]) is None
    assert columns_from_rows([]) is None
    assert columns_from_rows([HEAD, ["x", None, "no such kind", None, None, None, None, "0"]]) is None
    assert columns_from_rows([HEAD, ["x", None, "measure", None, "[broken", None, None, "0"]]) is None
    known = columns_from_rows([HEAD, ["x", "Length", "measure", "m", None, '[["-9", "refused"]]', "by tape", "2"]])
    assert (
        known is not None
        and known[0].kind is Kind.measure
        and known[0].unit == "m"
        and known[0].empty_meanings == {"-9": "refused"}
    )
