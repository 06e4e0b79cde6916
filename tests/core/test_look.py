"""Looking at tables: finding, ordering, grouping, summaries; against pandas where it has the same."""

from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import read
from yavik.core.steps.grouping import grouping, nearly_same, order_of, shared_codes, spread
from yavik.core.steps.likeness import likely_matches
from yavik.core.table import Column, DataProblem, Kind, Level, Table
from yavik.core.table.summary import by_group, groupable, patterns
from yavik.core.table.table import make_table
from yavik.core.table.view import containing, matches, outliers, row_of, seek

TEXT = "name,room,lux,day,note\nV1,Alcove,300,2025-01-03,quiet\nV2,Gallery,310,2025-01-02,\nV3,Alcove,,2025-01-01,Quiet again\nV4,Gallery,290,2025-01-05,x\nV5,Alcove,5000,2025-01-06,y\nV6,Alcove,305,,z\n"


@pytest.fixture
def table() -> Table:
    return read(TEXT.encode())[0]


@pytest.mark.parametrize(
    ("column", "text", "rows"),
    [
        ("room", "alc", [0, 2, 4, 5]),
        ("lux", "300", [0]),
        ("lux", "300.0", [0]),
        ("lux", "30", []),
        ("lux", "lots", []),
        ("note", "quiet", [0, 2]),
        ("day", "2025-01-0", [0, 1, 2, 3, 4]),
        ("name", "v3", [2]),
        ("note", ".", []),
    ],
)
def test_cells_with_a_text(table: Table, column: str, text: str, rows: list[int]) -> None:
    assert np.flatnonzero(matches(table, column, text)).tolist() == rows


def test_rows_with_a_text_in_any_column(table: Table) -> None:
    assert containing(table, "quiet").tolist() == [0, 2]
    assert containing(table, "5000").tolist() == [4]
    assert containing(table, "nowhere").tolist() == []


def test_outliers_are_beyond_the_fences(table: Table) -> None:
    assert np.flatnonzero(outliers(table, "lux")).tolist() == [4]
    assert not outliers(table, "room").any()
    assert not outliers(table.slice(0, 2), "lux").any()


def test_seeking_goes_round_and_back_and_follows_what_is_shown(table: Table) -> None:
    cell, count = seek(table, None, "empty", table.names, -1)
    assert cell is not None and (cell.number, cell.column, count) == (2, "note", 3)
    after, _ = seek(table, None, "empty", table.names, cell.row)
    assert after is not None and (after.number, after.column) == (3, "lux")
    last, _ = seek(table, None, "empty", table.names, 5)
    assert last is not None and last.number == 2
    back, _ = seek(table, None, "empty", table.names, 1, back=True)
    assert back is not None and back.number == 6
    shown = np.array([5, 4, 2])
    first, _ = seek(table, shown, "empty", ["day", "lux"], -1)
    assert first is not None and (first.row, first.number, first.column) == (0, 6, "day")
    assert seek(table, np.array([0]), "empty", ["lux"], -1) == (None, 0)
    assert seek(table, None, "text", [], -1, "x") == (None, 0)
    assert row_of(table, shown, 3) == 2 and row_of(table, shown, 1) is None and row_of(table, None, 6) == 5


keys = st.lists(
    st.tuples(st.one_of(st.none(), st.sampled_from("abc")), st.one_of(st.none(), st.integers(-3, 3))),
    min_size=1,
    max_size=40,
)


def keyed(rows: list[tuple[str | None, int | None]]) -> tuple[Table, pd.DataFrame]:
    words = [r[0] for r in rows]
    codes = pa.array([None if w is None else "abc".index(w) for w in words], pa.int32())
    columns = [
        Column(name="g", kind=Kind.category, levels=tuple(Level(value=w) for w in "abc")),
        Column(name="n", kind=Kind.count),
    ]
    table = make_table(
        columns,
        [pa.DictionaryArray.from_arrays(codes, pa.array(list("abc"))), pa.array([r[1] for r in rows], pa.int64())],
    )
    frame = pd.DataFrame({"g": pd.Categorical(words, list("abc")), "n": pd.array([r[1] for r in rows], "Int64")})
    return table, frame


@settings(deadline=None)
@given(keys)
def test_groups_are_those_of_pandas(rows: list[tuple[str | None, int | None]]) -> None:
    table, frame = keyed(rows)
    found = grouping(table, ["g", "n"])
    wanted = frame.groupby(["g", "n"], dropna=False, observed=True, sort=True).ngroup()
    pairs = {(a, b) for a, b in zip(found.codes.tolist(), wanted.tolist(), strict=True)}
    assert len(pairs) == found.count == len({a for a, _ in pairs}) == len({b for _, b in pairs})
    assert found.codes[found.first].tolist() == list(range(found.count))
    assert all(found.first[c] <= i for i, c in enumerate(found.codes.tolist()))
    places, starts = spread(found.codes, found.count)
    assert sorted(places.tolist()) == list(range(len(rows)))
    assert np.diff(starts).tolist() == np.bincount(found.codes, minlength=found.count).tolist()


