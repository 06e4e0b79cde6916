"""What a panel refuses, what it says where a model has no estimate, and what follows from its remedies."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Check
from yavik.core.methods.change.panel.spec import ALL
from yavik.core.methods.fit import fitting
from yavik.core.methods.registry import answer, get, parse_spec
from yavik.core.table import DataProblem, Table

YEARS = demo_tables()["Branch years"]
ASKED: dict[str, Any] = {"outcome": "loans", "terms": ["staff", "hours", "rural"], "unit": "branch", "time": "year"}


def ask(table: Table = YEARS, **spec: Any) -> Answer:
    return answer("panel", table, ASKED | spec if table is YEARS else spec)


def by_id(found: Answer, id: str) -> Check | None:
    return next((c for c in found.checks if c.id == id), None)


def made(units: int = 12, periods: int = 5, **more: Any) -> Table:
    rng = np.random.default_rng(1)
    n = units * periods
    columns: dict[str, Any] = {
        "u": [f"u{i // periods + 1}" for i in range(n)], "t": [i % periods + 1 for i in range(n)],
        "x": rng.normal(size=n).round(3).tolist(), "y": rng.normal(5, 1, n).round(3).tolist(),
    }  # fmt: skip
    return table_from(**(columns | more))


SMALL = {"outcome": "y", "terms": ["x"], "unit": "u", "time": "t"}


def test_structure_comes_first_and_says_what_never_changes() -> None:
    found = ask()
    told = {r["what"].s: r["value"].s for r in found.block("structure").rows if r["what"].s}
    assert told["Units (branch)"] == "60" and told["Balanced"].startswith("yes")
    within = {r["column"].s: r["within"].s for r in found.block("variation").rows}
    assert within["rural: yes"] == "never changes" and within["Staff"] != "never changes"


def test_models_stand_side_by_side_with_reasons_for_what_is_missing() -> None:
    block = ask().block("models")
    assert [c.key for c in block.columns][1:] == ALL and block.picked == "fixed"
    rural = next(r for r in block.rows if r["term"].s == "rural: yes")
    assert rural["fixed"].s == "–" and rural["fixed"].why == "never changes within a branch"
    assert rural["random"].v is not None
    staff = block.rows[0]
    assert staff["fixed"].v == pytest.approx(staff["within_between"].v)
    few = ask(models=["pooled", "random"]).block("models")
    assert [c.key for c in few.columns][1:] == ["pooled", "fixed", "random"]  # the one reported stands among them


def test_a_click_reports_another_model() -> None:
    block = ask().block("choices")
    assert block.pick and block.pick.field == "main" and block.pick.single
    found = ask(main="between")
    assert found.headline.startswith("Between means of each branch, each further post of staff goes with")
    assert found.block("models").picked == "between"
    assert by_id(found, "levels").verdict == "unknown"  # type: ignore[union-attr]


def test_random_effects_where_levels_go_with_the_terms_offer_others() -> None:
    found = ask(main="random")
    check = by_id(found, "levels")
    assert check and check.verdict == "fails"
    assert [r.spec for r in check.remedies] == [{"main": "fixed"}, {"main": "within_between"}]
    again = ask(**check.remedies[1].spec)  # type: ignore[arg-type]
    assert by_id(again, "levels") is None
    assert "mix the two" in again.block("comparison").text


def test_what_changes_for_all_alike_offers_levels_of_periods() -> None:
    rng = np.random.default_rng(2)
    n = 60
    jolts = np.repeat([[0.0, 3.0, -2.0, 4.0, 1.0]], 12, axis=0).ravel()
    table = made(y=(jolts + rng.normal(size=n)).round(3).tolist())
    check = by_id(ask(table, **SMALL), "periods")
    assert check and check.verdict == "doubtful" and check.remedies[0].spec == {"main": "fixed_periods"}


def test_residuals_that_go_on_ask_for_errors_by_unit() -> None:
    rng = np.random.default_rng(3)
    y = np.cumsum(rng.normal(size=(30, 8)), axis=1).ravel()
    x = np.cumsum(rng.normal(size=(30, 8)), axis=1).ravel()
    table = made(30, 8, y=y.round(3).tolist(), x=x.round(3).tolist())
    check = by_id(ask(table, **SMALL, se="classical"), "carried")
    assert check and check.verdict == "doubtful" and check.remedies[0].spec == {"se": "cluster"}
    assert by_id(ask(table, **SMALL), "carried").verdict == "holds"  # type: ignore[union-attr]


def test_gaps_are_drawn_and_units_seen_once_named() -> None:
    table = made()
    keep = [i for i in range(60) if i not in (3, 4, 11) and not (i // 5 == 6 and i % 5 > 0)]
    f = table.frame.iloc[keep]
    gappy = table_from(**{c: f[c].tolist() for c in f})
    found = ask(gappy, **SMALL)
    patterns = {r["pattern"].s: r["n"].v for r in found.block("patterns").rows}
    assert patterns["●●●●●"] == 9 and patterns["●●●○○"] == 1 and patterns["●○○○○"] == 1
    assert "u7" in by_id(found, "units").text  # type: ignore[union-attr]
    assert by_id(found, "balance").verdict == "unknown"  # type: ignore[union-attr]


def test_two_rows_of_a_unit_at_a_time_are_named() -> None:
    table = made(t=[1, 1, 3, 4, 5] + [1, 2, 3, 4, 5] * 11)
    with pytest.raises(DataProblem, match=r"u1 at 1 have more \(rows 1 and 2\)") as problem:
        ask(table, **SMALL)
    assert problem.value.rows == [1, 2]


@pytest.mark.parametrize(
    ("change", "spec", "says"),
    [
        ({"u": ["a"] * 60, "t": list(range(60))}, {}, "one unit, a"),
        ({"t": [1] * 60, "u": [f"v{i}" for i in range(60)]}, {}, "one period, 1"),
        ({"u": [f"v{i}" for i in range(60)]}, {}, "Every u has one row"),
        ({}, {"terms": []}, "Fill the slots|at least one term"),
        ({}, {"terms": ["u"]}, "cannot be a term too"),
        ({}, {"time": "u"}, "two places"),
        ({"y": [3] * 60}, {}, "are the same"),
        ({"x": [i // 5 for i in range(60)]}, {}, "cannot be fitted: no term changes within units"),
    ],
)
def test_what_is_refused_says_where(change: Any, spec: Any, says: str) -> None:
    with pytest.raises(DataProblem, match=says):
        ask(made(**change), **(SMALL | spec))


def test_a_term_that_never_changes_can_be_told_between() -> None:
    table = made(x=[i // 5 for i in range(60)])
    found = ask(table, **SMALL, main="random")
    assert found.block("models").rows[0]["fixed"].why == "no term changes within units"


def test_new_columns_add_up_and_no_evidence_is_no_equality() -> None:
    method = get("panel")
    for main in ("pooled", "fixed", "random", "within_between"):
        spec = parse_spec("panel", ASKED | {"main": main})
        assert method.new_columns
        columns = {c.name: np.asarray(v.to_numpy(zero_copy_only=False)) for c, v in method.new_columns(YEARS, spec)}
        y = YEARS.numbers("loans")
        np.testing.assert_allclose(columns["fitted loans"] + columns["residual loans"], y, rtol=1e-9)
        if main != "pooled":
            assert abs(columns["level of branch"].mean()) < 1e-6 * y.std()
    quiet = ask(made(), **SMALL)
    assert "there is no evidence that y goes with x" in quiet.headline


def test_the_table_says_which_columns_are_unit_and_time() -> None:
    best = fitting(YEARS, ["loans", "staff", "hours"])[0]
    assert best.method == "panel" and best.spec["unit"] == "branch" and best.spec["time"] == "year"


@pytest.mark.parametrize(("shift", "scale"), [(1e9, 1.0), (0.0, 1e-7), (0.0, 1e7)])
def test_moved_and_scaled_columns_change_no_p(shift: float, scale: float) -> None:
    f = YEARS.frame
    moved = table_from(
        branch=f.branch.tolist(), year=f.year.tolist(), rural=f.rural.tolist(), hours=f.hours.tolist(),
        staff=[v * scale + shift for v in f.staff.tolist()], loans=[v * scale + shift for v in f.loans.tolist()],
    )  # fmt: skip
    one, two = ask().facts, ask(moved, **ASKED).facts
    for key in (
        "fixed.staff.p",
        "random.hours.p",
        "within_between.rural=yes.p",
        "hausman_random.p",
        "fixed_periods.staff.p",
    ):
        assert one[key] == pytest.approx(two[key], rel=1e-4, abs=1e-12), key
