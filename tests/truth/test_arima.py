"""ARIMA: the exact likelihood by the dense normal density, optima and errors by the library, what follows by both."""

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy import linalg, signal
from statsmodels.tsa.arima.model import ARIMA
from statsmodels.tsa.arima_process import arma_acovf

from yavik.core.stats.series.ahead import ahead, expected
from yavik.core.stats.series.arima import Factors, Fitted, Order, Singular, prepare
from yavik.core.stats.series.arma import from_partials, innovations, spread_out, to_partials, whiten
from yavik.core.stats.series.search import _sloped, _value, fit, grown

NONE = np.zeros((0, 0))


def simulated(n: int, ar: list[float], ma: list[float], seed: int = 3) -> Any:
    rng = np.random.default_rng(seed)
    e = rng.normal(size=n + 300)
    return signal.lfilter([1, *ma], [1, *(-a for a in ar)], e)[300:]


def monthly(n: int = 120, seed: int = 3) -> Any:
    """Trend, season and a walk."""
    rng = np.random.default_rng(seed)
    t = np.arange(n)
    return 100 + 0.5 * t + 8 * np.sin(2 * np.pi * t / 12) + np.cumsum(rng.normal(size=n)) + rng.normal(size=n)


def fitted(y: Any, order: Order, constant: bool = False, x: Any = None) -> Fitted:
    x = np.zeros((len(y), 0)) if x is None else x
    return fit(prepare(y, order, x, tuple(f"x{i}" for i in range(x.shape[1])), constant))


def covariance(f: Fitted, n: int) -> Any:
    """Of a standing series, dense, by autocovariances of the multiplied polynomials."""
    return linalg.toeplitz(arma_acovf(*f.factors.polynomials, nobs=n)) * f.sigma**2


def normal(r: Any, s: Any) -> float:
    """Log density of a normal vector."""
    half = linalg.cholesky(s, lower=True)
    z = linalg.solve_triangular(half, r, lower=True)
    return float(-0.5 * (len(r) * np.log(2 * np.pi) + z @ z) - np.log(np.diag(half)).sum())


ORDERS = [
    (Order(1, 0, 1), True), (Order(2, 1, 0), True), (Order(0, 1, 2), False), (Order(3, 1, 2), False),
    (Order(1, 0, 0, 0, 1, 1, 12), True), (Order(0, 1, 1, 0, 1, 1, 12), False), (Order(1, 1, 0, 1, 0, 0, 4), True),
]  # fmt: skip


@pytest.mark.parametrize(("order", "constant"), ORDERS)
def test_likelihood_is_the_dense_normal_density(order: Order, constant: bool) -> None:
    y = monthly()
    f = fitted(y, order, constant)
    w = np.convolve(y, order.differences, mode="valid")
    if constant:
        t = np.arange(len(y)) if order.lost else np.ones(len(y))
        w = w - np.convolve(t, order.differences, mode="valid") * f.coefficients[-1]
    assert f.log_likelihood == pytest.approx(normal(w, covariance(f, len(w))), abs=1e-8)


@pytest.mark.parametrize(("order", "constant"), ORDERS)
def test_optimum_errors_and_forecasts_by_the_library(order: Order, constant: bool) -> None:
    y = monthly()
    f = fitted(y, order, constant)
    kind = ("t" if order.d + order.D else "c") if constant else "n"
    season = (order.P, order.D, order.Q, order.m if order.m > 1 else 0)
    model = ARIMA(y, order=order[:3], seasonal_order=season, trend=kind)
    theirs = model.fit(method_kwargs={"maxiter": 800, "pgtol": 1e-9})
    k = len(f.coefficients)
    # theirs begins with the trend and ends with the variance
    own = np.roll(theirs.params[:-1], -1) if constant else theirs.params[:-1]
    assert f.log_likelihood > theirs.llf - 2e-3
    if abs(f.log_likelihood - theirs.llf) < 2e-3 and not f.on_border.any():
        assert np.allclose(f.coefficients, own, atol=3e-3 * max(1.0, float(np.abs(own).max())))
        se = np.sqrt(np.diag(np.linalg.inv(-model.hessian(theirs.params, method="approx"))) / len(y))[:-1]
        se = np.roll(se, -1) if constant else se
        assert np.allclose(np.sqrt(np.diag(f.covariance))[: k - constant], se[: k - constant], rtol=0.08)
        told = theirs.get_forecast(15)
        made = ahead(f, 15)
        assert np.allclose(made.mean, told.predicted_mean, atol=0.15)
        assert np.allclose(made.se, told.se_mean, rtol=2e-3)
        assert np.allclose(expected(f, 15), made.mean)
        assert (made.se_full >= made.se).all()


