"""From a plot to Vega-Lite: axes, key, panels, reference lines, notes; one view, or a grid of views of one size."""

import json
import math
import re
from dataclasses import replace

import numpy as np

from yavik.core.figures.describe import Figure
from yavik.core.figures.extras import extras, ranges_of
from yavik.core.figures.layers import words
from yavik.core.figures.plot import Axis, Panel, Plot, Vega
from yavik.core.figures.style import INK, PX_PER_MM, PX_PER_PT, config
from yavik.core.table import DataProblem

SCHEMA = "https://vega.github.io/schema/vega-lite/v6.json"
LETTER = 0.53
"""Width of a letter in its own height, on average."""


def compose(figure: Figure, plot: Plot, marks: list[Vega], high: float | None = None) -> Vega:
    """``marks`` are layers that stand over the first panel; ``high`` is how far up they reach."""
    x = bounded(plot.x, figure, "x", None)
    y = bounded(plot.y, figure, "y", high)
    if figure.legend == "direct" and plot.legend and any(p.ends for p in plot.panels):
        x = _room_for_names(figure, plot, x)
    width, height = round(figure.width_mm * PX_PER_MM), round(figure.height_mm * PX_PER_MM)
    base: Vega = {
        "$schema": SCHEMA,
        "description": plot.alt,
        "padding": 4,
        "config": config(figure.type_pt, figure.face, figure.line_pt, figure.grid),
    }
    if len(plot.panels) == 1:
        room = (width - 7 * _type(figure), height - 6 * _type(figure))
        view = _view(figure, plot, plot.panels[0], x, y, room)
        view["layer"] += marks + _key(figure, plot)
        return {**base, "width": width, "height": height, "autosize": {"type": "fit", "contains": "padding"}, **view}
    return {**base, **_grid(figure, plot, x, y, marks, width, height)}


def _type(figure: Figure) -> float:
    return figure.type_pt * PX_PER_PT


def bounded(axis: Axis, figure: Figure, which: str, high: float | None) -> Axis:
    """The axis with its own bounds, room at its ends, and room for marks. Raises DataProblem where a scale cannot hold it."""
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
            raise DataProblem(f"The axis begins at {own_low:g}, above everything that is drawn.")
        if own_high is not None and own_low is None:
            raise DataProblem(f"The axis ends at {own_high:g}, below everything that is drawn.")
        low, top = low - 0.5, top + 0.5
    if axis.type == "number" and ((scale == "log" and low <= 0) or (scale == "root" and low < 0)):
        what = "log" if scale == "log" else "root"
        limit = "0 and below" if scale == "log" else "values below 0"
        raise DataProblem(
            f"A {what} axis has no place for {limit}: the {'upright' if which == 'y' else 'level'} axis begins at {low:g}. Set where it begins, or take a linear axis."
        )
    fixed = axis.exact or own_low is not None or own_high is not None
    return replace(axis, low=low, high=top, exact=fixed)


def _room_for_names(figure: Figure, plot: Plot, x: Axis) -> Axis:
    """Names at the ends of lines need room on the right."""
    longest = max((len(name) for p in plot.panels for name in p.ends), default=0)
    columns = max((p.column for p in plot.panels), default=0) + 1
    room = max(40.0, figure.width_mm * PX_PER_MM / columns - 6 * _type(figure))
    share = min(0.6, (min(longest, 24) * LETTER * _type(figure) + 8) / room)
    return replace(x, high=x.high + (x.high - x.low) * share / (1 - share), exact=True, ticks_to=x.high)


def _view(
    figure: Figure,
    plot: Plot,
    panel: Panel,
    x: Axis,
    y: Axis,
    room: tuple[float, float],
    x_axis: bool = True,
    y_axis: bool = True,
) -> Vega:
    """``room``: about how wide and high the inside is, in pixels."""
    panel_x, panel_y = panel.x or x, panel.y or y
    first = plot.panels[0] is panel
    inner = [*ranges_of(figure, panel_x, panel_y), *panel.layers, *_names(figure, plot, panel, panel_y)]
    inner += extras(figure, panel_x, panel_y, room, notes=first)
    return {
        "encoding": {
            "x": _channel(figure, "x", panel_x, room[0], x_axis),
            "y": _channel(figure, "y", panel_y, room[1], y_axis and panel_y.shown),
        },
        "layer": inner or [{"data": {"values": []}, "mark": "point"}],
    }


def _channel(figure: Figure, which: str, axis: Axis, room: float, shown: bool) -> Vega:
    found: Vega = {
        "type": "temporal" if axis.type == "date" else "quantitative",
        "scale": _scale(figure, which, axis),
    }
    found["axis"] = {
        **(_places(figure, which, axis, room) if axis.type == "places" else _ticks(figure, which, axis, room)),
        **_titled(figure, which, axis, room),
    }
    if not shown:
        found["axis"] |= {"labels": False, "ticks": False, "title": None}
    if not axis.shown:
        found["axis"] = None
    return found


