"""Drawings of trees: samples joined step by step."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, significant
from yavik.core.figures.plots import Drawn, colours, frame, quoted
from yavik.core.figures.style import MUTED

MOST_NAMED = 60


def tree(
    places: Any, heights: Any, order: Sequence[str], clusters: Sequence[str], kinds: Sequence[str], y_title: str
) -> Drawn:
    """A dendrogram, joins within a cluster in its colour.

    Args:
        places, heights: corners of each join, shape (joins, 4), samples at 0, 1, … order: samples' names as they
            stand under it; clusters: of each join, '' between clusters; kinds: clusters in their order.
    """
    n = len(order)
    values = [
        {"join": j, "k": k, "x": float(places[j][k]), "y": float(heights[j][k]), "cluster": clusters[j] or "between"}
        for j in range(len(places))
        for k in range(4)
    ]
    named = n <= MOST_NAMED
    labels = "[" + ", ".join(quoted(o) for o in order) + "]"
    x: dict[str, Any] = {
        "field": "x", "type": "quantitative", "scale": {"domain": [-0.6, n - 0.4], "nice": False},
        "axis": {
            "title": None if named else counted(n, "sample"), "grid": False, "ticks": False,
            **({"values": list(range(n)), "labelExpr": f"{labels}[datum.value]", "labelAngle": -60, "labelLimit": 90,
                "labelOverlap": False} if named else {"labels": False}),
        },
    }  # fmt: skip
    top = float(np.max(heights)) * 1.04
    y = {
        "field": "y", "type": "quantitative", "scale": {"domain": [0, top], "nice": False},
        "axis": {"title": y_title, "tickCount": 5},
    }  # fmt: skip
    inside = [v for v in values if v["cluster"] != "between"]
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": [v for v in values if v["cluster"] == "between"]},
            "mark": {"type": "line", "strokeWidth": 1.1, "color": MUTED, "interpolate": "linear"},
            "encoding": {"x": x, "y": y, "detail": {"field": "join"}, "order": {"field": "k"}},
        }
    ]
    if inside:
        layers.append(
            {
                "data": {"values": inside},
                "mark": {"type": "line", "strokeWidth": 1.3},
                "encoding": {
                    "x": x, "y": y, "detail": {"field": "join"}, "order": {"field": "k"},
                    "color": colours([k for k in kinds if any(v["cluster"] == k for v in inside)], None, "cluster"),
                },
            }
        )  # fmt: skip
    alt = f"Tree of {counted(n, 'sample')} in {counted(len(kinds), 'cluster')},"
    alt += f" joined at heights up to {significant(top / 1.04)}."
    return frame({"layer": layers}, alt, 520, 220)
