"""Item response: published estimates, an optimiser of another kind, curvature by differences, simulated tests found
again."""

import itertools
from typing import Any

import numpy as np
import pytest
from scipy import optimize, stats

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.items.response.curvature import hessian
from yavik.core.stats.items.response.curves import curves, expected, information
from yavik.core.stats.items.response.looking import at_ability, hanging_together, item_fit, score_chances
from yavik.core.stats.items.response.marginal import fit, ties
from yavik.core.stats.items.response.people import answers, nodes, posterior
from yavik.demo.people import QUIZ_DIFFICULTY, QUIZ_DISCRIMINATION

LAW = (
    3, 6, 2, 11, 1, 1, 3, 4, 1, 8, 0, 16, 0, 3, 2, 15, 10, 29, 14, 81, 3, 28, 15, 80, 16, 56, 21, 173, 11, 61, 28, 298,
)  # fmt: skip
"""How many of 1000 gave each pattern of answers to section 6 of the law school test (Bock and Lieberman, 1970)."""


def law_codes() -> Any:
    """Answers of the thousand."""
    patterns = np.array(list(itertools.product((0, 1), repeat=5)))
    return np.repeat(patterns, LAW, axis=0)


def simulated(seed: int, n: int, k: int, levels: int = 2, floor: float = 0.0) -> tuple[Any, Any, Any]:
    """Answers, discriminations and difficulties (thresholds)."""
    rng = np.random.default_rng(seed)
    theta, a = rng.normal(size=(n, 1)), rng.uniform(0.7, 2.0, k)
    if levels == 2:
        b = rng.normal(size=k)
        p = floor + (1 - floor) / (1 + np.exp(-a * (theta - b)))
        return (rng.random((n, k)) < p).astype(int), a, b
    b = np.sort(rng.normal(0, 1.2, (k, levels - 1)), axis=1)
    y = a * theta + rng.logistic(size=(n, k))
    return (y[:, :, None] > a[:, None] * b).sum(axis=2), a, b


def test_published_estimates_of_the_law_test() -> None:
    a = answers(law_codes(), [2] * 5)
    assert a.people == 1000 and len(a.codes) == 30
    one = fit(a, "one_parameter", nodes(61))
    assert one.log_likelihood == pytest.approx(-2466.938, abs=5e-4)
    assert np.allclose(one.discrimination, 0.7551, atol=5e-5)
    assert np.allclose(-one.beta[:, 1] / one.beta[:, 0], [-3.6153, -1.3224, -0.3176, -1.7301, -2.7802], atol=2e-4)
    two = fit(a, "two_parameter", nodes(61))
    assert two.log_likelihood == pytest.approx(-2466.653, abs=5e-4)
    assert np.allclose(two.discrimination, [0.8256, 0.7227, 0.8907, 0.6883, 0.6571], atol=6e-4)
    assert np.allclose(-two.beta[:, 1] / two.beta[:, 0], [-3.359, -1.370, -0.280, -1.866, -3.125], atol=2e-3)
    assert one.settled and two.settled


def marginal(flat: Any, codes: Any, model: Any, levels: Any, tie: Any, at: Any) -> float:
    """The log-likelihood as its definition has it, person by person."""
    width = {"one_parameter": 2, "two_parameter": 2, "three_parameter": 3, "graded": max(levels)}[model]
    beta = (tie @ flat).reshape(-1, width)
    chance = curves(model, beta, np.array(levels), at.theta).chance
    total = 0.0
    whole = np.ones((len(codes), len(at.theta)))
    for j in range(codes.shape[1]):
        seen = codes[:, j] >= 0
        whole[seen] *= chance[j, codes[seen, j]]
    total = float(np.log(whole @ at.weight).sum())
    return total