def _scale(figure: Figure, which: str, axis: Axis) -> Vega:
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


def _titled(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    own = getattr(figure, f"{which}_title")
    title = axis.title if own is None else own
    if not title:
        return {"title": None}
    return {"title": wrapped(title, room * 1.15, _type(figure)), "titleLimit": round(max(room * 1.3, 60))}


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


def _places(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    k, size = len(axis.places), _type(figure)
    longest = max(map(len, axis.places), default=0)
    found: Vega = {
        "values": list(range(k)),
        "labelExpr": f"{words(axis.places)}[datum.value]",
        "grid": False,
        "ticks": False,
    }
    if which == "y":
        return found | {
            "labelLimit": round(figure.width_mm * PX_PER_MM * 0.4),
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
    return found | {
        "labelAngle": -90 if steep else -35 if crowded else 0,
        "labelAlign": "right" if crowded else "center",
        **({"labelBaseline": "middle"} if steep else {}),
        "labelLimit": round(min(160.0, figure.height_mm * PX_PER_MM * 0.35)) if crowded else 400,
        "labelOverlap": room / max(k, 1) < 1.05 * size,
    }


def _ticks(figure: Figure, which: str, axis: Axis, room: float) -> Vega:
    size = _type(figure)
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


DATE_LABEL = "timeFormat(datum.value, utchours(datum.value) ? '%H:%M' : utcdate(datum.value) > 1 ? '%-d %b' : utcmonth(datum.value) ? '%b' : '%Y')".replace(
    "timeFormat", "utcFormat"
)


def _names(figure: Figure, plot: Plot, panel: Panel, y: Axis) -> list[Vega]:
    """Names of lines at their ends, pushed apart where they would lie on one another."""
    if figure.legend != "direct" or not plot.legend or not panel.ends:
        return []
    span = (y.high - y.low) or 1.0
    least = span * 1.3 * _type(figure) / max(40.0, figure.height_mm * PX_PER_MM - 6 * _type(figure))
    order = sorted(panel.ends.items(), key=lambda e: e[1][1])
    heights: list[float] = []
    for _, (_, wanted) in order:
        heights.append(max(wanted, heights[-1] + least) if heights else wanted)
    colours = {level.name: level.colour for level in plot.levels}
    values = [
        {"x": end[0], "y": at, "text": name if len(name) <= 24 else name[:23] + "…", "colour": colours.get(name, INK)}
        for (name, end), at in zip(order, heights, strict=True)
    ]
    return [
        {
            "data": {"values": values},
            "mark": {"type": "text", "align": "left", "dx": 6, "fontWeight": 600},
            "encoding": {"x": {"field": "x"}, "y": {"field": "y"}, "text": {"field": "text", "type": "nominal"}, "color": {"field": "colour", "type": "nominal", "scale": None}},
        }
    ]  # fmt: skip


def _key(figure: Figure, plot: Plot) -> list[Vega]:
    """The key of colours and marks: a layer without any drawing whose scale carries it."""
    if not plot.legend or figure.legend == "none" or (figure.legend == "direct" and any(p.ends for p in plot.panels)):
        return []
    place = "top" if figure.legend == "direct" else figure.legend
    names = [level.name for level in plot.levels]
    size = _type(figure)
    across = place in ("top", "bottom")
    longest = min(max(map(len, names), default=1), 30)
    fit = max(1, int((figure.width_mm * PX_PER_MM - 30) / ((longest * LETTER + 1.9) * size)))
    legend: Vega = {
        "orient": place,
        "title": wrapped(plot.level_title or "", 22 * size * LETTER, size)
        if plot.level_title and not across
        else None,
        "symbolOpacity": 1,
        "symbolSize": round(6 * size),
        "symbolStrokeWidth": 0,
        "labelLimit": round(30 * LETTER * size),
        **({"columns": min(fit, len(names))} if across else {"columns": 1 + len(names) // 30}),
        **({"direction": "horizontal"} if across else {}),
    }
    colour = {
        "field": "level",
        "type": "nominal",
        "scale": {"domain": names, "range": [level.colour for level in plot.levels]},
        "legend": legend,
    }
    shape = {
        "field": "level",
        "type": "nominal",
        "scale": {"domain": names, "range": [level.shape for level in plot.levels]},
        "legend": legend,
    }
    return [
        {
            "data": {"values": [{"level": names[0]}]},
            "mark": {"type": "point", "filled": True, "size": 0, "opacity": 0},
            "encoding": {"x": {"value": 0}, "y": {"value": 0}, "color": colour, "shape": shape},
        }
    ]  # fmt: skip


def _grid(figure: Figure, plot: Plot, x: Axis, y: Axis, marks: list[Vega], width: int, height: int) -> Vega:
    columns = plot.panel_columns or _columns(len(plot.panels), width, height)
    if not plot.panel_columns:
        for i, panel in enumerate(plot.panels):
            panel.row, panel.column = i // columns, i % columns
    rows = max(p.row for p in plot.panels) + 1
    size = _type(figure)
    gap = round(1.1 * size)
    titled = any(p.title for p in plot.panels)
    inner = [
        max(16.0, (width - 5.5 * size - gap * (columns - 1)) / columns),
        max(
            16.0,
            (height - 4.5 * size - (gap + 1.5 * size * titled) * rows - (2.2 * size if plot.legend else 0)) / rows,
        ),
    ]
    # Axes and key take room that only drawing tells: drawn, measured, and set right, until it is.
    from yavik.core.figures.images import size_of

    base = {
        "$schema": SCHEMA,
        "padding": 4,
        "config": config(figure.type_pt, figure.face, figure.line_pt, figure.grid),
    }
    made = _views(figure, plot, x, y, marks, inner, columns, rows, gap)
    for _ in range(3):
        found = size_of({**base, **made})
        if abs(found[0] - width) <= 2 and abs(found[1] - height) <= 2:
            break
        inner = [max(12.0, inner[0] + (width - found[0]) / columns), max(12.0, inner[1] + (height - found[1]) / rows)]
        made = _views(figure, plot, x, y, marks, inner, columns, rows, gap)
    return made


def _columns(n: int, width: int, height: int) -> int:
    """Panels a little wider than high."""
    return max(1, min(n, round(math.sqrt(n * width / height / 1.15))))


def _views(
    figure: Figure,
    plot: Plot,
    x: Axis,
    y: Axis,
    marks: list[Vega],
    inner: list[float],
    columns: int,
    rows: int,
    gap: int,
) -> Vega:
    size = _type(figure)
    at = {(p.row, p.column): p for p in plot.panels}
    lines = []
    for r in range(rows):
        line = []
        for c in range(columns):
            panel = at.get((r, c))
            if panel is None:
                if any((r, k) in at for k in range(c, columns)):
                    line.append(
                        {
                            "width": round(inner[0], 1),
                            "height": round(inner[1], 1),
                            "data": {"values": []},
                            "mark": "point",
                            "view": {"stroke": None},
                        }
                    )
                continue
            lowest = not any((k, c) in at for k in range(r + 1, rows))
            first = not any((r, k) in at for k in range(c)) or bool(
                panel.y and c == min(k for (q, k) in at if q == r)
            )
            view = _view(figure, plot, panel, x, y, (inner[0], inner[1]), x_axis=lowest, y_axis=first)
            own_axes = panel.x is not None
            if not own_axes:  # axes that all panels share are named once, for the whole
                for which in ("x", "y"):
                    view["encoding"][which]["axis"]["title"] = None
            if panel is plot.panels[0]:
                view["layer"] += marks
            if r == 0 and c == 0:
                view["layer"] += _key(figure, plot)
            title = (
                {
                    "text": wrapped(panel.title, inner[0], size, 2),
                    "fontSize": round(size, 2),
                    "fontWeight": 600,
                    "color": INK,
                    "font": figure.face,
                    "anchor": "middle",
                    "offset": 4,
                }
                if panel.title
                else None
            )
            line.append(
                {
                    "width": round(inner[0], 1),
                    "height": round(inner[1], 1),
                    **({"title": title} if title else {}),
                    **view,
                }
            )
        lines.append({"hconcat": line, "spacing": gap})
    resolve = {"scale": {"color": "shared", "shape": "shared"}}
    whole: Vega = {"vconcat": lines, "spacing": gap, "resolve": resolve}
    if plot.panels[0].x is not None:
        return whole
    up = _whole_title(figure, "y", y, rows * inner[1])
    along = _whole_title(figure, "x", x, columns * inner[0])
    whole |= {"title": {**up, "orient": "left"}} if up else {}
    return {"hconcat": [whole], "resolve": resolve, **({"title": {**along, "orient": "bottom"}} if along else {})}


def _whole_title(figure: Figure, which: str, axis: Axis, room: float) -> Vega | None:
    """The name of an axis that all panels share, as the title of the whole on that side."""
    text = _titled(figure, which, axis, room)["title"]
    if text is None:
        return None
    size = round(_type(figure), 2)
    return {
        "text": text,
        "fontSize": size,
        "fontWeight": 600,
        "font": figure.face,
        "color": INK,
        "anchor": "middle",
        "offset": 6,
    }
