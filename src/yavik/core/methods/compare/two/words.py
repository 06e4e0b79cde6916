"""Sentences of a comparison of two groups."""

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after_difference, begun, level_words, number, say
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.two.compute import TwoResults
from yavik.core.methods.kit.claims import claimed, ends


def _statistic(r: TwoResults) -> list[Span]:
    if r.test == "mann_whitney" and r.ranks:
        u = number(min(r.ranks.u, r.ranks.u_other), 1 if r.ranks.u % 1 else 0)
        return q.tested("U", r.ranks.u, (), r.p, text=u, after=" (exact)" if r.ranks.exact else "")
    if r.test == "permutation" and r.permuted:
        how = f"all {r.permuted.draws} divisions" if r.permuted.exact else f"{r.permuted.draws} draws"
        return q.p_said(r.p, f" ({how})")
    t = r.main
    return q.tested("t", t.t, (t.df,), r.p, lowered="W" if r.test == "welch" else "")


def headline(r: TwoResults) -> list[Span]:
    """The statement: the test, then how far the groups lie apart."""
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
    return say(f"{claimed(f'{what} {claim}', r.p < r.alpha)}, ", *_statistic(r), f". {_estimate(r)}")


def _estimate(r: TwoResults) -> str:
    k = r.known
    d = r.printed
    unit = after_difference(k.unit)
    if r.test == "mann_whitney" and r.shift:
        value, low, high, what = *r.shift, "shifted by"
        sign = "−" if value < 0 else "+"
        text = f"{begun(k.names[0])} is {what} {sign}{number(abs(value), d)}{unit} against {k.names[1]}"
    else:
        t = r.main
        value, (low, high) = t.difference, r.ends
        way = "lower" if value < 0 else "higher"
        text = f"{begun(k.names[0])} is {number(abs(value), d)}{unit} {way} than {k.names[1]}"
        if value < 0:
            low, high = -high, -low
    return f"{text} ({level_words(r.alpha)} CI {ends(low, high, d)})."
