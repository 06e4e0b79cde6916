"""Do two questions of a survey go together?"""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import begun, counted, level_words, listing, number, p_words, percent, say, span
from yavik.core.ask import GROUPS, option, placed, slot
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.surveys import (
    MOST_LEVELS,
    Surveyed,
    SurveySpec,
    design_checks,
    design_columns,
    fits_design,
    points,
    read_survey,
    small_check,
    standing,
    unmarked,
)
from yavik.core.stats.groups import Floats
from yavik.core.stats.surveys.estimates import share_interval
from yavik.core.stats.surveys.tables import OVER, Base, Crossed, RaoScott, crossed, rao_scott
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

SHARES: dict[str, str] = {"row": "within rows", "column": "within columns", "total": "of all"}
MOST_CELLS = 400
NOTHING = "no row with weight"


class CrosstabSpec(SurveySpec):
    """Slots and settings."""

    rows: str | None = Field(None, title="Rows", json_schema_extra=slot(GROUPS, "a question asked"))
    columns: str | None = Field(None, title="Columns", json_schema_extra=slot(GROUPS, "another one"))
    shares: Literal["row", "column", "total"] = Field("row", json_schema_extra=option("Shares", SHARES))
    intervals: bool = Field(False, json_schema_extra=placed("flag", "Intervals in cells"))


@dataclass(frozen=True)
class Cells:
    """Shares of one kind: values, errors and interval ends, shape (rows, columns); why each is marked; unweighted."""

    values: Floats
    se: Floats
    low: Floats
    high: Floats
    marks: list[list[str]]
    unweighted: Floats


@dataclass(frozen=True)
class Crosstab:
    """Everything computed; tables and words only read it. ``cells``: by kind of share."""

    spec: CrosstabSpec
    survey: Surveyed
    rows: list[str]
    columns: list[str]
    crossed: Crossed
    cells: dict[Base, Cells]
    test: RaoScott
    df: float
    used: Any


def compute(table: Table, spec: CrosstabSpec, progress: Told = silent) -> Crosstab:
    """Raises DataProblem for columns that cannot be crossed."""
    if not spec.rows or not spec.columns:
        raise DataProblem("A table needs two columns.")
    if spec.rows == spec.columns:
        raise DataProblem(f"{spec.rows} cannot be crossed with itself.", column=spec.rows)
    s = read_survey(table, spec)
    coded = [table.codes(c) for c in (spec.rows, spec.columns)]
    for name, c in zip((spec.rows, spec.columns), coded, strict=True):
        if len(c.levels) > MOST_LEVELS:
            raise DataProblem(f"{name} has {len(c.levels)} levels; {MOST_LEVELS} is the most.", column=name)
    both = s.domain * (coded[0].codes >= 0) * (coded[1].codes >= 0)
    heavy = (both > 0) & (s.weights > 0)
    kept = [[k for k in range(len(c.levels)) if (heavy & (c.codes == k)).any()] for c in coded]
    for name, k in zip((spec.rows, spec.columns), kept, strict=True):
        if len(k) < 2:
            raise DataProblem(
                f"{name} has one level among the rows with weight that have both; two are needed.", column=name
            )
    if len(kept[0]) * len(kept[1]) > MOST_CELLS:
        raise DataProblem(
            f"{len(kept[0])} × {len(kept[1])} cells are too many; {MOST_CELLS} is the most.", column=spec.rows
        )
    a, b = (np.searchsorted(k, np.where(heavy, c.codes, k[0])) for k, c in zip(kept, coded, strict=True))
    shape = (len(kept[0]), len(kept[1]))
    used = heavy.astype(float)
    progress(0.2, "Cells")
    made = crossed(s.what, a, b, shape, used)
    df = s.what.df(heavy)
    progress(0.7, "Shares")
    cells = {kind: _cells(spec, made, kind, df) for kind in OVER}
    levels = [[c.levels[i] for i in k] for k, c in zip(kept, coded, strict=True)]
    return Crosstab(spec, s, levels[0], levels[1], made, cells, rao_scott(made, df), df, heavy)


def _cells(spec: CrosstabSpec, made: Crossed, kind: Base, df: float) -> Cells:
    """Shares of one kind with their errors."""
    values, covariance = made.shares(kind)
    se = np.sqrt(np.maximum(np.diag(covariance), 0.0)).reshape(values.shape)
    low, high = share_interval(values, se, df, spec.alpha)
    n = np.broadcast_to(made.counts.sum(axis=OVER[kind], keepdims=True), values.shape)
    marks = [
        [
            unmarked(float(n[i, j]), float(values[i, j]), float(se[i, j]), spec, True)
            if made.counts[i, j]
            else "no row"
            for j in range(values.shape[1])
        ]
        for i in range(values.shape[0])
    ]
    return Cells(values, se, low, high, marks, made.plain(kind))


