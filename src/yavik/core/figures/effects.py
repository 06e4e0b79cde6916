"""Drawings of models: curves with their bands, the ROC curve, calibration."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.figures.layers import MOST_POINTS, brief
from yavik.core.figures.plots import Cloud, Drawn, colours, frame, thin
from yavik.core.figures.style import MUTED, colour


@dataclass(frozen=True)
class Band:
    """A curve with its interval over an axis."""

    name: str
    x: Any
    y: Any
    low: Any
    high: Any


def bands(
    curves: Sequence[Band], x_title: str, y_title: str, legend: str | None, *, clouds: Sequence[Cloud] = (),
    size: tuple[int, int] = (330, 250), span: tuple[float, float] | None = None, type_pt: float = 8.5,
) -> Drawn:  # fmt: skip
    """Curves with bands, over points where there are some; ``span`` fixes the upright axis."""
    names = [c.name for c in curves]
    values = [
        {"x": brief(x), "y": brief(y), "low": brief(lo), "high": brief(hi), "group": c.name}
        for c in curves
        for x, y, lo, hi in zip(c.x, c.y, c.low, c.high, strict=True)
    ]
    scale: dict[str, Any] = {"zero": False}
    if span:
        scale = {"domain": list(span), "nice": False}
    y_axis = {"type": "quantitative", "scale": scale, "axis": {"title": y_title, "tickCount": 5}}
    encoding = {
        "x": {
            "field": "x",
            "type": "quantitative",
            "scale": {"zero": False, "nice": False},
            "axis": {"title": x_title, "tickCount": 5, "grid": False},
        },
    }
    shown = colours(names, legend)
    if shown["legend"]:  # the areas are pale, what stands for them need not be
        shown["legend"] |= {"symbolOpacity": 1, "symbolStrokeWidth": 0}
    by_group = {"color": shown}
    layers: list[dict[str, Any]] = []
    points = _points(clouds)
    if points:
        layers.append(
            {
                "data": {"values": points},
                "mark": {"type": "point", "filled": True, "size": 20, "opacity": 0.5 if len(points) < 600 else 0.3},
                "encoding": {
                    **by_group,
                    "y": {"field": "y", **y_axis},
                    "tooltip": [
                        {"field": "row", "title": "row"},
                        {"field": "x", "title": x_title},
                        {"field": "y", "title": y_title},
                        *([{"field": "group", "title": legend or "group"}] if len(names) > 1 else []),
                    ],
                },
            }
        )
    layers += [
        {
            "data": {"values": values},
            "mark": {"type": "area", "opacity": 0.16},
            "encoding": {**by_group, "y": {"field": "low", **y_axis}, "y2": {"field": "high"}},
        },
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 2},
            "encoding": {
                **by_group,
                "y": {"field": "y", **y_axis},
                "tooltip": [
                    {"field": "x", "title": x_title, "format": ".4~g"},
                    {"field": "y", "title": y_title, "format": ".4~g"},
                    {"field": "low", "title": "from", "format": ".4~g"},
                    {"field": "high", "title": "to", "format": ".4~g"},
                ],
            },
        },
    ]
    alt = f"{y_title} over {x_title}" + (f" for {listing(names, 8)}" if len(names) > 1 else "") + ", with bands"
    alt += f", and {counted(len(points), 'row')} as points." if points else "."
    return frame({"encoding": encoding, "layer": layers}, alt, *size, type_pt)


def _points(clouds: Sequence[Cloud]) -> list[dict[str, Any]]:
    share = max(1, MOST_POINTS // max(len(clouds), 1))
    out = []
    for c in clouds:
        kept = thin(len(c.x), share)
        x, y, rows = (np.asarray(v)[kept] for v in (c.x, c.y, c.rows))
        out += [
            {"x": float(a), "y": float(b), "row": int(r), "group": c.name} for a, b, r in zip(x, y, rows, strict=True)
        ]
    return out


def roc_curve(false_alarms: Any, sensitivity: Any, at: tuple[float, float] | None, area: str) -> Drawn:
    """The share of yes found over the share of no taken for yes; the point is the cut-off in use."""
    kept = np.unique(np.linspace(0, len(false_alarms) - 1, min(len(false_alarms), 161)).astype(int))
    values = [{"x": brief(false_alarms[i]), "y": brief(sensitivity[i])} for i in kept]
    axis = {"type": "quantitative", "scale": {"domain": [0, 1]}}
    x = {
        "field": "x",
        **axis,
        "axis": {"title": "No, taken for yes (1 − specificity)", "tickCount": 5, "grid": False},
    }
    y = {"field": "y", **axis, "axis": {"title": "Yes, found (sensitivity)", "tickCount": 5}}
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"x": 0, "y": 0}, {"x": 1, "y": 1}]},
            "mark": {"type": "line", "strokeDash": [3, 3], "strokeWidth": 1, "color": MUTED},
            "encoding": {"x": x, "y": y},
        },
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 2, "color": colour(0), "interpolate": "linear"},
            "encoding": {"x": x, "y": y},
        },
    ]
    if at:
        layers.append(
            {
                "data": {"values": [{"x": at[0], "y": at[1]}]},
                "mark": {"type": "point", "filled": True, "size": 70, "color": colour(4), "opacity": 1},
                "encoding": {"x": x, "y": y},
            }
        )
    return frame({"layer": layers}, f"ROC curve: {area}.", 220, 200, 7.5)


def calibration(expected: Any, seen: Any, low: Any, high: Any, title: str) -> Drawn:
    """Share of yes that was seen over the probability that was said, with intervals, and the line of perfect
    agreement."""
    values = [
        {"x": float(a), "y": float(b), "low": float(c), "high": float(d)}
        for a, b, c, d in zip(expected, seen, low, high, strict=True)
    ]
    axis = {"type": "quantitative", "scale": {"domain": [0, 1]}}
    x = {"field": "x", **axis, "axis": {"title": "Said by the model", "tickCount": 5, "grid": False}}
    y_axis = {"title": "Seen", "tickCount": 5}
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"x": 0, "y": 0}, {"x": 1, "y": 1}]},
            "mark": {"type": "line", "strokeDash": [3, 3], "strokeWidth": 1, "color": MUTED},
            "encoding": {"x": x, "y": {"field": "y", **axis, "axis": y_axis}},
        },
        {
            "data": {"values": values},
            "mark": {"type": "rule", "color": colour(0)},
            "encoding": {"x": x, "y": {"field": "low", **axis, "axis": y_axis}, "y2": {"field": "high"}},
        },
        {
            "data": {"values": values},
            "mark": {"type": "point", "filled": True, "size": 45, "color": colour(0), "opacity": 1},
            "encoding": {"x": x, "y": {"field": "y", **axis, "axis": y_axis}},
        },
    ]
    return frame({"layer": layers}, f"{title}: {counted(len(values), 'group')} of rows.", 220, 200, 7.5)


def probabilities(said: Any, yes: Any, event: str, other: str) -> Drawn:
    """Probabilities that a model says, as shares of the rows with an event (upwards) and without (downwards).

    Args:
        said: shape (n,), from 0 to 1; yes: shape (n,), whether the event was seen.
    """
    edges = np.linspace(0, 1, 26)
    values = []
    for name, own, way in ((event, said[yes], 1), (other, said[~yes], -1)):
        shares = np.histogram(own, edges)[0] / max(len(own), 1)
        values += [
            {"a": brief(a), "b": brief(b), "share": brief(way * s), "told": brief(s), "group": f"Seen {name}"}
            for a, b, s in zip(edges, edges[1:], shares, strict=False)
            if s > 0
        ]
    x = {
        "field": "a", "bin": "binned", "type": "quantitative", "scale": {"domain": [0, 1]},
        "axis": {"title": f"Probability of {event}", "tickCount": 5, "grid": False},
    }  # fmt: skip
    shares_axis = {"title": "Share of its rows", "tickCount": 5, "labelExpr": "format(abs(datum.value), '.0%')"}
    encoding = {
        "x": x,
        "x2": {"field": "b"},
        "y": {"field": "share", "type": "quantitative", "stack": None, "axis": shares_axis},
        "color": colours([f"Seen {event}", f"Seen {other}"], None),
        "tooltip": [
            {"field": "a", "title": "from"},
            {"field": "b", "title": "to"},
            {"field": "told", "title": "share of its rows", "format": ".1%"},
            {"field": "group", "title": "rows"},
        ],
    }
    mark = {"type": "bar", "binSpacing": 0.5}
    alt = f"Probability of {event} for rows seen {event}, upwards, and for rows seen {other}, downwards."
    return frame({"data": {"values": values}, "mark": mark, "encoding": encoding}, alt, 220, 200, 7.5)


def seen_and_expected(names: Sequence[str], seen: Any, expected: Any, title: str) -> Drawn:
    """Rows with each count as bars, and as a model expects them as joined points."""
    values = [{"x": n, "n": int(s), "e": brief(e)} for n, s, e in zip(names, seen, expected, strict=True)]
    x = {
        "field": "x", "type": "ordinal", "sort": None,
        "axis": {"title": title, "labelAngle": 0, "labelOverlap": True, "grid": False, "domain": True},
    }  # fmt: skip
    rows = {"type": "quantitative", "axis": {"title": "Rows", "tickCount": 4}}
    told = [
        {"field": "x", "title": "count"},
        {"field": "n", "title": "rows seen"},
        {"field": "e", "title": "expected", "format": ".1f"},
    ]
    layers = [
        {"mark": {"type": "bar", "color": colour(1), "opacity": 0.55}, "encoding": {"x": x, "y": {"field": "n", **rows}, "tooltip": told}},
        {"mark": {"type": "line", "color": MUTED, "point": {"filled": True, "size": 28, "color": MUTED}, "strokeWidth": 1.2}, "encoding": {"x": x, "y": {"field": "e", **rows}, "tooltip": told}},
    ]  # fmt: skip
    alt = f"Rows with each count of {title.lower()} as bars, expected ones as points: {counted(len(names), 'count')}."
    return frame({"data": {"values": values}, "layer": layers}, alt, 260, 190, 7.5)
