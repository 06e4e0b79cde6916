"""Tests of terms, from any fit: combinations of coefficients with their covariance."""

from collections.abc import Callable

import numpy as np
from scipy import special

from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import estimable, wald

ChiSquare = tuple[float, int, float]
"""A statistic, its df, p."""


def wald_test(f: Fitted, rows: Floats, df: float = np.inf) -> ChiSquare | None:
    """Wald's χ² of combinations of the fitted columns being nought, shape (m, columns); None where it has none.

    Args:
        df: of the denominator, where the scatter is estimated: the statistic is then F = χ²/m.
    """
    got = wald(rows, f.coef[f.first :], f.covariance[f.first :, f.first :])
    if got is None:
        return None
    chi2, m = got
    if np.isinf(df):
        return chi2, m, float(special.chdtrc(m, chi2))
    return chi2 / m, m, float(special.fdtrc(m, df, chi2 / m))


def term_tests(f: Fitted, tested: Callable[[Floats], ChiSquare | None]) -> list[ChiSquare | None]:
    """The test of each term with all its columns; None where these tell nothing of it, or have no finite estimate."""
    found: list[ChiSquare | None] = []
    for i in range(len(f.data.terms)):
        whole = f.data.design.tested(i)
        rows = whole[:, f.columns]
        rows = rows[rows.any(axis=1)]
        told = f.null is None or bool(estimable(np.column_stack([np.zeros(len(whole)), whole]), f.null).all())
        able = told and len(rows) > 0 and not any(rows[:, k].any() for k in f.infinite)
        found.append(tested(rows) if able else None)
    return found
