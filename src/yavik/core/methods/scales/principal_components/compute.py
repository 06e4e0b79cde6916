"""Components of columns as numbers."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from yavik.core.methods.kit.correlated import ItemData, chance_limits, read_correlated
from yavik.core.methods.scales.principal_components.spec import ComponentSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.adequacy import beyond_chance
from yavik.core.stats.items.rotation import OBLIQUE, Rotated, rotate
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

NOTHING = 1e-10
"""Share of all variance below which an eigenvalue is none."""


@dataclass(frozen=True)
class Components:
    """Everything computed; tables and words only read it.

    Args:
        eigenvalues: of the matrix, largest first, shape (k,). vectors: shape (k, k), each signed so that squares of
            positive
            weights outweigh the others. limits: of chance.
    """

    spec: ComponentSpec
    data: ItemData
    eigenvalues: Floats
    vectors: Floats
    limits: Floats
    by_kaiser: int
    by_parallel: int
    m: int

    @property
    def total(self) -> float:
        """All variance."""
        return float(self.eigenvalues.sum())

    @property
    def sd(self) -> Floats:
        """What a column is divided by: its SD, or 1 of covariances."""
        return self.data.c.sd if self.spec.matrix == "correlation" else np.ones(self.data.k)

    @cached_property
    def loadings(self) -> Floats:
        """Correlations of columns with the components, unrotated, shape (k, m)."""
        raw = self.vectors[:, : self.m] * np.sqrt(self.eigenvalues[: self.m])
        return np.asarray(raw if self.spec.matrix == "correlation" else raw / self.data.c.sd[:, None])

    @cached_property
    def rotated(self) -> Rotated:
        """Loadings rotated; in order of explained variance."""
        try:
            return rotate(self.loadings, self.spec.rotation)
        except (ValueError, np.linalg.LinAlgError):
            raise DataProblem(
                "In this rotation components fall together. Choose another rotation, or fewer components.",
                column=self.data.columns[0].name,
            ) from None

    @property
    def oblique(self) -> bool:
        """Whether components may correlate."""
        return self.m > 1 and self.spec.rotation in OBLIQUE

    @property
    def communality(self) -> Floats:
        """Share of each column's variance in the components taken."""
        return np.asarray((self.loadings**2).sum(axis=1))

    @property
    def explained(self) -> float:
        """Share of all variance in the components taken."""
        return float(self.eigenvalues[: self.m].sum() / self.total)

    @property
    def names(self) -> list[str]:
        """Components by number."""
        return [f"Component {j + 1}" for j in range(self.m)]

    @cached_property
    def order(self) -> list[int]:
        """Columns as they are shown."""
        if not self.spec.sorted:
            return list(range(self.data.k))
        size = np.abs(self.rotated.pattern)
        return sorted(range(self.data.k), key=lambda i: (int(np.argmax(size[i])), -float(size[i].max())))

    @cached_property
    def weights(self) -> Floats:
        """What each column, centred and divided by ``sd``, counts in each score of SD 1, shape (k, m)."""
        plain = self.vectors[:, : self.m] / np.sqrt(self.eigenvalues[: self.m])
        turn = np.linalg.lstsq(self.loadings, self.rotated.pattern, rcond=None)[0]
        return np.asarray(plain @ np.linalg.inv(turn).T)

    @cached_property
    def scores(self) -> Floats:
        """Of every row filled throughout, each with SD 1, NaN elsewhere, shape (rows, m)."""
        return np.asarray((self.data.x - self.data.c.mean) / self.sd @ self.weights)


def compute(table: Table, spec: ComponentSpec, told: Told = silent) -> Components:
    """Raises DataProblem for too few columns or rows, and columns without spread."""
    data = read_correlated(table, spec.items, spec.missing == "pairwise", "Principal components")
    c = data.c
    matrix = c.r if spec.matrix == "correlation" else c.r * np.outer(c.sd, c.sd)
    values, vectors = np.linalg.eigh(matrix)
    values, vectors = np.maximum(values[::-1], 0.0), vectors[:, ::-1]
    vectors = vectors * np.where((vectors * np.abs(vectors)).sum(axis=0) < 0, -1.0, 1.0)
    limits = chance_limits(data, spec.draws, spec.seed, told, covariances=spec.matrix == "covariance")
    real = int((values > NOTHING * values.sum()).sum())
    kaiser = int((values > values.mean() * (1 + 1e-12)).sum())
    parallel = beyond_chance(values, limits)
    rule = {"kaiser": kaiser, "parallel": parallel}
    m = spec.components if isinstance(spec.components, int) else max(rule[spec.components], 1)
    if m > real:
        raise DataProblem(
            f"{data.k} columns of {c.rows} rows hold {real} components; {m} are too many.", column=spec.items[0]
        )
    return Components(spec, data, values, vectors, limits, kaiser, parallel, m)
