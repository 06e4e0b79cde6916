"""Answers as a whole: what they say, what they refuse, and laws that must hold."""

import json
import math
import re
import subprocess
import sys
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.tables import demo_tables
from yavik.core.answers import Answer
from yavik.core.files.delimited import read
from yavik.core.methods import answer, methods
from yavik.core.methods.fit import fitting
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem, Table
from yavik.demo import binding_glue, room_trial


def prepared(module: Any) -> Table:
    return apply_path(read(module.as_csv())[0], [new_step(s) for s in module.STEPS]).table


ROOMS, GLUES = prepared(room_trial), prepared(binding_glue)


def table_of(groups: dict[str, list[float]]) -> Table:
    lines = [f"{name},{value!r}" for name, values in groups.items() for value in values]
    return read(("g,y\n" + "\n".join(lines) + "\n").encode())[0]


def compare(table: Table, **spec: Any) -> Answer:
    return answer("compare_groups", table, {"response": "y", "groups": "g", **spec})


def cells(found: Answer, block: str, key: str) -> list[Any]:
    return [row[key].v for row in found.block(block).rows]


def no_nan(data: Any) -> bool:
    if isinstance(data, dict):
        return all(no_nan(v) for v in data.values())
    if isinstance(data, list):
        return all(no_nan(v) for v in data)
    return not (isinstance(data, float) and not math.isfinite(data))


def test_the_demo_finds_its_truth() -> None:
    found = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room"})
    truth = {name: mean for name, (_, mean, _) in room_trial.ROOMS.items()}
    for row in found.block("groups").rows:
        assert row["ci_low"].v - 2 < truth[row["group"].v] < row["ci_high"].v + 2
    assert found.facts["test"] == "welch"
    assert found.facts["pairs"] == "games_howell"
    assert [c.verdict for c in found.checks if c.id == "equal_spread"] == ["fails"]
    assert found.headline.startswith("Mean minutes read differs by reading room, FW(2, ")
    assert found.rows.used == found.rows.total == 108


def test_side_by_side_says_what_stacked_says() -> None:
    lines = ["glue,hours"]
    for name in GLUES.names:
        lines += [f"{name},{v}" for v in GLUES.numbers(name) if not np.isnan(v)]
    stacked = read("\n".join(lines).encode())[0]
    a = answer("compare_groups", GLUES, {"samples": GLUES.names})
    b = answer("compare_groups", stacked, {"response": "hours", "groups": "glue"})
    assert a.facts["welch.f"] == pytest.approx(b.facts["welch.f"], rel=1e-12)
    assert sorted(cells(a, "pairs", "p_adjusted")) == pytest.approx(sorted(cells(b, "pairs", "p_adjusted")), rel=1e-9)
    assert [row["missing"].v for row in a.block("groups").rows] == [10, 0, 2]


@pytest.mark.parametrize("test", ["auto", "anova", "welch", "brown_forsythe", "kruskal_wallis"])
@pytest.mark.parametrize("pairs", ["auto", "tukey", "games_howell", "bonferroni", "holm", "lsd", "dunn"])
def test_every_test_with_every_kind_of_pairs(test: str, pairs: str) -> None:
    found = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room", "test": test, "pairs": pairs})
    assert len(found.block("pairs").rows) == 3
    assert set(cells(found, "groups", "letters")) <= {"a", "b", "ab"}
    data = found.model_dump(mode="json")
    assert no_nan(data)
    assert json.loads(json.dumps(data, allow_nan=False)) == data


@pytest.mark.parametrize(
    ("test", "pairs"),
    [("auto", "games_howell"), ("anova", "tukey"), ("brown_forsythe", "games_howell"), ("kruskal_wallis", "dunn")],
)
def test_pairs_follow_the_test(test: str, pairs: str) -> None:
    assert (
        answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room", "test": test}).facts["pairs"]
        == pairs
    )


def test_auto_takes_welch_also_where_spread_is_equal() -> None:
    equal = {"a": [1, 2, 3, 4.0], "b": [2, 3, 4, 5.0], "c": [9, 10, 11, 12.0]}
    assert compare(table_of(equal)).facts["test"] == "welch"


values = st.lists(st.floats(-50, 50).map(lambda x: round(x, 2)), min_size=3, max_size=9)


