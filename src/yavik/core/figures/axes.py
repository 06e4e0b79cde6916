"""Axes: bounds, scales, ticks, titles and the words of places."""

import json
import math
import re
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from yavik.core.answers.wording import given
from yavik.core.figures.describe import Figure
from yavik.core.figures.layers import words
from yavik.core.figures.plot import Axis, Vega
from yavik.core.figures.style import PX_PER_MM, PX_PER_PT
from yavik.core.table import DataProblem

LETTER = 0.53
"""Width of a letter in its own height, on average."""


def type_px(figure: Figure) -> float:
    """Size of the type in pixels."""
    return figure.type_pt * PX_PER_PT


def bounded(axis: Axis, figure: Figure, which: str, high: float | None) -> Axis:
    """The axis with its own bounds, room at its ends, and room for marks. Raises DataProblem where a scale cannot
    hold it."""
    if axis.type == "places":
        return axis
    own_low, own_high = getattr(figure, f"{which}_min"), getattr(figure, f"{which}_max")
    scale = getattr(figure, f"{which}_scale")
    low, top = axis.low, axis.high
    if not axis.exact:
        if scale == "linear":
            spread = (top - low) or abs(top) or 1.0
            begins_at_zero = low >= 0 and low < axis.zero_below * top
            ends_at_zero = top <= 0 and low < 0
            low, top = (
                (0.0 if begins_at_zero else low - 0.04 * spread),
                (0.0 if ends_at_zero else top + 0.06 * spread),
            )
        else:
            low, top = low * 0.94 if low > 0 else low, top * 1.06 if top > 0 else top
    if high is not None:
        top = max(top, high)
    low = own_low if own_low is not None else low
    top = own_high if own_high is not None else top
    if low >= top:
        if own_low is not None and own_high is None:
            raise DataProblem(f"The axis begins at {given(own_low)}, above everything that is drawn.")
        if own_high is not None and own_low is None:
            raise DataProblem(f"The axis ends at {given(own_high)}, below everything that is drawn.")
        low, top = low - 0.5, top + 0.5
    if axis.type == "number" and ((scale == "log" and low <= 0) or (scale == "root" and low < 0)):
        what = "log" if scale == "log" else "root"
        limit = "0 and below" if scale == "log" else "values below 0"
        raise DataProblem(
            f"A {what} axis has no place for {limit}: the {'upright' if which == 'y' else 'level'} axis begins at"
            f" {given(float(f'{low:.6g}'))}. Set where it begins, or take a linear axis."
        )
    fixed = axis.exact or own_low is not None or own_high is not None
    return replace(axis, low=low, high=top, exact=fixed)


def channel(figure: Figure, which: str, axis: Axis, room: float, shown: bool) -> Vega:
    """An axis as the drawing has it: scale, title, ticks."""
    found: Vega = {
        "type": "temporal" if axis.type == "date" else "quantitative",
        "scale": scale(figure, which, axis),
    }
    found["axis"] = {
        **(places(figure, which, axis, room) if axis.type == "places" else ticks(figure, which, axis, room)),
        **titled(figure, which, axis, room),
    }
    if not shown:
        found["axis"] |= {"labels": False, "ticks": False, "title": None}
    if not axis.shown:
        found["axis"] = None
    return found


def scale(figure: Figure, which: str, axis: Axis) -> Vega:
    """Bounds and kind of an axis, as set or from the data."""
    kind = getattr(figure, f"{which}_scale") if axis.type == "number" else "linear"
    scale: Vega = {"domain": [axis.low, axis.high], "nice": not axis.exact, "zero": False}
    if axis.type == "date":
        scale |= {"type": "utc"}
        del scale["zero"]
    if kind == "log":
        scale |= {"type": "log"}
        del scale["zero"]
    if kind == "root":
        scale |= {"type": "sqrt"}
    return scale


