"""What the data can carry of a factor analysis, and what to do about it."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import (
    counted,
    in_quotes,
    listing,
    number,
    p_words,
    percent,
    share,
)
from yavik.core.methods.scales.factor_analysis.compute import Factors
from yavik.core.methods.scales.factor_analysis.words import many

GOOD, POOR = 0.7, 0.5
"""KMO above which correlations are worth factoring, and below which they are not."""
HARDLY = 0.2
"""Correlation of factors below which they may as well be kept apart; above ``CLEARLY`` they should not be."""
CLEARLY = 0.3
MOST_TOLD = 3


def all_checks(f: Factors) -> list[Check | None]:
    """In the order in which a researcher judges."""
    return [
        _worth(f), _singular(f), _number(f), _proper(f), _stray(f), _crossed(f), _related(f), _residuals(f),
        _starts(f), _rows(f),
    ]  # fmt: skip


def _leave_out(f: Factors, item: int) -> Remedy:
    kept = [n for i, n in enumerate(f.data.names) if i != item]
    return Remedy(label=f"Without {f.data.names[item]}", spec={"items": kept})


def _worth(f: Factors) -> Check:
    base: dict[str, Any] = {"id": "adequacy", "title": "Correlations worth factoring"}
    a = f.data.adequacy
    if a is None:
        return Check(
            **base, verdict=Verdict.unknown, text="Adequacy cannot be computed: the correlations cannot be inverted."
        )
    facts = {"kmo": a.kmo, "bartlett.p": a.p}
    text = f"KMO is {share(a.kmo)}; Bartlett’s test finds"
    text += f" {'correlations' if a.p < f.spec.alpha else 'no evidence of correlations'} (p {p_words(a.p)})."
    poor = [int(i) for i in np.argsort(a.each) if a.each[i] < POOR]
    if poor and f.data.k > 3:
        said = listing([f"{in_quotes(f.data.titles[i], 40)} ({share(float(a.each[i]))})" for i in poor], MOST_TOLD)
        text += f" Below {share(POOR)} by itself: {said}."
    remedies = [_leave_out(f, i) for i in poor[:2]] if f.data.k > 3 else []
    if a.kmo < POOR or a.p >= f.spec.alpha:
        text += " There is little in common to factor."
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies, facts=facts)
    verdict = Verdict.holds if a.kmo >= GOOD and not poor else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, remedies=remedies, facts=facts)


def _singular(f: Factors) -> Check | None:
    d = f.data
    a = d.adequacy
    base: dict[str, Any] = {"id": "singular", "title": "Items that repeat one another"}
    if d.doubled:
        i, j = d.doubled
        text = f"{d.names[i]} and {d.names[j]} are the same but for scale: one of them says nothing more."
        return Check(**base, verdict=Verdict.fails, text=text, remedies=[_leave_out(f, j)] if d.k > 3 else [])
    if d.c.singular:
        if d.c.rows <= d.k:
            text = f"{counted(d.c.rows, 'row')} for {counted(d.k, 'item')}: correlations cannot be inverted, and much"
            text += " is left open."
            return Check(**base, verdict=Verdict.fails, text=text)
        named = listing([d.names[i] for i in d.tied], 5)
        text = f"Some items are sums of others, or pairs of filled cells contradict one another: {named}."
        remedies = [_leave_out(f, i) for i in d.tied[:2]] if d.k > 3 else []
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)
    close = np.abs(np.tril(d.c.r, -1))
    i, j = (int(v) for v in np.unravel_index(int(np.argmax(close)), close.shape))
    if close[i, j] > 0.9:
        text = f"{d.names[i]} and {d.names[j]} correlate at {share(float(d.c.r[i, j]))}: nearly one question asked"
        text += " twice."
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[_leave_out(f, i)] if d.k > 3 else [])
    if a and a.log_determinant < np.log(1e-5) and d.k <= 30:
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text="The determinant is below .00001: some items are nearly sums of others.",
        )
    return None


def _number(f: Factors) -> Check:
    base: dict[str, Any] = {"id": "number", "title": "Number of factors"}
    facts = {"kaiser": float(f.by_kaiser), "parallel": float(f.by_parallel)}
    text = f"More than chance gives: {f.by_parallel}. Eigenvalues above 1: {f.by_kaiser}. Taken: {f.m}."
    remedies = []
    if f.by_parallel != f.m and f.by_parallel > 0:
        remedies.append(Remedy(label=f"Take {f.by_parallel}", spec={"factors": "parallel"}))
    if f.by_kaiser not in (f.m, f.by_parallel):
        remedies.append(Remedy(label=f"Take {f.by_kaiser}", spec={"factors": "kaiser"}))
    if f.by_parallel == 0:
        text = (
            f"No factor stands out beside chance (first eigenvalue {number(float(f.data.eigenvalues[0]), 2)}, chance"
        )
        text += f" {number(float(f.limits[0]), 2)}): one is shown, but these items have little in common."
        return Check(**base, verdict=Verdict.fails, text=text, facts=facts)
    if f.m > f.by_parallel:
        text += f" {many(f.m - f.by_parallel)} may be chance."
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies, facts=facts)
    if f.m < f.by_parallel:
        return Check(
            **base, verdict=Verdict.doubtful, text=text + " Some may be missing.", remedies=remedies, facts=facts
        )
    agree = f.by_kaiser == f.m
    text += "" if agree else " The rule of eigenvalues above 1 often takes too many."
    return Check(**base, verdict=Verdict.holds, text=text, facts=facts, remedies=[] if agree else remedies)


def _proper(f: Factors) -> Check:
    base: dict[str, Any] = {"id": "proper", "title": "A proper solution"}
    s = f.solution.extracted
    wrong = [int(i) for i in np.flatnonzero(s.improper)]
    if wrong:
        said = listing([in_quotes(f.data.titles[i], 40) for i in wrong], MOST_TOLD)
        text = f"The factors explain {said} whole, or more than whole (Heywood case): too many factors, too few rows,"
        text += " or an item"
        text += " that stands alone on its factor."
        remedies = [_leave_out(f, wrong[0])] if f.data.k > 4 else []
        if f.m > 1:
            remedies.insert(0, Remedy(label=f"Take {f.m - 1}", spec={"factors": f.m - 1}))
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)
    if not s.settled:
        text = f"The work had not come to rest after {s.rounds} rounds."
        return Check(
            **base,
            verdict=Verdict.fails,
            text=text,
            remedies=[Remedy(label="Least residuals", spec={"extraction": "minres"})],
        )
    thin = [j for j in range(f.m) if (np.abs(f.solution.rotated.pattern[:, j]) >= f.spec.hide_below).sum() < 3]
    if thin and f.m > 1:
        said = listing([f.names[j] for j in thin], MOST_TOLD)
        text = (
            f"It came to rest after {s.rounds} rounds. Fewer than three items load on {said}: hardly fixed by so few."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(
        **base, verdict=Verdict.holds, text=f"No item is explained whole; it came to rest after {s.rounds} rounds."
    )


def _what_changes(f: Factors, item: int) -> str:
    """What leaving an item out would do."""
    other = f.without(item)
    if other is None:
        return ""
    now, then = f.solution, other
    text = f" Without it {percent(then.explained)} of the variance is explained instead of {percent(now.explained)}"
    return f"{text}, and {percent(then.big)} of residuals exceed .05 instead of {percent(now.big)}."


def _stray(f: Factors) -> Check:
    base: dict[str, Any] = {"id": "stray", "title": "Items that belong"}
    below = f.spec.hide_below
    stray = f.solution.stray(below)
    if not stray:
        return Check(**base, verdict=Verdict.holds, text=f"Every item loads on a factor at {share(below)} or more.")
    said = listing([in_quotes(f.data.titles[i]) for i in stray], MOST_TOLD)
    text = f"No loading of {share(below)} or more: {said}."
    remedies = [_leave_out(f, i) for i in stray[:2]] if f.data.k > 4 else []
    if remedies:
        text += _what_changes(f, stray[0])
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies, facts={"stray": float(len(stray))})


def _crossed(f: Factors) -> Check | None:
    if f.m < 2:
        return None
    base: dict[str, Any] = {"id": "crossed", "title": "Items on one factor each"}
    crossed = f.solution.crossed(f.spec.hide_below)
    if not crossed:
        return Check(**base, verdict=Verdict.holds, text="No item loads on several factors.")
    told = []
    for i in crossed[:MOST_TOLD]:
        sizes = sorted((float(v) for v in f.solution.rotated.pattern[i]), key=abs, reverse=True)[:2]
        told.append(f"{in_quotes(f.data.titles[i], 40)} ({share(sizes[0])} and {share(sizes[1])})")
    text = f"On several factors: {listing(told, MOST_TOLD)}"
    text += f", and {len(crossed) - MOST_TOLD} more." if len(crossed) > MOST_TOLD else "."
    remedies = [_leave_out(f, i) for i in crossed[:1]] if f.data.k > 4 else []
    if remedies:
        text += _what_changes(f, crossed[0])
    return Check(
        **base, verdict=Verdict.doubtful, text=text, remedies=remedies, facts={"crossed": float(len(crossed))}
    )


def _related(f: Factors) -> Check | None:
    """Whether factors should be free to correlate."""
    if f.m < 2 or f.spec.rotation == "none":
        return None
    base: dict[str, Any] = {"id": "related", "title": "Factors apart or together"}
    free = f.solution.rotated.phi if f.oblique else f.when_oblique
    if free is None:
        return None
    largest = float(np.abs(free - np.eye(f.m)).max())
    facts = {"phi": largest}
    size = f"largest correlation {share(largest)}"
    if f.oblique:
        if largest < HARDLY:
            text = f"The factors hardly correlate ({size}): an orthogonal rotation would say much the same, and more"
            text += " simply."
            remedy = Remedy(label="Keep factors apart", spec={"rotation": "varimax"})
            return Check(**base, verdict=Verdict.holds, text=text, remedies=[remedy], facts=facts)
        if largest > 0.85:
            text = f"Two factors are nearly one ({size}): fewer factors may do."
            remedies = [Remedy(label=f"Take {f.m - 1}", spec={"factors": f.m - 1})]
            return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies, facts=facts)
        return Check(
            **base,
            verdict=Verdict.holds,
            text=f"The factors correlate ({size}), as this rotation lets them.",
            facts=facts,
        )
    if largest >= CLEARLY:
        text = f"Left free the factors correlate ({size}): kept apart, items seem to load on several."
        remedy = Remedy(label="Let factors correlate", spec={"rotation": "oblimin"})
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[remedy], facts=facts)
    return Check(
        **base, verdict=Verdict.holds, text=f"Left free the factors would hardly correlate ({size}).", facts=facts
    )


def _residuals(f: Factors) -> Check:
    s = f.solution
    text = (
        f"{percent(s.big)} of the items’ correlations are missed by more than .05 (root mean square {share(s.rmsr)})."
    )
    verdict = Verdict.holds if s.big <= 0.3 else Verdict.doubtful if s.big <= 0.5 else Verdict.fails
    if s.fit:
        text += f" Test of fit: χ²({s.fit.df}) = {number(s.fit.chi2, 2)}, p {p_words(s.fit.p)}"
        text += ": more factors would fit better." if s.fit.p < f.spec.alpha else "."
        verdict = Verdict.doubtful if s.fit.p < f.spec.alpha and verdict is Verdict.holds else verdict
    remedies = []
    if verdict is not Verdict.holds and f.m + 1 in f.other_numbers:
        remedies = [Remedy(label=f"Take {f.m + 1}", spec={"factors": f.m + 1})]
    return Check(id="residuals", title="What the factors miss", verdict=verdict, text=text, remedies=remedies)


def _starts(f: Factors) -> Check | None:
    r = f.solution.rotated
    if r.starts < 2:
        return None
    base: dict[str, Any] = {"id": "starts", "title": "One simplest rotation"}
    if r.agreeing == r.starts:
        return Check(
            **base, verdict=Verdict.holds, text=f"All {r.starts} starts of the rotation end at the same loadings."
        )
    text = f"{r.agreeing} of {r.starts} starts of the rotation end at the simplest loadings, which are shown; others"
    text += " end elsewhere."
    return Check(**base, verdict=Verdict.holds if 2 * r.agreeing >= r.starts else Verdict.doubtful, text=text)


def _rows(f: Factors) -> Check:
    d = f.data
    total = len(d.use)
    lost = total - d.n
    text = f"{counted(d.n, 'row')} for {counted(d.k, 'item')}"
    text += f"; {counted(lost, 'row')} with an empty item left out ({percent(lost / total)})." if lost else "."
    remedies = []
    verdict = Verdict.holds
    if lost > 0.1 * total and f.spec.missing == "listwise":
        verdict = Verdict.doubtful
        remedies = [Remedy(label="Use pairs of filled cells", spec={"missing": "pairwise"})]
    if d.n < 100 or d.n < 5 * d.k:
        verdict = Verdict.fails if d.n < 2 * d.k else Verdict.doubtful
        text += " Loadings of so few rows are rough: another sample may order items otherwise."
    return Check(id="complete", title="Rows", verdict=verdict, text=text, remedies=remedies, facts={"n": float(d.n)})
