"""Means, shares, totals, ratios and quantiles of domains, with their covariance by the design."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.special import expit, logit

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats
from yavik.core.stats.surveys.designs import Sampled

ROUNDING = 1e-13
"""Part of a value below which an error is rounding: so small that a column far from 0 keeps its own."""


@dataclass(frozen=True)
class Estimates:
    """Estimates that belong together.

    Args:
        values: shape (m,). covariance: shape (m, m). n: rows each rests on; weighted: what they stand for.
        plain: variance of a simple random sample of as many rows, shape (m,), NaN where it says nothing.
        unweighted: the same numbers without weights.
    """

    values: Floats
    covariance: Floats
    n: Floats
    weighted: Floats
    plain: Floats
    unweighted: Floats

    @property
    def se(self) -> Floats:
        """Standard errors by the design."""
        return np.asarray(np.sqrt(np.maximum(np.diag(self.covariance), 0.0)))

    @property
    def effect(self) -> Floats:
        """Design effects: the variance by the design over that of a simple random sample of as many rows."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(np.where(self.plain > 0, np.diag(self.covariance) / self.plain, np.nan))


def means(design: Sampled, y: Floats, used: Floats) -> Estimates:
    """Means of columns over domains: Σwy/Σw, rows outside counting as zero.

    Args:
        y: shape (n, m). used: 1 for the rows of each domain where the column is filled, else 0: shape (n, m).
    """
    m = y.shape[1]
    n, w = used.sum(axis=0), design.weights
    # about their plain means, so that a column far from 0 keeps its digits
    zero = np.where(used > 0, y, 0.0).sum(axis=0) / np.maximum(n, 1)
    inside = np.where(used > 0, y - zero, 0.0)
    whole = design.totals(np.hstack([inside, used]))

    def ratio(t: Floats) -> Floats:
        return np.asarray(t[:m] / t[m:])

    with np.errstate(divide="ignore", invalid="ignore"):
        values = ratio(whole.values)
    with np.errstate(divide="ignore", invalid="ignore"):
        centred = np.where(used > 0, inside - values, 0.0)
        # s² with n − 1 below, over n
        plain = (w @ centred**2) / whole.values[m:] / (n - 1)
        plain[n < 2] = np.nan
        unweighted = np.where(n > 0, zero, np.nan)
        covariance = whole.covariance(ratio)  # NaN where a domain has no row
    return Estimates(values + zero, covariance, n, whole.values[m:], plain, unweighted)


def totals(design: Sampled, y: Floats, used: Floats) -> Estimates:
    """Totals of columns over domains: Σwy. The design effect is that against Ŵ²s²/n."""
    m = y.shape[1]
    inside = np.where(used > 0, y, 0.0)
    whole = design.totals(inside)
    w = design.weights
    weighted = w @ used
    n = used.sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = whole.values / weighted
        centred = np.where(used > 0, y - mean, 0.0)
        plain = weighted * (w @ centred**2) / (n - 1)
        plain[n < 2] = np.nan
    return Estimates(whole.values, whole.covariance(lambda t: t[:m]), n, weighted, plain, inside.sum(axis=0))


def ratios(design: Sampled, above: Floats, below: Floats, used: Floats) -> Estimates:
    """Ratios of two totals over domains, Σwy/Σwx.

    Args:
        above, below: shape (n,). used: shape (n, m).
    """
    m = used.shape[1]
    a, b = np.where(used > 0, above[:, None], 0.0), np.where(used > 0, below[:, None], 0.0)
    whole = design.totals(np.hstack([a, b]))

    def ratio(t: Floats) -> Floats:
        return np.asarray(t[:m] / t[m:])

    values = ratio(whole.values)
    n, w = used.sum(axis=0), design.weights
    weighted = w @ used
    with np.errstate(divide="ignore", invalid="ignore"):
        left = np.where(used > 0, above[:, None] - values * below[:, None], 0.0)
        plain = (w @ left**2) / weighted / (n - 1) / (whole.values[m:] / weighted) ** 2
        plain[n < 2] = np.nan
        unweighted = a.sum(axis=0) / b.sum(axis=0)
    return Estimates(values, whole.covariance(ratio), n, weighted, plain, unweighted)


