"""Reading delimited text: what is found out, what is said, and that nothing is lost."""

import codecs

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import preview, read
from yavik.core.files.detect import detect
from yavik.core.files.options import ReadOptions
from yavik.core.table import DataProblem, Kind

TEXT = "id;ort;größe;tag\n1;Köln;1,5;31.12.2025\n2;Aldmere;2,25;01.02.2025\n3;Köln;;05.03.2025\n"


def kinds(data: bytes) -> dict[str, str]:
    table, _ = read(data)
    return {c.name: c.kind.value for c in table.columns}


@pytest.mark.parametrize(
    ("data", "encoding"),
    [
        (TEXT.encode("utf-8"), "utf-8"),
        (codecs.BOM_UTF8 + TEXT.encode("utf-8"), "utf-8-sig"),
        (TEXT.encode("utf-16"), "utf-16"),
        (TEXT.encode("utf-16-le"), "utf-16-le"),
        (TEXT.encode("utf-16-be"), "utf-16-be"),
        (TEXT.encode("cp1252"), "cp1252"),
        (TEXT.replace("Aldmere", "\x81x").encode("latin-1"), "latin-1"),
    ],
)
def test_encodings(data: bytes, encoding: str) -> None:
    options = detect(data, whole=True)
    assert options.encoding == encoding
    table, _ = read(data, options)
    assert table.names == ["id", "ort", "größe", "tag"]
    assert table.texts("ort")[0] == "Köln"


def test_a_european_file_is_found_out() -> None:
    options = detect(TEXT.encode(), whole=True)
    assert (options.delimiter, options.decimal, options.header, options.dates) == (";", ",", True, "day_first")
    table, _ = read(TEXT.encode())
    assert table.numbers("größe").tolist()[:2] == [1.5, 2.25]
    assert table.texts("tag") == ["2025-12-31", "2025-02-01", "2025-03-05"]
    assert table.empty("größe").tolist() == [False, False, True]


def test_kinds() -> None:
    rows = "\n".join(
        f"v{i},{i % 3},{i % 2},{i / 4},{'yes' if i % 2 else 'no'},{'ABC'[i % 3]},00{i},some words {i}"
        for i in range(1, 40)
    )
    found = kinds(f"visitor,visits,member,hours,consent,room,zip,remark\n{rows}\n".encode())
    assert found == {
        "visitor": "identifier",
        "visits": "count",
        "member": "yes_no",
        "hours": "measure",
        "consent": "yes_no",
        "room": "category",
        "zip": "identifier",
        "remark": "identifier",
    }
    table, _ = read(f"visitor,visits,member,hours,consent,room,zip,remark\n{rows}\n".encode())
    assert table.texts("zip")[0] == "001"


def test_no_header() -> None:
    table, _ = read(b"1,2\n3,4\n5,6\n")
    assert table.names == ["column 1", "column 2"]
    assert table.n_rows == 3


def test_duplicate_and_empty_headers_are_named_and_said() -> None:
    table, notices = read(b"a,a,,b\n1,2,3,4\n5,6,7,8\n")
    assert table.names == ["a", "a (2)", "column 3", "b"]
    assert len(notices) == 2


def test_ragged_rows_lose_nothing() -> None:
    table, notices = read(b"a,b,c\n1,2,3\n4,5\n6,7,8,9\n10,11,12\n")
    assert table.names == ["a", "b", "c", "column 4"]
    assert table.texts("c") == ["3", None, "8", "12"]
    assert table.texts("column 4") == [None, None, "9", None]
    assert [n.rows for n in notices] == [[2], [3]]


def test_trailing_delimiters_make_no_column() -> None:
    table, _ = read(b"a,b\n1,2,\n3,4,\n")
    assert table.names == ["a", "b"]


def test_line_ends_inside_quotes() -> None:
    table, _ = read(b'a,note\n1,"one\ntwo"\n2,"x, y"\n')
    assert table.texts("note") == ["one\ntwo", "x, y"]


def test_text_among_numbers_is_counted_and_placed() -> None:
    lines = [str(i) for i in range(40)]
    lines[6], lines[30] = "lost", "lost"
    table, notices = read(("x,y\n" + "\n".join(f"{v},1" for v in lines)).encode())
    assert table.column("x").kind in (Kind.text, Kind.identifier, Kind.category)
    assert "2 cells are text among numbers ('lost'; rows 7 and 31)" in notices[0].text
    fixed, _ = read(
        ("x,y\n" + "\n".join(f"{v},1" for v in lines)).encode(),
        detect(b"x,y\n1,1\n", whole=True).model_copy(update={"empty_codes": ["", "lost"]}),
    )
    assert fixed.column("x").kind is Kind.count
    assert fixed.empty("x").sum() == 2


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"   \n\n",
        b"\xef\xbb\xbf",
        b"PK\x03\x04\x00\x00\x08\x00" + bytes(range(256)) * 4,
        b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR",
    ],
)
def test_what_is_no_table_is_refused_in_a_sentence(data: bytes) -> None:
    with pytest.raises(DataProblem) as problem:
        read(data)
    assert problem.value.message.endswith(".")


def test_names_without_rows() -> None:
    table, notices = read(b"a,b,c\n")
    assert table.n_rows == 0
    assert "no rows" in notices[-1].text


def test_too_many_columns() -> None:
    data = (",".join(f"c{i}" for i in range(50_000)) + "\n" + ",".join("1" for _ in range(50_000)) + "\n").encode()
    with pytest.raises(DataProblem, match="50000 columns; a table can have 20000"):
        read(data)


def test_a_kind_chosen_by_hand_that_the_cells_contradict() -> None:
    options = ReadOptions(kinds={"x": Kind.measure})
    with pytest.raises(DataProblem, match="1 cell is not a number \\('abc'; row 2\\)") as problem:
        read(b"x\n1\nabc\n3\n", options)
    assert problem.value.column == "x"


def test_preview_reads_only_whole_lines() -> None:
    head = b"a,b\n" + b"1,2\n" * 10 + b"3,"
    found = preview(head, False)
    assert found.rows_seen == 10
    assert not found.whole


def test_infinite_values_are_named_when_they_are_used() -> None:
    table, _ = read(b"x\n1.5\ninf\n2\n")
    with pytest.raises(DataProblem, match="1 infinite value \\(row 2\\)"):
        table.numbers("x")


cells = (
    st.text(
        alphabet=st.characters(codec="utf-8", exclude_categories=("Cs", "Cc"), exclude_characters="\ufeff"),
        min_size=1,
        max_size=12,
    )
    .map(str.strip)
    .filter(lambda t: t and t not in ReadOptions().empty_codes)
)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(cells, st.floats(-1e6, 1e6)), min_size=2, max_size=30))
def test_what_was_written_is_read(rows: list[tuple[str, float]]) -> None:
    import csv
    import io

    out = io.StringIO()
    csv.writer(out).writerows([("name", "value"), *((t, repr(v)) for t, v in rows)])
    options = ReadOptions(text_columns=["name"])
    table, _ = read(out.getvalue().encode(), options)
    assert table.texts("name") == [t for t, _ in rows]
    assert np.array_equal(
        table.numbers("value"),
        [v for _, v in rows],
    )