@settings(max_examples=40, deadline=None)
@given(st.lists(values, min_size=2, max_size=4), st.integers(-1000, 1000))
def test_a_shift_leaves_f_unchanged(groups: list[list[float]], shift: int) -> None:
    if all(max(g) == min(g) for g in groups):
        return
    named = {f"g{i}": g for i, g in enumerate(groups)}
    moved = {name: [round(v + shift, 2) for v in g] for name, g in named.items()}
    a, b = compare(table_of(named), test="anova"), compare(table_of(moved), test="anova")
    assert a.facts["anova.f"] == pytest.approx(b.facts["anova.f"], rel=1e-6, abs=1e-9)
    assert no_nan(a.model_dump(mode="json"))


def test_the_order_of_rows_does_not_matter() -> None:
    order = np.random.default_rng(1).permutation(ROOMS.n_rows)
    import pyarrow as pa

    mixed = Table(ROOMS.columns, tuple(a.take(pa.array(order)) for a in ROOMS.arrays), ROOMS.rows[order])
    a = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room"})
    b = answer("compare_groups", mixed, {"response": "minutes", "groups": "room"})
    assert a.facts["welch.f"] == pytest.approx(b.facts["welch.f"], rel=1e-12)
    assert a.headline == b.headline


REFUSED: list[tuple[dict[str, list[float]], dict[str, Any], str]] = [
    ({"Bench": [1, 2, 3.0]}, {}, "g has one level, 'Bench'; a comparison needs two."),
    ({"a": [1.0], "b": [2.0]}, {}, "one value; spread within groups cannot be known"),
    ({"a": [1, 1, 1.0], "b": [2, 2, 2.0]}, {}, "all values are the same: there is no spread"),
    (
        {"a": [1, 2, 3.0], "b": [2.0]},
        {"test": "welch"},
        "Welch's test cannot be computed: b has one value \\(row 4\\)",
    ),
    ({"a": [1, 2, 3.0], "b": [2, 2.0]}, {"test": "welch"}, "all values in b are the same"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"response": "z"}, "There is no column 'z'"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"groups": "y"}, "stands in both slots"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"response": "g", "groups": "y"}, "a measure or a count is needed"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"groups": None}, "Fill the slots"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"where": "y > 100"}, "No row has y > 100"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"where": "w > 1"}, "no column 'w'"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"alpha": 0.9}, "alpha: Input should be less than 0.5"),
    ({"a": [1, 2, 3.0], "b": [2, 4.0]}, {"tset": "welch"}, "tset: Extra inputs are not permitted"),
    ({"a": [1, math.inf, 3.0], "b": [2, 4.0]}, {}, "y holds 1 infinite value \\(row 2\\)"),
    ({"a": [math.nan] * 3, "b": [math.nan] * 2}, {}, "y"),
]


@pytest.mark.parametrize(("groups", "spec", "words"), REFUSED)
def test_what_the_data_cannot_carry_is_said(groups: dict[str, list[float]], spec: dict[str, Any], words: str) -> None:
    with pytest.raises(DataProblem, match=words):
        compare(table_of(groups), **spec)


@pytest.mark.parametrize("small", [[7.0], [7.0, 7.0, 7.0]])
def test_auto_stands_in_where_welch_cannot_be_computed_and_says_so(small: list[float]) -> None:
    found = compare(table_of({"a": [1, 2, 3.0], "b": [4, 5, 6.5], "c": small}))
    assert found.facts["test"] == "anova"
    sizes = next(c for c in found.checks if c.id == "group_sizes")
    assert sizes.verdict == "fails"
    assert "Welch's test cannot be computed" in sizes.text
    assert no_nan(found.model_dump(mode="json"))


def test_spread_of_pairs_cannot_be_judged() -> None:
    found = compare(table_of({"a": [1, 2.0], "b": [5, 7.0]}))
    check = next(c for c in found.checks if c.id == "equal_spread")
    assert check.verdict == "unknown" and "cannot be computed" in check.text
    assert no_nan(found.model_dump(mode="json"))


def test_a_cell_that_cannot_be_computed_says_why() -> None:
    found = compare(table_of({"a": [1, 2, 3.0], "b": [4, 5, 6.5], "c": [7.0]}))
    cell = found.block("groups").rows[2]["sd"]
    assert (cell.v, cell.s, cell.why) == (None, "–", "one value has no spread")


