"""The sentence, tables and picture of a comparison in a survey; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    after,
    counted,
    decimals_of,
    level_words,
    listing,
    number,
    p_words,
    percent,
    say,
    span,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.compare.groups.spec import ADJUSTED_BY
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.surveys import points, standing
from yavik.core.methods.surveys.survey_compare.compute import Compared, Difference, Part

NOTHING = "a group has one cluster, or all its answers are alike, so it has no error"


def words(p: Part, value: float) -> str:
    """A mean or share."""
    return percent(value) if p.item.share else number(value, places(p))


def _with_unit(p: Part, value: float) -> str:
    return words(p, value) + ("" if p.item.share else after(p.item.unit))


def difference_words(p: Part, value: float) -> str:
    """A difference: of shares in percentage points."""
    return points(value) if p.item.share else number(value, places(p))


def places(p: Part) -> int:
    """Decimals that the errors leave meaning to."""
    se = p.made.se[np.isfinite(p.made.se) & (p.made.se > 0)]
    size = float(se.min()) if len(se) else max(float(np.abs(p.made.values).max()), 1e-9) / 100
    return max(0, min(6, decimals_of(size, float(np.abs(p.made.values).max()) or 1.0)))


def _what(p: Part) -> str:
    return f"share of {p.item.level} in {p.item.title}" if p.item.share else f"mean {lower(p.item.title)}"


def headline(c: Compared) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    p = c.main
    groups = c.survey.table.column(c.spec.groups or "").title
    told = ", ".join(f"{_with_unit(p, float(v))} in {g}" for g, v in zip(c.levels[:6], p.made.values, strict=False))
    told += f" and {len(c.levels) - 6} more" if len(c.levels) > 6 else ""
    if len(c.levels) == 2:
        d = p.pairs[0]
        if not np.isfinite(d.p):
            return say(f"The {_what(p)} is {told}; a difference cannot be tested: {NOTHING}."), "cannot be tested"
        claim = f"the {_what(p)} differs between {c.levels[0]} and {c.levels[1]}"
        text = f"{claimed(claim, d.p < c.spec.alpha)}: {told}, a difference of {difference_words(p, d.value)}"
        text += f" ({level_words(c.spec.alpha)} CI {span(d.low, d.high, lambda v: difference_words(p, v))};"
        text += f" t({number(d.df, 0)}) = {number(d.t, 2)}, p {p_words(d.p)})."
        return say(text), f"{difference_words(p, d.value)}, p {p_words(d.p)}"
    w = p.whole
    if not np.isfinite(w.p):
        return say(
            f"The {_what(p)} is {told}; groups together cannot be tested: {NOTHING}, or too few df are left."
        ), "cannot be tested"
    claim = f"the {_what(p)} differs by {groups}"
    text = f"{claimed(claim, w.p < c.spec.alpha)}: {told} (F({number(w.df1, 0)}, {number(w.df2, 0)}) ="
    text += f" {number(w.f, 2)}, p {p_words(w.p)})."
    return say(text), f"{counted(len(c.levels), 'group')}, p {p_words(w.p)}"


def blocks(c: Compared) -> list[Any]:
    """Everything below the sentence."""
    parts: list[tuple[str, list[TableBlock | FigureBlock]]] = [
        (p.item.level or p.item.title, [b for b in (_picture(c, p), estimates(c, p, i), differences(c, p, i)) if b])
        for i, p in enumerate(c.parts)
    ]
    return [*touch.tabs("part", parts), tests(c), _write_up(c)]


def _picture(c: Compared, p: Part) -> FigureBlock | None:
    if not (np.isfinite(p.low) & np.isfinite(p.high)).any():
        return None
    i = c.parts.index(p)
    size = 100 if p.item.share else 1
    bars = [
        Bar(g, float(v) * size, float(a) * size, float(b) * size, strong=True)
        for g, v, a, b in zip(c.levels, p.made.values, p.low, p.high, strict=True)
    ]
    title = (
        f"Share of {p.item.level}, %" if p.item.share else p.item.title + (f", {p.item.unit}" if p.item.unit else "")
    )
    return block(f"picture_{i + 1}", "Groups with their intervals", forest(bars, title, at=None))


def estimates(c: Compared, p: Part, i: int) -> TableBlock:
    """Every group, weighted beside unweighted."""
    what = "Share" if p.item.share else "Mean"
    rows = []
    for g, level in enumerate(c.levels):
        cells = q.row(
            group=q.name(level, c.survey.table.column(c.spec.groups or "").title),
            estimate=q.texted(float(p.made.values[g]), words(p, float(p.made.values[g])), what, "estimate"),
            se=q.texted(float(p.made.se[g]), difference_words(p, float(p.made.se[g])), "SE"),
        )  # fmt: skip
        cells |= q.ends(
            float(p.low[g]), float(p.high[g]), lambda v: words(p, v), f"{level_words(c.spec.alpha)} CI", NOTHING
        )
        cells |= q.row(
            n=q.count(int(p.made.n[g]), "n"),
            weighted=q.texted(float(p.made.weighted[g]), standing(float(p.made.weighted[g])), "Stands for"),
            effect=q.num(float(p.made.effect[g]), 2, "Design effect", why="it is none of this"),
            unweighted=q.texted(float(p.made.unweighted[g]), words(p, float(p.made.unweighted[g])), "Unweighted"),
        )  # fmt: skip
        if any(p.marks):
            cells["mark"] = q.said(p.marks[g] or "–", "Marked")
        rows.append(cells)
    note = (
        f"Few: fewer than {c.spec.few} rows; loose: an error above {percent(c.spec.loose)} of the estimate."
        if any(p.marks)
        else None
    )
    title = f"Groups, share of {p.item.level}" if p.item.share else "Groups"
    return q.table(f"groups_{i + 1}" if len(c.parts) > 1 else "groups", title, rows, note=note)


def differences(c: Compared, p: Part, i: int) -> TableBlock:
    """Every two groups, and the trend over groups in order."""
    rows = [_difference(c, p, d) for d in p.pairs]
    note = (
        f"Second less first. Errors count that groups share the design. p {ADJUSTED_BY[c.spec.adjust]}."
        if len(rows) > 1
        else "Second less first; the error counts that groups share the design."
    )
    if p.trend:
        t = p.trend
        cells = q.row(
            pair=q.name("trend, a group to the next", "Pair"),
            value=q.texted(t.value, difference_words(p, t.value), "Difference", "estimate"),
            se=q.texted(t.se, difference_words(p, t.se), "SE"),
        )  # fmt: skip
        cells |= q.ends(t.low, t.high, lambda v: difference_words(p, v), f"{level_words(c.spec.alpha)} CI", NOTHING)
        cells |= q.row(t=q.stat(t.value / t.se if t.se > 0 else np.nan, "t", NOTHING), df=q.df(t.df), p=q.p(t.p))
        if len(p.pairs) > 1:
            cells["adjusted"] = q.gone("the trend is asked by itself", "adjusted p", "p")
        cells["unweighted"] = q.gone("of pairs alone", "Unweighted")
        rows.append(cells)
    return q.table(
        f"differences_{i + 1}" if len(c.parts) > 1 else "differences", "Differences", rows, note=note, strong=["p"]
    )


def _difference(c: Compared, p: Part, d: Difference) -> q.Row:
    cells = q.row(
        pair=q.name(f"{c.levels[d.second]} − {c.levels[d.first]}", "Pair"),
        value=q.texted(d.value, difference_words(p, d.value), "Difference", "estimate"),
        se=q.texted(d.se, difference_words(p, d.se), "SE"),
    )  # fmt: skip
    cells |= q.ends(d.low, d.high, lambda v: difference_words(p, v), f"{level_words(c.spec.alpha)} CI", NOTHING)
    cells |= q.row(t=q.stat(d.t, "t", NOTHING), df=q.df(d.df), p=q.p(d.p))
    if len(p.pairs) > 1:
        cells["adjusted"] = q.p(d.adjusted, "adjusted p")
    cells["unweighted"] = q.texted(d.unweighted, difference_words(p, d.unweighted), "Unweighted")
    return cells


def tests(c: Compared) -> TableBlock | None:
    """That groups do not differ, all together."""
    if len(c.levels) < 3 and len(c.parts) == 1:
        return None
    rows = [
        q.row(
            what=q.name(_what(p), "Tested"), f=q.stat(p.whole.f, "F", "too few df, or groups that vary together"),
            df1=q.df(p.whole.df1), df2=q.df(p.whole.df2, "df of error"), p=q.p(p.whole.p),
        )
        for p in c.parts
    ]  # fmt: skip
    note = "Adjusted Wald test: F = (df − k + 1)/(k df) Q for k differences and the df of the design."
    if len(c.parts) > 1:
        note += " Shares of one column add up to 1, so its tests go together."
    return q.table("tests", "All groups together", rows, note=note, strong=["p"])


def facts(c: Compared) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {"n": int(c.used.sum()), "weighted_n": c.survey.total, "df": c.survey.df}
    for p in c.parts:
        start = f"{p.item.level}." if len(c.parts) > 1 else ""
        for g, level in enumerate(c.levels):
            out |= {f"{start}{level}.estimate": float(p.made.values[g]), f"{start}{level}.se": float(p.made.se[g])}
        for d in p.pairs:
            name = f"{start}{c.levels[d.second]} - {c.levels[d.first]}"
            pairs = (
                ("difference", d.value),
                ("se", d.se),
                ("p", d.p),
                ("p_adjusted", d.adjusted),
                ("low", d.low),
                ("high", d.high),
            )
            out |= {f"{name}.{k}": v for k, v in pairs if np.isfinite(v)}
        if np.isfinite(p.whole.p):
            out |= {
                f"{start}f": p.whole.f,
                f"{start}df1": p.whole.df1,
                f"{start}df2": p.whole.df2,
                f"{start}p": p.whole.p,
            }
        if p.trend and np.isfinite(p.trend.p):
            out |= {f"{start}trend": p.trend.value, f"{start}trend.p": p.trend.p}
    return out


def _write_up(c: Compared) -> NoteBlock:
    p = c.main
    told = [
        f"{g} {words(p, float(v))} (SE {difference_words(p, float(e))})"
        for g, v, e in zip(c.levels, p.made.values, p.made.se, strict=True)
    ]
    text = f"{c.survey.sentence()}. The {_what(p)} was {listing(told, 12)}."
    for d in p.pairs[:3]:
        if np.isfinite(d.p):
            text += f" {c.levels[d.second]} − {c.levels[d.first]}: {difference_words(p, d.value)}"
            text += f" ({level_words(c.spec.alpha)} CI {span(d.low, d.high, lambda v: difference_words(p, v))};"
            text += f" p {p_words(d.adjusted)}{f', {ADJUSTED_BY[c.spec.adjust]}' if len(p.pairs) > 1 else ''})."
    return NoteBlock(id="write_up", text=text)
