"""The demo's tables hold what scenario and generators say: sizes, and the generating parameters found again."""

from typing import Any

import numpy as np
import pytest

from yavik.core.files.delimited import read
from yavik.core.steps import apply_path, new_step
from yavik.core.table import Table
from yavik.demo import branches, experiments, people, returned, surveys
from yavik.demo.study import make_demo
from yavik.demo.table import DemoTable
from yavik.store import Store

ROWS = {
    "Room trial": 108, "Binding glue": 40, "Seat and light": 64, "Seat and light, unbalanced": 58, "Story hours": 45,
    "Quiet desks": 72, "Page tint": 8, "Corner visits": 30,
    "Reading pace": 70, "Branches": 120, "Winter challenge": 3400, "Fluency": 216, "Branch years": 480,
    "Evening opening": 640, "Grant round": 1300, "Word quiz": 900,
    "Reading motives": 203, "Returned books": 72, "Genre loans": 24, "Monthly loans": 192, "Waiting list": 200,
    "Reader survey 2023": 3300, "Reader survey 2025": 3660,
}  # fmt: skip
ALL = {t.name: t for t in (*experiments.TABLES, *people.TABLES, *branches.TABLES, *returned.TABLES, *surveys.TABLES)}


def prepared(table: DemoTable) -> Table:
    found = apply_path(read(table.as_csv())[0], [new_step(s) for s in table.steps])
    assert [e.problem for e in found.effects] == [None] * len(table.steps)
    return found.table


def fit(y: Any, *columns: Any) -> tuple[Any, Any]:
    """Least squares with an intercept: coefficients and standard errors."""
    x = np.column_stack([np.ones(len(y)), *columns])
    b, *_ = np.linalg.lstsq(x, y, rcond=None)
    s2 = ((y - x @ b) ** 2).sum() / (len(y) - x.shape[1])
    return b, np.sqrt(s2 * np.diag(np.linalg.inv(x.T @ x)))


def test_the_study_has_every_table_of_the_scenario(store: Store) -> None:
    study = make_demo(store)
    found = {}
    for item in store.items.items(study.id):
        if item.type == "table":
            snapshot, effects = store.tables(study.id).replay(store.tables(study.id).body(item.id))
            found[item.name] = snapshot.n_rows
            assert [e.problem for e in effects if e.problem] == []
    assert {k: v for k, v in found.items() if k in ROWS} == ROWS
    assert found["Reader survey, both waves"] == 6960 and found["Branch means"] == 60
    make_demo(store)
    assert store.sound()


@pytest.mark.parametrize("name", list(ALL))
def test_generated_tables_are_the_same_every_time_and_described(name: str) -> None:
    assert ALL[name].as_csv() == ALL[name].as_csv()
    table = prepared(ALL[name])
    assert any(c.label for c in table.columns) or name == "Word quiz"


def test_branches_find_their_coefficients_again() -> None:
    t = prepared(ALL["Branches"])
    district = t.codes("district")
    dummies = [district.codes == i for i in range(1, 4)]
    b, se = fit(
        t.numbers("visits"),
        t.numbers("floor_area"),
        t.numbers("hours_open"),
        t.numbers("cafe"),
        t.numbers("bus"),
        *dummies,
    )
    for estimate, error, truth in zip(b[1:5], se[1:5], (0.92, 6.5, 45, -0.05), strict=True):
        assert abs(estimate - truth) < 3 * error
    assert np.corrcoef(t.numbers("shelf_metres"), t.numbers("floor_area"))[0, 1] > 0.9


def test_evening_opening_gains_about_120_loans() -> None:
    t = prepared(ALL["Evening opening"])
    open_, after = (
        t.numbers("evenings"),
        (t.codes("period").codes == t.codes("period").levels.index("after")).astype(float),
    )
    b, se = fit(t.numbers("loans"), open_, after, open_ * after)
    assert abs(b[3] - 120) < 3 * se[3]


def test_the_grant_adds_about_35_visits_at_the_cut() -> None:
    t = prepared(ALL["Grant round"])
    score = t.numbers("score") - 50
    near = np.abs(score) < 20
    b, se = fit(t.numbers("visits_after")[near], score[near], (score >= 0)[near], (score * (score >= 0))[near])
    assert abs(b[2] - 35) < 3 * se[2]


def test_the_survey_estimates_find_the_shares_and_the_joined_waves_the_change(store: Store) -> None:
    for name, column, weight, year in (
        ("Reader survey 2023", "read_week", "wt", 2023),
        ("Reader survey 2025", "last_week_read", "weight", 2025),
    ):
        t = prepared(ALL[name])
        yes = t.codes(column).levels.index("yes")
        share = np.average(t.codes(column).codes == yes, weights=t.numbers(weight))
        assert abs(share - surveys.SHARE[year]) < 0.03


def test_motives_split_in_two_and_quiz_items_rise_in_difficulty() -> None:
    t = prepared(ALL["Reading motives"])
    items = np.column_stack([t.numbers(f"m{j}") for j in range(1, 13)])
    items = items[~np.isnan(items).any(axis=1)]
    r = np.corrcoef(items.T)
    inside = np.mean([r[i, j] for i in range(5) for j in range(5) if i != j])
    between = np.mean([r[i, j] for i in range(5) for j in range(5, 10)])
    assert inside > 0.3 > between and r[0, 10] > 0.2  # the reversed item now goes with its scale
    quiz = prepared(ALL["Word quiz"])
    right = [
        np.mean(quiz.codes(f"item{j}").codes == quiz.codes(f"item{j}").levels.index("right")) for j in range(1, 10)
    ]
    assert np.corrcoef(right, people.QUIZ_DIFFICULTY)[0, 1] < -0.95


def test_the_series_trends_and_remembers() -> None:
    t = prepared(ALL["Monthly loans"])
    month = np.arange(192)
    wave = [np.sin(2 * np.pi * month / 12), np.cos(2 * np.pi * month / 12)]
    b, _ = fit(t.numbers("loans"), month, *wave)
    rest = t.numbers("loans") - np.column_stack([np.ones(192), month, *wave]) @ b
    assert 7 < b[1] < 11 and 250 < b[2] < 450 and 0.4 < np.corrcoef(rest[1:], rest[:-1])[0, 1] < 0.75
