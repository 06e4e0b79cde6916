"""The distributions that tests and intervals refer to, straight from the special functions.

A p value and a critical value are one call of a special function. The library's distribution objects make the same
call behind checks that take a hundred times as long for one number, and a second to load, which every start of Yavik
would wait for; what has no special function of its own (binomial quantiles, normality, densities) still comes from
there, where it is used.

Everything takes numbers or arrays, which are broadcast, and gives nan where a number of degrees of freedom is not above
0. ``sf`` is the chance of a larger value, ``isf`` the value that is exceeded with a chance, both exact far out in the
tail; ``cdf`` and ``ppf`` are the same from below.
"""

from typing import Any

import numpy as np
from scipy import special


class Normal:
    """The standard normal distribution."""

    def cdf(self, x: Any) -> Any:
        """P(Z ≤ x)."""
        return special.ndtr(x)

    def sf(self, x: Any) -> Any:
        """P(Z > x)."""
        return special.ndtr(np.negative(x))

    def ppf(self, p: Any) -> Any:
        """The value with a share p below it."""
        return special.ndtri(p)

    def isf(self, p: Any) -> Any:
        """The value with a share p above it."""
        return -special.ndtri(p)

    def pdf(self, x: Any) -> Any:
        """The density at x."""
        return np.exp(-np.square(x) / 2) / np.sqrt(2 * np.pi)


class Student:
    """Student's t on ``df`` degrees of freedom; the normal distribution where these are infinite."""

    def cdf(self, x: Any, df: Any) -> Any:
        """P(T ≤ x)."""
        return np.where(np.isinf(df), special.ndtr(x), special.stdtr(df, x))[()]

    def sf(self, x: Any, df: Any) -> Any:
        """P(T > x)."""
        return self.cdf(np.negative(x), df)

    def ppf(self, p: Any, df: Any) -> Any:
        """The value with a share p below it."""
        found = np.where(np.isinf(df), special.ndtri(p), special.stdtrit(df, p))
        return np.where(np.equal(p, 0), -np.abs(found), found)[()]  # stdtrit gives +∞ there

    def isf(self, p: Any, df: Any) -> Any:
        """The value with a share p above it."""
        return -self.ppf(p, df)


class ChiSquare:
    """χ² on ``df`` degrees of freedom."""

    def sf(self, x: Any, df: Any) -> Any:
        """P(X > x)."""
        return special.chdtrc(_above_nothing(df), np.maximum(x, 0))

    def ppf(self, p: Any, df: Any) -> Any:
        """The value with a share p below it."""
        return 2 * special.gammaincinv(_above_nothing(df) / 2, p)

    def isf(self, p: Any, df: Any) -> Any:
        """The value with a share p above it."""
        return special.chdtri(_above_nothing(df), p)


class Fisher:
    """F on ``df`` and ``df_error`` degrees of freedom; χ² by its df where those of the error are infinite."""

    def sf(self, x: Any, df: Any, df_error: Any) -> Any:
        """P(F > x)."""
        x = np.maximum(x, 0)
        return np.where(np.isinf(df_error), chi2.sf(np.multiply(x, df), df), special.fdtrc(df, df_error, x))[()]

    def ppf(self, p: Any, df: Any, df_error: Any) -> Any:
        """The value with a share p below it."""
        return np.where(np.isinf(df_error), chi2.ppf(p, df) / df, special.fdtri(df, df_error, p))[()]

    def isf(self, p: Any, df: Any, df_error: Any) -> Any:
        """The value with a share p above it."""
        # 1/F has the degrees of freedom the other way round: 1 − p would lose the digits of a small p.
        with np.errstate(divide="ignore"):  # nothing exceeds an endless value
            below = 1 / special.fdtri(df_error, df, p)
        return np.where(np.isinf(df_error), chi2.isf(p, df) / df, below)[()]


class Beta:
    """Beta with shapes ``a`` and ``b``."""

    def ppf(self, p: Any, a: Any, b: Any) -> Any:
        """The value with a share p below it."""
        return special.betaincinv(a, b, p)

    def isf(self, p: Any, a: Any, b: Any) -> Any:
        """The value with a share p above it."""
        return special.betainccinv(a, b, p)


def _above_nothing(df: Any) -> Any:
    return np.where(np.greater(df, 0), df, np.nan)[()]


norm, t, chi2, f, beta = Normal(), Student(), ChiSquare(), Fisher(), Beta()
