"""A method paragraph names what was done: every option that changes the numbers changes the words."""

import io
from typing import Any

import pytest

from tests.tables import demo_tables
from yavik.core.methods import answer
from yavik.core.report import Embed, ReportLook, assemble
from yavik.core.report.describe import Node
from yavik.core.report.word import write_docx
from yavik.core.report.writing import write_up


def written(method: str, table: str, **spec: Any) -> tuple[str, str]:
    found = answer(method, demo_tables()[table], spec)
    said = [
        "".join(c["text"] if c["type"] == "text" else c["attrs"]["said"] for c in node["content"])
        for node in write_up(found, "q", "Does it differ?")
    ]
    return said[0], said[1]


ROOM = {"response": "minutes", "groups": "room"}
TINT = {"response": "brightness", "groups": "mill"}
PACE = {"column": "pace", "value": 160}
STORY = {"response": "words", "groups": "telling", "block": "group"}
SEATS = {"response": "minutes", "factors": ["seat", "light"]}
WEEKS = {"response": "fluency", "subject": "child", "within": "week", "between": "tutoring"}
SIZE = {"response": "visits", "terms": ["floor_area", "hours_open"]}
LINKS = {"response": "finished", "terms": ["minutes", "card"]}


@pytest.mark.parametrize(
    ("method", "table", "spec", "words"),
    [
        ("compare_groups", "Room trial", {**ROOM, "test": "anova"}, "classical"),
        ("compare_groups", "Room trial", {**ROOM, "test": "welch"}, "Welch"),
        ("compare_groups", "Room trial", {**ROOM, "test": "brown_forsythe"}, "Brown–Forsythe"),
        ("compare_groups", "Room trial", {**ROOM, "test": "kruskal_wallis"}, "pairs by Dunn, adjusted by Holm"),
        ("compare_groups", "Room trial", {**ROOM, "test": "kruskal_wallis", "adjust": "fdr"}, "false discovery rate"),
        ("compare_groups", "Room trial", {**ROOM, "test": "kruskal_wallis", "pairs": "conover"}, "Conover"),
        ("compare_groups", "Room trial", {**ROOM, "test": "anova", "pairs": "scheffe"}, "Scheffé"),
        ("compare_groups", "Room trial", {**ROOM, "test": "permutation"}, "Random numbers began with seed 1"),
        ("compare_groups", "Room trial", {**ROOM, "alpha": 0.01}, "α = .01"),
        ("compare_groups", "Story hours", {**STORY, "test": "friedman"}, "mean ranks, adjusted by Holm"),
        ("compare_groups", "Story hours", STORY, "blocks taken out"),
        ("compare_two", "Page tint", {**TINT, "test": "welch"}, "Welch"),
        ("compare_two", "Page tint", {**TINT, "test": "student"}, "Student"),
        ("compare_two", "Page tint", {**TINT, "test": "mann_whitney"}, "Mann–Whitney"),
        ("compare_two", "Page tint", {**TINT, "alternative": "less"}, "only whether Lower mill is lower"),
        ("one_sample", "Reading pace", {**PACE, "test": "wilcoxon"}, "Wilcoxon"),
        ("one_sample", "Reading pace", {**PACE, "test": "t"}, "against 160"),
        ("factorial", "Seat and light, unbalanced", {**SEATS, "sums_of_squares": "ii"}, "type II sums of squares"),
        ("factorial", "Seat and light, unbalanced", {**SEATS, "sums_of_squares": "i"}, "type I sums of squares"),
        ("repeated", "Fluency", WEEKS, "Greenhouse–Geisser"),
        ("repeated", "Fluency", {**WEEKS, "correction": "huynh_feldt"}, "Huynh–Feldt"),
        ("goodness_of_fit", "Winter challenge", {"column": "card"}, "Pearson's χ²"),
        ("proportion", "Winter challenge", {"column": "finished", "value": 0.5}, "exact binomial"),
        ("proportion", "Winter challenge", {"column": "finished"}, "Wilson"),
        ("proportion", "Winter challenge", {"column": "finished", "groups": "card"}, "Pearson's χ²"),
        ("correlate", "Branches", {"columns": ["floor_area", "visits"], "kind": "spearman"}, "Spearman"),
        ("linear", "Branches", SIZE, "linear regression by least squares"),
        ("linear", "Branches", {**SIZE, "weights": "hours_open"}, "weighted least squares"),
        ("linear", "Branches", {**SIZE, "se": "hc3"}, "HC3"),
        ("linear", "Branches", {**SIZE, "selection": "backward"}, "backward selection"),
        ("logistic", "Winter challenge", LINKS, "logistic regression by maximum likelihood"),
        ("logistic", "Winter challenge", {**LINKS, "penalty": "firth"}, "Firth"),
        ("logistic", "Winter challenge", {**LINKS, "link": "probit"}, "probit"),
        ("logistic", "Winter challenge", {**LINKS, "event": "no"}, "the challenge = no"),
    ],
)
def test_the_method_is_named(method: str, table: str, spec: dict[str, Any], words: str) -> None:
    assert words in written(method, table, **spec)[0]


def test_random_numbers_are_said_only_where_the_statement_rests_on_them() -> None:
    assert "seed" not in written("compare_groups", "Room trial", **ROOM)[0]
    assert "seed" not in written("linear", "Branches", **SIZE)[0]


def test_a_plan_speaks_of_no_rows_and_ranks_of_the_effect_of_ranks() -> None:
    assert "rows were used" not in written("study_size", "Branches")[0]
    assert "ε²" in written("compare_groups", "Room trial", **ROOM, test="kruskal_wallis")[1]
    assert "Rank-biserial" in written("compare_two", "Page tint", **TINT, test="mann_whitney")[1]


def test_pairs_are_said_once_and_not_by_p_alone() -> None:
    said = written("correlate", "Reading pace", columns=["pace", "span", "recall"])[1]
    assert said.count(".70") == 2 and "r\u00a0= .70 (95% CI .56 to .81), p" in said
    assert "Pairs" not in written("missing", "Room trial")[1]


def test_a_subscript_stays_one_on_paper() -> None:
    from docx import Document as opened

    found = answer("compare_groups", demo_tables()["Room trial"], ROOM)
    doc = Node.model_validate({"type": "doc", "content": write_up(found, "q", "Does it differ?")})
    made = write_docx(assemble(doc, lambda _kind, _ref: Embed("Q", answer=found), ReportLook(), None))
    runs = [r for p in opened(io.BytesIO(made)).paragraphs for r in p.runs]
    assert [r.font.subscript for r in runs if r.text == "W"] == [True]
    assert any(r.font.italic for r in runs if r.text == "F")
