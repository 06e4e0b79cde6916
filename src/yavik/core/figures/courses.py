"""Drawings over time: a series, and correlations by lag."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, number
from yavik.core.figures.plots import Drawn, frame, quoted
from yavik.core.figures.style import MUTED, colour

MOST_POINTS = 3000


def times_axis(
    places: Sequence[int], labels: Sequence[str], most: int, ends: tuple[int, int], title: str | None
) -> dict[str, Any]:
    """The encoding of evenly spaced times under ``i``, some of them told by their words.

    Args:
        places: steps; labels: their words; ends: of the axis.
    """
    at = sorted({int(v) for v in np.linspace(0, len(places) - 1, min(most, len(places)))})
    ticks = [int(places[k]) for k in at]
    shown = "[" + ", ".join(quoted(labels[k]) for k in at) + "]"
    return {
        "field": "i", "type": "quantitative", "scale": {"domain": list(ends), "nice": False, "zero": False},
        "axis": {
            "title": title, "values": ticks, "labelExpr": f"{shown}[indexof({ticks}, datum.value)]", "grid": False,
            "labelFlush": True, "labelOverlap": True,
        },
    }  # fmt: skip


def over_time(
    labels: Sequence[str],
    lines: Sequence[tuple[str, Any]],
    y_title: str,
    *,
    x_title: str | None = None,
    width: int = 470,
    height: int = 190,
    faint: Any = (),
) -> Drawn:
    """Values at evenly spaced times, told by their labels.

    Args:
        faint: places that were bridged, drawn pale. Long series are drawn by the lowest and highest of neighbouring
            points.
    """
    n = len(labels)
    pale = {int(i) for i in faint}
    values = []
    for name, ys in lines:
        for i in _kept(np.asarray(ys, float)):
            if np.isfinite(ys[i]):
                values.append(
                    {"i": int(i), "y": float(ys[i]), "t": labels[i], "line": name, "bridged": int(i) in pale}
                )
    x = times_axis(range(n), labels, 7 if width > 300 else 4, (0, max(n - 1, 1)), x_title)
    y = {"field": "y", "type": "quantitative", "scale": {"zero": False}, "axis": {"title": y_title, "tickCount": 5}}
    tooltip = [{"field": "t", "title": "time"}, {"field": "y", "title": y_title, "format": ".4~g"}]
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 1.4, "color": colour(0)},
            "encoding": {"x": x, "y": y},
        },
        {
            "data": {"values": [v for v in values if v["bridged"]]},
            "mark": {"type": "point", "size": 22, "color": MUTED},
            "encoding": {"x": x, "y": y, "tooltip": tooltip},
        },
        {
            "data": {"values": values},
            "mark": {"type": "point", "size": 40, "filled": True, "opacity": 0},
            "encoding": {"x": x, "y": y, "tooltip": tooltip},
        },
    ]
    ys = np.asarray(lines[0][1], float)
    alt = f"{y_title} at {counted(n, 'time')}, {labels[0]} to {labels[-1]}, from {number(float(np.nanmin(ys)), 1)} to"
    alt += f" {number(float(np.nanmax(ys)), 1)}."
    return frame({"layer": layers}, alt, width, height)


def _kept(y: Any) -> Any:
    """Places that are drawn: of long series the lowest and highest of each stretch."""
    n = len(y)
    if n <= MOST_POINTS:
        return range(n)
    width = -(-n // (MOST_POINTS // 2))
    rows = np.pad(y, (0, -n % width), mode="edge").reshape(-1, width)
    start = np.arange(len(rows)) * width
    low, high = (np.where(np.isnan(rows), far, rows) for far in (np.inf, -np.inf))
    both = np.concatenate([[0, n - 1], start + low.argmin(axis=1), start + high.argmax(axis=1)])
    return np.unique(np.minimum(both, n - 1)).tolist()


def bars_of_lags(values: Any, reach: Any, y_title: str, width: int = 250) -> Drawn:
    """A thin bar for each lag, with the band that unrelated points hardly leave; those that stand out are dark."""
    bars = [
        {
            "lag": k + 1,
            "y": float(v),
            "low": -float(r),
            "high": float(r),
            "out": bool(abs(v) > r),
            "s": number(float(v), 3),
        }
        for k, (v, r) in enumerate(zip(values, reach, strict=True))
    ]
    x = {
        "field": "lag", "type": "quantitative", "scale": {"domain": [0, len(bars) + 0.5], "nice": False},
        "axis": {"title": "Lag", "grid": False, "tickMinStep": 1, "format": "d"},
    }  # fmt: skip
    y = {"field": "y", "type": "quantitative", "axis": {"title": y_title, "tickCount": 5}}
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": bars},
            "mark": {"type": "area", "color": colour(1), "opacity": 0.18},
            "encoding": {"x": x, "y": {"field": "low", "type": "quantitative"}, "y2": {"field": "high"}},
        },
        {
            "data": {"values": [{"y": 0}]},
            "mark": {"type": "rule", "color": MUTED, "strokeWidth": 0.8},
            "encoding": {"y": {"field": "y", "type": "quantitative"}},
        },
        {
            "data": {"values": [{**b, "zero": 0.0} for b in bars]},
            "mark": {"type": "rule", "strokeWidth": 2.2},
            "encoding": {
                "x": x, "y": y, "y2": {"field": "zero"},
                "color": {"condition": {"test": "datum.out", "value": colour(0)}, "value": MUTED},
                "tooltip": [{"field": "lag", "title": "lag"}, {"field": "s", "title": y_title}],
            },
        },
    ]  # fmt: skip
    out = [str(b["lag"]) for b in bars if b["out"]]
    alt = f"{y_title} by lag, 1 to {len(bars)};"
    alt += f" {'lags ' + ', '.join(out[:10]) + ' stand out' if out else 'none stands out'}."
    return frame({"layer": layers}, alt, width, 150)
