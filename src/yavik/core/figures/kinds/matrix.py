"""Many columns against one another: a map of correlations, or a scatter of every pair."""

from typing import Any

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import grouped, listing, share
from yavik.core.ask import VALUES
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import layer, place, points, points_of, rects, thinned
from yavik.core.figures.pictures import bin_edges
from yavik.core.figures.plot import Axis, Panel, Plot, Style, Vega
from yavik.core.figures.reading import filled, levels, split
from yavik.core.figures.style import INK, PX_PER_PT, colour
from yavik.core.stats.correlation import correlations
from yavik.core.table import DataProblem, Table

MOST_MAPPED = 80
MOST_SCATTERED = 8


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """Every column with every other. Raises DataProblem for too few or too many."""
    names = figure.samples
    most = MOST_SCATTERED if "scatter" in figure.show else MOST_MAPPED
    twice = next((s for i, s in enumerate(names) if s in names[:i]), None)
    if twice:
        raise DataProblem(f"{twice} is chosen twice.", column=twice)
    if len(names) < 2:
        raise DataProblem("At least two columns are needed; choose another one.")
    if len(names) > most:
        raise DataProblem(f"This figure takes at most {most} columns; {len(names)} are chosen.")
    x = np.column_stack([table.numbers(n) for n in names])
    titles = [table.column(n).title for n in names]
    found = correlations(x, "pearson", None, True, 0.05, "two_sided")
    r, n = found.r, found.n.astype(int)
    return (
        _scatter(figure, table, style, x, titles, r, n) if "scatter" in figure.show else _map(figure, x, titles, r, n)
    )


def _behind(titles: list[str], r: Any, n: Any) -> Any:
    rows = [
        q.row(
            a=q.name(titles[j], "Column"), b=q.name(titles[i], "with"),
            r=q.size(r[i, j], "r", "no spread, or fewer than three rows"),
            n=q.count(n[i, j]),
        )
        for i in range(len(titles))
        for j in range(i)
    ]  # fmt: skip
    return q.table("behind", "Correlations", rows)


def _rows_words(n: Any) -> str:
    used = n[np.tril_indices(len(n), -1)]
    low, high = int(used.min()), int(used.max())
    return f"n = {grouped(low)}" if low == high else f"n = {grouped(low)} to {grouped(high)} per pair"


def mixed(r: float, low: str = colour(2), high: str = colour(0), middle: str = "#fbfaf7") -> str:
    """A colour between the middle and one end."""
    end = high if r >= 0 else low
    parts = [(int(middle[i : i + 2], 16), int(end[i : i + 2], 16)) for i in (1, 3, 5)]
    return "#" + "".join(f"{round(a + (b - a) * min(abs(r), 1)):02x}" for a, b in parts)


def _map(figure: Figure, x: Any, titles: list[str], r: Any, n: Any) -> Plot:
    k = len(titles)
    cells, told = [], []
    room = min((figure.width_mm - 25) / (k - 1), (figure.height_mm - 20) / (k - 1)) * 3.78
    size = min(figure.type_pt * PX_PER_PT, room * 0.42)
    for i in range(1, k):
        for j in range(i):
            if np.isfinite(r[i, j]):
                spot = {"x": j - 0.5, "x2": j + 0.5, "y": i - 1.5, "y2": i - 0.5, "colour": mixed(float(r[i, j]))}
                cells.append(spot | {"group": f"{titles[j]} with {titles[i]}", "n": share(float(r[i, j]))})
                told.append(
                    {
                        "x": j,
                        "y": i - 1,
                        "text": share(float(r[i, j])),
                        "colour": "#ffffff" if abs(r[i, j]) > 0.62 else INK,
                    }
                )
    layers: list[Vega] = [rects(cells, opacity=1, x="x", x2="x2", y="y", y2="y2")]
    layers[0]["encoding"]["tooltip"] = [
        {"field": "group", "type": "nominal", "title": "columns"},
        {"field": "n", "type": "nominal", "title": "r"},
    ]
    if size >= 5:
        layers.append(
            layer(
                told,
                {"type": "text", "fontSize": round(size, 1)},
                x={"field": "x"},
                y={"field": "y"},
                text={"field": "text", "type": "nominal"},
                color={"field": "colour", "type": "nominal", "scale": None},
            )
        )
    low, high = np.nanmin(r) if cells else 0.0, np.nanmax(r) if cells else 0.0
    return Plot(
        x=Axis("", -0.5, k - 1.5, "places", titles[:-1], exact=True, grid=False),
        y=Axis("", k - 1.5, -0.5, "places", titles[1:], exact=True, grid=False),
        panels=[Panel("", layers)], levels=[],
        caption={"subject": f"Correlations of {listing(titles, 8)}", "counts": _rows_words(n), "r": "Pearson’s r over the rows that both columns have; the stronger the shade, the further from 0."},
        alt=f"Map of {k * (k - 1) // 2} correlations between {listing(titles, 8)}, from {share(float(low))} to "
            f"{share(float(high))}.",
        behind=_behind(titles, r, n), square=True,
    )  # fmt: skip


