"""Sentences of a comparison of two groups."""

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers.wording import (
    after_difference,
    df,
    interval,
    italic,
    level_words,
    number,
    p_words,
    say,
    statistic,
    sub,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.two.compute import TwoResults


def p_mark(r: TwoResults) -> list[Span]:
    return say(italic("p"), f" {p_words(r.p)}")


def _statistic(r: TwoResults) -> list[Span]:
    p = say(italic("p"), f" {p_words(r.p)}")
    if r.test == "mann_whitney" and r.ranks:
        exact = " (exact)" if r.ranks.exact else ""
        return say(
            italic("U"), f" = {number(min(r.ranks.u, r.ranks.u_other), 1 if r.ranks.u % 1 else 0)}, ", *p, exact
        )
    if r.test == "permutation" and r.permuted:
        how = f"all {r.permuted.draws} divisions" if r.permuted.exact else f"{r.permuted.draws} draws"
        return say(*p, f" ({how})")
    t = r.main
    mark = [sub("W")] if r.test == "welch" else []
    return say(italic("t"), *mark, f"({df(t.df)}) = {statistic(t.t)}, ", *p)


def headline(r: TwoResults) -> list[Span]:
    k = r.known
    ranks = r.test == "mann_whitney"
    a, b = k.names
    subject = lower(k.value) if k.value != "Value" else "the value"
    what = (
        f"values of {subject}"
        if ranks and k.value != "Value"
        else "values"
        if ranks
        else f"mean {subject}"
        if k.value != "Value"
        else "the mean"
    )
    verb = "differ" if ranks else "differs"
    one_way = {"less": f"is lower in {a} than in {b}", "greater": f"is higher in {a} than in {b}"}
    if ranks:
        one_way = {"less": f"tend to be lower in {a} than in {b}", "greater": f"tend to be higher in {a} than in {b}"}
    claim = f"{verb} between {a} and {b}" if r.alternative == "two_sided" else one_way[r.alternative]
    if r.null:
        claim = (
            f"{verb} between {a} and {b} by something other than {number(r.null, k.decimals)}"
            if r.alternative == "two_sided"
            else f"{claim} beyond a difference of {number(r.null, k.decimals)}"
        )
    if r.p < r.alpha:
        start = f"{what[0].upper()}{what[1:]} {claim}, "
    else:
        start = f"There is no evidence that {what} {claim}, "
    return say(start, *_statistic(r), f". {_estimate(r)}")


def _estimate(r: TwoResults) -> str:
    k = r.known
    d = r.printed
    unit = after_difference(k.unit)
    if r.test == "mann_whitney" and r.shift:
        value, low, high, what = *r.shift, "shifted by"
        sign = "−" if value < 0 else "+"
        text = f"{k.names[0]} is {what} {sign}{number(abs(value), d)}{unit} against {k.names[1]}"
    else:
        t = r.main
        value, (low, high) = t.difference, r.ends
        text = f"{k.names[0]} is {number(abs(value), d)}{unit} {'lower' if value < 0 else 'higher'} than {k.names[1]}"
        if value < 0:
            low, high = -high, -low
    return f"{text} ({level_words(r.alpha)} CI {ends(low, high, d)})."


def ends(low: float, high: float, d: int) -> str:
    if np.isinf(high) and np.isinf(low):
        return "cannot be given with so few values"
    if np.isinf(high):
        return f"above {number(low, d)}"
    return f"below {number(high, d)}" if np.isinf(low) else interval(low, high, d)
