"""From a Figure and a table to Vega-Lite, a caption and a text alternative.

Groups stand at 0, 1, 2 … on a numeric axis whose labels are the groups' words: boxes, seeded jitter, letters
and means then share one scale, and only summaries and the points that are shown leave the server.
"""

import json
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import Marks, Span
from yavik.core.answers.wording import interval, listing, number, plain, say
from yavik.core.figures.caption import write_caption
from yavik.core.figures.data import Grouped
from yavik.core.figures.describe import Figure
from yavik.core.figures.style import INK, PX_PER_MM, PX_PER_PT, colour, config, shape
from yavik.core.stats.groups import sorted_quantiles

MOST_POINTS = 2000


@dataclass
class Drawing:
    vega: dict[str, Any]
    caption: list[Span]
    own_caption: list[Span]
    """The caption that writes itself, whatever the researcher wrote."""
    alt: str
    levels: list[str] = field(default_factory=list)
    colours: dict[str, str] = field(default_factory=dict)


def draw(figure: Figure, data: Grouped, marks: Marks | None = None) -> Drawing:
    """Pure: the same figure, data and marks give the same drawing (jitter is seeded)."""
    boxes = _boxes(figure, data)
    low, high = _domain(figure, data, boxes)
    layers: list[dict[str, Any]] = []
    shown = 0
    if "box" in figure.show:
        layers += _box_layers(boxes)
    if "points" in figure.show:
        points, shown = _points(figure, data)
        layers.append(_point_layer(points, 0.75))
    elif "box" in figure.show:
        layers.append(_point_layer(_beyond(figure, data, boxes), 0.9))
    if "mean" in figure.show:
        layers += _mean_layers(figure, data)
    if marks and marks.letters and figure.letters:
        layers.append(_letters(figure, data, boxes, marks, high))
    if marks and marks.p and figure.p:
        layers.append(_p(figure, marks))
    own = write_caption(figure, data, marks, shown)
    k, long = data.groups.k, max(map(len, data.groups.names), default=0)
    room = (figure.width_mm * PX_PER_MM - 5 * figure.type_pt * PX_PER_PT) / k
    crowded = long * figure.type_pt * PX_PER_PT * 0.53 > room
    vega = {
        "$schema": "https://vega.github.io/schema/vega-lite/v6.json",
        "description": _alt(data),
        "width": round(figure.width_mm * PX_PER_MM),
        "height": round(figure.height_mm * PX_PER_MM),
        "padding": 4,
        "autosize": {"type": "fit", "contains": "padding"},
        "config": config(figure.type_pt),
        "encoding": {
            "x": {
                "type": "quantitative",
                "scale": {"domain": [-0.5, k - 0.5], "nice": False, "zero": False},
                "axis": {
                    "title": data.group if figure.x_title is None else figure.x_title or None,
                    "values": list(range(k)),
                    "labelExpr": f"{_words(data.groups.names)}[datum.value]",
                    "grid": False,
                    "ticks": False,
                    "labelAngle": -35 if crowded else 0,
                    "labelAlign": "right" if crowded else "center",
                    "labelLimit": 160,
                    "labelOverlap": k > 40,
                },
            },
            "y": {
                "type": "quantitative",
                "scale": {
                    "domain": [low, high],
                    "nice": figure.y_min is None and figure.y_max is None,
                    "zero": False,
                },
                "axis": {
                    "title": data.value_axis if figure.y_title is None else figure.y_title or None,
                    "tickCount": 7,
                },
            },
        },
        "layer": layers,
    }
    colours = {name: _colour(figure, i, name) for i, name in enumerate(data.groups.names)}
    caption = say(figure.caption) if figure.caption is not None else own
    return Drawing(vega, caption, own, _alt(data), list(data.groups.names), colours)


def _words(names: tuple[str, ...]) -> str:
    """Names as a Vega array literal; json escapes what could end a string."""
    return json.dumps(list(names))


def _colour(figure: Figure, index: int, name: str) -> str:
    return figure.colours.get(name, colour(index))


@dataclass(frozen=True)
class Box:
    x: int
    name: str
    q1: float
    median: float
    q3: float
    low: float
    high: float
    top: float
    bottom: float
    colour: str


