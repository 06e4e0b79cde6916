"""What is set over the data: reference lines, shaded ranges, notes with arrows, letters, p, brackets, a model's
lines."""

import math
from typing import Any

import numpy as np

from yavik.core.answers import Marks
from yavik.core.answers.wording import plain
from yavik.core.figures.axes import bounded
from yavik.core.figures.describe import Figure
from yavik.core.figures.layers import band, lines, on_axis, path, place, points_of, rule, text
from yavik.core.figures.plot import Axis, Plot, Vega
from yavik.core.figures.style import INK, MUTED, PX_PER_MM, PX_PER_PT
from yavik.core.table import DataProblem

SLANTED: dict[str, Any] = {"fontStyle": "italic", "font": "STIX Two Text"}
"""The other face has no italics: outside a browser its slanted words would stand upright."""


def position(axis: Axis, at: float | str) -> float:
    """A number, a date's milliseconds, or the place of a word. Raises DataProblem."""
    if axis.type == "places":
        if isinstance(at, str):
            if at in axis.places:
                return float(axis.places.index(at))
            raise DataProblem(f"'{at}' is none of the groups of this axis.")
        return float(at)
    if axis.type == "date" and isinstance(at, str):
        try:
            return float(np.datetime64(at, "ms").astype(np.int64))
        except ValueError:
            raise DataProblem(f"'{at}' is no date; write it as 2024-03-01.") from None
    try:
        return float(at)
    except ValueError:
        raise DataProblem(f"'{at}' is no number on this axis.") from None


def ranges_of(figure: Figure, x: Axis, y: Axis) -> list[Vega]:
    """Shaded ranges."""
    made: list[Vega] = []
    for r in figure.ranges:
        axis = x if r.axis == "x" else y
        a, b = sorted((position(axis, r.start), position(axis, r.end)))
        a, b = max(a, min(axis.low, axis.high)), min(b, max(axis.low, axis.high))
        if a >= b:
            continue
        encoding: Vega = {r.axis: {"datum": a}, f"{r.axis}2": {"datum": b}}
        made.append(
            {
                "data": {"values": [{}]},
                "mark": {"type": "rect", "color": MUTED, "opacity": 0.13},
                "encoding": encoding,
            }
        )
        if r.label:
            made.append(_label(figure, r.axis, (a + b) / 2 if r.axis == "x" else b, r.label, inside=True))
    return made


def _label(figure: Figure, axis: str, at: float, words: str, inside: bool = False) -> Vega:
    if axis == "x":
        mark: Vega = {"align": "center" if inside else "left", "baseline": "top", "dx": 0 if inside else 4, "dy": 2}
        encoding: Vega = {"x": {"datum": at}, "y": {"value": 0}}
    else:
        mark = {"align": "right", "baseline": "top" if inside else "bottom", "dx": -3, "dy": 2 if inside else -2}
        encoding = {"x": {"value": "width"}, "y": {"datum": at}}
    size = round(figure.type_pt * PX_PER_PT * 0.92, 2)
    return {
        "data": {"values": [{"text": words}]},
        "mark": {
            "type": "text",
            "color": MUTED,
            "fontSize": size,
            "limit": round(figure.width_mm * PX_PER_MM * 0.6),
            **mark,
        },
        "encoding": {**encoding, "text": {"field": "text", "type": "nominal"}},
    }


def extras(figure: Figure, x: Axis, y: Axis, room: tuple[float, float], *, notes: bool) -> list[Vega]:
    """Lines, ranges, arrows and notes that were put on the figure."""
    made: list[Vega] = []
    width = points_of(figure.line_pt)
    for line in figure.lines:
        axis = x if line.axis == "x" else y
        at = position(axis, line.at)
        if not min(axis.low, axis.high) <= at <= max(axis.low, axis.high):
            continue
        made.append(
            {
                "data": {"values": [{}]},
                "mark": {"type": "rule", "color": MUTED, "strokeDash": [4, 3], "strokeWidth": 1.3 * width},
                "encoding": {line.axis: {"datum": at}},
            }
        )
        if line.label:
            made.append(_label(figure, line.axis, at, line.label))
    return made + (_notes(figure, x, y, room, width) if notes else [])


def _notes(figure: Figure, x: Axis, y: Axis, room: tuple[float, float], width: float) -> list[Vega]:
    made: list[Vega] = []
    shafts, heads = [], []
    for n in figure.notes:
        if n.to_x is not None and n.to_y is not None:
            shafts.append({"x": n.x, "y": n.y, "x2": n.to_x, "y2": n.to_y})
            across = (n.to_x - n.x) / ((x.high - x.low) or 1) * room[0]
            up = (n.to_y - n.y) / ((y.high - y.low) or 1) * room[1]
            heads.append({"x": n.to_x, "y": n.to_y, "angle": math.degrees(math.atan2(across, up))})
    if shafts:
        made.append(rule(shafts, 1.2 * width, x="x", y="y", x2="x2", y2="y2"))
        made.append(
            {
                "data": {"values": heads},
                "mark": {
                    "type": "point",
                    "shape": "triangle-up",
                    "filled": True,
                    "size": 34,
                    "color": INK,
                    "opacity": 1,
                },
                "encoding": {
                    "x": {"field": "x"},
                    "y": {"field": "y"},
                    "angle": {"field": "angle", "type": "quantitative", "scale": None},
                },
            }
        )
    words = [{"x": n.x, "y": n.y, "text": n.text} for n in figure.notes if n.text]
    if words:
        made.append(text(words, lineBreak="\n", baseline="bottom", dy=-3, limit=round(figure.width_mm * PX_PER_MM)))
    return made