@settings(deadline=None)
@given(keys, st.booleans())
def test_the_order_is_that_of_pandas(rows: list[tuple[str | None, int | None]], falling: bool) -> None:
    table, frame = keyed(rows)
    order = order_of(table, ["g", "n"], ["n"] if falling else [])
    wanted = frame.sort_values(["g", "n"], ascending=[True, not falling], kind="stable", na_position="last")
    assert order.tolist() == wanted.index.tolist()


@settings(deadline=None)
@given(keys, keys)
def test_shared_codes_agree_exactly_where_keys_do(
    a: list[tuple[str | None, int | None]], b: list[tuple[str | None, int | None]]
) -> None:
    left, right = shared_codes(keyed(a)[0], ["g", "n"], keyed(b)[0], ["g", "n"])
    for i, x in enumerate(a):
        for j, y in enumerate(b):
            whole = None not in x and None not in y
            assert (left[i] == right[j] and left[i] >= 0) == (whole and x == y)


def test_many_key_columns_do_not_overflow() -> None:
    rng = np.random.default_rng(1)
    columns = [Column(name=f"k{i}", kind=Kind.count) for i in range(12)]
    arrays = [pa.array(rng.integers(0, 300, 400)) for _ in columns]
    table = make_table(columns, arrays)
    found = grouping(table, table.names)
    assert found.count == len({tuple(r) for r in zip(*[a.to_pylist() for a in arrays], strict=True)})
    left, right = shared_codes(table, table.names, table, table.names)
    assert (left == right).all()


def test_keys_of_other_kinds_are_refused(table: Table) -> None:
    with pytest.raises(DataProblem, match="lux is of kind count, room of kind category"):
        shared_codes(table, ["lux"], table, ["room"])


def test_near_misses() -> None:
    assert nearly_same(["Corrin", "Hollin ", "Isbury"], ["corrin", "Hollin", "Isbury"]) == [
        ("Corrin", "corrin"),
        ("Hollin ", "Hollin"),
    ]


def test_groups_are_described_in_words(table: Table) -> None:
    lines = by_group(table, "lux", "room")
    assert [(g.group, g.n, g.empty) for g in lines] == [("Alcove", 3, 1), ("Gallery", 2, 0)]
    assert lines[1].said == "300.0 ± 14.1" and lines[1].mean == 300
    assert by_group(table, "note", "room")[1].said in ("1 filled", "x 100%")
    assert by_group(table, "room", "room")[0].said == "Alcove 100%"
    assert groupable(table)[0] == "room"


def test_patterns_count_every_row_once(table: Table) -> None:
    found = patterns(table)
    assert found.complete == 3 and found.rows == 6 and sum(p.rows for p in found.patterns) == 6
    assert {tuple(p.columns) for p in found.patterns} == {(), ("lux",), ("day",), ("note",)}
    assert found.patterns[0].columns == [] and found.patterns[0].share == "50.0%"


@settings(deadline=None)
@given(st.lists(st.lists(st.booleans(), min_size=4, max_size=4), min_size=1, max_size=60))
def test_patterns_are_those_of_pandas(holes: list[list[bool]]) -> None:
    arrays: list[Any] = [pa.array([None if h[i] else 1.0 for h in holes], pa.float64()) for i in range(4)]
    table = make_table([Column(name=f"c{i}", kind=Kind.measure) for i in range(4)], arrays)
    found = patterns(table)
    wanted = pd.DataFrame(holes).value_counts()
    got = {tuple(f"c{i}" in p.columns for i in range(4)): p.rows for p in found.patterns}
    assert got == {tuple(map(bool, k)): v for k, v in wanted.items()}  # type: ignore[arg-type]


def column(name: str, label: str | None = None) -> Column:
    return Column(name=name, kind=Kind.count, label=label)


def test_columns_are_matched_by_name_then_case_then_label() -> None:
    mine = [
        column("age"),
        column("Sex"),
        column("read", "Read a book in the last week"),
        column("trust", "How much do you trust the library?"),
        column("odd"),
    ]
    theirs = [
        column("trust_lib", "How much do you trust your library?"),
        column("last", "Read a book in the last week"),
        column("sex"),
        column("age"),
        column("new", "Something else"),
    ]
    found = {m.mine: (m.theirs, m.why) for m in likely_matches(mine, theirs)}
    assert found["age"] == ("age", "same name") and found["Sex"] == ("sex", "same name but for case")
    assert found["read"] == ("last", "same label")
    assert found["trust"][0] == "trust_lib" and found["trust"][1].startswith("labels 9")
    assert found["odd"] == (None, "in one only")


def test_each_of_the_others_is_suggested_once() -> None:
    found = likely_matches(
        [column("a", "The same words"), column("b", "The same words")], [column("c", "The same words")]
    )
    assert [m.theirs for m in found] == ["c", None]
