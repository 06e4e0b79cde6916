"""Values by groups: boxes, violins, points, swarms, means and bars with intervals, lines that join means."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import TableBlock
from yavik.core.answers.make import grid
from yavik.core.answers.wording import interval, listing, num, number, whole, word
from yavik.core.figures.caption import counts_words, lower, mean_words, whisker_words
from yavik.core.figures.data import Grouped, grouped, printed_decimals, side_by_side
from yavik.core.figures.describe import GROUPS, VALUES, Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import (
    MOST_POINTS,
    brief,
    dodge,
    lines,
    points,
    points_of,
    polygons,
    rects,
    rule,
    thinned,
    values_of,
)
from yavik.core.figures.layers import layer as layer_of
from yavik.core.figures.plot import Axis, Level, Panel, Plot
from yavik.core.figures.reading import Sorted, filled, levels, one, reorder, sort_by, split
from yavik.core.figures.style import INK
from yavik.core.stats.density import bandwidth, density
from yavik.core.stats.groups import Groups, sorted_quantiles
from yavik.core.table import Table

LAYERS = (
    LayerCard("box", "box", "median, quartiles and whiskers"),
    LayerCard("violin", "violin", "the shape of the values"),
    LayerCard("points", "points", "every value"),
    LayerCard("swarm", "swarm", "every value, side by side"),
    LayerCard("mean", "mean", "mean with its interval"),
    LayerCard("bar", "bar", "a bar up to the mean"),
    LayerCard("join", "line", "means joined across the groups"),
)
LOOKS = ("whiskers", "jitter", "interval", "order", "y", "marks", "smooth")


@dataclass(frozen=True)
class Cells:
    """Values by panel, group and colour. ``level_of`` tells which level's colour a cell has."""

    groups: Groups
    names: tuple[str, ...]
    panels: list[tuple[int, int, str]]
    panel_columns: int
    levels: list[Level]
    dodged: bool
    value_axis: str
    value: str
    group: str
    decimals: int
    samples: bool
    level_title: str | None = None

    def index(self, panel: int, group: int, colour: int) -> int:
        return (panel * len(self.names) + group) * (len(self.levels) if self.dodged else 1) + colour

    def cells(self, panel: int) -> list["Cell"]:
        """The cells of a panel that hold values, each with its place on the axis."""
        found = []
        for g in range(len(self.names)):
            for c in range(len(self.levels) if self.dodged else 1):
                i = self.index(panel, g, c)
                if self.groups.n[i]:
                    off, width = dodge(c, len(self.levels)) if self.dodged else (0.0, 0.8)
                    name = f"{self.names[g]}, {self.levels[c].name}" if self.dodged else self.names[g]
                    found.append(Cell(i, g, g + off, width, name, self.levels[c if self.dodged else g]))
        return found


@dataclass(frozen=True)
class Cell:
    index: int
    group: int
    x: float
    width: float
    name: str
    level: Level


def cells_of(figure: Figure, data: Grouped, style: dict[str, str] | None = None) -> Cells:
    """From groups that a method or the sentence of samples has read already."""
    names = Sorted(np.zeros(0, np.int32), data.groups.names, data.group)
    order = reorder(replace_codes(names), figure, _centres(data.groups))
    if order.names != names.names:
        places = [data.groups.names.index(n) for n in order.names]
        data = replace(data, groups=_taken(data.groups, places))
    return Cells(
        data.groups, data.groups.names, [(0, 0, "")], 0, levels(figure, order, style), False, data.value_axis, data.value,
        data.group, data.decimals, bool(figure.samples), None if figure.samples else data.group,
    )  # fmt: skip


def replace_codes(found: Sorted) -> Sorted:
    return replace(found, codes=np.arange(found.k, dtype=np.int32))


def _taken(groups: Groups, places: list[int]) -> Groups:
    parts = [groups.part(i) for i in places]
    rows = [groups.part_rows(i) for i in places]
    starts = np.concatenate([[0], np.cumsum([len(p) for p in parts])]).astype(np.int64)
    return Groups(np.concatenate(parts), starts, np.concatenate(rows), tuple(groups.names[i] for i in places))


def _centres(groups: Groups) -> Any:
    return np.array([np.median(groups.part(i)) if groups.n[i] else np.nan for i in range(groups.k)])


