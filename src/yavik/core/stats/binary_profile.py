"""Intervals and tests of a binary model by its likelihood: profiles, ratios, scores."""

from collections.abc import Callable, Sequence

import numpy as np
from scipy import optimize, special

from yavik.core.stats import distributions as laws
from yavik.core.stats.binary import BinaryFit, Link, Prepared, fit, invert, mean_and_slope, probability, rao
from yavik.core.stats.groups import Floats


def without(found: BinaryFit, places: Sequence[int]) -> tuple[float, int]:
    """Likelihood-ratio χ² and df of some coefficients being zero; penalised where the fit is (Heinze & Schemper,
    2002)."""
    start = found.scaled.copy()
    start[list(places)] = 0.0
    less = fit(found.data, found.link, found.penalty, start, dict.fromkeys(places, 0.0))
    return max(2 * (found.penalised - less.penalised), 0.0), len(places)


def null_likelihood(y: Floats, link: Link, intercept: bool) -> float:
    """Log-likelihood without any term."""
    n, yes = len(y), float(y.sum())
    if intercept:
        return float(special.xlogy(yes, yes / n) + special.xlogy(n - yes, 1 - yes / n))
    share = float(probability(link, np.zeros(1))[0])
    return float(yes * np.log(share) + (n - yes) * np.log1p(-share))


def profile_interval(found: BinaryFit, place: int, alpha: float) -> tuple[float, float]:
    """Where the likelihood, maximised over all others, falls by half the chi-square quantile (Venzon & Moolgavkar,
    1988).

    Returns:
        For the coefficient at ``place`` in the unit of its column; infinite where it never falls so far.
    """
    d, goal = found.data, found.penalised - 0.5 * float(laws.chi2.ppf(1 - alpha, 1))
    variances = np.diag(invert(found.information))
    scale = 1.0 if place < d.first else float(d.scale[place - d.first])
    if place < d.first:
        return _profile_of_intercept(found, goal)
    best, se = float(found.scaled[place]), float(np.sqrt(max(variances[place], 1e-12)))

    def fall(value: float) -> float:
        """How far the likelihood lies above the end that is looked for."""
        # Always from the same start, so that the same value falls equally far whenever it is asked for.
        return fit(d, found.link, found.penalty, found.scaled, {place: value}).penalised - goal

    return tuple(_edge(fall, best, sign * se) / scale for sign in (-1, 1))  # type: ignore[return-value]


def _edge(fall: Callable[[float], float], best: float, step: float) -> float:
    inner, outer = best, best + 1.5 * step
    if not fall(inner) > 0:
        return float("nan")  # the fit is not at its highest point: there is nothing to fall from
    for _ in range(12):
        if fall(outer) < 0:
            return float(optimize.brentq(fall, inner, outer, xtol=abs(step) * 1e-9, rtol=1e-12))
        inner, outer = outer, outer + 2 * (outer - best)
        if abs(outer) > 200:
            break
    return float(np.sign(step) * np.inf)


def uncentred(d: Prepared) -> Prepared:
    """The same columns only scaled: the intercept of centred columns is a combination of all."""
    return Prepared(d.plain(), d.y, np.zeros_like(d.centre), d.scale, d.intercept)


def _profile_of_intercept(found: BinaryFit, goal: float) -> tuple[float, float]:
    plain = uncentred(found.data)
    start = found.scaled.copy()
    start[0] = found.coef[0]
    best, se = float(found.coef[0]), float(np.sqrt(found.covariance[0, 0]))

    def fall(value: float) -> float:
        """How far the likelihood lies above the end that is looked for."""
        return fit(plain, found.link, found.penalty, start, {0: value}).penalised - goal

    return _edge(fall, best, -se), _edge(fall, best, se)


def score_test(found: BinaryFit, added: Floats) -> tuple[float, int]:
    """χ² and df of adding columns, shape (n, k), to a fitted model, without fitting it again (Rao, 1948)."""
    d = found.data
    mu, nu, slope = mean_and_slope(found.link, found.eta)
    spread = np.maximum(mu * nu, 1e-300)
    return rao(d.x, slope**2 / spread, (d.y - mu) * slope / spread, found.information, added)