def marks_of(figure: Figure, plot: Plot, marks: Marks | None) -> tuple[list[Vega], float | None, dict[str, str]]:
    """Layers of an answer's marks over the first panel, how far up they reach, and what the caption says of them."""
    if marks is None:
        return [], None, {}
    made: list[Vega] = []
    said: dict[str, str] = {}
    high: float | None = None
    tops = plot.panels[0].tops if len(plot.panels) == 1 else {}
    axis = bounded(plot.y, figure, "y", None)  # the span that is drawn, with bounds of its own
    span = axis.high - axis.low
    line = (
        figure.type_pt * PX_PER_PT / max(60.0, figure.height_mm * PX_PER_MM - 6 * figure.type_pt * PX_PER_PT) * span
    )
    lettered = bool(figure.letters and marks.letters and tops)
    if lettered:
        values = [{"x": x, "y": top, "text": marks.letters.get(name, "")} for name, (x, top) in tops.items()]
        made.append(text(values, dy=-9, fontWeight=700, fontSize=round(figure.type_pt * PX_PER_PT * 1.1, 2)))
        said["letters"] = marks.letters_note
        high = max(top for _, top in tops.values()) + 2.6 * line
    brackets, reach = _brackets(figure, tops, marks, line, 2.2 * line if lettered else 0.6 * line)
    if brackets:
        made += brackets
        said["brackets"] = marks.pairs_note
        high = max(high or reach, reach)
    if figure.fitted and marks.fitted:
        made += _fitted(figure, plot, marks)
        said["fitted"] = marks.fitted_note
    if figure.equation and marks.equation:
        made.append(_corner(figure, plain(marks.equation), "left"))
    if figure.fitted:
        for value in marks.values:
            width = points_of(figure.line_pt)
            made.append(
                {
                    "data": {"values": [{}]},
                    "mark": {"type": "rule", "color": MUTED, "strokeDash": [4, 3], "strokeWidth": 1.3 * width},
                    "encoding": {"y": {"datum": value.at}},
                }
            )
            made.append(_label(figure, "y", value.at, value.label))
    if figure.p and marks.p:
        made.append(_corner(figure, plain(marks.p), "right", slant=True))
        said["p"] = plain(marks.p)
        if high is not None:
            high += 0.8 * line
    return made, high, said


def _corner(figure: Figure, words: str, side: str, slant: bool = False) -> Vega:
    return {
        "data": {"values": [{"text": words}]},
        "mark": {"type": "text", "align": side, "baseline": "top", "dx": -2 if side == "right" else 4, "dy": 0, **(SLANTED if slant else {})},
        "encoding": {"x": {"value": "width" if side == "right" else 0}, "y": {"value": 0}, "text": {"field": "text", "type": "nominal"}},
    }  # fmt: skip


def _brackets(
    figure: Figure, tops: dict[str, tuple[float, float]], marks: Marks, line: float, over: float
) -> tuple[list[Vega], float]:
    """Brackets over pairs, short ones below long ones, none on another: each stands above all that it spans."""
    texts = {frozenset((m.a, m.b)): plain(m.text) for m in marks.pairs}
    chosen = [
        (a, b, texts[frozenset((a, b))])
        for a, b in figure.brackets
        if a in tops and b in tops and frozenset((a, b)) in texts
    ]
    chosen.sort(key=lambda c: (abs(tops[c[0]][0] - tops[c[1]][0]), min(tops[c[0]][0], tops[c[1]][0])))
    placed: list[tuple[float, float, float]] = []
    bars, feet, words = [], [], []
    for a, b, said in chosen:
        left, right = sorted((tops[a][0], tops[b][0]))
        base = max(top for x, top in tops.values() if left - 1e-9 <= x <= right + 1e-9) + over
        for l0, r0, y0 in sorted(placed, key=lambda q: q[2]):
            if l0 < right and left < r0 and base < y0 + 1.75 * line and base + 1.75 * line > y0:
                base = y0 + 1.75 * line
        # Brackets that only touch at a group stand a little apart sideways.
        left, right = left + 0.04, right - 0.04
        placed.append((left, right, base))
        bars.append({"x": left, "x2": right, "y": base})
        feet += [{"x": e, "y": base, "y2": base - 0.4 * line} for e in (left, right)]
        words.append({"x": (left + right) / 2, "y": base, "text": said})
    if not placed:
        return [], -math.inf
    width = points_of(figure.line_pt)
    made = [rule(bars, width, x="x", x2="x2", y="y"), rule(feet, width, x="x", y="y", y2="y2")]
    size = round(figure.type_pt * PX_PER_PT * 0.95, 2)
    return [*made, text(words, dy=-2, baseline="bottom", fontSize=size, **SLANTED)], max(
        p[2] for p in placed
    ) + 1.9 * line


def _fitted(figure: Figure, plot: Plot, marks: Marks) -> list[Vega]:
    colours = {level.name: level.colour for level in plot.levels}
    width = points_of(figure.line_pt)
    bands: list[dict[str, Any]] = []
    curves: list[dict[str, Any]] = []
    for f in marks.fitted:
        colour = colours.get(f.group or "", INK)
        name = f"model {f.group or ''}"
        there = on_axis(figure.x_scale, f.x) & on_axis(figure.y_scale, f.y)
        curves += path(name, colour, np.array(f.x)[there], np.array(f.y)[there])
        wide = there & on_axis(figure.y_scale, f.low) if f.low else there & False
        bands += [
            {"x": place(f.x[i]), "low": place(f.low[i]), "high": place(f.high[i]), "line": name, "colour": colour}
            for i in np.flatnonzero(wide)
        ]
    return ([band(bands)] if bands else []) + [lines(curves, 2.4 * width)]
