"""Counts and shares of levels: stacked bars, bars side by side, points with intervals."""

from dataclasses import replace
from typing import Any

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import listing
from yavik.core.ask import GROUPS
from yavik.core.figures.caption import counts_words, lower
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import brief, dodge, points, points_of, rects, rule
from yavik.core.figures.plot import Axis, Panel, Plot, Style, Vega
from yavik.core.figures.reading import filled, levels, one, reorder, sort_by, split
from yavik.core.figures.style import colour
from yavik.core.stats.shares import wilson
from yavik.core.table import Table


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """Counts or shares of levels. Raises DataProblem where nothing is filled."""
    assert figure.response
    used = filled(table, figure.response, figure.groups, figure.panel, figure.panel_rows)
    what = sort_by(table, figure.response, used, 60 if figure.groups else 200, "levels")
    of = np.bincount(what.codes[used & (what.codes >= 0)], minlength=what.k).astype(float)
    within = sort_by(table, figure.groups, used, 120, "groups") if figure.groups else one(table.n_rows)
    alone = figure.groups is None
    if alone:
        what = reorder(what, figure, of)
    else:
        within = reorder(
            within, figure, np.bincount(within.codes[used & (within.codes >= 0)], minlength=within.k).astype(float)
        )
    parts = split(figure.model_copy(update={"colour": None}), table, used)
    shape = (parts.n_panels, within.k, what.k)
    code = (parts.panel_codes.astype(np.int64) * within.k + within.codes) * what.k + what.codes
    ok = used & (parts.panel_codes >= 0) & (within.codes >= 0) & (what.codes >= 0)
    counts = np.bincount(code[ok], minlength=int(np.prod(shape))).reshape(shape)
    shown = levels(figure, what, style.get(figure.response))
    if alone:  # the axis names the levels; colours of their own would only decorate
        kept = style.get(figure.response).colours
        shown = [replace(s, colour=figure.colours.get(s.name) or kept.get(s.name) or colour(0)) for s in shown]
    maker = _Shares(figure, counts, [s.colour for s in shown], [s.shape for s in shown], list(what.names), alone)
    panels = [Panel(title, maker.panel(p), r, c) for p, (r, c, title) in enumerate(parts.panels)]
    names = list(what.names) if alone else list(within.names)
    unit = "Rows" if figure.counts or (alone and not figure.percent) else "Share of rows (%)"
    n = counts.sum(axis=(0, 2)) if not alone else np.array([int(counts.sum())])
    subject = what.title if alone else f"{what.title} within {lower(within.title)}"
    said = [
        f"{within.names[g] + ': ' if not alone else ''}"
        + listing([f"{what.names[i]} {int(counts[:, g, i].sum())}" for i in range(what.k)], 8)
        for g in range(within.k)
    ]
    return Plot(
        x=Axis(what.title if alone else within.title, -0.5, len(names) - 0.5, "places", names, exact=True, grid=False),
        y=Axis(unit, 0.0, maker.top, exact=unit != "Rows" and "stacked" in figure.show and not alone, whole=unit == "Rows"),
        panels=panels, levels=shown, legend=not alone, level_title=what.title,
        caption={"subject": subject, "counts": counts_words(n), **maker.said()},
        alt=f"{subject}. " + "; ".join(said[:12]) + ".",
        behind=maker.behind(parts.panels, list(within.names), what.title, within.title),
        panel_columns=parts.panel.k if figure.panel_rows else 0,
    )  # fmt: skip


