"""Scores of people on factors."""

from typing import Literal

import numpy as np

from yavik.core.stats.groups import Floats

Scoring = Literal["regression", "bartlett"]


def weights(r: Floats, pattern: Floats, phi: Floats, unique: Floats, how: Scoring) -> Floats:
    """What each standardised item counts in each score, shape (k, m).

    Args:
        how: ``regression``, R⁻¹ΛΦ (Thurstone, 1935), nearest to the factors; ``bartlett``, Ψ⁻¹Λ(Λ′Ψ⁻¹Λ)⁻¹ (1937),
            without bias.

    Raises:
        ValueError: where the matrix cannot be inverted, or an item has nothing unique.
    """
    if how == "regression":
        if np.linalg.eigvalsh(r)[0] < 1e-10:
            raise ValueError("the correlations cannot be inverted")
        return np.asarray(np.linalg.solve(r, pattern @ phi))
    if (unique <= 1e-8).any():
        raise ValueError("an item has nothing of its own")
    scaled = pattern / unique[:, None]
    return np.asarray(np.linalg.solve(pattern.T @ scaled, scaled.T).T)


def caught(r: Floats, pattern: Floats, phi: Floats) -> Floats:
    """R² of each factor from the items, shape (m,): how surely scores stand for it (Guttman, 1955)."""
    s = pattern @ phi
    return np.asarray(np.clip((s * np.linalg.solve(r, s)).sum(axis=0), 0.0, 1.0))
