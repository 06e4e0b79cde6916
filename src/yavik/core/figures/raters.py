"""Drawings of raters: differences of two ways of measuring."""

from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, number
from yavik.core.figures.plots import Drawn, frame, thin
from yavik.core.figures.style import MUTED, colour


def differences(
    mean: Any, difference: Any, rows: Any, at: tuple[float, float, float], x_title: str, y_title: str, decimals: int,
    width: int = 470,
) -> Drawn:  # fmt: skip
    """Differences of two ways of measuring over their means, with lines at the limits and the mean difference.

    Args:
        at: lower limit, mean difference, upper limit.
    """
    kept = thin(len(mean))
    dots = [
        {"x": float(a), "y": float(b), "row": int(r)}
        for a, b, r in zip(np.asarray(mean)[kept], np.asarray(difference)[kept], np.asarray(rows)[kept], strict=True)
    ]
    names = ("lower limit", "mean difference", "upper limit")
    lines = [
        {"y": v, "what": f"{n} {number(v, decimals)}", "main": n == "mean difference"}
        for n, v in zip(names, at, strict=True)
    ]
    x = {
        "field": "x",
        "type": "quantitative",
        "scale": {"zero": False, "padding": 12},
        "axis": {"title": x_title, "tickCount": 6, "grid": False},
    }
    y = {
        "field": "y", "type": "quantitative", "scale": {"padding": 14},
        "axis": {"title": y_title, "tickCount": 6, "grid": False},
    }  # fmt: skip
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [{"y": 0}]},
            "mark": {"type": "rule", "color": MUTED, "strokeWidth": 0.8},
            "encoding": {"y": {"field": "y", "type": "quantitative"}},
        },
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 26, "opacity": 0.65, "color": colour(1)},
            "encoding": {
                "x": x, "y": y,
                "tooltip": [
                    {"field": "row", "title": "row"}, {"field": "x", "title": "mean", "format": ".4~g"},
                    {"field": "y", "title": "difference", "format": ".4~g"},
                ],
            },
        },
        {
            "data": {"values": lines},
            "mark": {"type": "rule", "strokeWidth": 1.6, "color": colour(0)},
            "encoding": {
                "y": {"field": "y", "type": "quantitative"},
                "strokeDash": {"condition": {"test": "datum.main", "value": [1, 0]}, "value": [5, 3]},
            },
        },
        {
            "data": {"values": lines},
            "mark": {"type": "text", "align": "left", "baseline": "bottom", "dx": 4, "color": colour(0)},
            "encoding": {"x": {"value": 0}, "y": {"field": "y", "type": "quantitative"}, "text": {"field": "what"}},
        },
    ]  # fmt: skip
    alt = f"{y_title} over {x_title} of {counted(len(mean), 'subject')}; mean difference {number(at[1], decimals)},"
    alt += " limits"
    alt += f" {number(at[0], decimals)} and {number(at[2], decimals)}."
    return frame({"layer": layers}, alt, width, 230)
