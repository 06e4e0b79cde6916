"""Series: correlograms and unit root tests by the library, parts that add up, times read in every shape."""

import warnings
from typing import Any, Literal

import numpy as np
import pytest
from statsmodels.stats.diagnostic import acorr_ljungbox
from statsmodels.tsa.stattools import acf, adfuller, kpss, pacf

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer
from yavik.core.methods import answer
from yavik.core.methods.kit.times import read_series
from yavik.core.methods.registry import new_columns
from yavik.core.stats.series.correlogram import correlogram, partial
from yavik.core.stats.series.parts import back, box_cox, parts, power_of, smooth
from yavik.core.stats.series.unit_roots import augmented, long_run, phillips_perron, still
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem

RULES: tuple[tuple[Any, str], ...] = (("none", "n"), ("constant", "c"), ("trend", "ct"))


def walk(n: int, seed: int = 1, carried: float = 1.0) -> Any:
    """A series that carries so much of the point before."""
    rng = np.random.default_rng(seed)
    y = np.zeros(n)
    for t in range(1, n):
        y[t] = carried * y[t - 1] + rng.normal()
    return y


def test_correlograms_are_those_of_the_library() -> None:
    y = walk(150, carried=0.7) + 1e6
    c = correlogram(y, 20)
    assert np.allclose(c.acf, acf(y - 1e6, nlags=20)[1:], atol=1e-8)
    assert np.allclose(c.pacf, pacf(y - 1e6, nlags=20, method="ywadjusted")[1:], atol=1e-7)
    theirs = acorr_ljungbox(y - 1e6, lags=20)
    assert np.allclose(c.q, theirs.lb_stat) and np.allclose(c.p, theirs.lb_pvalue)
    assert np.isnan(correlogram(y, 20, fitted=3).p[:3]).all()


def test_partial_correlations_of_an_autoregression_end() -> None:
    c = np.array([1 / (1 - 0.36) * 0.6**k for k in range(8)])  # autocovariances of AR(1) with 0.6
    assert np.allclose(partial(c), [0.6, *[0] * 6], atol=1e-12)


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.parametrize("carried", [1.0, 0.8])
def test_dickey_fuller_by_the_library(seed: int, carried: float) -> None:
    y = walk(160, seed, carried) + 20
    for ours, theirs in RULES:
        for lags in (None, 0, 4):
            found = augmented(y, ours, lags)
            told: Any = (
                adfuller(y, regression=theirs, autolag="AIC")
                if lags is None
                else adfuller(y, maxlag=lags, autolag=None, regression=theirs)
            )
            assert found.statistic == pytest.approx(told[0], abs=1e-9)
            assert found.p == pytest.approx(told[1], abs=1e-9)
            assert (found.lags, found.n) == (told[2], told[3])


def test_long_series_go_by_sums_to_the_same_t() -> None:
    y = walk(7000, 3) + 1e5
    for ours, theirs in RULES:
        found = augmented(y, ours, 6)
        told: Any = adfuller(y, maxlag=6, autolag=None, regression=theirs)
        assert found.statistic == pytest.approx(told[0], rel=1e-7)
        chosen = augmented(y, ours)
        told = adfuller(y, autolag="AIC", regression=theirs)
        assert chosen.lags == told[2] and chosen.statistic == pytest.approx(told[0], rel=1e-7)


