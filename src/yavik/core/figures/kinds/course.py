"""A course along time or another ordered column: lines of values or means, with bands, steps and areas."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, listing, number
from yavik.core.ask import ALONG, VALUES
from yavik.core.figures.caption import counts_words, lower, mean_words
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import band, lines, path, place, points, points_of, rule
from yavik.core.figures.plot import Axis, Level, Panel, Plot, Style, Vega
from yavik.core.figures.reading import along, filled, levels, split
from yavik.core.stats import distributions as laws
from yavik.core.table import Column, DataProblem, Table
from yavik.core.table import Kind as ColumnKind
from yavik.core.table.table import date_text

MOST_PLACES = 2000
"""Places along an axis that are drawn one by one; beyond, neighbours are drawn together by their mean."""


@dataclass(frozen=True)
class Course:
    """Means of one line at its places."""

    level: Level
    panel: str
    x: Any
    mean: Any
    low: Any
    high: Any
    n: Any


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """One column along another, a line for each level. Raises DataProblem where nothing can be drawn."""
    assert figure.response and figure.x
    if figure.response == figure.x:
        raise DataProblem(f"{figure.x} stands in both slots; choose two different columns.", column=figure.x)
    used = filled(table, figure.response, figure.x, figure.colour, figure.panel, figure.panel_rows)
    y, y_column = table.numbers(figure.response), table.column(figure.response)
    x, x_column, places = along(table, figure.x)
    parts = split(figure, table, used)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    by_cell = parts.cells(np.where(used, np.arange(table.n_rows, dtype=float), np.nan), table.rows)
    panels, courses = [], []
    for p, (r, c0, title) in enumerate(parts.panels):
        mine = []
        for c, level in enumerate(shown):
            at = by_cell.part(p * parts.colour.k + c).astype(np.int64)
            if len(at):
                mine.append(course(figure, level, title, x[at], y[at]))
        panels.append(
            Panel(
                title,
                _layers(figure, mine, y_column),
                r,
                c0,
                ends={m.level.name: (float(m.x[-1]), float(m.mean[-1])) for m in mine},
            )
        )
        courses += mine
    single = all((c.n == 1).all() for c in courses)
    spans = [
        (c.low.min(), c.high.max()) if "band" in figure.show and not single else (c.mean.min(), c.mean.max())
        for c in courses
    ]
    low, high = float(min(s[0] for s in spans)), float(max(s[1] for s in spans))
    if "area" in figure.show:
        low, high = min(low, 0.0), max(high, 0.0)
    kind: Any = "date" if x_column.kind is ColumnKind.date else "places" if places else "number"
    ends = (-0.5, len(places) - 0.5) if places else (float(x[used].min()), float(x[used].max()))
    return Plot(
        x=Axis(x_column.axis_title, *ends, kind, list(places), exact=True, grid=False, whole=x_column.kind is ColumnKind.count),
        y=Axis(y_column.axis_title, low, high, zero_below=0.35), panels=panels, levels=shown,
        legend=parts.colour.k > 1,
        level_title=parts.colour.title or None,
        caption=_caption(figure, y_column.title, x_column.title, courses, single),
        alt=f"{y_column.axis_title} along {x_column.axis_title}" + (f" for {listing([s.name for s in shown], 8)}" if figure.colour else "")
        + f": {counted(len(courses), 'line')}, from {number(low, printed_decimals(y_column))} to "
          f"{number(high, printed_decimals(y_column))}.",
        behind=_behind(courses, x_column, y_column, places, len(parts.panels) > 1, parts.colour.k > 1, single),
        panel_columns=parts.panel.k if figure.panel_rows else 0,
    )  # fmt: skip


def course(figure: Figure, level: Level, panel: str, x: Any, y: Any) -> Course:
    """Mean, interval and n at each place; more places than can be drawn are put together."""
    at, inverse = np.unique(x, return_inverse=True)
    if len(at) > MOST_PLACES:
        edges = np.linspace(at[0], at[-1], MOST_PLACES + 1)
        inverse = np.clip(np.searchsorted(edges, x, side="right") - 1, 0, MOST_PLACES - 1)
        _kept, inverse = np.unique(inverse, return_inverse=True)
        at = np.bincount(inverse, x) / np.bincount(inverse)
    n = np.bincount(inverse, minlength=len(at))
    mean = np.bincount(inverse, y, len(at)) / n
    ss = np.bincount(inverse, (y - mean[inverse]) ** 2, len(at))
    with np.errstate(invalid="ignore", divide="ignore"):
        sd = np.where(n > 1, np.sqrt(ss / (n - 1)), 0.0)
        reach = {"sd": sd, "se": sd / np.sqrt(n), "none": 0 * sd}.get(figure.interval)
        if reach is None:
            reach = np.where(n > 1, laws.t.isf((1 - figure.level) / 2, np.maximum(n - 1, 1)) * sd / np.sqrt(n), 0.0)
    return Course(level, panel, at, mean, mean - reach, mean + reach, n)


def _layers(figure: Figure, courses: list[Course], column: Column) -> list[Vega]:
    width = points_of(figure.line_pt)
    bend = "step-after" if "step" in figure.show else "linear"
    made: list[Vega] = []
    several = any((c.n > 1).any() for c in courses)
    if "area" in figure.show:
        zero = [
            {"x": place(a), "low": 0.0, "high": place(b), "line": c.level.name, "colour": c.level.colour}
            for c in courses
            for a, b in zip(c.x, c.mean, strict=True)
        ]
        made.append(band(zero, opacity=0.25, curve=bend))
    if "band" in figure.show and several and figure.interval != "none":
        values = [
            {"x": place(a), "low": place(b), "high": place(d), "line": c.level.name, "colour": c.level.colour}
            for c in courses
            for a, b, d in zip(c.x, c.low, c.high, strict=True)
        ]
        made.append(band(values, curve=bend))
    if {"line", "step", "area"} & set(figure.show):
        made.append(
            lines(
                [v for c in courses for v in path(c.level.name or "all", c.level.colour, c.x, c.mean)],
                2 * width,
                curve=bend,
            )
        )
    if "mean" in figure.show and several and figure.interval != "none":
        bars = [
            {"x": place(a), "low": place(b), "high": place(d), "colour": c.level.colour}
            for c in courses
            for a, b, d in zip(c.x, c.low, c.high, strict=True)
        ]
        made.append(rule(bars, 1.4 * width, colour=None, x="x", y="low", y2="high"))
    if {"points", "mean"} & set(figure.show):
        values = [
            {"x": place(a), "y": place(b), "n": int(k), "group": c.level.name, "colour": c.level.colour, "shape": c.level.shape}
            for c in courses
            for a, b, k in zip(c.x, c.mean, c.n, strict=True)
        ]  # fmt: skip
        told = [
            {"field": "y", "type": "quantitative", "title": column.axis_title, "format": ".6~g"},
            {"field": "n", "type": "quantitative", "title": "rows"},
        ]
        made.append(points(values, opacity=1, size=24, tooltip=told))
    return made


def _caption(figure: Figure, y: str, x: str, courses: list[Course], single: bool) -> dict[str, str]:
    parts = {"subject": f"{y} along {lower(x)}", "counts": counts_words(np.array([int(c.n.sum()) for c in courses]))}
    if not single:
        shown = "band" in figure.show or "mean" in figure.show
        what = "bands" if "band" in figure.show else "bars"
        parts["means"] = f"Lines are means{mean_words(figure, what) if shown else ''}."
    return parts


def _behind(
    courses: list[Course], x: Column, y: Column, places: tuple[str, ...], several: bool, coloured: bool, single: bool
) -> Any:
    d = printed_decimals(y) + (0 if single else 1)
    rows = []
    for c in courses:
        for i in range(len(c.x)):
            at = (
                places[int(c.x[i])]
                if places
                else (
                    date_text(np.datetime64(int(c.x[i]), "ms").astype(object))
                    if x.kind is ColumnKind.date
                    else number(float(c.x[i]), printed_decimals(x))
                )
            )
            rows.append(
                q.row(
                    panel=q.name(c.panel, "Panel" if several else None),
                    group=q.name(c.level.name, "Line" if coloured else None),
                    x=q.name(at, x.title), n=q.count(c.n[i]),
                    y=q.num(float(c.mean[i]), d, y.title if single else "Mean"),
                    low=q.num(float(c.low[i]), d, None if single else "from"),
                    high=q.num(float(c.high[i]), d, None if single else "to"),
                )
            )  # fmt: skip
    return q.table("behind", f"{y.axis_title} along {x.title}", rows)


COURSE = Kind(
    id="course",
    words="a course along time",
    sentence=(
        "Show the course of {response} along {x} as {show}, one line per {colour}, one panel per {panel} and"
        " {panel_rows}"
    ),
    slots={
        "response": SlotCard("Measurement", VALUES, "a measure"),
        "x": SlotCard("Along", [*ALONG, "category"], "time"),
        "colour": COLOUR,
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
    },
    needed=("response", "x"),
    layers=(
        LayerCard("line", "line", "values or means joined"),
        LayerCard("band", "band", "the interval of each mean"),
        LayerCard("mean", "means", "a point and its interval at each place"),
        LayerCard("points", "points", "a point at each place"),
        LayerCard("step", "steps", "each value holds until the next"),
        LayerCard("area", "area", "filled down to zero"),
    ),
    usual=("line", "band"),
    looks=("x", "y", "interval"),
    plot=plot,
    size=(120.0, 70.0),
)
