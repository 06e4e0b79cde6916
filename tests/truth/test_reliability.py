"""Reliability of scales: two routes to each number, intervals that hold, items found that run the other way."""

from typing import Any

import numpy as np
import pytest
from statsmodels.multivariate.factor import Factor

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.items.adequacy import by_chance
from yavik.core.stats.scales import (
    Alpha,
    cronbach,
    omega,
    one_factor,
    split_half,
    turned,
    with_the_rest,
    without_each,
)
from yavik.core.steps import new_step
from yavik.core.steps.path import apply_step
from yavik.core.table import DataProblem

ESCAPE = ["m1", "m2", "m3", "m4", "m5", "m11"]


def alpha_from(x: Any) -> Alpha:
    """α of answers, shape (n, k)."""
    return cronbach(np.cov(x, rowvar=False), len(x), 0.95)


def made(n: int = 200, loadings: Any = (0.8, 0.7, 0.6, 0.5, 0.7), seed: int = 2) -> Any:
    rng, lam = np.random.default_rng(seed), np.array(loadings)
    return rng.normal(size=(n, 1)) * lam + rng.normal(size=(n, len(lam))) * np.sqrt(1 - lam**2)


def test_alpha_is_that_of_the_analysis_of_variance() -> None:
    """Hoyt (1941): α = 1 − MS of residuals / MS of people."""
    x = made() * [1, 2, 0.5, 1, 3] + 10
    n, k = x.shape
    people = k * ((x.mean(axis=1) - x.mean()) ** 2).sum() / (n - 1)
    rest = x - x.mean(axis=1, keepdims=True) - x.mean(axis=0) + x.mean()
    residual = (rest**2).sum() / ((n - 1) * (k - 1))
    assert alpha_from(x).raw == pytest.approx(1 - residual / people)


def test_alpha_of_two_tables_worked_out_by_hand() -> None:
    x = np.array([[1.0, 2, 3], [2, 3, 4], [3, 3, 5], [4, 5, 5], [5, 4, 6]])
    found = alpha_from(x)
    variances, whole = x.var(axis=0, ddof=1).sum(), x.sum(axis=1).var(ddof=1)
    assert found.raw == pytest.approx(1.5 * (1 - variances / whole))
    r = np.corrcoef(x, rowvar=False)
    mean_r = (r[0, 1] + r[0, 2] + r[1, 2]) / 3
    assert found.standardised == pytest.approx(3 * mean_r / (1 + 2 * mean_r)) and found.mean_r == pytest.approx(
        mean_r
    )


def test_feldts_interval_holds_its_level() -> None:
    """Of items that differ only in their means α is .8; nineteen in twenty intervals hold it."""
    rng, hits = np.random.default_rng(7), 0
    for _ in range(1000):
        person = rng.normal(size=(40, 1))
        found = alpha_from(person + rng.normal(size=(40, 6)) * np.sqrt(1.5))
        hits += found.low < 6 / (6 + 1.5) < found.high
    assert 0.93 < hits / 1000 < 0.97


def test_one_factor_is_that_of_a_general_library() -> None:
    x = made(400)
    r = np.corrcoef(x, rowvar=False)
    found = one_factor(r)
    other = Factor(corr=r, n_factor=1, method="ml", nobs=400).fit(maxiter=2000, opt={"gtol": 1e-9})
    assert found is not None and found.proper
    assert found.loadings == pytest.approx(np.abs(other.loadings[:, 0]), abs=1e-4)
    assert found.unique == pytest.approx(1 - found.loadings**2, abs=1e-6)
    assert found.loadings == pytest.approx([0.8, 0.7, 0.6, 0.5, 0.7], abs=0.12)


def test_omega_is_alpha_where_items_are_alike_and_more_where_they_are_not() -> None:
    same = made(20_000, (0.7,) * 5)
    r = np.corrcoef(same, rowvar=False)
    found = one_factor(r)
    assert found and omega(found, np.ones(5)) == pytest.approx(alpha_from(same).raw, abs=0.005)
    truth = np.array([0.95, 0.9, 0.4, 0.3])
    uneven = made(20_000, truth)
    found = one_factor(np.corrcoef(uneven, rowvar=False))
    assert found is not None
    whole = truth.sum() ** 2 / (truth.sum() ** 2 + (1 - truth**2).sum())
    assert omega(found, uneven.std(axis=0)) == pytest.approx(whole, abs=0.01)
    assert omega(found, uneven.std(axis=0)) > alpha_from(uneven).raw


def test_each_item_beside_the_rest() -> None:
    x = made() * [1, 2, 0.5, 1, 3]
    s = np.cov(x, rowvar=False)
    for i in range(5):
        rest = np.delete(x, i, axis=1)
        assert with_the_rest(s)[i] == pytest.approx(np.corrcoef(x[:, i], rest.sum(axis=1))[0, 1])
        assert without_each(s)[i] == pytest.approx(alpha_from(rest).raw)
    assert np.isnan(without_each(s[:2, :2])).all()


def test_halves() -> None:
    x = made()[:, :4]
    s = np.cov(x, rowvar=False)
    first = np.array([True, False, True, False])
    a, b = x[:, first].sum(axis=1), x[:, ~first].sum(axis=1)
    r, stepped, guttman = split_half(s, first)
    assert r == pytest.approx(np.corrcoef(a, b)[0, 1]) and stepped == pytest.approx(2 * r / (1 + r))
    assert guttman == pytest.approx(2 * (1 - (a.var(ddof=1) + b.var(ddof=1)) / (a + b).var(ddof=1)))
    # Horst's formula finds the reliability of parallel items whatever the lengths of the halves.
    parallel = np.full((5, 5), 0.5) + 0.5 * np.eye(5)
    whole = 5 * 0.5 / (1 + 4 * 0.5)
    for size in (1, 2, 3):
        assert split_half(parallel, np.arange(5) < size)[1] == pytest.approx(whole)


