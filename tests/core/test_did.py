"""What a difference in differences refuses, what it says beside its answer, and what follows from its remedies."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Check
from yavik.core.methods.registry import answer
from yavik.core.table import DataProblem, Table

EVENINGS = demo_tables()["Evening opening"]
ASKED = {"outcome": "loans", "period": "month", "treated": "evenings", "unit": "branch", "base": "8"}


def ask(table: Table = EVENINGS, **spec: Any) -> Answer:
    return answer("difference_in_differences", table, spec)


def by_id(found: Answer, id: str) -> Check:
    return next(c for c in found.checks if c.id == id)


def small(**more: Any) -> Table:
    rng = np.random.default_rng(1)
    columns: dict[str, Any] = {
        "y": [round(float(v), 3) for v in rng.normal(10, 1, 24)],
        "when": ["early", "late"] * 12,
        "who": ["club"] * 12 + ["plain"] * 12,
        "unit": [f"u{i // 2}" for i in range(24)],
    }
    return table_from(**(columns | more))


def test_the_four_means_stand_with_their_subtraction() -> None:
    found = ask(outcome="loans", period="period", treated="evenings", unit="branch")
    block = found.block("means")
    rows = {r["level"].s: r for r in block.rows}
    last = rows["Treated − others"]
    assert last["difference"].v == pytest.approx(found.facts["estimate"])
    told = rows["Opens in the evening = yes"]["difference"].v - rows["the others"]["difference"].v
    assert last["difference"].v == pytest.approx(told)
    assert "the same number" in block.note
    assert found.headline.startswith(
        "If the treated (Opens in the evening = yes) and the others would have changed alike"
    )


def test_no_causal_word_without_its_condition() -> None:
    rng = np.random.default_rng(2)
    flat = ask(
        small(y=[round(float(v), 2) for v in rng.normal(10, 1, 24)]), outcome="y", period="when", treated="who"
    )
    assert flat.facts["p"] > 0.05
    assert flat.headline.startswith("There is no evidence that the treatment")
    for found in (flat, ask(**ASKED)):
        assert "because" not in found.headline
        assert by_id(found, "parallel").text


def test_more_periods_say_how_the_groups_changed_before() -> None:
    found = ask(**ASKED)
    check = by_id(found, "parallel")
    assert check.verdict == "holds" and "no proof" in check.text
    assert found.facts["before.p"] == pytest.approx(check.facts["before.p"])
    since = [r["since"].s for r in found.block("events").rows]
    assert since[0] == "8 before" and "first treated" in since and "1 before" not in since


def test_groups_that_drifted_apart_before_fail_the_check() -> None:
    f = EVENINGS.frame
    loans = [int(v + 25 * m * (e == "yes")) for v, m, e in zip(f.loans, f.month, f.evenings, strict=True)]
    table = table_from(loans=loans, **{c: list(f[c]) for c in ("month", "evenings", "branch")})
    found = ask(table, **ASKED)
    assert by_id(found, "parallel").verdict == "fails"
    assert "cannot be laid to the treatment" in by_id(found, "parallel").text
    assert by_id(found, "placebo").verdict == "doubtful"


def test_few_clusters_offer_the_wild_bootstrap() -> None:
    table = small()
    found = ask(table, outcome="y", period="when", treated="who", unit="unit")
    check = by_id(found, "clusters")
    assert check.verdict == "fails" and check.remedies[0].spec == {"se": "wild"}
    again = ask(table, outcome="y", period="when", treated="who", unit="unit", se="wild")
    assert by_id(again, "clusters").verdict == "holds"
    assert again.facts["estimate"] == found.facts["estimate"] and again.facts["p"] != found.facts["p"]
    assert "wild bootstrap" in again.block("estimate").note and again.seed


def test_which_of_two_words_comes_first_is_asked() -> None:
    table = small()
    found = ask(table, outcome="y", period="when", treated="who")
    check = by_id(found, "order")
    turned = ask(table, outcome="y", period="when", treated="who", **check.remedies[0].spec)
    assert turned.facts["estimate"] == pytest.approx(-found.facts["estimate"])
    known = small(when=["before", "after"] * 12)
    assert all(c.id != "order" for c in ask(known, outcome="y", period="when", treated="who").checks)


def test_units_that_come_or_go_are_named() -> None:
    f = EVENINGS.frame
    keep = ~((f.branch == "E03") & (f.month > 8))
    table = table_from(**{c: list(f[c][keep]) for c in ("loans", "month", "evenings", "branch")})
    check = by_id(ask(table, **ASKED), "composition")
    assert check.verdict == "doubtful" and "E03" in check.text
    assert check.remedies[0].rows and len(check.remedies[0].rows) == 8


def test_a_covariate_that_never_changes_falls_out_and_is_named() -> None:
    rng = np.random.default_rng(4)
    table = table_from(
        y=[round(float(v), 2) for v in rng.normal(10, 1, 60)], t=[1, 2, 3] * 20, d=["no"] * 30 + ["yes"] * 30,
        u=[f"u{i // 3}" for i in range(60)], area=[i // 3 for i in range(60)],
    )  # fmt: skip
    found = ask(table, outcome="y", period="t", treated="d", unit="u", base="1", covariates=["area"])
    assert "area" in by_id(found, "dropped").text


def test_starts_at_different_times_stand_beside_the_plain_estimate() -> None:
    rng = np.random.default_rng(1)
    rows = []
    for i in range(30):
        start = [None, 4, 6][i % 3]
        for t in range(1, 9):
            rows.append((f"u{i}", t, start, t + (3 if start and t >= start else 0) + rng.normal()))
    table = table_from(**{n: [r[j] for r in rows] for j, n in enumerate(("u", "t", "s", "y"))})
    found = ask(table, outcome="y", period="t", starts="s", unit="u")
    assert by_id(found, "starts").verdict in ("doubtful", "fails")
    assert found.facts["by_start.estimate"] == pytest.approx(3, abs=0.8)
    assert found.block("averages").rows[0]["estimate"].v == found.facts["by_start.estimate"]
    without = ask(table, outcome="y", period="t", starts="s")
    assert "Name the unit" in by_id(without, "starts").text
    inside = table_from(**{n: [r[j] for r in rows] for j, n in enumerate(("u", "t", "s", "y"))}, on=[
        "yes" if s and t >= s else "no" for _, t, s, _ in rows
    ])  # fmt: skip
    same = ask(inside, outcome="y", period="t", treated="on", unit="u")
    assert same.facts["estimate"] == pytest.approx(found.facts["estimate"])


@pytest.mark.parametrize(
    ("change", "spec", "says"),
    [
        ({"who": ["club"] * 24}, {}, "who has one level|1 level"),
        ({"who": ["a", "b", "c", "a"] * 6}, {}, "3 levels"),
        ({"when": ["late"] * 24}, {}, "one period, late"),
        ({"when": ["spring", "autumn", "winter"] * 8}, {}, "words without an order"),
        ({"y": [5] * 24}, {}, "are the same"),
        ({}, {"base": "never"}, "no period 'never'"),
        ({}, {"base": "late", "period": "n"}, "no period|last period"),
        ({"unit": ["u"] * 24}, {"unit": "unit"}, "u of unit has treated rows and others at early"),
        ({"unit": ["u"] * 24}, {"cluster": "unit"}, "one cluster"),
        ({}, {"covariates": ["y"]}, "two places"),
        (
            {"when": ["early"] * 12 + ["late", "early"] * 6},
            {},
            "one of the four means is missing|four means is missing",
        ),
    ],
)
def test_what_is_refused_names_column_and_place(change: Any, spec: Any, says: str) -> None:
    table = small(n=[1, 2] * 12, **change)
    with pytest.raises(DataProblem, match=says):
        ask(table, **({"outcome": "y", "period": "when", "treated": "who"} | spec))


def test_a_treatment_that_ends_names_the_unit_and_rows() -> None:
    table = table_from(
        y=list(range(12)), t=[1, 2, 3] * 4, u=["a"] * 3 + ["b"] * 3 + ["c"] * 3 + ["d"] * 3,
        on=["no", "yes", "no", *["no"] * 9],
    )  # fmt: skip
    with pytest.raises(DataProblem, match="a is treated from 2 on, but not at 3") as problem:
        ask(table, outcome="y", period="t", treated="on", unit="u")
    assert problem.value.rows == [3]


def test_a_start_that_is_no_period_is_named() -> None:
    table = small(s=["early"] * 6 + ["someday"] * 6 + [None] * 12)
    with pytest.raises(DataProblem, match="'someday', which is no period of when"):
        ask(table, outcome="y", period="when", starts="s")
    torn = small(s=["late"] * 11 + ["early"] + [None] * 12)
    with pytest.raises(DataProblem, match="u5 of unit has two starts in s: late and early"):
        ask(torn, outcome="y", period="when", starts="s", unit="unit")
    between = small(t=[1, 3] * 12, s=[2] * 12 + [None] * 12)
    found = ask(between, outcome="y", period="t", starts="s", unit="unit")
    known = ask(small(t=[1, 3] * 12, s=[3] * 12 + [None] * 12), outcome="y", period="t", starts="s", unit="unit")
    assert found.facts["estimate"] == known.facts["estimate"]


def test_more_than_two_periods_ask_for_the_last_before() -> None:
    with pytest.raises(DataProblem, match="choose the last period before the change"):
        ask(outcome="loans", period="month", treated="evenings")