def read(figure: Figure, table: Table, style: dict[str, dict[str, str]]) -> Cells:
    if figure.kind == "samples":
        return cells_of(figure, side_by_side(table, figure.samples))
    assert figure.response and figure.groups
    same = figure.colour in (None, figure.groups)
    if same and figure.panel is None and figure.panel_rows is None:
        data = grouped(table, figure.response, figure.groups, [])
        return cells_of(figure, data, style.get(figure.groups))
    y = table.numbers(figure.response)
    used = filled(
        table, figure.response, figure.groups, None if same else figure.colour, figure.panel, figure.panel_rows
    )
    by = sort_by(table, figure.groups, used, 500, "groups")
    if figure.order == "value":
        by = reorder(by, figure, _centres(Groups.of(y, by.codes, table.rows, by.names)))
    else:
        by = reorder(by, figure)
    parts = split(figure, table, used)
    if same:
        parts = replace(parts, colour=one(table.n_rows))
    shown = (
        levels(figure, by, style.get(figure.groups))
        if same
        else levels(figure, parts.colour, style.get(figure.colour or ""))
    )
    column = table.column(figure.response)
    return Cells(
        parts.cells(np.where(used, y, np.nan), table.rows, by), by.names, parts.panels,
        parts.panel.k if figure.panel_rows else 0, shown, not same, column.axis_title, column.title, by.title,
        printed_decimals(column), False, by.title if same else parts.colour.title,
    )  # fmt: skip


def plot(figure: Figure, table: Table, style: dict[str, dict[str, str]]) -> Plot:
    return plot_cells(figure, read(figure, table, style))


def plot_cells(figure: Figure, data: Cells) -> Plot:
    boxes = {i: _box(figure, data.groups.ordered[i]) for i in range(data.groups.k) if data.groups.n[i]}
    panels, shown = [], 0
    for p, (row, column, title) in enumerate(data.panels):
        cells = data.cells(p)
        made, drawn = _layers(figure, data, cells, boxes)
        shown += drawn
        tops = {} if data.dodged else {c.name: (c.x, _top(figure, data, c, boxes)) for c in cells}
        ends = _ends(data, cells) if "join" in figure.show else {}
        panels.append(Panel(title, made, row, column, ends=ends, tops=tops))
    low, high = _span(figure, data, boxes)
    k = len(data.names)
    return Plot(
        x=Axis(data.group, -0.5, k - 0.5, "places", list(data.names), exact=True, grid=False),
        y=Axis(data.value_axis, low, high),
        panels=panels,
        levels=data.levels,
        caption=_caption(figure, data, shown),
        alt=_alt(data),
        behind=_behind(figure, data),
        level_title=data.level_title,
        legend=data.dodged,
        panel_columns=data.panel_columns,
    )


@dataclass(frozen=True)
class Box:
    q1: float
    median: float
    q3: float
    low: float
    high: float
    bottom: float
    top: float


def _box(figure: Figure, ordered: Any) -> Box:
    q1, median, q3 = sorted_quantiles(ordered, (0.25, 0.5, 0.75))
    if figure.whiskers == "range":
        low, high = ordered[0], ordered[-1]
    elif figure.whiskers == "percentiles":
        low, high = sorted_quantiles(ordered, (figure.low_percentile / 100, figure.high_percentile / 100))
    else:
        inside = ordered[(ordered >= q1 - 1.5 * (q3 - q1)) & (ordered <= q3 + 1.5 * (q3 - q1))]
        low, high = inside[0], inside[-1]
    return Box(*(float(v) for v in (q1, median, q3, low, high, ordered[0], ordered[-1])))


def _mean(figure: Figure, data: Cells, i: int) -> tuple[float, float, float]:
    """Mean with the ends of its bar; a group of one has no bar."""
    mean, n = float(data.groups.means[i]), int(data.groups.n[i])
    if n < 2 or figure.interval == "none":
        return mean, mean, mean
    sd = float(np.sqrt(data.groups.variances[i]))
    reach = {"sd": sd, "se": sd / np.sqrt(n)}.get(figure.interval)
    if reach is None:
        reach = float(stats.t.isf((1 - figure.level) / 2, n - 1)) * sd / np.sqrt(n)
    return mean, mean - reach, mean + reach


MEANS = {"mean", "bar", "join"}


def _top(figure: Figure, data: Cells, cell: Cell, boxes: dict[int, Box]) -> float:
    if set(figure.show) <= MEANS:
        return max(_mean(figure, data, cell.index)[2], 0.0 if "bar" in figure.show else -np.inf)
    return boxes[cell.index].top


