"""Drawings of answers: points with a line, intervals, lines of means, quantiles, shaded squares, shares.

Each takes plain numbers and words and gives Vega-Lite with a text alternative. What is drawn from many rows is
thinned to a seeded sample; nothing else of the data leaves the server.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock
from yavik.core.answers.wording import counted, listing, significant
from yavik.core.figures.layers import MOST_POINTS
from yavik.core.figures.style import INK, MUTED, colour, config, shape

TYPE_PT = 8.5
Drawn = tuple[dict[str, Any], str]


def block(id: str, title: str, drawn: Drawn, *, small: bool = False) -> FigureBlock:
    """A drawing as part of an answer."""
    vega, alt = drawn
    return FigureBlock(id=id, title=title, drawing=vega, alt=alt, small=small)


def frame(vega: dict[str, Any], alt: str, width: int, height: int, type_pt: float = TYPE_PT) -> Drawn:
    """A drawing with its size and type, beside its words for those who cannot see it."""
    return {
        "$schema": "https://vega.github.io/schema/vega-lite/v6.json",
        "description": alt,
        "width": width,
        "height": height,
        "padding": 4,
        "config": config(type_pt),
        **vega,
    }, alt


def thin(n: int, most: int = MOST_POINTS) -> Any:
    """Places of up to ``most`` rows, always the same ones."""
    return np.arange(n) if n <= most else np.sort(np.random.default_rng(1).choice(n, most, replace=False))


def _axis(field: str, title: str | None, low: float | None = None, high: float | None = None, **more: Any) -> Any:
    scale: dict[str, Any] = {"zero": False}
    if low is not None and high is not None:
        scale |= {"domain": [low, high], "nice": False}
    return {"field": field, "type": "quantitative", "scale": scale, "axis": {"title": title, "tickCount": 6, **more}}


def colours(names: Sequence[str], title: str | None, field: str = "group") -> dict[str, Any]:
    """Colours of named groups, with a key where there are several."""
    shown = list(names)
    return {
        "field": field,
        "type": "nominal",
        "scale": {"domain": shown, "range": [colour(i) for i in range(len(shown))]},
        "legend": (
            {
                "orient": "top",
                "title": title,
                "labelColor": INK,
                "titleColor": INK,
                "columns": 5,
                "labelLimit": 160,
            }
            if len(shown) > 1
            else None
        ),
    }


def _shapes(names: Sequence[str]) -> dict[str, Any]:
    return {
        "field": "group",
        "type": "nominal",
        "scale": {"domain": list(names), "range": [shape(i) for i in range(len(names))]},
        "legend": None,
    }


@dataclass(frozen=True)
class Cloud:
    """Points of one group with, where there is one, its line from x0 to x1."""

    name: str
    x: Any
    y: Any
    rows: Any
    line: tuple[float, float, float, float] | None = None


def scatter(
    clouds: Sequence[Cloud], x_title: str, y_title: str, *, size: tuple[int, int] = (330, 270), jitter: bool = False
) -> Drawn:
    """Points that tell their row when pointed at, a line per group; jitter spreads points that would cover one
    another."""
    rng = np.random.default_rng(1)
    points, lines = [], []
    share = max(1, MOST_POINTS // max(len(clouds), 1))
    for c in clouds:
        kept = thin(len(c.x), share)
        x, y = np.asarray(c.x, float)[kept], np.asarray(c.y, float)[kept]
        shown_x, shown_y = (_spread(x, rng), _spread(y, rng)) if jitter else (x, y)
        points += [
            {"x": float(a), "y": float(b), "tx": float(u), "ty": float(v), "row": int(r), "group": c.name}
            for a, b, u, v, r in zip(shown_x, shown_y, x, y, np.asarray(c.rows)[kept], strict=True)
        ]
        if c.line:
            lines += [
                {"x": c.line[0], "y": c.line[1], "group": c.name},
                {"x": c.line[2], "y": c.line[3], "group": c.name},
            ]
    names = [c.name for c in clouds]
    encoding = {"x": _axis("x", x_title), "y": _axis("y", y_title), "color": colours(names, None)}
    total = sum(len(c.x) for c in clouds)
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": points},
            "mark": {"type": "point", "filled": True, "opacity": 0.65 if len(points) < 600 else 0.35, "size": 26},
            "encoding": {
                "shape": _shapes(names),
                "tooltip": [
                    {"field": "row", "title": "row"},
                    {"field": "tx", "title": x_title},
                    {"field": "ty", "title": y_title},
                    *([{"field": "group", "title": "group"}] if len(names) > 1 else []),
                ],
            },
        }
    ]
    if lines:
        layers.append({"data": {"values": lines}, "mark": {"type": "line", "strokeWidth": 2}})
    alt = f"Points of {y_title} over {x_title}: {counted(total, 'row')}"
    alt += f", with a line for {listing(names)}." if len(names) > 1 else (" and their line." if lines else ".")
    return frame({"encoding": encoding, "layer": layers}, alt, *size)


def _spread(values: Any, rng: Any) -> Any:
    """Jitter only where values repeat a lot: within a third of the smallest step."""
    steps = np.unique(values)
    if len(steps) < 2 or len(steps) > len(values) / 2:
        return values
    return values + rng.uniform(-0.3, 0.3, len(values)) * np.diff(steps).min()


@dataclass(frozen=True)
class Bar:
    """An estimate with its interval; ``strong`` where it differs from the line."""

    name: str
    estimate: float
    low: float
    high: float
    strong: bool = False


def forest(bars: Sequence[Bar], x_title: str, *, at: float | None = 0.0, width: int = 300) -> Drawn:
    """Estimates and intervals, one under another; those that differ are filled, the others open."""
    shown = [b for b in bars if np.isfinite([b.estimate, b.low, b.high]).all()]
    values = [
        {"name": b.name, "x": b.estimate, "low": b.low, "high": b.high, "mark": "differs" if b.strong else "does not"}
        for b in shown
    ]
    y = {
        "field": "name",
        "type": "nominal",
        "sort": [v["name"] for v in values],
        "axis": {"title": None, "labelLimit": 190, "ticks": False, "domain": False, "grid": False},
    }
    tooltip = [
        {"field": "name", "title": " "},
        {"field": "x", "title": x_title, "format": ".4~g"},
        {"field": "low", "title": "from", "format": ".4~g"},
        {"field": "high", "title": "to", "format": ".4~g"},
    ]
    layers: list[dict[str, Any]] = []
    if at is not None:
        layers.append(
            {
                "data": {"values": [{"x": at}]},
                "mark": {"type": "rule", "strokeDash": [3, 3], "color": MUTED},
                "encoding": {"x": {"field": "x", "type": "quantitative"}},
            }
        )
    layers += [
        {
            "mark": {"type": "rule", "strokeWidth": 1.6},
            "encoding": {"y": y, "x": _axis("low", x_title), "x2": {"field": "high"}, "tooltip": tooltip},
        },
        {
            "mark": {"type": "point", "size": 55, "strokeWidth": 1.6},
            "encoding": {
                "y": y,
                "x": {"field": "x", "type": "quantitative"},
                "fill": {
                    "condition": {"test": "datum.mark == 'differs'", "value": colour(0)},
                    "value": "transparent",
                },
                "tooltip": tooltip,
            },
        },
    ]
    for layer in layers[1 if at is not None else 0 :]:
        layer["encoding"]["color"] = {"value": colour(0)}
    said = [f"{b.name} {significant(b.estimate)} ({significant(b.low)} to {significant(b.high)})" for b in shown]
    alt = f"{x_title} with intervals: {listing(said, 12)}" if said else f"{x_title}: no interval can be computed"
    return frame({"data": {"values": values}, "layer": layers}, alt + ".", width, max(46, 21 * len(values)))


@dataclass(frozen=True)
class Line:
    """Means over an axis of named places, with intervals; NaN where a cell has none."""

    name: str
    y: Sequence[float]
    low: Sequence[float]
    high: Sequence[float]


def profile(
    lines: Sequence[Line], places: Sequence[str], x_title: str, y_title: str, legend: str | None, *, width: int = 330
) -> Drawn:
    """Lines of means with intervals, one per group, drawn a little apart so that intervals can be told apart."""
    values = []
    apart = min(0.12, 0.5 / max(len(lines), 1))
    for g, line in enumerate(lines):
        for i, place in enumerate(places):
            if np.isfinite(line.y[i]):
                known = bool(np.isfinite(line.low[i]) and np.isfinite(line.high[i]))
                values.append(
                    {
                        "x": i + (g - (len(lines) - 1) / 2) * apart,
                        "place": place,
                        "y": float(line.y[i]),
                        "low": float(line.low[i]) if known else float(line.y[i]),
                        "high": float(line.high[i]) if known else float(line.y[i]),
                        "group": line.name,
                    }
                )
    names = [line.name for line in lines]
    words = "[" + ",".join(quoted(p) for p in places) + "]"
    crowded = sum(len(p) + 2 for p in places) * 6.2 > width
    x = {
        "field": "x",
        "type": "quantitative",
        "scale": {"domain": [-0.4, len(places) - 0.6], "nice": False, "zero": False},
        "axis": {
            "title": x_title,
            "values": list(range(len(places))),
            "labelExpr": f"{words}[datum.value]",
            "grid": False,
            "labelAngle": -35 if crowded else 0,
            "labelAlign": "right" if crowded else "center",
            "labelLimit": 120,
        },
    }
    tooltip = [
        {"field": "place", "title": x_title},
        *([{"field": "group", "title": legend or "group"}] if len(names) > 1 else []),
        {"field": "y", "title": y_title, "format": ".4~g"},
        {"field": "low", "title": "from", "format": ".4~g"},
        {"field": "high", "title": "to", "format": ".4~g"},
    ]
    encoding = {"x": x, "color": colours(names, legend)}
    layers: list[dict[str, Any]] = [
        {"mark": {"type": "line", "strokeWidth": 1.6}, "encoding": {"y": _axis("y", y_title)}},
        {
            "mark": {"type": "rule", "strokeWidth": 1.4},
            "encoding": {"y": _axis("low", y_title), "y2": {"field": "high"}, "tooltip": tooltip},
        },
        {
            "mark": {"type": "point", "filled": True, "size": 52, "opacity": 1},
            "encoding": {"y": _axis("y", y_title), "shape": _shapes(names), "tooltip": tooltip},
        },
    ]
    alt = (
        f"Means of {y_title}"
        + (f" over {x_title}" if x_title else "")
        + (f" for {listing(names, 6)}" if len(names) > 1 else "")
        + "."
    )
    return frame({"data": {"values": values}, "encoding": encoding, "layer": layers}, alt, width, 250)


def apart(drawn: Drawn) -> Drawn:
    """A profile whose levels are not joined: those of a category have nothing between them."""
    vega, alt = drawn
    return {**vega, "layer": vega["layer"][1:]}, alt


def quoted(text: str) -> str:
    """A text as an expression of the drawing has it."""
    import json

    return json.dumps(text)


def quantiles(
    theory: Any, values: Any, rows: Any, x_title: str, y_title: str, *, size: tuple[int, int] = (210, 170)
) -> Drawn:
    """Sorted values against the quantiles of a normal distribution, with the line through the quartiles."""
    theory, values = np.asarray(theory, float), np.asarray(values, float)
    q = np.quantile(values, [0.25, 0.75]), np.quantile(theory, [0.25, 0.75])
    slope = (q[0][1] - q[0][0]) / (q[1][1] - q[1][0]) if q[1][1] > q[1][0] else 0.0
    start, end = float(theory[0]), float(theory[-1])
    line = (start, float(q[0][0] + slope * (start - q[1][0])), end, float(q[0][0] + slope * (end - q[1][0])))
    vega, _ = scatter([Cloud("values", theory, values, rows, line)], x_title, y_title, size=size)
    vega["config"] = config(7.5)
    alt = (
        f"Normal quantile plot of {y_title}: {counted(len(values), 'value')}; points on the line are as a normal"
        " distribution has them."
    )
    vega["description"] = alt
    return vega, alt


def curve(
    lines: Sequence[tuple[str, Any, Any]],
    x_title: str,
    y_title: str,
    *,
    mark: tuple[float, float] | None = None,
    high: float | None = None,
) -> Drawn:
    """Smooth lines, with one point picked out."""
    values = [
        {"x": float(a), "y": float(b), "group": name} for name, xs, ys in lines for a, b in zip(xs, ys, strict=True)
    ]
    y = _axis("y", y_title, 0, high) if high is not None else _axis("y", y_title)
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 2},
            "encoding": {"x": _axis("x", x_title), "y": y, "color": colours([n for n, _, _ in lines], None)},
        }
    ]
    if mark:
        layers.append(
            {
                "data": {"values": [{"x": mark[0], "y": mark[1]}]},
                "mark": {"type": "point", "filled": True, "size": 70, "color": colour(4), "opacity": 1},
                "encoding": {
                    "x": {"field": "x", "type": "quantitative"},
                    "y": {"field": "y", "type": "quantitative"},
                },
            }
        )
    alt = f"{y_title} over {x_title}" + (f", for {listing([n for n, _, _ in lines])}" if len(lines) > 1 else "") + "."
    return frame({"layer": layers}, alt, 330, 240)