@pytest.mark.parametrize(
    ("model", "levels", "floor"),
    [("one_parameter", 2, 0.0), ("two_parameter", 2, 0.0), ("three_parameter", 2, 0.2), ("graded", 4, 0.0)],
)
def test_another_optimiser_and_curvature_by_differences(model: Any, levels: int, floor: float) -> None:
    codes, _, _ = simulated(11, 1500 if floor else 600, 4 if levels > 2 else 6, levels, floor)
    codes = codes.copy()
    if not floor:
        codes[np.random.default_rng(3).random(codes.shape) < 0.05] = -1
    many = [levels] * codes.shape[1]
    a, at = answers(codes, many), nodes(41)
    found = fit(a, model, at)
    assert found.settled
    tie = ties(model, a)
    start = np.linalg.lstsq(tie, found.beta.ravel(), rcond=None)[0]
    assert marginal(start, codes, model, many, tie, at) == pytest.approx(found.log_likelihood, abs=1e-8)
    if not found.floors.any():
        best = optimize.minimize(lambda v: -marginal(v, codes, model, many, tie, at), start + 0.05, method="BFGS")
        assert -best.fun <= found.log_likelihood + 1e-6
        assert -best.fun == pytest.approx(found.log_likelihood, abs=1e-4)
        assert np.allclose(best.x, start, atol=0.02)
    # Second derivatives of the whole likelihood by differences.
    step = 1e-4
    size = len(start)
    by_hand = np.empty((size, size))
    for i in range(size):
        for j in range(i + 1):
            total = 0.0
            for s, u in itertools.product((1, -1), repeat=2):
                v = start.copy()
                v[i] += s * step
                v[j] += u * step
                total += s * u * marginal(v, codes, model, many, tie, at)
            by_hand[i, j] = by_hand[j, i] = total / (4 * step**2)
    exact = curves(model, found.beta, a.levels, at.theta, bend=True)
    analytic = tie.T @ hessian(a, posterior(a, exact, at), exact) @ tie
    assert np.allclose(analytic, by_hand, rtol=1e-3, atol=0.02 * np.abs(np.diag(by_hand)).min() + 1e-3)


def test_nodes_refined_until_estimates_stand_still() -> None:
    a = answers(law_codes(), [2] * 5)
    coarse, fine = fit(a, "two_parameter", nodes(41)), fit(a, "two_parameter", nodes(161))
    assert np.abs(coarse.beta - fine.beta).max() < 1e-6
    codes, _, _ = simulated(2, 1000, 30)
    long = answers(codes, [2] * 30)
    assert (
        np.abs(fit(long, "two_parameter", nodes(41)).beta - fit(long, "two_parameter", nodes(81)).beta).max() < 1e-3
    )


def test_people_alike_are_put_together_without_change() -> None:
    codes = law_codes()
    a = answers(codes, [2] * 5)
    assert np.array_equal(a.codes[a.pattern], codes)
    rng = np.random.default_rng(1)
    wide = rng.integers(-1, 3, (50, 60))
    made = answers(wide, [3] * 60)
    assert np.array_equal(made.codes[made.pattern], wide)


@pytest.mark.parametrize("levels", [2, 4])
def test_intervals_hold_what_they_promise(levels: int) -> None:
    """Coverage of 95 % intervals of discriminations over simulated tests."""
    inside = []
    for seed in range(60):
        codes, true, _ = simulated(100 + seed, 500, 6, levels)
        if any(len(np.unique(codes[:, j])) < levels for j in range(6)):
            continue
        found = fit(answers(codes, [levels] * 6), "graded" if levels > 2 else "two_parameter", nodes(41))
        width = found.beta.shape[1]
        se = np.sqrt(np.diag(found.covariance)[::width])
        inside.append(np.abs(found.discrimination - true) < 1.96 * se)
    assert 0.91 < np.mean(inside) < 0.98


def test_a_graded_test_is_found_again_with_unequal_levels() -> None:
    rng = np.random.default_rng(4)
    codes, a, b = simulated(5, 4000, 8, 4)
    codes[:, 0] = np.minimum(codes[:, 0], 1)
    codes[:, 1] = np.minimum(codes[:, 1], 2)
    levels = [2, 3, *[4] * 6]
    found = fit(answers(codes, levels), "graded", nodes(41))
    assert found.settled and found.parameters == sum(levels)
    assert np.abs(found.discrimination / a - 1).max() < 0.2
    for j, k in enumerate(levels):
        own = -found.beta[j, 1:k] / found.beta[j, 0]
        assert np.abs(own - b[j, : k - 1]).max() < 0.25
    del rng


