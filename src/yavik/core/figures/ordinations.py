"""Drawings of ordinations: samples as points, columns as arrows, and how true the picture is."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.figures.items import ORDER, arrow_layers
from yavik.core.figures.names_apart import DOT, GAP, PLACES, names_apart, offset
from yavik.core.figures.plots import Drawn, colours, frame, thin
from yavik.core.figures.style import GRID, INK, MUTED, colour
from yavik.core.stats.communities.ordination import ellipse, hull

MOST_NAMED = 60
SIDE, SMALL = 400, 84
LETTERS = 9.5
"""Height of names in pixels."""


@dataclass(frozen=True)
class Outline:
    """A line around a group, or from a sample to its middle."""

    group: str
    points: Any
    filled: bool


def around_groups(
    points: Any, codes: Any, levels: Sequence[str], *, hulls: bool, ellipses: bool, lines: bool
) -> list[Outline]:
    """What is asked for around each group; ellipses and hulls of groups too small for them are left out."""
    out = []
    for g, level in enumerate(levels):
        own = points[codes == g]
        if hulls and len(own) > 1:
            corners = hull(own)
            out.append(Outline(level, np.vstack([corners, corners[:1]]), True))
        around = ellipse(own) if ellipses else None
        if around is not None:
            out.append(Outline(level, around, False))
        if lines:
            out += [Outline(level, np.vstack([own.mean(axis=0), p]), False) for p in own]
    return out


def _paint(kinds: Sequence[str]) -> dict[str, Any]:
    """Colours of groups; the key is as strong as the points where areas beside them are pale."""
    made = colours(kinds, None)
    return {**made, "legend": {**made["legend"], "symbolOpacity": 1}} if made["legend"] else made


def _dot_layer(
    values: list[dict[str, Any]], kinds: Sequence[str], axes: tuple[Any, Any], size: int, key: bool,
    what: str = "sample",
) -> Any:  # fmt: skip
    symbols = {
        "field": "group", "type": "nominal",
        "scale": {"domain": list(kinds), "range": [ORDER[i % len(ORDER)] for i in range(len(kinds))]},
        "legend": (
            {"title": None, "orient": "top", "columns": 4, "labelLimit": 150, "symbolOpacity": 1} if key else None
        ),
    }  # fmt: skip
    paint = _paint(kinds)
    return {
        "data": {"values": values},
        "mark": {"type": "point", "filled": True, "size": size, "opacity": 0.9},
        "encoding": {
            "x": axes[0], "y": axes[1], "color": paint if key else {**paint, "legend": None}, "shape": symbols,
            "tooltip": [{"field": "name", "title": what}, {"field": "group", "title": "group"}],
        },
    }  # fmt: skip


def _names_layers(
    points: Any, names: Sequence[str], taxa: int, reach: float, axes: tuple[Any, Any]
) -> list[dict[str, Any]]:
    """Names that keep apart; of a crowd only those that have room. The last ``taxa`` of them are set in italics."""
    at = np.column_stack([(points[:, 0] / reach + 1) / 2 * SIDE, (1 - points[:, 1] / reach) / 2 * SIDE])
    places = names_apart(at, names, LETTERS, (SIDE, SIDE))
    layers = []
    for k, slanted in sorted({(place, i >= len(names) - taxa) for i, place in enumerate(places) if place >= 0}):
        own = [i for i, place in enumerate(places) if place == k and (i >= len(names) - taxa) == slanted]
        a, _ = PLACES[k]
        align = "center" if a == 0 else ("left" if a > 0 else "right")
        _, dy = offset(k, 0, LETTERS)
        layers.append(
            {
                "data": {
                    "values": [{"x": float(points[i][0]), "y": float(points[i][1]), "name": names[i]} for i in own]
                },
                "mark": {
                    "type": "text", "align": align, "baseline": "middle", "dx": a * (DOT + GAP), "dy": dy,
                    "fontSize": LETTERS, "color": INK, "opacity": 0.75,
                    "fontStyle": "italic" if slanted else "normal",
                },
                "encoding": {"x": axes[0], "y": axes[1], "text": {"field": "name"}},
            }
        )  # fmt: skip
    return layers


def _outline_layers(outlines: Sequence[Outline], kinds: Sequence[str], axes: tuple[Any, Any]) -> list[dict[str, Any]]:
    values = [
        {"x": float(p[0]), "y": float(p[1]), "group": o.group, "one": i, "at": j, "filled": o.filled}
        for i, o in enumerate(outlines)
        for j, p in enumerate(o.points)
    ]
    paint = _paint(kinds)
    both = {"x": axes[0], "y": axes[1], "order": {"field": "at", "type": "quantitative"}, "detail": {"field": "one"}}
    return [
        {
            "data": {"values": [v for v in values if v["filled"]]},
            "mark": {"type": "line", "filled": True, "opacity": 0.12, "strokeWidth": 0},
            "encoding": {**both, "color": paint},
        },
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 1, "opacity": 0.7},
            "encoding": {**both, "color": paint},
        },
    ]


def _taxa_layer(taxa: Sequence[tuple[str, float, float]], axes: tuple[Any, Any]) -> dict[str, Any]:
    return {
        "data": {"values": [{"x": x, "y": y, "name": name} for name, x, y in taxa]},
        "mark": {"type": "point", "shape": "cross", "filled": True, "size": 30, "color": INK, "opacity": 0.8},
        "encoding": {"x": axes[0], "y": axes[1], "tooltip": [{"field": "name", "title": "taxon"}]},
    }


def _axis_of(field: str, title: str, reach: float) -> dict[str, Any]:
    return {
        "field": field, "type": "quantitative", "scale": {"domain": [-reach, reach], "nice": False},
        "axis": {"title": title, "grid": False, "tickCount": 5},
    }  # fmt: skip


def map_of(
    points: Any, names: Sequence[str], groups: Sequence[str] | None, levels: Sequence[str],
    arrows: Sequence[tuple[str, float, float]], titles: tuple[str, str], rows: Sequence[int] = (),
    outlines: Sequence[Outline] = (), taxa: Sequence[tuple[str, float, float]] = (), marked: Sequence[int] = (),
    named: bool = True, what: str = "sample",
) -> Drawn:  # fmt: skip
    """Samples on two axes of one scale, groups by colour and shape; arrows are 1 long where r² is 1, drawn to fit.

    Args:
        arrows, taxa: names and ends or places. rows: numbers of the samples' rows. marked: places of samples that are
            ringed. named: few samples have their names beside them. what: a sample is called.
    """
    all_points = [points, *(o.points for o in outlines), *([np.array([t[1:] for t in taxa])] if taxa else [])]
    reach = float(max(np.abs(p).max() for p in all_points)) * 1.12 or 1.0

    def dot(i: int) -> dict[str, Any]:
        return {
            "x": float(points[i][0]), "y": float(points[i][1]), "name": names[i],
            "group": groups[i] if groups else "samples", **({"row": int(rows[i])} if len(rows) else {}),
        }  # fmt: skip

    values = [dot(int(i)) for i in thin(len(points))]
    kinds = list(levels) if groups else ["samples"]
    axes = _axis_of("x", titles[0], reach), _axis_of("y", titles[1], reach)
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"v": 0}]},
            "mark": {"type": "rule", "color": MUTED, "opacity": 0.5},
            "encoding": {kind: {"field": "v", "type": "quantitative"}},
        }
        for kind in ("x", "y")
    ]
    layers += _outline_layers(outlines, kinds, axes) if outlines else []
    if marked:
        layers.append(
            {
                "data": {"values": [dot(i) for i in marked]},
                "mark": {"type": "point", "size": 190, "strokeWidth": 1.6, "color": INK, "filled": False},
                "encoding": {"x": axes[0], "y": axes[1]},
            }
        )
    layers.append(_dot_layer(values, kinds, axes, 62 if len(values) <= 200 else 30, groups is not None, what))
    layers += [_taxa_layer(taxa, axes)] if taxa else []
    beside = list(names) if named and len(values) <= MOST_NAMED else [""] * len(values)
    seen = np.array([(v["x"], v["y"]) for v in values])
    places = np.vstack([seen, np.array([t[1:] for t in taxa]).reshape(-1, 2)])
    layers += _names_layers(places, [*beside, *(t[0] for t in taxa)], len(taxa), reach, axes)
    if arrows:
        scale = 0.8 * reach / (max(float(np.hypot(a, b)) for _, a, b in arrows) or 1.0)
        ends = np.array([(a * scale, b * scale) for _, a, b in arrows])
        layers += arrow_layers(ends, [name for name, _, _ in arrows], reach, colour(4))
    alt = f"{counted(len(points), what)} on {titles[0]} and {titles[1]}"
    alt += f", {counted(len(values), 'point')} drawn at random" if len(values) < len(points) else ""
    alt += f", groups {listing(kinds, 8)}" if groups else ""
    alt += f"; arrows of {listing([a[0] for a in arrows], 8)}" if arrows else ""
    alt += f"; taxa {listing([t[0] for t in taxa], 8)}." if taxa else "."
    return frame({"layer": layers, "resolve": {"legend": {"color": "shared"}}}, alt, SIDE, SIDE)


def small_map(points: Any, groups: Sequence[str] | None, levels: Sequence[str], alt: str) -> Drawn:
    """Samples without names and numbers, to be looked at beside others."""
    reach = float(np.abs(points).max()) * 1.12 or 1.0
    kinds = list(levels) if groups else ["samples"]
    values = [
        {"x": float(p[0]), "y": float(p[1]), "group": groups[i] if groups else "samples"}
        for i, p in enumerate(points)
    ]
    axes = tuple({**_axis_of(k, "", reach), "axis": None} for k in ("x", "y"))
    layer = _dot_layer(values, kinds, (axes[0], axes[1]), 20, False)
    layer["encoding"].pop("tooltip")
    view = {"stroke": GRID}
    return frame({"view": view, **layer}, f"{counted(len(values), 'sample')}: {alt}.", SMALL, SMALL)


def so_far(points: Any) -> dict[str, Any]:
    """Samples as they lie while the work goes on."""
    shown = np.column_stack([points[:, :1], points[:, 1:2] if points.shape[1] > 1 else points[:, :1]])
    kept = thin(len(shown), 1500)
    return small_map(shown[kept], None, [], "the best picture so far")[0] | {"width": 240, "height": 240}


def shepard(d: Any, distances: Any, fitted: Any) -> Drawn:
    """Distances on the picture over dissimilarities, with the steps fitted to them."""
    place = thin(len(d), 1500)
    dots = [{"d": float(d[i]), "y": float(distances[i])} for i in place]
    order = np.argsort(d, kind="stable")
    steps = [{"d": float(d[i]), "y": float(fitted[i])} for i in order[:: max(1, len(order) // 600)]]
    x = {
        "field": "d",
        "type": "quantitative",
        "scale": {"zero": False},
        "axis": {"title": "Dissimilarity", "tickCount": 5},
    }
    y = {"field": "y", "type": "quantitative", "axis": {"title": "Distance", "tickCount": 5}}
    layers = [
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 12, "opacity": 0.4, "color": colour(1)},
            "encoding": {"x": x, "y": y},
        },
        {
            "data": {"values": steps},
            "mark": {"type": "line", "interpolate": "step-after", "color": colour(0), "strokeWidth": 1.5},
            "encoding": {"x": x, "y": y},
        },
    ]
    alt = f"Distances of {counted(len(d), 'pair')} on the picture over their dissimilarities, with the steps fitted."
    return frame({"layer": layers}, alt, 210, 170)
