"""Every open format: what is written comes back as it was; what is damaged, swollen or strange is said in a
sentence."""

import io
import json
import random
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from tests.tables import table_from
from yavik.core.files import csv_out, formats, ods, xlsx
from yavik.core.files.options import ReadOptions
from yavik.core.files.room import demand_room
from yavik.core.table import Column, DataProblem, Kind, Level, Table
from yavik.core.table.table import make_table

KEEPING = [o.id for o in formats.OUTPUTS if o.keeps]
word = (
    st.text(
        st.characters(exclude_categories=["Cs", "Cc", "Co", "Cn"], exclude_characters="\u2028\u2029\ufffe\uffff"),
        min_size=1,
        max_size=12,
    )
    .map(lambda s: " ".join(s.split()))
    .filter(bool)
)


@st.composite
def tables(draw: Any) -> Table:
    n = draw(st.integers(1, 8))
    columns, arrays = [], []
    kinds = draw(st.lists(st.sampled_from(list(Kind)), min_size=1, max_size=5))
    for i, kind in enumerate(kinds):
        empty = draw(st.lists(st.booleans(), min_size=n, max_size=n))
        levels: tuple[Level, ...] = ()
        if kind in (Kind.category, Kind.ordered, Kind.yes_no):
            words = draw(st.lists(word, min_size=2, max_size=2 if kind is Kind.yes_no else 4, unique=True))
            levels = tuple(Level(value=f"{j + 1}", label=w if w != f"{j + 1}" else None) for j, w in enumerate(words))
            codes = draw(st.lists(st.integers(0, len(levels) - 1), min_size=n, max_size=n))
            array: Any = pa.DictionaryArray.from_arrays(
                pa.array(codes, pa.int32(), mask=np.array(empty)), pa.array([lv.value for lv in levels])
            )
        elif kind is Kind.measure:
            values = draw(
                st.lists(st.floats(-1e12, 1e12, allow_nan=False).map(lambda x: round(x, 3)), min_size=n, max_size=n)
            )
            array = pa.array(values, pa.float64(), mask=np.array(empty))
        elif kind is Kind.count:
            array = pa.array(
                draw(st.lists(st.integers(-(2**50), 2**50), min_size=n, max_size=n)), pa.int64(), mask=np.array(empty)
            )
        elif kind is Kind.date:
            days = draw(
                st.lists(
                    st.datetimes(datetime(1901, 1, 1), datetime(2100, 1, 1)).map(lambda d: d.replace(microsecond=0)),
                    min_size=n,
                    max_size=n,
                )
            )
            array = pa.array(days, pa.timestamp("us"), mask=np.array(empty))
        else:
            array = pa.array(draw(st.lists(word, min_size=n, max_size=n)), pa.large_string(), mask=np.array(empty))
        codes_for_empty = tuple(draw(st.lists(st.sampled_from(["-9", "99", "refused"]), unique=True, max_size=2)))
        columns.append(
            Column(
                name=f"{draw(word.filter(lambda w: '`' not in w))} {i}",
                kind=kind,
                label=draw(st.one_of(st.none(), word)),
                unit=draw(st.sampled_from([None, "min", "m²"])),
                note=draw(st.one_of(st.none(), word)),
                levels=levels,
                empty_codes=codes_for_empty,
                empty_meanings=dict.fromkeys(codes_for_empty[:1], "no answer"),
                decimals=3 if kind is Kind.measure else 0,
            )
        )
        arrays.append(array)
    return make_table(columns, arrays)


def back(table: Table, format: str, folder: Path) -> Table:
    out = formats.output(format)
    path = folder / f"t{out.suffix}"
    out.write(table, path, "A table")
    head = path.read_bytes()[:4096]
    found = formats.find_format(head, path.name)
    return formats.read(path, ReadOptions(format=found))[0]


def test_apostrophes_before_what_a_spreadsheet_would_run_come_back(tmp_path: Path) -> None:
    said = ["=1", "'=1", "''=1", "+a", "'+a", "+5", "'+5", "'word", "-"]
    table = table_from(**{"'=x": said, "=y": list(range(len(said)))})
    got = back(table, "package", tmp_path)
    assert got.names == table.names and got.texts("'=x") == said


