"""Samples of a comparison: from one column and groups, from one column each, or typed in as n, mean and SD."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers import FigureBlock, Marks, RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.ask import Ask
from yavik.core.figures import Figure, draw
from yavik.core.figures.data import Grouped
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.stats.groups import Floats
from yavik.core.stats.two import Sample
from yavik.core.table import DataProblem, Table


class Summary(BaseModel):
    """A sample of which only this is known."""

    model_config = ConfigDict(extra="forbid")

    label: str = Field(min_length=1, max_length=200)
    n: int = Field(ge=2)
    mean: float = Field(allow_inf_nan=False)
    sd: float = Field(ge=0, allow_inf_nan=False)


def summaries_slot() -> dict[str, Any]:
    """The slot of typed-in summaries: no column stands in it, an editor of n, mean and SD opens instead."""
    return Ask(
        shown="typed",
        sentence=True,
        placeholder="n, mean and SD of each sample",
        layout="summaries",
        fields=["label", "n", "mean", "sd"],
    ).extra()


def demand_summaries(summaries: Sequence[Summary], least: int = 2, most: int | None = None) -> None:
    """Raises DataProblem for too few or too many, for labels given twice, and where no sample has any spread."""
    if len(summaries) < least:
        raise DataProblem(f"A comparison needs {least} samples; {len(summaries)} is typed in.")
    if most and len(summaries) > most:
        raise DataProblem(f"This question compares {most} samples; {len(summaries)} are typed in.")
    labels = [s.label for s in summaries]
    twice = next((x for i, x in enumerate(labels) if x in labels[:i]), None)
    if twice:
        raise DataProblem(f"'{twice}' is the label of two samples.")
    if not any(s.sd > 0 for s in summaries):
        raise DataProblem("Every SD is zero: there is no spread to judge differences against.")


def known(summaries: Sequence[Summary]) -> tuple[Floats, Floats, Floats, tuple[str, ...]]:
    """n, means, variances and labels."""
    n = np.array([float(s.n) for s in summaries])
    return (
        n,
        np.array([s.mean for s in summaries]),
        np.array([s.sd**2 for s in summaries]),
        tuple(s.label for s in summaries),
    )


def sample(data: Grouped, i: int) -> Sample:
    """Means without the groups' common shift, so that differences keep their digits."""
    g = data.groups
    return Sample(float(g.n[i]), float(g.shifted_means[i]), float(g.variances[i]))


def decimals_of(summaries: Sequence[Summary]) -> int:
    def own(x: float) -> int:
        text = f"{x:.6f}".rstrip("0")
        return len(text.split(".")[1])

    return min(4, max(own(s.mean) for s in summaries))


def rows_used(table: Table, data: Grouped, side_by_side: bool) -> RowsUsed:
    """Rows of the comparison, and why others were left out."""
    used = len(data.groups.y)
    if side_by_side:
        return RowsUsed(total=table.n_rows, used=len(np.unique(data.groups.rows)))
    left = [
        LeftOut(why=why, n=n)
        for why, n in ((f"{data.value} is empty", data.empty_value), (f"{data.group} is empty", data.empty_group))
        if n
    ]
    return RowsUsed(total=table.n_rows, used=used, left_out=left)


def groups_figure(
    response: str | None, groups: str | None, samples: Sequence[str], where: str | None, data: Grouped, marks: Marks
) -> FigureBlock:
    """Boxes and points of the groups, which can be opened as a figure of its own."""
    k = data.groups.k
    figure = Figure(
        response=response if not samples else None,
        groups=groups if not samples else None,
        samples=list(samples),
        where=where,
        width_mm=max(78, min(200, 24 + 17 * k)),
        height_mm=78,
        type_pt=8.5,
        show=["box", "points"] if k <= 30 else ["mean"],
        letters=bool(marks.letters) and k <= 30,
    )
    drawing = draw(figure, data, marks)
    opened = figure.model_copy(update={"width_mm": 85.0 if k <= 5 else 170.0, "height_mm": 70.0, "type_pt": 8.0})
    return FigureBlock(
        id="figure",
        title=f"{data.value} by {data.group}",
        drawing=drawing.vega,
        alt=drawing.alt,
        figure=opened.model_dump(exclude={"where"} if not where else None),
        caption=drawing.own_caption,
    )


def means_figure(names: Sequence[str], means: Floats, low: Floats, high: Floats, title: str) -> FigureBlock:
    """Means with intervals, where nothing more is known of the samples."""
    bars = [Bar(n, float(m), float(a), float(b), True) for n, m, a, b in zip(names, means, low, high, strict=True)]
    return block("figure", "Means with their intervals", forest(bars, title, at=None))
