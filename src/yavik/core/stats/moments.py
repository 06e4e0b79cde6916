"""What one column of numbers looks like."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats, sorted_quantiles


@dataclass(frozen=True)
class Moments:
    """NaN stands for what the number of values does not allow; wording turns it into a reason."""

    n: int
    mean: float
    sd: float
    se: float
    ci_low: float
    ci_high: float
    min: float
    q1: float
    median: float
    q3: float
    max: float
    skewness: float
    kurtosis: float


def moments(y: Floats, level: float = 0.95, ordered: Floats | None = None) -> Moments:
    """Mean, SD (n − 1), SE, t interval, quartiles (type 7), skewness G1 and excess kurtosis G2.

    G1 and G2 are the bias-adjusted forms (Joanes & Gill, 1998).

    Args:
        y: filled, finite values, shape (n,).
        ordered: the same values sorted, where the caller has them already.
    """
    n, nan = len(y), np.nan
    if n == 0:
        return Moments(0, nan, nan, nan, nan, nan, nan, nan, nan, nan, nan, nan, nan)
    s = np.sort(y) if ordered is None else ordered
    q1, median, q3 = sorted_quantiles(s, (0.25, 0.5, 0.75))
    shift = s[n // 2]
    away = y - shift
    centre = away.mean()
    mean = float(centre + shift)
    if n == 1:
        return Moments(1, mean, nan, nan, nan, nan, mean, mean, mean, mean, mean, nan, nan)
    away -= centre
    squares = away * away
    m2 = squares.mean()
    sd = float(np.sqrt(m2 * n / (n - 1)))
    se = sd / np.sqrt(n)
    reach = float(laws.t.isf((1 - level) / 2, n - 1)) * se
    skew, kurt = nan, nan
    if m2 > 0:
        if n > 2:
            skew = float(np.sqrt(n * (n - 1)) / (n - 2) * (squares @ away / n) / m2**1.5)
        if n > 3:
            g2 = (squares @ squares / n) / m2**2 - 3
            kurt = float((n - 1) / ((n - 2) * (n - 3)) * ((n + 1) * g2 + 6))
    return Moments(
        n,
        mean,
        sd,
        float(se),
        mean - reach,
        mean + reach,
        float(s[0]),
        float(q1),
        float(median),
        float(q3),
        float(s[-1]),
        skew,
        kurt,
    )