def _span(figure: Figure, data: Cells, boxes: dict[int, Box]) -> tuple[float, float]:
    if set(figure.show) <= MEANS:
        spans = [_mean(figure, data, i) for i in boxes]
        low, high = min(s[1] for s in spans), max(s[2] for s in spans)
    else:
        low, high = min(b.bottom for b in boxes.values()), max(b.top for b in boxes.values())
    if "bar" in figure.show:
        return min(0.0, low), max(0.0, high)
    return low, high


def _layers(
    figure: Figure, data: Cells, cells: list[Cell], boxes: dict[int, Box]
) -> tuple[list[dict[str, Any]], int]:
    width = points_of(figure.line_pt)
    made: list[dict[str, Any]] = []
    shown = 0
    if "bar" in figure.show:
        made.append(_bars(figure, data, cells, width))
    if "violin" in figure.show:
        made.append(_violins(figure, data, cells, width))
    if "box" in figure.show:
        made += _box_layers(cells, boxes, width, slim="violin" in figure.show)
    if "points" in figure.show or "swarm" in figure.show:
        values = _points(figure, data, cells)
        shown = len(values)
        made.append(points(values, opacity=0.75, tooltip=values_of("y", data.value_axis)))
    elif "box" in figure.show:
        made.append(points(_beyond(data, cells, boxes), opacity=0.9, tooltip=values_of("y", data.value_axis)))
    if "join" in figure.show:
        made.append(lines(_joined(data, cells), 2 * width))
    if "mean" in figure.show or "bar" in figure.show:
        made += _mean_layers(figure, data, cells, width, diamond="mean" in figure.show)
    return made, shown


def _box_layers(cells: list[Cell], boxes: dict[int, Box], width: float, slim: bool) -> list[dict[str, Any]]:
    values = []
    for c in cells:
        b, half = boxes[c.index], (0.07 if slim else 0.3) * c.width
        values.append(
            {
                "x": c.x,
                "x0": c.x - half,
                "x1": c.x + half,
                "m0": c.x - half / 2,
                "m1": c.x + half / 2,
                "q1": b.q1,
                "q3": b.q3,
                "median": b.median,
                "low": b.low,
                "high": b.high,
                "colour": c.level.colour,
            }
        )
    return [
        rule(values, width, x="x", y="low", y2="q1"),
        rule(values, width, x="x", y="q3", y2="high"),
        *([] if slim else [rule(values, width, x="m0", x2="m1", y=end) for end in ("low", "high")]),
        rects(values, opacity=0.22 if not slim else 0.6, stroke=width, x="x0", x2="x1", y="q1", y2="q3"),
        rule(values, 2 * width, x="x0", x2="x1", y="median"),
    ]


def _violins(figure: Figure, data: Cells, cells: list[Cell], width: float) -> dict[str, Any]:
    values: list[dict[str, Any]] = []
    for c in cells:
        ordered = data.groups.ordered[c.index]
        usual = bandwidth(ordered) * figure.smooth
        if usual <= 0:
            continue
        at, height = density(ordered, usual, float(ordered[0]), float(ordered[-1]))
        half = height / height.max() * 0.45 * c.width
        outline = [*zip(c.x - half, at, strict=True), *zip((c.x + half)[::-1], at[::-1], strict=True)]
        values += [
            {"x": brief(x), "y": brief(y), "at": i, "line": c.name, "colour": c.level.colour}
            for i, (x, y) in enumerate(outline)
        ]
    return polygons(values, opacity=0.22, width=width)


def _points(figure: Figure, data: Cells, cells: list[Cell]) -> list[dict[str, Any]]:
    """Points with seeded jitter or as a swarm; beyond ``MOST_POINTS`` a seeded random part of each group."""
    values = []
    total = len(data.groups.y)
    for c, seed in zip(cells, np.random.SeedSequence(figure.seed).spawn(max(len(cells), 1)), strict=False):
        part, rows = data.groups.part(c.index), data.groups.part_rows(c.index)
        kept = thinned(len(part), total, figure.seed)
        part, rows = part[kept], rows[kept]
        if "swarm" in figure.show:
            off = _swarm(part, figure, data, c.width)
        else:
            off = (np.random.default_rng(seed).random(len(part)) - 0.5) * figure.jitter * c.width / 0.8
        values += [
            {"x": round(float(c.x + o), 4), "y": float(y), "row": int(r), "group": c.name, "colour": c.level.colour, "shape": c.level.shape}
            for o, y, r in zip(off, part, rows, strict=True)
        ]  # fmt: skip
    return values


