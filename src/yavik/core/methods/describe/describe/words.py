"""What a description says: its statement, checks and facts."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import Check, Span, Verdict
from yavik.core.answers.wording import after, bold, counted, grouped, italic, listing, number, percent, say, share
from yavik.core.figures.caption import lower
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.describe.describe.spec import DescribeSpec
from yavik.core.stats.moments import Moments
from yavik.core.table import Column, Table


@dataclass(frozen=True)
class Part:
    """A column within one group: its numbers, or its levels' counts."""

    column: Column
    group: str | None
    n: int
    missing: int
    moments: Moments | None
    counts: np.ndarray[Any, Any] | None
    levels: tuple[str, ...] = ()


def headline(table: Table, spec: DescribeSpec, parts: list[Part]) -> list[Span]:
    """The statement: of one column its middle and spread, of several how many there are and what is empty."""
    if len(spec.columns) > 1:
        empty = sum(p.missing for p in parts)
        tail = f"; {counted(empty, 'cell is', 'cells are')} empty" if empty else "; no cell is empty"
        groups = f" for each {lower(table.column(spec.by).title)}" if spec.by else ""
        return say(f"{counted(len(spec.columns), 'column')} of {counted(table.n_rows, 'row')}{groups}{tail}.")
    column = parts[0].column
    unit, d = after(column.unit), printed_decimals(column) + 1
    with_mean = [p for p in parts if p.moments and p.n]
    if with_mean and spec.by:
        low, high = min(with_mean, key=_mean), max(with_mean, key=_mean)
        return say(
            f"Mean {lower(column.title)} runs from ",
            bold(number(_mean(low), d)),
            f"{unit} in {low.group} to ",
            bold(number(_mean(high), d)),
            f"{unit} in {high.group}.",
        )
    if with_mean:
        m = with_mean[0].moments
        assert m is not None
        sd = f" (SD {number(m.sd, d)})" if np.isfinite(m.sd) else ""
        tail = f"; half of them lie between {number(m.q1, d - 1)} and {number(m.q3, d - 1)}"
        return say(
            f"{column.title}: mean ",
            bold(f"{number(m.mean, d)}{unit}"),
            sd,
            ", ",
            italic("n"),
            f" = {with_mean[0].n}{tail}.",
        )
    counted_parts = [p for p in parts if p.counts is not None and p.n]
    if counted_parts and not spec.by:
        p = counted_parts[0]
        assert p.counts is not None
        order = np.argsort(-p.counts, kind="stable")[:3]
        return say(
            f"{column.title}: "
            + listing([f"{p.levels[i]} {percent(p.counts[i] / p.n)}" for i in order])
            + f" of {counted(p.n, 'row')}."
        )
    return say(
        f"{column.title}: {counted(sum(p.n for p in parts), 'filled cell')}, {sum(p.missing for p in parts)} empty."
    )


def _mean(p: Part) -> float:
    return p.moments.mean if p.moments else 0.0


def checks(parts: list[Part]) -> list[Check]:
    """Whether much is empty, and whether means are middles."""
    empty, cells = sum(p.missing for p in parts), sum(p.missing + p.n for p in parts)
    where = listing(list(dict.fromkeys(p.column.name for p in parts if p.missing))[:6])
    found = [
        Check(
            id="empty",
            title="Empty cells",
            verdict=Verdict.holds if empty == 0 else Verdict.doubtful if empty < 0.2 * cells else Verdict.fails,
            text=(
                "No cell is empty."
                if not empty
                else (
                    f"{grouped(empty)} of {counted(cells, 'cell')} {'is' if empty == 1 else 'are'} empty ({where})."
                    " Numbers describe the filled ones."
                )
            ),
            facts={"empty": float(empty)},
        )
    ]
    skewed = [p for p in parts if p.moments and abs(p.moments.skewness) > 1]
    if any(p.moments for p in parts):
        words = listing(
            [
                f"{p.column.name}{f' in {p.group}' if p.group else ''}"
                f" ({share(p.moments.skewness) if abs(p.moments.skewness) < 1 else number(p.moments.skewness, 1)})"
                for p in skewed
                if p.moments
            ]
        )
        found.append(
            Check(
                id="skewed",
                title="Mean as the middle",
                verdict=Verdict.doubtful if skewed else Verdict.holds,
                text=(
                    f"Strongly skewed: {words}. The median says more about the middle there."
                    if skewed
                    else "No column is strongly skewed (skewness within ±1)."
                ),
            )
        )
    return found


def facts(parts: list[Part]) -> dict[str, float | int | str]:
    """Numbers by name: 'column.mean', within groups 'column.group.mean'."""
    out: dict[str, float | int | str] = {}
    for p in parts:
        name = p.column.name + (f".{p.group}" if p.group is not None else "")
        out[f"{name}.n"], out[f"{name}.missing"] = p.n, p.missing
        if p.moments:
            out |= {f"{name}.{k}": float(v) for k, v in vars(p.moments).items() if k != "n" and np.isfinite(v)}
        if p.counts is not None:
            out |= {f"{name}.{level}": int(n) for level, n in zip(p.levels, p.counts, strict=True)}
    return out
