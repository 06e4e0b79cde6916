"""How large is a share, does it differ from a value, and does it differ between groups?"""

from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Span, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, level_words, percent, plain, say
from yavik.core.figures.caption import lower
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.counts.proportion.groups import compared
from yavik.core.methods.counts.proportion.spec import ProportionSpec
from yavik.core.methods.fit import n_levels
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.events import place_of
from yavik.core.methods.kit.margin import demand_share, judged
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shares import ends_of, levels_of, percent_ci, points
from yavik.core.stats.direction import z_p
from yavik.core.stats.equivalence import of_share
from yavik.core.stats.shares import exact_share, wilson
from yavik.core.table import DataProblem, Table


def compute(table: Table, spec: ProportionSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for an event that is not there."""
    assert spec.column
    coded = levels_of(table, spec.column)
    event_word, event = place_of(table, spec.column, spec.event)
    use = coded.codes >= 0
    names: tuple[str, ...] = ("all",)
    group = np.zeros(table.n_rows, np.int64)
    if spec.groups:
        if spec.groups == spec.column:
            raise DataProblem(
                f"{spec.groups} stands in both slots; choose two different columns.", column=spec.groups
            )
        if spec.value is not None:
            raise DataProblem(
                "A share to compare with is for one sample; take out the groups, or the value.", column=spec.groups
            )
        g = levels_of(table, spec.groups)
        use &= g.codes >= 0
        names, group = g.levels, g.codes.astype(np.int64)
    n = np.bincount(group[use], minlength=len(names)).astype(float)
    hits = np.bincount(group[use], (coded.codes[use] == event).astype(float), minlength=len(names))
    kept = np.flatnonzero(n)
    if not len(kept):
        raise DataProblem(
            f"No row has {spec.column}{f' and {spec.groups}' if spec.groups else ''} filled.", column=spec.column
        )
    if spec.groups and len(kept) < 2:
        raise DataProblem(
            f"{spec.groups} has one level, '{names[kept[0]]}', among these rows; a comparison needs two.",
            column=spec.groups,
        )
    names, n, hits = tuple(names[i] for i in kept), n[kept], hits[kept]
    what = f"{lower(table.column(spec.column).title)} = {event_word}"
    gone = int((~use).sum())
    left = [LeftOut(why="something is empty", n=gone)] if gone else []
    rows = RowsUsed(total=table.n_rows, used=int(use.sum()), left_out=left)
    if spec.groups:
        return compared(spec, what, names, n, hits, rows, table.column(spec.groups).title)
    if spec.alternative != "two_sided" and spec.value is None:
        raise DataProblem("A direction needs a share to compare with.")
    return _one(spec, what, float(n[0]), float(hits[0]), rows)


def _one(spec: ProportionSpec, what: str, n: float, hits: float, rows: RowsUsed) -> Answer:
    p = hits / n
    low, high = exact_share(hits, n, spec.alpha, spec.alternative)
    score = wilson(hits, n, spec.alpha, spec.alternative)
    ci = f"{level_words(spec.alpha)} CI {ends_of(low, high, percent, spec.alternative)}"
    lines = [
        q.row(
            term=q.name(name, "Interval"), estimate=q.part(p, "Share"),
            **percent_ci(*ends, spec.alpha, spec.alternative)
        )
        for name, ends in (("Exact (Clopper–Pearson)", (low, high)), ("Score (Wilson)", score))
    ]  # fmt: skip
    blocks: list[Any] = [q.table("test", f"Share of {what}", lines, note=f"{int(hits)} of {int(n)} rows.")]
    facts: dict[str, Any] = {
        "event": what.rsplit(" = ", 1)[1],
        "n": n,
        "hits": hits,
        "estimate": p,
        "ci_low": low,
        "ci_high": high,
        "wilson.ci_low": score[0],
        "wilson.ci_high": score[1],
    }
    spans: list[Span] = say(f"{percent(p)} of {counted(int(n), 'row')} have {what} ({ci}).")
    short, mark = f"{percent(p)} have {what}", list[Span]()
    if spec.value is not None:
        side = {"two_sided": "two-sided", "less": "less", "greater": "greater"}[spec.alternative]
        exact = float(stats.binomtest(int(hits), int(n), spec.value, side).pvalue)  # type: ignore[arg-type]
        z = (p - spec.value) / np.sqrt(spec.value * (1 - spec.value) / n)
        way = {"two_sided": "differs from", "less": "is below", "greater": "is above"}[spec.alternative]
        claim = f"share of {what} {way} {percent(spec.value)}"
        start = f"{claimed(f'the {claim}', exact < spec.alpha)}, "
        spans = say(start, *q.p_said(exact), f" (exact). It is {percent(p)} ({ci}).")
        tests = [
            q.row(term=q.name(name, "Test"), z=q.stat(value, "z", q.NONE), p=q.p(own))
            for name, value, own in (
                ("Exact binomial", np.nan, exact), ("Normal approximation", float(z), z_p(float(z), spec.alternative))
            )
        ]  # fmt: skip
        blocks.append(q.table("tests", f"Test against {percent(spec.value)}", tests))
        facts |= {"p": exact, "z": float(z), "z.p": z_p(float(z), spec.alternative)}
        mark = q.p_said(exact)
        said = {"two_sided": "differs", "less": "is below", "greater": "is above"}[spec.alternative]
        none = {"two_sided": "a difference", "less": "a smaller share", "greater": "a larger share"}[spec.alternative]
        short = f"{said if exact < spec.alpha else f'no evidence of {none}'}, {plain(mark)}"
    made = compose(
        spans,
        short=short,
        blocks=blocks,
        checks=[_enough(n, hits)],
        rows=rows,
        facts=facts,
        settings=[
            "exact binomial test" if spec.value is not None else "interval by Wilson's score",
            f"counted is {what}",
        ],
        marks=Marks(p=mark),
    )
    if spec.margin is None:
        return made
    if spec.value is None:
        raise DataProblem("A margin needs a share to compare with, or two groups.", column=spec.column)
    demand_share(spec.margin)
    found = of_share(hits, n, spec.value, spec.margin, spec.alpha, spec.claim)
    return judged(made, found, spec.alpha, ("the share", percent(spec.value)), points, " percentage points")


def _enough(n: float, hits: float) -> Check:
    low = min(hits, n - hits)
    text = f"{int(hits)} counted, {int(n - hits)} not."
    if low < 5:
        text += " With fewer than five of one kind only the exact interval and test are to be relied on."
    return Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if low >= 5 else Verdict.doubtful,
        text=text,
        facts={"least": low},
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return (6, "yes or no") if n_levels(table, spec.get("column")) == 2 else (-12, "")


METHOD = Method(
    id="proportion",
    version="2",
    aim=Aim.counts,
    title="One share with its interval, and shares of groups compared",
    layouts=(
        Layout(
            "column",
            "one column of what happened",
            "How large is the share of {column}, by {groups}?",
            ("column", "groups"),
            ("column",),
        ),
    ),
    Spec=ProportionSpec,
    compute=compute,
    page=read_page(__file__),
    order=2,
    fit=_fit,
    name=lambda spec: f"Share of {spec.column}" + (f" by {spec.groups}" if spec.groups else ""),
    uses=("alternative",),
    keywords=("proportion", "binomial", "percentage", "wilson", "two proportions", "rate"),
)
