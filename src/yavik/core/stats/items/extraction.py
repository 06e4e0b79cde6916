"""Common factors of correlations: by principal axes, least squares of the residuals, or maximum likelihood."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats

LEAST_UNIQUE = 0.005
"""Share of an item's variance that factors may not explain, at least: at its edge the solution is improper."""
ROUNDS, CLOSE = 2000, 1e-11
Extraction = Literal["principal_axis", "minres", "ml"]


@dataclass(frozen=True)
class Extracted:
    """Unrotated factors, the largest first.

    Args:
        loadings: shape (k, m). unique: shape (k,),
        shares of variance left unexplained. start: squared multiple correlations,
            shape (k,), the communalities that the work began with.
        rounds: until it stood still. settled: whether it did.
        improper: shape (k,), bool: items that factors would explain whole, or more than whole (Heywood).
        discrepancy: at the end: of ml the likelihood's, else the sum of squared residuals.
    """

    loadings: Floats
    unique: Floats
    start: Floats
    rounds: int
    settled: bool
    improper: Any
    discrepancy: float


@dataclass(frozen=True)
class GoodnessOfFit:
    """χ² of what factors leave unexplained."""

    chi2: float
    df: int
    p: float


def free_parameters(k: int, m: int) -> int:
    """Degrees of freedom that m factors of k items leave: ((k − m)² − k − m)/2."""
    return ((k - m) ** 2 - k - m) // 2


def most_factors(k: int) -> int:
    """The largest number of factors whose degrees of freedom are not negative (Ledermann, 1937)."""
    return max(m for m in range(k) if free_parameters(k, m) >= 0)


def squared_multiple(r: Floats) -> Floats:
    """R² of each item from the others, shape (k,); its largest correlation where the matrix cannot be inverted."""
    if np.linalg.eigvalsh(r)[0] > 1e-10:
        return np.asarray(np.clip(1 - 1 / np.diag(np.linalg.inv(r)), 0.0, 1.0))
    return np.asarray(np.abs(r - np.eye(len(r))).max(axis=1))


def extract(r: Floats, m: int, how: Extraction) -> Extracted:
    """m factors of correlations ``r``, shape (k, k), each column's sign making its sum positive."""
    return {"principal_axis": principal_axis, "minres": minres, "ml": ml}[how](r, m)


def principal_axis(r: Floats, m: int) -> Extracted:
    """Communalities put on the diagonal until they stand still, from squared multiple correlations (Thurstone, 1947).

    They never exceed 1. Three rounds are extrapolated to one (Varadhan and Roland, 2008), which does not move the end.
    """
    start = squared_multiple(r)

    def once(h: Floats) -> tuple[Floats, Floats]:
        """Loadings of the reduced matrix and the communalities they make."""
        reduced = r.copy()
        np.fill_diagonal(reduced, h)
        values, vectors = np.linalg.eigh(reduced)
        found = vectors[:, -m:] * np.sqrt(np.maximum(values[-m:], 0.0))
        return found, np.asarray(np.minimum((found**2).sum(axis=1), 1.0))

    h, rounds, settled = start, 0, False
    while rounds < ROUNDS:
        h1 = once(h)[1]
        h2 = once(h1)[1]
        rounds += 2
        step, bend = h1 - h, h2 - 2 * h1 + h
        if np.abs(h2 - h1).max() < CLOSE:
            h, settled = h2, True
            break
        size = float(np.sqrt((bend**2).sum()))
        far = max(float(np.sqrt((step**2).sum())) / size, 1.0) if size > 0 else 1.0
        jumped = np.clip(h + 2 * far * step + far**2 * bend, 0.0, 1.0)
        h = jumped if far > 1 else h2
    loadings, _ = once(h)
    total = (loadings**2).sum(axis=1)
    rest = r - loadings @ loadings.T
    np.fill_diagonal(rest, 0.0)
    return Extracted(
        _largest_first(loadings), 1 - total, start, rounds, settled, total > 1 - 1e-6, float((rest**2).sum() / 2)
    )


Bent = Callable[[Floats], tuple[float, Floats, Floats]]


