"""Every check of every method fires where it should and stays quiet where it need not."""

from typing import Any

import numpy as np
import pytest
from scipy.stats import norm

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer
from yavik.core.methods import answer

RNG = np.random.default_rng(17)


LEVEL = {"g": ["a"] * 20 + ["b"] * 20 + ["c"] * 20, "h": (["u"] * 10 + ["v"] * 10) * 3}


EVEN = np.concatenate([norm.ppf((np.arange(20) + 0.5) / 20) + m for m in (0, 0.5, 1)]).round(3)


WILD = np.concatenate([EVEN[:20], EVEN[20:40] * 9, np.append(EVEN[40:59], 12)]).round(3)


def verdicts(found: Answer) -> dict[str, str]:
    return {c.id: c.verdict.value for c in found.checks}


def test_checks_of_groups_fire_and_stay_quiet() -> None:
    calm = answer("compare_groups", table_from(y=EVEN.tolist(), **LEVEL), {"response": "y", "groups": "g"})
    loud = answer(
        "compare_groups", table_from(y=WILD.tolist(), **LEVEL), {"response": "y", "groups": "g", "test": "anova"}
    )
    assert {verdicts(calm)[k] for k in ("equal_spread", "normal", "outlying", "group_sizes", "pairs")} == {"holds"}
    assert verdicts(loud)["equal_spread"] == "fails" and verdicts(loud)["normal"] == "fails"
    assert verdicts(loud)["outlying"] in ("doubtful", "fails")
    remedy = next(c for c in loud.checks if c.id == "equal_spread").remedies[0]
    assert remedy.spec == {"test": "welch", "pairs": "auto"}


@pytest.mark.parametrize(
    ("columns", "spec", "words"),
    [
        ({"g": ["dry low", "dry high", "wet low", "wet high"] * 8}, {}, "2 × 2 combinations"),
        ({"g": ["a", "b"] * 16}, {}, "one pair"),
        ({"g": ["a", "b", "c", "d"] * 8}, {"pairs": "lsd"}, "tested on its own"),
        ({"g": ["a", "b", "c", "d"] * 8}, {"contrasts": "control"}, "Planned contrasts answer"),
        ({"g": ["a", "b", "c", "d"] * 8}, {}, "Unplanned, unordered"),
    ],
)
def test_when_pairs_are_the_question(columns: dict[str, list[str]], spec: dict[str, Any], words: str) -> None:
    y = np.random.default_rng(3).normal(size=32).round(3).tolist()
    found = answer(
        "compare_groups", table_from(y=y, **columns), {"response": "y", "groups": "g", "test": "anova", **spec}
    )
    assert words in next(c for c in found.checks if c.id == "pairs").text


def test_pairs_that_assume_one_spread_after_a_test_that_does_not() -> None:
    found = answer(
        "compare_groups", table_from(y=WILD.tolist(), **LEVEL), {"response": "y", "groups": "g", "pairs": "tukey"}
    )
    check = next(c for c in found.checks if c.id == "pairs")
    assert check.verdict == "doubtful" and check.remedies[0].spec == {"pairs": "games_howell"}


def test_checks_of_two_groups_pairs_and_one_sample() -> None:
    calm, loud = RNG.normal(size=24).round(3), np.append(RNG.normal(size=23), 40).round(3)
    for values, normal in ((calm, "holds"), (loud, "fails")):
        found = answer("one_sample", table_from(y=values.tolist()), {"column": "y", "value": 1.0})
        assert verdicts(found)["normal"] == normal
        assert (verdicts(found)["outlying"] == "holds") == (normal == "holds")
        paired = answer("compare_paired", table_from(a=values.tolist(), b=[0] * 24), {"first": "a", "second": "b"})
        assert verdicts(paired)["normal"] == normal
    few = answer("one_sample", table_from(y=[1.0, 2, 4]), {"column": "y"})
    assert verdicts(few)["group_sizes"] == "doubtful"
    two = answer(
        "compare_two",
        table_from(y=[*calm, *np.append(calm[1:] * 9, 90.0)], g=["a"] * 24 + ["b"] * 24),
        {"response": "y", "groups": "g", "test": "student"},
    )
    assert verdicts(two)["equal_spread"] in ("doubtful", "fails") and verdicts(two)["normal"] == "fails"
    ties = answer(
        "compare_two",
        table_from(y=[1, 2, 2, 3, 2, 4], g=list("aaabbb")),
        {"response": "y", "groups": "g", "test": "mann_whitney"},
    )
    assert "ties" in verdicts(ties)