def _boxes(figure: Figure, data: Grouped) -> list[Box]:
    out = []
    for i, ordered in enumerate(data.groups.ordered):
        q1, median, q3 = data.groups.quartiles[i]
        if figure.whiskers == "range":
            low, high = ordered[0], ordered[-1]
        elif figure.whiskers == "percentiles":
            low, high = sorted_quantiles(ordered, (figure.low_percentile / 100, figure.high_percentile / 100))
        else:
            inside = ordered[(ordered >= q1 - 1.5 * (q3 - q1)) & (ordered <= q3 + 1.5 * (q3 - q1))]
            low, high = inside[0], inside[-1]
        out.append(
            Box(
                i,
                data.groups.names[i],
                float(q1),
                float(median),
                float(q3),
                float(low),
                float(high),
                float(ordered[-1]),
                float(ordered[0]),
                _colour(figure, i, data.groups.names[i]),
            )
        )
    return out


def _domain(figure: Figure, data: Grouped, boxes: list[Box]) -> tuple[float, float]:
    only_means = figure.show == ["mean"]
    if only_means:
        spans = [_mean_of(figure, data, i) for i in range(data.groups.k)]
        low, high = min(s[1] for s in spans), max(s[2] for s in spans)
    else:
        low, high = min(b.bottom for b in boxes), max(b.top for b in boxes)
    spread = (high - low) or abs(high) or 1.0
    if low >= 0 and low < 0.6 * high:
        low = 0.0
    else:
        low -= 0.04 * spread
    # A fifth of a line above the highest value for letters, and one more line for p.
    high += spread * (0.16 if figure.marks_from or figure.letters else 0.06)
    return figure.y_min if figure.y_min is not None else low, figure.y_max if figure.y_max is not None else high


def _box_layers(boxes: list[Box]) -> list[dict[str, Any]]:
    values = [
        {
            "x0": b.x - 0.24,
            "x1": b.x + 0.24,
            "m0": b.x - 0.12,
            "m1": b.x + 0.12,
            "x": b.x,
            "q1": b.q1,
            "q3": b.q3,
            "median": b.median,
            "low": b.low,
            "high": b.high,
            "colour": b.colour,
            "group": b.name,
        }
        for b in boxes
    ]
    data = {"values": values}

    def rule(y: str, y2: str) -> dict[str, Any]:
        return {
            "data": data,
            "mark": {"type": "rule", "color": INK},
            "encoding": {"x": {"field": "x"}, "y": {"field": y}, "y2": {"field": y2}},
        }

    def bar(y: str, x: str, x2: str, width: float) -> dict[str, Any]:
        return {
            "data": data,
            "mark": {"type": "rule", "color": INK, "strokeWidth": width},
            "encoding": {"x": {"field": x}, "x2": {"field": x2}, "y": {"field": y}},
        }

    body = {
        "data": data,
        "mark": {"type": "rect", "fillOpacity": 0.22, "stroke": INK, "strokeWidth": 1},
        "encoding": {
            "x": {"field": "x0"},
            "x2": {"field": "x1"},
            "y": {"field": "q1"},
            "y2": {"field": "q3"},
            "fill": {"field": "colour", "type": "nominal", "scale": None},
        },
    }
    return [
        rule("low", "q1"),
        rule("q3", "high"),
        bar("low", "m0", "m1", 1),
        bar("high", "m0", "m1", 1),
        body,
        bar("median", "x0", "x1", 2),
    ]


def _points(figure: Figure, data: Grouped) -> tuple[list[dict[str, Any]], int]:
    """Points with seeded jitter; beyond ``MOST_POINTS`` a seeded random part of each group."""
    total = len(data.groups.y)
    values = []
    for i, seed in enumerate(np.random.SeedSequence(figure.seed).spawn(data.groups.k)):
        rng = np.random.default_rng(seed)
        part, rows = data.groups.part(i), data.groups.part_rows(i)
        if total > MOST_POINTS:
            take = np.sort(rng.choice(len(part), max(1, round(len(part) * MOST_POINTS / total)), replace=False))
            part, rows = part[take], rows[take]
        place = i + (rng.random(len(part)) - 0.5) * figure.jitter
        name, fill = data.groups.names[i], _colour(figure, i, data.groups.names[i])
        values += [
            {"x": round(float(x), 4), "y": float(y), "row": int(r), "group": name, "colour": fill, "shape": shape(i)}
            for x, y, r in zip(place, part, rows, strict=True)
        ]
    return values, len(values)


def _beyond(figure: Figure, data: Grouped, boxes: list[Box]) -> list[dict[str, Any]]:
    """Values outside the whiskers, drawn where the points themselves are not."""
    values = []
    for b in boxes:
        part, rows = data.groups.part(b.x), data.groups.part_rows(b.x)
        out = np.flatnonzero((part < b.low) | (part > b.high))[:500]
        values += [
            {
                "x": b.x,
                "y": float(part[j]),
                "row": int(rows[j]),
                "group": b.name,
                "colour": b.colour,
                "shape": shape(b.x),
            }
            for j in out
        ]
    return values


