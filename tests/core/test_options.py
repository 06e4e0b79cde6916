"""Every option of every method gives an answer without holes; what cannot be answered is said in a sentence."""

import json
import math
from typing import Any, get_args

import numpy as np
import pytest
from scipy.stats import norm

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, TableBlock
from yavik.core.methods import answer, methods
from yavik.core.table import DataProblem

SUMMARIES = [
    {"label": x, "n": n, "mean": m, "sd": s}
    for x, n, m, s in (("a", 12, 4.1, 1.2), ("b", 15, 5.3, 2.0), ("c", 9, 4.9, 1.1))
]
DOING = [{"label": "doing", "weights": {"with puppets": 1, "acted out": 1, "read aloud": -2}}]
"""Method, table, spec, and for each option the values to be tried on top of it."""
CASES: list[tuple[str, str, dict[str, Any], dict[str, list[Any]]]] = [
    ("describe", "Room trial", {"columns": ["minutes", "seat"]}, {"by": ["room"]}),
    ("frequencies", "Room trial", {"columns": ["seat", "town"]}, {"by": ["room"]}),
    ("distribution", "Corner visits", {"column": "visits"}, {"by": ["corner"], "bins": [4, 30], "line": [10.0]}),
    ("missing", "Reading motives", {}, {"columns": [["m1", "m10"]]}),
    (
        "correlate",
        "Reading pace",
        {"columns": ["pace", "span", "recall"]},
        {
            "kind": [],
            "adjust": [],
            "holding": [["practice"], ["rest", "practice"]],
            "missing": ["pairwise"],
            "alternative": [],
        },
    ),
    (
        "one_sample",
        "Reading pace",
        {"column": "pace", "value": 160.0},
        {"test": [], "alternative": [], "value": [30.0]},
    ),
    (
        "compare_two",
        "Page tint",
        {"response": "brightness", "groups": "mill"},
        {"test": [], "alternative": [], "difference": [0.5], "exact": [], "continuity": [False]},
    ),
    (
        "compare_two",
        "Page tint",
        {"response": "brightness", "groups": "mill", "test": "mann_whitney"},
        {"exact": [], "continuity": [False], "alternative": []},
    ),
    ("compare_two", "Binding glue", {"samples": ["bone glue", "resin"]}, {"test": []}),
    ("compare_two", "Page tint", {"summaries": SUMMARIES[:2]}, {"test": ["student", "welch"]}),
    (
        "compare_spread",
        "Room trial",
        {"response": "minutes", "groups": ["room"]},
        {"test": ["all", "bartlett", "levene", "brown_forsythe"], "groups": [["room", "seat"]]},
    ),
    (
        "compare_spread",
        "Page tint",
        {"response": "brightness", "groups": ["mill"], "test": "f"},
        {"ratio": [2.0], "alternative": []},
    ),
    ("compare_spread", "Binding glue", {"summaries": SUMMARIES}, {"test": ["all", "bartlett"]}),
    ("compare_spread", "Binding glue", {"samples": ["bone glue", "resin"]}, {"test": []}),
    (
        "compare_paired",
        "Reading pace",
        {"first": "attention", "second": "recall"},
        {"test": [], "alternative": [], "difference": [40.0]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "samples": []},
        {
            "test": ["auto", "anova", "welch", "brown_forsythe", "kruskal_wallis", "permutation"],
            "pairs": [],
            "contrasts": ["polynomial", "control", DOING],
            "letters_order": [],
            "block": ["group"],
        },
    ),
    ("compare_groups", "Story hours", {"response": "words", "groups": "telling", "pairs": "dunn"}, {"adjust": []}),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "pairs": "dunnett"},
        {"control": ["acted out"]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "contrasts": DOING},
        {"contrasts_adjust": [], "test": ["anova", "welch"]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "block": "group"},
        {
            "test": ["auto", "anova", "friedman", "kruskal_wallis", "permutation"],
            "pairs": ["tukey", "lsd", "bonferroni", "holm", "sidak", "scheffe", "dunnett", "snk", "duncan"],
            "contrasts": ["polynomial", "control", DOING],
        },
    ),
    (
        "compare_groups",
        "Story hours",
        {"summaries": SUMMARIES},
        {"test": ["auto", "anova", "welch", "brown_forsythe"], "pairs": ["tukey", "snk", "dunnett", "games_howell"]},
    ),
    (
        "factorial",
        "Seat and light, unbalanced",
        {"response": "minutes", "factors": ["seat", "light"]},
        {
            "interactions": ["all", "none", [["seat", "light"]]],
            "sums_of_squares": [],
            "pairs": [],
            "pairs_of": [[["seat", "light"]], [["light"]]],
        },
    ),
    (
        "factorial",
        "Fluency",
        {"response": "fluency", "factors": ["tutoring", "week"], "covariates": ["slept"]},
        {"at": [{"slept": 8.0}], "block": ["child"]},
    ),
    ("repeated", "Binding glue", {"columns": ["bone glue", "starch paste", "resin"]}, {"correction": [], "test": []}),
    (
        "repeated",
        "Fluency",
        {"response": "fluency", "subject": "child", "within": "week"},
        {"between": ["tutoring"], "covariates": [["slept"]], "correction": [], "test": []},
    ),
    (
        "crosstab",
        "Winter challenge",
        {"rows": "card", "columns": "finished"},
        {"layers": ["reminders"], "exact": [], "draws": [199]},
    ),
    ("crosstab", "Winter challenge", {"rows": "age_group", "columns": "card"}, {"count": ["visits"]}),
    ("proportion", "Winter challenge", {"column": "finished"}, {"event": ["no"], "groups": ["card"], "value": [0.5]}),
    ("proportion", "Winter challenge", {"column": "finished", "groups": "reminders"}, {"alternative": []}),
    (
        "goodness_of_fit",
        "Winter challenge",
        {"column": "card"},
        {"expected": [{"adult": 4, "child": 2, "family": 2, "senior": 2}]},
    ),
    ("paired_proportions", "Word quiz", {"columns": ["item1", "item2"]}, {"columns": [["item1", "item2", "item3"]]}),
    (
        "study_size",
        "Branches",
        {},
        {
            "design": [],
            "find": [],
            "column": ["visits"],
            "sd": [2.0],
            "ratio": [2.0],
            "power": [0.95],
            "alternative": [],
        },
    ),
    (
        "study_size",
        "Branches",
        {"design": "two_proportions"},
        {"find": [], "share": [0.1], "other_share": [0.9], "ratio": [3.0]},
    ),
    ("study_size", "Branches", {"design": "chi_square"}, {"find": [], "df": [4], "effect": [0.1], "n": [200]}),
    ("study_size", "Branches", {"design": "one_way"}, {"find": [], "groups": [6], "effect": [0.1]}),
    ("study_size", "Branches", {"design": "correlation"}, {"find": [], "effect": [0.6], "alternative": []}),
]


