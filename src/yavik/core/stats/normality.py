"""Does a sample look normal? Tests, standard errors of shape, and Grubbs' outlier."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats

MOST_SHAPIRO = 5000
"""Shapiro–Wilk’s p is known up to here (Royston, 1995); above it any trifle would count as a departure."""


@dataclass(frozen=True)
class ShapeTest:
    name: str
    statistic: float
    p: float
    why: str = ""
    """Why there is none, where there is none."""


def shapiro_wilk(values: Floats) -> ShapeTest:
    """Shapiro and Wilk (1965), p by Royston (1995): 3 to 5 000 values."""
    name = "Shapiro–Wilk W"
    if len(values) < 3:
        return ShapeTest(name, np.nan, np.nan, "needs three values")
    if len(values) > MOST_SHAPIRO:
        return ShapeTest(name, np.nan, np.nan, "p is known to 5 000 values")
    if np.ptp(values) == 0:
        return ShapeTest(name, np.nan, np.nan, "all values are the same")
    return ShapeTest(name, *w_of(values))


def w_of(values: Floats) -> tuple[float, float]:
    """W with its p, of 3 to 5 000 values that are not all the same."""
    from scipy import stats  # takes longer to load than most answers to work out

    w, p = stats.shapiro(values - values[0])
    return float(w), float(p)


def anderson_darling(ordered: Floats) -> ShapeTest:
    """A² for estimated mean and SD, with the small-sample factor and p of D'Agostino and Stephens (1986)."""
    name, n = "Anderson–Darling A²*", len(ordered)
    sd = ordered.std(ddof=1) if n > 1 else 0.0
    if n < 8:
        return ShapeTest(name, np.nan, np.nan, "needs eight values")
    if sd == 0:
        return ShapeTest(name, np.nan, np.nan, "all values are the same")
    z = (ordered - ordered.mean()) / sd
    weight = 2 * np.arange(1, n + 1) - 1
    a2 = float(-n - (weight * (special.log_ndtr(z) + special.log_ndtr(-z[::-1]))).sum() / n)
    a = a2 * (1 + 0.75 / n + 2.25 / n**2)
    if a >= 0.6:
        p = np.exp(1.2937 - 5.709 * a + 0.0186 * a * a) if a < 13 else 0.0
    elif a >= 0.34:
        p = np.exp(0.9177 - 4.279 * a - 1.38 * a * a)
    elif a >= 0.2:
        p = 1 - np.exp(-8.318 + 42.796 * a - 59.938 * a * a)
    else:
        p = 1 - np.exp(-13.436 + 101.14 * a - 223.73 * a * a)
    return ShapeTest(name, a, float(p))


def lilliefors(ordered: Floats) -> ShapeTest:
    """The largest gap between the sample's and the fitted normal distribution (Lilliefors, 1967).

    p by Dallal and Wilkinson's (1986) approximation below .10, and by Stephens' (1974) modified statistic above.
    """
    name, n = "Lilliefors D", len(ordered)
    sd = ordered.std(ddof=1) if n > 1 else 0.0
    if n < 5:
        return ShapeTest(name, np.nan, np.nan, "needs five values")
    if sd == 0:
        return ShapeTest(name, np.nan, np.nan, "all values are the same")
    f = special.ndtr((ordered - ordered.mean()) / sd)
    place = np.arange(1, n + 1) / n
    d = float(max((place - f).max(), (f - place + 1 / n).max()))
    m, size = (n, d) if n <= 100 else (100, d * (n / 100) ** 0.49)
    p = float(
        np.exp(
            -7.01256 * size**2 * (m + 2.78019)
            + 2.99587 * size * np.sqrt(m + 2.78019)
            - 0.122119
            + 0.974598 / np.sqrt(m)
            + 1.67997 / m
        )
    )
    if p > 0.1:
        k = (np.sqrt(n) - 0.01 + 0.85 / np.sqrt(n)) * d
        if k <= 0.302:
            p = 1.0
        elif k <= 0.5:
            p = 2.76773 - 19.828315 * k + 80.709644 * k**2 - 138.55152 * k**3 + 81.218052 * k**4
        elif k <= 0.9:
            p = -4.901232 + 40.662806 * k - 97.490286 * k**2 + 94.029866 * k**3 - 32.355711 * k**4
        elif k <= 1.31:
            p = 6.198765 - 19.558097 * k + 23.186922 * k**2 - 12.234627 * k**3 + 2.423045 * k**4
        else:
            p = 0.0
    return ShapeTest(name, d, float(np.clip(p, 0, 1)))


def shape_errors(n: int) -> tuple[float, float]:
    """SE of the bias-adjusted skewness and kurtosis of a normal sample (Cramér, 1946)."""
    if n < 4:
        return np.nan, np.nan
    skew = np.sqrt(6 * n * (n - 1) / ((n - 2) * (n + 1) * (n + 3)))
    return float(skew), float(2 * skew * np.sqrt((n * n - 1) / ((n - 3) * (n + 5))))


def grubbs(values: Floats) -> tuple[int, float, float]:
    """The value farthest from the mean, its distance in SDs, and two-sided p (Grubbs, 1950; Bonferroni bound)."""
    n = len(values)
    sd = values.std(ddof=1) if n > 2 else 0.0
    if sd == 0:
        return -1, np.nan, np.nan
    away = np.abs(values - values.mean()) / sd
    place = int(away.argmax())
    g = float(away[place])
    spare = (n - 1) ** 2 - n * g * g
    if spare <= 0:
        return place, g, 0.0
    t = np.sqrt(n * (n - 2) * g * g / spare)
    return place, g, float(min(1.0, 2 * n * laws.t.sf(t, n - 2)))


def normal_scores(n: int) -> Floats:
    """Expected quantiles of a normal sample by Blom's (1958) plotting positions."""
    return np.asarray(special.ndtri((np.arange(1, n + 1) - 0.375) / (n + 0.25)))
