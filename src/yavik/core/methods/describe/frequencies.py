"""How often does each level occur? Counts, shares and running shares of several columns at once."""

from typing import Any

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, FigureBlock, RowsUsed, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, listing, percent, say
from yavik.core.ask import slot
from yavik.core.figures.pictures import bars
from yavik.core.figures.plots import block
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec
from yavik.core.methods.kit.page import read_page
from yavik.core.table import CODED, Codes, DataProblem, Table

KINDS = ["category", "ordered", "yes_no", "count", "text", "measure", "date"]
MOST_LEVELS = 200
MOST_COLUMNS = 60


class FrequenciesSpec(Spec):
    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(KINDS, "columns", many=True))
    by: str | None = Field(None, title="For each", json_schema_extra=slot(["category", "ordered", "yes_no"], "group"))


def compute(table: Table, spec: FrequenciesSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for too many columns or levels."""
    if len(spec.columns) > MOST_COLUMNS:
        raise DataProblem(f"{len(spec.columns)} columns are too many for one page; choose up to {MOST_COLUMNS}.")
    if spec.by in spec.columns:
        raise DataProblem(f"{spec.by} stands in both slots; take it out of one.", column=spec.by)
    by = table.codes(spec.by) if spec.by else Codes(np.zeros(table.n_rows, np.int32), ("",))
    if len(by.levels) > 30:
        raise DataProblem(f"{spec.by} has {len(by.levels)} levels; choose a column with up to 30.", column=spec.by)
    tables: list[TableBlock] = []
    pictures: list[FigureBlock] = []
    facts: dict[str, Any] = {}
    empty = 0
    for i, name in enumerate(spec.columns):
        run.progress(i / len(spec.columns), f"Counting {name}")
        coded, column = table.codes(name), table.column(name)
        if len(coded.levels) > MOST_LEVELS:
            raise DataProblem(
                f"{name} has {len(coded.levels)} different values; this question takes up to {MOST_LEVELS}. Bin it in"
                " the table, or ask what it looks like.",
                column=name,
            )
        use = (by.codes >= 0) & (coded.codes >= 0)
        k = len(coded.levels)
        flat = np.bincount(by.codes[use].astype(np.int64) * k + coded.codes[use], minlength=k * len(by.levels))
        counts = flat.reshape(len(by.levels), k)
        lost = int(((by.codes >= 0) & (coded.codes < 0)).sum())
        empty += lost
        tables.append(_table(name, column.title, coded, counts, by.levels if spec.by else None, lost))
        if k and len(pictures) < 12:
            vega, alt = bars(column, coded.levels[:20], counts[:, :20], by.levels)
            pictures.append(block(f"figure_{name}", column.title, (vega, alt), small=True))
        for g, group in enumerate(by.levels):
            for j, level in enumerate(coded.levels):
                facts[f"{name}{f'.{group}' if spec.by else ''}.{level}"] = int(counts[g, j])
    gone = int((by.codes < 0).sum())
    cells = len(spec.columns) * (table.n_rows - gone)
    check = Check(
        id="empty",
        title="Empty cells",
        verdict=Verdict.holds if not empty else Verdict.doubtful if empty < 0.2 * cells else Verdict.fails,
        text=(
            "No cell is empty."
            if not empty
            else f"{counted(empty, 'cell is', 'cells are')} empty; shares are of the filled ones."
        ),
        facts={"empty": float(empty)},
    )
    return compose(
        _headline(table, spec, by),
        short=f"{counted(len(spec.columns), 'column')}, {counted(table.n_rows - gone, 'row')}",
        blocks=[*pictures, *tables],
        checks=[check],
        rows=RowsUsed(
            total=table.n_rows,
            used=table.n_rows - gone,
            left_out=[LeftOut(why=f"{spec.by} is empty", n=gone)] if gone else [],
        ),
        facts=facts,
    )


def _table(name: str, title: str, coded: Codes, counts: Any, groups: tuple[str, ...] | None, lost: int) -> TableBlock:
    id = f"frequencies_{name}"
    if groups:
        totals = counts.sum(axis=1)

        def line(level: str, cells: list[q.Quantity]) -> q.Row:
            """One level over the groups."""
            own = {f"g{g}": cell.under(groups[g]) for g, cell in enumerate(cells)}
            return q.row(level=q.name(level, "Level"), **own)

        rows = [
            line(level, [_with_share(n[j], whole) for n, whole in zip(counts, totals, strict=True)])
            for j, level in enumerate(coded.levels)
        ]
        rows.append(line("Filled", [q.count(t) for t in totals]))
        return q.table(id, title, rows, note="In brackets the share of the group's filled cells.")
    n, filled = counts[0], int(counts[0].sum())
    running, whole = np.cumsum(n), filled + lost

    def one(level: str, n: int, of_filled: float | None, of_all: float | None, up_to: float | None) -> q.Row:
        """One level with its shares; None for a share that it does not have."""
        return q.row(
            level=q.name(level, "Level"), n=q.count(n), share=_share(of_filled, filled, "Share of filled"),
            share_all=_share(of_all, whole, "Share of all" if lost else None),
            running=_share(up_to, filled, "Running share"),
        )  # fmt: skip

    rows = [one(level, n[j], n[j], n[j], running[j]) for j, level in enumerate(coded.levels)]
    rows += [one("empty", lost, None, lost, None)] if lost else []
    return q.table(id, title, [*rows, one("Total", whole, None, None, None)])


def _share(part: float | None, total: float, title: str | None) -> q.Quantity:
    return q.blank(title) if part is None or not total else q.part(float(part / total), title)


def _with_share(part: float, total: float) -> q.Quantity:
    told = f"{int(part)} ({percent(float(part / total))})" if total else "0"
    return q.texted(int(part), told, role="count")


def _headline(table: Table, spec: FrequenciesSpec, by: Codes) -> list[Span]:
    """The commonest level of up to three columns."""
    said = []
    for name in spec.columns[:3]:
        coded = table.codes(name)
        use = (coded.codes >= 0) & (by.codes >= 0)
        n = np.bincount(coded.codes[use], minlength=max(len(coded.levels), 1))
        title, total = table.column(name).title, int(n.sum())
        if not total:
            if len(spec.columns) == 1:
                raise DataProblem(f"{name} has no filled cell among these {table.n_rows} rows.", column=name)
            said.append(f"{title} has no filled cell")
            continue
        order = np.argsort(-n, kind="stable")[: 3 if len(spec.columns) == 1 else 1]
        levels = listing([f"{coded.levels[i]} ({percent(float(n[i] / total))})" for i in order])
        said.append(f"{title}: {'' if len(order) > 1 else 'most often '}{levels}")
    more = len(spec.columns) - 3
    return say("; ".join(said) + (f"; and {counted(more, 'more column')} below." if more > 0 else "."))


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    kinds = [table.column(c).kind for c in spec.get("columns", [])]
    return (4, "levels to be counted") if kinds and all(k in CODED for k in kinds) else (-25, "")


METHOD = Method(
    id="frequencies",
    aim=Aim.describe,
    title="Counts, shares and running shares of levels",
    layouts=(
        Layout(
            "columns",
            "any columns with levels",
            "How often does each level of {columns} occur, for each {by}?",
            ("columns", "by"),
            ("columns",),
        ),
    ),
    Spec=FrequenciesSpec,
    compute=compute,
    page=read_page(__file__),
    order=2,
    fit=_fit,
    name=lambda spec: f"Levels of {listing(spec.columns, 3)}",
    keywords=("frequency", "counts", "percentages", "cumulative", "bar chart"),
)
