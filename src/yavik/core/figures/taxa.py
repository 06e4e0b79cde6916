"""Drawings of communities: what taxa add up to, and their amounts in two groups."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, percent
from yavik.core.figures.plots import Drawn, colours, frame
from yavik.core.figures.style import MUTED, colour


def running(shares: Any, names: Sequence[str]) -> Drawn:
    """Running share of the dissimilarity over taxa, those that add most first, with each taxon's own."""
    total = np.cumsum(shares)
    values = [
        {"rank": k + 1, "own": float(v), "all": float(t), "taxon": names[k]}
        for k, (v, t) in enumerate(zip(shares, total, strict=True))
    ]
    x = {
        "field": "rank", "type": "quantitative", "scale": {"domain": [0, len(values) + 0.5], "nice": False},
        "axis": {"title": "Taxa, those that add most first", "grid": False, "tickMinStep": 1, "format": "d"},
    }  # fmt: skip
    y = {
        "field": "all", "type": "quantitative", "scale": {"domain": [0, 1]},
        "axis": {"title": "Running share", "format": ".0%", "tickCount": 5},
    }  # fmt: skip
    tooltip = [
        {"field": "taxon", "title": "taxon"}, {"field": "own", "title": "adds", "format": ".1%"},
        {"field": "all", "title": "up to it", "format": ".1%"},
    ]  # fmt: skip
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": values},
            "mark": {"type": "bar", "color": colour(1), "opacity": 0.45, "width": max(1.0, 300 / len(values))},
            "encoding": {"x": x, "y": {**y, "field": "own"}, "tooltip": tooltip},
        },
        {
            "data": {"values": values},
            "mark": {
                "type": "line",
                "color": colour(0),
                "strokeWidth": 1.6,
                "point": {"size": 18, "color": colour(0)},
            },
            "encoding": {"x": x, "y": y, "tooltip": tooltip},
        },
    ]
    alt = f"Running share of the dissimilarity over {counted(len(values), 'taxon', 'taxa')};"
    alt += f" {names[0]} adds most, {percent(float(shares[0]))}."
    return frame({"layer": layers}, alt, 420, 170)


def dumbbells(rows: Sequence[tuple[str, float, float]], groups: tuple[str, str], x_title: str) -> Drawn:
    """Mean amounts of taxa in two groups, joined by a line."""
    values = [
        {"taxon": name, "x": float(v), "group": group}
        for name, a, b in rows
        for group, v in zip(groups, (a, b), strict=True)
    ]
    y = {
        "field": "taxon", "type": "nominal", "sort": [r[0] for r in rows],
        "axis": {"title": None, "labelLimit": 190, "ticks": False, "domain": False, "grid": True},
    }  # fmt: skip
    x = {"field": "x", "type": "quantitative", "axis": {"title": x_title, "grid": False, "tickCount": 6}}
    lines = [{"taxon": name, "x": float(a), "x2": float(b)} for name, a, b in rows]
    layers = [
        {
            "data": {"values": lines},
            "mark": {"type": "rule", "color": MUTED, "strokeWidth": 1.2},
            "encoding": {"x": x, "x2": {"field": "x2"}, "y": y},
        },
        {
            "data": {"values": values},
            "mark": {"type": "point", "filled": True, "size": 60, "opacity": 1},
            "encoding": {
                "x": x, "y": y, "color": colours(list(groups), None),
                "tooltip": [
                    {"field": "taxon", "title": "taxon"}, {"field": "group", "title": "in"},
                    {"field": "x", "title": x_title, "format": ".3~g"},
                ],
            },
        },
    ]  # fmt: skip
    alt = f"Mean amounts of {counted(len(rows), 'taxon', 'taxa')} in {groups[0]} and {groups[1]}."
    return frame({"layer": layers}, alt, 300, 20 + 17 * len(rows))


def curves(
    lines: Sequence[tuple[Any, Any]],
    names: Sequence[str],
    groups: Sequence[str] | None,
    order: Sequence[str],
    least: int,
) -> Drawn:
    """Taxa expected over individuals drawn, a line for each sample, with the size that all have."""
    values = [
        {"m": float(a), "taxa": float(b), "sample": names[i], "group": groups[i] if groups else "samples"}
        for i, (ms, expected) in enumerate(lines)
        for a, b in zip(ms, expected, strict=True)
    ]
    x = {"field": "m", "type": "quantitative", "axis": {"title": "Individuals", "grid": False, "tickCount": 7}}
    y = {"field": "taxa", "type": "quantitative", "axis": {"title": "Taxa expected", "tickCount": 5}}
    kinds = [g for g in order if g in groups] if groups else ["samples"]
    layers = [
        {
            "data": {"values": [{"m": least}]},
            "mark": {"type": "rule", "strokeDash": [4, 3], "color": MUTED},
            "encoding": {"x": {"field": "m", "type": "quantitative"}},
        },
        {
            "data": {"values": values},
            "mark": {"type": "line", "strokeWidth": 1.2, "opacity": 0.8},
            "encoding": {
                "x": x, "y": y, "detail": {"field": "sample"}, "color": colours(kinds, None),
                "tooltip": [
                    {"field": "sample", "title": "sample"}, {"field": "m", "title": "individuals", "format": ".0f"},
                    {"field": "taxa", "title": "taxa expected", "format": ".1f"},
                ],
            },
        },
    ]  # fmt: skip
    alt = f"Taxa expected over individuals drawn, for {counted(len(lines), 'sample')}; all have {least} at least."
    return frame({"layer": layers}, alt, 420, 200)
