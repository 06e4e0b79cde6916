"""Drawings of changes: courses of groups over periods with what would have come, and estimates before and after."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import listing, significant
from yavik.core.figures.plots import Drawn, colours, frame, quoted
from yavik.core.figures.style import MUTED, colour


@dataclass(frozen=True)
class Course:
    """Means of one group; NaN where a period has none. ``expected``: as it would have gone, NaN elsewhere."""

    name: str
    y: Sequence[float]
    low: Sequence[float]
    high: Sequence[float]
    expected: Sequence[float] = ()


def courses(
    lines: Sequence[Course], periods: Sequence[str], x_title: str, y_title: str, at: float | None, width: int = 400
) -> Drawn:  # fmt: skip
    """Lines over periods, a dashed one for what a group would have done, and the place of the change."""
    values: list[dict[str, Any]] = []
    dashed: list[dict[str, Any]] = []
    apart = min(0.12, 0.5 / max(len(lines), 1))
    for place, line in enumerate(lines):
        aside = (place - (len(lines) - 1) / 2) * apart  # intervals side by side, not over each other
        for i, (y, low, high) in enumerate(zip(line.y, line.low, line.high, strict=True)):
            if np.isfinite(y):
                known = np.isfinite(low) and np.isfinite(high)
                ends = (float(low), float(high)) if known else (float(y), float(y))
                values.append(
                    {
                        "x": i + aside,
                        "period": periods[i],
                        "y": float(y),
                        "low": ends[0],
                        "high": ends[1],
                        "group": line.name,
                    }
                )
        for i, y in enumerate(line.expected):
            if np.isfinite(y):
                dashed.append({"x": i + aside, "y": float(y), "group": line.name})
    x = _period_axis(periods, x_title, width)
    y_of: dict[str, Any] = {
        "type": "quantitative",
        "scale": {"zero": False},
        "axis": {"title": y_title, "tickCount": 5},
    }
    by_group = {"color": colours([line.name for line in lines], None)}
    tooltip = [
        {"field": "period", "title": x_title}, {"field": "group", "title": "group"},
        {"field": "y", "title": y_title, "format": ".4~g"},
    ]  # fmt: skip
    layers: list[dict[str, Any]] = []
    if at is not None:
        rule = {
            "mark": {"type": "rule", "strokeDash": [2, 3], "color": MUTED},
            "encoding": {"x": {"field": "x", **x}},
        }
        layers.append({"data": {"values": [{"x": at}]}, **rule})
    layers += [
        {"mark": {"type": "line", "strokeWidth": 1.7}, "encoding": {"y": {"field": "y", **y_of}, **by_group}},
        {
            "mark": {"type": "rule", "strokeWidth": 1.2},
            "encoding": {"y": {"field": "low", **y_of}, "y2": {"field": "high"}, **by_group},
        },
        {
            "mark": {"type": "point", "filled": True, "size": 42, "opacity": 1},
            "encoding": {"y": {"field": "y", **y_of}, **by_group, "tooltip": tooltip},
        },
    ]
    if dashed:
        layers.append(
            {
                "data": {"values": dashed},
                "mark": {"type": "line", "strokeWidth": 1.7, "strokeDash": [5, 4], "opacity": 0.8},
                "encoding": {"x": {"field": "x", **x}, "y": {"field": "y", **y_of}, **by_group},
            }
        )
    vega = {"data": {"values": values}, "encoding": {"x": {"field": "x", **x}}, "layer": layers}
    more = "; dashed, as the treated would have gone" if dashed else ""
    return frame(vega, f"{y_title} over {x_title} for {listing([line.name for line in lines], 6)}{more}.", width, 250)


def _period_axis(periods: Sequence[str], title: str, width: int) -> dict[str, Any]:
    n = len(periods)
    room = max(1, width // (9 + 6 * max(len(p) for p in periods)))
    shown = list(range(0, n, max(1, -(-n // room))))
    words = "[" + ",".join(quoted(p) for p in periods) + "]"
    return {
        "type": "quantitative",
        "scale": {"domain": [-0.4, n - 0.6], "nice": False, "zero": False},
        "axis": {
            "title": title,
            "values": shown,
            "labelExpr": f"{words}[datum.value]",
            "grid": False,
            "labelLimit": 120,
        },
    }


@dataclass(frozen=True)
class Around:
    """An estimate at a distance from the start."""

    at: int
    estimate: float
    low: float
    high: float


def around_start(points: Sequence[Around], x_title: str, y_title: str, width: int = 400) -> Drawn:
    """Estimates before and after the start with their intervals, the zero line, and the period that they are of."""
    values = [
        {
            "x": p.at,
            "y": p.estimate,
            "when": "before" if p.at < 0 else "after",
            "low": p.low if np.isfinite(p.low) else p.estimate,
            "high": p.high if np.isfinite(p.high) else p.estimate,
        }
        for p in points
    ]
    lags = [p.at for p in points]
    x = {
        "field": "x", "type": "quantitative",
        "scale": {"domain": [min(lags) - 0.6, max(lags) + 0.6], "nice": False, "zero": False},
        "axis": {"title": x_title, "grid": False, "format": "d", "tickMinStep": 1},
    }  # fmt: skip
    y: dict[str, Any] = {"type": "quantitative", "scale": {"zero": True}, "axis": {"title": y_title, "tickCount": 5}}
    own = {
        "color": {
            "field": "when",
            "type": "nominal",
            "scale": {"domain": ["before", "after"], "range": [colour(1), colour(0)]},
            "legend": None,
        }
    }
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"y": 0}]},
            "mark": {"type": "rule", "color": MUTED},
            "encoding": {"y": {"field": "y", **y}},
        },
        {
            "data": {"values": [{"x": -0.5}]},
            "mark": {"type": "rule", "strokeDash": [2, 3], "color": MUTED},
            "encoding": {"x": x},
        },
        {
            "mark": {"type": "rule", "strokeWidth": 1.4},
            "encoding": {"x": x, "y": {"field": "low", **y}, "y2": {"field": "high"}, **own},
        },
        {
            "mark": {"type": "point", "filled": True, "size": 46, "opacity": 1},
            "encoding": {"x": x, "y": {"field": "y", **y}, **own},
        },
    ]
    alt = (
        f"{y_title} by {x_title.lower()}: "
        + listing([f"{p.at}: {significant(p.estimate)}" for p in points], 12)
        + "."
    )
    return frame({"data": {"values": values}, "layer": layers}, alt, width, 220)
