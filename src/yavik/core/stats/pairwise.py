"""All pairwise comparisons of k groups, every pair at once."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
from scipy import special, stats

from yavik.core.stats import studentized_range
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.oneway import Ranked

Adjust = Literal["holm", "none", "bonferroni", "sidak", "fdr"]
Index = npt.NDArray[np.intp]


@dataclass(frozen=True)
class Pairs:
    """One entry per pair; ``difference`` is a minus b. ``p`` is of the single comparison, ``p_adjusted`` of the family.

    ``df`` and the interval are None where the method has none.
    """

    a: Index
    b: Index
    difference: Floats
    se: Floats
    statistic: Floats
    df: Floats | None
    p: Floats
    p_adjusted: Floats
    ci_low: Floats | None
    ci_high: Floats | None


def pooled(g: Groups, method: Literal["lsd", "bonferroni", "holm", "tukey"], alpha: float) -> Pairs:
    """Comparisons with one pooled variance and N − k df.

    lsd: each pair's own t (Fisher, 1935), no protection for the family. bonferroni: p times the number of
    pairs. holm: step-down (Holm, 1979); its intervals are Bonferroni's, as the steps have none of their own.
    tukey: studentised range with Kramer's (1956) standard error for unequal n.
    """
    a, b = np.triu_indices(g.k, 1)
    df = float(g.n.sum() - g.k)
    variance = g.ss.sum() / df
    difference = g.shifted_means[a] - g.shifted_means[b]
    se = np.sqrt(variance * (1 / g.n[a] + 1 / g.n[b]))
    t = difference / se
    p = np.asarray(2 * stats.t.sf(np.abs(t), df))
    family = len(a)
    if method == "tukey":
        adjusted: Floats = studentized_range.sf(np.abs(t) * np.sqrt(2), g.k, df)
        reach = float(studentized_range.isf(alpha, g.k, np.array([df]))[0]) / np.sqrt(2)
    else:
        adjusted = adjust(p, {"lsd": "none", "bonferroni": "bonferroni", "holm": "holm"}[method])  # type: ignore[arg-type]
        reach = float(stats.t.isf(alpha / (2 * (1 if method == "lsd" else family)), df))
    every = np.full(family, df)
    low, high = difference - reach * se, difference + reach * se
    return Pairs(a, b, difference, se, t, every, p, adjusted, low, high)


def games_howell(g: Groups, alpha: float) -> Pairs:
    """Games and Howell (1976): each pair's own variances and Welch df, studentised range over k groups."""
    a, b = np.triu_indices(g.k, 1)
    error = g.variances / g.n
    difference = g.shifted_means[a] - g.shifted_means[b]
    together = error[a] + error[b]
    se = np.sqrt(together)
    with np.errstate(divide="ignore", invalid="ignore"):
        df = together**2 / (error[a] ** 2 / (g.n[a] - 1) + error[b] ** 2 / (g.n[b] - 1))
        t = difference / se
    p = np.asarray(2 * stats.t.sf(np.abs(t), df))
    adjusted = studentized_range.sf(np.abs(t) * np.sqrt(2), g.k, df)
    reach = studentized_range.isf(alpha, g.k, df) / np.sqrt(2) * se
    return Pairs(a, b, difference, se, t, df, p, adjusted, difference - reach, difference + reach)


def dunn(g: Groups, ranked: Ranked, method: Adjust) -> Pairs:
    """Dunn (1964): differences of mean ranks over all groups, variance corrected for ties, normal p."""
    a, b = np.triu_indices(g.k, 1)
    n = float(g.n.sum())
    difference = ranked.mean_ranks[a] - ranked.mean_ranks[b]
    se = np.sqrt((n * (n + 1) / 12 - ranked.tie_factor / (12 * (n - 1))) * (1 / g.n[a] + 1 / g.n[b]))
    z = difference / se
    p = 2 * special.ndtr(-np.abs(z))
    return Pairs(a, b, difference, se, z, None, p, adjust(p, method), None, None)


def adjust(p: Floats, method: Adjust) -> Floats:
    """p values of a family: Bonferroni, Šidák, Holm (1979), or the false discovery rate of Benjamini and Hochberg (1995)."""
    m = len(p)
    if method == "none" or m == 0:
        return p.copy()
    if method == "bonferroni":
        return np.minimum(p * m, 1.0)
    if method == "sidak":
        return np.asarray(-np.expm1(m * np.log1p(-p)))
    order = np.argsort(p, kind="stable")
    out = np.empty(m)
    if method == "holm":
        out[order] = np.maximum.accumulate((m - np.arange(m)) * p[order])
    else:
        raised = p[order] * m / np.arange(1, m + 1)
        out[order] = np.minimum.accumulate(raised[::-1])[::-1]
    return np.minimum(out, 1.0)
