"""How often intervals of survey estimates hold, and how often survey tests find what is not there.

Samples are drawn again and again from populations with strata and clusters. Run with ``--write`` to store
``docs/surveys.json`` and the tables in ``docs/levels.md``; without, it prints them.
"""

from typing import Any

import numpy as np
from rates import rate, simulate
from scipy.special import expit
from scipy.stats import t as t_law

from yavik.core.stats.surveys.designs import Replicated, Stratified, multipliers
from yavik.core.stats.surveys.estimates import interval, means, share_interval, wald
from yavik.core.stats.surveys.models import weighted_fit
from yavik.core.stats.surveys.tables import crossed, rao_scott

SAMPLES = 1500
STRATA = 4
ALPHA = 0.05
WEIGHTS = np.array([1.0, 4.0, 2.0, 1.5])
LEVELS = np.array([0.0, 0.5, 1.0, 1.5])


def drawn(rng: Any, clusters: int, people: int = 8) -> tuple[Any, Any, Any, Any]:
    """Strata, clusters, weights and what people of one cluster share."""
    cluster = np.repeat(np.arange(STRATA * clusters), people)
    strata = cluster // clusters
    return strata, cluster, WEIGHTS[strata], rng.normal(0, 0.6, STRATA * clusters)[cluster]


def replicated(strata: Any, cluster: Any, w: Any, clusters: int) -> Replicated:
    """One cluster left out at a time, the others of its stratum raised."""
    many = STRATA * clusters
    reps = np.repeat(w[:, None], many, axis=1)
    for c in range(many):
        own = strata == c // clusters
        reps[own, c] *= clusters / (clusters - 1)
        reps[cluster == c, c] = 0.0
    return Replicated(w, reps, multipliers("jkn", reps, w), "jkn", STRATA)


def coverage(clusters: int, samples: int = SAMPLES) -> dict[str, list[float]]:
    """Intervals of a mean, a share, a share of a subgroup, and a coefficient."""
    rng = np.random.default_rng(clusters)
    part = WEIGHTS / WEIGHTS.sum()
    hits: dict[str, list[bool]] = {}
    for _ in range(samples):
        strata, cluster, w, shared = drawn(rng, clusters)
        n = len(w)
        x = rng.normal(size=n)
        y = LEVELS[strata] + shared + 0.5 * x + rng.normal(size=n)
        chance = expit(LEVELS[strata] - 2.5 + rng.normal(0, 1e-9, n))
        event = (rng.random(n) < chance).astype(float)
        few = rng.random(n) < 0.25
        z, used = np.column_stack([y, event, event]), np.column_stack([np.ones(n), np.ones(n), few]).astype(float)
        truth = [float(part @ LEVELS), float(part @ expit(LEVELS - 2.5)), float(part @ expit(LEVELS - 2.5))]
        for words, design in (
            ("strata and clusters", Stratified(w, strata, cluster, np.zeros(STRATA))),
            ("jackknife", replicated(strata, cluster, w, clusters)),
        ):
            made = means(design, z, used)
            df = design.df()
            low, high = interval(made.values, made.se, df, ALPHA)
            a, b = share_interval(made.values, made.se, df, ALPHA)
            hits.setdefault(f"mean, {words}", []).append(bool(low[0] <= truth[0] <= high[0]))
            hits.setdefault(f"share near .15, {words}", []).append(bool(a[1] <= truth[1] <= b[1]))
            if np.isfinite([a[2], b[2]]).all():
                hits.setdefault(f"the same in a quarter of the rows, {words}", []).append(
                    bool(a[2] <= truth[2] <= b[2])
                )
            fit = weighted_fit(design, np.arange(n), np.column_stack([np.ones(n), x]), y, "linear")
            reach = float(t_law.ppf(0.975, df)) * float(np.sqrt(fit.covariance[1, 1]))
            hits.setdefault(f"slope, {words}", []).append(bool(abs(fit.coef[1] - 0.5) <= reach))
    return {key: rate(value) for key, value in hits.items()}


def alarms(clusters: int, samples: int = SAMPLES) -> dict[str, list[float]]:
    """Groups and answers that have nothing to do with one another, people of a cluster alike in both."""
    rng = np.random.default_rng(clusters + 1)
    hits: dict[str, list[bool]] = {}
    for _ in range(samples):
        strata, cluster, w, shared = drawn(rng, clusters)
        n = len(w)
        other = rng.normal(0, 1.0, STRATA * clusters)[cluster]
        group = np.digitize(other + rng.normal(size=n), [-0.6, 0.6])
        answer = (shared + rng.normal(size=n) > 0.3).astype(int)
        d = Stratified(w, strata, cluster, np.zeros(STRATA))
        df = d.df()
        c = crossed(d, group, answer, (3, 2), np.ones(n))
        if (c.weighted.sum(axis=1) > 0).all() and (c.weighted.sum(axis=0) > 0).all():
            r = rao_scott(c, df)
            hits.setdefault("Rao and Scott, second order", []).append(r.p < ALPHA)
            from scipy.stats import chi2

            hits.setdefault("the plain χ² of weighted shares", []).append(bool(chi2.sf(r.chi2, 2) < ALPHA))
        used = (group[:, None] == np.arange(3)).astype(float)
        made = means(d, np.repeat((shared + rng.normal(size=n))[:, None], 3, axis=1), used)
        k = np.array([[-1.0, 1.0, 0.0], [-1.0, 0.0, 1.0]])
        w2 = wald(k @ made.values, k @ made.covariance @ k.T, df)
        hits.setdefault("adjusted Wald test of three groups", []).append(w2.p < ALPHA)
    return {key: rate(value) for key, value in hits.items()}


if __name__ == "__main__":
    simulate(
        "surveys",
        {"coverage": (coverage, (4, 10, 25)), "alarms": (alarms, (4, 10, 25))},
        {"coverage": "clusters of each stratum", "alarms": "clusters of each stratum"},
    )
