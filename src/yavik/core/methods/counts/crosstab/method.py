"""Do two categories go together? Counts, shares, tests of independence, strength, layers."""

from typing import Any

from yavik.core.answers import Answer, Marks, RowsUsed
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import listing, plain
from yavik.core.figures.plots import block
from yavik.core.figures.shades import shares
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.counts.crosstab import tables
from yavik.core.methods.counts.crosstab.compute import computed, count
from yavik.core.methods.counts.crosstab.spec import CrosstabSpec
from yavik.core.methods.counts.crosstab.words import headline
from yavik.core.methods.kit.page import read_page
from yavik.core.table import DataProblem, Table


def compute(table: Table, spec: CrosstabSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for a column chosen twice, and where nothing can be crossed."""
    assert spec.rows and spec.columns
    names = [n for n in (spec.rows, spec.columns, spec.layers, spec.count) if n]
    twice = next((n for i, n in enumerate(names) if n in names[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two slots; choose different columns.", column=twice)
    counts, used, coded = count(table, spec)
    r = computed(table, spec, counts, coded, run)
    p = q.p_said(r.p)
    gone = table.n_rows - used
    left = [LeftOut(why=f"{listing(names[:3])} not all filled", n=gone)] if gone else []
    picture = block(
        "figure",
        f"{r.column_title} within {r.row_title}",
        shares(r.rows, r.columns, r.counts, r.row_title, r.column_title),
    )
    return compose(
        headline(r),
        short=(
            f"{'go together' if r.p < spec.alpha else 'no evidence that they go together'}{' within layers' if r.layers or r.stratified else ''},"
            f" {plain(p)}"
        ),
        settings=[
            (
                "Mantel–Haenszel within layers"
                if r.layers or r.stratified
                else "Fisher's exact test"
                if r.by_fisher
                else "Pearson's χ²"
            ),
            *([f"weighted by {spec.count}"] if spec.count else []),
        ],
        facts=tables.facts(r),
        blocks=[picture if len(r.rows) <= 30 and len(r.columns) <= 12 else None, *tables.all_tables(r)],
        checks=tables.checks(r),
        rows=RowsUsed(total=table.n_rows, used=used, left_out=left),
        marks=Marks(p=p),
        seed=spec.seed if r.fisher and not r.fisher.exact else None,
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return (8, "two categories") if spec.get("rows") and spec.get("columns") else (-5, "")


METHOD = Method(
    id="crosstab",
    aim=Aim.counts,
    title="Table of counts: χ², Fisher's exact test, odds ratio, Cramér's V, layers",
    layouts=(
        Layout(
            "rows",
            "a row for each case, or a column of counts",
            "Does {columns} go with {rows}, in layers of {layers}?",
            ("rows", "columns", "layers"),
            ("rows", "columns"),
        ),
    ),
    Spec=CrosstabSpec,
    compute=compute,
    page=read_page(__file__),
    order=1,
    fit=_fit,
    name=lambda spec: f"{spec.columns} by {spec.rows}",
    uses=("alternative", "seed"),
    keywords=(
        "chi square",
        "contingency",
        "fisher",
        "odds ratio",
        "relative risk",
        "cramer",
        "mantel-haenszel",
        "gamma",
        "kendall",
        "independence",
    ),
)