def values_of(method: str, option: str) -> list[Any]:
    """All values of an option that is a choice."""
    found: list[Any] = []

    def walk(kind: Any) -> None:
        for part in get_args(kind):
            if isinstance(part, str):
                found.append(part)
            else:
                walk(part)

    walk(methods()[method].Spec.model_fields[option].annotation)
    return list(dict.fromkeys(found))


TRIED = [
    (method, table, {**spec, option: value})
    for method, table, spec, options in CASES
    for option, values in options.items()
    for value in (values or values_of(method, option))
]
COMMON = [
    (method, table, {**spec, **more})
    for method, table, spec, _ in CASES
    for more in ({"alpha": 0.01}, {"seed": 5}, {"where": "row > 2"}, {"without": [1, 3]})
]


def holes(data: Any, path: str = "") -> list[str]:
    if isinstance(data, dict):
        return [h for k, v in data.items() for h in holes(v, f"{path}.{k}")]
    if isinstance(data, list):
        return [h for i, v in enumerate(data) for h in holes(v, f"{path}[{i}]")]
    return [path] if isinstance(data, float) and not math.isfinite(data) else []


def sound(found: Answer) -> None:
    data = found.model_dump(mode="json")
    assert holes(data) == []
    json.dumps(data, allow_nan=False)
    assert found.headline.rstrip().endswith(".") and "nan" not in found.headline.lower()
    assert found.short and found.rows.used <= found.rows.total
    for block in found.blocks:
        if isinstance(block, TableBlock):
            keys = {c.key for c in block.columns}
            for row in block.rows:
                assert keys <= set(row), (block.id, keys - set(row))
                for cell in row.values():
                    assert cell.v is not None or cell.why or cell.s != "–", (block.id, cell)
                    assert "nan" not in cell.s.lower().split()
        elif block.type == "figure":
            assert block.alt and "NaN" not in json.dumps(block.drawing)


