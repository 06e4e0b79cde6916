"""Steps and expressions: what they do, what they say, and that a mistake is placed."""

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import read
from yavik.core.steps import apply_path, new_step, step_kinds
from yavik.core.steps.expressions import Parsed, evaluate, rows_where
from yavik.core.table import DataProblem, Kind, Table

DATA = b"""visitor,room,seat,lux,pages,consent,my x,day
V1,A,1,300,-9,yes,1,2025-01-03
V2,B,2,600,4,no,2,2025-01-02
V3,A,3,700,6,yes,,2025-01-01
V4,B,1,800,99,yes,4,2025-01-05
"""


@pytest.fixture
def table() -> Table:
    return read(DATA)[0]


def after(table: Table, *steps: dict[str, object]) -> Table:
    found = apply_path(table, [new_step(s) for s in steps])
    assert [e.problem for e in found.effects] == [None] * len(steps)
    return found.table


def values(table: Table, text: str) -> list[object]:
    v = evaluate(text, table)
    data, empty = np.broadcast_to(v.data, table.n_rows), np.broadcast_to(v.empty, table.n_rows)
    return [None if e else (v.levels[d] if v.sort == "text" else d.item()) for d, e in zip(data, empty, strict=True)]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("lux / 100", [3.0, 6.0, 7.0, 8.0]),
        ("lux ** 2 - -1", [90001.0, 360001.0, 490001.0, 640001.0]),
        ("`my x` + 1", [2.0, 3.0, None, 5.0]),
        ("1 / (`my x` - 1)", [None, 1.0, None, pytest.approx(1 / 3)]),
        ("log(pages)", [None, pytest.approx(np.log(4)), pytest.approx(np.log(6)), pytest.approx(np.log(99))]),
        ('"bright" if lux > 650 else "dim"', ["dim", "dim", "bright", "bright"]),
        ('room == "A"', [True, False, True, False]),
        ('room != "A" and not empty(`my x`)', [False, True, False, True]),
        ('room in ("A", "C")', [True, False, True, False]),
        ("seat not in (1, 2)", [False, False, True, False]),
        ("300 < lux <= 700", [False, True, True, False]),
        ("empty(`my x`)", [False, False, True, False]),
        ("rank(lux)", [1.0, 2.0, 3.0, 4.0]),
        ("lux - mean(lux)", [-300.0, 0.0, 100.0, 200.0]),
        ("lag(lux, 1, by=room)", [None, None, 300.0, 600.0]),
        ("lag(lux, 1, order=day)", [600.0, 700.0, None, 300.0]),
        ("largest(lux, 650)", [650.0, 650.0, 700.0, 800.0]),
        ("round(lux / 7)", [43.0, 86.0, 100.0, 114.0]),
        ("row * count", [4.0, 8.0, 12.0, 16.0]),
        ('consent == "yes" or `my x` > 1', [True, True, True, True]),
        ("`my x` > 0 and lux > 0", [True, True, None, True]),
        ("`my x` > 0 or lux > 0", [True, True, True, True]),
    ],
)
def test_expressions(table: Table, text: str, wanted: list[object]) -> None:
    assert values(table, text) == wanted


@pytest.mark.parametrize(
    ("text", "position", "words"),
    [
        ("lux + minuts", 6, "no column 'minuts'"),
        ("luks", 0, "nearest name is 'lux'"),
        ("lgo(lux)", 0, "nearest name is 'log'"),
        ("lux + room", 6, "this is a text"),
        ("lux +", None, "cannot be read"),
        ("room.upper()", 0, "Only the listed functions"),
        ("room.x", 0, "not something an expression can do"),
        ("[x for x in lux]", 0, "not something an expression can do"),
        ("lambda: 1", 0, "not something an expression can do"),
        ("__import__('os')", 0, "no function '__import__'"),
        ("open('/etc/passwd')", 0, "no function 'open'"),
        ("log(lux, 2)", 0, "Write it as log(x)"),
        ("lux > 'a'", 6, "cannot be compared"),
        ("1 if lux else 2", 5, "comes a condition"),
        ("'a' if lux > 1 else 2", 20, "both must be alike"),
        ("", 0, "is empty"),
        ("lux if", None, "cannot be read"),
        ("lux & 1", 0, "Use 'and', 'or'"),
        ("(" * 500 + "1" + ")" * 500, None, "cannot be read"),
    ],
)
def test_a_mistake_is_placed(table: Table, text: str, position: int | None, words: str) -> None:
    with pytest.raises(DataProblem, match=words.replace("(", "\\(").replace(")", "\\)")) as problem:
        evaluate(text, table)
    assert problem.value.position is not None
    if position is not None:
        assert problem.value.position == position


def test_a_condition_must_be_one(table: Table) -> None:
    with pytest.raises(DataProblem, match="gives a value, not yes or no"):
        rows_where("lux + 1", table)


def test_columns_an_expression_reads() -> None:
    assert Parsed("log(`my x`) + lux if room == 'A' else row").columns == {"my x", "lux", "room"}


@settings(deadline=None)
@given(st.text(max_size=40))
def test_no_text_does_anything_but_compute_or_be_refused(text: str) -> None:
    table = read(DATA)[0]
    try:
        evaluate(text, table)
    except DataProblem as problem:
        assert problem.message


def test_empty_codes_by_value_and_range(table: Table) -> None:
    found = after(table, {"step": "empty_codes", "columns": ["pages"], "codes": ["-9", "90..99"]})
    assert found.empty("pages").tolist() == [True, False, False, True]
    assert found.column("pages").empty_codes == ("-9", "90..99")
    assert table.empty("pages").sum() == 0  # the table before is untouched


