"""Correlations over the distance of times: those observed as points, those of a model as marks through them."""

from collections.abc import Sequence

from yavik.core.answers.wording import counted
from yavik.core.figures.plots import Drawn, frame
from yavik.core.figures.style import colour

Pair = tuple[int, float, float, str]
"""Distance, observed, by the model, which two times."""


def over_distance(pairs: Sequence[Pair], x_title: str, y_title: str, width: int = 260, height: int = 190) -> Drawn:
    """A point for each pair of times, and the model's value at each."""
    values = [{"x": x, "seen": a, "model": b, "who": who} for x, a, b, who in pairs]
    lags = sorted({x for x, *_ in pairs})
    low = min(0.0, *(min(a, b) for _, a, b, _ in pairs))
    x = {
        "field": "x", "type": "quantitative",
        "scale": {"domain": [0.4, max(lags) + 0.6], "nice": False},
        "axis": {"title": x_title, "values": lags, "grid": False, "format": "d"},
    }  # fmt: skip
    y = {
        "type": "quantitative",
        "scale": {"domain": [low, 1.0], "nice": True},
        "axis": {"title": y_title, "tickCount": 5},
    }
    key = {"type": "nominal", "scale": {"domain": ["observed", "model"], "range": [colour(1), colour(0)]},
           "legend": {"title": None, "orient": "top"}}  # fmt: skip
    tooltip = [
        {"field": "who", "title": "times"},
        {"field": "seen", "title": "observed", "format": ".2f"},
        {"field": "model", "title": "by the model", "format": ".2f"},
    ]
    layers = [
        {
            "transform": [{"calculate": "'observed'", "as": "what"}],
            "mark": {"type": "point", "filled": True, "size": 34, "opacity": 0.75},
            "encoding": {"y": {"field": "seen", **y}, "color": {"field": "what", **key}, "tooltip": tooltip},
        },
        {
            "transform": [{"calculate": "'model'", "as": "what"}],
            "mark": {"type": "tick", "thickness": 2, "size": 16, "orient": "horizontal"},
            "encoding": {"y": {"field": "model", **y}, "color": {"field": "what", **key}, "tooltip": tooltip},
        },
    ]
    alt = f"{y_title} over {x_title.lower()}: {counted(len(pairs), 'pair')} of times, observed and by the model."
    return frame({"data": {"values": values}, "encoding": {"x": x}, "layer": layers}, alt, width, height, 7.5)
