"""How do columns go together? Correlations with tests and intervals, partial ones, a scatter or a shaded matrix."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    listing,
)
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.describe.correlate import parts
from yavik.core.methods.describe.correlate.compute import CorrelateResults, demand
from yavik.core.methods.describe.correlate.spec import KIND_WORDS, CorrelateSpec
from yavik.core.methods.describe.correlate.words import headline
from yavik.core.methods.kit.page import read_page
from yavik.core.stats.correlation import correlations
from yavik.core.table import DataProblem, Kind, Table


def compute(table: Table, spec: CorrelateSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where nothing can be correlated."""
    demand(spec)
    x = np.array([table.numbers(c) for c in spec.columns]).T  # columns whole in memory
    held = np.column_stack([table.numbers(c) for c in spec.holding]) if spec.holding else None
    run.progress(0.1, "Correlating")
    pairwise = spec.missing == "pairwise"
    found = correlations(x, spec.kind, held, pairwise, spec.alpha, spec.alternative)
    r = CorrelateResults(table, spec, x, found)
    if not any(np.isfinite(found.r[i, j]) for i, j in r.pairs):
        raise DataProblem(f"No pair has a correlation: {r.why(*r.pairs[0])}.", column=spec.columns[0])
    spans, short = headline(r)
    run.say(spans)
    run.progress(0.8, "Drawing")
    use = ~np.isnan(x).any(axis=1) if not pairwise else (~np.isnan(x)).sum(axis=1) > 1
    if held is not None:
        use &= ~np.isnan(held).any(axis=1)
    gone = int((~use).sum())
    left = [LeftOut(why="something is empty", n=gone, rows=table.rows[~use][:200].tolist())] if gone else []
    settings = [KIND_WORDS[spec.kind].split(",")[0]]
    settings += [f"holding {listing(spec.holding)} constant"] if spec.holding else []
    settings += ["rows filled in each pair"] if pairwise else []
    return compose(
        spans,
        short=short,
        settings=settings,
        blocks=parts.blocks(r, use),
        checks=parts.checks(r, use),
        rows=RowsUsed(total=table.n_rows, used=int(use.sum()), left_out=left),
        facts=parts.facts(r),
    )


def name(spec: CorrelateSpec) -> str:
    """A short name for a question about these columns."""
    return listing(spec.columns, 3)


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    columns = spec.get("columns", [])
    if len(columns) == 1:
        return None
    if columns and all(table.column(c).kind is Kind.yes_no for c in columns):
        return -2, ""
    return 10, f"{len(columns)} columns of numbers"


METHOD: Method[Any] = Method(
    id="correlate",
    aim=Aim.describe,
    title="Correlation: Pearson, Spearman, Kendall; partial; scatter and matrix",
    layouts=(
        Layout(
            "columns",
            "a column for each measurement",
            "How do {columns} go together, holding {holding} constant?",
            ("columns", "holding"),
            ("columns",),
        ),
    ),
    Spec=CorrelateSpec,
    compute=compute,
    page=read_page(__file__),
    order=4,
    fit=_fit,
    name=name,
    uses=("alternative", "missing"),
    keywords=(
        "correlation",
        "pearson",
        "spearman",
        "kendall",
        "partial",
        "scatter",
        "regression line",
        "point-biserial",
        "matrix",
    ),
)
