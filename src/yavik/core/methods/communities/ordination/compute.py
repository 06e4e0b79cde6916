"""Samples as points, columns of the environment as arrows."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.spatial.distance import pdist, squareform

from yavik.core.answers.wording import grouped
from yavik.core.methods.communities.ordination.beside import (
    Placed,
    Seen,
    Two,
    Under,
    arranged,
    between,
    others,
    unseen,
)
from yavik.core.methods.communities.ordination.spec import OrdinationSpec
from yavik.core.methods.kit.draws import drawn, p_of
from yavik.core.methods.kit.kept import content
from yavik.core.methods.kit.taxa import Samples
from yavik.core.methods.kit.taxa_given import read_compared, room_for
from yavik.core.stats.communities.group_tests import to_centroid
from yavik.core.stats.communities.ordination import (
    Arrow,
    Coordinates,
    Scaled,
    arrow,
    draws_of_r2,
    nonmetric,
    taxa_at,
)
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_SAMPLES = 5000
ARRAYS = {"nonmetric": 9.0, "principal_coordinates": 5.0, "principal_components": 1.0}
"""Squares of numbers that each way holds at a time, of samples by samples."""
MOST_TRIED = 120
"""Samples up to which every number of dimensions is tried."""
DIMENSIONS = (1, 2, 3, 4, 5)


@dataclass(frozen=True)
class Pointing:
    """An arrow, its p by permutations, and the samples that have the column filled."""

    name: str
    arrow: Arrow
    p: float
    n: int
    turned: bool = False

    @property
    def label(self) -> str:
        """What grows along the arrow."""
        return f"less {self.name}" if self.turned else self.name


@dataclass(frozen=True)
class Ordered:
    """Everything computed; tables and words only read it.

    Args:
        points: shape (n, axes). d: condensed dissimilarities in the order of the scaling; of components empty.
        scaled, axes: of the one kind or the
            other. stresses: by number of dimensions. shown: places of the axes on the picture. rows: numbers of the
        samples' rows. under: the picture of other transformations. away: of each sample from the middle of its group.
        pair: the samples that are compared.
    """

    spec: OrdinationSpec
    samples: Samples
    d: Floats
    points: Floats
    scaled: Scaled | None
    axes: Coordinates | None
    stresses: dict[int, float]
    arrows: list[Pointing]
    shown: tuple[int, int]
    rows: Any
    under: list[Under]
    away: Floats | None
    pair: Two | None

    @cached_property
    def taxa(self) -> list[tuple[str, Floats]]:
        """Taxa as points, those with the largest amounts first; none where they were not asked for."""
        s = self.samples
        if not self.spec.taxa_too or not s.amounts:
            return []
        at = taxa_at(self.points, s.x)
        order = np.argsort(-s.raw.sum(axis=0), kind="stable")
        return [(s.taxa[int(k)], at[int(k)]) for k in order]

    @property
    def picture(self) -> Floats:
        """The two axes shown, shape (n, 2)."""
        return np.asarray(self.points[:, list(self.shown)])


def compute(table: Table, spec: OrdinationSpec, progress: Told = silent, show: Seen = unseen) -> Ordered:
    """Raises DataProblem for what cannot be read, and for too few or too many samples.

    Args:
        show: is given the best places so far, shape (n, axes), in the samples' order.
    """
    s = read_compared(table, spec, least=4)
    if s.n > MOST_SAMPLES:
        raise DataProblem(
            f"{grouped(s.n)} samples are too many for one picture; {grouped(MOST_SAMPLES)} is the most."
        )
    if spec.kind == "principal_components" and not s.amounts:
        raise DataProblem(
            "Principal components need amounts; of dissimilarities and levels take principal coordinates.",
            column=(spec.distances or s.taxa)[0],
        )
    room_for(s.n, ARRAYS[spec.kind], progress)
    if spec.kind == "nonmetric" and spec.dimensions >= s.n - 1:
        raise DataProblem(f"{spec.dimensions} dimensions for {s.n} samples fit anything; take fewer.")
    placed = arranged(s, spec, spec.starts, lambda part, what: progress(0.4 * part, what), show)
    if placed is None:
        raise DataProblem("All samples are alike: there is nothing to draw.", column=_first(spec))
    if placed.points.shape[1] < 2 and placed.axes is not None:
        raise DataProblem("Samples differ along one axis only: there is no picture of two.", column=_first(spec))
    stresses = _stresses(s, spec, placed, progress)
    signs = np.where(np.isin(np.arange(placed.points.shape[1]) + 1, spec.mirrored), -1.0, 1.0)
    points = placed.points * signs
    shown = _shown(spec, points.shape[1])
    under = others(s, spec, placed, points, progress)
    arrows = _arrows(table, spec, s, points[:, list(shown)], progress)
    rows = [int(np.flatnonzero(table.rows[s.place] == r)[0]) for r in spec.beside if r in table.rows[s.place]]
    return Ordered(
        spec, s, placed.d, points, placed.scaled, placed.axes, stresses, arrows, shown, table.rows[s.place], under,
        _away(s, placed), between(s, spec, rows),
    )  # fmt: skip


def _first(spec: OrdinationSpec) -> str:
    return (spec.distances or spec.taxa)[0]


def _stresses(s: Samples, spec: OrdinationSpec, placed: Placed, progress: Told) -> dict[int, float]:
    """Stress by number of dimensions; of many samples of the picture alone."""
    if placed.scaled is None:
        return {}
    out = {spec.dimensions: placed.scaled.stress}
    every = [k for k in DIMENSIONS if k < s.n - 1 and k != spec.dimensions] if s.n <= MOST_TRIED else []
    for i, k in enumerate(every):
        progress(0.4 + 0.3 * i / len(every), f"Stress in {k} dimensions")
        out[k] = nonmetric(placed.d, s.n, k, min(spec.starts, 8), spec.seed, ends=1).stress
    return dict(sorted(out.items()))


def _away(s: Samples, placed: Placed) -> Floats | None:
    """Of each sample to the middle of its group by all dissimilarities; of components by all amounts."""
    if not s.levels:
        return None
    d = placed.d if len(placed.d) else np.asarray(pdist(s.x))
    out = np.empty(s.n)
    out[placed.order] = to_centroid(squareform(d, checks=False), s.codes[placed.order], len(s.levels))
    return out


def _shown(spec: OrdinationSpec, many: int) -> tuple[int, int]:
    """Places of the two axes; of a single dimension it stands twice."""
    if many == 1:
        return 0, 0
    a, b = spec.axes
    if a == b:
        raise DataProblem(f"Axis {a} is chosen twice: a picture has two.")
    if max(a, b) > many:
        raise DataProblem(f"There is no axis {max(a, b)}: there are {many}.")
    return a - 1, b - 1


def _arrows(table: Table, spec: OrdinationSpec, s: Samples, points: Floats, progress: Told) -> list[Pointing]:
    out = []
    for i, name in enumerate(dict.fromkeys(spec.environment)):
        if name in (*spec.taxa, *spec.distances):
            raise DataProblem(f"{name} cannot be a taxon and the environment.", column=name)
        progress(0.9 + 0.1 * i / len(spec.environment), name)
        z = table.numbers(name)[s.place]
        there = np.isfinite(z)
        if int(there.sum()) < 4 or not np.ptp(z[there]) > 0:
            raise DataProblem(
                f"{name} is {'the same in every sample' if there.any() else 'empty'}: it points nowhere."
                if int(there.sum()) >= 4 or not there.any()
                else f"{name} is filled in {int(there.sum())} samples; 4 are needed for an arrow.",
                column=name,
            )
        made = arrow(points[there], z[there])
        order = s.settled(np.where(there, z, np.inf))
        own, values = points[order][there[order]], z[order][there[order]]
        draws = drawn(spec.permutations, spec.seed, draws_of_r2(own, values), key=content(own, values), what=name)
        p = p_of(int((draws >= made.r2 * (1 - 1e-9)).sum()), spec.permutations)[0]
        turned = name in spec.turned
        if turned:
            made = Arrow(-made.correlations, made.r2, -made.ends)
        out.append(Pointing(name, made, p, int(there.sum()), turned))
    return out
