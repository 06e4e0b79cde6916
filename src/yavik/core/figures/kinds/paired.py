"""Values of the same rows side by side, joined row by row."""

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, grouped, listing
from yavik.core.ask import VALUES
from yavik.core.figures.data import side_by_side
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.kinds.groups import cells_of, plot_cells
from yavik.core.figures.layers import lines, points, points_of, thinned, values_of
from yavik.core.figures.plot import Axis, Panel, Plot, Style, Vega
from yavik.core.figures.reading import filled, levels, split
from yavik.core.figures.style import INK
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table

MOST_LINES = 500


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """Columns of the same rows, joined. Raises DataProblem where no row has them all."""
    names = figure.samples
    if len(names) < 2:
        raise DataProblem("Lines join at least two columns; choose another one.")
    data = side_by_side(table, names)
    used = filled(table, figure.colour, figure.panel, figure.panel_rows)
    values = np.column_stack([table.numbers(n) for n in names])
    whole_rows = used & ~np.isnan(values).any(axis=1)
    if not whole_rows.any():
        raise DataProblem(f"No row has a value in all of {listing(names)}.", column=names[0])
    parts = split(figure, table, whole_rows)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    by_cell = parts.cells(np.where(whole_rows, np.arange(table.n_rows, dtype=float), np.nan), table.rows)
    width = points_of(figure.line_pt)
    total = int(whole_rows.sum())
    titles = [table.column(n).title for n in names]
    panels, rows = [], []
    for p, (r, c0, title) in enumerate(parts.panels):
        joined, dots = [], []
        for c, level in enumerate(shown):
            at = by_cell.part(p * parts.colour.k + c).astype(np.int64)
            colour = level.colour if figure.colour else INK
            for i in at[thinned(len(at), total, figure.seed, MOST_LINES)]:
                row = int(table.rows[i])
                for j in range(len(names)):
                    y = float(values[i, j])
                    joined.append({"x": j, "y": y, "at": j, "line": f"row {row}", "colour": colour})
                    dots.append(
                        {
                            "x": j,
                            "y": y,
                            "row": row,
                            "group": level.name,
                            "colour": level.colour,
                            "shape": level.shape,
                        }
                    )
            if len(at):
                told = (title if parts.panel.k > 1 else None, level.name if figure.colour else None)
                rows += [_row(*told, titles[j], values[at, j], data.decimals + 1) for j in range(len(names))]
        made: list[Vega] = []
        if "line" in figure.show:
            made.append(lines(joined, width, opacity=0.45))
        if "points" in figure.show:
            made.append(points(dots, opacity=0.8, size=20, tooltip=values_of("y", data.value_axis)))
        panels.append(Panel(title, made, r, c0))
    over = [x for x in figure.show if x in ("box", "mean")]
    said = {}
    if over and len(panels) == 1 and not figure.colour:
        kept = table.keep(whole_rows)
        inner = plot_cells(
            figure.model_copy(update={"show": over, "whiskers": "range"}), cells_of(figure, side_by_side(kept, names))
        )
        panels[0].layers = (
            inner.panels[0].layers + panels[0].layers if "box" in over else panels[0].layers + inner.panels[0].layers
        )
        said = {k: v for k, v in inner.caption.items() if k in ("boxes", "means")}
    drawn = min(total, MOST_LINES)
    lines_said = (
        "Each line joins the values of one row."
        if total <= MOST_LINES
        else f"Lines are a random {grouped(drawn)} of {grouped(total)} rows."
    )
    ends = values[whole_rows]
    left = table.n_rows - total
    return Plot(
        x=Axis("", -0.5, len(names) - 0.5, "places", titles, exact=True, grid=False),
        y=Axis(data.value_axis, float(ends.min()), float(ends.max())), panels=panels, levels=shown,
        legend=parts.colour.k > 1,
        level_title=parts.colour.title or None,
        caption={"subject": listing(titles, 6), "counts": f"n = {grouped(total)} rows", "lines": lines_said, **said,
                 **({"left": f"{counted(left, 'row')} without all of them {'is' if left == 1 else 'are'} not drawn."} if left else {})},
        alt=f"{listing(titles, 8)}, joined row by row: {counted(total, 'row')}.",
        behind=q.table("behind", data.value_axis, rows),
        panel_columns=parts.panel.k if figure.panel_rows else 0,
    )  # fmt: skip


def _row(panel: str | None, group: str | None, column: str, part: Floats, decimals: int) -> q.Row:
    """What the drawing shows of one column, for the table behind it."""
    return q.row(
        panel=q.name(panel or "", "Panel" if panel is not None else None),
        group=q.name(group or "", "Group" if group is not None else None), sample=q.name(column, "Column"),
        n=q.count(len(part)), mean=q.num(float(part.mean()), decimals, "Mean"),
        median=q.num(float(np.median(part)), decimals, "Median"),
    )  # fmt: skip


PAIRED = Kind(
    id="paired",
    words="columns of the same rows, joined",
    sentence=(
        "Show {samples} joined row by row as {show}, coloured by {colour}, one panel per {panel} and {panel_rows}"
    ),
    slots={
        "samples": SlotCard("Columns", VALUES, "columns", many=True),
        "colour": COLOUR,
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
    },
    needed=("samples",),
    layers=(
        LayerCard("line", "lines", "one per row"),
        LayerCard("points", "points", "every value"),
        LayerCard("box", "box", "median, quartiles and extremes"),
        LayerCard("mean", "mean", "mean with its interval"),
    ),
    usual=("line", "points"),
    looks=("y", "interval"),
    plot=plot,
)
