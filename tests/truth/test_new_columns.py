"""Laws of the columns that answers give back to their tables, for every method that gives some."""

import re
from typing import Any

import numpy as np
import pytest

from tests import hostile
from tests.hostile import CASES, Case
from yavik.core.methods.registry import get, new_columns
from yavik.core.table import DataProblem, Table

GIVING = [c for c in CASES if get(c.method).new_columns]
every = pytest.mark.parametrize("case", GIVING, ids=[c.id for c in GIVING])
ALONG = ("series", "arima", "smoothing")
"""Methods of a series: a time left out is a gap, which the others are computed around."""
Columns = dict[str, list[Any]]


def given(case: Case, table: Table, **more: Any) -> Columns:
    """By name; each cell of every row a number or a word that can be kept, or empty."""
    made = new_columns(table, case.method, {**case.asked(), **more})
    names = [column.name for column, _ in made]
    assert len(set(names)) == len(names) and all(names)
    for column, array in made:
        assert len(array) == table.n_rows, column.name
        numbers = [v for v in array.to_pylist() if isinstance(v, float)]
        assert np.isfinite(numbers).all(), column.name
    return {column.name: array.to_pylist() for column, array in made}


def alike(one: list[Any], two: list[Any]) -> bool:
    """The same words; numbers but for rounding."""
    if any(isinstance(v, float) for v in one):
        a, b = (np.array([np.nan if v is None else v for v in values], float) for values in (one, two))
        size = float(np.nanmax(np.abs(a), initial=1e-12))
        return bool(np.allclose(a, b, rtol=1e-5, atol=1e-6 * size, equal_nan=True))
    return one == two


@every
def test_a_cell_for_every_row(case: Case) -> None:
    made = given(case, case.data())
    assert made and all(any(v is not None for v in values) for values in made.values())


@every
def test_columns_follow_their_rows(case: Case) -> None:
    table = case.data()
    order = np.random.default_rng(1).permutation(table.n_rows)
    one, two = given(case, table), given(case, table.take(order))
    assert list(one) == list(two)
    differing = [n for n in one if not alike([one[n][i] for i in order], two[n])]
    assert differing == []


@every
def test_rows_that_the_question_leaves_out_have_empty_cells(case: Case) -> None:
    if case.method in ALONG:
        pytest.skip("a time left out is a gap in the series")
    table = case.data()
    name = next((n for n in table.names if table.column(n).kind in hostile.NUMERIC), None)
    if name is None:
        pytest.skip("no measure to leave rows out by")
    values = table.numbers(name)
    top = float(np.nanquantile(values, 0.9))
    kept = values <= top
    try:
        made = given(case, table, where=f"`{name}` <= {top!r}")
    except DataProblem as problem:
        pytest.skip(problem.message)
    alone = given(case, table.keep(kept))
    for column, cells in made.items():
        assert all(v is None for v, own in zip(cells, kept, strict=True) if not own), column
        assert alike([v for v, own in zip(cells, kept, strict=True) if own], alone[column]), column


@every
def test_spoilt_data_give_columns_or_a_sentence(case: Case) -> None:
    for name, table in hostile.ruined(case.data()):
        try:
            given(case, table)
        except DataProblem as problem:
            assert re.search(r"[a-z].*\.$", problem.message), (name, problem.message)
            assert not re.search(r"\bnan\b|\binf\b|\[\]", problem.message), (name, problem.message)
