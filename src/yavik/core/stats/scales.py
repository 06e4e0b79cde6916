"""Numbers of a scale made of items: α with Feldt's interval, ω of one factor, what each item does to it."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.extraction import ml


@dataclass(frozen=True)
class Alpha:
    """Cronbach's α with its interval, and α of the standardised items."""

    raw: float
    low: float
    high: float
    standardised: float
    mean_r: float
    """Mean correlation between two items."""


@dataclass(frozen=True)
class OneFactor:
    """A model of one factor.

    Args:
        loadings: shape (k,), of the standardised items; the factor's sign makes their sum positive.
        unique: shape (k,), shares of variance that the factor does not explain.
        proper: False where an item's unique share ran to its edge.
    """

    loadings: Floats
    unique: Floats
    proper: bool


def cronbach(s: Floats, n: int, level: float) -> Alpha:
    """α = k/(k − 1) · (1 − Σ variances / variance of the sum) (Cronbach, 1951), interval by Feldt (1965).

    Args:
        s: covariances of the items, shape (k, k), every item with spread; n: rows filled throughout.
        level: of the interval, such as .95.

    The interval uses (1 − α)/(1 − α̂) ~ F(n − 1, (n − 1)(k − 1)), which holds for items that differ only in their mean.
    """
    k, raw = len(s), alpha_of(s)
    df1, df2, tail = n - 1, (n - 1) * (k - 1), (1 - level) / 2
    low, high = (1 - (1 - raw) * float(laws.f.ppf(q, df1, df2)) for q in (1 - tail, tail))
    mean_r = float((correlations(s).sum() - k) / (k * (k - 1)))
    return Alpha(raw, low, high, k * mean_r / (1 + (k - 1) * mean_r), mean_r)


def correlations(s: Floats) -> Floats:
    """From covariances, shape (k, k)."""
    sd = np.sqrt(np.diag(s))
    return np.asarray(s / np.outer(sd, sd))


def alpha_of(s: Floats) -> float:
    """α from the items' covariances, shape (k, k)."""
    k, whole = len(s), float(s.sum())
    return k / (k - 1) * (1 - float(np.trace(s)) / whole) if whole > 0 else -np.inf


def without_each(s: Floats) -> Floats:
    """α without each item in turn, shape (k,); NaN where one item would be left."""
    k = len(s)
    if k < 3:
        return np.full(k, np.nan)
    keep = [np.delete(np.arange(k), i) for i in range(k)]
    return np.array([alpha_of(s[np.ix_(rest, rest)]) for rest in keep])


def with_the_rest(s: Floats) -> Floats:
    """Correlation of each item with the sum of the others, shape (k,); NaN where that sum has no spread."""
    own, row, whole = np.diag(s), s.sum(axis=1), float(s.sum())
    rest = whole - 2 * row + own
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(
            np.where(rest > 1e-12 * whole, (row - own) / np.sqrt(own * np.maximum(rest, 1e-300)), np.nan)
        )


def turned(s: Floats) -> Floats:
    """Which items run against the others, shape (k,), bool: by the first principal component of the correlations.

    The smaller side is the one that is turned.
    """
    _, vectors = np.linalg.eigh(correlations(s))
    first = vectors[:, -1]
    against = first < -1e-6 if (first > 0).sum() >= (first < 0).sum() else first > 1e-6
    return np.asarray(against & (np.abs(first) > 0.1 * np.abs(first).max()))


def one_factor(r: Floats) -> OneFactor | None:
    """One factor by maximum likelihood (Jöreskog, 1967); None for fewer than three items, which do not fix it.

    Args:
        r: correlations, shape (k, k).
    """
    if len(r) < 3:
        return None
    found = ml(r, 1)
    return OneFactor(np.asarray(found.loadings[:, 0]), found.unique, not bool(found.improper.any()))


def omega(found: OneFactor, sd: Floats) -> float:
    """ω of the sum of the items (McDonald, 1999): the share of its variance that the factor explains.

    Args:
        sd: of the items, shape (k,).
    """
    common = float((found.loadings * sd).sum()) ** 2
    return common / (common + float((found.unique * sd**2).sum()))


def split_half(s: Floats, first: npt.NDArray[np.bool_]) -> tuple[float, float, float]:
    """Correlation of two halves, stepped up by Spearman and Brown (for unequal halves by Horst, 1951), and Guttman's
    λ4.

    Args:
        s: covariances, shape (k, k).
        first: which items are in the first half, bool.
    """
    a, b = s[np.ix_(first, first)].sum(), s[np.ix_(~first, ~first)].sum()
    both = s[np.ix_(first, ~first)].sum()
    r = float(both / np.sqrt(a * b)) if a > 0 and b > 0 else np.nan
    p = float(np.mean(first))
    if np.isclose(p, 0.5) or not np.isfinite(r):
        stepped = 2 * r / (1 + r) if np.isfinite(r) and r > -1 else np.nan
    else:  # Horst's formula
        q = 1 - p
        stepped = r * (np.sqrt(r**2 + 4 * p * q * (1 - r**2)) - r) / (2 * p * q * (1 - r**2)) if abs(r) < 1 else r
    return r, float(stepped), float(4 * both / s.sum()) if s.sum() > 0 else np.nan