def titled(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    """The axis's title, cut where there is no room."""
    own = getattr(figure, f"{which}_title")
    title = axis.title if own is None else own
    if not title:
        return {"title": None}
    return {"title": wrapped(title, room * 1.15, type_px(figure)), "titleLimit": round(max(room * 1.3, 60))}


def wrapped(title: str, room: float, size: float, most: int = 3) -> str | list[str]:
    """Lines that fit; what is too long for them ends in an ellipsis (Vega's limit cuts single long words)."""
    fits = max(8, int(room / (LETTER * size)))
    if len(title) <= fits:
        return title
    lines, line = [], ""
    for w in re.split(r"\s+", title):
        if line and len(line) + 1 + len(w) > fits:
            lines.append(line)
            line = w
        else:
            line = f"{line} {w}".strip()
    lines.append(line)
    if len(lines) > most:
        lines = [*lines[: most - 1], lines[most - 1][: fits - 1] + "…"]
    return lines if len(lines) > 1 else lines[0]


def places(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    """An axis of named places, its labels turned or cut where they would touch."""
    k, size = len(axis.places), type_px(figure)
    longest = max(map(len, axis.places), default=0)
    found: Vega = {
        "values": list(range(k)),
        "labelExpr": f"{words(axis.places)}[datum.value]",
        "grid": False,
        "ticks": False,
    }
    if which == "y":
        limit = figure.width_mm * PX_PER_MM * 0.4
        return found | {
            "labelExpr": f"{words(told_apart(axis.places, int(limit / (LETTER * size))))}[datum.value]",
            "labelLimit": round(limit * 1.1),
            "labelOverlap": room / max(k, 1) < 0.9 * size,
            "domain": False,
        }
    crowded = longest * size * LETTER > room / max(k, 1)
    steep = crowded and room / max(k, 1) < 1.6 * size
    lines = [wrapped(name, 0.94 * room / max(k, 1), size, 3) for name in axis.places]
    fits = max(8, int(0.94 * room / max(k, 1) / (LETTER * size)))
    wide = room / max(k, 1) > 4 * size
    if (
        crowded
        and wide
        and all(
            len(x) <= fits and not x.endswith("…")
            for name in lines
            for x in ([name] if isinstance(name, str) else name)
        )
    ):
        return found | {"labelExpr": f"{json.dumps(lines)}[datum.value]", "labelAngle": 0}
    limit = min(160.0, figure.height_mm * PX_PER_MM * 0.35)
    if crowded:
        found["labelExpr"] = f"{words(told_apart(axis.places, int(limit / (LETTER * size))))}[datum.value]"
    return found | {
        "labelAngle": -90 if steep else -35 if crowded else 0,
        "labelAlign": "right" if crowded else "center",
        **({"labelBaseline": "middle"} if steep else {}),
        "labelLimit": round(limit * 1.1) if crowded else 400,
        "labelOverlap": room / max(k, 1) < 1.05 * size,
    }


def told_apart(names: Sequence[str], fits: int) -> list[str]:
    """Names cut to so many letters; where their beginnings are alike, the words that they share are left out
    instead."""
    fits = max(4, fits)

    def cut(name: str) -> str:
        """A label cut to its room."""
        return name if len(name) <= fits else name[: fits - 1].rstrip() + "…"

    made = [cut(n) for n in names]
    if len(set(made)) == len(set(names)):
        return made
    first, last = min(names), max(names)
    alike = next((i for i, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), min(len(first), len(last)))
    start = first[:alike].rfind(" ") + 1
    return [cut("…" + n[start:]) if start else cut(n) for n in names]


def ticks(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    """How many ticks have room, and how they are written."""
    size = type_px(figure)
    found: Vega = {"tickCount": max(2, min(8, int(room / (size * (5.5 if which == "x" else 3.4)))))}
    if not axis.grid:
        found["grid"] = False
    step = getattr(figure, f"{which}_step")
    if axis.type == "number":
        if not step and axis.ticks_to is not None:
            step = nice_step((axis.ticks_to - axis.low) / found["tickCount"])
        if step and (axis.high - axis.low) / step <= 200:
            start = math.ceil(round(axis.low / step, 9)) * step
            found["values"] = [
                round(float(v), 10) for v in np.arange(start, (axis.ticks_to or axis.high) + step * 1e-6, step)
            ]
        if which == "y" and figure.percent:
            found["format"] = f".{figure.decimals or 0}%"
        elif which == "y" and figure.decimals is not None:
            found["format"] = f",.{figure.decimals}f"
        elif axis.whole:
            found |= {"format": ",.0f", "tickMinStep": 1}
        if getattr(figure, f"{which}_scale") == "log":
            found |= {"labelOverlap": "greedy"}
    else:
        found |= {"labelOverlap": True, "labelExpr": DATE_LABEL}
    return found


def nice_step(least: float) -> float:
    """1, 2 or 5 times a power of ten, at or above."""
    if not least > 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(least))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= least * (1 - 1e-9))


DATE_LABEL = (
    "timeFormat(datum.value, utchours(datum.value) ? '%H:%M' : utcdate(datum.value) > 1 ? '%-d %b' :"
    " utcmonth(datum.value) ? '%b' : '%Y')".replace("timeFormat", "utcFormat")
)
