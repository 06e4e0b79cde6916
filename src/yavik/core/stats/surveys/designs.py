"""How a sample was drawn, and the variance that follows: by replicate weights, or by strata and clusters.

A subgroup is a domain: its rows keep their weights, all others count as zero, and the design stays whole.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal, Protocol

import numpy as np

from yavik.core.stats.groups import Floats

Made = Literal["jk1", "jk2", "jkn", "brr", "fay", "bootstrap", "successive"]
Alone = Literal["centred", "certainty", "pooled"]
SAME = 1e-9
"""Replicate weights that differ by this part of the weight are the weight."""


class Sampled(Protocol):
    """What estimates need of a design."""

    @property
    def weights(self) -> Floats:
        """Shape (n,)."""
        ...

    def totals(self, y: Floats) -> "Totals":
        """Weighted totals of columns, with what their variance comes from. Args: y: shape (n, k)."""
        ...

    def df(self, rows: Any = None) -> float:
        """Degrees of freedom of the design, or of what is left of it in some rows."""
        ...


@dataclass(frozen=True)
class Totals:
    """Totals of columns, from which anything smooth is estimated.

    Args:
        values: shape (k,). covariance: gives that of functions of the totals: called with the function and its values
            at the totals; shape (m, m).
        moved: shape (k, R): the totals by every replicate; none of a design of strata and clusters.
    """

    values: Floats
    covariance: Callable[[Callable[[Floats], Floats]], Floats]
    moved: Floats | None = None


@dataclass(frozen=True)
class Replicated:
    """Replicate weights.

    Args:
        weights: shape (n,). replicates: shape (n, R). scales: multiplier of each squared difference, shape (R,).
        waves: samples that were drawn by themselves and stand in one table, each with a block of replicates.
    """

    weights: Floats
    replicates: Floats
    scales: Floats
    made: Made = "jk1"
    waves: int = 1

    def active(self, rows: Any = None) -> int:
        """Replicates that shift weight between the rows; one that raises all of them alike tells nothing of a mean."""
        at = np.flatnonzero(self.weights > 0 if rows is None else (self.weights > 0) & rows)
        low, high = np.full(self.replicates.shape[1], np.inf), np.full(self.replicates.shape[1], -np.inf)
        for start in range(0, len(at), BLOCK):
            own = at[start : start + BLOCK]
            raised = self.replicates[own] / self.weights[own, None]
            low, high = np.minimum(low, raised.min(axis=0)), np.maximum(high, raised.max(axis=0))
        return int((high - low > SAME).sum()) if len(at) else 0

    def df(self, rows: Any = None) -> float:
        """Replicates that shift weight between the rows; less one for each sample drawn, unless replicates are
        balanced halves or pairs, whose number is that of the strata."""
        active = self.active(rows)
        if self.made in ("jk2", "brr", "fay"):
            return float(active)
        drawn = max(1, round(self.waves * active / max(self.replicates.shape[1], 1)))
        return float(max(active - drawn, 0))

    def totals(self, y: Floats) -> Totals:
        """Totals by the weights and by every replicate, in blocks of rows."""
        k = y.shape[1]
        values, moved = np.zeros(k), np.zeros((k, self.replicates.shape[1]))
        for at in range(0, len(y), BLOCK):
            part = y[at : at + BLOCK].T
            values += part @ self.weights[at : at + BLOCK]
            moved += part @ self.replicates[at : at + BLOCK]

        def covariance(of: Callable[[Floats], Floats]) -> Floats:
            # all replicates at once: ``of`` takes totals along the first axis
            with np.errstate(divide="ignore", invalid="ignore"):
                gap = of(moved) - of(values[:, None])
            # a replicate that leaves nothing of a domain says nothing of it
            gap = np.where(np.isfinite(gap), gap, 0.0)
            return np.asarray((gap * self.scales) @ gap.T)

        return Totals(values, covariance, moved)


BLOCK = 65_536
"""Rows that are weighed at a time."""


@dataclass(frozen=True)
class Stratified:
    """Strata and clusters, one stage, by linearisation (Binder, 1983).

    Args:
        weights: shape (n,). strata, clusters: codes of each row, clusters numbered over all strata. shares: part of
            each stratum's clusters that was drawn, shape (strata,); zeros for draws with replacement.
        alone: what a stratum with one cluster adds: about the mean of all clusters ('centred'), nothing
            ('certainty'), or the mean of what the others add ('pooled').
    """

    weights: Floats
    strata: Any
    clusters: Any
    shares: Floats
    alone: Alone = "centred"

    @cached_property
    def of_cluster(self) -> Any:
        """The stratum of each cluster."""
        out = np.zeros(int(self.clusters.max()) + 1, int)
        out[self.clusters] = self.strata
        return out

    @cached_property
    def sizes(self) -> Any:
        """Clusters of each stratum."""
        return np.bincount(self.of_cluster, minlength=len(self.shares))

    def df(self, rows: Any = None) -> float:
        """Clusters less strata, of those that have rows."""
        if rows is None:
            return float(len(self.of_cluster) - np.count_nonzero(self.sizes))
        return float(len(np.unique(self.clusters[rows])) - len(np.unique(self.strata[rows])))

    def totals(self, y: Floats) -> Totals:
        """Totals; functions of them by their slopes, found by differences that are exact to rounding."""
        weighed = y * self.weights[:, None]
        values = weighed.sum(axis=0)
        z = np.zeros((len(self.of_cluster), y.shape[1]))
        for k, column in enumerate(weighed.T):
            z[:, k] = np.bincount(self.clusters, column, len(self.of_cluster))
        square = self.of_clusters(z)

        def covariance(of: Callable[[Floats], Floats]) -> Floats:
            slope = slopes(of, values)
            return np.asarray(slope @ square @ slope.T)

        return Totals(values, covariance)

    def of_clusters(self, z: Floats) -> Floats:
        """Covariance of totals. Args: z: of each cluster, shape (clusters, k)."""
        out = np.zeros((z.shape[1], z.shape[1]))
        known, alone = 0, 0
        whole = z.mean(axis=0)
        for h in np.flatnonzero(self.sizes):
            own = z[self.of_cluster == h]
            n = len(own)
            if n == 1:
                alone += 1
                if self.alone == "centred":
                    gap = own[0] - whole
                    out += (1 - self.shares[h]) * np.outer(gap, gap)
                continue
            known += 1
            gap = own - own.mean(axis=0)
            out += (1 - self.shares[h]) * n / (n - 1) * gap.T @ gap
        if self.alone == "pooled" and alone and known:
            out *= (known + alone) / known
        return out


def slopes(of: Callable[[Floats], Floats], at: Floats) -> Floats:
    """Derivatives of a function of totals, shape (m, k), by complex steps: exact to rounding."""
    k = len(at)
    size = np.where(at != 0, np.abs(at), max(float(np.abs(at).max()), 1.0))
    step = 1e-30
    moved = np.repeat(at[:, None].astype(complex), k, axis=1)
    moved[np.arange(k), np.arange(k)] += 1j * step * size
    return np.asarray(of(moved).imag / (step * size))


def multipliers(made: Made, replicates: Floats, weights: Floats, fay: float = 0.5) -> Floats:
    """The usual multiplier of each replicate's squared difference (Wolter, 2007): shape (R,).

    jk1 (R − 1)/R; jk2 1; brr 1/R; fay 1/(R(1 − f)²); bootstrap 1/R; successive 4/R. jkn (n − 1)/n of the stratum whose
    cluster is left out, n read off the weights that are raised by n/(n − 1).
    """
    r = replicates.shape[1]
    if made == "jkn":
        used = weights > 0
        raised = (replicates[used] / weights[used, None]).max(axis=0)
        return np.asarray(1 / np.maximum(raised, 1.0))
    one = {
        "jk1": (r - 1) / r, "jk2": 1.0, "brr": 1 / r, "fay": 1 / (r * (1 - fay) ** 2), "bootstrap": 1 / r,
        "successive": 4 / r,
    }[made]  # fmt: skip
    return np.full(r, one)
