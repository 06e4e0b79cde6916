"""Exponential smoothing: likelihood and forecasts by the library at the same parameters, optima at least as good."""

import warnings
from typing import Any

import numpy as np
import pandas as pd
import pytest
from scipy.stats import norm
from statsmodels.tsa.exponential_smoothing.ets import ETSModel

from yavik.core.stats.series.smoothing import (
    Kind,
    Smoothed,
    _expected,
    best,
    fit,
    follow,
    intervals,
    kinds,
    opened,
    walk,
)  # fmt: skip
from yavik.core.stats.series.yardsticks import foretell

ALL = kinds(4, ("additive", "multiplicative"), ("none", "additive", "damped"), ("none", "additive", "multiplicative"))
SHORT = {"additive": "add", "multiplicative": "mul", "none": None, "damped": "add"}


def quarters(n: int = 80, seed: int = 3) -> Any:
    """Trend, season and a walk, well above 0."""
    rng = np.random.default_rng(seed)
    t = np.arange(n)
    return 100 + 0.5 * t + 8 * np.sin(2 * np.pi * t / 4) + np.cumsum(rng.normal(size=n)) + rng.normal(size=n)


def theirs(y: Any, kind: Kind) -> Any:
    return ETSModel(
        pd.Series(y), error=SHORT[kind.error], trend=SHORT[kind.trend], damped_trend=kind.trend == "damped",
        seasonal=SHORT[kind.season], seasonal_periods=kind.m if kind.season != "none" else None,
    )  # fmt: skip


def in_their_terms(s: Smoothed) -> Any:
    """Our parameters as the library lists them."""
    p, kind = s.sets, s.kind
    out = [p.alpha[0]]
    if kind.trend != "none":
        out.append(p.beta[0])
    if kind.season != "none":
        out.append(p.gamma[0])
    if kind.trend == "damped":
        out.append(p.phi[0])
    out.append(p.level[0] * s.scale + s.shift)
    if kind.trend != "none":
        out.append(p.slope[0] * s.scale)
    if kind.season != "none":
        scale = s.scale if kind.season == "additive" else 1.0
        # theirs go backwards from the first point
        out += list(p.season[0][::-1] * scale)
    return np.array(out)


def published(y: Any, s: Smoothed) -> Any:
    """One-step expectations point by point, by the equations of Hyndman and others (2008, tables 2.2 and 2.3)."""
    p, kind = s.sets, s.kind
    al, be, ga, phi = (float(v[0]) for v in (p.alpha, p.beta, p.gamma, p.phi))
    level, slope = float(p.level[0]) * s.scale + s.shift, float(p.slope[0]) * s.scale
    season = list(p.season[0] * (s.scale if kind.season == "additive" else 1.0))
    out = []
    for t, value in enumerate(y):
        base, c = level + phi * slope, season[t % len(season)]
        mean = {"none": base, "additive": base + c, "multiplicative": base * c}[kind.season]
        out.append(mean)
        e = value - mean
        if kind.error == "multiplicative":
            e = e / mean
            push = mean * e if kind.season == "additive" else base * e
            turned = {"none": c, "additive": c + ga * mean * e, "multiplicative": c * (1 + ga * e)}[kind.season]
        else:
            push, turned = e, c + ga * e
        season[t % len(season)] = turned
        level, slope = base + al * push, phi * slope + be * push
    return np.array(out)


@pytest.mark.parametrize("kind", ALL, ids=lambda k: f"{k.error} {k.words}")
def test_walks_are_the_published_equations(kind: Kind) -> None:
    y = quarters()
    s = fit(y, kind)
    assert s is not None
    mean = published(y, s)
    assert np.allclose(s.fitted, mean, rtol=1e-10)
    spread = s.sigma * (mean if kind.error == "multiplicative" else 1.0)
    assert s.log_likelihood == pytest.approx(float(norm.logpdf(y, mean, spread).sum()), abs=1e-8)


@pytest.mark.parametrize("kind", ALL, ids=lambda k: f"{k.error} {k.words}")
def test_forecasts_and_optimum_by_the_library(kind: Kind) -> None:
    y = quarters()
    s = fit(y, kind)
    assert s is not None
    model = theirs(y, kind)
    params = in_their_terms(s)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        told = model.fit(disp=0, maxiter=2000)
        same = model.smooth(params)
    assert s.log_likelihood > told.llf - 0.05
    if kind.season == "multiplicative":
        # theirs mends such a season by the level after the point; the published equations by that before
        return
    assert s.log_likelihood == pytest.approx(float(model.loglike(params)), abs=1e-6)
    assert np.allclose(follow(s, 10), same.forecast(10), rtol=1e-5)
    if kind.linear:
        frame = same.get_prediction(start=80, end=89).summary_frame(alpha=0.2)
        low, high = intervals(s, 10, [0.8])[0.8]
        assert np.allclose(low, frame["pi_lower"], rtol=1e-4) and np.allclose(high, frame["pi_upper"], rtol=1e-4)


