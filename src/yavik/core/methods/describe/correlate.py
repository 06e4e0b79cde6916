"""How do columns go together? Correlations with tests and intervals, partial ones, a scatter or a shaded matrix."""

from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, RowsUsed, Span
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    alpha_words,
    counted,
    italic,
    level_words,
    listing,
    p_words,
    plain,
    say,
    share,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec, option, placed, slot
from yavik.core.methods.describe import _correlate_parts as parts
from yavik.core.methods.describe._correlate_page import PAGE
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.correlation import Correlations, correlations
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Kind, Table

MOST_COLUMNS = 80
NUMBERS = ["measure", "count", "yes_no"]
KIND_WORDS = {
    "pearson": "Pearson's r, straight lines",
    "spearman": "Spearman's ρ, by ranks",
    "kendall": "Kendall's τ-b, by order of pairs",
}
LETTER = {"pearson": "r", "spearman": "ρ", "kendall": "τ"}


class CorrelateSpec(Spec):
    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(NUMBERS, "two or more columns", many=True))
    holding: list[str] = Field(
        [], title="Held constant", json_schema_extra=slot(NUMBERS, "columns held constant", many=True)
    )
    kind: Literal["pearson", "spearman", "kendall"] = Field(
        "pearson", json_schema_extra=option("Correlation", KIND_WORDS)
    )
    lines_by: str | None = Field(
        None,
        json_schema_extra=placed(
            "column",
            "A line for each",
            "Two columns only: points and lines of each level apart.",
            kinds=["category", "ordered", "yes_no"],
        ),
    )
    adjust: Literal["none", "holm", "bonferroni", "fdr"] = Field(
        "none",
        json_schema_extra=option(
            "Adjustment of p",
            {"none": "none", "holm": "Holm", "bonferroni": "Bonferroni", "fdr": "false discovery rate"},
            "Over all pairs.",
        ),
    )


class Results:
    """The matrices with what the columns are called; ``p`` is adjusted, ``single`` is not."""

    def __init__(self, table: Table, spec: CorrelateSpec, x: Floats, found: Correlations) -> None:
        self.spec, self.x, self.found, self.table = spec, x, found, table
        self.columns = [table.column(c) for c in spec.columns]
        self.names = [c.title for c in self.columns]
        self.alpha, self.letter = spec.alpha, LETTER[spec.kind]
        self.pairs = [(i, j) for i in range(len(self.names)) for j in range(i + 1, len(self.names))]
        single = np.array([found.p[i, j] for i, j in self.pairs])
        known = ~np.isnan(single)
        adjusted = single.copy()
        adjusted[known] = adjust(single[known], spec.adjust)
        self.p = found.p.copy()
        for (i, j), value in zip(self.pairs, adjusted, strict=True):
            self.p[i, j] = self.p[j, i] = value
        self.yes_no = [c.kind is Kind.yes_no for c in self.columns]

    def why(self, i: int, j: int) -> str:
        """Why a pair has no correlation."""
        if self.found.n[i, j] < 3:
            return f"only {counted(int(self.found.n[i, j]), 'row')} with both filled"
        flat = [self.names[m] for m in (i, j) if np.nanmax(self.x[:, m]) == np.nanmin(self.x[:, m])]
        return (
            f"all values of {flat[0]} are the same" if flat else "nothing is left when the others are held constant"
        )


def compute(table: Table, spec: CorrelateSpec, run: Run) -> Answer:
    _demand(spec)
    x = np.column_stack([table.numbers(c) for c in spec.columns])
    held = np.column_stack([table.numbers(c) for c in spec.holding]) if spec.holding else None
    run.progress(0.1, "Correlating")
    pairwise = spec.missing == "pairwise"
    found = correlations(x, spec.kind, held, pairwise, spec.alpha, spec.alternative)
    r = Results(table, spec, x, found)
    if not any(np.isfinite(found.r[i, j]) for i, j in r.pairs):
        raise DataProblem(f"No pair has a correlation: {r.why(*r.pairs[0])}.", column=spec.columns[0])
    run.progress(0.8, "Drawing")
    use = ~np.isnan(x).any(axis=1) if not pairwise else (~np.isnan(x)).sum(axis=1) > 1
    if held is not None:
        use &= ~np.isnan(held).any(axis=1)
    gone = int((~use).sum())
    left = [LeftOut(why="something is empty", n=gone, rows=table.rows[~use][:200].tolist())] if gone else []
    spans, short = _headline(r)
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