def _scatter(figure: Figure, table: Table, style: Style, x: Any, titles: list[str], r: Any, n: Any) -> Plot:
    k = len(titles)
    used = filled(table, figure.colour)
    parts = split(figure.model_copy(update={"panel": None, "panel_rows": None}), table, used)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    axes = [Axis(titles[i], float(np.nanmin(x[:, i])), float(np.nanmax(x[:, i])), grid=False) for i in range(k)]
    panels = []
    for i in range(k):
        for j in range(i + 1):
            if i == j:
                made, top = _bars(x[:, i], points_of(figure.line_pt))
                panels.append(Panel("", [made], i, j, x=axes[i], y=Axis("Rows", 0, top, grid=False, shown=False)))
                continue
            values = []
            for c, level in enumerate(shown):
                at = np.flatnonzero(used & (parts.colour.codes == c) & ~np.isnan(x[:, i]) & ~np.isnan(x[:, j]))
                for row in at[thinned(len(at), int(n[i, j]), figure.seed, 600)]:
                    values.append(
                        {
                            "x": place(x[row, j]),
                            "y": place(x[row, i]),
                            "row": int(table.rows[row]),
                            "colour": level.colour,
                            "shape": level.shape,
                        }
                    )
            panels.append(Panel("", [points(values, opacity=0.6, size=9)], i, j, x=axes[j], y=axes[i]))
    thin = (
        {"points": "Points are a random 600 rows of each pair."}
        if n.max() > 600
        else {"points": "Each point is one row."}
    )
    return Plot(
        x=axes[0], y=axes[-1], panels=panels, levels=shown, legend=parts.colour.k > 1,
        level_title=parts.colour.title or None, panel_columns=k,
        caption={"subject": f"{listing(titles, 8)} against one another", "counts": _rows_words(n), **thin, "bars": "Bars on the diagonal count rows."},
        alt=f"Points for every pair of {listing(titles, 8)}; " + listing([f"{titles[j]} with {titles[i]} r "
            f"{share(float(r[i, j]))}" for i in range(k) for j in range(i) if np.isfinite(r[i, j])], 12) + ".",
        behind=_behind(titles, r, n),
    )  # fmt: skip


def _bars(values: Any, width: float) -> tuple[Vega, float]:
    ordered = np.sort(values[~np.isnan(values)])
    edges = bin_edges(ordered)
    counts = np.histogram(ordered, edges)[0]
    bars = [
        {"x": place(a), "x2": place(b), "y": 0, "y2": int(c), "colour": colour(1)}
        for a, b, c in zip(edges, edges[1:], counts, strict=False)
        if c
    ]
    return rects(bars, opacity=0.5, stroke=0.5 * width, x="x", x2="x2", y="y", y2="y2"), float(counts.max(initial=1))


MATRIX = Kind(
    id="matrix",
    words="many columns against one another",
    sentence="Show {samples} against one another as {show}, coloured by {colour}",
    slots={"samples": SlotCard("Columns", VALUES, "columns", many=True), "colour": COLOUR},
    needed=("samples",),
    layers=(
        LayerCard("heat", "map of correlations", "a shaded square per pair", alone=True),
        LayerCard("scatter", "points of every pair", "with bars on the diagonal", alone=True),
    ),
    usual=("heat",),
    looks=(),
    plot=plot,
    size=(120.0, 100.0),
)
