"""Drawings of ordinations: samples as points, columns as arrows, and how true the picture is."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.figures.items import ORDER, arrow_layers
from yavik.core.figures.plots import Drawn, colours, frame, thin
from yavik.core.figures.style import INK, MUTED, colour

MOST_NAMED = 30
SIDE = 400


def map_of(
    points: Any, names: Sequence[str], groups: Sequence[str] | None, levels: Sequence[str],
    arrows: Sequence[tuple[str, float, float]], titles: tuple[str, str],
) -> Drawn:  # fmt: skip
    """Samples on two axes of one scale, groups by colour and shape; arrows are 1 long where r² is 1, drawn to fit.

    Args:
        arrows: names and ends.
    """
    reach = float(np.abs(points).max()) * 1.12 or 1.0
    values = [
        {"x": float(p[0]), "y": float(p[1]), "name": names[i], "group": groups[i] if groups else "samples"}
        for i, p in enumerate(points)
    ]
    kinds = list(levels) if groups else ["samples"]

    def axis(field: str, title: str) -> dict[str, Any]:
        return {
            "field": field, "type": "quantitative", "scale": {"domain": [-reach, reach], "nice": False},
            "axis": {"title": title, "grid": False, "tickCount": 5},
        }  # fmt: skip

    x, y = axis("x", titles[0]), axis("y", titles[1])
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"v": 0}]},
            "mark": {"type": "rule", "color": MUTED, "opacity": 0.5},
            "encoding": {kind: {"field": "v", "type": "quantitative"}},
        }
        for kind in ("x", "y")
    ]
    symbols = {
        "field": "group", "type": "nominal", "legend": None if not groups else {"title": None, "orient": "top"},
        "scale": {"domain": kinds, "range": [ORDER[i % len(ORDER)] for i in range(len(kinds))]},
    }  # fmt: skip
    layers.append(
        {
            "data": {"values": values},
            "mark": {"type": "point", "filled": True, "size": 62, "opacity": 0.9},
            "encoding": {
                "x": x, "y": y, "color": colours(kinds, None), "shape": symbols,
                "tooltip": [{"field": "name", "title": "sample"}, {"field": "group", "title": "group"}],
            },
        }
    )  # fmt: skip
    if len(values) <= MOST_NAMED:
        layers.append(
            {
                "data": {"values": values},
                "mark": {"type": "text", "dy": -8, "fontSize": 8.5, "color": INK, "opacity": 0.75},
                "encoding": {"x": x, "y": y, "text": {"field": "name"}},
            }
        )
    if arrows:
        scale = 0.8 * reach / (max(float(np.hypot(a, b)) for _, a, b in arrows) or 1.0)
        ends = np.array([(a * scale, b * scale) for _, a, b in arrows])
        layers += arrow_layers(ends, [name for name, _, _ in arrows], reach, colour(4))
    alt = f"{counted(len(values), 'sample')} on {titles[0]} and {titles[1]}"
    alt += f", groups {listing(kinds, 8)}" if groups else ""
    alt += f"; arrows of {listing([a[0] for a in arrows], 8)}." if arrows else "."
    return frame({"layer": layers, "resolve": {"legend": {"color": "shared"}}}, alt, SIDE, SIDE)


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
