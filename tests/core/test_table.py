"""Tables, kinds, profiles and what is found out about a column."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import read
from yavik.core.table import Column, DataProblem, Kind, Level, rows_in_words
from yavik.core.table.infer import coded, decimals_of, infer, natural, recast
from yavik.core.table.problem import nearest
from yavik.core.table.profile import profile
from yavik.core.table.table import cell_texts, make_table, number_text

DATA = b"""visitor,room,minutes,pages,member,day
V1,Alcove,30.5,12,yes,2026-01-05
V2,Gallery,41.25,,no,2026-01-06 14:30:00
V3,Alcove,,9,yes,
V4,,28,15,,2026-01-08
"""


@pytest.fixture
def table():  # type: ignore[no-untyped-def]
    return read(DATA)[0]


@pytest.mark.parametrize(
    ("array", "kind"),
    [
        (pa.array([1.5, 2.5]), Kind.measure),
        (pa.array([3, 4, 4]), Kind.count),
        (pa.array([0, 1, 1]), Kind.yes_no),
        (pa.array([True, False]), Kind.yes_no),
        (pa.array(["yes", "no", None]), Kind.yes_no),
        (pa.array(["a", "b", "a"]), Kind.category),
        (pa.array(["a1", "a2", "a3", "a4"]), Kind.identifier),
        (pa.array([f"word {i // 2}" for i in range(200)]), Kind.text),
        (pa.array([1, 2], pa.timestamp("s")), Kind.date),
        (pa.array([None, None]), Kind.text),
        (pa.array([], pa.float64()), Kind.measure),
    ],
)
def test_kinds_are_found_out(array: pa.Array, kind: Kind) -> None:
    column, made = infer("x", array)
    assert column.kind is kind
    assert len(made) == len(array)
    assert made.null_count == array.null_count


def test_numbers_that_name_things_are_identifiers() -> None:
    assert infer("id", pa.array([7, 8, 9]))[0].kind is Kind.identifier
    assert infer("id", pa.array([9, 7, 8]))[0].kind is Kind.identifier
    assert infer("id", pa.array([7, 7, 9]))[0].kind is Kind.count
    assert infer("visits", pa.array([7, 8, 9]))[0].kind is Kind.count


def test_levels_stand_in_natural_order() -> None:
    column, _ = infer("week", pa.array(["week 10", "week 2", "Week 1", "week 2", "week 10", "Week 1"]))
    assert [lv.value for lv in column.levels] == ["Week 1", "week 2", "week 10"]
    assert sorted(["b10", "b9", "a", "B1"], key=natural) == ["a", "B1", "b9", "b10"]


def test_yes_is_the_last_level() -> None:
    assert [lv.value for lv in infer("member", pa.array(["yes", "no", "yes"]))[0].levels] == ["no", "yes"]


@pytest.mark.parametrize(
    ("values", "places"), [([1.0, 2.0], 0), ([1.5, 2.0], 1), ([0.125], 3), ([1 / 3], 8), ([], 0), ([1e12 + 0.4], 1)]
)
def test_decimals_as_the_instrument_wrote_them(values: list[float], places: int) -> None:
    assert decimals_of(pa.array(values, pa.float64())) == places


def test_numbers_codes_texts_and_empty(table) -> None:  # type: ignore[no-untyped-def]
    assert np.array_equal(table.numbers("minutes"), [30.5, 41.25, np.nan, 28], equal_nan=True)
    assert np.array_equal(table.numbers("member"), [1, 0, 1, np.nan], equal_nan=True)
    codes = table.codes("room")
    assert (codes.codes.tolist(), codes.levels) == ([0, 1, 0, -1], ("Alcove", "Gallery"))
    assert table.codes("pages").levels == ("9", "12", "15")
    assert table.codes("pages").codes.tolist() == [1, -1, 0, 2]
    assert table.texts("minutes") == ["30.50", "41.25", None, "28.00"]
    assert table.texts("day") == ["2026-01-05", "2026-01-06 14:30:00", None, "2026-01-08"]
    assert table.empty("room").tolist() == [False, False, False, True]


def test_the_frame_for_library_calls(table) -> None:  # type: ignore[no-untyped-def]
    frame = table.frame
    assert frame.index.tolist() == [1, 2, 3, 4]
    assert isinstance(frame["room"].dtype, pd.CategoricalDtype)
    assert frame["minutes"].mean() == pytest.approx(33.25)


def test_changes_make_new_tables(table) -> None:  # type: ignore[no-untyped-def]
    kept = table.keep(np.array([True, False, True, False]))
    assert kept.rows.tolist() == [1, 3] and table.n_rows == 4
    assert table.keep(np.ones(4, bool)) is table
    assert table.slice(1, 2).texts("visitor") == ["V2", "V3"]
    assert table.select(["day", "room"]).names == ["day", "room"]
    more = table.with_column(Column(name="z", kind=Kind.count), pa.array([1, 2, 3, 4]))
    assert more.names[-1] == "z" and not table.has("z")


def test_a_wrong_name_or_kind_is_said(table) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(DataProblem, match="nearest name is 'minutes'"):
        table.numbers("minuts")
    with pytest.raises(DataProblem, match="room is of kind category; a measure or a count is needed"):
        table.numbers("room")


def test_profiles(table) -> None:  # type: ignore[no-untyped-def]
    found = {c.name: profile(c, a) for c, a in zip(table.columns, table.arrays, strict=True)}
    assert (found["minutes"].filled, found["minutes"].empty, found["minutes"].low, found["minutes"].high) == (
        3,
        1,
        28,
        41.25,
    )
    assert sum(found["minutes"].bars) == 3
    assert found["room"].bars == [2, 1] and found["room"].bar_names == ["Alcove", "Gallery"]
    assert (found["day"].first, found["day"].last) == ("2026-01-05", "2026-01-08")
    assert found["visitor"].distinct == 4


@settings(deadline=None, max_examples=50)
@given(st.lists(st.floats(-1e5, 1e5), min_size=1, max_size=60))
def test_a_profile_of_numbers_is_that_of_pandas(values: list[float]) -> None:
    found = profile(Column(name="x", kind=Kind.measure), pa.array(values))
    series = pd.Series(values)
    assert sum(found.bars) == len(values)
    assert (found.q1, found.median, found.q3) == pytest.approx(tuple(series.quantile([0.25, 0.5, 0.75])), abs=1e-6)
    assert found.distinct == series.nunique()
    assert found.mean == pytest.approx(series.mean(), abs=1e-6)


@pytest.mark.parametrize(("kind", "decimals", "scale"), [(Kind.count, 0, 1), (Kind.measure, 1, 0.1)])
@pytest.mark.parametrize("most", [3, 12, 18, 25, 100])
def test_values_on_a_grid_have_bars_without_gaps(kind: Kind, decimals: int, scale: float, most: int) -> None:
    """Every place of the grid once or more: no bar is empty, and all but the last hold as many places."""
    values = np.repeat(np.arange(1, most + 1), 2) * scale
    bars = profile(Column(name="x", kind=kind, decimals=decimals), pa.array(values)).bars
    assert min(bars) > 0 and sum(bars) == 2 * most and len(set(bars[:-1])) <= 1 and len(bars) <= 18


def test_a_profile_counts_infinite_values() -> None:
    found = profile(Column(name="x", kind=Kind.measure), pa.array([1.0, np.inf, -np.inf, None]))
    assert (found.infinite, found.empty, found.low) == (2, 1, 1)


@pytest.mark.parametrize("kind", list(Kind))
def test_every_kind_of_whole_number_and_back(kind: Kind) -> None:
    column, array = infer("n", pa.array([3, 1, 2, None, 3]))
    if kind is Kind.date:
        with pytest.raises(pa.ArrowInvalid):
            recast(column, array, kind)
        return
    changed, cells = recast(column, array, kind)
    assert changed.kind is kind
    assert cells.null_count == 1
    back, numbers = recast(changed, cells, Kind.count)
    assert back.kind is Kind.count and numbers.to_pylist() == [3, 1, 2, None, 3]


def test_coded_columns_keep_labels_and_unused_levels() -> None:
    column = Column(name="g", kind=Kind.category, levels=(Level(value="b", label="Bee"), Level(value="z")))
    made, array = coded(column, pa.array(["a", "b", None]))
    assert [(lv.value, lv.words) for lv in made.levels] == [("b", "Bee"), ("z", "z"), ("a", "a")]
    assert cell_texts(made, array) == ["a", "Bee", None]


def test_words_about_rows_and_names() -> None:
    assert rows_in_words([7]) == "row 7"
    assert rows_in_words([1, 2]) == "rows 1 and 2"
    assert rows_in_words(list(range(1, 10))) == "rows 1, 2, 3, 4, 5 and 4 more"
    assert nearest("minuts", ["hours", "minutes"]) == " The nearest name is 'minutes'."
    assert nearest("zzz", ["hours"]) == ""
    assert number_text(-3.14159, 2) == "−3.14"


def test_cells_as_they_are_shown_and_with_every_digit() -> None:
    column = Column(name="x", kind=Kind.measure, decimals=1)
    cells = pa.array([3.14159, -2.0, 0.0, 3e-9, -0.04, 0.05, 1e16, float("inf"), None])
    shown = ["3.1", "−2.0", "0.0", "3e−09", "−0.04", "0.1", "1e+16", "∞", None]
    assert cell_texts(column, cells) == shown
    exact = cell_texts(column, cells, exact=True)
    assert exact == ["3.14159", "−2.0", "0.0", "3e−09", "−0.04", "0.05", "1e+16", "∞", None]
    assert [float(t.replace("−", "-")) for t in exact[:7] if t] == cells.to_pylist()[:7]


def test_a_problem_travels_between_processes() -> None:
    import pickle

    found = pickle.loads(pickle.dumps(DataProblem("No.", column="x", rows=[1, 2], position=3)))
    assert (found.message, found.column, found.rows, found.position) == ("No.", "x", [1, 2], 3)


def test_an_empty_table_is_a_table() -> None:
    table = make_table([Column(name="a", kind=Kind.measure)], [pa.array([], pa.float64())])
    assert table.n_rows == 0 and table.frame.empty
    assert profile(table.columns[0], table.arrays[0]).filled == 0
