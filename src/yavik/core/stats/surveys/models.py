"""Linear and logistic models by the weights of a survey, with errors by its design (Binder, 1983).

Every replicate has a fit of its own; all are fitted at once, as products of the rows' squares with all weights.
"""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy.special import expit

from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import CERTAIN
from yavik.core.stats.surveys.designs import BLOCK, Replicated, Stratified

Family = Literal["linear", "logistic"]
MOST_STEPS, STILL = 40, 1e-9
FAR = 30.0
"""Log odds beyond which a fit runs away."""


class Runaway(Exception):
    """The weighted model has no finite estimate: a combination of columns tells all events from the rest."""


@dataclass(frozen=True)
class WeightedFit:
    """A fit by weights.

    Args:
        coef: shape (p,). covariance: by the design. bread: inverse of the weighted information, shape (p, p).
        fitted: means of the rows, shape (n,). lost: replicates without a fit, passed over.
        blind: combinations of the coefficients that single rows decide alone, shape (m, p): their errors are 0 whatever
            the scatter, and say nothing.
    """

    coef: Floats
    covariance: Floats
    bread: Floats
    fitted: Floats
    lost: int
    blind: Floats


def mean_of(eta: Floats, family: Family) -> Floats:
    """The mean of a row from its sum of terms."""
    return np.asarray(expit(eta)) if family == "logistic" else eta


def weighted_fit(design: Replicated | Stratified, rows: Any, x: Floats, y: Floats, family: Family) -> WeightedFit:
    """The model of some rows; the others keep their place in the design and count as zero.

    Args:
        rows: places of the rows in the design, ascending. x: their columns, shape (n, p), the intercept among them.

    Raises:
        Runaway: see there.
    """
    whole = len(rows) == len(design.weights)
    w = design.weights if whole else design.weights[rows]
    coef = _by_weights(x, y, w[:, None], family, None)
    if not np.isfinite(coef).all():
        raise Runaway
    start = coef[:, 0]
    mean = mean_of(x @ start, family)
    spread = w * (mean * (1 - mean) if family == "logistic" else 1.0)
    bread = np.asarray(np.linalg.inv((x * spread[:, None]).T @ x), np.float64)
    lever = np.einsum("ij,jk,ik->i", x, bread, x) * spread
    blind = x[np.flatnonzero(lever > CERTAIN)[:200]] @ bread
    if isinstance(design, Stratified):
        scores = np.zeros((len(design.of_cluster), x.shape[1]))
        pulls = x * (w * (y - mean))[:, None]
        for k in range(x.shape[1]):
            scores[:, k] = np.bincount(design.clusters[rows], pulls[:, k], len(design.of_cluster))
        return WeightedFit(start, bread @ design.of_clusters(scores) @ bread, bread, mean, 0, blind)
    every = _by_weights(x, y, design.replicates if whole else design.replicates[rows], family, start)
    known = np.isfinite(every).all(axis=0)
    gap = np.where(known, every - coef, 0.0)
    return WeightedFit(start, (gap * design.scales) @ gap.T, bread, mean, int((~known).sum()), blind)


def _by_weights(x: Floats, y: Floats, weights: Floats, family: Family, start: Floats | None) -> Floats:
    """Coefficients by each column of weights: shape (p, R), NaN where there are none."""
    p, many = x.shape[1], weights.shape[1]
    i, j = np.triu_indices(p)
    coef = np.zeros((p, many)) if start is None else np.repeat(start[:, None], many, axis=1)
    for _step in range(1 if family == "linear" else MOST_STEPS):
        square, right = np.zeros((len(i), many)), np.zeros((p, many))
        for at in range(0, len(x), BLOCK):
            own = slice(at, at + BLOCK)
            xb, wb = np.ascontiguousarray(x[own].T), weights[own]
            pairs = xb[i] * xb[j]
            if family == "linear":
                square += pairs @ wb
                right += (xb * y[own]) @ wb
                continue
            mean = expit(xb.T @ coef)
            square += pairs @ (wb * mean * (1 - mean))
            right += xb @ (wb * (y[own, None] - mean))
        made = _solved(square, right, i, j, p)
        if family == "linear":
            return made
        moved = _short(made, x, coef)
        coef = coef + moved
        if not (np.nan_to_num(np.abs(moved)) > STILL * np.maximum(np.abs(np.nan_to_num(coef)), 1.0)).any():
            break
    away = np.abs(x @ np.nan_to_num(coef)).max(axis=0) > FAR
    coef[:, away | ~np.isfinite(coef).all(axis=0)] = np.nan
    return coef


def _short(step: Floats, x: Floats, coef: Floats) -> Floats:
    """Newton's step, shortened where it would move a row's log odds by more than 4."""
    reach = np.abs(x @ np.nan_to_num(step)).max(axis=0)
    return np.asarray(step * np.minimum(1.0, 4.0 / np.maximum(reach, 1e-300)))


def _solved(square: Floats, right: Floats, i: Any, j: Any, p: int) -> Floats:
    """Each column's equations; NaN where they have no one solution."""
    whole = np.zeros((square.shape[1], p, p))
    whole[:, i, j] = square.T
    whole[:, j, i] = square.T
    size = np.sqrt(np.maximum(np.einsum("rii->ri", whole), 1e-300))
    scaled = whole / size[:, :, None] / size[:, None, :]
    out = np.full((p, square.shape[1]), np.nan)
    good = np.linalg.cond(scaled) < 1e12
    if good.any():
        solved = np.linalg.solve(scaled[good], (right.T[good] / size[good])[:, :, None])[:, :, 0] / size[good]
        out[:, good] = solved.T
    return out


def explained(y: Floats, fitted: Floats, w: Floats) -> float:
    """Share of the weighted squares (of a share: of the weighted variance) that the fit accounts for."""
    middle = float(w @ y / w.sum())
    whole = float(w @ (y - middle) ** 2)
    return 1 - float(w @ (y - fitted) ** 2) / whole if whole > 0 else np.nan
