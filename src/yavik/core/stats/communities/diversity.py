"""Diversity of samples: how many taxa, how evenly, how many more are likely, and how many in equal samples."""

from dataclasses import dataclass

import numpy as np
from scipy.special import gammaln

from yavik.core.stats.groups import Floats

BLOCK = 20_000
"""Samples at a time."""


@dataclass(frozen=True)
class Diversity:
    """Of every sample, shape (n,) each.

    Args:
        total: amounts added up. richness: taxa that occur. shannon: −Σ p ln p. simpson: 1 − Σ p², the chance that two
            draws with return are of two taxa. inverse: 1/Σ p². evenness: Shannon over ln richness (Pielou, 1966), NaN
            with one taxon. chao1: bias-corrected (Chao, 1984), its se (Chao, 1987); NaN where amounts are no counts.
    """

    total: Floats
    richness: Floats
    shannon: Floats
    simpson: Floats
    inverse: Floats
    evenness: Floats
    chao1: Floats
    chao1_se: Floats


def diversity(x: Floats) -> Diversity:
    """Args: x: amounts, shape (n, k), no sample empty."""
    total = x.sum(axis=1)
    p = x / total[:, None]
    richness = (x > 0).sum(axis=1).astype(float)
    with np.errstate(divide="ignore", invalid="ignore"):
        shannon = -np.where(p > 0, p * np.log(p), 0.0).sum(axis=1)
        evenness = np.where(richness > 1, shannon / np.log(richness), np.nan)
    squares = (p**2).sum(axis=1)
    chao, se = chao1(x)
    return Diversity(total, richness, np.maximum(shannon, 0.0), 1 - squares, 1 / squares, evenness, chao, se)


def whole(x: Floats) -> bool:
    """Whether amounts are counts of individuals."""
    return bool((x == np.round(x)).all())


def chao1(x: Floats) -> tuple[Floats, Floats]:
    """S + f₁(f₁ − 1)/(2(f₂ + 1)), f₁ and f₂ the taxa with one and two individuals, and its standard error."""
    n = len(x)
    if not whole(x):
        return np.full(n, np.nan), np.full(n, np.nan)
    one, two = (x == 1).sum(axis=1).astype(float), (x == 2).sum(axis=1).astype(float)
    s = (x > 0).sum(axis=1)
    more = one * (one - 1) / (2 * (two + 1))
    variance = (
        more + one * (2 * one - 1) ** 2 / (4 * (two + 1) ** 2) + one**2 * two * (one - 1) ** 2 / (4 * (two + 1) ** 4)
    )
    return np.asarray(s + more), np.asarray(np.sqrt(variance))


def rarefied(counts: Floats, sizes: Floats) -> Floats:
    """Taxa expected among so many individuals drawn without return (Hurlbert, 1971): shape (sizes,).

    Args:
        counts: of one sample. sizes: up to its total.
    """
    return _expected(counts[None, :], np.asarray(sizes, float)[:, None])


def in_equal(counts: Floats, size: float) -> Floats:
    """Taxa expected among so many individuals of each sample, as ``rarefied``: shape (n,).

    Args:
        counts: shape (n, k). size: up to the smallest total.
    """
    blocks = range(0, len(counts), BLOCK)
    return np.concatenate([_expected(counts[i : i + BLOCK], np.array([[size]])) for i in blocks])


def _expected(own: Floats, m: Floats) -> Floats:
    """Of a sample in many sizes or of many samples in one; taxa that do not occur are missed by every draw."""
    n = own.sum(axis=1, keepdims=True)
    left = n - own
    # a taxon is missed by C(n − nᵢ, m) of the C(n, m) draws, none where fewer individuals are left than are drawn
    missed = np.where(
        (left >= m) & (own > 0),
        np.exp(
            gammaln(left + 1)
            - gammaln(np.maximum(left - m, 0) + 1)
            - gammaln(n + 1)
            + gammaln(np.maximum(n - m, 0) + 1)
        ),
        own == 0,
    )
    return np.asarray((1 - missed).sum(axis=1))
