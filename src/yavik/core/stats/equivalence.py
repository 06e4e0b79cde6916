"""Is a difference small enough not to matter? Two one-sided tests against a margin (Schuirmann, 1987)."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.shares import score_interval, score_statistic, wilson

Claim = Literal["equivalent", "not_lower", "not_higher"]


@dataclass(frozen=True)
class Equivalence:
    """
    Attributes:
        above: statistic of the test that the difference is above −margin; t, or z where ``df`` is None.
        below: of the test that it is below the margin.
        p: of the claim: the larger of the two for equivalence, one of them for a claim to one side.
        low, high: interval of level 1 − 2α; equivalence at α is shown where it lies within the margin.
    """

    claim: Claim
    margin: float
    estimate: float
    above: float
    below: float
    p_above: float
    p_below: float
    df: float | None
    low: float
    high: float

    @property
    def p(self) -> float:
        """p of what was claimed; of equivalence the larger of the two."""
        return {"equivalent": max(self.p_above, self.p_below), "not_lower": self.p_above, "not_higher": self.p_below}[
            self.claim
        ]


def of_means(estimate: float, se: float, df: float, margin: float, alpha: float, claim: Claim) -> Equivalence:
    """From a difference of means and the SE and df that its t test has; ``se`` must be above zero."""
    above, below = (estimate + margin) / se, (estimate - margin) / se
    reach = float(laws.t.isf(alpha, df)) * se
    return Equivalence(
        claim, margin, estimate, above, below, float(laws.t.sf(above, df)), float(laws.t.cdf(below, df)), df,
        estimate - reach, estimate + reach,
    )  # fmt: skip


def of_shares(a: float, n1: float, c: float, n2: float, margin: float, alpha: float, claim: Claim) -> Equivalence:
    """From counts a of n1 and c of n2, by the score test at either margin (Farrington & Manning, 1990)."""
    above, below = score_statistic(a, n1, c, n2, -margin), score_statistic(a, n1, c, n2, margin)
    low, high = score_interval(a, n1, c, n2, 2 * alpha)
    return Equivalence(
        claim, margin, a / n1 - c / n2, above, below, float(laws.norm.sf(above)), float(laws.norm.cdf(below)), None,
        low, high,
    )  # fmt: skip


def of_share(hits: float, n: float, value: float, margin: float, alpha: float, claim: Claim) -> Equivalence:
    """Of one share against a value, by the score test; a margin that leads out of 0 to 1 cannot be passed."""
    p = hits / n

    def score(at: float) -> float:
        """Score statistic against a share; infinite outside 0 to 1."""
        if not 0 < at < 1:
            return np.inf if at <= 0 else -np.inf
        return float((p - at) / np.sqrt(at * (1 - at) / n))

    above, below = score(value - margin), score(value + margin)
    low, high = wilson(hits, n, 2 * alpha)
    return Equivalence(
        claim, margin, p - value, above, below, float(laws.norm.sf(above)), float(laws.norm.cdf(below)), None,
        low - value, high - value,
    )  # fmt: skip
