"""How much is empty where, in which patterns, and does it go with other columns?"""

from typing import Any

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, RowsUsed, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, grouped, listing, p_words, percent, say
from yavik.core.ask import slot
from yavik.core.figures.caption import lower
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec
from yavik.core.methods.kit.page import read_page
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.tables_of_counts import independence
from yavik.core.stats.two import Sample, t_test
from yavik.core.table import NUMERIC, Kind, Table

ANY = ["measure", "count", "yes_no", "category", "ordered", "date", "text", "identifier"]
MOST_PATTERNS = 25
MOST_LEVELS = 50


class MissingSpec(Spec):
    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(ANY, "all columns", many=True))


def compute(table: Table, spec: MissingSpec, run: Run) -> Answer:
    """The answer: of all columns where none are chosen."""
    names = spec.columns or table.names
    empty = np.column_stack([table.empty(n) for n in names])
    run.progress(0.3, "Looking for patterns")
    total, cells = int(empty.sum()), empty.size
    complete = int((~empty.any(axis=1)).sum())
    lacking = [i for i in range(len(names)) if empty[:, i].any()]
    going = _goes_with(table, names, empty, lacking, run)
    marked = [g for g in going if g["p_adjusted"].v is not None and float(g["p_adjusted"].v) < spec.alpha]
    if not total:
        spans = say(f"No cell of {counted(len(names), 'column')} is empty in {counted(table.n_rows, 'row')}.")
    else:
        worst = sorted(lacking, key=lambda i: -int(empty[:, i].sum()))[:3]
        said = listing([f"{lower(table.column(names[i]).title)} {percent(float(empty[:, i].mean()))}" for i in worst])
        spans = say(
            f"{percent(total / cells)} of the cells are empty; {grouped(complete)} of"
            f" {counted(table.n_rows, 'row')} are complete. Most is empty in {said}."
        )
    return compose(
        spans,
        short=f"{percent(total / cells)} empty, {counted(complete, 'complete row')}",
        blocks=[_columns(table, names, empty), _patterns(table, names, empty, lacking), _going_table(going, spec)],
        checks=[_loss(complete, table.n_rows), _chance(going, marked, lacking)],
        rows=RowsUsed(total=table.n_rows, used=table.n_rows),
        facts={
            "cells": cells,
            "empty": total,
            "complete": complete,
            "rows": table.n_rows,
            **{f"{n}.missing": int(empty[:, i].sum()) for i, n in enumerate(names)},
        },
    )


def _columns(table: Table, names: list[str], empty: Any) -> TableBlock:
    alone = empty.sum(axis=1) == 1
    rows = [
        q.row(
            column=q.name(table.column(n).title, "Column"), n=q.count((~empty[:, i]).sum(), "Filled"),
            missing=q.count(empty[:, i].sum(), "Empty"), share=q.part(float(empty[:, i].mean()), "Share empty"),
            alone=q.count((empty[:, i] & alone).sum(), "Only this empty"),
        )
        for i, n in enumerate(names)
    ]  # fmt: skip
    note = "“Only this empty”: rows that would be complete if this column were filled."
    return q.table("groups", "What is empty", rows, note=note)


def _patterns(table: Table, names: list[str], empty: Any, lacking: list[int]) -> TableBlock | None:
    if not lacking:
        return None
    packed = np.packbits(empty[:, lacking], axis=1)
    _, first, counts = np.unique(packed, axis=0, return_index=True, return_counts=True)
    order = np.argsort(-counts, kind="stable")
    rows = []
    for o in order[:MOST_PATTERNS]:
        gone = [table.column(names[lacking[j]]).title for j in np.flatnonzero(empty[first[o]][lacking])]
        rows.append(
            q.row(
                n=q.count(counts[o], "Rows"), share=q.part(float(counts[o] / len(empty)), "Share"),
                pattern=q.name(", ".join(gone) if gone else "nothing: complete", "Empty"),
            )
        )  # fmt: skip
    more = len(order) - MOST_PATTERNS
    note = f"And {counted(more, 'rarer pattern')}." if more > 0 else None
    return q.table("patterns", "What is empty together", rows, note=note)


def _goes_with(table: Table, names: list[str], empty: Any, lacking: list[int], run: Run) -> list[q.Row]:
    """Each column with gaps against each other column: do rows with and without differ?"""
    out: list[q.Row] = []
    usable = [n for n in names if table.column(n).kind in (*NUMERIC, Kind.yes_no, Kind.category, Kind.ordered)]
    for at, i in enumerate(lacking[:40]):
        run.progress(0.3 + 0.6 * at / len(lacking), f"Comparing rows with and without {names[i]}")
        gone = empty[:, i]
        if gone.sum() < 5 or (~gone).sum() < 5:
            continue
        for other in usable:
            if other == names[i]:
                continue
            line = (
                _numbers(table, other, gone) if table.column(other).kind in NUMERIC else _levels(table, other, gone)
            )
            if line:
                told = (table.column(n).title for n in (names[i], other))
                out.append(
                    q.row(column=q.name(next(told), "Empty in"), other=q.name(next(told), "compared by"), **line)
                )
    ps = np.array([float(line["p"].v) for line in out if line["p"].v is not None])
    adjusted = iter(adjust(ps, "holm"))
    for line in out:
        value = float(next(adjusted)) if line["p"].v is not None else float("nan")
        line["p_adjusted"] = q.p(value, "adjusted p", line["p"].why or q.HERE)
    return sorted(out, key=lambda line: float(line["p"].v) if line["p"].v is not None else 2.0)[:60]


