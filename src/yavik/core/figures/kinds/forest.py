"""Estimates with their intervals, one under another, from columns of a table."""

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import among, counted, listing
from yavik.core.ask import VALUES
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import place, points, points_of, rule
from yavik.core.figures.plot import Axis, Panel, Plot, Style
from yavik.core.figures.reading import levels, split
from yavik.core.table import DataProblem, Table, rows_in_words

MOST_LINES = 200


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """Estimates with their intervals. Raises DataProblem where none can be drawn."""
    assert figure.response and figure.low and figure.high and figure.groups
    named = table.texts(figure.groups)
    y, low, high = (table.numbers(c) for c in (figure.response, figure.low, figure.high))
    column = table.column(figure.response)
    ok = ~np.isnan(y)
    if not ok.any():
        raise DataProblem(f"{figure.response} has no filled cells {among(table.n_rows)}.", column=figure.response)
    if ok.sum() > MOST_LINES:
        raise DataProblem(
            f"{counted(int(ok.sum()), 'estimate')} are too many to stand one under another; at most {MOST_LINES} do."
            " Keep fewer rows in the table."
        )
    wrong = ok & ((low > y) | (high < y))
    if wrong.any():
        rows = table.rows[wrong].tolist()
        raise DataProblem(
            f"{figure.response} lies outside its interval in {rows_in_words(rows)}.",
            column=figure.response,
            rows=rows,
        )
    at = np.flatnonzero(ok)
    if figure.order == "value":
        at = at[np.argsort(-y[at], kind="stable")]
    elif figure.order == "name":
        at = np.array(sorted(at, key=lambda i: (named[i] or "").casefold()))
    parts = split(figure.model_copy(update={"panel": None, "panel_rows": None}), table, ok)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    bars, dots, rows_ = [], [], []
    d = printed_decimals(column)
    names = [named[i] or f"row {int(table.rows[i])}" for i in at]
    for k, i in enumerate(at):
        level = shown[max(int(parts.colour.codes[i]), 0)]
        own = {"colour": level.colour, "shape": level.shape, "group": names[k], "row": int(table.rows[i])}
        dots.append({"x": place(y[i]), "y": k, **own})
        if not np.isnan(low[i]) and not np.isnan(high[i]):
            bars.append({"x": place(low[i]), "x2": place(high[i]), "y": k, **own})
        rows_.append(
            q.row(
                group=q.name(names[k], table.column(figure.groups).title),
                estimate=q.num(float(y[i]), d, "Estimate"),
                low=q.num(float(low[i]), d, "from", why="empty cell"),
                high=q.num(float(high[i]), d, "to", why="empty cell"),
            )
        )
    width = points_of(figure.line_pt)
    ends = [v for v in (*y[at], *low[at], *high[at]) if np.isfinite(v)]
    left = table.n_rows - len(at)
    told = [
        {"field": "group", "type": "nominal", "title": " "},
        {"field": "x", "type": "quantitative", "title": column.title, "format": ".6~g"},
    ]
    return Plot(
        x=Axis(column.axis_title, float(min(ends)), float(max(ends))),
        y=Axis("", len(at) - 0.5, -0.5, "places", names, exact=True, grid=False),
        panels=[Panel("", [rule(bars, 2 * width, colour=None, x="x", x2="x2", y="y"), points(dots, opacity=1, size=45, tooltip=told)])],
        levels=shown, legend=parts.colour.k > 1, level_title=parts.colour.title or None,
        caption={"subject": f"{column.title} with its interval for each {table.column(figure.groups).title}", "counts": counted(len(at), "estimate"),
                 "bars": f"Bars reach from {table.column(figure.low).title} to {table.column(figure.high).title}.",
                 **({"left": f"{counted(left, 'row')} without an estimate {'is' if left == 1 else 'are'} not drawn."} if left else {})},
        alt=f"{column.axis_title} with intervals: " + listing([f"{r['group'].s} {r['estimate'].s} ({r['low'].s} to "
            f"{r['high'].s})" for r in rows_], 12) + ".",
        behind=q.table("behind", column.title, rows_),
    )  # fmt: skip


FOREST = Kind(
    id="forest",
    words="estimates with intervals",
    sentence="Show {response} from {low} to {high} for each {groups} as {show}, coloured by {colour}",
    slots={
        "response": SlotCard("Estimate", VALUES, "an estimate"),
        "low": SlotCard("From", VALUES, "its lower end"),
        "high": SlotCard("To", VALUES, "its upper end"),
        "groups": SlotCard("Names", ["identifier", "text", "category", "ordered", "yes_no", "count"], "name"),
        "colour": COLOUR,
    },
    needed=("response", "low", "high", "groups"),
    layers=(LayerCard("interval", "points and bars", "one line per estimate"),),
    usual=("interval",),
    looks=("x", "order"),
    only={"order": ("data", "value", "name")},
    plot=plot,
    size=(120.0, 90.0),
)