def _titles(t: Crosstab) -> tuple[str, str]:
    table = t.survey.table
    return table.column(t.spec.rows or "").title, table.column(t.spec.columns or "").title


def _headline(t: Crosstab) -> tuple[list[Span], str]:
    first, second = _titles(t)
    r = t.test
    if not np.isfinite(r.p):
        return say(f"Whether {first} and {second} go together cannot be tested: too few df."), "cannot be tested"
    claim = f"{first} and {second} go together"
    text = f"{claimed(claim, r.p < t.spec.alpha)} (Rao–Scott F({number(r.df1, 2)}, {number(r.df2, 1)}) ="
    text += f" {number(r.f, 2)}, p {p_words(r.p)})."
    c = t.cells["row"]
    j, gap = _widest(t)
    low, high = int(c.values[:, j].argmin()), int(c.values[:, j].argmax())
    if r.p < t.spec.alpha and gap[j] > 0:
        text += f" {begun(t.columns[j])} goes from {percent(float(c.values[low, j]))} in {t.rows[low]} to"
        text += f" {percent(float(c.values[high, j]))} in {t.rows[high]}."
    return say(text), f"{'go together' if r.p < t.spec.alpha else 'no evidence'}, p {p_words(r.p)}"


def _widest(t: Crosstab) -> tuple[int, Floats]:
    """The column whose shares within rows differ most, and by how much each differs."""
    c = t.cells["row"]
    gap = np.nan_to_num(c.values.max(axis=0) - c.values.min(axis=0))
    return int(gap.argmax()), gap


def _picture(t: Crosstab) -> FigureBlock:
    c = t.cells["row"]
    j, _ = _widest(t)
    bars = [
        Bar(level, 100 * float(c.values[i, j]), 100 * float(c.low[i, j]), 100 * float(c.high[i, j]), strong=True)
        for i, level in enumerate(t.rows)
    ]
    drawn = forest(bars, f"Share of {t.columns[j]} within rows, %", at=None)
    return block("picture", f"Share of {t.columns[j]}", drawn)


def _table(t: Crosstab, kind: Base, folded: bool) -> TableBlock:
    """Shares of one kind, with the rows that each base rests on."""
    c = t.cells[kind]
    first, second = _titles(t)
    weighted, counts = t.crossed.weighted, t.crossed.counts
    rows = []
    for i, level in enumerate(t.rows):
        cells = q.row(level=q.name(level, first))
        for j, other in enumerate(t.columns):
            cells[f"c{j + 1}"] = _cell(t, c, i, j, other)
        cells |= q.row(
            n=q.count(int(counts[i].sum()), "n"),
            weighted=q.texted(float(weighted[i].sum()), standing(float(weighted[i].sum())), "Stands for"),
        )
        rows.append(cells)
    note = f"Shares {SHARES[kind]}, weighted; {second} across."
    if t.spec.intervals:
        note += f" In brackets the {level_words(t.spec.alpha)} CI by log odds."
    if any(m for line in c.marks for m in line):
        note += f" * rests on fewer than {t.spec.few} rows, or has an error above {percent(t.spec.loose)}."
    return q.table(f"shares_{kind}", f"Shares {SHARES[kind]}", rows, note=note, folded=folded)


def _cell(t: Crosstab, c: Cells, i: int, j: int, title: str) -> q.Quantity:
    v = float(c.values[i, j])
    if not np.isfinite(v):
        return q.gone(NOTHING, title)
    text = percent(v) + ("*" if c.marks[i][j] else "")
    if t.spec.intervals and np.isfinite([c.low[i, j], c.high[i, j]]).all():
        text += f" ({span(float(c.low[i, j]), float(c.high[i, j]), percent)})"
    return q.texted(v, text, title, "estimate")


def _errors(t: Crosstab) -> TableBlock:
    """Of the shares shown: error, interval, rows and the unweighted share of each cell."""
    c = t.cells[t.spec.shares]
    first, second = _titles(t)
    rows = []
    for i, level in enumerate(t.rows):
        for j, other in enumerate(t.columns):
            cells = q.row(
                level=q.name(level, first),
                other=q.said(other, second),
                share=q.part(float(c.values[i, j]), "Share", NOTHING),
                se=(
                    q.texted(float(c.se[i, j]), points(float(c.se[i, j])), "SE")
                    if np.isfinite(c.se[i, j])
                    else q.gone(NOTHING, "SE")
                ),
            )
            cells |= q.ends(
                float(c.low[i, j]),
                float(c.high[i, j]),
                percent,
                f"{level_words(t.spec.alpha)} CI",
                "a share of 0 or 1 has none",
            )
            cells |= q.row(
                n=q.count(int(t.crossed.counts[i, j]), "n"),
                weighted=q.texted(
                    float(t.crossed.weighted[i, j]), standing(float(t.crossed.weighted[i, j])), "Stands for"
                ),
                unweighted=q.part(float(c.unweighted[i, j]), "Unweighted", NOTHING),
            )
            rows.append(cells)
    return q.table("cells", f"Every cell, {SHARES[t.spec.shares]}", rows, folded=True)


