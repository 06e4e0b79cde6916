"""Sentences on raters' agreement."""

import math

from yavik.core.answers import NoteBlock, Span
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
    share,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.scales.agreement.compute import Agreement
from yavik.core.stats.items.agreement import Limits

FULL = "chance alone would give full agreement"
WEIGHTED = {"none": "unweighted", "linear": "by steps", "quadratic": "by squared steps"}


def reported(a: Agreement) -> int:
    """Which form of the intraclass correlation is told: absolute agreement of one rating."""
    return 1


def headline(a: Agreement) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    if a.kind == "kappa":
        return _kappa_words(a)
    if a.kind == "limits":
        return _limit_words(a)
    form = a.intraclass.forms[reported(a)]
    ci = f"{level_words(a.spec.alpha)} CI {q.size(form.low).s} to {q.size(form.high).s}"
    whose, mean = ("either of two", "both") if a.m == 2 else (f"any of {a.m}", str(a.m))
    text = f"One rating by {whose} raters has an intraclass correlation of {share(form.value)} ({ci}) over"
    text += f" {counted(a.n, 'subject')}; the mean of {mean} has {share(a.intraclass.forms[4].value)}."
    return say(text), f"ICC {share(form.value)}, {a.m} raters"


def _beyond(value: float) -> str:
    """What a κ says, before its number."""
    return "beyond chance they agree with" if value >= 0 else "they agree less than chance would have it,"


def _kappa_words(a: Agreement) -> tuple[list[Span], str]:
    k = a.whole
    both = "Both raters" if a.m == 2 else f"All {a.m} raters"
    text = f"{both} gave the same answer to {percent(a.same)} of {counted(a.n, 'subject')}"
    if k is None:
        return say(f"{text}; κ cannot be given, because {FULL}."), "no κ"
    ci = (
        f"{level_words(a.spec.alpha)} CI {share(k.low)} to {share(k.high)}" if math.isfinite(k.low) else "no interval"
    )
    kind = f", weighted {WEIGHTED[a.weights]}" if a.m == 2 and a.weights != "none" else ""
    text += f"; {_beyond(k.value)} κ = {share(k.value)} ({ci}{kind})."
    if a.m > 2 and a.weights != "none" and a.mean_pair is not None:
        text = f"{text[:-1]}; weighted {WEIGHTED[a.weights]}, two of them agree with κ = {share(a.mean_pair)} on"
        text += " average."
    return say(text), f"κ {share(k.value)}, {counted(a.n, 'subject')}"


def _limit_words(a: Agreement) -> tuple[list[Span], str]:
    (i, j), v = next(iter(a.limits.items()))
    unit = a.columns[0].unit
    d = decimals(v)
    first, second = a.titles[i], lower(a.titles[j])
    text = f"{first} lies {number(abs(v.bias), d)}{after(unit)} {'above' if v.bias >= 0 else 'below'} {second} on"
    text += " average;"
    text += f" {level_words(a.spec.alpha)} of differences are expected between {number(v.low, d)} and"
    text += f" {number(v.high, d)}{after(unit)}."
    return say(text), f"limits {number(v.low, d)} to {number(v.high, d)}{after(unit)}"


def decimals(v: Limits) -> int:
    return decimals_of(v.sd / math.sqrt(v.n), max(abs(v.low), abs(v.high))) if v.sd > 0 else 2


def settings(a: Agreement) -> list[str]:
    """What was done, for the line under the sentence."""
    if a.kind == "kappa":
        return ["Fleiss’ κ" if a.m > 2 else f"Cohen’s κ, {WEIGHTED[a.weights]}"]
    return ["intraclass correlation" if a.kind == "icc" else "limits of agreement"]


def write_up(a: Agreement) -> NoteBlock:
    """As methods and results of a paper tell it."""
    text = f"{listing(a.titles, 6)} rated {counted(a.n, 'subject')}."
    ci = level_words(a.spec.alpha)
    if a.kind == "kappa":
        k = a.whole
        if k:
            kind = "Fleiss’ κ" if a.m > 2 else f"Cohen’s κ ({WEIGHTED[a.weights]})"
            text += f" {kind} was {share(k.value)}, {ci} CI [{share(k.low)}, {share(k.high)}]; all gave the same"
            text += f" answer to {percent(a.same)}."
        return NoteBlock(id="write_up", text=text)
    f = a.intraclass.forms[reported(a)]
    if a.kind == "icc":
        text += f" {f.form} was {share(float(f.value))}, {ci} CI [{share(float(f.low))}, {share(float(f.high))}]"
        text += (
            f", F({number(f.df1, 0)}, {number(f.df2, 0)}) = {number(float(f.f), 2)}, p {p_words(f.p)}."
            if math.isfinite(f.f)
            else "."
        )
    v = next(iter(a.limits.values()))
    d = decimals(v)
    unit = after(a.columns[0].unit)
    if a.m == 2 or a.kind == "limits":
        text += f" The mean difference was {number(v.bias, d)}{unit}, limits of agreement {number(v.low, d)} to"
        text += f" {number(v.high, d)}{unit}."
    return NoteBlock(id="write_up", text=text)