@pytest.mark.parametrize(
    ("method", "table", "spec"), [*TRIED, *COMMON], ids=lambda x: x if isinstance(x, str) else None
)
def test_every_option_gives_a_sound_answer(method: str, table: str, spec: dict[str, Any]) -> None:
    try:
        found = answer(method, demo_tables()[table], spec)
    except DataProblem as problem:
        # An option may be refused where the question cannot carry it; the sentence says why.
        assert len(problem.message) > 20 and problem.message[0].isupper() and problem.message.endswith((".", "?"))
        assert (method, next(reversed(spec))) in REFUSABLE, problem.message
        return
    sound(found)


REFUSABLE = {
    ("compare_spread", "test"),  # F of more than two
    ("compare_spread", "where"),  # two mills of four: a row less leaves one value
    ("study_size", "alternative"),
    ("study_size", "where"),
    ("repeated", "where"),  # a child without its first week is left out
    ("repeated", "without"),
    ("one_sample", "value"),
    ("proportion", "value"),
}


def test_every_option_is_tried() -> None:
    """A new option of a method fails here until it stands in the list."""
    tried: dict[str, set[str]] = {}
    for method, _, spec, options in CASES:
        tried.setdefault(method, set()).update(spec, options)
    shared = {"alpha", "where", "by", "without", "alternative", "missing", "seed"}
    for id, method in methods().items():
        assert set(method.Spec.model_fields) - shared <= tried.get(id, set()), id


@pytest.mark.parametrize(
    ("method", "table", "spec", "by"),
    [
        ("compare_two", "Room trial", {"response": "minutes", "groups": "consent", "test": "mann_whitney"}, "room"),
        ("compare_groups", "Room trial", {"response": "minutes", "groups": "room"}, "light"),
        ("one_sample", "Room trial", {"column": "minutes", "value": 40.0}, "room"),
        ("correlate", "Branches", {"columns": ["visits", "floor_area"]}, "district"),
        ("crosstab", "Winter challenge", {"rows": "reminders", "columns": "finished"}, "card"),
        ("goodness_of_fit", "Winter challenge", {"column": "card"}, "finished"),
    ],
)
def test_again_for_each_level(method: str, table: str, spec: dict[str, Any], by: str) -> None:
    data = demo_tables()[table]
    try:
        found = answer(method, data, {**spec, "by": by})
    except DataProblem as problem:  # all visitors consent: no room has two levels
        assert "one level" in problem.message
        return
    sound(found)
    levels = [r["level"].s for r in found.block("levels").rows]
    assert len(levels) > 1
    name = levels[0]
    alone = answer(method, data, {**spec, "where": f'{by} == "{name}"'})
    assert found.facts[f"{name}.p"] == pytest.approx(alone.facts["p"])
    assert found.rows.used <= found.rows.total


def test_a_level_that_cannot_be_answered_says_why_beside_the_others() -> None:
    table = table_from(y=[1, 2, 3, 4, 9, 9], g=["a", "a", "b", "b", "a", "a"], k=["u", "u", "u", "u", "v", "v"])
    found = answer("compare_two", table, {"response": "y", "groups": "g", "by": "k"})
    says = {r["level"].s: r["says"].s for r in found.block("levels").rows}
    assert (says["v"].startswith("No answer: g has one level") and "−" in found.headline) or "=" in found.headline
    with pytest.raises(DataProblem, match="already stands in the sentence"):
        answer("compare_two", table, {"response": "y", "groups": "g", "by": "g"})


def test_with_and_without_rows_says_yes_or_no() -> None:
    y = [1, 2, 3, 2, 1, 2, 3, 30, 2, 3, 2, 3, 4, 3, 2, 3]
    table = table_from(y=y, g=["a"] * 8 + ["b"] * 8)
    found = answer("compare_two", table, {"response": "y", "groups": "g", "without": [8]})
    block = found.block("without")
    assert [r["n"].v for r in block.rows] == [16, 15]
    rest = answer("compare_two", table, {"response": "y", "groups": "g", "where": "row != 8"})
    assert found.facts["without.p"] == pytest.approx(rest.facts["p"])
    assert block.rows[1]["says"].s == rest.headline
    changed = (found.facts["p"] < 0.05) != (rest.facts["p"] < 0.05)
    assert ("changes" in block.note) == changed
    nothing = answer("compare_two", table, {"response": "y", "groups": "g", "without": [99]})
    assert "None of the rows" in nothing.block("without").text