def test_forecasts_are_conditional_normal_expectations() -> None:
    y = monthly(60)
    f = fitted(y, Order(1, 0, 1), True)
    s = covariance(f, 70)
    by = s[60:, :60] @ np.linalg.inv(s[:60, :60])
    made, mean = ahead(f, 10), f.coefficients[-1]
    assert np.allclose(made.mean, mean + by @ (y - mean), atol=1e-6)
    assert np.allclose(made.se**2, np.diag(s[60:, 60:] - by @ s[:60, 60:]), rtol=1e-6)


def test_missing_points_are_integrated_out_exactly() -> None:
    y = simulated(90, [0.6], [0.4]) + 5
    y[[7, 30, 31, 60]] = np.nan
    f = fitted(y, Order(1, 0, 1), True)
    there = np.isfinite(y)
    s = covariance(f, len(y))[np.ix_(there, there)]
    assert f.n == 86
    assert f.log_likelihood == pytest.approx(normal(y[there] - f.coefficients[-1], s), abs=1e-8)
    theirs = ARIMA(y, order=(1, 0, 1), trend="c").fit()
    assert f.log_likelihood == pytest.approx(theirs.llf, abs=1e-4)


def test_missing_points_of_a_differenced_series() -> None:
    y = np.cumsum(simulated(80, [0.5], [0.3]))
    y[[10, 11, 50]] = np.nan
    f = fitted(y, Order(1, 1, 0))
    # differences over gaps are sums of differences: their density, from that of all differences
    at = np.flatnonzero(np.isfinite(y))
    sums = np.zeros((len(at) - 1, len(y) - 1))
    for i, (a, b) in enumerate(pairwise(at)):
        sums[i, a:b] = 1.0
    assert f.log_likelihood == pytest.approx(normal(np.diff(y[at]), sums @ covariance(f, 79) @ sums.T), abs=1e-7)
    theirs = ARIMA(y, order=(1, 1, 0)).fit().get_forecast(8)
    made = ahead(f, 8)
    assert np.allclose(made.mean, theirs.predicted_mean, atol=1e-2)
    assert np.allclose(made.se, theirs.se_mean, rtol=1e-3)


def test_regressors_and_their_errors() -> None:
    rng = np.random.default_rng(8)
    x = np.column_stack([rng.normal(size=112), np.arange(112) >= 70]).astype(float)
    y = monthly(112) + x @ [3.0, -6.0]
    f = fitted(y[:100], Order(0, 1, 1, 0, 1, 1, 12), x=x[:100])
    theirs = ARIMA(y[:100], exog=x[:100], order=(0, 1, 1), seasonal_order=(0, 1, 1, 12)).fit(
        method_kwargs={"maxiter": 800, "pgtol": 1e-9}
    )
    assert np.allclose(f.coefficients, np.roll(theirs.params[:-1], -2), atol=2e-3)
    told = theirs.get_forecast(12, exog=x[100:])
    assert np.allclose(ahead(f, 12, x[100:]).mean, told.predicted_mean, atol=0.02)


@pytest.mark.parametrize(("order", "constant"), ORDERS)
def test_slopes_are_those_of_differences(order: Order, constant: bool) -> None:
    given = prepare(monthly(), order, np.zeros((120, 0)), (), constant)
    x = np.random.default_rng(1).uniform(-1, 1, order.parameters)
    h = 1e-5
    rough = [(_value(given, x + h * e) - _value(given, x - h * e)) / (2 * h) for e in np.eye(len(x))]
    now = _sloped(given, x)
    assert now is not None
    assert np.allclose(now[1], rough, rtol=1e-7, atol=1e-6)


