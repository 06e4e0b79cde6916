"""All pairwise comparisons of k groups, every pair at once."""

from dataclasses import dataclass, replace

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats import many_to_one, studentized_range
from yavik.core.stats.adjusting import Adjust, adjust
from yavik.core.stats.direction import Alternative
from yavik.core.stats.families import Family, Index, of_family
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.oneway import Ranked
from yavik.core.stats.two import mann_whitney
from yavik.core.stats.within import Friedman


@dataclass(frozen=True)
class Pairs:
    """One entry per pair; ``difference`` is a minus b. ``p`` is of the single comparison, ``p_adjusted`` of the
    family.

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


def pooled(g: Groups, method: Family, alpha: float, control: int | None = None) -> Pairs:
    """Comparisons with one pooled variance and N − k df; ``families`` says what each method is.

    dunnett compares each group with ``control`` only. Holm's intervals are Bonferroni's, as its steps have none.
    """
    df = float(g.n.sum() - g.k)
    variance = g.ss.sum() / df
    return from_means(g.shifted_means, variance / g.n, df, method, alpha, control)


def from_means(
    means: Floats,
    variances: Floats,
    df: float,
    method: Family,
    alpha: float,
    control: int | None = None,
    covariance: Floats | None = None,
) -> Pairs:
    """The same for any means with their variances, or their whole covariance where they are not independent."""
    a, b = pairs_of(len(means), control if method == "dunnett" else None)
    difference = means[a] - means[b]
    together = variances[a] + variances[b]
    if covariance is not None:
        together = together - 2 * covariance[a, b]
    se = np.sqrt(together)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = difference / se
    p, adjusted, reach = of_family(a, b, means, variances, t, df, method, alpha)
    every = np.full(len(a), df)
    if np.isnan(reach):
        return Pairs(a, b, difference, se, t, every, p, adjusted, None, None)
    return Pairs(a, b, difference, se, t, every, p, adjusted, difference - reach * se, difference + reach * se)


def pairs_of(k: int, control: int | None) -> tuple[Index, Index]:
    """All pairs, or each group with the control."""
    if control is None:
        a, b = np.triu_indices(k, 1)
        return a, b
    others = np.array([i for i in range(k) if i != control], np.intp)
    return others, np.full(len(others), control, np.intp)


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
    p = np.asarray(2 * laws.t.sf(np.abs(t), df))
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
    p = 2 * laws.norm.sf(np.abs(z))
    return Pairs(a, b, difference, se, z, None, p, adjust(p, method), None, None)


def pairwise_mann_whitney(g: Groups, method: Adjust) -> Pairs:
    """The rank-sum test of each pair by itself, p adjusted; ``difference`` is of the medians."""
    a, b = np.triu_indices(g.k, 1)
    found = [mann_whitney(g.ordered[i], g.ordered[j]) for i, j in zip(a, b, strict=True)]
    p = np.array([f.p for f in found])
    z = np.array([f.z for f in found])
    medians = g.quartiles[:, 1]
    difference = medians[a] - medians[b]
    return Pairs(a, b, difference, np.full(len(a), np.nan), z, None, p, adjust(p, method), None, None)


def nemenyi_within(found: Friedman, blocks: int) -> Pairs:
    """Nemenyi (1963) within blocks: mean ranks against the studentised range over k groups."""
    pairs = ranks_within(found, blocks, "none")
    k = len(found.mean_ranks)
    tail = studentized_range.sf(np.abs(pairs.statistic) * np.sqrt(2), k, np.full(len(pairs.p), 1e7))
    return replace(pairs, p_adjusted=tail)


def ranks_within(found: Friedman, blocks: int, method: Adjust) -> Pairs:
    """Differences of mean ranks within blocks (Dunn, 1964, for blocks): normal p with the ties' variance,
    adjusted."""
    k = len(found.mean_ranks)
    a, b = np.triu_indices(k, 1)
    difference = found.mean_ranks[a] - found.mean_ranks[b]
    spread = k * (k + 1) / 12 - found.tie_factor / (12 * blocks * (k - 1))
    se = np.full(len(a), float(np.sqrt(2 * spread / blocks)))
    z = difference / se
    p = np.asarray(2 * laws.norm.sf(np.abs(z)))
    return Pairs(a, b, difference, se, z, None, p, adjust(p, method), None, None)


def nemenyi(g: Groups, ranked: Ranked) -> Pairs:
    """Nemenyi (1963): Dunn's z against the studentised range over k groups, which holds for all pairs together."""
    found = dunn(g, ranked, "none")
    adjusted = studentized_range.sf(np.abs(found.statistic) * np.sqrt(2), g.k, np.full(len(found.p), 1e7))
    return replace(found, p_adjusted=adjusted)


