"""Laws of every method at once: what may not change an answer, and data that no answer can be had from."""

import math
import re
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests import hostile
from tests.hostile import CASES, IDS, Case
from yavik.core.methods import answer
from yavik.core.methods.registry import get
from yavik.core.table import DataProblem

every = pytest.mark.parametrize("case", CASES, ids=IDS)


def same(one: dict[str, Any], two: dict[str, Any], rel: float = 1e-7) -> list[str]:
    """Facts that differ: numbers beyond ``rel``, all else at all."""
    out = []
    for key in sorted(set(one) | set(two)):
        a, b = one.get(key), two.get(key)
        if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
            if not math.isclose(a, b, rel_tol=rel, abs_tol=1e-9):
                out.append(f"{key}: {a} and {b}")
        elif key not in ("rows",) and a != b:
            out.append(f"{key}: {a!r} and {b!r}")
    return out


ORDERED = ("durbin_watson", "folds")
"""Facts about neighbouring rows and about parts that rows are dealt into: these depend on the order."""


@every
def test_the_order_of_rows_says_nothing(case: Case) -> None:
    table = case.data()
    one, two = case.facts, hostile.facts(case, hostile.shuffled(table))
    assert [d for d in same(one, two) if not d.startswith(ORDERED)] == []


@every
@settings(max_examples=8, deadline=None, derandomize=True)
@given(shift=st.integers(-(10**6), 10**6), thousandths=st.integers(1, 10**6))
@example(shift=0, thousandths=1_000_000)
@example(shift=0, thousandths=1)
@example(shift=10**6, thousandths=1000)
@example(shift=-(10**6), thousandths=1000)
def test_unit_and_origin_of_a_measure_move_no_p(case: Case, shift: int, thousandths: int) -> None:
    table, scale = case.data(), thousandths / 1000
    if not hostile.measures(table) or not case.exact:
        return
    one, two = case.facts, hostile.facts(case, hostile.moved(table, shift, scale), case.moved(shift, scale))
    ps = {k for k in one if k.rpartition(".")[2] in ("p", "p_adjusted", "f", "t", "chi2", "df", "df1", "df2", "n")}
    ps = {k for k in ps if not k.startswith("intercept")}  # where x is 0 depends on where 0 is
    assert ps & set(case.exact), "the case has no p to compare"
    assert same({k: one[k] for k in ps}, {k: two.get(k) for k in ps}, 1e-6) == []


@every
def test_a_condition_says_what_a_filtered_table_says(case: Case) -> None:
    if get(case.method).design:
        return  # a part of a sample keeps the design of the whole: its errors are others than those of a table cut down
    whole, part = hostile.halved(case.data())
    spec = case.asked()
    said = hostile.tried(case, part)
    if said != "answered":  # too few rows are left for complete blocks: the same is said of both
        with pytest.raises(DataProblem, match=re.escape(said)):
            hostile.facts(case, whole, {**spec, "where": 'kept == "in"'})
        return
    assert same(hostile.facts(case, whole, {**spec, "where": 'kept == "in"'}), hostile.facts(case, part, spec)) == []


@every
def test_odd_names_change_no_number(case: Case) -> None:
    table = case.data()
    odd, spec = hostile.oddly_named(case, table)
    two = answer(case.method, odd, spec)
    numbers = [sorted(v for v in said.values() if isinstance(v, float)) for said in (case.facts, two.facts)]
    assert numbers[0] == pytest.approx(numbers[1], rel=1e-9, abs=1e-12)
    assert not any(w in two.headline for w in ("None", "nan", "&lt;", "\\u"))


@every
def test_what_cannot_be_answered_is_said_in_a_sentence(case: Case) -> None:
    answered = 0
    for what, table in hostile.ruined(case.data()):
        said = hostile.tried(case, table)
        assert said == "answered" or said[-1] in ".?", f"{what}: {said}"
        assert "nan" not in said.split() and "Traceback" not in said, f"{what}: {said}"
        answered += said == "answered"
    assert answered < len(list(hostile.ruined(case.data()))), "nothing of all this is refused"