def test_an_item_that_runs_backwards_is_found_so() -> None:
    codes, _, _ = simulated(6, 2000, 8)
    codes[:, 3] = 1 - codes[:, 3]
    found = fit(answers(codes, [2] * 8), "two_parameter", nodes(41))
    assert found.discrimination[3] < -0.4 and (np.delete(found.discrimination, 3) > 0.4).all()


def test_sum_scores_by_enumeration() -> None:
    codes, _, _ = simulated(7, 500, 4, 3)
    found = fit(answers(codes, [3] * 4), "graded", nodes(21))
    chance = curves("graded", found.beta, np.array([3] * 4), found.at.theta).chance
    whole, rest = score_chances(chance)
    by_hand, without = np.zeros_like(whole), np.zeros_like(whole)
    for pattern in itertools.product(range(3), repeat=4):
        p = np.prod([chance[j, k] for j, k in enumerate(pattern)], axis=0)
        by_hand[sum(pattern)] += p
    for pattern in itertools.product(range(3), repeat=3):
        without[sum(pattern)] += np.prod([chance[j + 1, k] for j, k in enumerate(pattern)], axis=0)
    assert np.abs(whole - by_hand).max() < 1e-12
    assert np.abs(rest[0] - without).max() < 1e-12


@pytest.mark.parametrize("levels", [2, 3])
def test_item_fit_keeps_its_level(levels: int) -> None:
    found = []
    for seed in range(50):
        codes, _, _ = simulated(300 + seed, 900, 8, levels)
        model: Any = "graded" if levels > 2 else "two_parameter"
        found += [v.p for v in item_fit(fit(answers(codes, [levels] * 8), model, nodes(31)))]
    p = np.array(found)
    assert np.isfinite(p).all()
    assert 0.02 < (p < 0.05).mean() < 0.085


def test_item_fit_sees_a_floor() -> None:
    codes, _, _ = simulated(8, 6000, 12)
    rng = np.random.default_rng(9)
    codes[:, 0] = np.where((codes[:, 0] == 0) & (rng.random(6000) < 0.35), 1, codes[:, 0])
    p = [v.p for v in item_fit(fit(answers(codes, [2] * 12), "two_parameter", nodes(41)))]
    assert int(np.argmin(p)) == 0 and p[0] < 0.01


def test_two_items_that_hang_together_are_seen() -> None:
    codes, _, _ = simulated(10, 1500, 10)
    codes[:, 1] = np.where(np.random.default_rng(2).random(1500) < 0.6, codes[:, 0], codes[:, 1])
    found = fit(answers(codes, [2] * 10), "two_parameter", nodes(41))
    q3 = hanging_together(found.answers, at_ability(found).residual)
    i, j = np.unravel_index(int(np.nanargmax(q3)), q3.shape)
    assert {int(i), int(j)} == {0, 1} and q3[0, 1] - np.nanmean(q3) > 0.2


def test_information_is_the_curvature_of_the_answers() -> None:
    theta = np.linspace(-3, 3, 13)
    for model, beta, levels in (
        ("two_parameter", np.array([[1.3, -0.4]]), [2]), ("three_parameter", np.array([[1.3, -0.4, -1.2]]), [2]),
        ("graded", np.array([[1.4, 1.5, 0.2, -1.0]]), [4]),
    ):  # fmt: skip
        h = 1e-5
        up = curves(model, beta, np.array(levels), theta + h).chance  # type: ignore[arg-type]
        down = curves(model, beta, np.array(levels), theta - h).chance  # type: ignore[arg-type]
        middle = curves(model, beta, np.array(levels), theta).chance  # type: ignore[arg-type]
        by_hand = (((up - down) / (2 * h)) ** 2 / middle).sum(axis=1)
        found = information(model, beta, np.array(levels), theta)  # type: ignore[arg-type]
        assert np.allclose(found, by_hand, rtol=1e-6)
        assert np.allclose(middle.sum(axis=1), 1)


