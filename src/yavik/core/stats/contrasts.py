"""Planned contrasts of group means: typed weights, each against a control, polynomial trends."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.groups import Floats

ContrastAdjust = Literal["none", "bonferroni", "holm", "sidak", "scheffe"]


@dataclass(frozen=True)
class Contrast:
    label: str
    weights: Floats
    estimate: float
    se: float
    t: float
    df: float
    p: float
    p_adjusted: float
    ci_low: float
    ci_high: float
    ss: float


def estimates(
    labels: Sequence[str],
    weights: Floats,
    means: Floats,
    covariance: Floats,
    df: Floats,
    n: Floats,
    *,
    adjusting: ContrastAdjust,
    alpha: float,
) -> list[Contrast]:
    """Each contrast Σ cᵢȳᵢ with its t test.

    Args:
        weights: shape (contrasts, groups).
        covariance: of the means, shape (groups, groups).
        df: of each contrast's standard error.
        n: values behind each mean, for the sums of squares.
        adjusting: the family's adjustment; Scheffé's holds for all contrasts there are, also unplanned ones.
    """
    size = weights @ means
    se = np.sqrt(np.einsum("ij,jk,ik->i", weights, covariance, weights))
    t = size / se
    p = np.asarray(2 * laws.t.sf(np.abs(t), df))
    k, m = len(means), len(size)
    if adjusting == "scheffe":
        adjusted = np.asarray(laws.f.sf(t**2 / (k - 1), k - 1, df))
        reach = np.asarray(np.sqrt((k - 1) * laws.f.isf(alpha, k - 1, df)))
    else:
        adjusted = adjust(p, adjusting)
        share = (
            alpha if adjusting == "none" else -np.expm1(np.log1p(-alpha) / m) if adjusting == "sidak" else alpha / m
        )
        reach = np.asarray(laws.t.isf(share / 2, df))
    low, high = size - reach * se, size + reach * se
    squares = size**2 / (weights**2 / n).sum(axis=1)
    return [
        Contrast(labels[i], weights[i], *(float(x[i]) for x in (size, se, t, df, p, adjusted, low, high, squares)))
        for i in range(m)
    ]


def satterthwaite(weights: Floats, variances: Floats, n: Floats) -> Floats:
    """df of each contrast where every group keeps its own variance (Welch, 1947)."""
    parts = weights**2 * variances / n
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(parts.sum(axis=1) ** 2 / (parts**2 / (n - 1)).sum(axis=1))


def orthogonal(weights: Floats, n: Floats) -> list[tuple[int, int]]:
    """Pairs of contrasts that are not orthogonal: Σ cᵢdᵢ/nᵢ is not zero."""
    scaled = weights / np.sqrt(n)
    size = np.linalg.norm(scaled, axis=1)
    product = scaled @ scaled.T / np.outer(size, size)
    return [(i, j) for i in range(len(weights)) for j in range(i + 1, len(weights)) if abs(product[i, j]) > 1e-9]


TRENDS = ("linear", "quadratic", "cubic", "of 4th degree", "of 5th degree")


def polynomial(spacing: Floats) -> tuple[list[str], Floats]:
    """Orthogonal polynomial weights for levels at real distances, up to degree 5, each of length one."""
    k = len(spacing)
    centred = (spacing - spacing.mean()) / np.ptp(spacing)
    powers = np.vander(centred, min(k, 6), increasing=True)
    q, r = np.linalg.qr(powers)
    weights = (q * np.sign(np.diag(r))).T[1:]
    return [TRENDS[i] for i in range(len(weights))], np.asarray(weights)
