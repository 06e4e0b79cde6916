"""What do columns look like, for each group? Counts, moments, quartiles, shares, and a picture each."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Cell, FigureBlock, Head, RowsUsed, TableBlock
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import (
    counted,
    finer,
    interval,
    level_words,
    listing,
    num,
    percent,
    plain,
    whole,
    word,
)
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.pictures import bars, histogram
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.describe.summary.spec import DescribeSpec
from yavik.core.methods.describe.summary.words import Part, checks, facts, headline
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
    if len(spec.columns) > MOST_COLUMNS:
        raise DataProblem(f"{len(spec.columns)} columns are too many for one page; choose up to {MOST_COLUMNS}.")
    if spec.by in spec.columns:
        raise DataProblem(f"{spec.by} stands in both slots; take it out of one.", column=spec.by)
    names, codes, left = _groups(table, spec)
    done = 0

    def look(name: str) -> Looked:
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


def _head(key: str, title: str, left: bool = False) -> Head:
    return Head(key=key, title=title, align="left" if left else "right")


def _first(spec: DescribeSpec, parts: list[Part]) -> list[Head]:
    columns = [_head("column", "Column", True)]
    return [*columns, _head("group", parts[0].column.name if not spec.by else spec.by, True)] if spec.by else columns


def _labels(p: Part, spec: DescribeSpec) -> dict[str, Cell]:
    unit = f" ({p.column.unit})" if p.column.unit else ""
    cells = {"column": word(p.column.title + unit)}
    return cells | {"group": word(str(p.group))} if spec.by else cells


def _numbers(parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own = [p for p in parts if p.moments]
    if not own:
        return None
    columns = [
        *_first(spec, own),
        _head("n", "n"),
        *([_head("missing", "Empty")] if any(p.missing for p in own) else []),
        _head("mean", "Mean"),
        _head("sd", "SD"),
        _head("se", "SE"),
        _head("ci_low", f"{level_words(spec.alpha)} CI of the mean"),
        _head("min", "Min"),
        _head("q1", "Q1"),
        _head("median", "Median"),
        _head("q3", "Q3"),
        _head("max", "Max"),
        _head("skewness", "Skewness"),
        _head("kurtosis", "Kurtosis"),
    ]
    rows = []
    for p in own:
        m, d = p.moments, printed_decimals(p.column)
        assert m is not None
        fine = finer(d, m.max if np.isfinite(m.max) else 0.0)
        none, one = "no filled cell", "needs two values" if m.n else "no filled cell"
        ci = Cell(v=m.ci_low, s=interval(m.ci_low, m.ci_high, fine)) if np.isfinite(m.ci_low) else num(np.nan, 0, one)
        rows.append(
            _labels(p, spec)
            | {
                "n": whole(p.n),
                "missing": whole(p.missing),
                "mean": num(m.mean, fine, none),
                "sd": num(m.sd, fine, one),
                "se": num(m.se, fine + 1, one),
                "ci_low": ci,
                "ci_high": num(m.ci_high, fine, one),
                "min": num(m.min, d, none),
                "q1": num(m.q1, d if d else min(fine, 1), none),
                "median": num(m.median, d if d else min(fine, 1), none),
                "q3": num(m.q3, d if d else min(fine, 1), none),
                "max": num(m.max, d, none),
                "skewness": num(m.skewness, 2, "needs three different values"),
                "kurtosis": num(m.kurtosis, 2, "needs four different values"),
            }
        )
    return TableBlock(
        id="groups",
        title="Numbers",
        columns=columns,
        rows=rows,
        note=(
            "Quartiles by linear interpolation; skewness and kurtosis adjusted for bias, kurtosis 0 for a normal"
            " distribution."
        ),
    )


def _counts(parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own = [p for p in parts if p.counts is not None]
    if not own:
        return None
    columns = [*_first(spec, own), _head("level", "Level", True), _head("n", "n"), _head("share", "Share of filled")]
    rows = []
    for p in own:
        assert p.counts is not None
        for level, n in list(zip(p.levels, p.counts, strict=True))[:MOST_LEVELS]:
            rows.append(
                _labels(p, spec)
                | {
                    "level": word(level),
                    "n": whole(int(n)),
                    "share": Cell(v=float(n / p.n), s=percent(n / p.n)) if p.n else num(np.nan, 0, "no filled cell"),
                }
            )
        if p.missing:
            rows.append(
                _labels(p, spec)
                | {
                    "level": word("empty"),
                    "n": whole(p.missing),
                    "share": num(np.nan, 0, "of filled cells only"),
                }
            )
    return TableBlock(id="frequencies", title="Counts and shares", columns=columns, rows=rows)


def _others(table: Table, parts: list[Part], spec: DescribeSpec) -> TableBlock | None:
    own = [p for p in parts if p.counts is None and p.moments is None]
    if not own:
        return None
    rows = []
    for p in own:
        texts = [t for t in table.texts(p.column.name) if t is not None] if table.n_rows <= 200_000 else []
        rows.append(
            _labels(p, spec)
            | {
                "kind": word(p.column.kind.value),
                "n": whole(p.n),
                "missing": whole(p.missing),
                "first": word(min(texts, default="–")[:40]),
                "last": word(max(texts, default="–")[:40]),
            }
        )
    columns = [
        *_first(spec, own),
        _head("kind", "Kind", True),
        _head("n", "n"),
        _head("missing", "Empty"),
        _head("first", "First", True),
        _head("last", "Last", True),
    ]
    return TableBlock(
        id="cases",
        title="Dates, texts and identifiers",
        columns=columns,
        rows=rows,
        note="First and last of the whole column, in order.",
    )


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