class _Shares:
    def __init__(
        self, figure: Figure, counts: Any, colours: list[str], shapes: list[str], names: list[str], alone: bool
    ) -> None:
        self.figure, self.counts, self.colours, self.shapes, self.names, self.alone = (
            figure,
            counts,
            colours,
            shapes,
            names,
            alone,
        )
        self.width = points_of(figure.line_pt)
        totals = counts.sum(axis=2, keepdims=True)
        share = (alone and figure.percent) or (not alone and not figure.counts)
        with np.errstate(invalid="ignore", divide="ignore"):
            self.values = (
                np.where(totals > 0, 100 * counts / np.maximum(totals, 1), 0.0) if share else counts.astype(float)
            )
        self.totals, self.share = totals, share
        stacked = self.values.sum(axis=2).max(initial=0.0)
        tallest = self.values.max(initial=0.0)
        if "dots" in figure.show and share:
            tallest = max(
                (
                    self.limits(p, g, i)[1]
                    for p in range(counts.shape[0])
                    for g in range(counts.shape[1])
                    for i in range(counts.shape[2])
                ),
                default=1.0,
            )
        self.top = float(stacked if "stacked" in figure.show and not alone else tallest) or 1.0

    def panel(self, p: int) -> list[Vega]:
        """The layers of one panel."""
        if "stacked" in self.figure.show and not self.alone:
            return [self.stacked(p)]
        return self.dots(p) if "dots" in self.figure.show else [self.beside(p)]

    def stacked(self, p: int) -> Vega:
        """Levels on top of one another."""
        values = []
        for g in range(self.values.shape[1]):
            foot = 0.0
            for i in range(len(self.names)):
                y = float(self.values[p, g, i])
                if y > 0:
                    values.append(
                        {
                            "x": g - 0.36,
                            "x2": g + 0.36,
                            "y": brief(foot),
                            "y2": brief(foot + y),
                            "colour": self.colours[i],
                        }
                    )
                foot += y
        return rects(values, opacity=0.72, stroke=0.6 * self.width, x="x", x2="x2", y="y", y2="y2")

    def spots(self, p: int) -> list[tuple[int, int, float, float]]:
        """Group, level, middle and width of each bar."""
        if self.alone:
            return [(0, i, float(i), 0.72) for i in range(len(self.names))]
        return [
            (g, i, g + dodge(i, len(self.names))[0], dodge(i, len(self.names))[1] * 0.92)
            for g in range(self.values.shape[1])
            for i in range(len(self.names))
        ]

    def beside(self, p: int) -> Vega:
        """Levels beside one another."""
        values = [
            {"x": x - w / 2, "x2": x + w / 2, "y": 0, "y2": brief(self.values[p, g, i]), "colour": self.colours[i]}
            for g, i, x, w in self.spots(p)
        ]
        return rects(values, opacity=0.72, stroke=0.6 * self.width, x="x", x2="x2", y="y", y2="y2")

    def limits(self, p: int, g: int, i: int) -> tuple[float, float]:
        """The score interval of a share (Wilson)."""
        n = int(self.totals[p, g, 0])
        if not n:
            return 0.0, 0.0
        low, high = wilson(int(self.counts[p, g, i]), n, 1 - self.figure.level)
        return 100 * low, 100 * high

    def dots(self, p: int) -> list[Vega]:
        """Shares as points with their intervals."""
        values, bars = [], []
        for g, i, x, _ in self.spots(p):
            values.append(
                {
                    "x": x,
                    "y": brief(self.values[p, g, i]),
                    "group": self.names[i],
                    "colour": self.colours[i],
                    "shape": self.shapes[i],
                }
            )
            if self.share and self.figure.interval != "none":
                low, high = self.limits(p, g, i)
                bars.append({"x": x, "low": brief(low), "high": brief(high), "colour": self.colours[i]})
        return [
            rule(bars, 1.5 * self.width, colour=None, x="x", y="low", y2="high"),
            points(values, opacity=1, size=40),
        ]

    def said(self) -> dict[str, str]:
        """What the caption says of bars or points."""
        kind = "shares" if self.share else "counts"
        if "dots" in self.figure.show:
            reach = (
                f", bars their {100 * self.figure.level:g}% score intervals (Wilson)"
                if self.share and self.figure.interval != "none"
                else ""
            )
            return {"bars": f"Points show {kind}{reach}."}
        return {"bars": f"Bars show {kind}" + ("." if self.alone or not self.share else " within each group.")}

    def behind(self, panels: list[tuple[int, int, str]], groups: list[str], what: str, within: str) -> Any:
        """The numbers that are drawn."""
        rows = []
        for p, (_, _, title) in enumerate(panels):
            for g, group in enumerate(groups):
                for i, name in enumerate(self.names):
                    n, total = int(self.counts[p, g, i]), int(self.totals[p, g, 0])
                    rows.append(
                        q.row(
                            panel=q.name(title, "Panel" if len(panels) > 1 else None),
                            group=q.name(group, None if self.alone else within), level=q.name(name, what),
                            n=q.count(n, "Rows"),
                            share=q.part(n / total if total else np.nan, "Share", "no rows"),
                        )
                    )  # fmt: skip
        return q.table("behind", what, rows)


SHARES = Kind(
    id="shares",
    words="counts and shares of levels",
    sentence=(
        "Show how often each {response} occurs within {groups} as {show}, one panel per {panel} and {panel_rows}"
    ),
    slots={
        "response": SlotCard("Levels", GROUPS, "a category"),
        "groups": SlotCard("Groups", GROUPS, "groups"),
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
    },
    needed=("response",),
    layers=(
        LayerCard("stacked", "stacked bars", "parts of a whole", alone=True),
        LayerCard("beside", "bars side by side", "one bar per level", alone=True),
        LayerCard("dots", "points", "with their intervals", alone=True),
    ),
    usual=("stacked",),
    looks=("y", "counts", "order", "interval"),
    only={"interval": ("ci", "none")},
    plot=plot,
    coloured_by=("response",),
)
