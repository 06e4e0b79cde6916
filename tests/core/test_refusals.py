"""What the data or a question cannot carry is said in a sentence that names column and rows."""

from typing import Any

import pytest

from tests.core.test_options import SUMMARIES
from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.table import DataProblem

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
    (
        "study_size",
        {"a": [1, 2]},
        {"design": "two_proportions", "share": 0.3, "other_share": 0.5, "alternative": "greater"},
        "does not lie above",
    ),
    ("proportion", {"a": ["y", "n", "y"]}, {"column": "a", "value": 0.5, "margin": 10}, "type 0.1"),
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


@pytest.mark.parametrize(
    ("method", "columns", "spec", "words"),
    [
        (
            "correlate",
            {"a": [1, None], "b": [2, 3]},
            {"columns": ["a", "b"], "kind": "kendall"},
            "only 1 row with both filled",
        ),
        (
            "distribution",
            {"a": [1, 2, None], "g": [None, None, "u"]},
            {"column": "a", "by": "g"},
            "No row has a and g both filled",
        ),
    ],
)
def test_next_to_nothing_is_refused(
    method: str, columns: dict[str, list[Any]], spec: dict[str, Any], words: str
) -> None:
    with pytest.raises(DataProblem, match=words):
        answer(method, table_from(**columns), spec)


def test_comparing_without_every_row_says_so() -> None:
    found = answer("missing", table_from(a=[1, 2], b=[3, None]), {"without": [1, 2]})
    assert found.block("without").rows[1]["says"].s == "Without them no row is left."


def test_nearly_perfect_ranks_have_a_p() -> None:
    y = [1, 2, 3, 4, 5, 6, 7]
    found = answer("correlate", table_from(a=y, b=[2 * v for v in y]), {"columns": ["a", "b"], "kind": "spearman"})
    assert found.facts["p"] == 0 or found.facts["p"] < 1e-6


@pytest.mark.parametrize("kind", ["pearson", "spearman", "kendall"])
def test_four_rows_have_a_correlation(kind: str) -> None:
    found = answer("correlate", table_from(a=[1, 2, 3, 4], b=[2, 1, 4, 3]), {"columns": ["a", "b"], "kind": kind})
    assert found.facts["r"] == pytest.approx({"pearson": 0.6, "spearman": 0.6, "kendall": 1 / 3}[kind])
    assert ("ci_low" in found.facts) == (kind != "kendall")  # τ needs five rows for an interval
