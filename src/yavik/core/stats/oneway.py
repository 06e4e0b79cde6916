"""Tests of equal means (or ranks) over k independent groups. p values come from the right tail directly."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.noncentral import f_interval
from yavik.core.stats.ranks import merged_ranks


@dataclass(frozen=True)
class FTest:
    f: float
    df1: float
    df2: float
    p: float


@dataclass(frozen=True)
class AnovaTable:
    """Sums of squares between and within groups, with the classical F test."""

    ss_between: float
    ss_within: float
    df_between: int
    df_within: int
    test: FTest

    @property
    def ms_between(self) -> float:
        """Mean square between groups."""
        return self.ss_between / self.df_between

    @property
    def ms_within(self) -> float:
        """Mean square within groups."""
        return self.ss_within / self.df_within

    @property
    def eta2(self) -> float:
        """Share of the squares between groups."""
        return self.ss_between / (self.ss_between + self.ss_within)

    @property
    def omega2(self) -> float:
        """ω² (Hays, 1963): (SSb − df1·MSw) / (SSt + MSw); may come out below zero, and is given as it is."""
        total = self.ss_between + self.ss_within
        return (self.ss_between - self.df_between * self.ms_within) / (total + self.ms_within)


def f_test(f: float, df1: float, df2: float) -> FTest:
    """F with its df and p."""
    return FTest(f, df1, df2, float(special.fdtrc(df1, df2, f)))


def anova(g: Groups) -> AnovaTable:
    """Classical one-way analysis of variance (Fisher, 1925). Needs spread within at least one group."""
    n, m = g.n, g.shifted_means
    total = n.sum()
    grand = (n * m).sum() / total
    grand += (n * (m - grand)).sum() / total
    between, within = float((n * (m - grand) ** 2).sum()), float(g.ss.sum())
    df1, df2 = g.k - 1, int(total - g.k)
    if within == 0:  # no spread to compare with: F has no value, and the caller says so
        return AnovaTable(between, within, df1, df2, FTest(np.nan, df1, df2, np.nan))
    return AnovaTable(between, within, df1, df2, f_test((between / df1) / (within / df2), df1, df2))


def welch(g: Groups) -> FTest:
    """Welch's (1951) test for means of groups whose spread differs; df2 is fractional."""
    w = g.n / g.variances
    m = g.shifted_means
    centre = (w * m).sum() / w.sum()
    k = g.k
    lam = ((1 - w / w.sum()) ** 2 / (g.n - 1)).sum()
    f = ((w * (m - centre) ** 2).sum() / (k - 1)) / (1 + 2 * (k - 2) / (k**2 - 1) * lam)
    return f_test(float(f), k - 1, float((k**2 - 1) / (3 * lam)))


def brown_forsythe(g: Groups) -> FTest:
    """Brown and Forsythe's (1974) F* for means; df1 = k − 1, df2 by Satterthwaite."""
    n, total = g.n, g.n.sum()
    m = g.shifted_means
    grand = (n * m).sum() / total
    parts = (1 - n / total) * g.variances
    f = (n * (m - grand) ** 2).sum() / parts.sum()
    share = parts / parts.sum()
    return f_test(float(f), g.k - 1, float(1 / (share**2 / (n - 1)).sum()))


@dataclass(frozen=True)
class Ranked:
    """Ranks over all groups together, ties sharing their mean rank."""

    mean_ranks: Floats
    h: float
    df: int
    p: float
    tie_factor: float
    """Σ(t³ − t) over runs of tied values."""


def kruskal_wallis(g: Groups) -> Ranked:
    """Kruskal and Wallis (1952) H, divided by the correction for ties; p from χ² with k − 1 df."""
    ranks, ties = merged_ranks(*g.ordered)
    n = int(g.n.sum())
    sums = np.array([r.sum() for r in ranks])
    mean_ranks = sums / g.n
    h = 12 / (n * (n + 1)) * (g.n * (mean_ranks - (n + 1) / 2) ** 2).sum() / (1 - ties / (float(n) ** 3 - n))
    return Ranked(mean_ranks, float(h), g.k - 1, float(special.chdtrc(g.k - 1, h)), ties)


def levene(g: Groups, centre: str) -> FTest:
    """Levene's (1960) test: the F test on distances from the group's mean, or its median (Brown & Forsythe, 1974)."""
    middles = g.means if centre == "mean" else g.quartiles[:, 1]
    away = np.abs(g.y - np.repeat(middles, g.n))
    found = anova(Groups(away, g.starts, g.rows, g.names))
    # Two values lie equally far from their middle: what is left within groups is rounding, not spread.
    if found.ss_within <= 1e-24 * float(away @ away + np.abs(g.y).max() ** 2):
        return FTest(np.nan, found.df_between, found.df_within, np.nan)
    return found.test


def eta2_interval(t: FTest, level: float = 0.95) -> tuple[float, float]:
    """Interval for η² by turning the noncentral F distribution round (Steiger, 2004)."""
    low, high = f_interval(t.f, t.df1, t.df2, 1 - level)
    size = t.df1 + t.df2 + 1
    return low / (low + size), high / (high + size)


@dataclass(frozen=True)
class Trend:
    """``j`` counts pairs of values from different groups in which the later group's is larger, ties half."""

    j: float
    z: float
    p: float


def jonckheere_terpstra(g: Groups) -> Trend:
    """Do values rise or fall with the groups' order? (Terpstra, 1952; Jonckheere, 1954). Normal p, variance for ties.

    Two-sided; a z above zero says that later groups have the larger values.
    """
    n, sizes = float(g.n.sum()), g.n.astype(float)
    j = 0.0
    for a in range(g.k):
        for b in range(a + 1, g.k):
            low, high = g.ordered[a], g.ordered[b]
            j += float(np.searchsorted(low, high, "left").sum() + np.searchsorted(low, high, "right").sum()) / 2
    everything = np.sort(g.y)
    t = np.diff(np.flatnonzero(np.concatenate([[True], everything[1:] != everything[:-1], [True]]))).astype(float)

    def three(x: Floats | float) -> float:
        """Σ x(x − 1)(2x + 5)."""
        return float(np.sum(x * (np.asarray(x) - 1) * (2 * np.asarray(x) + 5)))

    def cubes(x: Floats) -> float:
        """Σ x(x − 1)(x − 2)."""
        return float((x * (x - 1) * (x - 2)).sum())

    def squares(x: Floats) -> float:
        """Σ x(x − 1)."""
        return float((x * (x - 1)).sum())

    variance = (three(n) - three(sizes) - three(t)) / 72
    if n > 2:
        variance += cubes(sizes) * cubes(t) / (36 * n * (n - 1) * (n - 2))
    variance += squares(sizes) * squares(t) / (8 * n * (n - 1))
    away = j - (n**2 - float((sizes**2).sum())) / 4
    z = away / np.sqrt(variance) if variance > 0 else np.nan
    return Trend(j, float(z), float(2 * special.ndtr(-abs(z))))
