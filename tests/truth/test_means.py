"""Estimated means and comparisons in sets: against other methods of the house, a general library, and by hand."""

from typing import Any

import numpy as np
import pytest
import statsmodels.formula.api as smf
from scipy import stats
from statsmodels.stats.multitest import multipletests

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer
from yavik.core.methods import answer
from yavik.core.table import DataProblem

T = demo_tables()
VISITS: dict[str, Any] = {
    "response": "visits",
    "terms": ["floor_area", "district", "cafe", {"interaction": ["district", "cafe"]}],
}
GLUE = table_from(
    glue=["a"] * 8 + ["b"] * 11 + ["c"] * 6 + ["d"] * 9,
    hours=np.round(np.random.default_rng(4).normal(np.repeat([20.0, 22, 23, 20.5], [8, 11, 6, 9]), 2), 1),
)


def frame(name: str) -> Any:
    table = T[name]
    import pandas as pd

    data = {}
    for column in table.columns:
        coded = column.kind in ("category", "ordered", "yes_no")
        data[column.name] = (
            np.array(table.texts(column.name), object) if coded else table.array(column.name).to_pandas()
        )
    return pd.DataFrame(data)


def cell(found: Answer, block: str, pair: str, key: str) -> float:
    row = next(r for r in found.block(block).rows if r["pair"].s == pair)
    value = row[key].v
    assert isinstance(value, float)
    return value


def test_of_one_category_they_are_the_comparison_of_groups() -> None:
    groups = answer("compare_groups", GLUE, {"response": "hours", "groups": "glue", "test": "anova"})
    model = answer("linear", GLUE, {"response": "hours", "terms": ["glue"]})
    for r in groups.block("pairs").rows:
        pair = str(r["pair"].s).replace(" – ", " − ")
        for key in ("difference", "se", "p", "p_adjusted", "ci_low", "ci_high"):
            assert cell(model, "pairs", pair, key) == pytest.approx(float(r[key].v), rel=1e-6), key
    means = {r["group"].s: r["mean"].v for r in groups.block("groups").rows}
    assert {r["level"].s: r["mean"].v for r in model.block("means").rows} == pytest.approx(means)


@pytest.mark.parametrize("how", ["bonferroni", "holm", "sidak", "none"])
def test_adjusted_p_are_those_of_a_general_library(how: str) -> None:
    found = answer("linear", GLUE, {"response": "hours", "terms": ["glue"], "adjust": how})
    raw = [float(r["p"].v) for r in found.block("pairs").rows]
    own = [float(r["p_adjusted"].v) for r in found.block("pairs").rows]
    there = raw if how == "none" else multipletests(raw, method={"sidak": "sidak", "holm": "holm"}.get(how, how))[1]
    assert own == pytest.approx(list(there))
    first = found.block("pairs").rows[0]
    share = {"none": 0.05, "sidak": 1 - 0.95 ** (1 / 6)}.get(how, 0.05 / 6)
    reach = stats.t.isf(share / 2, 30) * float(first["se"].v)
    assert first["ci_high"].v == pytest.approx(float(first["difference"].v) + reach)


def test_means_and_differences_within_levels_are_combinations_of_coefficients() -> None:
    spec = {**VISITS, "sets": [{"of": ["district"], "within": ["cafe"]}, {"of": ["cafe"], "within": ["district"]}]}
    found, data = answer("linear", T["Branches"], spec), frame("Branches")
    other = smf.ols("visits ~ floor_area + C(district) * C(cafe)", data).fit()
    districts = sorted(set(data.district))
    one = f"C(district)[T.{districts[1]}]"  # the first level is the reference
    test = other.t_test(f"-{one} - {one}:C(cafe)[T.yes] = 0")
    rows = [
        r
        for r in found.block("pairs").rows
        if r["within"].s == "yes" and r["pair"].s == f"{districts[0]} − {districts[1]}"
    ]
    assert float(rows[0]["difference"].v) == pytest.approx(float(test.effect[0]))
    assert float(rows[0]["se"].v) == pytest.approx(float(test.sd[0][0])) and float(rows[0]["p"].v) == pytest.approx(
        float(test.pvalue)
    )
    within = [r for r in found.block("pairs_2").rows if r["within"].s == districts[0]]
    assert len(within) == 1  # one family for each district
    assert within[0]["p"].v == pytest.approx(
        float(within[0]["p_adjusted"].v), rel=1e-3
    )  # of two means Tukey’s is t itself