def minres(r: Floats, m: int) -> Extracted:
    """Least squares of the residual correlations (Harman and Jones, 1966), by Newton's method over the unique
    shares."""
    k = len(r)

    def bent(psi: Floats) -> tuple[float, Floats, Floats]:
        """Half the squared eigenvalues beyond m of R − Ψ, with slope and curvature."""
        values, v = np.linalg.eigh(r - np.diag(psi))
        rest, kept = v[:, : k - m], v[:, k - m :]
        low, high = values[: k - m], values[k - m :]
        slope = -(rest**2) @ low
        curve = (rest @ rest.T) ** 2
        for s in range(m):
            weight = 2 * low / np.minimum(low - high[s], -1e-12)
            curve = curve + np.outer(kept[:, s], kept[:, s]) * (rest * weight @ rest.T)
        return float((low**2).sum() / 2), slope, curve

    start = squared_multiple(r)
    psi, rounds, settled = _newton(bent, np.clip(1 - start, 0.02, 1.0), LEAST_UNIQUE)
    values, v = np.linalg.eigh(r - np.diag(psi))
    loadings = v[:, -m:] * np.sqrt(np.maximum(values[-m:], 0.0))
    rest = r - loadings @ loadings.T
    np.fill_diagonal(rest, 0.0)
    return Extracted(
        _largest_first(loadings), psi, start, rounds, settled, psi <= LEAST_UNIQUE * 1.01, float((rest**2).sum() / 2)
    )


def ml(r: Floats, m: int) -> Extracted:
    """Maximum likelihood under normality (Lawley, 1940; Jöreskog, 1967), by Newton's method over log unique shares."""
    k = len(r)

    def scaled(theta: Floats) -> tuple[Floats, Floats]:
        """Eigenvalues and vectors of Ψ^−½ R Ψ^−½."""
        root = np.exp(-theta / 2)
        return np.linalg.eigh(r * np.outer(root, root))

    def bent(theta: Floats) -> tuple[float, Floats, Floats]:
        """Σ (γ − ln γ − 1) of the eigenvalues beyond m, with slope and curvature by log ψ."""
        values, w = scaled(theta)
        values = np.maximum(values, 1e-14)
        low, high = values[: k - m], values[k - m :]
        rest, kept = w[:, : k - m], w[:, k - m :]
        slope = (rest**2) @ (1 - low)
        curve = (rest * low @ rest.T) * (rest @ rest.T)
        for s in range(m):
            weight = (1 - low) * (low + high[s]) / np.maximum(high[s] - low, 1e-12)
            curve = curve + np.outer(kept[:, s], kept[:, s]) * (rest * weight @ rest.T)
        return float((low - np.log(low) - 1).sum()), slope, curve

    start = squared_multiple(r)
    theta, rounds, settled = _newton(bent, np.log(np.clip(1 - start, 0.02, 1.0)), float(np.log(LEAST_UNIQUE)))
    values, w = scaled(theta)
    psi = np.exp(theta)
    loadings = np.sqrt(psi)[:, None] * w[:, -m:] * np.sqrt(np.maximum(values[-m:] - 1, 0.0))
    return Extracted(
        _largest_first(loadings), psi, start, rounds, settled, psi <= LEAST_UNIQUE * 1.01, bent(theta)[0]
    )


def _newton(bent: Bent, x: Floats, floor: float, rounds: int = 200) -> tuple[Floats, int, bool]:
    """The lowest point with no coordinate below ``floor``: Newton's steps over those that are free, halved until
    they help."""
    value, slope, curve = bent(x)
    for done in range(1, rounds + 1):
        free = ~((x <= floor + 1e-12) & (slope > 0))
        if not free.any() or np.abs(slope[free]).max() < 1e-10:
            return x, done, True
        values, vectors = np.linalg.eigh(curve[np.ix_(free, free)])
        firm = np.maximum(np.abs(values), 1e-6 * np.abs(values).max())
        step = np.zeros_like(x)
        step[free] = -vectors @ (vectors.T @ slope[free] / firm)
        step *= min(1.0, 2.0 / np.abs(step).max())
        for _ in range(40):
            trial = np.maximum(x + step, floor)
            made = bent(trial)
            if made[0] <= value + 1e-4 * float(slope @ (trial - x)) or np.abs(trial - x).max() < 1e-12:
                break
            step = step / 2
        stood = np.abs(trial - x).max() < 1e-13
        x, (value, slope, curve) = trial, made
        if stood:
            return x, done, bool(np.abs(slope[x > floor + 1e-12]).max(initial=0.0) < 1e-6)
    return x, rounds, False


def _largest_first(loadings: Floats) -> Floats:
    """Columns by explained variance, each with a positive sum."""
    order = np.argsort(-(loadings**2).sum(axis=0), kind="stable")
    found = loadings[:, order]
    return np.asarray(found * np.where(found.sum(axis=0) < 0, -1.0, 1.0))


def goodness_of_fit(discrepancy: float, n: int, k: int, m: int) -> GoodnessOfFit | None:
    """χ² of a likelihood solution with Bartlett's factor, n − 1 − (2k + 5)/6 − 2m/3 (1951); None without df."""
    df = free_parameters(k, m)
    factor = n - 1 - (2 * k + 5) / 6 - 2 * m / 3
    if df <= 0 or factor <= 0:
        return None
    chi2 = max(factor * discrepancy, 0.0)
    return GoodnessOfFit(chi2, df, float(laws.chi2.sf(chi2, df)))
