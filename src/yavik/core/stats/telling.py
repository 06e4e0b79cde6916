"""How well probabilities tell yes from no: the ROC curve, its area, calibration, classification."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats
from yavik.core.stats.ranks import placements
from yavik.core.stats.shares import wilson


@dataclass(frozen=True)
class Roc:
    """
    Args:
        cut: cut-offs, falling; at each, ``sensitivity`` and ``false_alarms`` (1 − specificity).
        auc, se: area and its standard error (DeLong, DeLong & Clarke-Pearson, 1988).
    """

    cut: Floats
    sensitivity: Floats
    false_alarms: Floats
    auc: float
    se: float

    def interval(self, alpha: float) -> tuple[float, float]:
        """The area's interval, within 0 and 1."""
        reach = float(special.ndtri(1 - alpha / 2)) * self.se
        return max(0.0, self.auc - reach), min(1.0, self.auc + reach)


def roc(mu: Floats, y: Floats) -> Roc:
    """ROC curve of probabilities, its area and DeLong's (1988) standard error."""
    yes = y > 0.5
    a, b = np.sort(mu[yes]), np.sort(mu[~yes])
    n1, n0 = len(a), len(b)
    both = np.concatenate([a, b])
    falling = np.argsort(both, kind="stable")[::-1]  # merging two sorted samples takes few passes
    cuts = both[falling]
    ends = np.append(np.flatnonzero(np.diff(cuts)), len(mu) - 1)
    hits = np.cumsum(falling < n1)[ends]
    alarms = ends + 1 - hits
    auc, se = _area(a, b)
    return Roc(
        np.concatenate([[np.inf], cuts[ends]]),
        np.concatenate([[0.0], hits / n1]),
        np.concatenate([[0.0], alarms / n0]),
        auc,
        se,
    )


def auc_of(mu: Floats, yes: Any) -> tuple[float, float]:
    """Area and standard error from mid-ranks (Sun & Xu, 2014)."""
    return _area(np.sort(mu[yes]), np.sort(mu[~yes]))


def _area(a: Floats, b: Floats) -> tuple[float, float]:
    """Of sorted probabilities of the events and of the rest."""
    n1, n0 = len(a), len(b)
    below_a, below_b = placements(a, b)
    place1, place0 = below_a / n0, 1 - below_b / n1
    auc = float(place1.mean())
    if n1 < 2 or n0 < 2:
        return auc, np.nan
    return auc, float(np.sqrt(place1.var(ddof=1) / n1 + place0.var(ddof=1) / n0))


@dataclass(frozen=True)
class Classified:
    """Counts at a cut-off: a probability at or above it counts as yes."""

    hits: int
    misses: int
    alarms: int
    rejections: int

    @property
    def right(self) -> float:
        """Share told right."""
        n = self.hits + self.misses + self.alarms + self.rejections
        return (self.hits + self.rejections) / n

    @property
    def sensitivity(self) -> float:
        """Share of the events that are told."""
        return self.hits / (self.hits + self.misses)

    @property
    def specificity(self) -> float:
        """Share of the rest that is told as such."""
        return self.rejections / (self.rejections + self.alarms)


def classify(mu: Floats, y: Floats, cutoff: float) -> Classified:
    """Rows by what is said of them from a probability on, and what is so."""
    said, yes = mu >= cutoff, y > 0.5
    return Classified(
        int((said & yes).sum()), int((~said & yes).sum()), int((said & ~yes).sum()), int((~said & ~yes).sum())
    )


@dataclass(frozen=True)
class Calibration:
    """Groups of rows by their probability: how many, how many yes, how many expected."""

    low: Floats
    high: Floats
    n: Floats
    yes: Floats
    expected: Floats
    chi2: float
    df: int
    p: float

    @property
    def ends(self) -> tuple[Floats, Floats]:
        """Wilson's 95 % intervals of the shares of yes, each shape (groups,)."""
        low, high = np.array([wilson(k, n, 0.05) for k, n in zip(self.yes, self.n, strict=True)]).T
        return low, high


def hosmer_lemeshow(mu: Floats, y: Floats, groups: int = 10) -> Calibration:
    """Hosmer & Lemeshow (1980): groups of equal size by rising probability, ties together; df = groups − 2."""
    order = np.argsort(mu, kind="stable")
    m, v = mu[order], y[order]
    cuts = np.linspace(0, len(m), groups + 1).round().astype(int)[1:-1]
    # A cut within ties moves to their end.
    ends = np.unique(np.searchsorted(m, m[cuts - 1], side="right"))
    edges = np.unique(np.concatenate([[0], ends, [len(m)]]))
    n = np.diff(edges).astype(float)
    yes, expected = np.add.reduceat(v, edges[:-1]), np.add.reduceat(m, edges[:-1])
    with np.errstate(divide="ignore", invalid="ignore"):
        parts = (yes - expected) ** 2 / (expected * (1 - expected / n))
    chi2, df = float(parts.sum()), len(n) - 2
    p = float(special.chdtrc(df, chi2)) if df > 0 and np.isfinite(chi2) else np.nan
    return Calibration(m[edges[:-1]], m[edges[1:] - 1], n, yes, expected, chi2, df, p)
