"""Drawings of items: eigenvalues in order, loadings, curves of answers and what they tell."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing, number, share
from yavik.core.figures.plots import Drawn, colours, frame, quoted
from yavik.core.figures.style import GRID, INK, MUTED, colour

MOST_SCREE = 20


def scree(eigenvalues: Any, limits: Any, m: int, width: int = 330) -> Drawn:
    """Eigenvalues in order beside those that chance gives, the line at 1, the chosen number filled."""
    shown = min(len(eigenvalues), MOST_SCREE)
    seen = [
        {"i": i + 1, "v": float(v), "line": "these data", "in": i < m, "s": number(float(v), 2)}
        for i, v in enumerate(eigenvalues[:shown])
    ]
    chance = [
        {"i": i + 1, "v": float(v), "line": "chance, 95th percentile", "s": number(float(v), 2)}
        for i, v in enumerate(limits[:shown])
        if np.isfinite(v)
    ]
    lines = ["these data", *(["chance, 95th percentile"] if chance else [])]
    x = {
        "field": "i", "type": "quantitative", "scale": {"domain": [0.5, shown + 0.5], "nice": False},
        "axis": {"title": "In order", "tickMinStep": 1, "format": "d", "grid": False, "tickCount": min(shown, 12)},
    }  # fmt: skip
    y = {"field": "v", "type": "quantitative", "axis": {"title": "Eigenvalue", "tickCount": 6}}
    tooltip = [
        {"field": "i", "title": "number"}, {"field": "s", "title": "eigenvalue"}, {"field": "line", "title": "of"},
    ]  # fmt: skip
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"y": 1}]},
            "mark": {"type": "rule", "color": MUTED, "strokeWidth": 0.8},
            "encoding": {"y": {"field": "y", "type": "quantitative"}},
        },
        {
            "data": {"values": chance},
            "mark": {"type": "line", "strokeDash": [4, 3]},
            "encoding": {"x": x, "y": y, "color": colours(lines, None, "line"), "tooltip": tooltip},
        },
        {
            "data": {"values": seen},
            "mark": {"type": "line"},
            "encoding": {"x": x, "y": y, "color": colours(lines, None, "line")},
        },
        {
            "data": {"values": seen},
            "mark": {"type": "point", "size": 50, "strokeWidth": 1.5},
            "encoding": {
                "x": x, "y": y, "color": colours(lines, None, "line"), "tooltip": tooltip,
                "fill": {"condition": {"test": "datum.in", "value": colour(0)}, "value": "transparent"},
            },
        },
    ]  # fmt: skip
    first = listing([number(float(v), 2) for v in eigenvalues[:4]], 4)
    alt = f"Eigenvalues in order, beginning {first}, with the line at 1 and those of chance; the first {m} are taken."
    return frame({"layer": layers}, alt, width, 190)


def loading_dots(items: Sequence[str], factors: Sequence[str], values: Any, below: float, width: int = 470) -> Drawn:
    """A row for each item with its loading on every factor; those hidden in the table are pale.

    Args:
        values: shape (items, factors). below: size under which loadings are hidden.
    """
    places = [f"{i + 1}" for i in range(len(items))]
    dots = [
        {
            "row": places[i], "item": items[i], "group": factors[j], "x": float(values[i][j]),
            "s": share(float(values[i][j])), "small": bool(abs(values[i][j]) < below),
        }
        for i in range(len(items))
        for j in range(len(factors))
    ]  # fmt: skip
    names = dict(zip(places, items, strict=True))
    top = max(1.0, float(np.max(values)) * 1.05)
    low = float(np.floor(min(0.0, float(np.min(values))) * 5) / 5)
    y = {
        "field": "row", "type": "nominal", "sort": places,
        "axis": {
            "title": None, "labelExpr": f"({quoted_map(names)})[datum.value]", "labelLimit": 230, "ticks": False,
            "domain": False, "gridColor": GRID, "grid": True,
        },
    }  # fmt: skip
    x = {
        "field": "x", "type": "quantitative", "scale": {"domain": [low, top], "nice": False},
        "axis": {"title": "Loading", "tickCount": 6, "grid": False},
    }  # fmt: skip
    band = [{"a": max(-below, low), "b": below}]
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": band},
            "mark": {"type": "rect", "color": GRID, "opacity": 0.5},
            "encoding": {"x": {"field": "a", "type": "quantitative"}, "x2": {"field": "b"}},
        },
        {
            "data": {"values": [{"x": 0}]},
            "mark": {"type": "rule", "color": MUTED, "strokeWidth": 0.8},
            "encoding": {"x": {"field": "x", "type": "quantitative"}},
        },
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 62},
            "encoding": {
                "x": x, "y": y, "color": colours(factors, None),
                "shape": {
                    "field": "group", "type": "nominal", "legend": None,
                    "scale": {"domain": list(factors), "range": [ORDER[i % len(ORDER)] for i in range(len(factors))]},
                },
                "opacity": {"condition": {"test": "datum.small", "value": 0.28}, "value": 1},
                "tooltip": [
                    {"field": "item", "title": "item"}, {"field": "group", "title": "on"},
                    {"field": "s", "title": "loading"},
                ],
            },
        },
    ]  # fmt: skip
    alt = f"Loadings of {counted(len(items), 'item')} on {listing(list(factors), 6)}; those below {share(below)} are"
    alt += " pale."
    return frame({"layer": layers}, alt, width, max(90, min(24 * len(items), 900)))


ORDER = ("circle", "square", "triangle-up", "diamond", "cross", "triangle-down")
"""Shapes of factors, so that they are told apart without colour."""


def quoted_map(names: dict[str, str]) -> str:
    """A lookup as an expression of the drawing has it."""
    return "{" + ", ".join(f"{quoted(k)}: {quoted(v)}" for k, v in names.items()) + "}"


def arrow_layers(ends: Any, items: Sequence[str], reach: float, paint: str = colour(0)) -> list[dict[str, Any]]:
    """Arrows from the middle with their names, which are moved apart where they would cover one another.

    Args:
        ends: shape (items, 2). reach: of the picture from its middle.
    """
    lines = [
        {
            "x": 0.0, "y": 0.0, "x2": float(a), "y2": float(b), "item": t,
            "turn": float(np.degrees(np.arctan2(a, b))),
        }
        for (a, b), t in zip(ends, items, strict=True)
    ]  # fmt: skip
    placed = []
    for side in ("left", "right"):
        own = [i for i in range(len(items)) if (float(ends[i][0]) >= 0) == (side == "left")]
        heights = apart([float(ends[i][1]) * 1.06 for i in own], reach * 0.085)
        step = 0.03 * reach * (1 if side == "left" else -1)
        placed += [
            {"x": float(ends[i][0]) + step, "y": y, "item": items[i], "side": side}
            for i, y in zip(own, heights, strict=True)
        ]
    return [
        {
            "data": {"values": lines},
            "mark": {"type": "rule", "strokeWidth": 1.6, "color": paint},
            "encoding": {
                "x": {"field": "x", "type": "quantitative"}, "y": {"field": "y", "type": "quantitative"},
                "x2": {"field": "x2"}, "y2": {"field": "y2"}, "tooltip": [{"field": "item", "title": "item"}],
            },
        },
        {
            "data": {"values": lines},
            "mark": {
                "type": "point", "shape": "triangle", "filled": True, "size": 60, "opacity": 1,
                "color": paint,
            },
            "encoding": {
                "x": {"field": "x2", "type": "quantitative"}, "y": {"field": "y2", "type": "quantitative"},
                "angle": {"field": "turn", "type": "quantitative", "scale": None},
            },
        },
        *(
            {
                "data": {"values": [v for v in placed if v["side"] == side]},
                "mark": {"type": "text", "align": side, "color": INK, "limit": 120},
                "encoding": {
                    "x": {"field": "x", "type": "quantitative"}, "y": {"field": "y", "type": "quantitative"},
                    "text": {"field": "item"},
                },
            }
            for side in ("left", "right")
        ),
    ]  # fmt: skip


def arrows(
    points: Any,
    rows: Any,
    ends: Any,
    items: Sequence[str],
    x_title: str,
    y_title: str,
    size: tuple[int, int] = (360, 300),
) -> Drawn:
    """Rows as points and items as arrows from the middle, which point where an item grows.

    Args:
        points: shape (n, 2). rows: their numbers. ends: shape (items, 2), of the arrows, on the points' scale.
    """
    dots = [
        {"x": float(a), "y": float(b), "row": int(r)}
        for (a, b), r in zip(np.asarray(points), np.asarray(rows), strict=True)
    ]
    reach = float(max(np.abs(points).max(initial=0.1), np.abs(ends).max(initial=0.1))) * 1.2

    def along(field: str, title: str) -> dict[str, Any]:
        """Both axes have one scale, so that angles are true."""
        return {
            "field": field, "type": "quantitative", "scale": {"domain": [-reach, reach], "nice": False},
            "axis": {"title": title, "tickCount": 6},
        }  # fmt: skip

    layers: list[dict[str, Any]] = [
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 16, "opacity": 0.4, "color": MUTED},
            "encoding": {
                "x": along("x", x_title), "y": along("y", y_title), "tooltip": [{"field": "row", "title": "row"}],
            },
        },
        *arrow_layers(ends, items, reach),
    ]  # fmt: skip
    alt = f"{counted(len(dots), 'row')} as points and {counted(len(items), 'item')} as arrows over {x_title} and"
    alt += f" {y_title}."
    return frame({"layer": layers}, alt, *size)


def apart(heights: Sequence[float], gap: float) -> list[float]:
    """Heights moved as little as need be so that none is nearer to another than ``gap``: labels that do not cover
    one another."""
    order = sorted(range(len(heights)), key=lambda i: heights[i])
    blocks: list[tuple[list[int], float]] = []  # members and the middle of each block of labels
    for i in order:
        blocks.append(([i], heights[i]))
        while len(blocks) > 1:
            (below, low), (above, high) = blocks[-2], blocks[-1]
            if high - low >= gap * (len(below) + len(above)) / 2:
                break
            both = below + above
            blocks[-2:] = [(both, sum(heights[k] for k in both) / len(both))]
    made = [0.0] * len(heights)
    for members, middle in blocks:
        for place, k in enumerate(members):
            made[k] = middle + gap * (place - (len(members) - 1) / 2)
    return made


def answer_curves(
    theta: Any, lines: Sequence[tuple[str, Any]], marks: Sequence[tuple[str, float]], y_title: str, top: float,
    width: int = 330, height: int = 220, key: bool = True,
) -> Drawn:  # fmt: skip
    """Curves over ability, each with its difficulties as triangles on the axis.

    Args:
        lines: name and values at ``theta``. marks: name of a line and where it is marked. top: of the upright axis.
            key: whether names
            of lines stand above.
    """
    names = [name for name, _ in lines]
    values = [
        {"x": float(x), "y": float(y), "line": name, "s": number(float(y), 2)}
        for name, ys in lines
        for x, y in zip(theta, ys, strict=True)
    ]
    low, high = float(theta[0]), float(theta[-1])
    x = {
        "field": "x", "type": "quantitative", "scale": {"domain": [low, high], "nice": False},
        "axis": {"title": "Ability", "tickCount": 9, "grid": False},
    }  # fmt: skip
    y = {
        "field": "y", "type": "quantitative", "scale": {"domain": [0, top], "nice": False},
        "axis": {"title": y_title, "tickCount": 6},
    }  # fmt: skip
    dash = {
        "field": "line", "type": "nominal", "legend": None,
        "scale": {"domain": names, "range": [DASHES[i // 5 % len(DASHES)] for i in range(len(names))]},
    }  # fmt: skip
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 2},
            "encoding": {
                "x": x, "y": y, "strokeDash": dash,
                "color": colours(names, None, "line") | ({} if key else {"legend": None}),
                "tooltip": [
                    {"field": "line", "title": " "}, {"field": "x", "title": "ability"},
                    {"field": "s", "title": "value"},
                ],
            },
        }
    ]  # fmt: skip
    shown = [{"x": at, "y": 0.0, "line": name} for name, at in marks if low <= at <= high]
    if shown:
        layers.append(
            {
                "data": {"values": shown},
                "mark": {
                    "type": "point", "shape": "triangle-up", "filled": True, "size": 75, "opacity": 1,
                    "yOffset": -4,
                },
                "encoding": {
                    "x": {"field": "x", "type": "quantitative"}, "y": {"field": "y", "type": "quantitative"},
                    "color": colours(names, None, "line"),
                    "tooltip": [
                        {"field": "line", "title": " "}, {"field": "x", "title": "difficulty", "format": ".2f"},
                    ],
                },
            }
        )  # fmt: skip
    alt = f"{y_title} over ability for {listing(names, 6)}"
    alt += ", difficulties marked on the axis." if shown else "."
    return frame({"layer": layers}, alt, width, height)


DASHES = ([1, 0], [6, 3], [2, 2])
"""Dashes of the second and third five lines, whose colours come again."""


def over_ability(theta: Any, values: Any, y_title: str, alt: str, *, area: bool = False, width: int = 250) -> Drawn:
    """One line over ability, or the area under it."""
    points = [
        {"x": float(x), "y": float(y), "s": number(float(y), 2)}
        for x, y in zip(theta, values, strict=True)
        if np.isfinite(y)
    ]
    mark = {"type": "area", "opacity": 0.35, "color": colour(1), "line": {"color": colour(1), "strokeWidth": 2}}
    layer = {
        "data": {"values": points},
        "mark": mark if area else {"type": "line", "strokeWidth": 2, "color": colour(0)},
        "encoding": {
            "x": {
                "field": "x", "type": "quantitative",
                "scale": {"domain": [float(theta[0]), float(theta[-1])], "nice": False},
                "axis": {"title": "Ability", "tickCount": 9, "grid": False},
            },
            "y": {
                "field": "y", "type": "quantitative", "scale": {"zero": True},
                "axis": {"title": y_title, "tickCount": 5},
            },
            "tooltip": [{"field": "x", "title": "ability"}, {"field": "s", "title": y_title}],
        },
    }  # fmt: skip
    return frame({"layer": [layer]}, alt, width, 160)