def test_checks_of_factors() -> None:
    y = RNG.normal(size=60).round(3)
    calm = answer("factorial", table_from(y=y.tolist(), **LEVEL), {"response": "y", "factors": ["g", "h"]})
    assert {verdicts(calm)[k] for k in ("balance", "equal_spread", "normal", "main_effects")} == {"holds"}
    crossed = y + 4 * ((np.array(LEVEL["g"]) == "a") == (np.array(LEVEL["h"]) == "u"))
    loud = answer(
        "factorial", table_from(y=crossed.round(3).tolist(), **LEVEL), {"response": "y", "factors": ["g", "h"]}
    )
    assert verdicts(loud)["main_effects"] == "doubtful" and "depends on" in loud.headline
    spread = y * np.where(np.array(LEVEL["h"]) == "u", 1, 12)
    loud = answer(
        "factorial", table_from(y=spread.round(3).tolist(), **LEVEL), {"response": "y", "factors": ["g", "h"]}
    )
    assert verdicts(loud)["equal_spread"] == "fails"
    x = RNG.normal(size=60).round(3)
    bent = y * 0.1 + x * np.where(np.array(LEVEL["g"]) == "a", 3, -3)
    loud = answer(
        "factorial",
        table_from(y=bent.round(4).tolist(), x=x.tolist(), **LEVEL),
        {"response": "y", "factors": ["g"], "covariates": ["x"]},
    )
    calm = answer(
        "factorial",
        table_from(y=(y + x).round(3).tolist(), x=x.tolist(), **LEVEL),
        {"response": "y", "factors": ["g"], "covariates": ["x"]},
    )
    assert (verdicts(loud)["slopes"], verdicts(calm)["slopes"]) == ("fails", "holds")
    unequal = answer(
        "factorial",
        table_from(y=y[3:].tolist(), **{k: v[3:] for k, v in LEVEL.items()}),
        {"response": "y", "factors": ["g", "h"], "sums_of_squares": "i"},
    )
    assert verdicts(unequal)["balance"] == "doubtful"


def test_checks_of_blocks_and_times() -> None:
    base = np.random.default_rng(2).normal(size=(15, 4)) * 0.3
    size = np.exp(np.linspace(0, 3, 15))[:, None] * np.array([1, 1.5, 2, 4])
    b, t = [f"b{i}" for i in range(15) for _ in range(4)], [f"t{j}" for _ in range(15) for j in range(4)]
    for values, verdict in ((base + np.arange(4), "holds"), (size + base, "fails")):
        found = answer(
            "compare_groups",
            table_from(y=values.ravel().round(4).tolist(), t=t, b=b),
            {"response": "y", "groups": "t", "block": "b"},
        )
        assert verdicts(found)["additive"] == verdict
    gap = answer(
        "compare_groups",
        table_from(y=base.ravel().round(4).tolist()[1:], t=t[1:], b=b[1:]),
        {"response": "y", "groups": "t", "block": "b"},
    )
    assert verdicts(gap)["group_sizes"] == "doubtful" and verdicts(gap)["additive"] == "unknown"
    walk = np.cumsum(np.random.default_rng(5).normal(size=(15, 4)), axis=1)
    spec = {"response": "y", "subject": "b", "within": "t"}
    calm = answer("repeated", table_from(y=base.ravel().round(4).tolist(), t=t, b=b), spec)
    loud = answer("repeated", table_from(y=walk.ravel().round(4).tolist(), t=t, b=b), {**spec, "correction": "none"})
    assert (verdicts(calm)["sphericity"], verdicts(loud)["sphericity"]) == ("holds", "fails")
    lacking = answer("repeated", table_from(y=base.ravel().round(4).tolist()[1:], t=t[1:], b=b[1:]), spec)
    assert (verdicts(calm)["complete"], verdicts(lacking)["complete"]) == ("holds", "doubtful")


def test_checks_of_counts() -> None:
    few = table_from(a=list("xxxxyyyy"), b=list("uuuvvvvu"))
    found = answer("crosstab", few, {"rows": "a", "columns": "b"})
    assert verdicts(found)["expected"] == "doubtful" and "Fisher" in found.headline
    assert verdicts(answer("crosstab", few, {"rows": "a", "columns": "b", "exact": "no"}))["expected"] == "fails"
    many = answer("crosstab", demo_tables()["Winter challenge"], {"rows": "card", "columns": "finished"})
    assert verdicts(many)["expected"] == "holds"
    rows = (["x"] * 30 + ["y"] * 30) * 2
    flip = (["u"] * 25 + ["v"] * 5 + ["u"] * 5 + ["v"] * 25) + (["u"] * 5 + ["v"] * 25 + ["u"] * 25 + ["v"] * 5)
    layered = answer(
        "crosstab",
        table_from(a=rows, b=flip, k=["m"] * 60 + ["n"] * 60),
        {"rows": "a", "columns": "b", "layers": "k"},
    )
    assert verdicts(layered)["homogeneity"] == "fails"
    assert (
        verdicts(answer("proportion", table_from(a=["yes"] * 3 + ["no"] * 30), {"column": "a"}))["expected"]
        == "doubtful"
    )
    assert verdicts(answer("goodness_of_fit", table_from(a=list("xxyyz")), {"column": "a"}))["expected"] == "doubtful"


def test_checks_of_correlations() -> None:
    x = RNG.normal(size=60).round(3)
    calm = answer(
        "correlate", table_from(a=x.tolist(), b=(x + RNG.normal(size=60)).round(3).tolist()), {"columns": ["a", "b"]}
    )
    far = np.append(RNG.normal(size=59), 30).round(3)
    loud = answer(
        "correlate",
        table_from(a=far.tolist(), b=np.append(RNG.normal(size=59), 30).round(3).tolist()),
        {"columns": ["a", "b"]},
    )
    assert verdicts(calm)["normal"] == "holds" and verdicts(loud)["normal"] == "doubtful"
    assert verdicts(loud)["outlying"] == "fails" and "another picture" in next(
        c.text for c in loud.checks if c.id == "outlying"
    )
    many = answer("correlate", demo_tables()["Reading pace"], {"columns": ["pace", "span", "recall", "attention"]})
    assert verdicts(many)["many"] == "doubtful"
