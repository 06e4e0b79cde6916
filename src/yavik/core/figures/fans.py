"""Drawings of what follows a series: a fan with bands, and roots in the unit circle."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, number, share
from yavik.core.figures.courses import times_axis
from yavik.core.figures.plots import Drawn, colours, frame
from yavik.core.figures.style import MUTED, colour

BANDS = ((0.95, 0.16), (0.8, 0.3))


def fan(
    past: Sequence[tuple[int, str, float]],
    held: Sequence[tuple[int, float]],
    later: Sequence[tuple[int, str, float]],
    bands: Mapping[float, tuple[Any, Any]],
    y_title: str,
    x_title: str,
    room: int,
    width: int = 520,
) -> Drawn:
    """The series' last part, what was foretold of its held-out end, and what follows with its bands.

    Args:
        past, later: steps from the last point on, times, values. held: steps and values foretold there.
        room: steps that the axis goes on after the last.
    """
    low = past[0][0]
    names = {i: t for i, t, _ in (*past, *later)}
    x = times_axis(list(names), list(names.values()), 8, (low, room), x_title)
    y = {"field": "y", "type": "quantitative", "scale": {"zero": False}, "axis": {"title": y_title, "tickCount": 5}}
    last = past[-1]
    steps = [last[0], *(i for i, _, _ in later)]
    layers: list[dict[str, Any]] = []
    for level, opacity in BANDS:
        ends = bands[level]
        values = [
            {"i": i, "low": float(a), "high": float(b)}
            for i, a, b in zip(steps, [last[2], *ends[0]], [last[2], *ends[1]], strict=True)
            if np.isfinite(a) and np.isfinite(b)
        ]
        layers.append(
            {
                "data": {"values": values},
                "mark": {"type": "area", "opacity": opacity, "color": colour(1)},
                "encoding": {"x": x, "y": {**y, "field": "low"}, "y2": {"field": "high"}},
            }
        )
    lines: list[dict[str, Any]] = [
        *({"i": i, "t": t, "y": v, "line": "series"} for i, t, v in past),
        *({"i": i, "t": names.get(i, ""), "y": v, "line": "foretold of the held-out end"} for i, v in held),
        *({"i": i, "t": t, "y": v, "line": "what follows"} for i, t, v in [last, *later]),
    ]
    kinds = ["series", "what follows", *(["foretold of the held-out end"] if held else [])]
    tooltip = [{"field": "t", "title": "time"}, {"field": "y", "title": y_title, "format": ".4~g"}]
    colouring = colours(kinds, None, "line")
    layers += [
        {
            "data": {"values": [v for v in lines if np.isfinite(v["y"])]},
            "mark": {"type": "line", "strokeWidth": 1.5},
            "encoding": {
                "x": x, "y": y, "color": colouring,
                "strokeDash": {
                    "field": "line", "type": "nominal", "legend": None,
                    "scale": {"domain": kinds, "range": [[1, 0], [1, 0], [4, 3]][: len(kinds)]},
                },
            },
        },
        {
            "data": {"values": [v for v in lines if np.isfinite(v["y"])]},
            "mark": {"type": "point", "size": 40, "filled": True, "opacity": 0},
            "encoding": {"x": x, "y": y, "tooltip": tooltip},
        },
    ]  # fmt: skip
    end = later[-1] if later else last
    alt = f"{y_title}: the last {counted(len(past), 'point')} and {counted(len(later), 'point')} foretold, to"
    alt += f" {number(end[2], 1)} at {end[1]}, with bands of 80% and 95%."
    return frame({"layer": layers}, alt, width, 230)


def circle(roots: Sequence[tuple[str, Any]]) -> Drawn:
    """Inverse roots of each side of a model in the unit circle."""
    turn = np.linspace(0, 2 * np.pi, 181)
    ring = [{"k": k, "x": float(np.cos(a)), "y": float(np.sin(a))} for k, a in enumerate(turn)]
    dots = [
        {"x": float(z.real), "y": float(z.imag), "side": name, "size": share(float(abs(z)))}
        for name, values in roots
        for z in np.asarray(values)
    ]
    names = [name for name, _ in roots]

    def axis(field: str, title: str) -> dict[str, Any]:
        return {
            "field": field, "type": "quantitative", "scale": {"domain": [-1.1, 1.1], "nice": False},
            "axis": {"title": title, "values": [-1, 0, 1], "grid": False},
        }  # fmt: skip

    layers = [
        {
            "data": {"values": ring},
            "mark": {"type": "line", "color": MUTED, "strokeWidth": 1},
            "encoding": {"x": axis("x", "Real part"), "y": axis("y", "Imaginary part"), "order": {"field": "k"}},
        },
        {
            "data": {"values": dots},
            "mark": {"type": "point", "filled": True, "size": 55, "opacity": 0.9},
            "encoding": {
                "x": axis("x", "Real part"), "y": axis("y", "Imaginary part"), "color": colours(names, None, "side"),
                "tooltip": [{"field": "side", "title": "of"}, {"field": "size", "title": "distance from 0"}],
            },
        },
    ]  # fmt: skip
    sizes = [abs(z) for _, values in roots for z in np.asarray(values)]
    alt = f"Inverse roots in the unit circle: {counted(len(sizes), 'root')}"
    alt += f", the outermost at {share(float(max(sizes)))}." if sizes else "."
    return frame({"layer": layers}, alt, 190, 190)
