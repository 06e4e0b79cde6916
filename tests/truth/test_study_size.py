"""Laws of study sizes, for any design: the fewest rows that do, the smallest difference that is seen, both ways
round."""

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.table import DataProblem

NONE = table_from(a=[1.0, 2.0])
DESIGNS: list[dict[str, Any]] = [
    {"design": "two_means"},
    {"design": "two_means", "ratio": 2.5},
    {"design": "paired_means"},
    {"design": "one_mean"},
    {"design": "one_way", "groups": 5},
    {"design": "correlation"},
    {"design": "chi_square", "df": 4},
]
designs = st.sampled_from(DESIGNS)
effects = st.integers(10, 120).map(lambda k: k / 100)


def asked(design: dict[str, Any], effect: float, **more: Any) -> dict[str, Any]:
    size = min(effect, 0.9) if design["design"] == "correlation" else effect
    return {**design, ("difference" if "means" in design["design"] or "mean" in design["design"] else "effect"): size, **more}  # fmt: skip


def facts(spec: dict[str, Any]) -> dict[str, Any]:
    return dict(answer("study_size", NONE, spec).facts)


@settings(max_examples=40, deadline=None, derandomize=True)
@given(design=designs, effect=effects, power=st.sampled_from([0.6, 0.8, 0.95]), alpha=st.sampled_from([0.01, 0.05]))
def test_the_rows_found_are_the_fewest_that_do(design: Any, effect: float, power: float, alpha: float) -> None:
    n = facts(asked(design, effect, power=power, alpha=alpha))["n"]
    reached = facts(asked(design, effect, find="power", n=n, alpha=alpha))["power"]
    assert reached >= power
    if n > 4:
        assert facts(asked(design, effect, find="power", n=n - 1, alpha=alpha))["power"] < power


@settings(max_examples=20, deadline=None, derandomize=True)
@given(design=designs, n=st.integers(8, 400), power=st.sampled_from([0.7, 0.8, 0.9]))
def test_the_difference_found_has_the_power_asked_for(design: Any, n: int, power: float) -> None:
    try:
        found = facts({**design, "find": "effect", "n": n, "power": power})["effect"]
    except DataProblem:
        assume(False)
    assume(0 < found <= 10)
    key = "effect" if design["design"] in ("one_way", "correlation", "chi_square") else "difference"
    assert facts({**design, "find": "power", "n": n, key: found})["power"] == pytest.approx(power, abs=2e-4)


@settings(max_examples=30, deadline=None, derandomize=True)
@given(effect=effects, n=st.integers(5, 200), alternative=st.sampled_from(["two_sided", "less", "greater"]))
def test_a_difference_the_other_way_is_the_other_side(effect: float, n: int, alternative: str) -> None:
    """A difference is a size here: a one-sided test looks to the side on which it lies."""
    other = {"two_sided": "two_sided", "less": "greater", "greater": "less"}[alternative]
    spec = {"design": "two_means", "find": "power", "n": n}
    one = facts({**spec, "difference": effect, "alternative": alternative})["power"]
    two = facts({**spec, "difference": -effect, "alternative": other})["power"]
    assert one == pytest.approx(two, abs=1e-12)


@pytest.mark.parametrize(("n", "d", "alternative"), [(6, 1.2, "two_sided"), (30, 0.5, "greater"), (12, -0.8, "less")])
def test_power_is_how_often_the_test_finds_it(n: int, d: float, alternative: Any) -> None:
    """Against 40 000 simulated studies."""
    rng = np.random.default_rng(11)
    a, b = rng.normal(d, 1, (40_000, n)), rng.normal(0, 1, (40_000, n))
    side = {"two_sided": "two-sided"}.get(alternative, alternative)
    seen = float((stats.ttest_ind(a, b, axis=1, alternative=side).pvalue < 0.05).mean())
    told = facts({"design": "two_means", "find": "power", "n": n, "difference": d, "alternative": alternative})[
        "power"
    ]
    assert told == pytest.approx(seen, abs=0.008)