def test_outlying_rows_are_named_and_the_remedy_leaves_them_out() -> None:
    groups = {"a": [1, 2, 3, 2, 2, 1, 3, 30.0], "b": [4, 5, 6, 5, 4, 6, 5, 5.0]}
    found = compare(table_of(groups))
    check = next(c for c in found.checks if c.id == "outlying")
    assert "(row 8: 30)" in check.text or "(row 8: 30.0)" in check.text
    assert check.remedies[0].rows == [8]
    assert [r.label for r in check.remedies] == ["Show the rows", "Compare without it", "Leave it out"]
    both = compare(table_of(groups), **(check.remedies[1].spec or {}))
    assert both.rows.used == 16 and [r["n"].v for r in both.block("without").rows] == [16, 15]
    without = compare(table_of(groups), **(check.remedies[2].spec or {}))
    assert without.rows.used == 15
    assert without.rows.left_out[0].n == 1
    assert without.facts["p"] == pytest.approx(check.facts["outlying.p_without"])


MOVED = [
    ({"a": [1, 2, 3, 2, 2, 1, 3, 30.0], "b": [4, 5, 6, 5, 4, 6, 5, 5.0], "c": [21, 22, 23.0]}, [8],
     "The conclusion stays the same, but not for a – b (All pairs, Tukey–Kramer). The estimate goes from "),
    ({"a": [1, 2, 3, 2, 2, 1, 3, 30.0], "b": [4, 5, 6, 5, 4, 6, 5, 5.0], "c": [21, 22, 23.0]}, [18],
     "The conclusion stays the same. The estimate stays at 17.0."),
    ({"a": [1, 2, 3, 2, 2, 1, 3, 30.0], "b": [4, 5, 6, 5, 4, 6, 5, 5.0], "c": [7, 8, 7.0]}, [8],
     "The conclusion changes. The estimate goes from "),
]  # fmt: skip


@pytest.mark.parametrize(("groups", "gone", "words"), MOVED)
def test_what_rows_change_is_said_line_by_line(groups: dict[str, list[float]], gone: list[int], words: str) -> None:
    found = compare(table_of(groups), test="anova", pairs="tukey", without=gone)
    assert (found.block("without").note or "").startswith(words)


def test_empty_cells_and_levels_without_values_are_told() -> None:
    table = read(b"g,y\na,1\na,2\na,3\nb,4\nb,5\nb,\nc,\n,9\n")[0]
    found = compare(table)
    assert [(x.why, x.n) for x in found.rows.left_out] == [("y is empty", 2), ("g is empty", 1)]
    assert cells(found, "groups", "group") == ["a", "b"]
    assert any("c" in c.text and c.id == "group_sizes" for c in found.checks)


def test_repeated_identifiers_are_noticed() -> None:
    table = read(
        b"visitor,g,y\n" + b"".join(b"V%d,%s,%d\n" % (i % 7, b"ab"[i % 2 : i % 2 + 1], i) for i in range(40))
    )[0]
    table = apply_path(table, [new_step({"step": "kind", "column": "visitor", "kind": "identifier"})]).table
    check = next(c for c in compare(table).checks if c.id == "independent")
    assert check.verdict == "doubtful"
    assert check.facts["repeated"] == 33


def test_many_groups_are_not_paired() -> None:
    rng = np.random.default_rng(5)
    found = compare(table_of({f"g{i}": rng.normal(0, 1, 3).round(3).tolist() for i in range(70)}))
    assert "are not compared one by one" in found.headline
    assert all(b.id != "pairs" for b in found.blocks)


def test_letters_from_the_highest() -> None:
    up = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room"})
    down = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room", "letters_order": "down"})
    assert up.marks.letters["Alcove"] == "a"
    assert down.marks.letters["Winter garden"] == "a"


def test_alpha_reaches_intervals_letters_and_words() -> None:
    found = answer("compare_groups", ROOMS, {"response": "minutes", "groups": "room", "alpha": 0.01})
    assert "99% CI" in [c.title for c in found.block("groups").columns]
    assert "α = .01" in found.marks.letters_note


def test_describe_numbers_and_shares() -> None:
    found = answer("describe", ROOMS, {"columns": ["minutes", "seat", "visitor"], "by": "room"})
    assert [row["n"].v for row in found.block("groups").rows] == [30, 40, 38]
    shares = [row["share"].v for row in found.block("frequencies").rows]
    assert sum(shares) == pytest.approx(3)
    assert found.facts["minutes.Alcove.n"] == 30
    assert no_nan(found.model_dump(mode="json"))