@pytest.mark.parametrize("format", KEEPING)
@settings(
    deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(table=tables())
def test_round_trip_keeps_cells_kinds_labels_levels_and_codes(format: str, table: Table, tmp_path: Path) -> None:
    got = back(table, format, tmp_path)
    for column in table.columns:
        assert got.has(column.name), (column.name, got.names)
        if table.array(column.name).null_count == table.n_rows and format in ("xlsx", "ods"):
            continue  # trailing columns of nothing have no cells in a sheet
        read = got.column(column.name)
        assert read == column, format
        assert (
            got.array(column.name).to_pylist()[: table.n_rows] == table.array(column.name).to_pylist()[: got.n_rows]
        )
    assert got.n_rows == table.n_rows or format in ("xlsx", "ods")


@pytest.mark.parametrize("format", ["csv", "tsv", "json"])
def test_plain_formats_keep_the_cells(format: str, tmp_path: Path) -> None:
    columns = [
        Column(name="x", kind=Kind.measure, decimals=2),
        Column(name="when", kind=Kind.date),
        Column(name="name", kind=Kind.text),
    ]
    arrays = [
        pa.array([1.25, None, -3.5]),
        pa.array([datetime(1850, 2, 3), datetime(2020, 1, 1, 12, 30), None], pa.timestamp("us")),
        pa.array(['a "b", c', "line\nbreak", None], pa.large_string()),
    ]
    table = make_table(columns, arrays)
    path = tmp_path / f"t.{format}"
    formats.output(format).write(table, path, "t")
    got, _ = formats.open_file(path, path.name)
    assert got.texts("x") == ["1.25", None, "−3.50"]
    assert [None if t is None else t[:10] for t in got.texts("when")] == ["1850-02-03", "2020-01-01", None]
    assert got.texts("name")[0] == 'a "b", c'


RISKY = ["=1+1", "+cmd|' /C calc'!A0", "@SUM(A1)", "-2+3", "\t=1", "-5", "+49", "-", "ok"]


def test_cells_that_a_spreadsheet_would_run_are_written_out(tmp_path: Path) -> None:
    table = make_table([Column(name="=x", kind=Kind.text)], [pa.array(RISKY, pa.large_string())])
    out = io.BytesIO()
    csv_out.write_to(table, out)
    lines = out.getvalue().decode().splitlines()
    assert lines[0] == '"\'=x"'
    assert all(line.strip('"')[0] in "'-+o" for line in lines[1:])
    assert (
        "'=1+1" in lines[1]
        and "'@SUM(A1)" in lines[3]
        and lines[6].strip('"') == "-5"
        and lines[7].strip('"') == "+49"
    )
    assert back(table, "package", tmp_path).texts("=x") == RISKY
    path = tmp_path / "t.xlsx"
    xlsx.write(table, path)
    page = openpyxl.load_workbook(path)["Data"]
    assert [page.cell(i + 2, 1).data_type for i in range(len(RISKY))] == ["s"] * len(RISKY)
    assert page.cell(2, 1).value == "=1+1"


def workbook(rows: list[list[Any]], merge: str = "", **sheets: list[list[Any]]) -> bytes:
    book = openpyxl.Workbook()
    page = book.active
    assert page is not None
    page.title = "First"
    for row in rows:
        page.append(row)
    for block in merge.split():
        page.merge_cells(block)
    for name, more in sheets.items():
        other = book.create_sheet(name)
        for row in more:
            other.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read_bytes(data: bytes, name: str, folder: Path, **options: Any) -> tuple[Table, list[str]]:
    path = folder / name
    path.write_bytes(data)
    format = formats.find_format(data[:4096], name)
    table, notices = formats.read(path, ReadOptions(format=format, **options))
    return table, [n.text for n in notices]


def test_workbook_with_merged_header_dates_and_a_choice_of_sheet_and_range(tmp_path: Path) -> None:
    rows = [
        [None],
        ["branch", "2023", None, "2024", None],
        [None, "loans", "visits", "loans", "visits"],
        ["Corrin", 10, 5.5, 12, 6.5],
        ["Hollin", 20, 7.5, 22, None],
        [None],
        [None],
    ]
    data = workbook(rows, "B2:C2 D2:E2 A2:A3", Other=[["day", "n"], [datetime(2024, 5, 1), 3], ["total", None, "x"]])
    table, notices = read_bytes(data, "t.xlsx", tmp_path)
    assert table.names == ["branch", "2023 loans", "2023 visits", "2024 loans", "2024 visits"] and table.n_rows == 2
    assert "two rows with merged cells" in notices[0]
    other, _ = read_bytes(data, "t.xlsx", tmp_path, sheet="Other", cells="A1:B2")
    assert other.column("day").kind is Kind.date and other.texts("day") == ["2024-05-01"]
    assert formats.preview_file(tmp_path / "t.xlsx", "xlsx").sheets == ["First", "Other"]
    with pytest.raises(DataProblem, match="no sheet 'Nope'"):
        read_bytes(data, "t.xlsx", tmp_path, sheet="Nope")
    with pytest.raises(DataProblem, match="is no block of cells"):
        read_bytes(data, "t.xlsx", tmp_path, cells="A-B")


def test_numbers_kept_as_text_and_text_among_numbers(tmp_path: Path) -> None:
    rows = [["a", "b", "id"], *[[str(i), i, f"0{i}"] for i in range(30)], ["31", "lost", "031"]]
    table, notices = read_bytes(workbook(rows), "t.xlsx", tmp_path)
    assert table.column("a").kind is Kind.count and table.column("id").kind is Kind.identifier
    assert any("b: 1 cell is text among numbers ('lost')" in n for n in notices)


def test_formulas_give_their_values_and_are_not_run(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    page = book.active
    assert page is not None
    page.append(["x", "y"])
    page.append([1, "=A2*2"])
    out = io.BytesIO()
    book.save(out)
    table, _ = read_bytes(out.getvalue(), "t.xlsx", tmp_path)
    assert table.texts("y") == [None]  # no program has computed it yet, so there is no value


def test_ods_from_elsewhere_with_repeats_and_spaces(tmp_path: Path) -> None:
    body = (
        '<table:table table:name="One"><table:table-row><table:table-cell office:value-type="string" table:number-columns-spanned="2"><text:p>pair</text:p></table:table-cell>'
        '<table:covered-table-cell/><table:table-cell table:number-columns-repeated="16000"/></table:table-row>'
        '<table:table-row><table:table-cell office:value-type="string"><text:p>a<text:s text:c="2"/>b</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>n</text:p></table:table-cell></table:table-row>'
        '<table:table-row table:number-rows-repeated="3"><table:table-cell office:value-type="float" office:value="1.5"><text:p>1,5</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="2"/></table:table-row>'
        '<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table>'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "content.xml", ods.HEADER + body + "</office:spreadsheet></office:body></office:document-content>"
        )
    table, _ = read_bytes(out.getvalue(), "t.ods", tmp_path)
    assert table.names == ["pair a b", "pair n"] and table.texts("pair a b") == ["1.5"] * 3


@pytest.mark.parametrize(
    ("text", "names", "first"),
    [
        ('[{"a": 1, "b": {"c": "x"}}, {"a": 2.5}]', ["a", "b.c"], ["1.0", "x"]),
        ('{"a": 1, "b": null}\n{"a": 2, "b": [1, 2]}\n', ["a", "b"], ["1", None]),
        ('{"rows": [{"a": true}, {"a": false}]}', ["a"], ["true"]),
        ('{"a": [1, 2], "b": ["x", "y"]}', ["a", "b"], ["1", "x"]),
        ('[["a", "b"], [1, "x"]]', ["a", "b"], ["1", "x"]),
    ],
)
def test_json_shapes(text: str, names: list[str], first: list[str | None], tmp_path: Path) -> None:
    table, _ = read_bytes(text.encode(), "t.json", tmp_path)
    assert table.names == names
    assert [table.texts(n)[0] for n in names] == first


@pytest.mark.parametrize(
    "text", ["", "{", "[1, 2]", "3", '[{"a": 1},, ]', '{"a": 1}\nnope', "[" * 100_000, '{"a": NaN}']
)
def test_json_that_is_no_table(text: str, tmp_path: Path) -> None:
    if text == '{"a": NaN}':
        table, _ = read_bytes(text.encode(), "t.json", tmp_path)
        assert table.texts("a") == [None]
        return
    with pytest.raises(DataProblem):
        read_bytes(text.encode(), "t.json", tmp_path)


def test_parquet_of_many_types(tmp_path: Path) -> None:
    from decimal import Decimal

    arrow = pa.table(
        {
            "d": pa.array([Decimal("1.50"), None]), "b": pa.array([b"x", b"\xff"]), "s": pa.array([{"k": 1}, None]), "l": pa.array([[1], []]), "u": pa.array([1, 2**63], pa.uint64()),
            "t": pa.array([datetime(2020, 1, 1), None], pa.timestamp("ns", tz="UTC")), "h": np.array([1, 2], np.float16), "c": pa.array(["x", "y"]).dictionary_encode(), "n": pa.nulls(2), "i8": pa.array([1, 2], pa.int8()),
        }
    )  # fmt: skip
    pq.write_table(arrow, tmp_path / "t.parquet")
    table, _ = formats.open_file(tmp_path / "t.parquet", "t.parquet")
    assert (
        table.texts("d") == ["1.5", None]
        and table.texts("s")[0] == '{"k": 1}'
        and table.texts("t") == ["2020-01-01", None]
    )


def test_a_package_of_another_maker(tmp_path: Path) -> None:
    fields = [
        {"name": "town", "type": "string", "title": "Which town?", "constraints": {"enum": ["Hollin", "Corrin"]}},
        {"name": "n", "type": "integer", "description": "visits"},
        {"name": "day", "type": "date"},
    ]
    found = {
        "name": "x",
        "resources": [
            {
                "name": "r",
                "path": "r.csv",
                "dialect": {"delimiter": ";"},
                "schema": {"fields": fields, "missingValues": ["", "-"]},
            },
            {"name": "far", "path": "https://example.org/x.csv"},
            {"name": "up", "path": "../x.csv"},
        ],
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("datapackage.json", json.dumps(found))
        archive.writestr("r.csv", "town;n;day\nCorrin;3;2024-01-02\nHollin;-;2024-01-03\n")
    table, _ = read_bytes(out.getvalue(), "t.zip", tmp_path)
    assert table.column("town").label == "Which town?" and table.codes("town").levels == ("Hollin", "Corrin")
    assert (
        table.column("n").kind is Kind.count
        and table.texts("n") == ["3", None]
        and table.column("day").kind is Kind.date
    )
    assert formats.preview_file(tmp_path / "t.zip", "package").sheets == ["r"]


def sample(format: str, folder: Path) -> bytes:
    columns = [
        Column(name="x", kind=Kind.measure),
        Column(name="g", kind=Kind.category, levels=(Level(value="a"), Level(value="b"))),
    ]
    arrays = [
        pa.array(np.arange(300) * 1.5),
        pa.DictionaryArray.from_arrays(pa.array([i % 2 for i in range(300)], pa.int32()), pa.array(["a", "b"])),
    ]
    path = folder / "s"
    formats.output(format).write(make_table(columns, arrays), path, "s")
    return path.read_bytes()


@pytest.mark.parametrize("format", ["xlsx", "ods", "json", "parquet", "arrow", "package"])
def test_damaged_and_cut_files_are_said_to_be(format: str, tmp_path: Path) -> None:
    """Bytes cut off and bytes changed at random: a table or a sentence, never anything else."""
    data, suffix = sample(format, tmp_path), formats.output(format).suffix
    rng = random.Random(7)
    for trial in range(60):
        if trial % 2:
            broken = data[: rng.randrange(len(data))]
        else:
            changed = bytearray(data)
            for _ in range(rng.randrange(1, 6)):
                changed[rng.randrange(len(changed))] = rng.randrange(256)
            broken = bytes(changed)
        try:
            table, _ = read_bytes(broken, f"t{suffix}", tmp_path)
            assert table.columns
        except DataProblem as problem:
            assert problem.message.endswith((".", "'."))


@settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.binary(max_size=300), name=st.sampled_from([f"t{s}" for s in formats.SUFFIXES]))
@example(data=b"PK\x03\x04", name="t.xlsx")
@example(data=b"PAR1PAR1", name="t.parquet")
@example(data=b"ARROW1\x00\x00ARROW1", name="t.arrow")
@example(data=b'{"":{"":1}}', name="t.json")
def test_whatever_the_bytes_a_reader_answers_in_a_sentence(data: bytes, name: str, tmp_path: Path) -> None:
    path = tmp_path / "f"
    path.write_bytes(data)
    try:
        formats.open_file(path, name)
    except DataProblem as problem:
        assert problem.message


def test_swollen_and_locked_archives_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.xlsx"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * (100 << 20))
    with pytest.raises(DataProblem, match="would unpack to"):
        formats.open_file(path, path.name)


@pytest.mark.parametrize("where", ["central", "local"])
def test_names_in_an_archive_that_are_no_text(where: str, tmp_path: Path) -> None:
    """Found by fuzzing: a member's name is said to be UTF-8 and is not."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("datapackage.json", json.dumps({"resources": [{"name": "r", "path": "é.csv"}]}))
        archive.writestr("é.csv", "a\n1\n")
    data = bytearray(out.getvalue())
    name = "é.csv".encode()
    place = data.find(name, data.find(b"PK\x01\x02") if where == "central" else data.find(b'"}]}') + 4)
    data[place] = 0x88
    with pytest.raises(DataProblem):
        read_bytes(bytes(data), "t.zip", tmp_path)


def test_xml_that_swells_from_within_is_refused(tmp_path: Path) -> None:
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]>'
    body = (
        ods.HEADER.replace("?>", "?>" + bomb, 1)
        + '<table:table table:name="A"><table:table-row><table:table-cell office:value-type="string"><text:p>&b;</text:p></table:table-cell></table:table-row></table:table></office:spreadsheet></office:body></office:document-content>'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", body)
    try:
        table, _ = read_bytes(out.getvalue(), "t.ods", tmp_path)
        assert all("aaaaaaaaaa" not in n for n in table.names)
    except DataProblem as problem:
        assert problem.message


def test_a_sheet_with_a_cell_at_its_very_end_is_read(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    page = book.active
    assert page is not None
    page["A1"], page["A2"], page["A200000"] = "x", 1, 2
    out = io.BytesIO()
    book.save(out)
    table, _ = read_bytes(out.getvalue(), "t.xlsx", tmp_path)
    assert table.n_rows == 199_999 and table.texts("x")[-1] == "2"


@pytest.mark.parametrize(
    ("head", "name", "words"),
    [
        (b"\xd0\xcf\x11\xe0abc", "old.xls", "old closed format"),
        (b"%PDF-1.7", "x.pdf", "This is a PDF"),
        (b"hello", "x.xlsx", "its content is not"),
        (b"a,b\n1,2", "x.parquet", "its content is not"),
    ],
)
def test_what_is_not_read_is_said_with_what_to_do(head: bytes, name: str, words: str) -> None:
    with pytest.raises(DataProblem, match=words):
        formats.find_format(head, name)


def test_a_file_that_memory_cannot_hold_is_refused_beforehand(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_bytes(b"a,b\n" + b"1,2\n" * 1000)
    demand_room(path, "text")
    with pytest.raises(DataProblem, match=r"takes about .* of memory"):
        demand_room(path, "text", free=5000)


def test_long_cells_and_right_to_left_words_survive(tmp_path: Path) -> None:
    texts = ["x" * 10_000, "שלום e\u0301", "  spaced  out "]
    table = make_table([Column(name="שם", kind=Kind.text)], [pa.array(texts, pa.large_string())])
    for format in KEEPING:
        got = back(table, format, tmp_path).texts("שם")
        assert [t.strip() if t else t for t in got] == [t.strip() for t in texts], format


def test_a_csv_of_times_zones_and_old_dates(tmp_path: Path) -> None:
    table, _ = read_bytes(b"d\n1799-05-01\n1850-12-31\n2020-02-29\n", "t.csv", tmp_path)
    assert table.texts("d") == ["1799-05-01", "1850-12-31", "2020-02-29"]
