"""Values of groups as strips of points, with their means."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.figures.plots import Drawn, colours, frame, thin
from yavik.core.figures.style import INK


def strips(values: Any, groups: Sequence[str], levels: Sequence[str], rows: Any, x_title: str) -> Drawn:
    """A strip for each group: its values as points spread in height, its mean as a line across.

    Args:
        values: shape (n,). groups: of each value. rows: their numbers.
    """
    rng = np.random.default_rng(1)
    kept = thin(len(values), 2000)
    dots = [
        {
            "x": float(values[i]), "group": groups[int(i)], "row": int(rows[i]),
            "off": float(rng.uniform(-1, 1)),
        }
        for i in kept
    ]  # fmt: skip
    own = np.asarray(groups)
    means = [{"x": float(np.mean(np.asarray(values)[own == g])), "group": g} for g in levels]
    y = {
        "field": "group", "type": "nominal", "sort": list(levels),
        "axis": {"title": None, "labelLimit": 170, "ticks": False, "domain": False, "grid": False},
    }  # fmt: skip
    x = {"field": "x", "type": "quantitative", "axis": {"title": x_title, "grid": False, "tickCount": 7}}
    layers = [
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 24, "opacity": 0.6},
            "encoding": {
                "x": x, "y": y, "color": {**colours(list(levels), None), "legend": None},
                "yOffset": {
                    "field": "off", "type": "quantitative", "scale": {"domain": [-1.6, 1.6]},
                },
                "tooltip": [{"field": "row", "title": "row"}, {"field": "group", "title": "group"}],
            },
        },
        {
            "data": {"values": means},
            "mark": {"type": "tick", "color": INK, "thickness": 2, "size": 26},
            "encoding": {"x": x, "y": y},
        },
    ]  # fmt: skip
    alt = (
        f"{counted(len(groups), 'row')} on {x_title} in {counted(len(levels), 'group')}, {listing(list(levels), 6)},"
    )
    alt += " with their means."
    return frame({"layer": layers}, alt, 400, max(90, min(40 * len(levels), 600)))
