"""What a jump at a cut-off refuses, what it says beside its answer, and what follows from clicks."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Check
from yavik.core.methods.fit import fitting
from yavik.core.methods.registry import answer
from yavik.core.table import DataProblem, Table

GRANT = demo_tables()["Grant round"]
ASKED: dict[str, Any] = {"outcome": "visits_after", "running": "score", "cutoff": 50}


def ask(table: Table = GRANT, **spec: Any) -> Answer:
    return answer("discontinuity", table, ASKED | spec if table is GRANT else spec)


def by_id(found: Answer, id: str) -> Check:
    return next(c for c in found.checks if c.id == id)


def made(n: int = 400, seed: int = 1, jump: float = 3.0, digits: int = 3, **more: Any) -> Table:
    rng = np.random.default_rng(seed)
    x = np.round(rng.normal(0, 10, n), digits)
    y = np.round(0.05 * x + jump * (x >= 0) + rng.normal(0, 1, n), 3)
    return table_from(x=x.tolist(), y=y.tolist(), **{k: v(x, rng) for k, v in more.items()})


def test_the_jump_is_told_with_its_robust_interval() -> None:
    found = ask()
    assert found.headline.startswith(
        "Visits a week, year after jumps up by 30.9 visits where need score crosses 50 (robust 95% CI"
    )
    rows = {r["kind"].s: r for r in found.block("estimate").rows}
    assert rows["Robust"]["p"].v == found.facts["p"]
    assert rows["Conventional"]["estimate"].v == found.facts["estimate"]
    assert "Report the conventional estimate with the robust interval" in found.block("estimate").note


def test_no_jump_is_never_called_none() -> None:
    found = ask(made(seed=2, jump=0.0), outcome="y", running="x", cutoff=0)
    assert found.headline.startswith("There is no evidence that y jumps where x crosses 0")
    down = ask(made(jump=-3.0), outcome="y", running="x", cutoff=0)
    assert "jumps down by" in down.headline


def test_every_rule_stands_beside_the_one_used_and_takes_its_place_by_a_click() -> None:
    found = ask()
    block = found.block("bandwidths")
    assert block.pick and block.pick.field == "bandwidth" and block.marked == [0]
    rules = [r["rule"].v for r in block.rows]
    again = ask(bandwidth=rules[2])
    assert again.facts["h_left"] == pytest.approx(float(block.rows[2]["h"].v))
    assert again.block("bandwidths").marked == [2]
    typed = ask(bandwidth=7.5)
    assert typed.facts["h_left"] == 7.5 and typed.block("bandwidths").rows[-1]["rule"].s == "typed or dragged"
    handle = typed.block("windows").handles[0]
    assert (handle.field, handle.at) == ("bandwidth", 7.5)


def test_each_row_of_the_set_is_the_answer_to_its_own_question() -> None:
    found = ask(placebo_outcomes=["visits_before"], covariates=[], bandwidth="mse")
    block = found.block("sensitivity")
    assert len(block.opens) == len(block.rows)
    tried = 0
    for row, spec in zip(block.rows, block.opens, strict=True):
        if spec is None:
            assert "the window told" in row["label"].s
            continue
        one = answer("discontinuity", GRANT, spec)
        # Without the nearest rows the rule would find a window of its own; the set keeps the one told.
        if row["kind"].s == "left out":
            one = answer(
                "discontinuity",
                GRANT,
                {**spec, "bandwidth": found.facts["h_left"], "bias_bandwidth": found.facts["b_left"]},
            )
        assert one.facts["estimate"] == pytest.approx(row["estimate"].v, rel=1e-6), row["label"].s
        assert one.facts["p"] == pytest.approx(row["p"].v, rel=1e-5), row["label"].s
        tried += 1
    assert tried > 8
    assert "Where no jump should be, 0 of 3 have p below .05" in block.note


def test_a_placebo_that_jumps_is_named() -> None:
    table = made(before=lambda x, rng: np.round(2.5 * (x >= 0) + rng.normal(0, 1, len(x)), 3).tolist())
    found = ask(table, outcome="y", running="x", cutoff=0, placebo_outcomes=["before"])
    check = by_id(found, "placebos")
    assert check.verdict in ("doubtful", "fails") and "before (p" in check.text


def test_who_was_treated_in_fact_makes_it_a_ratio() -> None:
    def got(x: Any, rng: Any) -> list[str]:
        return ["yes" if (v >= 0) ^ (r < 0.15) else "no" for v, r in zip(x, rng.random(len(x)), strict=True)]

    table = made(2000, got=got)
    found = ask(table, outcome="y", running="x", cutoff=0, treatment="got")
    block = found.block("assignment")
    assert sum(r["n"].v for r in block.rows) == 2000
    plain = ask(table, outcome="y", running="x", cutoff=0)
    wide = ask(table, outcome="y", running="x", cutoff=0, treatment="got", bandwidth=plain.facts["h_left"])
    assert wide.facts["estimate"] == pytest.approx(
        float(plain.facts["estimate"]) / float(wide.facts["first.estimate"]), rel=1e-6
    )
    assert "because of the treatment (got = yes)" in found.headline
    assert by_id(found, "weak").verdict == "holds"


def test_a_treatment_that_hardly_moves_is_weak() -> None:
    def got(x: Any, rng: Any) -> list[str]:
        return ["yes" if r < 0.4 + 0.03 * (v >= 0) else "no" for v, r in zip(x, rng.random(len(x)), strict=True)]

    found = ask(made(600, got=got), outcome="y", running="x", cutoff=0, treatment="got")
    check = by_id(found, "weak")
    assert check.verdict in ("doubtful", "fails") and check.remedies[0].spec == {"treatment": None}


def test_following_the_rule_in_every_row_changes_nothing() -> None:
    sharp = ask(treatment="grant")
    assert sharp.facts["estimate"] == pytest.approx(ask().facts["estimate"])
    assert "Every row follows the rule" in sharp.block("assignment").note
    assert "jumps up by" in sharp.headline


def test_heaped_scores_offer_errors_by_score() -> None:
    found = ask(made(600, digits=-1), outcome="y", running="x", cutoff=0, kernel="uniform", bandwidth=30)
    check = by_id(found, "heaped")
    assert check.verdict != "holds" and check.remedies[0].spec == {"se": "cluster", "cluster": "x"}
    again = ask(
        made(600, digits=-1),
        outcome="y",
        running="x",
        cutoff=0,
        kernel="uniform",
        bandwidth=30,
        se="cluster",
        cluster="x",
    )
    assert again.facts["estimate"] == pytest.approx(found.facts["estimate"])


def test_rows_alone_are_a_question_too() -> None:
    found = answer("discontinuity", GRANT, {"running": "score", "cutoff": 50})
    assert found.headline.startswith("There is no evidence that rows pile up on one side of need score 50")
    assert found.facts["density.p"] == ask().facts["density.p"]
    rng = np.random.default_rng(3)
    piled = np.round(np.concatenate([rng.normal(0, 10, 800), rng.uniform(0, 1, 120)]), 3)
    sorted_ = answer("discontinuity", table_from(x=piled.tolist()), {"running": "x", "cutoff": 0})
    assert sorted_.headline.startswith("Rows pile up right above x 0")
    assert [
        r["within"].v
        for r in answer("discontinuity", GRANT, {"running": "score", "cutoff": 50, "windows": [1, 2]})
        .block("beside")
        .rows
    ] == [1, 2]


@pytest.mark.parametrize(
    ("spec", "says"),
    [
        ({"cutoff": None}, "Fill the slots"),
        ({"cutoff": 500}, "0 rows at or above the cut-off 500"),
        ({"cutoff": -500}, "0 rows below the cut-off −500"),
        ({"outcome": "x"}, "two places"),
        ({"covariates": ["y"]}, "asked about already"),
        ({"bandwidth": 0.001}, "too few different values of x"),
        ({"se": "cluster"}, "Choose the column of the clusters"),
        ({"treatment": "three"}, "3 levels"),
        ({"treatment": "same"}, "1 level"),
        ({"outcome": "flat"}, "nothing can jump"),
    ],
)
def test_what_is_refused_says_where(spec: dict[str, Any], says: str) -> None:
    table = made(
        three=lambda x, _: [["a", "b", "c"][i % 3] for i in range(len(x))], same=lambda x, _: ["yes"] * len(x),
        flat=lambda x, _: [2] * len(x),
    )  # fmt: skip
    with pytest.raises(DataProblem, match=says):
        ask(table, **({"outcome": "y", "running": "x", "cutoff": 0} | spec))


def test_few_rows_on_a_side_are_counted() -> None:
    table = table_from(x=[*range(-30, 0), 1, 2, 3, 4, 5], y=list(range(35)))
    with pytest.raises(
        DataProblem, match=r"5 rows at or above the cut-off 0; each side needs 8\. x runs from −30 to 5"
    ):
        ask(table, outcome="y", running="x", cutoff=0)


def test_a_window_wider_than_the_data_is_told() -> None:
    found = ask(bandwidth=500)
    assert by_id(found, "wide").verdict == "doubtful" and by_id(found, "wide").remedies[0].spec == {
        "bandwidth": "mse"
    }


def test_the_sentence_fills_itself_from_a_rule() -> None:
    best = fitting(GRANT, ["visits_after", "score", "grant"])[0]
    assert (best.method, best.spec["cutoff"], best.missing) == ("discontinuity", 50.0, [])
    assert fitting(GRANT, ["visits_after", "visits_before"])[0].method != "discontinuity"


@pytest.mark.parametrize(("shift", "scale"), [(1e9, 1.0), (0.0, 1e-6), (0.0, 1e6)])
def test_moved_and_scaled_columns_give_the_same_answer(shift: float, scale: float) -> None:
    f = GRANT.frame
    y = [v * scale + shift for v in f.visits_after.tolist()]
    table = table_from(score=f.score.tolist(), y=y)
    found, plain = ask(table, outcome="y", running="score", cutoff=50), ask()
    assert float(found.facts["estimate"]) / scale == pytest.approx(plain.facts["estimate"], rel=1e-6)
    assert found.facts["p"] == pytest.approx(plain.facts["p"], rel=1e-5)
    moved = table_from(score=[v + 1e6 for v in f.score.tolist()], y=f.visits_after.tolist())
    assert ask(moved, outcome="y", running="score", cutoff=50 + 1e6).facts["p"] == pytest.approx(
        plain.facts["p"], rel=1e-4
    )