@pytest.mark.parametrize("data", [b"x\n1\n", b"x\n5\n5\n5\n5\n5\n", b"x,y\n,1\n,2\n", b"x\n1\n2\n"])
def test_describe_of_next_to_nothing(data: bytes) -> None:
    found = answer("describe", read(data)[0], {"columns": ["x"]})
    assert no_nan(found.model_dump(mode="json"))


BEST: list[tuple[str, list[str], str, str]] = [
    ("Room trial", ["room", "minutes"], "compare_groups", "stacked"),
    ("Room trial", ["minutes"], "distribution", "column"),
    ("Room trial", ["seat"], "frequencies", "columns"),
    ("Room trial", ["room", "seat"], "crosstab", "rows"),
    ("Room trial", ["visitor"], "describe", "columns"),
    ("Page tint", ["mill", "brightness"], "compare_two", "stacked"),
    ("Binding glue", ["bone glue", "starch paste", "resin"], "compare_groups", "side_by_side"),
    ("Seat and light", ["seat", "light", "minutes"], "factorial", "stacked"),
    ("Reading pace", ["pace", "span", "recall"], "correlate", "columns"),
    ("Winter challenge", ["visits", "reminders", "card"], "counts_model", "rows"),
    ("Fluency", ["child", "week", "fluency"], "repeated", "long"),
    ("Winter challenge", ["finished"], "proportion", "column"),
    ("Winter challenge", ["finished", "reminders"], "crosstab", "rows"),
]


@pytest.mark.parametrize(("table", "columns", "method", "layout"), BEST)
def test_questions_that_columns_fit(table: str, columns: list[str], method: str, layout: str) -> None:
    found = [f for f in fitting(demo_tables()[table], columns) if not f.missing]
    assert (found[0].method, found[0].layout) == (method, layout)
    assert found[0].why
    for f in found:  # whatever is offered can be asked
        assert methods()[f.method].ready(methods()[f.method].Spec.model_validate(f.spec))


def test_a_column_more_is_said() -> None:
    assert {f.method: f.missing for f in fitting(ROOMS, ["minutes"])}["compare_groups"] == ["groups"]
    assert "compare_two" not in {f.method for f in fitting(ROOMS, ["room", "minutes"])}  # three rooms


def test_methods_are_described_for_the_interface() -> None:
    for method in methods().values():
        fields = method.schema()["properties"]
        assert set(method.uses) <= set(fields)
        for layout in method.layouts:
            assert all(
                f"{{{slot}}}" in layout.sentence and fields[slot]["ask"].get("sentence") for slot in layout.slots
            )
        assert all("ask" in f for f in fields.values())
        assert method.page.references


def test_a_method_from_another_package_is_found(monkeypatch: pytest.MonkeyPatch) -> None:
    """Adding a method is adding one object: the registry, the catalogue and the answer need nothing else."""
    from dataclasses import replace

    from yavik.core.methods import registry
    from yavik.core.methods.describe.describe.method import METHOD

    class Entry:
        def load(self) -> Any:
            return replace(METHOD, id="glance", title="A glance")

    monkeypatch.setattr(registry, "entry_points", lambda group: [Entry()] if group == "yavik.methods" else [])
    for known in (registry.methods, registry.get):
        known.cache_clear()
    try:
        assert answer("glance", ROOMS, {"columns": ["minutes"]}).facts["minutes.n"] == 108
        assert "glance" in {f.method for f in fitting(ROOMS, ["minutes"])}
    finally:
        for known in (registry.methods, registry.get):
            known.cache_clear()


def test_a_method_is_found_without_loading_the_others() -> None:
    code = (
        "import sys; from yavik.core.methods.registry import get; get('compare_groups');"
        " print(*(m for m in sys.modules if m.endswith('.method')))"
    )
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert run.stdout.split() == ["yavik.core.methods.compare.groups.method"]


def test_the_question_page_knows_no_method_by_name() -> None:
    from pathlib import Path

    sources = (Path(__file__).resolve().parents[2] / "ui/src/question").glob("*.tsx")
    shared = {"missing", "frequencies"}  # also the names of an option and of a table of answers
    pages = (p for p in sources if ".test." not in p.name)
    words = {p.name: set(re.findall(r"\w+", p.read_text(encoding="utf-8"))) for p in pages}
    found = [(name, m) for name, own in words.items() for m in set(methods()) - shared if m in own]
    assert found == []