def _tests(t: Crosstab) -> TableBlock:
    r = t.test
    k = (len(t.rows) - 1) * (len(t.columns) - 1)
    why = "too few df"
    rows = [
        q.row(
            test=q.name("Rao–Scott, second order", "Test"),
            value=q.stat(r.f, "F or χ²", why),
            df=q.df(r.df1),
            error=q.df(r.df2, "df of error"),
            p=q.p(r.p),
        ),
        q.row(
            test=q.name("Pearson’s X² of weighted shares, uncorrected", "Test"),
            value=q.stat(r.chi2, "F or χ²"),
            df=q.df(k),
            error=q.blank("df of error"),
            p=q.gone("X² has no known law under a design", "p", "p"),
        ),
        q.row(
            test=q.name("X² over the mean design effect, first order", "Test"),
            value=q.stat(r.first, "F or χ²"),
            df=q.df(k),
            error=q.blank("df of error"),
            p=q.gone("second order is told", "p", "p"),
        ),
    ]
    note = f"Design effects of the table: {listing([number(float(v), 2) for v in r.effects], 12)}."
    return q.table("tests", "Do they go together", rows, note=note)


def _facts(t: Crosstab) -> dict[str, Any]:
    r = t.test
    out: dict[str, Any] = {
        "n": t.crossed.n,
        "weighted_n": float(t.crossed.weighted.sum()),
        "df": t.df,
        "chi2": r.chi2,
    }
    out |= {k: v for k, v in (("f", r.f), ("df1", r.df1), ("df2", r.df2), ("p", r.p)) if np.isfinite(v)}
    for kind, c in t.cells.items():
        for i, level in enumerate(t.rows):
            for j, other in enumerate(t.columns):
                if np.isfinite(c.values[i, j]):
                    out[f"{level}.{other}.{kind}"] = float(c.values[i, j])
                    out[f"{level}.{other}.{kind}.se"] = float(c.se[i, j])
    return out


def _write_up(t: Crosstab) -> NoteBlock:
    first, second = _titles(t)
    r = t.test
    text = f"{t.survey.sentence()}. {first} was crossed with {second} ({counted(t.crossed.n, 'row')})"
    if np.isfinite(r.p):
        text += f": Rao–Scott F({number(r.df1, 2)}, {number(r.df2, 1)}) = {number(r.f, 2)}, p {p_words(r.p)}"
    return NoteBlock(id="write_up", text=f"{text}.")


def ask(table: Table, spec: CrosstabSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for a table without a design and for columns that cannot be crossed."""
    t = compute(table, spec, run.progress)
    spans, short = _headline(t)
    c = t.cells[spec.shares]
    marks = [(f"{a}, {b}", c.marks[i][j]) for i, a in enumerate(t.rows) for j, b in enumerate(t.columns)]
    return compose(
        spans,
        short=short,
        settings=[*t.survey.settings(), f"shares {SHARES[spec.shares]}"],
        facts=_facts(t),
        blocks=[
            _picture(t), _table(t, spec.shares, False), _tests(t),
            *(_table(t, k, True) for k in OVER if k != spec.shares), _errors(t), _write_up(t),
        ],
        checks=[*design_checks(t.survey), small_check(marks, spec)],
        rows=t.survey.rows(t.used, "one of both is empty, or the weight is 0"),
    )  # fmt: skip


METHOD = Method(
    id="survey_crosstab",
    aim=Aim.surveys,
    title="Tables of survey questions: weighted shares, Rao–Scott test",
    layouts=(
        Layout(
            "survey", "a row for each person asked, with weights", "Do {rows} and {columns} go together?",
            ("rows", "columns"), ("rows", "columns"),
        ),
    ),
    Spec=CrosstabSpec,
    compute=ask,
    page=read_page(__file__),
    design=True,
    order=3,
    fit=fits_design(26),
    reads=design_columns,
    name=lambda spec: f"{spec.rows} and {spec.columns}, weighted",
    keywords=(
        "weighted crosstab", "contingency table", "chi-square", "Rao-Scott", "Satterthwaite", "independence", "weights",
        "complex sample", "cross tabulation",
    ),
)  # fmt: skip
