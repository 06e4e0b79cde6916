"""Drawings of tables: shaded squares for correlations, divided bars for counts."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import grouped, listing
from yavik.core.figures.plots import Drawn, colours, frame, quoted
from yavik.core.figures.style import GRID, INK, colour


def heat(names: Sequence[str], r: Any, texts: Sequence[Sequence[str]], alt: str) -> Drawn:
    """A square per pair, shaded by strength: one colour for each direction, white at none."""
    k = len(names)
    side = 42 if k <= 10 else max(13, 520 // k)
    values = [
        {"a": names[i], "b": names[j], "r": float(r[i][j]), "s": texts[i][j]}
        for i in range(k)
        for j in range(i)
        if np.isfinite(r[i][j])
    ]
    axis = {"title": None, "labelLimit": 150, "ticks": False, "domain": False, "grid": False, "labelOverlap": False}
    if k > 16:
        axis |= {"labelFontSize": 9, "labelLimit": 110}
    below, beside = list(names[:-1]), list(names[1:])
    encoding = {
        "x": {
            "field": "b",
            "type": "nominal",
            "sort": below,
            "axis": {**axis, "labelAngle": -40 if k <= 16 else -90},
        },
        "y": {"field": "a", "type": "nominal", "sort": beside, "axis": axis},
    }
    layers: list[dict[str, Any]] = [
        {
            "mark": {"type": "rect", "stroke": GRID, "strokeWidth": 0.5},
            "encoding": {
                "color": {
                    "field": "r",
                    "type": "quantitative",
                    "scale": {"domain": [-1, 0, 1], "range": [colour(2), "#fbfaf7", colour(0)], "interpolate": "rgb"},
                    "legend": {
                        "title": None,
                        "orient": "right",
                        "gradientLength": 100,
                        "values": [-1, 0, 1],
                        "labelColor": INK,
                    },
                },
                "tooltip": [
                    {"field": "a", "title": "column"},
                    {"field": "b", "title": "with"},
                    {"field": "s", "title": "correlation"},
                ],
            },
        }
    ]
    if k <= 12:
        layers.append(
            {
                "mark": {"type": "text", "fontSize": 10.5},
                "encoding": {
                    "text": {"field": "s"},
                    "color": {"condition": {"test": "abs(datum.r) > 0.6", "value": "#ffffff"}, "value": "#20242f"},
                },
            }
        )
    return frame(
        {"data": {"values": values}, "encoding": encoding, "layer": layers},
        alt,
        side * (k - 1),
        max(60, int(side * (k - 1) * 0.8)),
    )


def shares(rows: Sequence[str], columns: Sequence[str], counts: Any, row_title: str, legend: str) -> Drawn:
    """A bar per row divided by the shares of the columns; its height follows the row's own count, so area is
    count."""
    counts = np.asarray(counts, float)
    totals = counts.sum(axis=1)
    heights = 26 * len(rows) * totals / max(totals.sum(), 1)
    values, top = [], 0.0
    room = 6 * len(rows)
    for i, name in enumerate(rows):
        tall = max(float(heights[i]), 2.0)
        left = 0.0
        for j, column in enumerate(columns):
            part = float(100 * counts[i, j] / totals[i]) if totals[i] else 0.0
            if part > 0:
                values.append(
                    {
                        "a": left,
                        "b": left + part,
                        "top": top,
                        "low": top + tall,
                        "row": name,
                        "level": column,
                        "n": int(counts[i, j]),
                        "share": f"{part:.1f}%",
                    }
                )
            left += part
        top += tall + 6
    middles: dict[str, float] = {}
    for v in values:
        middles[str(v["row"])] = (v["top"] + v["low"]) / 2  # type: ignore[operator]
    words = "{" + ",".join(f"'{round(m)}':{quoted(n)}" for n, m in middles.items()) + "}"
    encoding = {
        "x": {
            "field": "a",
            "type": "quantitative",
            "scale": {"domain": [0, 100]},
            "axis": {"title": f"Share of {legend} (%)", "tickCount": 5},
        },
        "x2": {"field": "b"},
        "y": {
            "field": "top",
            "type": "quantitative",
            "scale": {"domain": [top, 0], "nice": False, "zero": False},
            "axis": {
                "title": row_title,
                "values": [round(m) for m in middles.values()],
                "labelExpr": f"{words}[datum.value]",
                "grid": False,
                "ticks": False,
                "domain": False,
                "labelLimit": 150,
            },
        },
        "y2": {"field": "low"},
        "color": colours(list(columns), None, "level"),
        "tooltip": [
            {"field": "row", "title": row_title},
            {"field": "level", "title": legend},
            {"field": "n", "title": "rows"},
            {"field": "share", "title": "of its row"},
        ],
    }
    said = [
        f"{name}: {listing([f'{c} {grouped(int(counts[i, j]))}' for j, c in enumerate(columns)], 8)}"
        for i, name in enumerate(rows)
    ]
    alt = f"Shares of {legend} within each {row_title}. " + "; ".join(said[:12]) + "."
    mark = {"type": "rect", "stroke": "#ffffff", "strokeWidth": 1}
    return frame(
        {"data": {"values": values}, "mark": mark, "encoding": encoding}, alt, 330, int(heights.sum() + room) + 10
    )
