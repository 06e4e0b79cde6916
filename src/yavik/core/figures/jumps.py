"""Drawings around a cut-off: heaps of rows, means of bins with curves, estimates over windows."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import given, grouped, significant
from yavik.core.figures.plots import Drawn, colours, frame
from yavik.core.figures.style import MUTED, colour

SIDES = ("below", "at or above")


def _cut(at: float) -> dict[str, Any]:
    return {
        "data": {"values": [{"x": at}]},
        "mark": {"type": "rule", "strokeDash": [4, 3], "color": MUTED, "strokeWidth": 1.4},
        "encoding": {"x": {"field": "x", "type": "quantitative"}},
    }


def _x(title: str, low: float, high: float) -> dict[str, Any]:
    return {
        "field": "x", "type": "quantitative",
        "scale": {"domain": [low, high], "zero": False, "nice": False},
        "axis": {"title": title, "grid": False, "tickCount": 8},
    }  # fmt: skip


def heaps(
    edges: Sequence[tuple[float, float, int]], at: float, x_title: str, y_title: str = "Rows", width: int = 400
) -> Drawn:
    """Bars of fine bins, none of which straddles the cut-off.

    Args:
        edges: from, to and rows of each bin.
    """
    values = [
        {"x": a, "x2": b, "n": n, "group": SIDES[0] if b <= at + 1e-12 * max(abs(at), 1) else SIDES[1]}
        for a, b, n in edges
    ]
    x = _x(x_title, edges[0][0], edges[-1][1])
    bars = {
        "data": {"values": values},
        "mark": {"type": "rect", "stroke": "white", "strokeWidth": 0.4},
        "encoding": {
            "x": x, "x2": {"field": "x2"},
            "y": {"field": "n", "type": "quantitative", "axis": {"title": y_title, "tickCount": 4}},
            "y2": {"datum": 0},
            "color": colours(list(SIDES), None),
            "tooltip": [
                {"field": "x", "title": "from", "format": ".4~g"}, {"field": "x2", "title": "to", "format": ".4~g"},
                {"field": "n", "title": "rows"},
            ],
        },
    }  # fmt: skip
    below = sum(n for _, b, n in edges if b <= at + 1e-12 * max(abs(at), 1))
    above = sum(n for *_, n in edges) - below
    alt = f"{y_title} over {x_title} in {len(edges)} bins, {grouped(below)} below and {grouped(above)}"
    alt += f" above {given(at)}."
    return frame({"layer": [bars, _cut(at)]}, alt, width, 150)


def bin_means(
    points: Sequence[tuple[float, float, int]], curves: Sequence[tuple[Any, Any]], at: float, x_title: str,
    y_title: str,
    window: tuple[float, float], lines: Sequence[tuple[Any, Any]] = (), width: int = 400,
) -> Drawn:  # fmt: skip
    """Means of bins, a curve on each side, and the lines within the window.

    Args:
        points: middle, mean and rows of each bin. window: its ends, shaded.
        curves, lines: x and y of each side, left first.
    """
    dots = [{"x": a, "y": b, "n": n, "group": SIDES[int(a >= at)]} for a, b, n in points]
    drawn = [
        {"x": float(a), "y": float(b), "group": SIDES[side]}
        for side, (xs, ys) in enumerate(curves)
        for a, b in zip(xs, ys, strict=True)
    ]
    straight = [
        {"x": float(a), "y": float(b), "group": SIDES[side]}
        for side, (xs, ys) in enumerate(lines)
        for a, b in zip(xs, ys, strict=True)
    ]
    ends = [float(a) for a, _, _ in points] + [float(x) for xs, _ in curves for x in (xs[0], xs[-1])]
    x = _x(x_title, min([*ends, window[0]]), max([*ends, window[1]]))
    y = {"field": "y", "type": "quantitative", "scale": {"zero": False}, "axis": {"title": y_title, "tickCount": 5}}
    hue = {"color": colours(list(SIDES), None)}
    tooltip = [
        {"field": "x", "title": x_title, "format": ".4~g"}, {"field": "y", "title": y_title, "format": ".4~g"},
        {"field": "n", "title": "rows"},
    ]  # fmt: skip
    shade = {
        "data": {"values": [{"x": window[0], "x2": window[1]}]},
        "mark": {"type": "rect", "color": MUTED, "opacity": 0.1},
        "encoding": {"x": x, "x2": {"field": "x2"}},
    }
    layers: list[dict[str, Any]] = [
        shade,
        _cut(at),
        {
            "data": {"values": drawn},
            "mark": {"type": "line", "strokeWidth": 1.2, "opacity": 0.7},
            "encoding": {"x": x, "y": y, **hue},
        },
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 22, "opacity": 0.75},
            "encoding": {"x": x, "y": y, **hue, "tooltip": tooltip},
        },
    ]
    if straight:
        layers.append(
            {
                "data": {"values": straight},
                "mark": {"type": "line", "strokeWidth": 2.6},
                "encoding": {"x": x, "y": y, **hue},
            }
        )
    alt = f"Mean {y_title} in {len(dots)} bins of {x_title}, with a curve on each side of {given(at)}."
    return frame({"layer": layers}, alt, width, 260)


def over_windows(
    points: Sequence[tuple[float, float, float, float]], rules: Sequence[tuple[float, str]], x_title: str, y_title: str,
    width: int = 400,
) -> Drawn:  # fmt: skip
    """An estimate and its band over windows, with the windows of rules marked.

    Args:
        points: window, estimate, low and high. rules: window and name.
    """
    values = [{"x": a, "y": b, "low": c, "high": d} for a, b, c, d in points if np.isfinite([a, b, c, d]).all()]
    low, high = points[0][0], points[-1][0]
    marks = [{"x": w, "name": n} for w, n in rules if low <= w <= high]
    x = _x(x_title, low, high)
    y = {"type": "quantitative", "scale": {"zero": False}, "axis": {"title": y_title, "tickCount": 5}}
    layers: list[dict[str, Any]] = [
        {
            "mark": {"type": "area", "color": colour(0), "opacity": 0.16},
            "encoding": {"x": x, "y": {"field": "low", **y}, "y2": {"field": "high"}},
        },
        {
            "data": {"values": [{"y": 0}]},
            "mark": {"type": "rule", "strokeDash": [3, 3], "color": MUTED},
            "encoding": {"y": {"field": "y", **y}},
        },
        {
            "mark": {"type": "line", "strokeWidth": 2, "color": colour(0)},
            "encoding": {"x": x, "y": {"field": "y", **y}},
        },
        {
            "data": {"values": marks},
            "mark": {"type": "tick", "orient": "vertical", "thickness": 2, "size": 12, "color": colour(1), "yOffset": -6},
            "encoding": {
                "x": x, "y": {"value": "height"}, "tooltip": [
                    {"field": "name", "title": "rule"}, {"field": "x", "title": x_title, "format": ".4~g"},
                ],
            },
        },
    ]  # fmt: skip
    alt = f"{y_title} over {x_title} from {significant(low)} to {significant(high)}; marked: " + ", ".join(
        f"{n} {significant(w)}" for w, n in rules
    )
    return frame({"data": {"values": values}, "layer": layers}, alt + ".", width, 200)
