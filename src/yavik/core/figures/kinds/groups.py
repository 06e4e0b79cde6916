"""Values by groups: boxes, violins, points, swarms, means and bars with intervals, lines that join means."""

from dataclasses import replace
from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import interval, listing, number
from yavik.core.ask import GROUPS, VALUES
from yavik.core.figures.caption import counts_words, lower, mean_words, whisker_words
from yavik.core.figures.data import Grouped, grouped, printed_decimals, side_by_side
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, SlotCard
from yavik.core.figures.kinds.group_layers import LAYERS, MEANS, Box, Cell, Cells, box_of, drawn_layers, mean_of
from yavik.core.figures.layers import (
    MOST_POINTS,
)
from yavik.core.figures.plot import Axis, Kept, Panel, Plot, Style
from yavik.core.figures.reading import Sorted, filled, levels, one, reorder, sort_by, split
from yavik.core.stats.groups import Groups
from yavik.core.table import Table

LOOKS = ("whiskers", "jitter", "interval", "order", "y", "marks", "smooth")


def cells_of(figure: Figure, data: Grouped, style: Kept | None = None) -> Cells:
    """From groups that a method or the sentence of samples has read already."""
    names = Sorted(np.zeros(0, np.int32), data.groups.names, data.group)
    order = reorder(replace_codes(names), figure, _centres(data.groups))
    if order.names != names.names:
        places = [data.groups.names.index(n) for n in order.names]
        data = replace(data, groups=_taken(data.groups, places))
    return Cells(
        data.groups, data.groups.names, [(0, 0, "")], 0, levels(figure, order, style), False, data.value_axis,
        data.value,
        data.group, data.decimals, bool(figure.samples), None if figure.samples else data.group,
    )  # fmt: skip


def replace_codes(found: Sorted) -> Sorted:
    """The same levels, each standing for itself."""
    return replace(found, codes=np.arange(found.k, dtype=np.int32))


def _taken(groups: Groups, places: list[int]) -> Groups:
    parts = [groups.part(i) for i in places]
    rows = [groups.part_rows(i) for i in places]
    starts = np.concatenate([[0], np.cumsum([len(p) for p in parts])]).astype(np.int64)
    return Groups(np.concatenate(parts), starts, np.concatenate(rows), tuple(groups.names[i] for i in places))


def _centres(groups: Groups) -> Any:
    return np.array([np.median(groups.part(i)) if groups.n[i] else np.nan for i in range(groups.k)])


def read(figure: Figure, table: Table, style: Style) -> Cells:
    """The cells of the figure, from a column and groups or from one column each."""
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
        else levels(figure, parts.colour, style.get(figure.colour))
    )
    column = table.column(figure.response)
    return Cells(
        parts.cells(np.where(used, y, np.nan), table.rows, by), by.names, parts.panels,
        parts.panel.k if figure.panel_rows else 0, shown, not same, column.axis_title, column.title, by.title,
        printed_decimals(column), False, by.title if same else parts.colour.title,
    )  # fmt: skip


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """Values by groups."""
    return plot_cells(figure, read(figure, table, style))


def plot_cells(figure: Figure, data: Cells) -> Plot:
    """The picture of cells that were read."""
    boxes = {i: box_of(figure, data.groups.ordered[i]) for i in range(data.groups.k) if data.groups.n[i]}
    panels, shown = [], 0
    for p, (row, column, title) in enumerate(data.panels):
        cells = data.cells(p)
        made, drawn = drawn_layers(figure, data, cells, boxes)
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


def _top(figure: Figure, data: Cells, cell: Cell, boxes: dict[int, Box]) -> float:
    if set(figure.show) <= MEANS:
        return max(mean_of(figure, data, cell.index)[2], 0.0 if "bar" in figure.show else -np.inf)
    return boxes[cell.index].top


def _span(figure: Figure, data: Cells, boxes: dict[int, Box]) -> tuple[float, float]:
    if set(figure.show) <= MEANS:
        spans = [mean_of(figure, data, i) for i in boxes]
        low, high = min(s[1] for s in spans), max(s[2] for s in spans)
    else:
        low, high = min(b.bottom for b in boxes.values()), max(b.top for b in boxes.values())
    if "bar" in figure.show:
        return min(0.0, low), max(0.0, high)
    return low, high


def _ends(data: Cells, cells: list[Cell]) -> dict[str, tuple[float, float]]:
    return {c.level.name: (c.group + 0.42, float(data.groups.means[c.index])) for c in cells} if data.dodged else {}


def _caption(figure: Figure, data: Cells, shown: int) -> dict[str, str]:
    n = data.groups.n[data.groups.n > 0]
    named = f"{data.value} by {lower(data.group)}" if data.group else data.value
    subject = listing(list(data.names), 6) if data.samples else named
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
            f"{name}: n {number(float(data.groups.n[c.index]), 0)}, median {number(float(median), d)}, quartiles"
            f" {interval(float(q1), float(q3), d)}"
        )
    if len(found) > 12:
        parts.append(f"and {len(found) - 12} more groups")
    by = f" by {data.group}" if data.group else ""
    return f"{data.value_axis}{by}. {listing(parts, 20)}."


def _behind(figure: Figure, data: Cells) -> TableBlock:
    d = data.decimals + 1
    rows = []
    for p, (_, _, title) in enumerate(data.panels):
        for c in data.cells(p):
            q1, median, q3 = (float(v) for v in data.groups.quartiles[c.index])
            mean, low, high = mean_of(figure, data, c.index)
            sd = float(np.sqrt(data.groups.variances[c.index]))
            ordered, smallest = data.groups.ordered[c.index], data.decimals
            reach = {}
            if figure.interval != "none" and set(figure.show) & MEANS:
                reach = q.row(low=q.num(low, d, "Bar from"), high=q.num(high, d, "to"))
            rows.append(
                q.row(
                    panel=q.name(title, "Panel" if len(data.panels) > 1 else None), group=q.name(c.name, data.group),
                    n=q.count(data.groups.n[c.index]), mean=q.num(mean, d, "Mean"),
                    sd=q.num(sd, d, "SD", why="one value has no spread"), **reach,
                    min=q.num(float(ordered[0]), smallest, "Smallest"), q1=q.num(q1, d, "Lower quartile"),
                    median=q.num(median, d, "Median"), q3=q.num(q3, d, "Upper quartile"),
                    max=q.num(float(ordered[-1]), smallest, "Largest"),
                )
            )  # fmt: skip
    return q.table("behind", data.value_axis, rows)


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