REFUSED: list[tuple[str, dict[str, list[Any]], dict[str, Any], str]] = [
    (
        "compare_two",
        {"y": [1, 2, 3, 4, 5, 6], "g": list("aabbcc")},
        {"response": "y", "groups": "g"},
        "g has 3 levels: a, b and c; this question compares two",
    ),
    (
        "compare_two",
        {"y": [1, 2, 3], "g": list("aab")},
        {"response": "y", "groups": "g"},
        r"b has one value \(row 3\)",
    ),
    ("compare_two", {"y": [1, 1, 2, 2], "g": list("aabb")}, {"response": "y", "groups": "g"}, "no spread to judge"),
    (
        "compare_two",
        {"y": [1, 1, 1, 1], "g": list("aabb")},
        {"response": "y", "groups": "g", "test": "mann_whitney"},
        "cannot be ranked",
    ),
    ("compare_two", {"y": [1.0], "g": ["a"]}, {"summaries": SUMMARIES}, "compares 2 samples; 3 are typed"),
    (
        "compare_two",
        {"y": [1.0], "g": ["a"]},
        {"summaries": SUMMARIES[:2], "test": "permutation"},
        "need the values themselves",
    ),
    ("one_sample", {"y": [3.0, 3, 3]}, {"column": "y"}, "All values of y are the same"),
    ("one_sample", {"y": [3.0]}, {"column": "y"}, "y has 1 filled cell"),
    ("one_sample", {"y": [3.0, 4]}, {"column": "y", "test": "variance", "value": -1.0}, "must be above zero"),
    ("compare_paired", {"a": [1, 2, None], "b": [None, None, 3]}, {"first": "a", "second": "b"}, "0 rows have both"),
    (
        "compare_paired",
        {"a": [1, 2, 3], "b": [2, 3, 4]},
        {"first": "a", "second": "b"},
        "All differences are the same",
    ),
    (
        "compare_paired",
        {"a": [1, 2, 3], "b": [1, 2, 3]},
        {"first": "a", "second": "b", "test": "sign"},
        "nothing lies above or below",
    ),
    (
        "compare_spread",
        {"y": [1, 2, 3], "g": list("aab")},
        {"response": "y", "groups": ["g"]},
        r"b has one value \(row 3\)",
    ),
    (
        "compare_spread",
        {"y": [1, 2, 3, 5, 6, 9], "g": list("aabbcc")},
        {"response": "y", "groups": ["g"], "test": "f"},
        "compares two variances; there are 3 groups",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb")},
        {"response": "y", "groups": "g", "test": "friedman"},
        "name the block",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb"), "b": list("uvuv")},
        {"response": "y", "groups": "g", "block": "b", "test": "welch"},
        "compares independent groups",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb"), "b": list("uuvv")},
        {"response": "y", "groups": "g", "block": "b"},
        "share no block|nothing is left",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb")},
        {"response": "y", "groups": "g", "contrasts": [{"label": "x", "weights": {"a": 1, "b": 1}}]},
        "sum to 2; those of a contrast sum to zero",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb")},
        {"response": "y", "groups": "g", "contrasts": [{"label": "x", "weights": {"a": 1, "z": -1}}]},
        "there is no group 'z'",
    ),
    (
        "compare_groups",
        {"y": [1, 2, 3, 5], "g": list("aabb")},
        {"response": "y", "groups": "g", "pairs": "dunnett", "control": "q"},
        "control 'q' is not among",
    ),
    (
        "compare_groups",
        {"y": [1.0], "g": ["a"]},
        {"summaries": [*SUMMARIES, SUMMARIES[0]]},
        "'a' is the label of two samples",
    ),
    (
        "factorial",
        {"y": [1, 2, 3, 5], "a": list("uuvv"), "b": list("xyxy")},
        {"response": "y", "factors": ["a", "b"]},
        "uses up all 4 rows",
    ),
    (
        "factorial",
        {"y": [1, 2, 3, 5], "a": list("uuvv"), "b": list("xxxx")},
        {"response": "y", "factors": ["a", "b"]},
        "b has one level, 'x'",
    ),
    (
        "factorial",
        {"y": [1, 2, 3, 5], "a": list("uuvv"), "b": list("xyxy")},
        {"response": "y", "factors": ["a"]},
        "One factor alone",
    ),
    (
        "factorial",
        {"y": [1, 2, 3, 5, 4], "a": list("uuvvu"), "b": list("xyxyx")},
        {"response": "y", "factors": ["a", "b"], "interactions": [["a", "q"]]},
        "q: it is not among the factors",
    ),
    (
        "factorial",
        {"y": [2, 2, 2, 2, 2], "a": list("uuvvu"), "b": list("xyxyx")},
        {"response": "y", "factors": ["a", "b"]},
        "All values of y are the same",
    ),
    (
        "repeated",
        {"y": [1, 2, 3, 4], "s": list("aabb"), "t": list("xxxy")},
        {"response": "y", "subject": "s", "within": "t"},
        "a has 2 values at x; one is needed",
    ),
    (
        "repeated",
        {"y": [1, 2, 3, 4], "s": list("aabb"), "t": list("xyxy"), "g": list("mnmm")},
        {"response": "y", "subject": "s", "within": "t", "between": "g"},
        "a stands in more than one level of g",
    ),
    ("repeated", {"a": [1, 2, 3], "b": [2, 3, 4]}, {"columns": ["a"]}, "two times"),
    ("repeated", {"a": [1, 2, 3], "b": [2, 3, 4]}, {"columns": ["a", "b"]}, "exactly the same amounts"),
    ("crosstab", {"a": list("xxx"), "b": list("uvu")}, {"rows": "a", "columns": "b"}, "a has one level, 'x'"),
    (
        "crosstab",
        {"a": list("xyx"), "b": list("uvu"), "n": [1, -2, 3]},
        {"rows": "a", "columns": "b", "count": "n"},
        "not a whole number of zero or more",
    ),
    ("proportion", {"a": ["yes", "no", "yes"]}, {"column": "a", "event": "maybe"}, "no level 'maybe'"),
    (
        "proportion",
        {"a": ["yes", "yes", "yes"], "g": list("uvv")},
        {"column": "a", "groups": "g"},
        "nothing to compare",
    ),
    (
        "goodness_of_fit",
        {"a": list("xxyz")},
        {"column": "a", "expected": {"x": 1, "y": 1}},
        "No share is expected of z",
    ),
    ("goodness_of_fit", {"a": list("xxyz")}, {"column": "a", "expected": {"x": 1, "y": 1, "z": -1}}, "zero or more"),
    (
        "paired_proportions",
        {"a": ["yes", "no"], "b": ["yes", "no"], "c": ["no", "no"]},
        {"columns": ["a"]},
        "needs two occasions",
    ),
    ("paired_proportions", {"a": list("xyz"), "b": ["yes", "no", "no"]}, {"columns": ["a", "b"]}, "a has 3 levels"),
    ("correlate", {"a": [1, 2, 3], "b": [5, 5, 5]}, {"columns": ["a", "b"]}, "all values of b are the same"),
    (
        "correlate",
        {"a": [1, 2, 3], "b": [5, 6, 5]},
        {"columns": ["a", "b"], "holding": ["b"]},
        "b stands in two places",
    ),
    ("distribution", {"a": [None, None], "b": [1, 2]}, {"column": "a"}, "a"),
    ("frequencies", {"a": list(range(300))}, {"columns": ["a"]}, "300 different values"),
    ("study_size", {"a": [1, 2]}, {"difference": 0.0}, "never be found"),
    ("study_size", {"a": [1, 2]}, {"difference": 1e-6}, "ten million"),
    ("describe", {"a": [1, 2]}, {"columns": ["a"], "alternative": "less"}, "no direction"),
    ("describe", {"a": [1, 2]}, {"columns": ["a"], "missing": "pairwise"}, "filled throughout"),
]


@pytest.mark.parametrize(("method", "columns", "spec", "words"), REFUSED)
def test_what_the_data_cannot_carry_is_said(
    method: str, columns: dict[str, list[Any]], spec: dict[str, Any], words: str
) -> None:
    with pytest.raises(DataProblem, match=words) as caught:
        answer(method, table_from(**columns), spec)
    assert "nan" not in caught.value.message and "Traceback" not in caught.value.message


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
