"""Laws that hold whatever the data: shifts, scales, order of rows and of levels, layouts, and what adds up."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.tables import table_from
from yavik.core.answers import Answer
from yavik.core.methods import answer
from yavik.core.stats.contrasts import polynomial
from yavik.core.stats.draws import several_groups, two_samples
from yavik.core.stats.groups import Groups
from yavik.core.stats.letters import letters
from yavik.core.stats.normality import anderson_darling, lilliefors
from yavik.core.stats.one import signed_rank
from yavik.core.stats.shares import wilson
from yavik.core.stats.tables_of_counts import fisher_2x2, independence, ordinal
from yavik.core.stats.two import mann_whitney, subset_sums

values = st.lists(st.integers(-400, 400).map(lambda x: x / 10), min_size=4, max_size=14)
seeds = st.integers(0, 10_000)
laws = settings(max_examples=12, deadline=None)


def design(seed: int, n: int = 36) -> dict[str, list[Any]]:
    rng = np.random.default_rng(seed)
    a, b = rng.integers(0, 3, n), rng.integers(0, 2, n)
    a[:6], b[:6] = [0, 0, 1, 1, 2, 2], [0, 1, 0, 1, 0, 1]  # no cell is empty
    x = rng.normal(10, 3, n).round(2)
    y = (rng.normal(size=n) + a + 0.2 * x).round(3)
    return {"y": y.tolist(), "a": [f"a{i}" for i in a], "b": [f"b{i}" for i in b], "x": x.tolist()}


def ask(method: str, data: dict[str, list[Any]], /, **spec: Any) -> Answer:
    return answer(method, table_from(**data), spec)


@laws
@given(values, values, st.integers(-50, 50), st.integers(1, 9))
def test_shift_and_scale_leave_two_groups_as_they_are(a: list[float], b: list[float], shift: int, scale: int) -> None:
    if len(set(a)) < 2 or len(set(b)) < 2:
        return
    groups = ["a"] * len(a) + ["b"] * len(b)
    moved = [round(v * scale + shift, 6) for v in [*a, *b]]
    for test in ("welch", "student", "mann_whitney"):
        one = ask("compare_two", {"y": [*a, *b], "g": groups}, response="y", groups="g", test=test)
        two = ask("compare_two", {"y": moved, "g": groups}, response="y", groups="g", test=test)
        assert two.facts["p"] == pytest.approx(one.facts["p"], rel=1e-6, abs=1e-12)
        assert two.facts["estimate"] == pytest.approx(scale * float(one.facts["estimate"]), rel=1e-6, abs=1e-7)
        assert two.facts.get("cohen_d", 0) == pytest.approx(one.facts.get("cohen_d", 0), rel=1e-6, abs=1e-9)


@laws
@given(values, values)
def test_exchanging_two_groups_turns_the_sign(a: list[float], b: list[float]) -> None:
    if len(set(a)) < 2 or len(set(b)) < 2:
        return
    one = ask(
        "compare_two",
        {"y": [*a, *b], "g": ["a"] * len(a) + ["b"] * len(b)},
        response="y",
        groups="g",
        alternative="less",
    )
    two = ask(
        "compare_two",
        {"y": [*b, *a], "g": ["a"] * len(b) + ["b"] * len(a)},
        response="y",
        groups="g",
        alternative="greater",
    )
    assert one.facts["p"] == pytest.approx(two.facts["p"])
    assert one.facts["estimate"] == pytest.approx(-float(two.facts["estimate"]))
    assert float(one.facts["superiority"]) + float(two.facts["superiority"]) == pytest.approx(1)


@laws
@given(values, values)
def test_side_by_side_says_what_stacked_says(a: list[float], b: list[float]) -> None:
    n = min(len(a), len(b))
    a, b = a[:n], b[:n]
    if len(set(a)) < 2 or len(set(b)) < 2:
        return
    stacked = {"y": [*a, *b], "g": ["a"] * n + ["b"] * n}
    for method, spec in (
        ("compare_two", {"response": "y", "groups": "g"}),
        ("compare_spread", {"response": "y", "groups": ["g"], "test": "bartlett"}),
    ):
        one = ask(method, stacked, **spec)
        rest = {k: v for k, v in spec.items() if k not in ("response", "groups")}
        two = ask(method, {"a": a, "b": b}, samples=["a", "b"], **rest)
        assert one.facts["p"] == pytest.approx(two.facts["p"], rel=1e-9)


@laws
@given(seeds)
def test_the_order_of_rows_changes_nothing(seed: int) -> None:
    data = design(seed)
    order = np.random.default_rng(seed + 1).permutation(len(data["y"]))
    mixed = {k: [v[i] for i in order] for k, v in data.items()}
    for method, spec in (
        ("factorial", {"response": "y", "factors": ["a", "b"], "covariates": ["x"]}),
        ("correlate", {"columns": ["x", "y"], "kind": "kendall"}),
        ("crosstab", {"rows": "a", "columns": "b", "exact": "no"}),
        ("compare_spread", {"response": "y", "groups": ["a"]}),
    ):
        one, two = ask(method, data, **spec), ask(method, mixed, **spec)
        assert two.facts["p"] == pytest.approx(one.facts["p"], rel=1e-8)


@laws
@given(seeds, st.integers(-1000, 1000))
def test_a_shift_of_measurement_and_covariate_leaves_f(seed: int, shift: int) -> None:
    data = design(seed)
    moved = {**data, "y": [round(v + shift, 3) for v in data["y"]], "x": [round(v * 4 - shift, 3) for v in data["x"]]}
    spec = {"response": "y", "factors": ["a", "b"], "covariates": ["x"]}
    one, two = ask("factorial", data, **spec), ask("factorial", moved, **spec)
    for term in ("a", "b", "a:b", "x"):
        assert two.facts[f"{term}.f"] == pytest.approx(one.facts[f"{term}.f"], rel=1e-6, abs=1e-9)


@laws
@given(seeds)
def test_type_one_adds_up_and_the_last_term_is_the_same_in_all_types(seed: int) -> None:
    data = design(seed)
    found = {
        k: ask("factorial", data, response="y", factors=["a", "b"], sums_of_squares=k) for k in ("i", "ii", "iii")
    }
    one = found["i"].facts
    y = np.array(data["y"])
    total = float(((y - y.mean()) ** 2).sum())
    assert sum(float(one[f"{t}.ss"]) for t in ("a", "b", "a:b", "residual")) == pytest.approx(total)
    for kind in ("ii", "iii"):
        assert found[kind].facts["a:b.ss"] == pytest.approx(one["a:b.ss"])


@laws
@given(seeds)
def test_balanced_types_agree(seed: int) -> None:
    rng = np.random.default_rng(seed)
    a, b = np.repeat(np.arange(3), 8), np.tile(np.repeat(np.arange(2), 4), 3)
    data = {"y": rng.normal(size=24).round(4).tolist(), "a": [f"a{i}" for i in a], "b": [f"b{i}" for i in b]}
    found = [ask("factorial", data, response="y", factors=["a", "b"], sums_of_squares=k) for k in ("i", "ii", "iii")]
    for term in ("a", "b", "a:b"):
        sizes = [float(f.facts[f"{term}.ss"]) for f in found]
        assert sizes == pytest.approx([sizes[0]] * 3)


@laws
@given(seeds)
def test_contrasts_of_two_levels_are_the_pair(seed: int) -> None:
    data = design(seed)
    spec = {"response": "y", "groups": "a", "test": "anova", "pairs": "lsd"}
    planned = [{"label": "first", "weights": {"a0": 1, "a1": -1}}]
    found = ask("compare_groups", data, **spec, contrasts=planned)
    pair, contrast = found.block("pairs").rows[0], found.block("contrasts").rows[0]
    assert contrast["estimate"].v == pytest.approx(pair["difference"].v)
    assert contrast["p"].v == pytest.approx(pair["p"].v)
    scaled = [{"label": "first", "weights": {"a0": 7, "a1": -7}}]
    again = ask("compare_groups", data, **spec, contrasts=scaled).block("contrasts").rows[0]
    assert again["p"].v == pytest.approx(contrast["p"].v)  # weights of any size ask the same


@laws
@given(st.lists(st.integers(0, 30), min_size=4, max_size=4))
def test_a_table_turned_over_says_the_same(cells: list[int]) -> None:
    counts = np.array(cells, float).reshape(2, 2)
    if np.any(counts.sum(axis=0) == 0) or np.any(counts.sum(axis=1) == 0):
        return
    assert fisher_2x2(counts) == pytest.approx(fisher_2x2(counts.T))
    assert fisher_2x2(counts) == pytest.approx(fisher_2x2(counts[::-1]))
    assert independence(counts).pearson.chi2 == pytest.approx(independence(counts.T).pearson.chi2)
    gamma, turned = ordinal(counts, 0.05).gamma.estimate, ordinal(counts[::-1], 0.05).gamma.estimate
    if np.isfinite(gamma):
        assert gamma == pytest.approx(-turned)


@laws
@given(st.integers(1, 60), st.integers(0, 60))
def test_an_interval_of_a_share_holds_it_and_mirrors(n: int, hits: int) -> None:
    hits = min(hits, n)
    low, high = wilson(hits, n, 0.05)
    assert 0 <= low <= hits / n <= high <= 1
    assert wilson(n - hits, n, 0.05) == pytest.approx((1 - high, 1 - low), abs=1e-12)


@laws
@given(values, values)
def test_rank_tests_know_only_the_order(a: list[float], b: list[float]) -> None:
    x, y = np.sort(np.array(a)), np.sort(np.array(b))
    bent = mann_whitney(np.exp(x / 20), np.exp(y / 20))
    plain = mann_whitney(x, y)
    assert (bent.u, bent.p) == (plain.u, pytest.approx(plain.p, nan_ok=True))
    if np.ptp([*a, *b]) > 0:
        away = np.array(a) - 0.05
        assert signed_rank(away).p == pytest.approx(signed_rank(-away).p)


@laws
@given(st.lists(st.integers(1, 9), min_size=2, max_size=9), st.data())
def test_chances_of_sums_are_chances(scores: list[int], data: st.DataObject) -> None:
    size = data.draw(st.integers(1, len(scores)))
    chances = subset_sums(np.array(scores, float), size)
    assert chances.sum() == pytest.approx(1) and np.all(chances >= 0)
    assert chances @ np.arange(len(chances)) == pytest.approx(size * np.mean(scores))


@laws
@given(st.integers(2, 12), st.data())
def test_letters_for_any_pattern(k: int, data: st.DataObject) -> None:
    pairs = [(i, j) for i in range(k) for j in range(i + 1, k)]
    differ = set(data.draw(st.lists(st.sampled_from(pairs), unique=True)))
    found = [set(x) for x in letters(range(k), differ)]
    assert all(found)
    for i, j in pairs:
        assert bool(found[i] & found[j]) == ((i, j) not in differ)


@laws
@given(st.lists(st.integers(-100, 100), min_size=2, max_size=9, unique=True))
def test_trends_are_orthogonal_at_any_distances(at: list[int]) -> None:
    _, weights = polynomial(np.array(sorted(at), float))
    assert weights @ weights.T == pytest.approx(np.eye(len(weights)), abs=1e-7)
    assert weights.sum(axis=1) == pytest.approx(np.zeros(len(weights)), abs=1e-7)
    assert np.all(np.diff(weights[0]) > 0)


@laws
@given(values, st.integers(1, 50))
def test_tests_of_shape_ignore_where_and_how_wide(y: list[float], scale: int) -> None:
    s = np.sort(np.array([*y, *(v + 0.3 for v in y)]))
    if np.ptp(s) == 0 or len(s) < 8:
        return
    for test in (anderson_darling, lilliefors):
        assert test(s * scale + 7).statistic == pytest.approx(test(s).statistic, rel=1e-6)
        assert 0 <= test(s).p <= 1


@laws
@given(seeds)
def test_a_permutation_of_two_groups_is_that_of_several(seed: int) -> None:
    rng = np.random.default_rng(seed)
    a, b = rng.normal(0.5, 1, 15), rng.normal(size=20)
    g = Groups(np.concatenate([a, b]), np.array([0, 15, 35]), np.arange(1, 36), ("a", "b"))
    assert several_groups(g, 1500, seed).p == pytest.approx(two_samples(a, b, "two_sided", 1500, seed).p, abs=0.06)
