"""A panel in words."""

import numpy as np

from yavik.core.answers import NoteBlock, Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, level_words, listing, number, p_words, plain, say
from yavik.core.figures.caption import lower
from yavik.core.methods.change.panel import tables
from yavik.core.methods.change.panel.compute import PanelModels
from yavik.core.methods.change.panel.spec import MODELS
from yavik.core.methods.kit.models.coefficients import change_of, goes_with

SCOPE = {
    "pooled": "Over all rows", "pooled_clustered": "Over all rows", "between": "Between {units}",
    "fixed": "Within a {unit}",
    "fixed_periods": "Within a {unit}, less what changes for all alike",
    "random": "Within and between {units} together",
    "first_differences": "From one period to the next within a {unit}", "unit_means": "Within a {unit}",
    "within_between": "Within a {unit}",
}  # fmt: skip


def _scope(m: PanelModels) -> str:
    word = m.study.unit_word
    return SCOPE[m.spec.main].replace("{units}", f"means of each {word}").replace("{unit}", word)


def told_line(m: PanelModels, column: int) -> tuple[str, str]:
    """One estimate in words and its interval: 'each further post of staff goes with 1634 more loans'."""
    line, data = m.line(m.spec.main, column), m.study.data
    change = change_of(data, column)
    if change is None:
        k = tables.decimals(line)
        title = m.study.titles[column]
        span = f"{level_words(m.spec.alpha)} CI {number(line.low, k)} to {number(line.high, k)}"
        return f"{lower(title)} has a slope of {number(line.b, k)}", span
    words, span = goes_with(data, change, line.b, line.se, line.low, line.high, m.spec.alpha)
    each = words.startswith(("Each ", "One "))
    return (words[0].lower() + words[1:] if each else words), span


def headline(m: PanelModels) -> tuple[list[Span], str]:
    """The most telling term, and which others go with the outcome."""
    there = [j for j in range(len(m.study.titles)) if np.isfinite(m.line(m.spec.main, j).p)]
    if not there:
        return say("No term has an estimate with an error in this model; the tables say why."), "nothing to tell"
    best = max(there, key=lambda j: abs(m.line(m.spec.main, j).t))
    line, k = m.line(m.spec.main, best), tables.decimals(m.line(m.spec.main, best))
    words, span = told_line(m, best)
    ends: list[str | Span] = [f" ({span}, ", *q.tested("t", line.t, (m.main.df,), line.p), ")."]
    scope, title, outcome = _scope(m), lower(m.study.titles[best]), lower(m.study.data.response.title)
    if line.p < m.spec.alpha:
        start = f"{scope}, {words}"
    else:
        start = f"{scope}, there is no evidence that {outcome} goes with any single term; nearest to it is {title},"
        start += f" b = {number(line.b, k)}"
        if len(there) == 1:
            start = f"{scope}, there is no evidence that {outcome} goes with {title}: b = {number(line.b, k)}"
    also = [lower(m.study.titles[j]) for j in there if j != best and m.line(m.spec.main, j).p < m.spec.alpha]
    more = (
        f" {also[0][0].upper() + also[0][1:] if len(also) == 1 else _listed(also)}"
        f" {'goes' if len(also) == 1 else 'go'} with it too."
        if also
        else ""
    )
    short = f"{MODELS[m.spec.main]}: {title} {number(line.b, k)}, {plain(q.p_said(line.p))}"
    return say(start, *ends, more), short


def _listed(names: list[str]) -> str:
    told = listing(names, 4)
    return told[0].upper() + told[1:]


def comparison(m: PanelModels) -> NoteBlock | None:
    """Why columns differ and agree."""
    said = []
    fixed, hybrid, random = (m.fits.get(k) for k in ("fixed", "within_between", "random"))
    if fixed is not None and hybrid is not None and not isinstance(fixed, str) and not isinstance(hybrid, str):
        said.append(
            "Fixed effects and the within part of the last model are the same estimates: what is left of each unit’s"
            " mean has"
            " nothing to do with units’ levels, drawn or taken out."
        )
    j = next((c for c in m.study.panel.varying), None)
    if j is not None and not isinstance(fixed, (str, type(None))):
        between, title = m.line("between", j) if "between" in m.fits else None, lower(m.study.titles[j])
        inner = m.line("fixed", j)
        if between and np.isfinite(between.b) and np.isfinite(inner.se) and between.se > 0:
            gap = abs(between.b - inner.b) / np.hypot(between.se, inner.se)
            if gap > 2:
                said.append(
                    f"Units that have more of {title} differ otherwise than a unit that gets more of it"
                    f" ({number(between.b, tables.decimals(between))} between,"
                    f" {number(inner.b, tables.decimals(inner))} within):"
                    " pooled and random effects mix the two."
                )
    if m.by_means is not None and random is not None:
        w = m.by_means
        verdict = (
            "units’ levels go with the terms, so that random effects are biased for what happens within a unit;"
            " report fixed"
            " effects or within and between"
            if w.p < m.spec.alpha
            else "nothing speaks against random effects, which is no proof for them"
        )
        said.append(f"By unit means, χ²({w.df}) = {number(w.chi2, 2)}, p {p_words(w.p)}: {verdict}.")
    return NoteBlock(id="comparison", text=" ".join(said)) if said else None


def write_up(m: PanelModels) -> NoteBlock:
    """As methods and results of a paper tell it."""
    s, p = m.study, m.study.panel
    unit, terms = s.unit_word, listing([lower(t) for t in s.titles], 12)
    outcome = lower(s.data.response.title)
    text = f"{outcome[0].upper()}{outcome[1:]} of {counted(p.units, 'unit')} ({unit}) over"
    text += f" {counted(len(s.periods), 'period')}"
    text += f" ({'balanced' if s.balanced else 'unbalanced'}, {counted(p.n, 'row')}) was modelled by"
    text += f" {MODELS[m.spec.main]} with {terms};"
    text += f" standard errors {tables.errors_of(m, m.spec.main).split(',')[0]}."
    told = []
    for j, title in enumerate(s.titles):
        line = m.line(m.spec.main, j)
        if np.isfinite(line.p):
            k = tables.decimals(line)
            told.append(f"{lower(title)} b = {number(line.b, k)}, SE = {number(line.se, k)}, p {p_words(line.p)}")
    text += f" {'; '.join(told[:8])}." if told else ""
    w = m.hausman["random"]
    if w:
        text += f" Fixed and random effects: Hausman χ²({w.df}) = {number(w.chi2, 2)}, p {p_words(w.p)}."
    return NoteBlock(id="write_up", text=text)