def _point_layer(values: list[dict[str, Any]], opacity: float) -> dict[str, Any]:
    return {
        "data": {"values": values},
        "mark": {"type": "point", "filled": True, "size": 14, "opacity": opacity},
        "encoding": {
            "x": {"field": "x"},
            "y": {"field": "y"},
            "color": {"field": "colour", "type": "nominal", "scale": None},
            "shape": {"field": "shape", "type": "nominal", "scale": None},
            "tooltip": [
                {"field": "group", "type": "nominal"},
                {"field": "y", "type": "quantitative", "title": "value"},
                {"field": "row", "type": "quantitative"},
            ],
        },
    }


def _mean_of(figure: Figure, data: Grouped, i: int) -> tuple[float, float, float]:
    """Mean with the ends of its bar; a group of one has no bar."""
    mean, n = float(data.groups.means[i]), int(data.groups.n[i])
    if n < 2 or figure.interval == "none":
        return mean, mean, mean
    sd = float(np.sqrt(data.groups.variances[i]))
    reach = {"sd": sd, "se": sd / np.sqrt(n)}.get(figure.interval)
    if reach is None:
        reach = float(stats.t.isf((1 - figure.level) / 2, n - 1)) * sd / np.sqrt(n)
    return mean, mean - reach, mean + reach


def _mean_layers(figure: Figure, data: Grouped) -> list[dict[str, Any]]:
    values = []
    for i, name in enumerate(data.groups.names):
        mean, low, high = _mean_of(figure, data, i)
        values.append(
            {
                "x": i,
                "mean": mean,
                "low": low,
                "high": high,
                "m0": i - 0.07,
                "m1": i + 0.07,
                "colour": _colour(figure, i, name),
            }
        )
    source = {"values": values}
    line = {"type": "rule", "color": INK, "strokeWidth": 1.5}
    layers: list[dict[str, Any]] = []
    if figure.interval != "none":
        layers.append(
            {
                "data": source,
                "mark": line,
                "encoding": {"x": {"field": "x"}, "y": {"field": "low"}, "y2": {"field": "high"}},
            }
        )
        for end in ("low", "high"):
            layers.append(
                {
                    "data": source,
                    "mark": line,
                    "encoding": {"x": {"field": "m0"}, "x2": {"field": "m1"}, "y": {"field": end}},
                }
            )
    layers.append(
        {
            "data": source,
            "mark": {
                "type": "point",
                "filled": True,
                "shape": "diamond",
                "size": 70,
                "stroke": INK,
                "strokeWidth": 1,
                "opacity": 1,
            },
            "encoding": {
                "x": {"field": "x"},
                "y": {"field": "mean"},
                "fill": {"field": "colour", "type": "nominal", "scale": None},
            },
        }
    )
    return layers


def _letters(figure: Figure, data: Grouped, boxes: list[Box], marks: Marks, high: float) -> dict[str, Any]:
    def top(b: Box) -> float:
        if figure.show == ["mean"]:
            return _mean_of(figure, data, b.x)[2]
        return b.top if "points" in figure.show or "box" in figure.show else b.high

    values = [{"x": b.x, "y": min(top(b), high), "text": marks.letters.get(b.name, "")} for b in boxes]
    return {
        "data": {"values": values},
        "mark": {"type": "text", "dy": -9, "fontWeight": 700, "fontSize": round(figure.type_pt * PX_PER_PT * 1.1, 2)},
        "encoding": {"x": {"field": "x"}, "y": {"field": "y"}, "text": {"field": "text", "type": "nominal"}},
    }


def _p(figure: Figure, marks: Marks) -> dict[str, Any]:
    return {
        "data": {"values": [{"text": plain(marks.p)}]},
        "mark": {"type": "text", "align": "right", "baseline": "top", "fontStyle": "italic", "dx": -2, "dy": 0},
        "encoding": {"x": {"value": "width"}, "y": {"value": 0}, "text": {"field": "text", "type": "nominal"}},
    }


def _alt(data: Grouped) -> str:
    """The picture in words: for those who do not see it, and for the document's image."""
    d = data.decimals + (1 if data.decimals < 2 else 0)
    parts = []
    for i, name in enumerate(data.groups.names[:12]):
        q1, median, q3 = data.groups.quartiles[i]
        parts.append(
            f"{name}: n {data.groups.n[i]}, median {number(float(median), d)}, quartiles {interval(float(q1), float(q3), d)}"
        )
    if data.groups.k > 12:
        parts.append(f"and {data.groups.k - 12} more groups")
    return f"{data.value_axis} by {data.group}. {listing(parts, 20)}."