def test_abilities_are_posterior_means() -> None:
    codes = law_codes()
    found = fit(answers(codes, [2] * 5), "two_parameter", nodes(61))
    a, c = found.beta.T
    theta = np.linspace(-8, 8, 4001)
    mean, sd = found.ability
    for i in (0, 500, 999):
        p = 1 / (1 + np.exp(-(a[:, None] * theta + c[:, None])))
        w = stats.norm.pdf(theta) * np.prod(np.where(codes[i][:, None] == 1, p, 1 - p), axis=0)
        m = float((w * theta).sum() / w.sum())
        assert mean[i] == pytest.approx(m, abs=1e-5)
        assert sd[i] == pytest.approx(np.sqrt((w * (theta - m) ** 2).sum() / w.sum()), abs=1e-5)


def test_the_quiz_is_found_again() -> None:
    table = demo_tables()["Word quiz"]
    items = [f"item{j}" for j in range(1, 10)]
    found = answer("item_response", table, {"items": items, "sort_by": "discrimination", "order": "descending"})
    for j, name in enumerate(items):
        a, b = QUIZ_DISCRIMINATION[j], QUIZ_DIFFICULTY[j]
        assert abs(float(found.facts[f"{name}.discrimination"]) - a) < 3 * float(
            found.facts[f"{name}.discrimination.se"]
        )
        assert abs(float(found.facts[f"{name}.difficulty"]) - b) < 3 * float(found.facts[f"{name}.difficulty.se"])
    assert float(found.facts["two_parameter.bic"]) < float(found.facts["one_parameter.bic"])
    assert float(found.facts["two_parameter.bic"]) < float(found.facts["three_parameter.bic"])
    made = {
        c.name: v.to_numpy(zero_copy_only=False) for c, v in new_columns(table, "item_response", {"items": items})
    }
    assert set(made) == {"ability", "ability_se", "expected_score"}
    total = np.sum([table.numbers(i) for i in items], axis=0)
    assert np.corrcoef(total, made["ability"])[0, 1] > 0.97
    assert np.var(made["ability"]) + np.mean(made["ability_se"] ** 2) == pytest.approx(1, abs=0.05)


def test_an_ability_and_its_score_are_read_off_both_ways() -> None:
    codes, _, _ = simulated(12, 400, 6)
    table = table_from(**{f"q{j}": codes[:, j].tolist() for j in range(6)})
    names = [f"q{j}" for j in range(6)]
    there = answer("item_response", table, {"items": names, "ability": 0.7})
    total = float(there.facts["score"])
    back = answer("item_response", table, {"items": names, "score": total})
    rows = next(b for b in back.blocks if b.type == "table" and b.id == "read_off").rows
    assert rows[1]["ability"].v == pytest.approx(0.7, abs=1e-6)
    beta = fit(answers(codes, [2] * 6), "two_parameter", nodes(41)).beta
    chance = curves("two_parameter", beta, np.array([2] * 6), np.array([0.7])).chance
    assert total == pytest.approx(float(expected(chance).sum()), abs=1e-6)


def test_answers_in_words_are_scored_by_the_key() -> None:
    codes, _, _ = simulated(13, 300, 5)
    words = np.where(
        codes == 1, "vellum", np.where(np.random.default_rng(1).random(codes.shape) < 0.5, "paper", "card")
    )
    by_words = table_from(**{f"q{j}": words[:, j].tolist() for j in range(5)})
    by_numbers = table_from(**{f"q{j}": codes[:, j].tolist() for j in range(5)})
    names = [f"q{j}" for j in range(5)]
    keyed = answer("item_response", by_words, {"items": names, "key": dict.fromkeys(names, "vellum")})
    plain = answer("item_response", by_numbers, {"items": names})
    for key, value in plain.facts.items():
        assert keyed.facts[key] == value
