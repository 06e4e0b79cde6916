"""How well scores tell yes from no: one ROC curve per score."""

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import grouped, listing, share_fine
from yavik.core.ask import VALUES
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import Kind, LayerCard, SlotCard
from yavik.core.figures.layers import lines, path, points_of
from yavik.core.figures.plot import Axis, Panel, Plot, Style
from yavik.core.figures.reading import Sorted, filled, levels
from yavik.core.figures.style import MUTED
from yavik.core.stats.telling import Roc, roc
from yavik.core.table import DataProblem, Table


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """How well scores tell an event. Raises DataProblem where there is none."""
    assert figure.groups
    if len(figure.samples) > 12:
        raise DataProblem(f"{len(figure.samples)} curves hide one another; choose at most 12 scores.")
    coded, column = table.codes(figure.groups), table.column(figure.groups)
    used = filled(table, figure.groups, *figure.samples)
    present = np.unique(coded.codes[used & (coded.codes >= 0)])
    if len(present) != 2:
        raise DataProblem(
            f"{figure.groups} has {len(present)} {'level' if len(present) == 1 else 'levels'} among these rows; what"
            " is told apart needs two.",
            column=figure.groups,
        )
    event = coded.levels[present[1]]
    yes = (coded.codes[used] == present[1]).astype(float)
    titles = [table.column(s).title for s in figure.samples]
    shown = levels(figure, Sorted(np.zeros(0, np.int32), tuple(titles), ""))
    found = [roc(table.numbers(s)[used], yes) for s in figure.samples]
    width = points_of(figure.line_pt)
    made = [lines(path("chance", MUTED, [0, 1], [0, 1]), width)]
    made[0]["mark"]["strokeDash"] = [4, 3]
    for level, curve in zip(shown, found, strict=True):
        kept = np.unique(np.linspace(0, len(curve.cut) - 1, min(len(curve.cut), 400)).astype(int))
        made.append(
            lines(path(level.name, level.colour, curve.false_alarms[kept], curve.sensitivity[kept]), 2.2 * width)
        )
    said = [f"{t} {_area(c, figure.level)}" for t, c in zip(titles, found, strict=True)]
    n1, n0 = int(yes.sum()), int(len(yes) - yes.sum())
    rows = [
        q.row(
            score=q.name(t, "Score"),
            auc=q.fine(c.auc, "Area"),
            **_ends(c, figure.level),
            yes=q.count(n1, "With"),
            no=q.count(n0, "Without"),
        )
        for t, c in zip(titles, found, strict=True)
    ]
    return Plot(
        x=Axis("Taken for it, but are not (1 − specificity)", 0, 1, exact=True),
        y=Axis(f"{column.title} = {event}, found (sensitivity)", 0, 1, exact=True),
        panels=[Panel("", made)], levels=shown, legend=len(shown) > 1,
        caption={"subject": f"How well {listing(titles, 6)} {'tells' if len(titles) == 1 else 'tell'} {column.title} "
                            f"= {event}", "counts": f"n = {grouped(n1)} with and {grouped(n0)} without",
                 "area": f"Area under the curve with its {100 * figure.level:g}% confidence interval (DeLong): "
                         f"{listing(said, 12)}."},
        alt=f"ROC curves of {column.title} = {event}: {listing(said, 12)}.",
        behind=q.table("behind", f"{column.title} = {event}", rows),
        square=True,
    )  # fmt: skip


def _area(c: Roc, level: float) -> str:
    low, high = c.interval(1 - level)
    return (
        f"{share_fine(c.auc)} ({share_fine(low)} to {share_fine(high)})" if np.isfinite(c.se) else share_fine(c.auc)
    )


def _ends(c: Roc, level: float) -> q.Row:
    nan, title = float("nan"), f"{100 * level:g}% CI"
    low, high = c.interval(1 - level) if np.isfinite(c.se) else (nan, nan)
    made = q.ends(low, high, share_fine, title, "needs two rows with and two without", "")
    return {k.removeprefix("_"): v for k, v in made.items()}


ROC = Kind(
    id="roc",
    words="how well scores tell yes from no",
    sentence="Show how well {samples} tells {groups} as {show}",
    slots={
        "samples": SlotCard("Scores", VALUES, "scores", many=True),
        "groups": SlotCard("What is told", ["yes_no", "category", "ordered", "count"], "yes or no"),
    },
    needed=("samples", "groups"),
    layers=(LayerCard("line", "ROC curve", "found over falsely found"),),
    usual=("line",),
    looks=(),
    plot=plot,
    size=(85.0, 85.0),
)