def _swarm(part: Any, figure: Figure, data: Cells, width: float) -> Any:
    """Side by side within rows of a point's height; the widest row is drawn closer where it would leave its place."""
    span = max(float(np.ptp(data.groups.y)), 1e-300)
    rows_high = max(8.0, figure.height_mm * 3.78 * 0.75 / 4.2)
    row = np.round((part - data.groups.y.min()) / span * rows_high).astype(int)
    order = np.lexsort((part, row))
    place = np.empty(len(part))
    starts = np.flatnonzero(np.r_[True, np.diff(row[order]) != 0]) if len(part) else np.empty(0, int)
    for a, b in zip(starts, np.r_[starts[1:], len(part)], strict=True):
        n = b - a
        middle_out = np.argsort(np.abs(np.arange(n) - (n - 1) / 2), kind="stable")
        slots = np.empty(n)
        slots[:] = (np.arange(n) - (n - 1) / 2)[middle_out]
        place[order[a:b]] = slots
    room = width / 2 * 0.95
    step = 4.6 / max(1.0, figure.width_mm * 3.78 * 0.8 / max(len(data.names), 1))
    widest = np.abs(place).max(initial=0.0) * step
    return place * step * min(1.0, room / widest if widest else 1.0)


def _beyond(data: Cells, cells: list[Cell], boxes: dict[int, Box]) -> list[dict[str, Any]]:
    """Values outside the whiskers, drawn where the points themselves are not."""
    values = []
    for c in cells:
        part, rows = data.groups.part(c.index), data.groups.part_rows(c.index)
        b = boxes[c.index]
        out = np.flatnonzero((part < b.low) | (part > b.high))[:500]
        values += [
            {"x": c.x, "y": float(part[j]), "row": int(rows[j]), "group": c.name, "colour": c.level.colour, "shape": c.level.shape}
            for j in out
        ]  # fmt: skip
    return values


def _bars(figure: Figure, data: Cells, cells: list[Cell], width: float) -> dict[str, Any]:
    values = [
        {
            "x0": c.x - 0.4 * c.width, "x1": c.x + 0.4 * c.width, "zero": max(0.0, figure.y_min or 0.0),
            "mean": _mean(figure, data, c.index)[0], "colour": c.level.colour,
        }
        for c in cells
    ]  # fmt: skip
    return rects(values, opacity=0.45, stroke=width, x="x0", x2="x1", y="zero", y2="mean")


def _joined(data: Cells, cells: list[Cell]) -> list[dict[str, Any]]:
    return [
        {
            "x": c.x, "y": float(data.groups.means[c.index]), "at": c.group,
            "line": c.level.name if data.dodged else "means", "colour": c.level.colour if data.dodged else INK,
        }
        for c in cells
    ]  # fmt: skip


def _ends(data: Cells, cells: list[Cell]) -> dict[str, tuple[float, float]]:
    return {c.level.name: (c.group + 0.42, float(data.groups.means[c.index])) for c in cells} if data.dodged else {}


def _mean_layers(figure: Figure, data: Cells, cells: list[Cell], width: float, diamond: bool) -> list[dict[str, Any]]:
    values = []
    for c in cells:
        mean, low, high = _mean(figure, data, c.index)
        half = 0.09 * c.width
        values.append(
            {
                "x": c.x,
                "y": mean,
                "mean": mean,
                "low": low,
                "high": high,
                "m0": c.x - half,
                "m1": c.x + half,
                "colour": c.level.colour,
                "shape": "diamond",
                "group": c.name,
            }
        )
    made: list[dict[str, Any]] = []
    if figure.interval != "none":
        made.append(rule(values, 1.5 * width, x="x", y="low", y2="high"))
        made += [rule(values, 1.5 * width, x="m0", x2="m1", y=end) for end in ("low", "high")]
    if diamond:
        mark = {
            "type": "point",
            "filled": True,
            "shape": "diamond",
            "size": 70,
            "stroke": INK,
            "strokeWidth": width,
            "opacity": 1,
        }
        fill = {"field": "colour", "type": "nominal", "scale": None}
        told = [
            {"field": "group", "type": "nominal", "title": "group"},
            {"field": "mean", "type": "quantitative", "title": "mean", "format": ".6~g"},
        ]
        made.append(layer_of(values, mark, x={"field": "x"}, y={"field": "y"}, fill=fill, tooltip=told))
    return made