@dataclass(frozen=True)
class Quantile:
    """A quantile with the interval of Woodruff (1952): that of the share below, read back from the data.

    Args:
        se: half the interval over t.
    """

    value: float
    low: float
    high: float
    se: float
    n: int
    weighted: float
    unweighted: float


def weighted_quantile(y: Floats, w: Floats, part: float) -> float:
    """The smallest value up to which the weights reach the part, halfway to the next where they reach it exactly."""
    order = np.argsort(y, kind="stable")
    running = np.cumsum(w[order])
    aim = part * running[-1]
    at = int(np.searchsorted(running, aim * (1 - 1e-12)))
    at = min(at, len(y) - 1)
    if at + 1 < len(y) and abs(running[at] - aim) <= 1e-12 * running[-1]:
        following = int(np.searchsorted(running, running[at], side="right"))
        return float((y[order][at] + y[order][min(following, len(y) - 1)]) / 2)
    return float(y[order][at])


def quantile(design: Sampled, y: Floats, used: Floats, part: float, alpha: float, df: float) -> Quantile:
    """Args: y, used: shape (n,); part: 0.5 for a median."""
    rows = (used > 0) & (design.weights > 0)
    own, w = y[rows], design.weights[rows]
    value = weighted_quantile(own, w, part)
    below = means(design, (y <= value).astype(float)[:, None], used[:, None])
    se = float(below.se[0])
    reach = float(laws.t.ppf(1 - alpha / 2, df)) * se if df > 0 else np.nan
    if not np.isfinite(reach) or not se > 0:
        low = high = np.nan
    else:
        low = weighted_quantile(own, w, max(part - reach, 1e-12))
        high = weighted_quantile(own, w, min(part + reach, 1 - 1e-12))
    spread = (high - low) / 2 / float(laws.t.ppf(1 - alpha / 2, df)) if df > 0 else np.nan
    plain = weighted_quantile(own, np.ones(len(own)), part)
    return Quantile(value, low, high, spread, int(rows.sum()), float(w.sum()), plain)


def interval(values: Floats, se: Floats, df: float, alpha: float) -> tuple[Floats, Floats]:
    """Value ± t SE; NaN without df, and where nothing varies: rows that are all alike tell no error."""
    reach = float(laws.t.ppf(1 - alpha / 2, df)) * se if df > 0 else np.full_like(se, np.nan)
    reach = np.where(varies(values, se), reach, np.nan)
    return values - reach, values + reach


def varies(values: Floats, se: Floats) -> Any:
    """Where an error is more than rounding."""
    return np.asarray(se > ROUNDING * np.abs(values))


def share_interval(values: Floats, se: Floats, df: float, alpha: float) -> tuple[Floats, Floats]:
    """Of shares, by their log odds, so that it stays within 0 and 1; NaN at 0 and 1, where the design tells nothing."""
    with np.errstate(divide="ignore", invalid="ignore"):
        odd = logit(values)
        low, high = interval(odd, se / (values * (1 - values)), df, alpha)
    inside = (values > 0) & (values < 1)
    return np.where(inside, expit(low), np.nan), np.where(inside, expit(high), np.nan)


@dataclass(frozen=True)
class Wald:
    """A Wald test, adjusted for the df of the design (Korn and Graubard, 1990)."""

    f: float
    df1: float
    df2: float
    p: float


def wald(values: Floats, covariance: Floats, df: float) -> Wald:
    """That all values are 0. F = (df − k + 1)/(k df) Q with k and df − k + 1; NaN where df are too few or values vary
    together without rest."""
    k = len(values)
    rank = int(np.linalg.matrix_rank(covariance)) if np.isfinite(covariance).all() else 0
    df2 = df - k + 1
    if rank < k or df2 <= 0:
        return Wald(np.nan, float(k), df2, np.nan)
    quadratic = float(values @ np.linalg.solve(covariance, values))
    f = quadratic * df2 / (k * df)
    return Wald(f, float(k), df2, float(laws.f.sf(f, k, df2)))