def test_whitening_and_innovations_by_the_dense_root() -> None:
    ar = np.convolve(spread_out(-from_partials(np.array([0.7, -0.4])), 1), spread_out(np.array([-0.5]), 4))
    ma = spread_out(-from_partials(np.array([0.5, 0.3, -0.8])), 1)
    w = np.random.default_rng(2).normal(size=(50, 2))
    s = linalg.toeplitz(arma_acovf(ar, ma, 50))
    white = whiten(w, ar, ma)
    assert np.allclose(white.rows.T @ white.rows, w.T @ np.linalg.solve(s, w), atol=1e-11)
    assert white.log_det == pytest.approx(np.linalg.slogdet(s)[1], abs=1e-11)
    half = np.linalg.cholesky(s)
    assert np.allclose(innovations(w[:, 0], ar, ma), np.linalg.solve(half, w[:, 0]), atol=1e-9)


def test_seasonal_factors_are_multiplied_polynomials() -> None:
    o = Order(1, 0, 1, 1, 0, 1, 4)
    ar, ma = Factors.at(np.array([0.3, -0.4, 0.5, 0.2]), o).polynomials
    f = Factors.at(np.array([0.3, -0.4, 0.5, 0.2]), o)
    a, b = f.ar[0], f.seasonal_ar[0]
    assert np.allclose(ar, [1, -a, 0, 0, -b, a * b])
    assert np.allclose(ma, [1, f.ma[0], 0, 0, f.seasonal_ma[0], f.ma[0] * f.seasonal_ma[0]])
    turn = Factors.turn(np.array([0.3, -0.4, 0.5, 0.2]), o)
    assert np.allclose(np.diag(np.diag(turn)), turn) and np.abs(turn).max() <= 1


def test_partial_correlations_there_and_back() -> None:
    r = np.array([0.6, -0.3, 0.85])
    assert np.allclose(to_partials(from_partials(r)), r)
    assert np.abs(to_partials(np.array([1.4, 0.2]))).max() < 1


def test_a_larger_model_never_fits_worse_than_one_inside_it() -> None:
    y = np.cumsum(simulated(150, [0.5], [0.4], seed=5))
    small = fitted(y, Order(1, 1, 1))
    given = prepare(y, Order(2, 1, 2), np.zeros((150, 0)), (), False)
    large = fit(given, nested=[small])
    assert len(grown(small, Order(2, 1, 2))) == 4
    assert large.log_likelihood >= small.log_likelihood - 1e-9


def test_several_maxima_are_told() -> None:
    y = np.cumsum(simulated(200, [0.5], [0.4]))
    f = fitted(y, Order(3, 1, 3))
    theirs = ARIMA(y, order=(3, 1, 3)).fit()
    assert f.log_likelihood > theirs.llf
    assert f.other is None or f.other < f.log_likelihood


@pytest.mark.parametrize(("shift", "scale"), [(1e9, 1.0), (0.0, 1e-8), (-1e6, 1e7)])
def test_shifts_and_scales_change_nothing(shift: float, scale: float) -> None:
    y = np.cumsum(simulated(120, [0.5], [0.4]))
    plain, moved = fitted(y, Order(1, 1, 1), True), fitted(shift + scale * y, Order(1, 1, 1), True)
    assert np.allclose(moved.coefficients[:2], plain.coefficients[:2], atol=1e-6)
    assert moved.sigma / scale == pytest.approx(plain.sigma, rel=1e-6)
    assert moved.log_likelihood + 119 * np.log(scale) == pytest.approx(plain.log_likelihood, abs=1e-4)


def test_overdifferenced_noise_ends_on_the_border_without_errors() -> None:
    y = np.random.default_rng(4).normal(size=100)
    f = fitted(y, Order(0, 1, 1))
    assert f.on_border.all() and f.coefficients[0] == pytest.approx(-1, abs=1e-6)
    assert np.isnan(f.covariance).all()
    w = np.diff(y)
    assert f.log_likelihood == pytest.approx(normal(w, covariance(f, 99)), abs=1e-6)


def test_what_cannot_be_fitted() -> None:
    with pytest.raises(Singular):
        fitted(np.arange(40.0), Order(1, 1, 0))
    with pytest.raises(Singular):
        fitted(monthly(40), Order(0, 1, 1), True, np.ones((40, 1)))
    with pytest.raises(Singular):
        x = np.arange(40.0)[:, None]
        fitted(monthly(40), Order(0, 1, 1), True, x)