def test_levels_weigh_alike_or_as_found() -> None:
    table, data = T["Branches"], frame("Branches")
    spec = {"response": "visits", "terms": ["district", "cafe"]}
    other = smf.ols("visits ~ C(district) + C(cafe)", data).fit()
    alike, as_found = (answer("linear", table, {**spec, "weigh": w}) for w in ("equal", "found"))
    for level in set(data.district):
        both = [float(other.predict({"district": [level], "cafe": [c]})[0]) for c in ("no", "yes")]
        share = (data.cafe == "yes").mean()
        rows = [next(r for r in a.block("means").rows if r["level"].s == level) for a in (alike, as_found)]
        assert rows[0]["mean"].v == pytest.approx(np.mean(both))
        assert rows[1]["mean"].v == pytest.approx(both[0] * (1 - share) + both[1] * share)
    assert "as often as they are found" in (as_found.block("means").note or "")


def test_each_against_one_level_and_against_the_one_before() -> None:
    sets = [{"of": ["glue"], "kind": "to_level", "level": "c"}, {"of": ["glue"], "kind": "consecutive"}]
    found = answer("linear", GLUE, {"response": "hours", "terms": ["glue"], "sets": sets, "adjust": "holm"})
    assert [r["pair"].s for r in found.block("pairs").rows] == ["a − c", "b − c", "d − c"]
    assert [r["pair"].s for r in found.block("pairs_2").rows] == ["b − a", "c − b", "d − c"]
    by_tukey = answer("linear", GLUE, {"response": "hours", "terms": ["glue"], "sets": sets})
    assert "by Holm" in (by_tukey.block("pairs").note or "")  # Tukey is of all pairs
    for row in by_tukey.block("pairs").rows:
        assert float(row["p_adjusted"].v) == pytest.approx(cell(found, "pairs", row["pair"].s, "p_adjusted"))


def test_trends_and_weights() -> None:
    rng = np.random.default_rng(6)
    dose = np.repeat(["0", "10", "40"], 10)
    table = table_from(
        dose=[f"{d} mg" for d in dose], y=np.round(3 + 0.2 * dose.astype(float) + rng.normal(0, 2, 30), 2)
    )
    trend = answer(
        "linear",
        table,
        {"response": "y", "terms": ["dose"], "sets": [{"of": ["dose"], "kind": "polynomial"}], "adjust": "none"},
    )
    linear = trend.block("pairs").rows[0]
    t = stats.linregress(dose.astype(float), table.numbers("y"))
    assert linear["pair"].s == "linear" and float(linear["difference"].v) > 0
    whole = smf.ols("y ~ C(d)", {"y": table.numbers("y"), "d": dose}).fit()
    assert float(linear["t"].v) == pytest.approx(
        t.slope / (np.sqrt(whole.mse_resid) / np.sqrt(((dose.astype(float) - dose.astype(float).mean()) ** 2).sum()))
    )
    weights = {
        "of": ["dose"],
        "kind": "weights",
        "weights": {"0 mg": -1, "10 mg": 0.5, "40 mg": 0.5},
        "label": "any dose",
    }
    found = answer("linear", table, {"response": "y", "terms": ["dose"], "sets": [weights]})
    y = table.numbers("y")
    assert cell(found, "pairs", "any dose", "difference") == pytest.approx(y[10:].mean() - y[:10].mean())


