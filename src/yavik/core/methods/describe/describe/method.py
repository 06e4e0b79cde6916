"""What do columns look like, for each group? Counts, moments, quartiles, shares, and a picture each."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from yavik.core.answers import Answer, FigureBlock, RowsUsed, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import counted, finer, level_words, listing, plain
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.pictures import bars, histogram
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.describe.describe.spec import DescribeSpec
from yavik.core.methods.describe.describe.words import Part, checks, facts, headline
from yavik.core.methods.kit.page import read_page
from yavik.core.stats.groups import Groups
from yavik.core.stats.moments import moments
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Table

MOST_BY = 60
MOST_COLUMNS = 200
MOST_PICTURES = 24
MOST_LEVELS = 100


Looked = tuple[list[Part], FigureBlock | None]


def describe(table: Table, spec: DescribeSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for too many columns."""
    if len(spec.columns) > MOST_COLUMNS:
        raise DataProblem(f"{len(spec.columns)} columns are too many for one page; choose up to {MOST_COLUMNS}.")
    if spec.by in spec.columns:
        raise DataProblem(f"{spec.by} stands in both slots; take it out of one.", column=spec.by)
    names, codes, left = _groups(table, spec)
    done = 0

    def look(name: str) -> Looked:
        """One column described, with progress told."""
        nonlocal done
        found = _look(table, spec, name, names, codes)
        done += 1
        run.progress(done / len(spec.columns), f"Described {name}")
        return found

    # Sorting is nearly all of the work and lets threads run side by side.
    with ThreadPoolExecutor(2) as pool:
        looked = list(pool.map(look, spec.columns))
    parts = [part for found, _ in looked for part in found]
    pictures = [picture for _, picture in looked[:MOST_PICTURES] if picture]
    spans = headline(table, spec, parts)
    blocks = [b for b in (_numbers(parts, spec), _counts(parts, spec), _others(table, parts, spec)) if b]
    first_line = f"{counted(len(spec.columns), 'column')}" + (f" by {spec.by}" if spec.by else "")
    return Answer(
        method="describe",
        version=METHOD.version,
        spec=spec.model_dump(),
        headline=plain(spans),
        headline_spans=spans,
        short=first_line + f", {counted(table.n_rows, 'row')}",
        settings=[f"{level_words(spec.alpha)} confidence intervals"],
        facts=facts(parts),
        blocks=[*pictures, *blocks],
        checks=checks(parts),
        rows=RowsUsed(total=table.n_rows, used=table.n_rows - sum(x.n for x in left), left_out=left),
    )


def _groups(table: Table, spec: DescribeSpec) -> tuple[tuple[str | None, ...], Any, list[LeftOut]]:
    if spec.by is None:
        return (None,), np.zeros(table.n_rows, np.int32), []
    coded = table.codes(spec.by)
    if len(coded.levels) > MOST_BY:
        raise DataProblem(
            f"{spec.by} has {len(coded.levels)} levels; choose a column with up to {MOST_BY}.", column=spec.by
        )
    empty = int((coded.codes < 0).sum())
    left = (
        [LeftOut(why=f"{spec.by} is empty", n=empty, rows=table.rows[coded.codes < 0][:200].tolist())]
        if empty
        else []
    )
    return coded.levels, coded.codes, left


def _look(table: Table, spec: DescribeSpec, name: str, groups: tuple[str | None, ...], codes: Any) -> Looked:
    """A column's parts and its picture, from one sorting into groups and one sort within them."""
    column = table.column(name)
    names = tuple("" if g is None else g for g in groups)
    sizes = np.bincount(codes[codes >= 0], minlength=len(groups))
    if column.kind in NUMERIC:
        found = Groups.of(table.numbers(name), codes, table.rows, names)
        parts = [
            Part(
                column,
                g,
                int(found.n[i]),
                int(sizes[i] - found.n[i]),
                moments(found.part(i), 1 - spec.alpha, found.ordered[i]),
                None,
            )
            for i, g in enumerate(groups)
            if sizes[i]
        ]
        slots = {"response": name, "groups": spec.by} if spec.by else {"samples": [name]}
        drawn = histogram(column, found) if len(found.y) else None
        return parts, _picture(column, drawn, {**slots, "show": ["box", "points"]})
    if column.kind in CODED:
        own = table.codes(name)
        use = (codes >= 0) & (own.codes >= 0)
        flat = np.bincount(codes[use] * len(own.levels) + own.codes[use], minlength=len(groups) * len(own.levels))
        counts = flat.reshape(len(groups), len(own.levels))
        parts = [
            Part(column, g, int(counts[i].sum()), int(sizes[i] - counts[i].sum()), None, counts[i], own.levels)
            for i, g in enumerate(groups)
            if sizes[i]
        ]
        return parts, _picture(column, bars(column, own.levels[:20], counts[:, :20], names) if own.levels else None)
    filled = ~table.empty(name)
    ns = np.bincount(codes[(codes >= 0) & filled], minlength=len(groups))
    return [
        Part(column, g, int(ns[i]), int(sizes[i] - ns[i]), None, None) for i, g in enumerate(groups) if sizes[i]
    ], None


