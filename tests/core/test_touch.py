"""What of an answer can be moved or clicked: handles stand on round steps, tabs only where there are several parts."""

import math
from typing import Any

import numpy as np
import pytest

from tests.tables import table_from
from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.methods import answer
from yavik.core.methods.kit.touch import handle, pick, step_of, tabs
from yavik.core.table import Table

RNG = np.random.default_rng(4)


def picture() -> FigureBlock:
    return FigureBlock(id="figure", title="Hours", drawing={}, alt="Hours")


@pytest.mark.parametrize(("low", "high", "step"), [(0, 1, 0.005), (0, 100, 0.5), (-3e9, 3e9, 5e7), (0, 1e-6, 5e-9)])
def test_steps_are_round_and_about_two_hundred(low: float, high: float, step: float) -> None:
    assert step_of(low, high) == pytest.approx(step)
    assert 80 <= (high - low) / step_of(low, high) <= 200


def test_a_handle_tells_as_many_decimals_as_its_steps_have() -> None:
    assert [handle(picture(), "at", "Hours", 3, (0, 10)).handles[0].decimals] == [2]
    cut = handle(picture(), "cutoff", "Cut-off", 0.5, (0.01, 0.99), decimals=2).handles[0]
    assert (cut.step, cut.decimals) == (0.01, 2)
    assert handle(picture(), "at", "Hours", 3, (0, 4e6)).handles[0].decimals == 0


@pytest.mark.parametrize(("at", "ends"), [(math.nan, (0, 1)), (1, (1, 1)), (1, (0, math.inf))])
def test_where_nothing_can_be_moved_there_is_no_handle(at: float, ends: tuple[float, float]) -> None:
    assert handle(picture(), "at", "Hours", at, ends).handles == []


def test_a_single_part_has_no_tab() -> None:
    table = q.table("a", "A", [q.row(row=q.count(1, "Row"))])
    assert [b.tab for b in tabs("sets", [("A", [table])]) if isinstance(b, TableBlock)] == [None]
    two = tabs("sets", [("A", [table, picture()]), ("B", [table])])
    assert [(b.tab.group, b.tab.title) for b in two if b.tab] == [("sets", "A"), ("sets", "A"), ("sets", "B")]
    assert pick(table, "without", "row", "Leave out").pick is not None


def data() -> Table:
    n = 90
    hours, age = RNG.normal(6, 1, n), RNG.normal(40, 9, n)
    room = np.array(["Elm", "Ash", "Oak"])[RNG.integers(0, 3, n)]
    pace = 3 + hours * 2 + (room == "Ash") + RNG.normal(0, 1, n)
    return table_from(
        hours=hours.tolist(), age=age.tolist(), room=room.tolist(), pace=pace.tolist(),
        half=[i % 2 > 0 for i in range(n)],
    )  # fmt: skip


def touched(method: str, spec: dict[str, Any]) -> list[tuple[str, Any]]:
    """Fields that an answer's handles and picks set; the answer with each of them set stands."""
    table, found = data(), []
    made = answer(method, table, spec)
    for b in made.blocks:
        if isinstance(b, FigureBlock):
            for h in b.handles:
                value = h.low if h.key is None else {h.key: h.low}
                answer(method, table, {**spec, h.field: value})
                found.append((h.field, h.key))
        if isinstance(b, TableBlock) and b.pick:
            answer(method, table, {**spec, b.pick.field: [b.rows[0][b.pick.key].v]})
            found.append((b.pick.field, b.pick.key))
    return found


def test_every_handle_and_pick_sets_what_its_method_takes() -> None:
    two = [("at", "hours"), ("at", "age"), ("without", "row")]
    assert touched("linear", {"response": "pace", "terms": ["hours", "age", "room"]}) == two
    logistic = touched("logistic", {"response": "half", "terms": ["hours", "age"]})
    assert sorted(logistic, key=str) == sorted([("cutoff", None), *two], key=str)
    assert touched("one_sample", {"column": "pace", "value": 12}) == [("value", None)]
    assert touched("one_sample", {"column": "pace", "value": 2, "test": "variance"}) == []
    assert touched("study_size", {"design": "two_means", "difference": 0.5}) == [("power", None)]
    whole = answer("study_size", data(), {"design": "two_means", "difference": 0.5}).block("figure")
    assert [h.axis for h in whole.handles] == ["y"]
    for find in ("power", "effect"):
        assert touched("study_size", {"design": "two_means", "difference": 0.5, "find": find}) == [("n", None)]


def test_parts_repeated_for_each_level_keep_to_themselves() -> None:
    sets = [{"of": ["room"]}, {"of": ["room"], "kind": "to_level"}]
    spec = {"response": "pace", "terms": ["hours", "room"], "sets": sets, "by": "half"}
    made = answer("linear", data(), spec)
    groups = {b.tab.group for b in made.blocks if not hasattr(b, "text") and b.tab}  # type: ignore[union-attr]
    assert len(groups) == 2