def test_empty_codes_in_text_can_leave_numbers() -> None:
    table = read(b"x\n1\nlost\n3\n4\n5\n6\n7\n8\n9\n10\n11\n12\n13\n14\n15\n")[0]
    assert table.column("x").kind is not Kind.count
    table = after(
        table,
        {"step": "kind", "column": "x", "kind": "text"},
        {"step": "empty_codes", "columns": ["x"], "codes": ["lost"]},
    )
    assert table.column("x").kind is Kind.count
    assert np.isnan(table.numbers("x")[1])


def test_empty_codes_remove_the_level() -> None:
    table = read(b"room\nA\nB\nrefused\nA\n")[0]
    found = after(table, {"step": "empty_codes", "columns": ["room"], "codes": ["refused"]})
    assert [lv.value for lv in found.column("room").levels] == ["A", "B"]
    assert found.texts("room") == ["A", "B", None, "A"]


def test_levels_label_and_order(table: Table) -> None:
    levels = [{"value": "2", "label": "Bench"}, {"value": "1", "label": "Armchair"}]
    found = after(table, {"step": "levels", "column": "seat", "levels": levels})
    assert found.column("seat").kind is Kind.category
    assert found.codes("seat").levels == ("Bench", "Armchair", "3")
    assert found.texts("seat") == ["Armchair", "Bench", "3", "Armchair"]
    assert values(found, 'seat == "Armchair"') == [True, False, False, True]
    assert values(found, "seat == 1") == [True, False, False, True]  # by value too


def test_levels_keep_a_category_that_has_none_of_a_value(table: Table) -> None:
    found = after(
        table,
        {
            "step": "levels",
            "column": "room",
            "levels": [{"value": "B"}, {"value": "A"}, {"value": "C", "label": "Cellar"}],
        },
    )
    assert found.codes("room").levels == ("B", "A", "Cellar")
    assert found.texts("room") == ["A", "B", "A", "B"]


def test_keep_rows_and_numbers_of_rows(table: Table) -> None:
    found = after(table, {"step": "keep_rows", "where": 'consent == "yes"'})
    assert found.rows.tolist() == [1, 3, 4]


@pytest.mark.parametrize(
    ("expression", "kind"),
    [
        ("lux * 2", Kind.count),
        ("lux / 7", Kind.measure),
        ("lux > 500", Kind.yes_no),
        ('"a" if lux > 500 else "b"', Kind.category),
        ("-`my x`", Kind.count),
    ],
)
def test_compute_finds_the_kind(table: Table, expression: str, kind: Kind) -> None:
    assert after(table, {"step": "compute", "name": "new", "expression": expression}).column("new").kind is kind


def test_compute_over_a_column_keeps_its_description(table: Table) -> None:
    found = after(
        table,
        {"step": "describe_column", "column": "lux", "label": "Light", "unit": "lx"},
        {"step": "compute", "name": "lux", "expression": "lux / 3"},
    )
    assert found.column("lux").axis_title == "Light (lx)"
    assert found.names == table.names


@pytest.mark.parametrize(
    ("kind", "column"),
    [
        ("measure", "lux"),
        ("category", "lux"),
        ("text", "lux"),
        ("count", "pages"),
        ("ordered", "room"),
        ("identifier", "seat"),
        ("text", "day"),
    ],
)
def test_kinds_change(table: Table, kind: str, column: str) -> None:
    found = after(table, {"step": "kind", "column": column, "kind": kind})
    assert found.column(column).kind == kind
    assert found.n_rows == 4


def test_a_kind_the_cells_contradict_names_them(table: Table) -> None:
    found = apply_path(table, [new_step({"step": "kind", "column": "room", "kind": "measure"})])
    assert found.effects[0].problem is not None
    assert "4 cells are not numbers ('A', 'B'; rows 1, 2, 3 and 4)" in found.effects[0].problem
    assert found.table.column("room").kind is Kind.category  # the step did nothing, the path goes on


def test_a_step_whose_column_is_gone_says_so_and_the_rest_goes_on(table: Table) -> None:
    found = apply_path(
        table,
        [
            new_step({"step": "keep_rows", "where": "age > 3"}),
            new_step({"step": "compute", "name": "k", "expression": "lux + 1"}),
        ],
    )
    assert "no column 'age'" in str(found.effects[0].problem)
    assert found.effects[0].position == 0
    assert found.table.has("k")


def test_switched_off(table: Table) -> None:
    found = apply_path(table, [new_step({"step": "keep_rows", "where": "lux > 500", "on": False})])
    assert found.table.n_rows == 4
    assert found.effects[0].said == "switched off"


def test_replayed_twice_is_equal(table: Table) -> None:
    steps = [
        new_step({"step": "compute", "name": "z", "expression": "rank(lux) / count"}),
        new_step({"step": "keep_rows", "where": "z > 0.3"}),
    ]
    one, two = apply_path(table, steps).table, apply_path(table, steps).table
    assert one.frame.equals(two.frame)


def test_every_step_has_its_words_and_schema() -> None:
    """The interface draws an editor from nothing but this: every field says how it is asked for."""
    kinds = step_kinds()
    assert len({k["step"] for k in kinds}) == len(kinds)
    for kind in kinds:
        fields = {n: f for n, f in kind["schema"]["properties"].items() if n not in ("id", "on", "step")}
        assert kind["help"].endswith(".") and kind["family"]
        assert all(f["ask"]["shown"] and f["ask"]["title"] for f in fields.values()), kind["step"]
        assert set(re.findall(r"\{(\w+)\}", kind["words"])) <= set(fields), kind["step"]
        assert all(len(f["ask"].get("words", {})) != 1 for f in fields.values())
