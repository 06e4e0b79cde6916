"""The sentence, tables and picture of survey estimates; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    begun,
    counted,
    decimals_of,
    grouped,
    level_words,
    listing,
    number,
    percent,
    say,
    span,
)  # fmt: skip
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.kit.surveys import points, standing
from yavik.core.methods.surveys.survey_estimate.compute import Estimated, Line

MOST_TWO_WAYS, MOST_PICTURES = 12, 6
NOTHING = "no row with weight is filled here"
NO_INTERVAL = "one cluster, or all answers alike: there is no error to tell"
WHAT = {
    "mean": "Mean",
    "share": "Share",
    "total": "Total",
    "ratio": "Ratio",
    "quantile": "Quantile",
    "auto": "Estimate",
}


def words(line: Line, value: float, e: Estimated) -> str:
    """A value as it is told: '58.6%', '2.14', '24 100'."""
    if not np.isfinite(value):
        return "–"
    if line.item.share and e.kind != "total":
        return percent(value)
    return number(value, places(line)) if abs(value) < 1e4 or places(line) else grouped(round(value))


def places(line: Line) -> int:
    """Decimals that the error leaves meaning to."""
    size = line.se if np.isfinite(line.se) and line.se > 0 else max(abs(line.value), 1e-9) / 100
    return max(0, min(6, decimals_of(size, abs(line.value))))


def headline(e: Estimated) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    told = [line for line in e.lines if np.isfinite(line.value)]
    if not told:
        return say("Nothing can be estimated: no row with weight is filled."), "nothing filled"
    items = list(dict.fromkeys(id(line.item) for line in told))
    said = []
    for one in items[:3]:
        own = [line for line in told if id(line.item) == one]
        text = _said(own[0], e)
        groups = [f"{x.group} {words(x, x.value, e)}" for x in own if x.group and not x.other]
        said.append(f"{text}; {listing(groups, 6)}" if own[0].group == "" and groups else text)
    text = ". ".join(begun(s) for s in said)
    text += f". {counted(len(items) - 3, 'estimate')} more below." if len(items) > 3 else "."
    first = told[0]
    short = f"{words(first, first.value, e)}{f', {first.item.level}' if first.item.level else ''}"
    short += f", {counted(len(told), 'estimate')}" if len(told) > 1 else f", {counted(first.n, 'row')}"
    return say(text), short


def _said(line: Line, e: Estimated) -> str:
    what = {"total": "Total of ", "quantile": f"Quantile {number(e.spec.part, 2)} of "}.get(e.kind, "")
    if e.kind == "quantile" and e.spec.part == 0.5:
        what = "Median of "
    unit = f" {line.item.unit}" if line.item.unit and not line.item.share else ""
    text = f"{what}{line.name}: {words(line, line.value, e)}{unit}"
    if np.isfinite([line.low, line.high]).all():
        text += f" ({level_words(e.spec.alpha)} CI {span(line.low, line.high, lambda v: words(line, v, e))})"
    return text


def blocks(e: Estimated) -> list[Any]:
    """Everything below the sentence."""
    return [*pictures(e), *two_ways(e), estimates(e), design(e), _write_up(e)]


def two_ways(e: Estimated) -> list[TableBlock]:
    """Estimates by two columns, a table for each."""
    if not e.spec.across or not e.spec.by:
        return []
    table = e.survey.table
    others = list(dict.fromkeys(line.other for line in e.lines if line.other))
    out = []
    for k, item in enumerate(dict.fromkeys(id(line.item) for line in e.lines)):
        own = [line for line in e.lines if id(line.item) == item]
        name = own[0].item.title + (f": {own[0].item.level}" if own[0].item.level else "")
        rows = []
        for level in e.levels:
            cells = q.row(group=q.name(level, table.column(e.spec.by).title))
            for j, other in enumerate(["", *others]):
                cell = next((x for x in own if x.group == level and x.other == other), None)
                title = other or "all"
                cells[f"c{j}"] = (
                    q.gone(NOTHING, title)
                    if cell is None or not np.isfinite(cell.value)
                    else q.texted(
                        cell.value, words(cell, cell.value, e) + ("*" if cell.mark else ""), title, "estimate"
                    )
                )
            rows.append(cells)
        note = (
            f"{table.column(e.spec.across).title} across. * {_rule(e)}; errors stand in the table of all estimates."
        )
        out.append(q.table(f"two_ways_{k + 1}", name, rows, note=note))
    return out[:MOST_TWO_WAYS]


def _rule(e: Estimated) -> str:
    return f"rests on fewer than {e.spec.few} rows, or has an error above {percent(e.spec.loose)}"


def _group(line: Line) -> str:
    return ", ".join(part for part in (line.group, line.other) if part) or "all"


def pictures(e: Estimated) -> list[FigureBlock]:
    """Estimates with their intervals: all shares on one scale, every other column on its own."""
    kinds: dict[Any, list[Line]] = {}
    for line in e.lines:
        kinds.setdefault("shares" if line.item.share and e.kind != "total" else id(line.item), []).append(line)
    out: list[FigureBlock] = []
    for kind, lines in list(kinds.items())[:MOST_PICTURES]:
        size = 100 if kind == "shares" else 1
        known = [line for line in lines[:60] if np.isfinite([line.value, line.low, line.high]).all()]
        if not known:
            continue
        first = known[0].item
        title = "Share, %" if kind == "shares" else WHAT[e.kind] + (f", {first.unit}" if first.unit else "")
        alike = all(line.item is first for line in known)
        bars = [
            Bar(_group(x) if alike else x.name, x.value * size, x.low * size, x.high * size, strong=True)
            for x in known
        ]
        name = first.title + (f": {first.level}" if first.level else "") if alike else "Shares with their intervals"
        out.append(block(f"picture_{len(out) + 1}", name, forest(bars, title, at=None)))
    return out


def estimates(e: Estimated) -> TableBlock:
    """Every estimate beside the unweighted number."""
    rows = []
    several = any(line.item.level for line in e.lines)
    for line in e.lines:
        cells = q.row(column=q.name(line.item.title, "Column"))
        if several:
            cells["level"] = q.said(line.item.level or "–", "Of")
        if e.spec.by:
            cells["group"] = q.said(line.group or "all", e.survey.table.column(e.spec.by).title)
        if e.spec.by and e.spec.across:
            cells["other"] = q.said(line.other or "all", e.survey.table.column(e.spec.across).title)
        shown = line.item.share and e.kind != "total"
        d = places(line)

        def value(v: float, title: str, why: str = NOTHING, line: Line = line) -> q.Quantity:
            return (
                q.texted(v, words(line, v, e), title, "estimate")
                if np.isfinite(v)
                else q.gone(why, title, "estimate")
            )

        cells["estimate"] = value(line.value, WHAT[e.kind])
        cells["se"] = (
            q.texted(line.se, points(line.se) if shown else number(line.se, d), "SE")
            if np.isfinite(line.se) and np.isfinite(line.value)
            else q.gone(NOTHING, "SE")
        )
        cells |= q.ends(
            line.low,
            line.high,
            lambda v, line=line: words(line, v, e),
            f"{level_words(e.spec.alpha)} CI",
            NO_INTERVAL,
        )
        cells |= q.row(
            n=q.count(line.n, "n"), weighted=q.texted(line.weighted, standing(line.weighted), "Stands for"),
            effect=q.num(line.effect, 2, "Design effect", why="it is none of this"),
            unweighted=value(line.unweighted, "Unweighted"),
        )  # fmt: skip
        if any(other.mark for other in e.lines):
            cells["mark"] = q.said(line.mark or "–", "Marked")
        rows.append(cells)
    return q.table("estimates", "Estimates", rows, note=_note(e), folded=len(rows) > 40)


def _note(e: Estimated) -> str:
    note = "Design effect: the variance over that of a simple random sample of as many rows (s²/n)."
    if any(line.item.share for line in e.lines) and e.kind != "total":
        note += " Intervals of shares are by log odds, so they stay within 0 and 1; a share of 0 or 1 has none."
    if e.kind == "quantile":
        note += " Intervals by Woodruff; the error is half the interval over t."
    if e.spec.by or e.spec.where:
        note += " Groups and conditions keep the whole design: rows outside count as zero."
    marks = {line.mark for line in e.lines if line.mark}
    if "few rows" in marks:
        note += f" Few: fewer than {e.spec.few} rows."
    if "loose" in marks:
        note += f" Loose: an error above {percent(e.spec.loose)} of the estimate."
    return note


def design(e: Estimated) -> TableBlock:
    """The design in numbers."""
    s = e.survey
    told = [("Rows asked about", counted(int(s.domain.sum()), "row")), ("They stand for", standing(s.total))]
    if int(s.domain.sum()) < s.table.n_rows:
        told.append(("The whole table stands for", standing(float(s.weights.sum()))))
    told += [
        ("Degrees of freedom", number(s.df, 0)),
        ("Weights alone widen variances by", number(s.kish, 2)),
    ]
    rows = [q.row(what=q.name(a, "Design"), value=q.said(b, "")) for a, b in told]
    return q.table("design", "The design in numbers", rows, folded=True)


def facts(e: Estimated) -> dict[str, Any]:
    """Numbers by name."""
    s = e.survey
    out: dict[str, Any] = {"n": int(s.domain.sum()), "weighted_n": s.total, "df": s.df}
    for line in e.lines:
        name = ".".join(p for p in (line.item.column, line.item.level, line.group, line.other) if p)
        pairs = (
            ("estimate", line.value), ("se", line.se), ("low", line.low), ("high", line.high), ("n", line.n),
            ("design_effect", line.effect), ("unweighted", line.unweighted),
        )  # fmt: skip
        out |= {f"{name}.{key}": v for key, v in pairs if np.isfinite(v)}
    return out


def _write_up(e: Estimated) -> NoteBlock:
    told = [_said(line, e) for line in e.lines if np.isfinite(line.value)][:6]
    text = f"{e.survey.sentence()}. {'; '.join(told)}." if told else f"{e.survey.sentence()}."
    return NoteBlock(id="write_up", text=text)
