"""The distributions against the library's own objects, far out in the tails, and where degrees of freedom end."""

import numpy as np
import pytest
from scipy import stats

from yavik.core.stats import distributions as laws

X = np.array([-np.inf, -1e5, -40, -2, -0.3, 0, 1e-8, 0.3, 2, 40, 1e5, np.inf, np.nan])
P = np.array([0, 1e-17, 1e-9, 0.001, 0.05, 0.3, 0.5, 0.9, 0.999, 1, np.nan, -0.1, 1.2])
DF = [0.3, 1, 2, 5.5, 30, 1e3, 1e7]
EXACT = {"rtol": 1e-11, "atol": 0, "equal_nan": True}


@pytest.mark.parametrize("end", ["cdf", "sf", "pdf"])
def test_the_normal_distribution(end: str) -> None:
    np.testing.assert_allclose(getattr(laws.norm, end)(X), getattr(stats.norm, end)(X), **EXACT)
    if end != "pdf":
        inverse = {"cdf": "ppf", "sf": "isf"}[end]
        np.testing.assert_allclose(getattr(laws.norm, inverse)(P), getattr(stats.norm, inverse)(P), **EXACT)


@pytest.mark.parametrize("df", [*DF, np.inf])
def test_t_and_chi_square(df: float) -> None:
    for end in ("cdf", "sf"):
        np.testing.assert_allclose(getattr(laws.t, end)(X, df), getattr(stats.t, end)(X, df), **EXACT)
    for end in ("ppf", "isf"):
        np.testing.assert_allclose(getattr(laws.t, end)(P, df), getattr(stats.t, end)(P, df), **EXACT)
        if df < np.inf:
            np.testing.assert_allclose(getattr(laws.chi2, end)(P, df), getattr(stats.chi2, end)(P, df), **EXACT)
    if df < np.inf:
        np.testing.assert_allclose(laws.chi2.sf(X, df), stats.chi2.sf(X, df), **EXACT)


@pytest.mark.parametrize("df", DF)
@pytest.mark.parametrize("other", DF)
def test_f_and_beta(df: float, other: float) -> None:
    np.testing.assert_allclose(laws.f.sf(X, df, other), stats.f.sf(X, df, other), **EXACT)
    np.testing.assert_allclose(laws.f.ppf(P, df, other), stats.f.ppf(P, df, other), **EXACT)
    np.testing.assert_allclose(laws.f.isf(P[3:], df, other), stats.f.isf(P[3:], df, other), rtol=1e-9)
    for small in (1e-30, 1e-17, 1e-9):  # the library goes by way of 1 − p here
        assert laws.f.sf(laws.f.isf(small, df, other), df, other) == pytest.approx(small, rel=1e-9)
    for end in ("ppf", "isf"):
        np.testing.assert_allclose(
            getattr(laws.beta, end)(P, df, other), getattr(stats.beta, end)(P, df, other), **EXACT
        )


def test_endless_degrees_of_freedom_of_the_error_are_the_limit() -> None:
    for df in (1.0, 4.0, 30.0):
        for end, values in (("sf", X[5:-2]), ("ppf", P[3:9]), ("isf", P[3:9])):
            limit, near = (getattr(laws.f, end)(values, df, d) for d in (np.inf, 1e9))
            np.testing.assert_allclose(limit, near, rtol=1e-5, atol=1e-12)


@pytest.mark.parametrize("df", [0, -1, np.nan])
def test_no_degrees_of_freedom_give_nothing(df: float) -> None:
    assert np.isnan([laws.t.sf(1.0, df), laws.t.isf(0.1, df), laws.chi2.sf(1.0, df), laws.chi2.ppf(0.1, df)]).all()
    assert np.isnan(
        [laws.chi2.isf(0.1, df), laws.f.sf(1.0, df, 4), laws.f.isf(0.1, 4, df), laws.f.sf(1, 4, df)]
    ).all()


def test_the_ends_give_the_ends() -> None:
    assert laws.f.isf(0.0, 2, 9) == laws.t.isf(0.0, 4) == laws.chi2.isf(0.0, 4) == np.inf
    assert laws.f.isf(1.0, 2, 9) == laws.f.ppf(0.0, 2, 9) == laws.beta.ppf(0.0, 2, 9) == 0
    assert laws.t.ppf(0.0, 4) == laws.t.isf(1.0, np.inf) == laws.norm.ppf(0.0) == -np.inf


def test_one_number_gives_one_number() -> None:
    for found in (
        laws.norm.sf(1.0),
        laws.t.sf(1.0, 4),
        laws.t.isf(0.1, 4),
        laws.chi2.sf(1.0, 4),
        laws.f.sf(1.0, 2, 9),
    ):
        assert isinstance(found, np.float64)