def dunnett_one_sided(found: Pairs, variances: Floats, alpha: float, alternative: Alternative) -> Pairs:
    """Dunnett's comparisons in one direction, each group minus the control; intervals open at the other end.

    Args:
        variances: of each group's mean.
    """
    lam = np.sqrt(variances[found.b] / (variances[found.a] + variances[found.b]))
    t = found.statistic if alternative == "greater" else -found.statistic
    df = np.asarray(found.df)
    adjusted, reach = np.empty(len(t)), np.empty(len(t))
    for free in np.unique(df):
        own = df == free
        adjusted[own] = many_to_one.sf(t[own], lam, float(free), one_sided=True)
        reach[own] = many_to_one.critical(alpha, lam, float(free), one_sided=True) * found.se[own]
    p = np.asarray(laws.t.sf(t, df))
    ends = np.full(len(t), np.inf)
    low, high = (found.difference - reach, ends) if alternative == "greater" else (-ends, found.difference + reach)
    return replace(found, p=p, p_adjusted=adjusted, ci_low=low, ci_high=high)


def conover(g: Groups, ranked: Ranked, method: Adjust) -> Pairs:
    """Conover and Iman (1979): t tests of mean ranks with the spread that ranks keep within groups, N − k df."""
    a, b = np.triu_indices(g.k, 1)
    n = float(g.n.sum())
    spread = n * (n + 1) / 12 - ranked.tie_factor / (12 * (n - 1))
    df = n - g.k
    left = max((n - 1 - ranked.h) / df, 0.0)
    difference = ranked.mean_ranks[a] - ranked.mean_ranks[b]
    se = np.sqrt(spread * left * (1 / g.n[a] + 1 / g.n[b]))
    with np.errstate(divide="ignore", invalid="ignore"):
        t = difference / se
    p = np.asarray(2 * laws.t.sf(np.abs(t), df))
    return Pairs(a, b, difference, se, t, np.full(len(a), df), p, adjust(p, method), None, None)


def dunnett_welch(g: Groups, alpha: float, control: int) -> Pairs:
    """Each group with a control, each with its own spread (Hasler & Hothorn, 2008).

    Differences share the control's error, so they correlate as λᵢλⱼ with λᵢ² its share of the variance; each has its
    Welch df, and p is that of the largest |t| under the groups' own correlations.
    """
    a, b = pairs_of(g.k, control)
    error = g.variances / g.n
    difference = g.shifted_means[a] - g.shifted_means[b]
    together = error[a] + error[b]
    se = np.sqrt(together)
    with np.errstate(divide="ignore", invalid="ignore"):
        df = together**2 / (error[a] ** 2 / (g.n[a] - 1) + error[b] ** 2 / (g.n[b] - 1))
        t, lam = difference / se, np.sqrt(error[b] / together)
    p = np.asarray(2 * laws.t.sf(np.abs(t), df))
    known = np.flatnonzero(np.isfinite(t) & np.isfinite(lam))
    adjusted, reach = np.full(len(a), np.nan), np.full(len(a), np.nan)
    lam = np.minimum(lam, 1 - 1e-9)
    for i in known:
        adjusted[i] = many_to_one.sf(np.abs(t[i : i + 1]), lam[known], float(df[i]))[0]
        reach[i] = many_to_one.critical(alpha, lam[known], float(df[i])) * se[i]
    return Pairs(a, b, difference, se, t, df, p, adjusted, difference - reach, difference + reach)
