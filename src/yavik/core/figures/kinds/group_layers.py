"""What stands at each group: boxes, violins, points, swarms, bars, means."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import LayerCard
from yavik.core.figures.layers import (
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
from yavik.core.figures.plot import Level
from yavik.core.figures.style import INK
from yavik.core.stats.density import bandwidth, density
from yavik.core.stats.direction import t_reach
from yavik.core.stats.groups import Groups, sorted_quantiles

LAYERS = (
    LayerCard("box", "box", "median, quartiles and whiskers"),
    LayerCard("violin", "violin", "the shape of the values"),
    LayerCard("points", "points", "every value"),
    LayerCard("swarm", "swarm", "every value, side by side"),
    LayerCard("mean", "mean", "mean with its interval"),
    LayerCard("bar", "bar", "a bar up to the mean"),
    LayerCard("join", "line", "means joined across the groups"),
)


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
        """The place of a cell among all of them."""
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


@dataclass(frozen=True)
class Box:
    q1: float
    median: float
    q3: float
    low: float
    high: float
    bottom: float
    top: float


def box_of(figure: Figure, ordered: Any) -> Box:
    """Quartiles, whiskers and what lies beyond."""
    q1, median, q3 = sorted_quantiles(ordered, (0.25, 0.5, 0.75))
    if figure.whiskers == "range":
        low, high = ordered[0], ordered[-1]
    elif figure.whiskers == "percentiles":
        low, high = sorted_quantiles(ordered, (figure.low_percentile / 100, figure.high_percentile / 100))
    else:
        inside = ordered[(ordered >= q1 - 1.5 * (q3 - q1)) & (ordered <= q3 + 1.5 * (q3 - q1))]
        low, high = inside[0], inside[-1]
    return Box(*(float(v) for v in (q1, median, q3, low, high, ordered[0], ordered[-1])))


def mean_of(figure: Figure, data: Cells, i: int) -> tuple[float, float, float]:
    """Mean with the ends of its bar; a group of one has no bar."""
    mean, n = float(data.groups.means[i]), int(data.groups.n[i])
    if n < 2 or figure.interval == "none":
        return mean, mean, mean
    sd = float(np.sqrt(data.groups.variances[i]))
    reach = {"sd": sd, "se": sd / np.sqrt(n)}.get(figure.interval)
    if reach is None:
        reach = t_reach(n - 1, 1 - figure.level) * sd / np.sqrt(n)
    return mean, mean - reach, mean + reach


MEANS = {"mean", "bar", "join"}


def drawn_layers(
    figure: Figure, data: Cells, cells: list[Cell], boxes: dict[int, Box]
) -> tuple[list[dict[str, Any]], int]:
    """The layers chosen, and how many points were drawn."""
    width = points_of(figure.line_pt)
    made: list[dict[str, Any]] = []
    shown = 0
    if "bar" in figure.show:
        made.append(bars_of(figure, data, cells, width))
    if "violin" in figure.show:
        made.append(violins(figure, data, cells, width))
    if "box" in figure.show:
        made += box_layers(cells, boxes, width, slim="violin" in figure.show)
    if "points" in figure.show or "swarm" in figure.show:
        values = scattered(figure, data, cells)
        shown = len(values)
        made.append(points(values, opacity=0.75, tooltip=values_of("y", data.value_axis)))
    elif "box" in figure.show:
        made.append(points(beyond(data, cells, boxes), opacity=0.9, tooltip=values_of("y", data.value_axis)))
    if "join" in figure.show:
        made.append(lines(joined(data, cells), 2 * width))
    if "mean" in figure.show or "bar" in figure.show:
        made += mean_layers(figure, data, cells, width, diamond="mean" in figure.show)
    return made, shown


def box_layers(cells: list[Cell], boxes: dict[int, Box], width: float, slim: bool) -> list[dict[str, Any]]:
    """Boxes with their whiskers."""
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


def violins(figure: Figure, data: Cells, cells: list[Cell], width: float) -> dict[str, Any]:
    """Densities, mirrored."""
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


def scattered(figure: Figure, data: Cells, cells: list[Cell]) -> list[dict[str, Any]]:
    """Points with seeded jitter or as a swarm; beyond ``MOST_POINTS`` a seeded random part of each group."""
    values = []
    total = len(data.groups.y)
    for c, seed in zip(cells, np.random.SeedSequence(figure.seed).spawn(max(len(cells), 1)), strict=False):
        part, rows = data.groups.part(c.index), data.groups.part_rows(c.index)
        kept = thinned(len(part), total, figure.seed)
        part, rows = part[kept], rows[kept]
        if "swarm" in figure.show:
            off = swarm(part, figure, data, c.width)
        else:
            off = (np.random.default_rng(seed).random(len(part)) - 0.5) * figure.jitter * c.width / 0.8
        values += [
            {"x": round(float(c.x + o), 4), "y": float(y), "row": int(r), "group": c.name, "colour": c.level.colour, "shape": c.level.shape}
            for o, y, r in zip(off, part, rows, strict=True)
        ]  # fmt: skip
    return values


def swarm(part: Any, figure: Figure, data: Cells, width: float) -> Any:
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


def beyond(data: Cells, cells: list[Cell], boxes: dict[int, Box]) -> list[dict[str, Any]]:
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


def bars_of(figure: Figure, data: Cells, cells: list[Cell], width: float) -> dict[str, Any]:
    """Bars as high as the means."""
    values = [
        {
            "x0": c.x - 0.4 * c.width, "x1": c.x + 0.4 * c.width, "zero": max(0.0, figure.y_min or 0.0),
            "mean": mean_of(figure, data, c.index)[0], "colour": c.level.colour,
        }
        for c in cells
    ]  # fmt: skip
    return rects(values, opacity=0.45, stroke=width, x="x0", x2="x1", y="zero", y2="mean")


def joined(data: Cells, cells: list[Cell]) -> list[dict[str, Any]]:
    """Lines from mean to mean."""
    return [
        {
            "x": c.x, "y": float(data.groups.means[c.index]), "at": c.group,
            "line": c.level.name if data.dodged else "means", "colour": c.level.colour if data.dodged else INK,
        }
        for c in cells
    ]  # fmt: skip


def mean_layers(figure: Figure, data: Cells, cells: list[Cell], width: float, diamond: bool) -> list[dict[str, Any]]:
    """Means with their intervals."""
    values = []
    for c in cells:
        mean, low, high = mean_of(figure, data, c.index)
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
