"""Answers of models over time: choice, what is held out, the original scale, refusals with their rows."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Verdict
from yavik.core.methods import answer
from yavik.core.methods.base import Run
from yavik.core.methods.registry import new_columns
from yavik.core.stats.series.yardsticks import foretell
from yavik.core.table import DataProblem
from yavik.core.table.problem import Stopped
from yavik.demo.branches import WAITING_CARRIED, WAITING_DRIFT, WAITING_SHOCK

ALL = demo_tables()
MONTHS = [f"{2000 + k // 12}-{k % 12 + 1:02}" for k in range(144)]


def walk(n: int = 120, seed: int = 3) -> Any:
    rng = np.random.default_rng(seed)
    return 200 + np.cumsum(rng.normal(size=n)) + rng.normal(size=n)


def ask(method: str = "arima", y: Any = None, when: Any = None, **spec: Any) -> Answer:
    y = walk() if y is None else y
    when = MONTHS[: len(y)] if when is None else when
    return answer(method, table_from(when=when, y=y), {"value": "y", "time": "when", **spec})


def cells(a: Answer, block: str, key: str) -> list[Any]:
    found: Any = next(b for b in a.blocks if b.id == block)
    return [r[key].v if key in r else None for r in found.rows]


def check(a: Answer, key: str) -> Any:
    return next(c for c in a.checks if c.id == key)


def test_candidates_stand_in_one_table_and_criteria_vote() -> None:
    a = ask(candidates=[[1, 1, 0], [0, 1, 1], [1, 1, 1], [2, 1, 1]], drift="no", hold_out=12)
    assert cells(a, "candidates", "order") == ["(1, 1, 0)", "(0, 1, 1)", "(1, 1, 1)", "(2, 1, 1)"]
    aicc, votes = cells(a, "candidates", "aicc"), cells(a, "candidates", "votes")
    table: Any = next(b for b in a.blocks if b.id == "candidates")
    taken = table.marked[0]
    assert votes[taken] == max(votes)
    lowest = int(np.argmin(aicc))
    assert [r["aicc"].strong for r in table.rows] == [i == lowest for i in range(4)]
    likelihood = cells(a, "candidates", "log_likelihood")
    assert likelihood[2] >= max(likelihood[:2]) - 1e-9 and likelihood[3] >= likelihood[2] - 1e-9
    k = a.facts["parameters"]
    assert a.facts["aic"] == pytest.approx(-2 * a.facts["log_likelihood"] + 2 * k)
    assert a.facts["bic"] == pytest.approx(-2 * a.facts["log_likelihood"] + k * np.log(a.facts["n"]))


@pytest.mark.parametrize("by", ["aicc", "bic", "log_likelihood", "sigma"])
def test_the_choice_follows_its_criterion(by: str) -> None:
    a = ask(candidates="grid", grid=[2, 1, 2], choose_by=by, hold_out=0)
    values = cells(a, "candidates", by)
    table: Any = next(b for b in a.blocks if b.id == "candidates")
    best = np.argmax(values) if by == "log_likelihood" else np.argmin(values)
    assert table.marked == [int(best)] and len(values) == 9


def test_another_model_is_looked_at_by_its_order() -> None:
    a = ask(candidates=[[1, 1, 0], [0, 1, 1]], main=[1, 1, 0])
    assert a.facts["order"] == "(1, 1, 0)"
    assert ask(candidates=[[1, 1, 0], [0, 1, 1]], main="(1,1,0)").spec["main"] == "(1, 1, 0)"


def test_models_of_other_differences_do_not_vote() -> None:
    a = ask(candidates=[[1, 1, 0], [0, 1, 1], [1, 0, 0]])
    assert cells(a, "candidates", "votes")[2] is None
    told: Any = next(b for b in a.blocks if b.id == "candidates")
    assert "likelihoods of different data" in told.note


def test_the_held_out_end_is_foretold_from_before() -> None:
    y = walk()
    a = ask(y=y, candidates=[[0, 1, 0]], drift="no", hold_out=10)
    # a walk's forecast is its last value
    assert a.facts["held.rmse"] == pytest.approx(np.sqrt(np.mean((y[-10:] - y[-11]) ** 2)), rel=1e-9)
    ways = {w.key: np.sqrt(np.mean((w.mean - y[-10:]) ** 2)) for w in foretell(y[:-10], 12, 10)}
    for key, value in ways.items():
        assert a.facts[f"yardstick.{key}.rmse"] == pytest.approx(value)
    changed = y.copy()
    changed[-10:] += 1000
    assert ask(y=changed, candidates=[[0, 1, 0]], drift="no", hold_out=10).facts["yardstick.last.mae"] > 900
    assert "held.rmse" not in ask(hold_out=0, candidates=[[0, 1, 0]]).facts


def test_forecasts_of_logarithms_are_medians_on_the_original_scale() -> None:
    y = np.exp(walk() / 50)
    plain = ask(y=np.log(y), candidates=[[0, 1, 1]], horizon=5)
    back = ask(y=y, candidates=[[0, 1, 1]], transform="log", horizon=5)
    for k in (1, 5):
        for part in ("", ".low", ".high"):
            now = back.facts[f"forecast_{k}{part}"]
            assert now == pytest.approx(np.exp(float(plain.facts[f"forecast_{k}{part}"])), rel=1e-5)
    assert "medians" in str(next(b for b in back.blocks if b.id == "forecasts"))


def test_a_season_left_over_is_added_by_its_remedy() -> None:
    y = walk(144) + 15 * np.sin(2 * np.pi * np.arange(144) / 12)
    a = ask(y=y, candidates=[[1, 1, 0]])
    season = check(a, "season")
    assert season.verdict == Verdict.fails
    after = ask(y=y, **{"candidates": [[1, 1, 0]], **season.remedies[0].spec})
    assert "(0, 1, 1)[12]" in after.headline and not [c for c in after.checks if c.id == "season"]


def test_overdifferencing_is_told_and_mended() -> None:
    y = np.random.default_rng(2).normal(size=120)
    a = ask(y=y, candidates=[[0, 1, 1]], drift="no")
    border = check(a, "border")
    assert border.verdict == Verdict.doubtful and "one difference too many" in border.text
    after = ask(y=y, **border.remedies[0].spec)
    assert after.facts["order"] == "(0, 0, 1)"
    assert cells(a, "coefficients", "se") == [None]


def test_cancelling_roots_are_told() -> None:
    y = np.random.default_rng(12).normal(size=200)
    a = ask(y=y, when=list(range(200)), candidates=[[2, 0, 2]])
    told = check(a, "cancelling")
    assert told.verdict == Verdict.doubtful and told.remedies[0].spec["candidates"][-1] == [1, 0, 1]


def test_regressors_with_later_values_carry_the_forecast() -> None:
    y = walk(130)
    step = (np.arange(144) >= 60).astype(float) + np.random.default_rng(1).normal(size=144)
    y = y + 4 * step[:130]
    full = [*y, *[None] * 14]
    table = table_from(when=MONTHS, y=full, step=step)
    spec = {"value": "y", "time": "when", "candidates": [[0, 1, 1]], "regressors": ["step"], "hold_out": 0}
    a = answer("arima", table, spec)
    assert a.facts["step.estimate"] == pytest.approx(4, abs=0.5)
    assert "forecast_14" in a.facts and "forecast_15" not in a.facts
    none = answer("arima", table_from(when=MONTHS[:130], y=y, step=step[:130]), spec)
    assert "forecast_1" not in none.facts
    assert "no further can be foretold" in check(none, "future").text
    holed = step.copy()
    holed[5] = np.nan
    with pytest.raises(DataProblem) as e:
        answer("arima", table_from(when=MONTHS[:130], y=y, step=holed[:130]), spec)
    assert "step is empty at Jun 2000" in str(e.value) and e.value.rows == [6]


def test_gaps_are_left_out_exactly_and_named() -> None:
    y: list[float | None] = list(walk())
    y[20] = y[70] = None
    a = ask(y=y, candidates=[[1, 1, 0]])
    assert a.facts["n"] == 117 and "Sep 2001 and Nov 2005" in check(a, "gaps").text


@pytest.mark.parametrize(
    ("method", "y", "spec", "said"),
    [
        ("arima", [5.0] * 40, {}, "y is 5 at every time"),
        ("arima", list(range(8)), {}, "12 are needed"),
        ("arima", walk(30), {"candidates": [[5, 2, 5]], "seasonal": [1, 1, 1, 12]}, "None of the candidates"),
        ("arima", walk(30), {"seasonal": [0, 1, 1, 40]}, "A season of 40 points needs 80"),
        ("arima", walk(30), {"hold_out": 25}, "25 points held out leave 5 of 30"),
        ("arima", np.arange(40.0), {"candidates": [[0, 1, 0]]}, "None of the candidates can be fitted"),
        ("arima", walk(30) - 500, {"transform": "log"}, "need values above 0"),
        ("arima", walk(40), {"candidates": "grid", "grid": [9, 1, 9]}, "100 candidates are too many"),
        ("smoothing", [5.0] * 40, {}, "y is 5 at every time"),
        ("smoothing", walk(20) - 500, {"error": "multiplicative"}, "parts of the level need values above 0"),
        ("smoothing", walk(20), {"error": "additive", "seasonal": "multiplicative"}, "two seasons"),
        ("smoothing", walk(60), {"error": "additive", "seasonal": "multiplicative"}, "no steady variance"),
    ],
)
def test_refusals(method: str, y: Any, spec: dict[str, Any], said: str) -> None:
    with pytest.raises(DataProblem) as e:
        ask(method, y, None, **spec)
    assert said in str(e.value)


def test_a_candidate_that_cannot_be_fitted_says_why_beside_others() -> None:
    a = ask(y=walk(24), candidates=[[1, 1, 0], [9, 1, 9]], hold_out=0)
    table: Any = next(b for b in a.blocks if b.id == "candidates")
    assert table.rows[1]["aicc"].v is None and "too few points" in table.rows[1]["aicc"].why


def test_stop_stops_between_candidates() -> None:
    run = Run(stopped=lambda: True)
    with pytest.raises(Stopped):
        answer("arima", table_from(when=MONTHS[:120], y=walk()), {"value": "y", "time": "when"}, run)


def test_columns_add_up_to_the_series() -> None:
    y = walk()
    table = table_from(when=MONTHS[:120], y=y)
    spec = {"value": "y", "time": "when", "candidates": [[1, 1, 0]]}
    made = {c.name: np.asarray(v, float) for c, v in new_columns(table, "arima", spec)}
    both = made["expected y"] + made["residual y"]
    assert np.isnan(both[0]) and np.allclose(both[1:], y[1:], atol=1e-6)


def test_smoothing_takes_the_least_aicc_and_shows_another_on_request() -> None:
    y = walk(96) + 10 * np.sin(2 * np.pi * np.arange(96) / 12)
    a = ask("smoothing", y)
    aicc = cells(a, "combinations", "aicc")
    table: Any = next(b for b in a.blocks if b.id == "combinations")
    assert len(aicc) == 15 and table.marked == [int(np.argmin(aicc))]
    keys = cells(a, "combinations", "key")
    other = ask("smoothing", y, main=keys[0])
    assert "would have the least AICc" in other.headline and other.facts["model"] == keys[0]
    assert "yardstick.smoothing.rmse" not in a.facts and "yardstick.season.rmse" in a.facts
    made = {
        c.name: np.asarray(v, float)
        for c, v in new_columns(table_from(when=MONTHS[:96], y=y), "smoothing", {"value": "y", "time": "when"})
    }
    assert set(made) == {"level y", "expected y"} and np.isfinite(made["level y"]).all()


def test_the_demo_waiting_list_has_the_truth_of_its_generator() -> None:
    """Changes carry half of the change before and 0.3 of the surprise before, and drift by 1.5."""
    a = answer(
        "arima",
        ALL["Waiting list"],
        {"value": "waiting", "time": "quarter", "candidates": [[1, 1, 1]], "drift": "yes"},
    )
    for key, true in (("ar_1", WAITING_CARRIED), ("ma_1", WAITING_SHOCK), ("drift", WAITING_DRIFT)):
        assert abs(float(a.facts[f"{key}.estimate"]) - true) < 2.5 * float(a.facts[f"{key}.se"]), key
    assert a.facts["ljung_box.p"] > 0.05