def _demand(spec: CorrelateSpec) -> None:
    chosen = [*spec.columns, *spec.holding, *([spec.lines_by] if spec.lines_by else [])]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two places; choose it once.", column=twice)
    if len(spec.columns) < 2:
        raise DataProblem("A correlation needs two columns; choose another.", column=spec.columns[0])
    if len(spec.columns) > MOST_COLUMNS:
        raise DataProblem(
            f"{len(spec.columns)} columns are too many for one matrix; choose up to {MOST_COLUMNS}.",
            column=spec.columns[MOST_COLUMNS],
        )


def _headline(r: Results) -> tuple[list[Span], str]:
    holding = (
        f", {listing([lower(r.table.column(c).title) for c in r.spec.holding])} held constant"
        if r.spec.holding
        else ""
    )
    if len(r.names) == 2:
        value, p = float(r.found.r[0, 1]), float(r.p[0, 1])
        a, b = lower(r.names[0]), lower(r.names[1])
        way = _way(value) if r.spec.alternative == "two_sided" else ""
        claim = {
            "two_sided": "go together",
            "greater": "rise together",
            "less": "run against each other",
        }[r.spec.alternative]
        start = (
            f"{r.names[0]} and {b} {claim}{way}{holding}, "
            if p < r.alpha
            else f"There is no evidence that {a} and {b} {claim}{holding}, "
        )
        low, high = float(r.found.low[0, 1]), float(r.found.high[0, 1])
        ends = ""
        if np.isfinite(low):
            two = f"{share(low)} to {share(high)}"
            ends = {"two_sided": two, "greater": f"above {share(low)}", "less": f"below {share(high)}"}[
                r.spec.alternative
            ]
        ci = f" ({level_words(r.alpha)} CI {ends})" if ends else ""
        spans = say(start, italic(r.letter), f"\u00a0=\u00a0{share(value)}{ci}, ", italic("p"), f" {p_words(p)}.")
        side = {"two_sided": "", "greater": " (one-sided, rising)", "less": " (one-sided, falling)"}[
            r.spec.alternative
        ]
        return spans, f"{r.letter} = {share(value)}{side}, {plain(say(italic('p'), f' {p_words(p)}'))}"
    known = [(i, j) for i, j in r.pairs if np.isfinite(r.found.r[i, j])]
    marked = [(i, j) for i, j in known if r.p[i, j] < r.alpha]
    i, j = max(known, key=lambda ij: abs(r.found.r[ij]))
    tail = f"Strongest: {lower(r.names[i])} and {lower(r.names[j])}, "
    adjusted = (
        f" (p by {r.spec.adjust.capitalize() if r.spec.adjust != 'fdr' else 'false discovery rate'})"
        if r.spec.adjust != "none"
        else ""
    )
    spans = say(
        f"{len(marked)} of {len(known)} pairs {PAIRS[r.spec.alternative]} at α = {alpha_words(r.alpha)}{adjusted}{holding}. {tail}",
        italic(r.letter),
        f" = {share(float(r.found.r[i, j]))}.",
    )
    return spans, f"{len(marked)} of {len(known)} pairs {PAIRS[r.spec.alternative]}"


PAIRS = {"two_sided": "go together", "greater": "rise together", "less": "run against each other"}


def _way(value: float) -> str:
    return ", the more of one the more of the other" if value > 0 else ", the more of one the less of the other"


def name(spec: CorrelateSpec) -> str:
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
    page=PAGE,
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
