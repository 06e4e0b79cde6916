"""Vega-Lite layers of plain values: rules, rectangles, points, lines, areas, words. One place for how each is
written."""

import json
from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.figures.plot import Vega
from yavik.core.figures.style import INK, PX_PER_PT
from yavik.core.stats.groups import Floats

MOST_POINTS = 2000
"""Points drawn one by one; beyond, a seeded random part of each group stands for it, and the caption says so."""


def brief(x: Any) -> float:
    """Six digits: more than a picture can show, and half the length."""
    return float(f"{float(x):.6g}")


def spread_along(low: float, high: float, n: int, scale: str) -> Floats:
    """n places evenly spread on an axis of that scale, so that a bend is drawn where the eye sees it."""
    if scale == "log" and low > 0:
        return np.geomspace(low, high, n)
    if scale == "root" and low >= 0:
        return np.linspace(np.sqrt(low), np.sqrt(high), n) ** 2
    return np.linspace(low, high, n)


def on_axis(scale: str, values: Any) -> Any:
    """Which values have a place on an axis of that scale."""
    values = np.asarray(values, float)
    return values > 0 if scale == "log" else values >= 0 if scale == "root" else np.isfinite(values)


def place(x: Any) -> float:
    """A position: seven digits keep dates to the quarter of an hour and everything else far beyond a pixel."""
    x = float(x)
    return float(f"{x:.7g}") if abs(x) < 1e9 else float(round(x))


def points_of(figure_line_pt: float) -> float:
    """A line's width in pixels."""
    return round(figure_line_pt * PX_PER_PT, 2)


def words(names: Sequence[str]) -> str:
    """Names as a Vega array literal; json escapes what could end a string."""
    return json.dumps(list(names))


def field(name: str, **more: Any) -> Vega:
    """A channel that reads a field."""
    return {"field": name, **more}


OWN: dict[str, Any] = {"type": "nominal", "scale": None}
"""A channel whose values are colours or shapes themselves."""


def layer(values: list[dict[str, Any]], mark: dict[str, Any], **encoding: Any) -> Vega:
    """Values drawn as one kind of mark."""
    return {
        "data": {"values": values},
        "mark": mark,
        "encoding": {k: v for k, v in encoding.items() if v is not None},
    }


def rule(
    values: list[dict[str, Any]], width: float, *, dash: bool = False, colour: str | None = INK, **at: str
) -> Vega:
    """A straight line from (x, y) to (x2, y2); what is left out runs across. ``colour`` None takes each value's
    own."""
    mark: dict[str, Any] = {"type": "rule", "strokeWidth": width}
    if colour:
        mark["color"] = colour
    if dash:
        mark["strokeDash"] = [4, 3]
    encoding: dict[str, Any] = {axis: field(name) for axis, name in at.items()}
    if not colour:
        encoding["color"] = field("colour", **OWN)
    return layer(values, mark, **encoding)


def rects(values: list[dict[str, Any]], *, opacity: float, stroke: float = 0, **at: str) -> Vega:
    """Rectangles."""
    mark: dict[str, Any] = {"type": "rect", "fillOpacity": opacity}
    if stroke:
        mark |= {"stroke": INK, "strokeWidth": stroke}
    return layer(values, mark, **{axis: field(name) for axis, name in at.items()}, fill=field("colour", **OWN))


def points(
    values: list[dict[str, Any]], *, opacity: float, size: float = 14, tooltip: list[Vega] | None = None
) -> Vega:
    """Points, each with what it says when pointed at."""
    return layer(
        values,
        {"type": "point", "filled": True, "size": size, "opacity": opacity},
        x=field("x"),
        y=field("y"),
        color=field("colour", **OWN),
        shape=field("shape", **OWN),
        tooltip=tooltip,
    )


def lines(values: list[dict[str, Any]], width: float, *, opacity: float = 1, curve: str = "linear") -> Vega:
    """Lines through values in their order, one per ``line``."""
    return layer(
        values,
        {"type": "line", "strokeWidth": width, "opacity": opacity, "interpolate": curve},
        x=field("x"),
        y=field("y"),
        order=field("at", type="quantitative"),
        detail=field("line", type="nominal"),
        color=field("colour", **OWN),
    )


def band(values: list[dict[str, Any]], *, opacity: float = 0.18, curve: str = "linear") -> Vega:
    """Areas between ``low`` and ``high``, one per ``line``."""
    return layer(
        values,
        {"type": "area", "opacity": opacity, "interpolate": curve, "line": False},
        x=field("x"),
        y=field("low"),
        y2=field("high"),
        detail=field("line", type="nominal"),
        fill=field("colour", **OWN),
    )


def polygons(values: list[dict[str, Any]], *, opacity: float, width: float) -> Vega:
    """Closed shapes, each its own filled line; ``line`` names them."""
    return layer(
        values,
        {"type": "line", "strokeWidth": width, "fillOpacity": opacity, "interpolate": "linear-closed"},
        x=field("x"),
        y=field("y"),
        order=field("at", type="quantitative"),
        detail=field("line", type="nominal"),
        color=field("colour", **OWN),
        fill=field("colour", **OWN),
    )


def text(values: list[dict[str, Any]], **mark: Any) -> Vega:
    """Words at places."""
    return layer(values, {"type": "text", **mark}, x=field("x"), y=field("y"), text=field("text", type="nominal"))


def values_of(axis: str, title: str) -> list[Vega]:
    """What a point says: its group, value and row."""
    return [
        field("group", type="nominal", title="group"),
        field(axis, type="quantitative", title=title, format=".6~g"),
        field("row", type="quantitative", title="row"),
    ]


def thinned(n: int, of: int, seed: int, most: int = MOST_POINTS) -> Any:
    """Places of this group's share of the points drawn: all, or a seeded random part."""
    if of <= most:
        return np.arange(n)
    take = max(1, round(n * most / of)) if n else 0
    return np.sort(np.random.default_rng([seed, n]).choice(n, take, replace=False))


def dodge(index: int, of: int, room: float = 0.8) -> tuple[float, float]:
    """How far from the middle of its place the i-th of several stands, and the room it has."""
    width = room / max(of, 1)
    return (index - (of - 1) / 2) * width, width


def path(line: str, colour: str, xs: Any, ys: Any) -> list[dict[str, Any]]:
    """The points of a line in order."""
    return [
        {"x": place(x), "y": place(y), "at": i, "line": line, "colour": colour}
        for i, (x, y) in enumerate(zip(xs, ys, strict=True))
        if np.isfinite(x) and np.isfinite(y)
    ]
