"""How one column is spread: histogram, density, normal quantiles, cumulative shares."""

from typing import Any

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, listing, number
from yavik.core.ask import VALUES
from yavik.core.figures.caption import counts_words, lower
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import brief, lines, path, points, points_of, rects, thinned, values_of
from yavik.core.figures.pictures import bin_edges
from yavik.core.figures.plot import Axis, Panel, Plot, Style, Vega
from yavik.core.figures.reading import filled, levels, split
from yavik.core.stats import distributions as laws
from yavik.core.stats.density import bandwidth, density
from yavik.core.stats.groups import Groups
from yavik.core.table import Table


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """How one column is spread. Raises DataProblem where nothing is filled."""
    assert figure.response
    used = filled(table, figure.response, figure.colour, figure.panel, figure.panel_rows)
    y, column = table.numbers(figure.response), table.column(figure.response)
    parts = split(figure, table, used)
    groups = parts.cells(np.where(used, y, np.nan), table.rows)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    every = np.sort(groups.y)
    edges = _edges(figure, every)
    drawing = _Spread(figure, groups, edges, shown, column.axis_title)
    panels = [
        Panel(title, drawing.panel([p * parts.colour.k + c for c in range(parts.colour.k)]), r, c0)
        for p, (r, c0, title) in enumerate(parts.panels)
    ]
    low, high = (float(edges[0]), float(edges[-1])) if "histogram" in figure.show else drawing.reach()
    x = Axis(column.axis_title, low, high, exact=True, grid=False)
    top = Axis(drawing.y_title, 0.0, drawing.top, whole="histogram" in figure.show)
    if "quantile" in figure.show:
        z = float(laws.norm.isf(0.5 / max(int(groups.n.max()), 2)))
        x, top = (
            Axis("Normal quantile", -z, z, grid=False),
            Axis(column.axis_title, float(every[0]), float(every[-1])),
        )
    n = groups.n[groups.n > 0]
    d = printed_decimals(column)
    return Plot(
        x=x, y=top, panels=panels, levels=shown, legend=parts.colour.k > 1,
        level_title=parts.colour.title or None,
        caption={"subject": f"{column.title}" + (f" by {lower(parts.colour.title)}" if figure.colour else ""), "counts": counts_words(n), **drawing.said},
        alt=f"{column.axis_title}: {counted(len(every), 'value')} from {number(float(every[0]), d)} to "
            f"{number(float(every[-1]), d)}, median {number(float(np.median(every)), d + 1)}"
        + (f", for {listing(list(parts.colour.names), 8)}." if figure.colour else "."),
        behind=drawing.behind(parts.panels, [level.name for level in shown], d),
        panel_columns=parts.panel.k if figure.panel_rows else 0,
    )  # fmt: skip


def _edges(figure: Figure, every: Any) -> Any:
    if figure.bins is None:
        return bin_edges(every)
    low, high = float(every[0]), float(every[-1])
    if low == high:
        low, high = low - 0.5, high + 0.5
    return np.linspace(low, high, figure.bins + 1)


