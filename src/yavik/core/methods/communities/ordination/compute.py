"""Samples as points, columns of the environment as arrows."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from yavik.core.methods.communities.ordination.spec import OrdinationSpec
from yavik.core.methods.kit.draws import drawn, p_of
from yavik.core.methods.kit.kept import content
from yavik.core.methods.kit.taxa import Samples, read_samples
from yavik.core.stats.communities.ordination import (
    Arrow,
    Coordinates,
    Scaled,
    arrow,
    components,
    coordinates,
    draws_of_r2,
    nonmetric,
)
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table

MOST_SAMPLES = 2000
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


@dataclass(frozen=True)
class Ordered:
    """Everything computed; tables and words only read it.

    Args:
        points: shape (n, axes). d: condensed dissimilarities, none of components. scaled, axes: of the one kind or the
            other. stresses: by number of dimensions. shown: places of the axes on the picture.
    """

    spec: OrdinationSpec
    samples: Samples
    d: Floats | None
    points: Floats
    scaled: Scaled | None
    axes: Coordinates | None
    stresses: dict[int, float]
    arrows: list[Pointing]
    shown: tuple[int, int]

    @property
    def picture(self) -> Floats:
        """The two axes shown, shape (n, 2)."""
        return np.asarray(self.points[:, list(self.shown)])


def compute(
    table: Table, spec: OrdinationSpec, progress: Callable[[float, str], None] = lambda _part, _what: None
) -> Ordered:
    """Raises DataProblem for what cannot be read, and for too few or too many samples."""
    s = read_samples(table, spec, least=4)
    if s.n > MOST_SAMPLES:
        raise DataProblem(f"{s.n} samples are too many for one picture; {MOST_SAMPLES} is the most.")
    d = None
    scaled, axes, stresses = None, None, {}
    if spec.kind == "principal_components":
        axes = components(s.x)
    else:
        d = s.unlike(spec.dissimilarity)
        if not d.max() > 0:
            raise DataProblem("All samples are alike: there is nothing to draw.", column=s.taxa[0])
        if spec.kind == "principal_coordinates":
            axes = coordinates(d)
    if axes is not None:
        if axes.points.shape[1] < 2:
            raise DataProblem("Samples differ along one axis only: there is no picture of two.", column=s.taxa[0])
        points = axes.points[:, :6]
    else:
        assert d is not None
        if spec.dimensions >= s.n - 1:
            raise DataProblem(f"{spec.dimensions} dimensions for {s.n} samples fit anything; take fewer.")
        # starts must not hang on the order of rows
        order = s.settled()
        d = s.taken(order).unlike(spec.dissimilarity)
        every = [k for k in DIMENSIONS if k < s.n - 1] if s.n <= MOST_TRIED else []
        for i, k in enumerate(every):
            progress(0.5 * i / len(every), f"Stress in {k} dimensions")
            if k != spec.dimensions:
                stresses[k] = nonmetric(d, s.n, k, min(spec.starts, 8), spec.seed).stress
        scaled = nonmetric(
            d, s.n, spec.dimensions, spec.starts, spec.seed, lambda part, what: progress(0.5 + 0.4 * part, what)
        )
        stresses = dict(sorted({**stresses, spec.dimensions: scaled.stress}.items()))
        points = np.empty_like(scaled.points)
        points[order] = scaled.points
    shown = _shown(spec, points.shape[1])
    arrows = _arrows(table, spec, s, points[:, list(shown)], progress)
    return Ordered(spec, s, d, points, scaled, axes, stresses, arrows, shown)


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


def _arrows(
    table: Table, spec: OrdinationSpec, s: Samples, points: Floats, progress: Callable[[float, str], None]
) -> list[Pointing]:
    out = []
    for i, name in enumerate(dict.fromkeys(spec.environment)):
        if name in spec.taxa:
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
        out.append(Pointing(name, made, p, int(there.sum())))
    return out