def _numbers(table: Table, name: str, gone: Any) -> q.Row | None:
    y = table.numbers(name)
    a, b = y[gone & ~np.isnan(y)], y[~gone & ~np.isnan(y)]
    if len(a) < 3 or len(b) < 3 or a.var(ddof=1) + b.var(ddof=1) == 0:
        return None
    t = t_test(
        Sample(len(a), float(a.mean()), float(a.var(ddof=1))),
        Sample(len(b), float(b.mean()), float(b.var(ddof=1))),
        0.0,
        0.05,
        "two_sided",
        pooled=False,
    )
    d = printed_decimals(table.column(name)) + 1
    return q.row(
        what=q.name("mean"), empty=q.num(float(a.mean()), d, "where empty"),
        filled=q.num(float(b.mean()), d, "where filled"),
        p=q.p(t.p),
    )  # fmt: skip


def _levels(table: Table, name: str, gone: Any) -> q.Row | None:
    coded = table.codes(name)
    use = coded.codes >= 0
    if len(coded.levels) > MOST_LEVELS:
        return None
    counts = np.stack(
        [
            np.bincount(coded.codes[use & gone], minlength=len(coded.levels)),
            np.bincount(coded.codes[use & ~gone], minlength=len(coded.levels)),
        ]
    ).astype(float)
    counts = counts[:, counts.sum(axis=0) > 0]
    if counts.shape[1] < 2 or np.any(counts.sum(axis=1) < 5):
        return None
    part = counts / counts.sum(axis=1, keepdims=True)
    most = int(np.argmax(np.abs(part[0] - part[1])))
    kept = [i for i in range(len(coded.levels)) if np.any(coded.codes == i)]
    return q.row(
        what=q.name(f"share of {coded.levels[kept[most]]}"), empty=q.part(float(part[0, most]), "where empty"),
        filled=q.part(float(part[1, most]), "where filled"), p=q.p(independence(counts).pearson.p),
    )  # fmt: skip


def _going_table(going: list[q.Row], spec: MissingSpec) -> TableBlock | None:
    if not going:
        return None
    marked = [
        i
        for i, line in enumerate(going)
        if line["p_adjusted"].v is not None and float(line["p_adjusted"].v) < spec.alpha
    ]
    note = "Welch's test for numbers, χ² for levels; p adjusted by Holm over all comparisons."
    title = "Does emptiness go with other columns?"
    return q.table("pairs", title, going, note=note, marked=marked, folded=len(going) > 20)


def _loss(complete: int, rows: int) -> Check:
    lost = 1 - complete / rows
    verdict = Verdict.holds if lost <= 0.05 else Verdict.doubtful if lost <= 0.2 else Verdict.fails
    text = (
        f"A question on all of these columns would lose {counted(rows - complete, 'row')} of {grouped(rows)}"
        f" ({percent(lost)})."
        if lost
        else "No row would be lost."
    )
    return Check(
        id="complete", title="Complete rows", verdict=verdict, text=text, facts={"complete": float(complete)}
    )


def _chance(going: list[q.Row], marked: list[q.Row], lacking: list[int]) -> Check:
    base: dict[str, Any] = {"id": "chance", "title": "Empty by chance"}
    if not lacking:
        return Check(**base, verdict=Verdict.holds, text="Nothing is empty.")
    if not going:
        return Check(**base, verdict=Verdict.unknown, text="Too few empty cells, or nothing to compare them by.")
    lowest = float(going[0]["p_adjusted"].v) if going[0]["p_adjusted"].v is not None else 1.0
    if not marked:
        return Check(
            **base,
            verdict=Verdict.holds,
            text=(
                "Rows with and without empty cells cannot be told apart by the other columns (lowest adjusted p"
                f" {p_words(lowest)}). What is empty may still go with what is not known."
            ),
        )
    pairs = listing([f"{m['column'].s} with {m['other'].s}" for m in marked], 3)
    return Check(
        **base,
        verdict=Verdict.doubtful,
        text=f"Emptiness goes with other columns ({pairs}): leaving such rows out shifts what is left.",
        facts={"marked": float(len(marked))},
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return -28, ""


METHOD = Method(
    id="missing",
    aim=Aim.describe,
    title="Empty cells: how many, in which patterns, and with what they go",
    layouts=(
        Layout(
            "columns", "any columns", "What is empty in {columns}, and does it go with something?", ("columns",), ()
        ),
    ),
    Spec=MissingSpec,
    compute=compute,
    page=read_page(__file__),
    order=5,
    fit=_fit,
    whole=True,
    name=lambda spec: f"What is empty in {listing(spec.columns, 3)}" if spec.columns else "What is empty",
    keywords=("missing data", "empty", "patterns", "missing at random", "nonresponse"),
)
