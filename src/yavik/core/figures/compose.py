"""From a plot to Vega-Lite: axes, key, panels, reference lines, notes; one view, or a grid of views of one size."""

import math
from dataclasses import replace

from yavik.core.figures.axes import LETTER, bounded, channel, titled, type_px, wrapped
from yavik.core.figures.describe import Figure
from yavik.core.figures.extras import extras, ranges_of
from yavik.core.figures.plot import Axis, Panel, Plot, Vega
from yavik.core.figures.style import INK, PX_PER_MM, config

SCHEMA = "https://vega.github.io/schema/vega-lite/v6.json"


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
        room = (width - 7 * type_px(figure), height - 6 * type_px(figure))
        view = _view(figure, plot, plot.panels[0], x, y, room)
        view["layer"] += marks + _key(figure, plot)
        return {**base, "width": width, "height": height, "autosize": {"type": "fit", "contains": "padding"}, **view}
    return {**base, **_grid(figure, plot, x, y, marks, width, height)}


def _room_for_names(figure: Figure, plot: Plot, x: Axis) -> Axis:
    """Names at the ends of lines need room on the right."""
    longest = max((len(name) for p in plot.panels for name in p.ends), default=0)
    columns = max((p.column for p in plot.panels), default=0) + 1
    room = max(40.0, figure.width_mm * PX_PER_MM / columns - 6 * type_px(figure))
    share = min(0.6, (min(longest, 24) * LETTER * type_px(figure) + 8) / room)
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
            "x": channel(figure, "x", panel_x, room[0], x_axis),
            "y": channel(figure, "y", panel_y, room[1], y_axis and panel_y.shown),
        },
        "layer": inner or [{"data": {"values": []}, "mark": "point"}],
    }


def _names(figure: Figure, plot: Plot, panel: Panel, y: Axis) -> list[Vega]:
    """Names of lines at their ends, pushed apart where they would lie on one another."""
    if figure.legend != "direct" or not plot.legend or not panel.ends:
        return []
    span = (y.high - y.low) or 1.0
    least = span * 1.3 * type_px(figure) / max(40.0, figure.height_mm * PX_PER_MM - 6 * type_px(figure))
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
    size = type_px(figure)
    across = place in ("top", "bottom")
    longest = min(max(map(len, names), default=1), 30)
    fit = max(1, int((figure.width_mm * PX_PER_MM - 30) / ((longest * LETTER + 1.9) * size)))
    legend: Vega = {
        "orient": place,
        "title": (
            wrapped(plot.level_title or "", 22 * size * LETTER, size) if plot.level_title and not across else None
        ),
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
    size = type_px(figure)
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
    size = type_px(figure)
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
    text = titled(figure, which, axis, room)["title"]
    if text is None:
        return None
    size = round(type_px(figure), 2)
    return {
        "text": text,
        "fontSize": size,
        "fontWeight": 600,
        "font": figure.face,
        "color": INK,
        "anchor": "middle",
        "offset": 6,
    }
