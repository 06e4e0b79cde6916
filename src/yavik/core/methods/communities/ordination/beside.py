"""What stands beside an ordination: the places of samples, the same under other transformations, and two samples
compared."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from yavik.core.methods.communities.ordination.spec import OrdinationSpec
from yavik.core.methods.kit.taxa import Samples
from yavik.core.stats.communities.ordination import Coordinates, Scaled, aligned, components, coordinates, nonmetric
from yavik.core.stats.communities.unlike import (
    Transform,
    Unlike,
    any_kind,
    parts_between,
    standardised,
    transformed,
    unlike,
)
from yavik.core.stats.groups import Floats
from yavik.core.table.telling import Told, silent

MOST_AXES = 6
MOST_UNDER, FEW = 200, 120
"""Samples up to which other transformations are drawn, and up to which from several starts."""
UNDER: tuple[Transform, ...] = ("none", "sqrt", "fourth_root", "presence")
Seen = Callable[[Floats], None]


def unseen(points: Floats) -> None:
    """Nobody watches."""


@dataclass(frozen=True)
class Placed:
    """Samples as points.

    Args:
        d: condensed, of the samples in ``order``, as they were scaled; of components empty. points: shape (n, axes), in
            the samples' own order.
    """

    d: Floats
    order: Any
    points: Floats
    scaled: Scaled | None
    axes: Coordinates | None

    @property
    def stress(self) -> float | None:
        """Of non-metric scaling."""
        return self.scaled.stress if self.scaled else None


def arranged(
    s: Samples, spec: OrdinationSpec, starts: int, told: Told = silent, show: Seen = unseen, ends: int | None = None
) -> Placed | None:
    """The samples' places; None where all are alike."""
    none = np.zeros(0)
    if spec.kind == "principal_components":
        if not np.ptp(s.x, axis=0).max() > 0:
            return None
        axes = components(s.x)
        return Placed(none, np.arange(s.n), axes.points[:, :MOST_AXES], None, axes)
    # starts must not hang on the order of rows
    order = s.settled()
    d = s.taken(order).unlike(spec.dissimilarity)
    if not d.max() > 0:
        return None
    back = np.argsort(order)
    if spec.kind == "principal_coordinates":
        axes = coordinates(d)
        axes = replace(axes, points=axes.points[back])
        return Placed(d, order, axes.points[:, :MOST_AXES], None, axes)
    scaled = nonmetric(d, s.n, spec.dimensions, starts, spec.seed, told, lambda points: show(points[back]), ends)
    return Placed(d, order, scaled.points[back], scaled, None)


@dataclass(frozen=True)
class Under:
    """The picture of another transformation.

    Args:
        points: shape (n, 2), turned to lie as the main one; none where all samples are alike. stress: of non-metric
            scaling; share: that the axes shown hold, of the others. alike: with the main picture, from 0 to 1.
    """

    transform: Transform
    points: Floats | None
    stress: float | None
    share: float | None
    alike: float


def others(s: Samples, spec: OrdinationSpec, main: Placed, points: Floats, told: Told) -> list[Under]:
    """The same samples under none, root, fourth root and presence, by a few starts; none of many samples, and where
    presence alone is compared.

    Args:
        main: the picture shown; points: its places, mirrored.
    """
    if not s.amounts or s.n > MOST_UNDER or spec.dissimilarity in ("jaccard", "sorensen"):
        return []
    a, b = (k - 1 for k in spec.axes)
    out = []
    for i, how in enumerate(UNDER):
        told(0.7 + 0.2 * i / len(UNDER), "Other transformations")
        made: Placed | None = main
        if how != spec.transform:
            x = standardised(transformed(s.raw, how), spec.standardise)
            made = arranged(replace(s, x=x), spec, min(spec.starts, 4) if s.n <= FEW else 1, ends=1)
        if made is None or made.points.shape[1] < 2:
            out.append(Under(how, None, None, None, 0.0))
            continue
        axes = min(made.points.shape[1], points.shape[1])
        turned, alike = aligned(made.points[:, :axes], points[:, :axes])
        shown = turned[:, [min(a, axes - 1), min(b, axes - 1)]]
        part = None if made.axes is None else float(made.axes.shares[[a, b]].sum())
        out.append(Under(how, shown, made.stress, part, alike))
    return out


@dataclass(frozen=True)
class Two:
    """A sample beside another, or beside the mean of all.

    Args:
        first, second: places of the samples; second is None for the mean. amounts: as they stand in the table, shape
            (k, 2). parts: what each taxon adds to how unlike they are, as shares. whole: how unlike, NaN for a mean.
    """

    first: int
    second: int | None
    amounts: Floats
    parts: Floats
    whole: float

    @property
    def order(self) -> Any:
        """Places of the taxa, those that add most first."""
        return np.argsort(-self.parts, kind="stable")


def between(s: Samples, spec: OrdinationSpec, places: list[int]) -> Two | None:
    """One or two samples that were clicked; None where there is nothing to look at."""
    if not places or not s.amounts:
        return None
    kind: Unlike = "euclidean" if spec.kind == "principal_components" else spec.dissimilarity
    x = s.x
    if kind == "gower":
        x, kind = any_kind(x, []), "manhattan"
    i = places[0]
    if len(places) == 1:
        amounts = np.column_stack([s.raw[i], s.raw.mean(axis=0)])
        return Two(i, None, amounts, parts_between(x[i], x.mean(axis=0), kind), np.nan)
    j = places[1]
    amounts = np.column_stack([s.raw[i], s.raw[j]])
    return Two(i, j, amounts, parts_between(x[i], x[j], kind), float(unlike(x[[i, j]], kind)[0]))
