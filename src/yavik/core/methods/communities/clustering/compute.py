"""Clusters of samples by their taxa, or of rows by columns of numbers."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.spatial.distance import pdist, squareform

from yavik.core.answers import RowsUsed
from yavik.core.answers.wording import grouped
from yavik.core.methods.communities.clustering.spec import ClusteringSpec
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.taxa import Samples, labels_of
from yavik.core.methods.kit.taxa_given import read_compared, room_for
from yavik.core.stats.communities.clusters import Means, Tree, about_means, joined, renumbered, silhouettes
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_JOINED = 5000
ARRAYS = 4.0
"""Squares of samples by samples that are held at a time."""
MOST_TRIED = 10


@dataclass(frozen=True)
class Data:
    """What is clustered: x as compared, shape (n, k); names of its columns; taxa only where it is a community."""

    x: Floats
    names: list[str]
    labels: list[str]
    place: Any
    rows: RowsUsed
    samples: Samples | None

    @property
    def first(self) -> str | None:
        """The first column, for whatever has to be said of one."""
        return self.names[0] if self.names else None


@dataclass(frozen=True)
class Clustered:
    """Everything computed; tables and words only read it.

    Args:
        d: condensed dissimilarities, of joined samples. codes: cluster of each sample, 0 …; tried: mean silhouette by
            number of clusters. cut: height of the tree
            where it is cut. asked: whether the number was asked for.
    """

    spec: ClusteringSpec
    data: Data
    d: Floats | None
    tree: Tree | None
    means: Means | None
    codes: Any
    silhouette: Floats
    tried: dict[int, float]
    cut: float
    asked: bool

    @property
    def k(self) -> int:
        """Clusters."""
        return int(self.codes.max()) + 1

    @cached_property
    def sizes(self) -> Any:
        """Samples of each cluster."""
        return np.bincount(self.codes, minlength=self.k)

    @cached_property
    def centres(self) -> Floats:
        """Means of the columns as compared, shape (k, columns)."""
        one = np.eye(self.k)[self.codes]
        return np.asarray((one.T @ self.data.x) / self.sizes[:, None])

    @cached_property
    def within(self) -> Floats:
        """Sum of squares of each cluster about its means."""
        one = np.eye(self.k)[self.codes]
        return np.asarray(one.T @ ((self.data.x - self.centres[self.codes]) ** 2).sum(axis=1))

    @cached_property
    def total(self) -> float:
        """Sum of squares of all about their means."""
        return float(((self.data.x - self.data.x.mean(axis=0)) ** 2).sum())


def compute(table: Table, spec: ClusteringSpec, progress: Told = silent) -> Clustered:
    """Raises DataProblem for what cannot be read, or too many samples to join."""
    data = read(table, spec)
    n = len(data.x)
    if spec.k is not None and spec.k >= n:
        raise DataProblem(f"{spec.k} clusters of {n} samples leave nothing to cluster.", column=data.first)
    if spec.kind == "kmeans":
        return _about_means(data, spec, progress)
    if n > MOST_JOINED:
        raise DataProblem(
            f"{grouped(n)} samples are too many to join step by step; {grouped(MOST_JOINED)} is the most. Cluster them"
            " about means.",
            column=data.first,
        )
    room_for(n, ARRAYS, progress)
    progress(0.1, "Dissimilarities")
    d = data.samples.unlike(spec.dissimilarity) if data.samples else np.asarray(pdist(data.x))
    if not d.max() > 0:
        raise DataProblem("All samples are alike: there is nothing to cluster.", column=data.first)
    progress(0.4, "Joining")
    tree = joined(d, spec.linkage)
    square = squareform(d)
    tried = {}
    for k in range(2, min(MOST_TRIED, n - 1) + 1):
        codes = tree.at(k)
        if int(codes.max()) + 1 == k:
            tried[k] = float(silhouettes(square, codes).mean())
    best = max(tried, key=lambda k: tried[k]) if tried else 2
    if spec.height is not None:
        codes, cut = tree.below(spec.height), spec.height
    else:
        k = spec.k or best
        codes, cut = tree.at(k), tree.between(k)
    alone = int(codes.max()) == 0
    silhouette = np.zeros(n) if alone else silhouettes(square, codes)
    asked = spec.k is not None or spec.height is not None
    return Clustered(spec, data, d, tree, None, codes, silhouette, tried, cut, asked)


def _about_means(data: Data, spec: ClusteringSpec, progress: Callable[[float, str], None]) -> Clustered:
    n = len(data.x)
    square = squareform(pdist(data.x)) if n <= MOST_JOINED else None
    tried, made = {}, {}
    every = [spec.k] if spec.k else list(range(2, min(MOST_TRIED, n - 1) + 1)) if square is not None else [3]
    for i, k in enumerate(every):
        progress(0.1 + 0.8 * i / len(every), f"{k} clusters")
        made[k] = _settled_means(data.x, k, spec)
        if square is not None and len(made[k].within) == k:
            tried[k] = float(silhouettes(square, made[k].codes).mean())
    best = made[max(tried, key=lambda k: tried[k]) if tried else every[0]]
    silhouette = silhouettes(square, best.codes) if square is not None else np.full(n, np.nan)
    return Clustered(spec, data, None, None, best, best.codes, silhouette, tried, np.nan, spec.k is not None)


def _settled_means(x: Floats, k: int, spec: ClusteringSpec) -> Means:
    """Starts that do not hang on the order of rows; clusters numbered as rows stand."""
    order = np.lexsort(tuple(x.T))
    found = about_means(x[order], k, spec.starts, spec.seed)
    codes = np.empty_like(found.codes)
    codes[order] = found.codes
    now = renumbered(codes)
    old = codes[[int(np.flatnonzero(now == g)[0]) for g in range(int(now.max()) + 1)]]
    return Means(now, found.centres[old], found.within[old], found.total, found.found)


def read(table: Table, spec: ClusteringSpec) -> Data:
    """Taxa as a community, or columns of numbers. Raises DataProblem."""
    if not spec.columns:
        s = read_compared(table, spec, grouped=False)
        if spec.kind == "kmeans" and not s.amounts:
            raise DataProblem(
                "Clusters about means need amounts or numbers; of dissimilarities and levels samples are joined step by"
                " step.",
                column=(spec.distances or s.taxa)[0],
            )
        x = s.x if s.amounts else np.zeros((s.n, 0))
        return Data(x, s.taxa, s.labels, s.place, s.rows, s)
    names = list(dict.fromkeys(spec.columns))
    raw = np.column_stack([table.numbers(c) for c in names])
    use: Any = ~np.isnan(raw).any(axis=1)
    rows = used_where(table, use, "a column is empty")
    x = raw[use]
    if len(x) < 3:
        raise DataProblem(f"{len(x)} rows are filled in every column; 3 are needed.", column=names[0])
    size = x.std(axis=0, ddof=1)
    flat = [c for c, s in zip(names, np.ptp(x, axis=0).tolist(), strict=True) if not s > 0]
    if flat:
        raise DataProblem(f"{flat[0]} is the same in every row: it cannot tell rows apart.", column=flat[0])
    x = x - x.mean(axis=0)
    x = x / size if spec.scale == "sd" else x
    place = np.flatnonzero(use)
    return Data(x, names, labels_of(table, spec.names, place), place, rows, None)