def _picture(
    column: Column, drawn: tuple[dict[str, Any], str] | None, figure: dict[str, Any] | None = None
) -> FigureBlock | None:
    if drawn is None:
        return None
    vega, alt = drawn
    return FigureBlock(
        id=f"figure_{column.name}", title=column.title, drawing=vega, alt=alt, small=True, figure=figure
    )


def _labels(p: Part, spec: DescribeSpec) -> q.Row:
    unit = f" ({p.column.unit})" if p.column.unit else ""
    cells = q.row(column=q.name(p.column.title + unit, "Column"))
    return cells | q.row(group=q.name(str(p.group), spec.by)) if spec.by else cells


def _numbers(parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own, rows = [p for p in parts if p.moments], []
    if not own:
        return None
    gaps = any(p.missing for p in own)
    for p in own:
        m, d = p.moments, printed_decimals(p.column)
        assert m is not None
        fine, none = finer(d, m.max if np.isfinite(m.max) else 0.0), "no filled cell"
        one, quartile = "needs two values" if m.n else none, d if d else min(fine, 1)
        rows.append(
            _labels(p, spec)
            | q.row(
                n=q.count(p.n), missing=q.count(p.missing, "Empty" if gaps else None),
                mean=q.num(m.mean, fine, "Mean", why=none), sd=q.num(m.sd, fine, "SD", why=one),
                se=q.num(m.se, fine + 1, "SE", why=one),
                **q.ci(m.ci_low, m.ci_high, fine, spec.alpha, what="CI of the mean", why=one),
                min=q.num(m.min, d, "Min", why=none), q1=q.num(m.q1, quartile, "Q1", why=none),
                median=q.num(m.median, quartile, "Median", why=none), q3=q.num(m.q3, quartile, "Q3", why=none),
                max=q.num(m.max, d, "Max", why=none),
                skewness=q.num(m.skewness, 2, "Skewness", why="needs three different values"),
                kurtosis=q.num(m.kurtosis, 2, "Kurtosis", why="needs four different values"),
            )
        )  # fmt: skip
    note = "Quartiles by linear interpolation; skewness and kurtosis adjusted for bias,"
    note += " kurtosis 0 for a normal distribution."
    return q.table("groups", "Numbers", rows, note=note)


def _counts(parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own, rows = [p for p in parts if p.counts is not None], []
    if not own:
        return None

    def line(p: Part, level: str, n: int, share: float, why: str) -> q.Row:
        """One level with its share."""
        shown = q.part(share, "Share of filled", why)
        return _labels(p, spec) | q.row(level=q.name(level, "Level"), n=q.count(n), share=shown)

    for p in own:
        assert p.counts is not None
        for level, n in list(zip(p.levels, p.counts, strict=True))[:MOST_LEVELS]:
            rows.append(line(p, level, n, float(n / p.n) if p.n else np.nan, "no filled cell"))
        if p.missing:
            rows.append(line(p, "empty", p.missing, np.nan, "of filled cells only"))
    return q.table("frequencies", "Counts and shares", rows)


def _others(table: Table, parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own, rows = [p for p in parts if p.counts is None and p.moments is None], []
    if not own:
        return None
    for p in own:
        texts = [t for t in table.texts(p.column.name) if t is not None] if table.n_rows <= 200_000 else []
        first, last = (pick(texts, default="–")[:40] for pick in (min, max))
        rows.append(
            _labels(p, spec)
            | q.row(
                kind=q.name(p.column.kind.value, "Kind"), n=q.count(p.n), missing=q.count(p.missing, "Empty"),
                first=q.said(first, "First"), last=q.said(last, "Last"),
            )
        )  # fmt: skip
    note = "First and last of the whole column, in order."
    return q.table("cases", "Dates, texts and identifiers", rows, note=note)


def _name(spec: DescribeSpec) -> str:
    return f"{listing(spec.columns, 3)}{f' by {spec.by}' if spec.by else ''}"


METHOD = Method(
    id="describe",
    aim=Aim.describe,
    title="Counts, means, spread, quartiles, shares and pictures",
    layouts=(
        Layout(
            "columns", "any columns", "What do {columns} look like, for each {by}?", ("columns", "by"), ("columns",)
        ),
    ),
    Spec=DescribeSpec,
    compute=describe,
    page=read_page(__file__),
    order=1,
    name=_name,
    keywords=("summary", "mean", "median", "standard deviation", "quartiles", "histogram", "descriptive"),
)
