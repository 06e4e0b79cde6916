"""Models where data or wishes do not fit: what is refused, what is left out and named, and what checks say."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Check
from yavik.core.methods import answer
from yavik.core.methods.registry import get, parse_spec
from yavik.core.table import DataProblem, Table


def some(n: int = 40, seed: int = 1) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    x = np.round(rng.normal(10, 3, n), 3)
    z = np.round(rng.normal(5, 1, n), 3)
    return {
        "x": x, "z": z, "g": ["abc"[i % 3] for i in range(n)], "y": np.round(2 * x - z + rng.normal(0, 2, n), 3),
        "d": ["yes" if v else "no" for v in rng.random(n) < 1 / (1 + np.exp(10 - x))],
    }  # fmt: skip


def check(found: Answer, id: str) -> Check:
    return next(c for c in found.checks if c.id == id)


def linear(table: Table, terms: list[Any], **more: Any) -> Answer:
    return answer("linear", table, {"response": "y", "terms": terms, **more})


def logistic(table: Table, terms: list[Any], **more: Any) -> Answer:
    return answer("logistic", table, {"response": "d", "terms": terms, **more})


@pytest.mark.parametrize(
    ("method", "spec", "says", "column"),
    [
        ("linear", {"terms": [{"column": "g", "power": 2}]}, "g is a category: its levels have no size", "g"),
        ("linear", {"terms": ["x", "y"]}, "cannot also explain", "y"),
        ("linear", {"terms": ["same"]}, "All values of same are the same", "same"),
        ("linear", {"terms": ["x", {"interaction": ["x", "x"]}]}, "a measure with itself is its square", "x"),
        ("linear", {"terms": ["g"], "reference": {"g": "zzz"}}, "there is none of that name", "g"),
        ("linear", {"terms": ["g"], "reference": {"g": "a"}, "where": 'g != "a"'}, "no row used has it", "g"),
        ("linear", {"terms": ["x"], "reference": {"g": "a"}}, "is no category among the terms", "g"),
        ("linear", {"terms": ["x"], "weights": "below"}, "2 weights below zero \\(rows 3 and 4\\)", "below"),
        ("linear", {"terms": ["x"], "se": "cluster"}, "need the column that names the clusters", None),
        ("linear", {"terms": ["x"], "se": "cluster", "cluster": "same"}, "has one level", "same"),
        ("linear", {"terms": ["x"], "per": {"g": 2}}, "A unit of change is for a measure", "g"),
        ("linear", {"terms": ["x"], "per": {"x": 0}}, "changes nothing", "x"),
        ("linear", {"terms": ["x"], "at": {"z": 1}}, "not among the terms", "z"),
        ("linear", {"terms": ["x"], "predict_at": [{"z": 1}]}, "not among the terms", "z"),
        ("linear", {"terms": ["x"], "predict_at": [{"x": "many"}]}, "'many' is not one", "x"),
        ("linear", {"terms": ["g"], "predict_at": [{"g": "q"}]}, "has no level 'q'", "g"),
        ("linear", {"terms": ["x", "z"], "selection": "best_subsets"}, "not by p of a term", None),
        ("linear", {"terms": ["x", "z", "g"], "where": "row <= 4"}, "4 rows: nothing is left to judge them", "g"),
        ("linear", {"response": "same", "terms": ["x"]}, "nothing to explain", "same"),
        ("linear", {"terms": ["x"], "where": "x > 1000"}, "No row has", None),
        ("logistic", {"terms": ["x"], "where": 'd == "yes"'}, "nothing tells yes from no", "d"),
        ("logistic", {"response": "g", "terms": ["x"]}, "g has 3 levels \\(.* rows?\\). Choose in the settings", "g"),
        ("logistic", {"terms": ["x"], "event": "maybe"}, "has no level 'maybe'", "d"),
        ("logistic", {"terms": ["x"], "link": "probit", "penalty": "firth"}, "for the logit link", None),
        ("logistic", {"terms": ["x"], "selection": "forward", "intercept": False}, "begins with the intercept", None),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_with_its_column(
    method: str, spec: dict[str, Any], says: str, column: str | None
) -> None:
    data = some()
    weights = [1.0] * 40
    weights[2] = weights[3] = -1.0
    table = table_from(**data, same=[3.0] * 40, below=weights)
    with pytest.raises(DataProblem, match=says) as problem:
        answer(method, table, {"response": "y" if method == "linear" else "d", **spec})
    assert problem.value.column == column


def test_a_column_that_follows_from_others_is_left_out_and_named() -> None:
    data = some()
    table = table_from(**data, total=np.round(data["x"] + data["z"], 3))
    found = linear(table, ["x", "z", "total"])
    assert check(found, "rank").text == "total follows from x and z. It has no estimate; the others stand for both."
    row = found.block("coefficients").rows[3]
    assert row["estimate"].v is None and "follows from the other columns" in row["estimate"].why
    alone = linear(table, ["x", "z"])
    assert found.facts["r2"] == pytest.approx(alone.facts["r2"]) and found.facts["x.b"] == pytest.approx(
        alone.facts["x.b"]
    )
    odds = logistic(table, ["x", "z", "total"])
    assert "follows from x and z" in check(odds, "rank").text


def test_nearly_the_same_columns_are_named() -> None:
    data = some()
    table = table_from(**data, twin=np.round(data["x"] * 60 + np.random.default_rng(3).normal(0, 10, 40), 2))
    found = check(linear(table, ["x", "twin", "z"]), "collinearity")
    assert found.verdict == "fails" and "x and twin go together at r = 1.00" in found.text
    assert {r.label for r in found.remedies} == {"Leave out x", "Leave out twin"}
    assert check(logistic(table, ["x", "twin", "z"]), "collinearity").verdict == "fails"
    powers = linear(table, ["x", {"column": "x", "power": 2}, "z"])
    assert check(powers, "collinearity").verdict == "holds"  # a square goes with its column by its making


def test_powers_and_interactions_that_stand_alone() -> None:
    found = check(linear(table_from(**some()), [{"column": "x", "power": 2}]), "belonging")
    assert "x² stands without x" in found.text and found.remedies[0].spec == {
        "terms": ["x", {"column": "x", "power": 2}]
    }
    assert all(c.id != "belonging" for c in linear(table_from(**some()), ["x", {"column": "x", "power": 2}]).checks)


def test_a_level_with_one_row() -> None:
    data = some()
    data["g"][7] = "only"
    assert check(linear(table_from(**data), ["x", "g"]), "levels").text.startswith("only (g) has a single row")


def test_rows_without_weight_are_left_out_and_counted() -> None:
    data = some()
    w = [1.0] * 40
    w[4] = 0.0
    found = linear(table_from(**data, w=w), ["x"], weights="w")
    assert found.rows.used == 39 and [(x.why, x.n, x.rows) for x in found.rows.left_out] == [("w is 0", 1, [5])]
    assert found.facts["x.b"] == pytest.approx(linear(table_from(**data), ["x"], where="row != 5").facts["x.b"])


def test_an_exact_fit_has_estimates_and_says_why_nothing_can_be_judged() -> None:
    found = linear(table_from(x=[1, 2, 3, 4, 6], y=[3, 5, 7, 9, 13]), ["x"])
    row = found.block("coefficients").rows[1]
    assert row["estimate"].v == pytest.approx(2) and row["p"].v is None and "fits every value exactly" in row["p"].why
    assert check(found, "exact").verdict == "fails"


def test_a_far_row_is_named_and_the_model_tried_without_it() -> None:
    data = some()
    data["x"][11], data["y"][11] = 40.0, -300.0
    found = linear(table_from(**data), ["x", "z"])
    far = check(found, "influence")
    assert far.verdict == "fails" and far.text.startswith("Row 12 stands far out") and "changes" in far.text
    assert far.remedies[0].rows == [12] and far.remedies[1].spec == {"without": [12]}
    assert found.block("influential").rows[0]["row"].v == 12


def test_a_bend_is_noticed_with_what_would_mend_it() -> None:
    data = some(120)
    data["y"] = np.round((data["x"] - 10) ** 2 + data["z"] + np.random.default_rng(5).normal(0, 1, 120), 3)
    bent = check(linear(table_from(**data), ["x", "z"]), "linearity")
    assert bent.verdict == "fails" and bent.remedies[0].spec == {"terms": ["x", "z", {"column": "x", "power": 2}]}
    mended = linear(table_from(**data), ["x", "z", {"column": "x", "power": 2}])
    assert check(mended, "linearity").verdict == "holds"
    says = {r["term"].s: r["says"].s for r in mended.block("in_words").rows}
    assert "with its lowest point at" in says["x²"] and "x" not in says


def test_unequal_spread_offers_robust_errors() -> None:
    rng = np.random.default_rng(2)
    x = np.linspace(1, 10, 200)
    table = table_from(x=x, y=x + rng.normal(size=200) * x)
    spread = check(linear(table, ["x"]), "equal_spread")
    assert spread.verdict == "fails" and spread.remedies[0].spec == {"se": "hc3"}
    assert check(linear(table, ["x"], se="hc3"), "equal_spread").verdict == "holds"


def test_too_many_terms_for_the_rows() -> None:
    rng = np.random.default_rng(4)
    columns = {f"x{i}": rng.normal(size=20) for i in range(10)}
    found = linear(table_from(**columns, y=rng.normal(size=20)), list(columns))
    assert check(found, "room").verdict == "fails" and check(found, "carries").verdict == "fails"
    assert "worse than by the mean" in check(found, "carries").text


def test_a_selection_shows_its_path_and_warns() -> None:
    table = demo_tables()["Reading pace"]
    terms = ["span", "recall", "attention", "rest", "practice"]
    found = answer("linear", table, {"response": "pace", "terms": terms, "selection": "stepwise"})
    path = found.block("path").rows
    assert [r["round"].v for r in path] == list(range(len(path))) and path[0]["term"].s == "no term"
    assert path[-1]["r2"].v == pytest.approx(found.facts["r2"])
    assert sum(r["change"].v or 0 for r in path) == pytest.approx(found.facts["r2"])
    out = {r["term"].s for r in found.block("left_out").rows}
    assert "Attention score" in out and check(found, "selection").verdict == "doubtful"
    assert found.facts["folds.r2"] < found.facts["r2"]
    # Every round is a model of its own.
    last = answer("linear", table, found.variants[-1].spec)
    assert last.facts["r2"] == pytest.approx(found.facts["r2"]) and last.spec["selection"] == "none"


def test_a_selection_that_keeps_nothing() -> None:
    rng = np.random.default_rng(8)
    table = table_from(x=rng.normal(size=60), z=rng.normal(size=60), y=rng.normal(size=60), d=["yes", "no"] * 30)
    found = linear(table, ["x", "z"], selection="forward", enter=0.0001)
    assert found.headline.startswith("No term was chosen") and found.short == "no term chosen"
    odds = logistic(table, ["x", "z"], selection="forward", enter=0.0001)
    assert odds.headline.startswith("No term was chosen")


def test_a_square_waits_for_its_column() -> None:
    data = some(80)
    data["y"] = np.round((data["x"] - 10) ** 2 + np.random.default_rng(5).normal(0, 1, 80), 3)
    found = linear(table_from(**data), [{"column": "x", "power": 2}, "x"], selection="forward", enter=0.0001)
    entered = [r["term"].s for r in found.block("path").rows]
    assert "+ x²" not in entered or entered.index("+ x") < entered.index("+ x²")


def test_complete_separation_is_explained_and_remedied() -> None:
    x = np.arange(20)
    table = table_from(x=x, d=["yes" if v > 9 else "no" for v in x])
    found = logistic(table, ["x"])
    told = check(found, "separation")
    assert told.verdict == "fails" and told.text.startswith(
        "Complete separation: x tells yes from no without a miss,"
    )
    assert found.short == "complete separation" and "without a single miss" in found.headline
    assert found.block("coefficients").rows[1]["odds_ratio"].v is None
    mended = logistic(table, ["x"], **(told.remedies[0].spec or {}))
    assert np.isfinite(mended.facts["x.b"]) and check(mended, "separation").verdict == "holds"


def test_quasi_separation_by_one_level_leaves_the_others_their_estimates() -> None:
    data = some(60)
    data["g"] = ["only" if i < 6 else "ab"[i % 2] for i in range(60)]
    data["d"] = ["yes"] * 6 + data["d"][6:]
    found = logistic(table_from(**data), ["x", "g"])
    told = check(found, "separation")
    assert told.text.startswith(
        "Quasi-complete separation: g: only"
    ) and "all 6 rows with g = only have d = yes" in told.text.replace("All", "all")
    rows = {r["term"].s: r for r in found.block("coefficients").rows}
    assert rows["g: only"]["estimate"].v is None
    rest = logistic(table_from(**data), ["x", "g"], where='g != "only"')
    assert rows["x"]["estimate"].v == pytest.approx(rest.facts["x.b"], rel=1e-3)
    assert rows["g: b"]["estimate"].v == pytest.approx(rest.facts["g=b.b"], rel=1e-3)


def test_predictions_outside_the_data_are_marked() -> None:
    found = linear(table_from(**some()), ["x", "g"], predict_at=[{"x": 10}, {"x": 900, "g": "b"}])
    assert "Line 2: x 900 lies outside the data" in found.block("cases").note
    assert "Line 1" not in found.block("cases").note


def test_the_event_stands_everywhere() -> None:
    found = answer(
        "logistic", demo_tables()["Winter challenge"], {"response": "finished", "event": "no", "terms": ["visits"]}
    )
    said = "Finished the challenge = no"
    assert said in found.block("coefficients").title and f"Event: {said}" in found.block("coefficients").note
    assert "= no" in found.headline and f"event {said}" in found.settings
    heads = [c.title for c in found.block("classification").columns]
    assert heads[1:3] == ["Said no", "Said yes"] and found.block("classification").rows[0]["group"].s == "Seen no"


def test_a_cut_off_moves_the_table_only() -> None:
    table = demo_tables()["Winter challenge"]
    spec = {"response": "finished", "terms": ["minutes", "visits"]}
    low, high = (answer("logistic", table, {**spec, "cutoff": c}) for c in (0.3, 0.7))
    assert (
        low.facts["sensitivity"] > high.facts["sensitivity"] and low.facts["specificity"] < high.facts["specificity"]
    )
    assert low.facts["auc"] == high.facts["auc"]
    method = get("logistic")
    keys = [
        method.same_model(parse_spec("logistic", {**spec, **more}))
        for more in ({"cutoff": 0.3}, {"cutoff": 0.7, "alpha": 0.01})
    ]
    assert keys[0] == keys[1] != method.same_model(parse_spec("logistic", {**spec, "terms": ["minutes"]}))


def lined(table: str, models: list[dict[str, Any]], **more: Any) -> Answer:
    return answer("line_up", demo_tables()[table], {"models": models, **more})


def model(method: str, response: str, terms: list[Any], **more: Any) -> dict[str, Any]:
    return {"method": method, "spec": {"response": response, "terms": terms, **more}}


def test_a_line_up_uses_the_same_rows_and_says_so() -> None:
    models = [model("logistic", "finished", ["minutes"]), model("logistic", "finished", ["minutes", "late_fees"])]
    same = lined("Winter challenge", models)
    assert check(same, "same_rows").verdict == "holds" and same.facts["1.n"] == same.facts["2.n"] == same.rows.used
    own = lined("Winter challenge", models, rows="own")
    assert check(own, "same_rows").verdict == "fails" and own.facts["1.n"] > own.facts["2.n"]
    row = own.block("models").rows[-1]
    assert row["m1"].v is None and row["m1"].why == "not on the same rows"
    both = answer(
        "logistic",
        demo_tables()["Winter challenge"],
        {"response": "finished", "terms": ["minutes"], "where": "not empty(late_fees)"},
    )
    assert same.facts["1.auc"] == pytest.approx(both.facts["auc"])


def test_a_line_up_tests_neighbours_and_marks_the_best() -> None:
    models = [model("linear", "visits", t) for t in (["floor_area"], ["floor_area", "district"], ["bus"])]
    found = lined("Branches", models, chosen=1)
    table = found.block("models")
    whole = answer("linear", demo_tables()["Branches"], {"response": "visits", "terms": ["floor_area", "district"]})
    last = table.rows[-1]
    assert (
        last["m1"].v == pytest.approx(whole.facts["district.p"])
        and last["m2"].why == "neither holds all terms of the other"
    )
    aic = next(r for r in table.rows if r["term"].s == "AIC")
    assert [aic[f"m{i}"].strong for i in range(3)] == [False, True, False]
    assert table.picked == "m1" and [c.title for c in table.columns[1:3]] == ["1 term", "+\u00a0district"]
    area = next(r for r in table.rows if r["term"].s == "Floor area")
    assert area["m0"].sub and " to " in area["m0"].sub and area["m2"].s == ""


def test_odds_against_probit_stand_side_by_side() -> None:
    models = [model("logistic", "finished", ["visits"]), model("logistic", "finished", ["visits"], link="probit")]
    found = lined("Winter challenge", models)
    row = next(r for r in found.block("models").rows if r["term"].s == "Visits in the month")
    assert row["m0"].v > 1 > row["m1"].v > 0
    assert found.block("models").rows[-1]["m1"].why == "models of different kinds"


@pytest.mark.parametrize(
    ("models", "says"),
    [
        ([model("linear", "visits", ["bus"]), model("linear", "books", ["bus"])], "a line-up compares models of one response"),
        ([{"method": "describe", "spec": {"columns": ["visits"]}}], "makes no model"),
        ([model("linear", "visits", [])], "has empty slots"),
        ([model("linear", "visits", ["bus"])] * 13, "too many to read side by side"),
        ([model("linear", "visits", ["visits"])], "Model 1: visits is what is to be explained"),
        ([model("logistic", "cafe", ["bus"]), model("logistic", "cafe", ["bus"], event="no")], "choose one event for all"),
    ],
)  # fmt: skip
def test_what_cannot_be_lined_up(models: list[dict[str, Any]], says: str) -> None:
    with pytest.raises(DataProblem, match=says):
        lined("Branches", models)


def test_a_count_without_a_unit_and_a_singular() -> None:
    table = demo_tables()["Winter challenge"]
    found = answer("logistic", table, {"response": "finished", "terms": ["visits", "late_fees"]})
    says = [r["says"].s for r in found.block("in_words").rows]
    assert says[0].startswith("Each further visit in the month multiplies") and says[1].startswith(
        "One more in late fees"
    )


def test_a_negative_estimate_is_fewer_with_its_interval_the_right_way_round() -> None:
    found = answer(
        "linear", demo_tables()["Branches"], {"response": "visits", "terms": ["floor_area", "district", "bus"]}
    )
    says = {r["term"].s: r["says"].s for r in found.block("in_words").rows}
    row = next(r for r in found.block("coefficients").rows if r["term"].s == "district: Moor edge")
    assert "fewer visits a week" in says["district: Moor edge"]
    assert f"{abs(row['ci_high'].v):.0f} to {abs(row['ci_low'].v):.0f}" in says["district: Moor edge"]
    assert " fewer to " in says["Distance to the bus"] or "bus" in says["Distance to the bus"]


def test_a_row_beyond_all_doubt_is_no_separation() -> None:
    """One far value makes its own probability certain; estimates stay finite, and so do their profile intervals."""
    data = some(80)
    data["x"][3], data["d"][3] = 400.0, "yes"
    found = logistic(table_from(**data), ["x", "z"], interval="profile")
    assert check(found, "separation").verdict == "holds"
    row = found.block("coefficients").rows[1]
    assert row["estimate"].v * 400 > 30 and row["ci_low"].v is not None