class _Spread:
    def __init__(self, figure: Figure, groups: Groups, edges: Any, shown: Any, title: str) -> None:
        self.figure, self.groups, self.edges, self.levels, self.title = figure, groups, edges, shown, title
        self.width = points_of(figure.line_pt)
        self.top = 0.0
        self.y_title = "Rows"
        self.said: dict[str, str] = {}
        if "histogram" in figure.show:
            self.said["bars"] = f"Bars count rows in {len(edges) - 1} classes of equal width."
        elif "density" in figure.show:
            self.y_title = "Density"
        if "density" in figure.show:
            self.said["curves"] = "Curves are densities by a Gaussian kernel" + (
                ", scaled to the counts." if "histogram" in figure.show else "."
            )
        if "quantile" in figure.show:
            self.said = {
                "points": (
                    "Points on the line lie as a normal distribution has them; the line runs through the quartiles."
                )
            }
        if "cumulative" in figure.show:
            self.y_title, self.top = "Share of rows up to here", 1.0
            self.said = {"steps": "Steps show the share of rows at or below each value."}

    def counts(self, i: int) -> Any:
        """Values in each bin."""
        ordered = self.groups.ordered[i]
        ends = np.searchsorted(ordered, self.edges[1:-1], side="left")
        return np.diff(np.concatenate([[0], ends, [len(ordered)]]))

    def reach(self) -> tuple[float, float]:
        """The smallest and largest value."""
        every = [o for o in self.groups.ordered if len(o)]
        low, high = min(float(o[0]) for o in every), max(float(o[-1]) for o in every)
        pad = 0.0
        if "density" in self.figure.show:
            pad = 2 * max(bandwidth(o) for o in every) * self.figure.smooth
        return low - pad, (high + pad) if high + pad > low - pad else low + 1.0

    def panel(self, cells: list[int]) -> list[Vega]:
        """The layers of one panel."""
        made: list[Vega] = []
        many = sum(self.groups.n[i] > 0 for i in cells) > 1
        for c, i in enumerate(cells):
            if not self.groups.n[i]:
                continue
            level = self.levels[c]
            if "quantile" in self.figure.show:
                made += self.quantiles(i, level)
            elif "cumulative" in self.figure.show:
                made.append(self.cumulative(i, level))
            else:
                if "histogram" in self.figure.show:
                    made.append(self.bars(i, level, 0.42 if many else 0.6))
                if "density" in self.figure.show:
                    made += self.curve(i, level)
        return made

    def bars(self, i: int, level: Any, opacity: float) -> Vega:
        """The histogram of one group."""
        counts = self.counts(i)
        self.top = max(self.top, float(counts.max()))
        values = [
            {"x": brief(a), "x2": brief(b), "y": 0, "y2": int(n), "colour": level.colour}
            for a, b, n in zip(self.edges, self.edges[1:], counts, strict=False)
            if n
        ]
        return rects(values, opacity=opacity, stroke=self.width * 0.6, x="x", x2="x2", y="y", y2="y2")

    def curve(self, i: int, level: Any) -> list[Vega]:
        """The density of one group."""
        ordered = self.groups.ordered[i]
        usual = bandwidth(ordered) * self.figure.smooth
        if usual <= 0:
            return []
        low, high = self.reach()
        at, height = density(
            ordered, usual, max(low, float(ordered[0]) - 3 * usual), min(high, float(ordered[-1]) + 3 * usual)
        )
        if "histogram" in self.figure.show:
            height = height * len(ordered) * (self.edges[1] - self.edges[0])
        self.top = max(self.top, float(height.max()))
        return [lines(path(level.name or "density", level.colour, at, height), 2 * self.width)]

    def cumulative(self, i: int, level: Any) -> Vega:
        """The running share of one group."""
        ordered = self.groups.ordered[i]
        at = np.unique(np.linspace(0, len(ordered) - 1, min(len(ordered), 600)).astype(int))
        xs, ys = np.r_[ordered[0], ordered[at]], np.r_[0.0, (at + 1) / len(ordered)]
        return lines(path(level.name or "all", level.colour, xs, ys), 2 * self.width, curve="step-after")

    def quantiles(self, i: int, level: Any) -> list[Vega]:
        """One group against normal quantiles."""
        ordered = self.groups.ordered[i]
        n = len(ordered)
        theory: Any = laws.norm.ppf((np.arange(1, n + 1) - 0.375) / (n + 0.25))
        q: Any = np.quantile(ordered, [0.25, 0.75])
        t: Any = laws.norm.ppf([0.25, 0.75])
        slope = (q[1] - q[0]) / (t[1] - t[0])
        ends = np.array([theory[0], theory[-1]]) if n > 1 else np.array([-1.0, 1.0])
        kept = thinned(n, len(self.groups.y), self.figure.seed)
        rows = self.groups.part_rows(i)[np.argsort(self.groups.part(i), kind="stable")]
        values = [
            {"x": brief(theory[j]), "y": float(ordered[j]), "row": int(rows[j]), "group": level.name, "colour": level.colour, "shape": level.shape}
            for j in kept
        ]  # fmt: skip
        line = path(f"line {level.name}", level.colour, ends, q[0] + slope * (ends - t[0]))
        return [lines(line, self.width), points(values, opacity=0.75, tooltip=values_of("y", self.title))]

    def behind(self, panels: list[tuple[int, int, str]], names: list[str], d: int) -> Any:
        """The numbers that are drawn."""
        several, coloured = len(panels) > 1, len(names) > 1
        rows = []
        for p, (_, _, title) in enumerate(panels):
            for c, name in enumerate(names):
                i = p * len(names) + c
                if not self.groups.n[i]:
                    continue
                for a, b, n in zip(self.edges, self.edges[1:], self.counts(i), strict=False):
                    rows.append(
                        q.row(
                            panel=q.name(title, "Panel" if several else None),
                            group=q.name(name, "Group" if coloured else None),
                            low=q.num(float(a), d + 1, "From"), high=q.num(float(b), d + 1, "to"),
                            n=q.count(n, "Rows"),
                        )
                    )  # fmt: skip
        return q.table("behind", self.title, rows)


SPREAD = Kind(
    id="spread",
    words="how one column is spread",
    sentence="Show how {response} is spread as {show}, coloured by {colour}, one panel per {panel} and {panel_rows}",
    slots={
        "response": SlotCard("Measurement", VALUES, "a measure"),
        "colour": COLOUR,
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
    },
    needed=("response",),
    layers=(
        LayerCard("histogram", "histogram", "rows per class of values"),
        LayerCard("density", "density", "a smooth curve of the same"),
        LayerCard("quantile", "normal quantiles", "against what a normal distribution has", alone=True),
        LayerCard("cumulative", "cumulative shares", "steps up to each value", alone=True),
    ),
    usual=("histogram",),
    looks=("x", "y", "bins", "smooth"),
    plot=plot,
)
