"""What a step says of itself, option by option: chips are read before anything else, so they must be right."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.answers import Answer
from yavik.core.files.delimited import read
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.steps import apply_path, new_step
from yavik.core.steps.base import Around, Other
from yavik.core.steps.path import STEP_CLASSES, apply_step
from yavik.core.table import Kind, Table

DATA = b"""unit,year,x,y,town,q1,q2
A,2020,1.5,10,Corrin,1,5
A,2021,2.5,12,Corrin,2,4
B,2020,,7,Hollin,5,
B,2021,4.0,9,,4,2
C,2020,8.0,30,Hollin,3,3
"""
TABLE = read(DATA)[0]


def asked(table: Table, method: str, spec: dict[str, Any]) -> Answer:
    return answer(method, table, spec)


AROUND = Around({"o": Other("Rents", read(b"town,rent\nCorrin,5\nGarrow,6\n")[0])}, new_columns, asked)

CASES: list[tuple[dict[str, Any], str, str]] = [
    ({"step": "keep_rows", "where": "y > 9"}, "Keep `y > 9`", "5 → 3 rows"),
    ({"step": "leave_out_rows", "where": "y > 9"}, "Leave out `y > 9`", "5 → 2 rows"),
    ({"step": "keep_rows", "where": "y > 29"}, "Keep `y > 29`", "5 → 1 row"),
    ({"step": "check_rows", "rule": "y < 20"}, "Check `y < 20`", "1 row breaks it"),
    ({"step": "check_rows", "rule": "y < 8", "name": "small"}, "Check small", "4 rows break it"),
    ({"step": "check_rows", "rule": "x > 0"}, "Check `x > 0`", "holds in every row"),
    ({"step": "sort", "by": ["town", "y"], "descending": ["y"]}, "Sort by **town** and **y**", "town rising, y falling"),
    ({"step": "unique", "columns": ["town"]}, "Unique in **town**", "5 → 3 rows"),
    ({"step": "unique"}, "Unique rows", "no duplicates"),
    ({"step": "sample", "rows": 2}, "2 random rows", "5 → 2 rows"),
    ({"step": "sample", "rows": 1, "by": ["unit"]}, "1 random row of each **unit**", "5 → 3 rows"),
    ({"step": "sample", "rows": 9}, "9 random rows", "5 → 5 rows"),
    ({"step": "drop_empty"}, "Drop rows that are all empty", "5 → 5 rows"),
    ({"step": "drop_empty", "what": "both", "zeros": True}, "Drop rows and columns that are all empty or zero", "5 → 5 rows, 0 columns dropped"),
    ({"step": "compute", "name": "z", "expression": "y * 2"}, "Compute **z**", "y * 2"),
    ({"step": "compute", "name": "z", "expression": "x * 2"}, "Compute **z**", "x * 2, 1 empty"),
    ({"step": "lag", "columns": ["y"], "by": ["unit"], "order": "year"}, "**y** of the row before", "3 rows without"),
    ({"step": "lag", "columns": ["y"], "steps": 2}, "**y** of 2 rows before", "2 rows without"),
    ({"step": "lag", "columns": ["y"], "steps": -1}, "**y** of the row after", "1 row without"),
    ({"step": "difference", "columns": ["x", "y"]}, "Change of **x** and **y**", "1 row without"),
    ({"step": "cumulate", "columns": ["y"], "by": ["unit"]}, "Running sum of **y**", "3 units"),
    ({"step": "dummies", "column": "town"}, "Yes/no for **town**", "2 columns"),
    ({"step": "recode", "columns": ["town"], "rules": [{"old": "Corrin", "new": "C"}]}, "Recode **town**", "2 cells"),
    ({"step": "bin", "column": "y", "bins": 2}, "**y** in classes", "2 classes"),
    ({"step": "bin", "column": "y", "way": "cuts", "cuts": ["10"]}, "**y** in classes", "2 classes"),
    ({"step": "standardise", "columns": ["x"]}, "Standardise **x**", "mean 0, SD 1"),
    ({"step": "standardise", "columns": ["x"], "how": "range", "by": ["town"]}, "Standardise **x** within **town**", "0 to 1"),
    ({"step": "standardise", "columns": ["x", "y"], "how": "centre"}, "Standardise **x** and **y**", "mean 0"),
    ({"step": "transform", "columns": ["y"]}, "Logarithm of **y**", "logarithm"),
    ({"step": "transform", "columns": ["y"], "how": "rank"}, "Rank of **y**", "rank"),
    ({"step": "transform", "columns": ["y"], "how": "fourth_root"}, "Fourth root of **y**", "fourth root"),
    ({"step": "reverse", "columns": ["q1"]}, "Reverse **q1**", "6 − x"),
    ({"step": "reverse", "columns": ["q1"], "low": 0, "high": 10}, "Reverse **q1**", "10 − x"),
    ({"step": "score", "columns": ["q1", "q2"], "name": "s"}, "Score **s**", "mean of 2 items, 1 empty"),
    ({"step": "score", "columns": ["q1", "q2"], "name": "s", "how": "sum", "at_least": 1}, "Score **s**", "sum of 2 items"),
    ({"step": "empty_codes", "columns": ["y"], "codes": ["30"]}, "30 in **y** is empty", "1 cell"),
    ({"step": "empty_codes", "columns": ["y", "q1"], "codes": ["-9", "1..2"]}, "−9, 1..2 in **y** and **q1** are empty", "2 cells"),
    ({"step": "fill", "columns": ["x"], "how": "constant", "value": "0"}, "Fill **x** with 0", "1 cell"),
    ({"step": "fill", "columns": ["x"], "how": "interpolate"}, "Fill **x** with a straight line between neighbours", "1 cell"),
    ({"step": "kind", "column": "year", "kind": "ordered"}, "**year** is an ordered category", "was count"),
    ({"step": "kind", "column": "year", "kind": "text"}, "**year** is text", "was count"),
    ({"step": "kind", "column": "y", "kind": "measure"}, "**y** is a measure", "was count"),
    ({"step": "kind", "column": "unit", "kind": "identifier"}, "**unit** is an identifier", "was category"),
    ({"step": "levels", "column": "town", "levels": [{"value": "Hollin"}, {"value": "Corrin"}]}, "Label **town**", "2 levels"),
    ({"step": "levels", "column": "q1", "levels": [{"value": "1", "label": "no"}], "also": ["q2"]}, "Label **q1** and **q2**", "5 levels"),
    ({"step": "describe_column", "column": "x", "label": "Length", "unit": "m"}, "Describe **x**", "Length (m)"),
    ({"step": "describe_columns", "descriptions": [{"column": "x", "label": "Length"}, {"column": "y", "label": "Pages"}]}, "Describe 2 columns", "Length …"),
    ({"step": "panel", "unit": "unit", "time": "year"}, "**unit** over **year**", "3 units × 2 times, not balanced"),
    ({"step": "rename", "names": [{"old": "x", "new": "length"}]}, "Rename **x** to **length**", "1 name"),
    ({"step": "rename", "names": [{"old": "x", "new": "a"}, {"old": "y", "new": "b"}]}, "Rename 2 columns", "2 names"),
    ({"step": "keep_columns", "columns": ["x", "y"]}, "Keep **x** and **y**", "7 → 2 columns"),
    ({"step": "drop_columns", "columns": ["x", "y", "q1", "q2"]}, "Drop **x**, **y**, **q1** and 1 more", "7 → 3 columns"),
    ({"step": "edit_cells", "edits": [{"row": 1, "column": "y", "old": "10", "new": "11"}]}, "**y**, row 1: 10 → 11", "1 cell"),
    ({"step": "edit_cells", "edits": [{"row": 1, "column": "y", "old": "10", "new": "11", "reason": "typed twice"}, {"row": 2, "column": "y", "old": "12"}]}, "Edit 2 cells", "typed twice"),
    ({"step": "lengthen", "columns": ["q1", "q2"], "values_to": "answer", "names_to": "item"}, "Lengthen into **answer** by **item**", "5 → 10 rows"),
    ({"step": "widen", "values": ["y"], "names": "year", "rows": ["unit"]}, "Widen **y** by **year**", "5 → 3 rows"),
    ({"step": "summarise", "columns": ["y"], "by": ["unit"]}, "Summarise for each **unit**", "5 → 3 rows"),
    ({"step": "summarise", "columns": ["y"]}, "Summarise the whole table", "5 → 1 row"),
    ({"step": "append", "table": "o"}, "Append rows", "5 + 2 = 7 rows"),
    ({"step": "join", "table": "o", "keys": [{"mine": "town", "theirs": "town"}]}, "Join on **town**", "5 → 5 rows, 1 column added"),
    ({"step": "join", "table": "o", "keys": [{"mine": "town", "theirs": "town"}], "how": "inner"}, "Join on **town**", "5 → 2 rows, 1 column added"),
    ({"step": "join", "table": "o", "keys": [{"mine": "town", "theirs": "town"}], "how": "outer"}, "Join on **town**", "5 → 6 rows, 1 column added"),
    ({"step": "design", "weight": "y"}, "Survey design: **y**", "adds up to 68"),
    ({"step": "from_answer", "method": "compare_groups", "spec": {"response": "y", "groups": "unit"}}, "From an answer", "2 columns"),
    ({"step": "table_of_answer", "method": "compare_groups", "spec": {"response": "y", "groups": "unit"}, "block": "groups"}, "From an answer: the table groups", "3 rows, 6 columns"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "title", "said"), CASES, ids=[f"{c[0]['step']}-{i}" for i, c in enumerate(CASES)])
def test_chip(step: dict[str, Any], title: str, said: str) -> None:
    _, effect = apply_step(TABLE, new_step(step), AROUND)
    assert effect.problem is None
    assert (effect.title, effect.said) == (title, said)


def test_every_step_is_read_aloud_here() -> None:
    spoken = {c[0]["step"] for c in CASES}
    assert {c.model_fields["step"].default for c in STEP_CLASSES} - spoken == {
        "transpose",
        "join_waves",
    }  # in test_prepare


def test_a_step_that_is_off_says_so_and_does_nothing() -> None:
    for step, title, _ in CASES:
        after, effect = apply_step(TABLE, new_step({**step, "on": False}), AROUND)
        assert after is TABLE and effect.title == title and effect.said == "switched off"


SIMPLE = [
    c[0]
    for c in CASES
    if c[0]["step"]
    not in (
        "summarise",
        "lengthen",
        "widen",
        "keep_columns",
        "drop_columns",
        "rename",
        "from_answer",
        "table_of_answer",
    )
]


@settings(deadline=None, max_examples=120)
@given(st.lists(st.sampled_from(SIMPLE), max_size=6))
def test_any_path_replays_to_the_same_table_and_leaves_the_source_alone(path: list[dict[str, Any]]) -> None:
    before = TABLE.frame.copy()
    steps = [new_step(s) for s in path]
    first, again = apply_path(TABLE, steps, AROUND), apply_path(TABLE, steps, AROUND)
    assert first.table.frame.equals(again.table.frame) and first.table.columns == again.table.columns
    assert [e.model_dump() for e in first.effects] == [e.model_dump() for e in again.effects]
    assert TABLE.frame.equals(before)
    whole(first.table)


def whole(table: Table) -> None:
    """A table is sound: arrays as long as its rows, levels that the codes stay within, no NaN in place of empty."""
    assert len({c.name for c in table.columns}) == len(table.columns)
    for c, a in zip(table.columns, table.arrays, strict=True):
        assert len(a) == table.n_rows
        if c.kind in (Kind.category, Kind.ordered, Kind.yes_no):
            assert a.dictionary.to_pylist() == [lv.value for lv in c.levels]
            assert all(v is None or 0 <= v < len(c.levels) for v in a.indices.to_pylist())
        if c.kind is Kind.measure:
            assert all(v is None or v == v for v in a.to_pylist())


def test_steps_with_a_mistake_pass_the_table_on_and_the_rest_goes_on() -> None:
    steps = [new_step(s) for s in ({"step": "sort", "by": ["nothing"]}, {"step": "keep_rows", "where": "y > 9"})]
    found = apply_path(TABLE, steps)
    assert (
        found.effects[0].problem
        and found.effects[0].said == "cannot be done"
        and found.effects[0].column == "nothing"
    )
    assert found.table.n_rows == 3
