"""Small pictures inside answers: a column's histogram or its levels as bars, per group where there are groups."""

from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, grouped, listing, number
from yavik.core.figures.style import INK, colour, config
from yavik.core.stats.groups import Groups, sorted_quantiles
from yavik.core.table import Column

WIDTH, HEIGHT = 210, 120


def _frame(vega: dict[str, Any], alt: str) -> dict[str, Any]:
    return {
        "$schema": "https://vega.github.io/schema/vega-lite/v6.json",
        "description": alt,
        "width": WIDTH,
        "height": HEIGHT,
        "padding": 2,
        "config": config(7.5),
        **vega,
    }


def bin_edges(values: Any) -> Any:
    """For sorted values: Freedman and Diaconis' (1981) width, held between 5 and 40 bins; whole-number columns get
    whole-number bins."""
    low, high, n = values[0], values[-1], len(values)
    if low == high:
        return np.array([low - 0.5, high + 0.5])
    q1, q3 = sorted_quantiles(values, (0.25, 0.75))
    width = 2 * (q3 - q1) / n ** (1 / 3) or (high - low) / 10
    bins = int(np.clip(np.ceil((high - low) / width), 5, 40))
    if np.all(values[:1000] == np.floor(values[:1000])) and high - low < 2000:
        step = max(1, int(np.ceil((high - low + 1) / bins)))
        return np.arange(low - 0.5, high + step, step)
    return np.linspace(low, high, bins + 1)


def histogram(column: Column, groups: Groups, about: float | None = None) -> tuple[dict[str, Any], str]:
    """One histogram, or one row of it per group on a common axis, which reaches to ``about`` where that lies near."""
    edges = bin_edges(groups.ordered[0] if groups.k == 1 else np.sort(np.concatenate(groups.ordered)))
    values = []
    for i, name in enumerate(groups.names):
        ends = np.searchsorted(groups.ordered[i], edges[1:-1], side="left")  # the last bin holds its upper end
        counts = np.diff(np.concatenate([[0], ends, [len(groups.ordered[i])]]))
        values += [
            {"a": float(a), "b": float(b), "n": int(c), "group": name, "colour": colour(i)}
            for a, b, c in zip(edges, edges[1:], counts, strict=False)
        ]
    many = groups.k > 1
    unit: dict[str, Any] = {
        "mark": {"type": "bar", "binSpacing": 0.5},
        "encoding": {
            "x": {
                "field": "a",
                "bin": "binned",
                "type": "quantitative",
                "axis": {"title": column.axis_title, "tickCount": 5, "grid": False},
            },
            "x2": {"field": "b"},
            "y": {
                "field": "n",
                "type": "quantitative",
                "axis": {"title": None if many else "Rows", "tickCount": 2 if many else 4},
            },
            "color": {"field": "colour", "type": "nominal", "scale": None},
            "tooltip": [
                {"field": "a", "title": "from"},
                {"field": "b", "title": "to"},
                {"field": "n", "title": "rows"},
            ],
        },
    }
    reach = float(edges[-1] - edges[0])
    if about is not None and -reach < about - edges[0] < 2 * reach:
        ends_ = [min(float(edges[0]), about), max(float(edges[-1]), about)]
        unit["encoding"]["x"]["scale"] = {"domain": ends_, "nice": True}
    alt = (
        f"Histogram of {column.axis_title}: {counted(len(groups.y), 'value')} from"
        f" {number(float(groups.y.min()), column.decimals)} to {number(float(groups.y.max()), column.decimals)}."
    )
    if many:
        height = max(26, min(60, 180 // groups.k))
        unit["encoding"]["row"] = {
            "field": "group",
            "type": "nominal",
            "sort": list(groups.names),
            "spacing": 4,
            "header": {
                "title": None,
                "labelAngle": 0,
                "labelAlign": "left",
                "labelFontSize": 10,
                "labelLimit": 90,
                "labelColor": INK,
            },
        }
        return {**_frame({"data": {"values": values}, **unit}, alt), "height": height, "width": WIDTH - 60}, alt
    return _frame({"data": {"values": values}, **unit}, alt), alt


def bars(column: Column, levels: tuple[str, ...], counts: Any, groups: tuple[str, ...]) -> tuple[dict[str, Any], str]:
    """Counts per level; with groups, shares within each group side by side."""
    many = len(groups) > 1
    totals = np.maximum(counts.sum(axis=1), 1)
    values = [
        {
            "level": level,
            "group": group,
            "n": int(counts[g, i]),
            "y": float(100 * counts[g, i] / totals[g]) if many else int(counts[g, i]),
            "colour": colour(g if many else i),
        }
        for g, group in enumerate(groups)
        for i, level in enumerate(levels)
    ]
    encoding: dict[str, Any] = {
        "y": {
            "field": "level",
            "type": "nominal",
            "sort": list(levels),
            "axis": {"title": None, "labelLimit": 100, "ticks": False, "domain": False},
        },
        "x": {
            "field": "y",
            "type": "quantitative",
            "axis": {"title": "Share of the group (%)" if many else "Rows", "tickCount": 4},
        },
        "color": {"value": colour(1)},
        "tooltip": [{"field": "level"}, {"field": "n", "title": "rows"}],
    }
    if many:
        encoding["color"] = {
            "field": "group",
            "type": "nominal",
            "scale": {"domain": list(groups), "range": [colour(g) for g in range(len(groups))]},
            "legend": {"orient": "bottom", "title": None, "columns": 3, "labelColor": INK, "labelLimit": 80},
        }
        encoding["yOffset"] = {"field": "group", "type": "nominal", "sort": list(groups)}
    top = listing([f"{level} {grouped(int(n))}" for level, n in zip(levels, counts.sum(axis=0), strict=True)], 12)
    alt = f"Bars of {column.title}: {top}."
    vega = _frame({"data": {"values": values}, "mark": {"type": "bar"}, "encoding": encoding}, alt)
    return {
        **vega,
        "width": WIDTH - 70,
        "height": max(60, min(260, len(levels) * (10 * len(groups) if many else 18))),
    }, alt
