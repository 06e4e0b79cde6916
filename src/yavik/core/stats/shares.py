"""Shares: their intervals, differences of two, and their trend over ordered groups."""

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.groups import Floats


def wilson(hits: float, n: float, alpha: float, alternative: Alternative = "two_sided") -> tuple[float, float]:
    """Wilson's (1927) score interval of a share; a one-sided test gets the one-sided bound."""
    if alternative != "two_sided":
        low, high = wilson(hits, n, 2 * alpha)
        return (low, 1.0) if alternative == "greater" else (0.0, high)
    z = float(laws.norm.isf(alpha / 2))
    p = hits / n
    middle = (p + z * z / (2 * n)) / (1 + z * z / n)
    reach = z / (1 + z * z / n) * np.sqrt(p * (1 - p) / n + z * z / (4 * n * n))
    low = 0.0 if hits == 0 else max(0.0, float(middle - reach))
    return low, 1.0 if hits == n else min(1.0, float(middle + reach))


def exact_share(hits: float, n: float, alpha: float, alternative: Alternative = "two_sided") -> tuple[float, float]:
    """Clopper and Pearson's (1934) interval of a share; a one-sided test gets the one-sided bound."""
    if alternative != "two_sided":
        low, high = exact_share(hits, n, 2 * alpha)
        return (low, 1.0) if alternative == "greater" else (0.0, high)
    low = 0.0 if hits == 0 else float(laws.beta.ppf(alpha / 2, hits, n - hits + 1))
    high = 1.0 if hits == n else float(laws.beta.isf(alpha / 2, hits + 1, n - hits))
    return low, high


def score_interval(
    a: float, n1: float, c: float, n2: float, alpha: float, alternative: Alternative = "two_sided"
) -> tuple[float, float]:
    """Differences of two shares that the score test does not reject (Mee, 1984).

    At a difference of zero the score test is Pearson's χ², so this interval and χ² always agree.
    """
    from scipy import optimize

    d = a / n1 - c / n2
    z = float(laws.norm.isf(alpha / (2 if alternative == "two_sided" else 1)))

    def score(delta: float) -> float:
        """The score statistic against a difference."""
        return score_statistic(a, n1, c, n2, delta)

    def end(sign: float) -> float:
        """One end of the interval."""
        edge = -sign  # the far end of what a difference can be
        if abs(score(edge * (1 - 1e-9))) <= z:
            return edge
        return float(
            optimize.brentq(lambda x: np.clip(score(x), -1e6, 1e6) - sign * z, d, edge * (1 - 1e-9), xtol=1e-12)
        )

    low = -1.0 if alternative == "less" or d <= -1 else end(1.0)
    high = 1.0 if alternative == "greater" or d >= 1 else end(-1.0)
    return low, high


def score_statistic(a: float, n1: float, c: float, n2: float, delta: float) -> float:
    """z of the score test that two shares differ by ``delta``: the variance is that of shares that do."""
    d = a / n1 - c / n2
    p1, p2 = _restricted(a, n1, c, n2, delta)
    variance = p1 * (1 - p1) / n1 + p2 * (1 - p2) / n2
    if variance <= 0:
        return float(np.sign(d - delta)) * np.inf if d != delta else 0.0
    return float((d - delta) / np.sqrt(variance))


def _restricted(a: float, n1: float, c: float, n2: float, delta: float) -> tuple[float, float]:
    """Shares of greatest likelihood among those that differ by delta (Miettinen & Nurminen, 1985: a cubic's root)."""
    n = n1 + n2
    l3, l2 = n, (n1 + 2 * n2) * delta - n - (a + c)
    l1, l0 = (n2 * delta - n - 2 * c) * delta + (a + c), c * delta * (1 - delta)
    q = l2**3 / (27 * l3**3) - l1 * l2 / (6 * l3**2) + l0 / (2 * l3)
    p = np.sign(q or 1.0) * np.sqrt(max(l2**2 / (9 * l3**2) - l1 / (3 * l3), 0.0))
    angle = (np.pi + np.arccos(np.clip(q / p**3, -1, 1))) / 3 if p else np.pi / 2
    p2 = float(np.clip(2 * p * np.cos(angle) - l2 / (3 * l3), max(0.0, -delta), min(1.0, 1 - delta)))
    return float(np.clip(p2 + delta, 0, 1)), p2


def difference_of_shares(a: float, n1: float, c: float, n2: float, alpha: float) -> Size:
    """a/n1 − c/n2 with Newcombe's (1998) interval of Wilson's ends."""
    p1, p2 = a / n1, c / n2
    (l1, u1), (l2, u2) = wilson(a, n1, alpha), wilson(c, n2, alpha)
    d = p1 - p2
    return Size(d, float(d - np.hypot(p1 - l1, u2 - p2)), float(d + np.hypot(u1 - p1, p2 - l2)))


def trend_of_shares(hits: Floats, n: Floats, scores: Floats) -> tuple[float, float]:
    """Cochran (1954) and Armitage's (1955) z of shares rising with the groups' scores, and its two-sided p."""
    p = hits.sum() / n.sum()
    centred = scores - (n * scores).sum() / n.sum()
    below = p * (1 - p) * float((n * centred**2).sum())
    if below <= 0:
        return np.nan, np.nan
    z = float((centred * hits).sum() / np.sqrt(below))
    return z, float(2 * laws.norm.sf(abs(z)))