@pytest.mark.parametrize("season", ["none", "additive", "multiplicative"])
def test_bands_drawn_hold_the_middle_and_never_change(season: Any) -> None:
    s = fit(quarters(), Kind("multiplicative", "none", season, 4 if season != "none" else 1))
    assert s is not None
    low, high = intervals(s, 10, [0.8])[0.8]
    assert (low < follow(s, 10)).all() and (follow(s, 10) < high).all()
    again = intervals(s, 10, [0.8])[0.8]
    assert np.array_equal(low, again[0]) and np.array_equal(high, again[1])


def test_drawn_bands_are_those_of_the_formula_where_both_are_had() -> None:
    """A season that multiplies with errors that do is near to one that adds where the season is small."""
    y = 1000 + np.cumsum(np.random.default_rng(5).normal(size=120))
    plain, parts = fit(y, Kind("additive", "none", "none", 1)), fit(y, Kind("multiplicative", "none", "none", 1))
    assert plain and parts
    wide, drawn = intervals(plain, 8, [0.95])[0.95], intervals(parts, 8, [0.95])[0.95]
    assert np.allclose(wide[1] - wide[0], drawn[1] - drawn[0], rtol=0.06)


def test_sets_side_by_side_walk_as_each_alone() -> None:
    y = quarters() / 100
    kind = Kind("multiplicative", "damped", "multiplicative", 4)
    x = np.random.default_rng(1).normal(size=(3, kind.weights + kind.states)) * 0.1
    x[:, kind.weights] = 1.0
    x[:, -3:] += 1.0
    both = walk(y, opened(x, kind), kind)
    for i in range(3):
        alone = walk(y, opened(x[i], kind), kind)
        assert np.allclose(both.errors[i], alone.errors[0]) and np.allclose(both.season[i], alone.season[0])


@pytest.mark.parametrize("m", [1, 4, 12])
def test_the_filter_gives_what_the_recursion_gives(m: int) -> None:
    rng = np.random.default_rng(m)
    y = 5 + np.sin(np.arange(150) * np.pi / 6) + rng.normal(0, 0.3, 150)
    for kind in kinds(m, ("additive", "multiplicative"), ("none", "additive", "damped"), ("none", "additive")):
        x = rng.normal(0, 0.2, (9, kind.weights + kind.states))
        x[:, kind.weights] += 5
        x[1:, : kind.weights] = x[0, : kind.weights]  # sets that share a filter beside others
        x[7:, 0] = -12.0, 12.0  # a level that hardly moves, one that follows
        walked = walk(y, opened(x, kind), kind)
        means, errors = _expected(y, opened(x, kind), kind)
        np.testing.assert_allclose(errors, walked.errors, rtol=1e-9, atol=1e-11)
        np.testing.assert_allclose(means, walked.means, rtol=1e-9, atol=1e-11)


def test_simple_smoothing_is_its_recursion() -> None:
    y = quarters(30)
    s = fit(y, Kind("additive", "none", "none", 1))
    assert s
    level = float(s.sets.level[0]) * s.scale + s.shift
    for value, expected, after in zip(y, s.fitted, s.levels, strict=True):
        assert expected == pytest.approx(level)
        level += float(s.sets.alpha[0]) * (value - level)
        assert after == pytest.approx(level)
    assert np.allclose(follow(s, 3), level)


@pytest.mark.parametrize(("shift", "scale"), [(1e9, 1.0), (0.0, 1e-8), (-1e5, 1e6)])
def test_shifts_and_scales_change_nothing(shift: float, scale: float) -> None:
    y = quarters()
    kind = Kind("additive", "additive", "additive", 4)
    plain, moved = fit(y, kind), fit(shift + scale * y, kind)
    assert plain and moved
    assert moved.log_likelihood + 80 * np.log(scale) == pytest.approx(plain.log_likelihood, abs=1e-3)
    assert np.allclose((follow(moved, 4) - shift) / scale, follow(plain, 4), rtol=1e-4)


def test_what_does_not_fit_is_left_out() -> None:
    assert fit(quarters() - 200, Kind("multiplicative", "none", "none", 1)) is None
    assert fit(quarters(7), Kind("additive", "none", "additive", 4)) is None
    assert fit(np.full(30, 5.0), Kind("additive", "none", "none", 1)) is None
    found = best(quarters(), 4)
    assert found is not None and found.kind.season != "none"
    assert not [k for k in ALL if k.error == "additive" and k.season == "multiplicative"]


def test_yardsticks() -> None:
    y = quarters(40)
    ways = {w.key: w.mean for w in foretell(y, 4, 6)}
    assert np.allclose(ways["last"], y[-1])
    assert np.allclose(ways["season"], [*y[-4:], *y[-4:-2]])
    assert list(ways) == ["last", "season", "smoothing"]
    assert list({w.key for w in foretell(y, 1, 6)} - {"smoothing"}) == ["last"]