def _caption(figure: Figure, data: Cells, shown: int) -> dict[str, str]:
    n = data.groups.n[data.groups.n > 0]
    subject = listing(list(data.names), 6) if data.samples else f"{data.value} by {lower(data.group)}"
    parts = {"subject": subject, "counts": counts_words(n)}
    if "box" in figure.show:
        parts["boxes"] = f"Boxes show medians and quartiles, whiskers {whisker_words(figure)}."
    if "violin" in figure.show:
        parts["violins"] = "The outlines show the density of the values."
    total = int(n.sum())
    if "points" in figure.show or "swarm" in figure.show:
        spread = "side by side" if "swarm" in figure.show else "sideways only to be seen"
        parts["points"] = (
            f"Each point is one value, spread {spread}."
            if shown >= total
            else f"Points are a random {number(shown, 0)} of {number(total, 0)} values."
        )
    elif "box" in figure.show and figure.whiskers != "range":
        parts["points"] = "Points are the values beyond the whiskers."
    if set(figure.show) & MEANS:
        what = "Bars" if "bar" in figure.show else "Diamonds" if "mean" in figure.show else "Lines"
        joined = " and the line joins them" if "join" in figure.show and what == "Diamonds" else ""
        reach = mean_words(figure, "whiskers" if what == "Bars" else "bars") if what != "Lines" else ""
        parts["means"] = f"{what} show means{joined}{reach}."
    return parts


def _alt(data: Cells) -> str:
    """The picture in words: for those who do not see it, and for the document's image."""
    d = data.decimals + (1 if data.decimals < 2 else 0)
    found = [(p, c) for p in range(len(data.panels)) for c in data.cells(p)]
    parts = []
    for p, c in found[:12]:
        q1, median, q3 = data.groups.quartiles[c.index]
        name = ", ".join(filter(None, (data.panels[p][2], c.name)))
        parts.append(
            f"{name}: n {data.groups.n[c.index]}, median {number(float(median), d)}, quartiles {interval(float(q1), float(q3), d)}"
        )
    if len(found) > 12:
        parts.append(f"and {len(found) - 12} more groups")
    return f"{data.value_axis} by {data.group}. {listing(parts, 20)}."


def _behind(figure: Figure, data: Cells) -> TableBlock:
    d = data.decimals + 1
    rows = []
    for p, (_, _, title) in enumerate(data.panels):
        for c in data.cells(p):
            q1, median, q3 = (float(v) for v in data.groups.quartiles[c.index])
            mean, low, high = _mean(figure, data, c.index)
            sd = float(np.sqrt(data.groups.variances[c.index]))
            line = {
                "group": word(c.name),
                "n": whole(int(data.groups.n[c.index])),
                "mean": num(mean, d),
                "sd": num(sd, d, "one value has no spread"),
            }
            if len(data.panels) > 1:
                line["panel"] = word(title)
            if figure.interval != "none" and set(figure.show) & MEANS:
                line |= {"low": num(low, d), "high": num(high, d)}
            ordered = data.groups.ordered[c.index]
            rows.append(
                line
                | {
                    "min": num(float(ordered[0]), data.decimals),
                    "q1": num(q1, d),
                    "median": num(median, d),
                    "q3": num(q3, d),
                    "max": num(float(ordered[-1]), data.decimals),
                }
            )
    columns = [("panel", "Panel<")] if len(data.panels) > 1 else []
    columns += [("group", f"{data.group}<"), ("n", "n"), ("mean", "Mean"), ("sd", "SD")]
    if rows and "low" in rows[0]:
        columns += [("low", "Bar from"), ("high", "to")]
    columns += [
        ("min", "Smallest"),
        ("q1", "Lower quartile"),
        ("median", "Median"),
        ("q3", "Upper quartile"),
        ("max", "Largest"),
    ]
    return grid("behind", data.value_axis, columns, rows)


GROUPS_KIND = Kind(
    id="groups",
    words="one column of values by groups",
    sentence="Show {response} by {groups} as {show}, coloured by {colour}, one panel per {panel} and {panel_rows}",
    slots={
        "response": SlotCard("Measurement", VALUES, "a measure"),
        "groups": SlotCard("Groups", GROUPS, "groups"),
        "colour": COLOUR,
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
    },
    needed=("response", "groups"),
    layers=LAYERS,
    usual=("box", "points"),
    looks=LOOKS,
    plot=plot,
    coloured_by=("colour", "groups"),
)
SAMPLES_KIND = Kind(
    id="samples",
    words="samples that stand side by side",
    sentence="Show the samples {samples} as {show}",
    slots={"samples": SlotCard("Samples", VALUES, "columns", many=True)},
    needed=("samples",),
    layers=LAYERS,
    usual=("box", "points"),
    looks=LOOKS,
    plot=plot,
)
__all__ = ["GROUPS_KIND", "MOST_POINTS", "SAMPLES_KIND", "cells_of", "plot_cells"]