@pytest.mark.parametrize("seed", [1, 2])
def test_kpss_by_the_library(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for carried in (1.0, 0.5):
            y = walk(150, seed, carried)
            for ours, theirs in (("constant", "c"), ("trend", "ct")):
                rule: Literal["constant", "trend"] = ours  # type: ignore[assignment]
                for lags in (None, 5):
                    found = still(y, rule, lags)
                    told: Any = kpss(y, regression=theirs, nlags="auto" if lags is None else lags)
                    assert found.statistic == pytest.approx(told[0]) and found.lags == told[2]
                    assert found.p == pytest.approx(told[1])


def test_phillips_perron_by_its_formula() -> None:
    y = walk(120, 4) + 3
    n = 119
    x = np.column_stack([y[:-1], np.ones(n)])
    b, *_ = np.linalg.lstsq(x, y[1:], rcond=None)
    e = y[1:] - x @ b
    s2 = e @ e / (n - 2)
    se = np.sqrt(s2 * np.linalg.inv(x.T @ x)[0, 0])
    lags = 5
    spread = e @ e / n + 2 * sum((1 - k / (lags + 1)) * (e[k:] @ e[:-k]) / n for k in range(1, lags + 1))
    gamma = e @ e / n
    z = np.sqrt(gamma / spread) * (b[0] - 1) / se - (spread - gamma) * n * se / (2 * np.sqrt(spread) * np.sqrt(s2))
    assert phillips_perron(y, "constant", lags).statistic == pytest.approx(z)
    assert long_run(e, lags) == pytest.approx(spread)


def test_tests_of_standing_still_keep_their_level() -> None:
    roots, calm = [], []
    for seed in range(300):
        roots.append(augmented(walk(150, 1000 + seed), "constant", 1).p < 0.05)
        found = still(walk(150, 5000 + seed, 0.3), "constant")
        calm.append(found.p < 0.05)
    assert 0.02 < np.mean(roots) < 0.09
    assert 0.02 < np.mean(calm) < 0.10


def test_parts_add_up_and_find_what_was_put_in() -> None:
    rng = np.random.default_rng(6)
    t = np.arange(144)
    wave = np.tile(np.linspace(-5, 5, 12) ** 2 % 7, 12)
    wave = wave - wave.mean()
    y = 100 + 0.3 * t + wave + rng.normal(0, 0.2, 144)
    p = parts(y, 12)
    assert np.allclose(p.trend + p.season + p.rest, y, rtol=0, atol=1e-12 * 200)
    assert np.abs(p.season - wave).max() < 0.3 and np.abs(p.trend - (100 + 0.3 * t)).max() < 0.4
    assert p.trend_strength > 0.99 and p.season_strength > 0.98
    moved = parts(y * 1e-3 + 1e6, 12)
    assert np.allclose((moved.trend - 1e6) * 1e3, p.trend, atol=1e-4)


def test_smoothing_keeps_straight_lines() -> None:
    t = np.arange(50.0)
    for window in (3, 7, 21, 99):
        assert np.allclose(smooth(2 + 0.5 * t, window), 2 + 0.5 * t)


def test_powers_go_there_and_back() -> None:
    y = np.array([0.5, 1.0, 4.0, 30.0])
    for power in (-0.5, 0.0, 0.3, 1.0, 2.0):
        assert np.allclose(back(box_cox(y, power), power), y)
    rng = np.random.default_rng(7)
    level = np.repeat(np.linspace(10, 200, 20), 12)
    assert abs(power_of(level * np.exp(rng.normal(0, 0.1, 240)), 12)) <= 0.3
    assert power_of(level + rng.normal(0, 3, 240), 12) >= 0.7


SPELT = ("January", "Feb", "March", "April", "May", "June", "July", "Aug", "Sept", "Oct", "Nov", "Dec")
SHAPES: list[tuple[str, list[str], str, str]] = [
    ("month", [f"{2020 + k // 12}-{k % 12 + 1:02}" for k in range(14)], "Jan 2020", "Feb 2021"),
    ("month", [f"{SPELT[k % 12]} {2020 + k // 12}" for k in range(14)], "Jan 2020", "Feb 2021"),
    ("quarter", [f"{1959 + k // 4}Q{k % 4 + 1}" for k in range(14)], "1959 Q1", "1962 Q2"),
    ("quarter", [f"Q{k % 4 + 1} {1959 + k // 4}" for k in range(14)], "1959 Q1", "1962 Q2"),
    ("day", [f"{k + 1}.3.2024" for k in range(14)], "2024-03-01", "2024-03-14"),
    ("month", [f"2020-{k + 1:02}-01" for k in range(10)], "Jan 2020", "Oct 2020"),
    ("quarter", [f"{2020 + k // 4}-{k % 4 * 3 + 1:02}-15" for k in range(10)], "2020 Q1", "2022 Q2"),
    ("month", [str(np.datetime64("2020-02", "M") + k) for k in range(10)], "Feb 2020", "Nov 2020"),
    ("week", [str(np.datetime64("2024-01-05") + 7 * k) for k in range(12)], "2024-01-05", "2024-03-22"),
    ("year", [str(1990 + k) for k in range(12)], "1990", "2001"),
    ("2 weeks", [str(np.datetime64("2024-01-05") + 14 * k) for k in range(12)], "2024-01-05", "2024-06-07"),
    ("2 months", [f"{2020 + k // 6}-{k % 6 * 2 + 1:02}-01" for k in range(12)], "Jan 2020", "Nov 2021"),
    ("2 years", [f"{1990 + 2 * k}-06-30" for k in range(10)], "1990", "2008"),
    ("quarter", [f"{2020 + k // 4}-{k % 4 * 3 + 3:02}" for k in range(10)], "2020 Q1", "2022 Q2"),
    ("5 years", [str(1950 + 5 * k) for k in range(10)], "1950", "1995"),
]  # fmt: skip


@pytest.mark.parametrize(("every", "words", "first", "last"), SHAPES)
def test_times_come_in_every_shape(every: str, words: list[str], first: str, last: str) -> None:
    y = np.arange(len(words)) ** 1.5
    order = np.random.default_rng(1).permutation(len(words))
    table = table_from(when=[words[i] for i in order], y=y[order].tolist())
    s = read_series(table, "y", "when")
    assert (s.every, s.labels[0], s.labels[-1], s.n) == (every, first, last, len(words))
    assert np.allclose(s.values, y)
    assert np.array_equal(s.place, order)


def test_gaps_are_bridged_and_named_and_ends_left_out() -> None:
    months = [f"2020-{k:02}" for k in (1, 2, 3, 5, 6, 7, 8, 9, 10, 11, 12)]
    table = table_from(when=months, y=[None, 2, 3, 5, 6, None, 8, 9, 10, 11, None])
    s = read_series(table, "y", "when")
    assert s.labels[0] == "Feb 2020" and s.labels[-1] == "Nov 2020"
    assert [s.labels[i] for i in s.bridged] == ["Apr 2020", "Jul 2020"]
    assert np.allclose(s.values, np.arange(2, 12))


def test_numbers_far_apart_are_no_series_and_cost_nothing() -> None:
    table = table_from(when=[1_700_000_000 + k**7 for k in range(20)], y=list(range(20)))
    with pytest.raises(DataProblem, match="leaves most times out"):
        read_series(table, "y", "when")


@pytest.mark.parametrize(
    ("columns", "words"),
    [
        ({"when": ["2020-01", "2020-02"] * 6, "y": list(range(12))}, ["stands 6 times in when", "2 times do so"]),
        (
            {"when": [f"2020-{k:02}" for k in range(1, 12)] + ["soon"], "y": list(range(12))},
            ["“soon” in when", "no time"],
        ),
        ({"when": list(range(12)), "y": [3] * 12}, ["y is 3 at every time"]),
        ({"when": list(range(5)), "y": list(range(5))}, ["5 values over time; 8 are needed"]),
        ({"when": [k + 0.5 for k in range(12)], "y": list(range(12))}, ["whole steps"]),
    ],
)
def test_what_is_no_series_is_refused_by_name(columns: dict[str, Any], words: list[str]) -> None:
    with pytest.raises(DataProblem) as e:
        answer("series", table_from(**columns), {"value": "y", "time": "when"})
    for w in words:
        assert w in str(e.value)


def test_settings_that_leave_nothing_are_refused() -> None:
    table = table_from(when=list(range(12)), y=[1.0, -2, 3, 4, 2, 6, 7, 3, 9, 1, 11, 2])
    for spec, words in (
        ({"season": 20}, "A season of 20 points needs 40"), ({"transform": "log"}, "y is −2 at 1"),
        ({"season": 5, "seasonal_difference": 1}, "7 points are left"),
        ({"seasonal_difference": 1}, "season of two points"),
    ):  # fmt: skip
        with pytest.raises(DataProblem, match=words):
            answer("series", table, {"value": "y", "time": "when", **spec})


def verdict(a: Answer, id: str) -> str:
    """Of one of its checks."""
    return next(c.verdict.value for c in a.checks if c.id == id)


def test_the_demo_series() -> None:
    loans = demo_tables()["Monthly loans"]
    a = answer("series", loans, {"value": "loans", "time": "month"})
    assert a.facts["season"] == 12 and float(a.facts["season_strength"]) > 0.6
    assert verdict(a, "still") == "fails" and verdict(a, "season") == "doubtful"
    b = answer("series", loans, {"value": "loans", "time": "month", "difference": 1, "seasonal_difference": 1})
    assert verdict(b, "still") == "holds"
    waiting = demo_tables()["Waiting list"]
    c = answer("series", waiting, {"value": "waiting", "time": "quarter", "difference": 1})
    assert verdict(c, "still") == "holds" and c.facts["every"] == "quarter"
    assert 0.5 < float(c.facts["acf_1"]) < 0.8
    made = {
        k.name: v.to_numpy(zero_copy_only=False)
        for k, v in new_columns(loans, "series", {"value": "loans", "time": "month"})
    }
    assert np.allclose(made["trend loans"] + made["season loans"] + made["rest loans"], loans.numbers("loans"))


def test_values_far_off_and_spread_that_grows_are_said() -> None:
    rng = np.random.default_rng(8)
    t = np.arange(120)
    y = (50 + t) * np.exp(rng.normal(0, 0.15, 120))
    y[60] = 900.0
    table = table_from(when=[f"{2000 + k // 12}-{k % 12 + 1:02}" for k in t], y=y.round(2).tolist())
    a = answer("series", table, {"value": "y", "time": "when"})
    told = next(c for c in a.checks if c.id == "outlying")
    assert "Jan 2005" in told.text and told.remedies[0].rows == [61]
    y[60] = 110.0
    smooth_ = table_from(when=[f"{2000 + k // 12}-{k % 12 + 1:02}" for k in t], y=y.round(2).tolist())
    assert verdict(answer("series", smooth_, {"value": "y", "time": "when"}), "spread") == "doubtful"


@pytest.mark.parametrize("how", ["sum", "mean"])
def test_a_time_that_stands_several_times_is_summed_or_averaged(how: str) -> None:
    rng = np.random.default_rng(2)
    each = rng.normal(10, 1, size=(3, 40))
    years = list(range(1980, 2020)) * 3
    order = rng.permutation(120)
    table = table_from(when=np.array(years)[order], y=each.ravel()[order])
    with pytest.raises(DataProblem) as e:
        read_series(table, "y", "when")
    assert "stands 3 times" in str(e.value) and len(e.value.rows or []) == 3
    found = read_series(table, "y", "when", doubled=how)
    assert np.allclose(found.values, getattr(np, how)(each, axis=0))
    assert (np.bincount(found.place) == 3).all()
    a = answer("series", table, {"value": "y", "time": "when", "doubled": how})
    assert f"every year, {'summed' if how == 'sum' else 'averaged'}" in a.settings


@pytest.mark.parametrize(
    ("parts", "every"),
    [
        (list(range(1, 13)), "month"),
        (
            [
                m.lower()
                for m in ("January", "Feb", "March", "Apr", "May", "June", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
            ],
            "month",
        ),
        (["Q1", "Q2", "Q3", "q4"], "quarter"),
        ([1, 2, 3, 4], "quarter"),
    ],
)
def test_years_and_their_months_in_two_columns(parts: list[Any], every: str) -> None:
    k = len(parts)
    years = [2000 + i // k for i in range(5 * k)]
    table = table_from(year=years, part=[parts[i % k] for i in range(5 * k)], y=walk(5 * k))
    found = read_series(table, "y", "year", within="part")
    assert found.every == every and found.n == 5 * k and found.season == k
    assert np.allclose(found.values, table.numbers("y"))
    wrong = table_from(year=years, part=["spring", *[parts[i % k] for i in range(1, 5 * k)]], y=walk(5 * k))
    with pytest.raises(DataProblem, match="spring"):
        read_series(wrong, "y", "year", within="part")


def test_empty_cells_are_filled_by_a_step_of_the_remedy() -> None:
    y: list[float | None] = list(walk(40))
    y[7] = None
    a = answer("series", table_from(when=list(range(1970, 2010)), y=y), {"value": "y", "time": "when"})
    gaps = next(c for c in a.checks if c.id == "gaps")
    step: Any = gaps.remedies[0].step
    made = apply_path(table_from(when=list(range(1970, 2010)), y=y), [new_step(step)]).table
    assert made.numbers("y")[7] == pytest.approx((y[6] + y[8]) / 2)  # type: ignore[operator]
    # a time without a row has no cell to fill
    short = table_from(when=[t for t in range(1970, 2010) if t != 1977], y=[v for v in y if v is not None])
    b = answer("series", short, {"value": "y", "time": "when"})
    assert next(c for c in b.checks if c.id == "gaps").remedies == []


@pytest.mark.parametrize(
    ("n", "spec", "shown"),
    [
        (12, {}, 10),
        (12, {"lags": 50}, 11),
        (100, {}, 20),
        (100, {"lags": 7}, 7),
        (12, {"difference": 1, "lags": 50}, 10),
    ],
)
def test_lags_are_as_many_as_asked_for_and_as_there_can_be(n: int, spec: dict[str, Any], shown: int) -> None:
    """10 log₁₀ n where none are asked for; never as many as there are values."""
    y = np.random.default_rng(1).normal(size=n).round(3)
    found = answer("series", table_from(t=list(range(1, n + 1)), y=y.tolist()), {"value": "y", "time": "t", **spec})
    assert len(found.block("lags").rows) == shown