def test_of_odds_and_rates_they_are_ratios() -> None:
    odds = answer(
        "logistic", T["Winter challenge"], {"response": "finished", "terms": ["minutes", "card"], "adjust": "none"}
    )
    b = odds.facts["card=child.b"]
    assert cell(odds, "pairs", "adult − child", "difference") == pytest.approx(-float(b))
    assert cell(odds, "pairs", "adult − child", "odds_ratio") == pytest.approx(float(np.exp(-float(b))))
    assert cell(odds, "pairs", "adult − child", "p") == pytest.approx(float(odds.facts["card=child.p"]))
    spec = {"response": "visits", "terms": ["corner"], "family": "negative_binomial"}
    rates = answer("counts_model", T["Corner visits"], spec)
    ratio = cell(rates, "pairs", "cushions − tent", "rate_ratio")
    means = {r["level"].s: float(r["mean"].v) for r in rates.block("means").rows}
    assert ratio == pytest.approx(means["cushions"] / means["tent"])


def test_categories_held_at_a_level_are_held_in_means_too() -> None:
    found = answer("linear", T["Branches"], {**VISITS, "at": {"cafe": "yes", "floor_area": 300}})
    note = found.block("means").note or ""
    assert "Has a café yes" in note and "300" in note
    spec = {**VISITS, "at": {"floor_area": 300}, "means_of": [["district", "cafe"]]}
    cells = answer("linear", T["Branches"], spec).block("means").rows
    held = {r["level"].s: r["mean"].v for r in found.block("means").rows}
    assert {r["level0"].s: r["mean"].v for r in cells if r["level1"].s == "yes"} == pytest.approx(held)


def test_families_hold_their_error_where_nothing_differs() -> None:
    """Tukey's pairs among four means of an unbalanced design with a covariate: some claim in one study of twenty."""
    rng, claims, g = np.random.default_rng(8), 0, np.repeat(list("abcd"), [5, 9, 7, 12])
    for _ in range(300):
        x = rng.normal(size=33)
        table = table_from(g=list(g), x=x, y=x + rng.normal(size=33))
        found = answer("linear", table, {"response": "y", "terms": ["g", "x"]})
        claims += any(float(r["p_adjusted"].v) < 0.05 for r in found.block("pairs").rows)
    assert 0.02 < claims / 300 < 0.085


@pytest.mark.parametrize(
    ("sets", "says"),
    [
        ([{"of": ["floor_area"]}], "floor_area is a number"),
        ([{"of": ["town"]}], "none of its columns"),
        ([{"of": ["district"], "kind": "to_level", "level": "Nowhere"}], "no level 'Nowhere'"),
        ([{"of": ["district"], "kind": "weights", "weights": {"Lakeside": 1}}], "sum to zero"),
    ],
)
def test_what_cannot_be_compared_is_said(sets: list[dict[str, Any]], says: str) -> None:
    with pytest.raises(DataProblem) as refused:
        answer("linear", T["Branches"], {**VISITS, "sets": sets})
    assert says in refused.value.message


def test_a_combination_without_rows_is_not_made_up() -> None:
    g, h = ["a"] * 6 + ["b"] * 6 + ["c"] * 6, ["x", "y"] * 6 + ["x"] * 6
    y = list(np.round(np.random.default_rng(1).normal(5, 1, 18), 2))
    spec = {
        "response": "y",
        "terms": ["g", "h", {"interaction": ["g", "h"]}],
        "means_of": [["g", "h"]],
        "sets": [{"of": ["g"], "within": ["h"]}],
    }
    found = answer("linear", table_from(g=g, h=h, y=y), spec)
    lost = next(r for r in found.block("means").rows if r["level0"].s == "c" and r["level1"].s == "y")
    assert lost["mean"].v is None and lost["n"].v == 0
    assert [r["pair"].s for r in found.block("pairs").rows if r["within"].s == "y"] == ["a − b"]
