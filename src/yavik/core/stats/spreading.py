"""Spread that goes with the terms, for the scatter of single rows where it is not the same throughout."""

from collections.abc import Callable

import numpy as np

from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import Rows

MOST_ROWS = 50_000


def variance_along(design: Design, found: Rows) -> Callable[[Floats, Floats], Floats]:
    """Residual variance as exp(γ'z) of the terms, by a gamma model of squared residuals (Harvey, 1976; Aitkin, 1987).

    Squares of the columns are in it where there are thirty rows for each; with fewer than fifteen the fitted value
    and its square stand for the terms. Squares are divided by 1 − leverage first. What is said stays within the range
    of variances found at the rows themselves.

    Returns:
        A function of design rows, shape (k, p), and of their fitted values, to variances, shape (k,).
    """
    model = found.model
    rows = np.linspace(0, model.n - 1, min(model.n, MOST_ROWS)).astype(int)
    square = found.weighted[rows] ** 2 / np.maximum(1 - found.leverage[rows], 1e-3)
    own = np.array(sorted(model.used), np.intp)
    wide, square_too = len(rows) >= 15 * (len(own) + 1), len(rows) >= 30 * (len(own) + 1)
    middle, width = float(found.fitted.mean()), float(found.fitted.std()) or 1.0
    centre, scale = model.triangle.centre[own], model.triangle.scale[own] / np.sqrt(model.triangle.weight)

    def columns(x: Floats, fitted: Floats) -> Floats:
        """Columns that the squared residuals are explained by."""
        z = (x[:, own] - centre) / scale if wide else ((fitted - middle) / width)[:, None]
        bent = z**2 - 1 if square_too or not wide else z[:, :0]
        return np.column_stack([np.ones(len(z)), z, bent])

    data = {k: v[rows] for k, v in design.data.items()}
    z = columns(design.matrix(data, len(rows)), found.fitted[rows])
    gamma = _gamma(z, square)
    inside = np.exp(np.clip(z @ gamma, -700, 700))
    low, high = float(inside.min()), float(inside.max())
    return lambda x, fitted: np.clip(np.exp(np.clip(columns(x, fitted) @ gamma, -700, 700)), low, high)


def _gamma(z: Floats, square: Floats) -> Floats:
    """Coefficients of log E(square) = z γ, by iterated least squares."""
    gamma = np.zeros(z.shape[1])
    gamma[0] = np.log(max(float(square.mean()), 1e-300))
    project = np.linalg.pinv(z)
    for _ in range(60):
        mean = np.exp(np.clip(z @ gamma, -700, 700))
        step = project @ ((square - mean) / mean)
        longest = float(np.abs(z @ step).max())
        step *= min(1.0, 1.0 / max(longest, 1e-300))
        gamma = gamma + step
        if longest < 1e-8:
            break
    return gamma