def test_items_that_run_the_other_way_are_found_and_turned() -> None:
    x = made()
    x[:, 3] *= -1
    assert turned(np.cov(x, rowvar=False)).tolist() == [False, False, False, True, False]
    assert turned(np.cov(-x, rowvar=False)).tolist() == [False, False, False, True, False]  # the smaller side
    whole = np.clip(np.round(x * 1.2 + 3), 1, 5).astype(int)
    table = table_from(**{f"q{i}": whole[:, i] for i in range(5)})
    items = [f"q{i}" for i in range(5)]
    found = answer("reliability", table, {"items": items})
    check = next(c for c in found.checks if c.id == "reversed")
    assert found.facts["reversed"] == 1 and "1 of them turned round" in found.headline
    assert check.remedies[0].step == {"step": "reverse", "columns": ["q3"], "low": 1.0, "high": 5.0}
    by_hand = table_from(**{f"q{i}": (6 - whole[:, i] if i == 3 else whole[:, i]) for i in range(5)})
    again = answer("reliability", by_hand, {"items": items})
    for name in ("cronbach_alpha", "omega", "q3.mean", "q1.alpha_without"):
        assert again.facts[name] == pytest.approx(found.facts[name])
    assert (
        answer("reliability", table, {"items": items, "reversed": []}).facts["cronbach_alpha"]
        < found.facts["cronbach_alpha"]
    )


def test_chance_has_no_more_factors_than_it_should() -> None:
    rng, limits = (
        np.random.default_rng(3),
        np.quantile(by_chance(150, 6, 200, np.random.default_rng(1)), 0.95, axis=0),
    )
    first = [np.linalg.eigvalsh(np.corrcoef(rng.normal(size=(150, 6)), rowvar=False))[-1] for _ in range(400)]
    assert 0.02 < np.mean(np.array(first) > limits[0]) < 0.1


def test_the_demo_finds_its_truth() -> None:
    """Six items of escape measure one thing; the item with the pencil belongs to neither, and there are two factors."""
    table = demo_tables()["Reading motives"]
    six = answer("reliability", table, {"items": ESCAPE})
    assert six.facts["cronbach_alpha.ci_low"] > 0.75
    assert next(c for c in six.checks if c.id == "one_factor").verdict == "holds"
    twelve = answer("reliability", table, {"items": [f"m{i}" for i in range(1, 13)]})
    assert next(c for c in twelve.checks if c.id == "one_factor").facts["factors"] == 2
    astray = next(c for c in twelve.checks if c.id == "astray")
    assert astray.remedies[0].label == "Leave out m12" and "pencil" in twelve.headline
    row = next(r for r in twelve.block("items").rows if r["name"].s == "m12")
    assert row["item"].s == "I usually read with a pencil in my hand"


def test_the_score_is_the_mean_of_the_items_answered() -> None:
    table = table_from(a=[1, 2, 3, 4, 5, None], b=[2, 2, 3, 5, 5, None], c=[1, 3, 3, 4, None, 2])
    (column, values), *_ = new_columns(table, "reliability", {"items": ["a", "b", "c"]})
    assert column.name == "score"
    assert values.to_pylist() == pytest.approx([4 / 3, 7 / 3, 3.0, 13 / 3, 5.0, None])


@pytest.mark.parametrize(
    ("columns", "spec", "says"),
    [
        ({"a": [1, 2, 3], "b": [2, 2, 2]}, {"items": ["a", "b"]}, "All answers to b are the same"),
        ({"a": [1, 2, 3], "b": [3, 2, 1]}, {"items": ["a", "b"], "reversed": []}, "same in every row"),
        ({"a": [1, 2, 3], "b": [3, 2, 1]}, {"items": ["a"]}, "two items"),
        (
            {"a": [1, 2, 3], "b": [3, 2, 1], "c": [1, 2, 3]},
            {"items": ["a", "b"], "reversed": ["c"]},
            "not among the items",
        ),
        ({"a": [1, None, 3], "b": [3, 2, None]}, {"items": ["a", "b"]}, "1 row has all 2 items filled"),
    ],
)
def test_what_is_no_scale_is_said(columns: dict[str, Any], spec: dict[str, Any], says: str) -> None:
    with pytest.raises(DataProblem) as refused:
        answer("reliability", table_from(**columns), spec)
    assert says in refused.value.message


def test_the_length_of_an_item_is_that_of_its_scale_not_of_the_answers_it_got() -> None:
    """Nobody took the last two of seven steps, but they are there; a number has no steps but those seen."""
    rng = np.random.default_rng(3)
    common = rng.normal(size=80)
    five = np.clip(np.round(3 + common + rng.normal(size=80) * 0.6), 1, 5).astype(int)
    short = np.clip(np.round(2 + common / 2 + rng.normal(size=80) * 0.3), 1, 3).astype(int)
    levels = [{"value": str(v)} for v in range(1, 8)]
    table = table_from(a=five.tolist(), b=short.tolist())
    stepped, _ = apply_step(table, new_step({"step": "levels", "column": "a", "levels": levels}))
    stepped, _ = apply_step(stepped, new_step({"step": "kind", "column": "a", "kind": "ordered"}))
    spec = {"items": ["a", "b"], "reversed": []}
    text = next(c.text for c in answer("reliability", stepped, spec).checks if c.id == "lengths")
    assert text.startswith("Answers to b run over 2 steps, those to a over 6:")
    seen = next(c.text for c in answer("reliability", table, spec).checks if c.id == "lengths")
    assert seen.startswith("Answers to b run over 2 steps, those to a over 4:")
