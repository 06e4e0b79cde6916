"""Sentences of a table of counts."""

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import grouped, italic, level_words, number, percent, say
from yavik.core.figures.caption import lower
from yavik.core.methods.counts.crosstab.compute import CrosstabResults
from yavik.core.methods.kit.claims import claimed, ends


def headline(r: CrosstabResults) -> list[Span]:
    """The statement: the test, and where shares lie furthest apart."""
    a, b = lower(r.row_title), lower(r.column_title)
    claim = f"{b} goes with {a}"
    if r.layers or r.stratified:
        return _layered(r, claim)
    if r.two and r.alternative != "two_sided":
        way = "lower" if r.alternative == "less" else "higher"
        claim = f"the share of {r.columns[r.event]} is {way} in {r.rows[0]} than in {r.rows[1]}"
    start = f"{claimed(claim, r.p < r.alpha)}, "
    return say(start, *_flat_test(r), _most(r))


def _flat_test(r: CrosstabResults) -> list[Span]:
    t, n = r.test.pearson, int(r.counts.sum())
    if r.by_fisher:
        how = "Fisher's exact test" + ("" if r.alternative == "two_sided" else ", one-sided")
        return say(*q.p_said(r.flat_p, f" ({how}, "), italic("n"), f" = {grouped(n)}). ")
    if r.alternative != "two_sided":
        return say(*q.tested("z", r.z, (), r.flat_p, after=" (one-sided). "))
    return say(*q.tested("χ²", t.chi2, (t.df,), t.p, n=n, after=". "))


def _layered(r: CrosstabResults, claim: str) -> list[Span]:
    """What holds within layers leads; the table without them stands second, and a reversal is said."""
    within = f"within layers of {lower(r.layer_title)}"
    t = r.layers.test if r.layers else r.stratified
    assert t is not None
    start = f"{within[0].upper()}{within[1:]} " + (
        f"{claim}, " if t.p < r.alpha else f"there is no evidence that {claim}, "
    )
    spans = say(start, *q.tested("χ²", t.chi2, (t.df,), t.p, after=" (Mantel–Haenszel)"))
    if not (r.layers and r.two):
        return say(*spans, ". Without layers: ", *_flat_test(r), _most(r))
    o, whole = r.layers.odds_ratio, r.two.odds_ratio
    ci = f"{level_words(r.alpha)} CI {number(o.ci_low, 2)} to {number(o.ci_high, 2)}"
    what = f"common odds ratio of {r.columns[r.event]} {number(o.estimate, 2)}, {r.rows[0]} against {r.rows[1]}, {ci}"
    h = r.layers.homogeneity
    differ = "; odds ratios differ between layers, so no single one speaks for all" if h and h.p < r.alpha else ""
    if r.reversed:
        rest = (
            f". Taken together without the layers it turns round: odds ratio {number(whole.estimate, 2)} (Simpson's"
            " paradox); the layers are what to go by."
        )
    elif np.isfinite(whole.estimate):
        rest = f". Without the layers the odds ratio is {number(whole.estimate, 2)}."
    else:
        rest = "."
    return say(*spans, f": {what}{differ}{rest}")


def _most(r: CrosstabResults) -> str:
    """The level whose share runs widest over the rows, or the one that plainly is the event."""
    part = r.counts / r.counts.sum(axis=1, keepdims=True)
    j = r.event if r.two or r.plainly else int(np.argmax(np.ptp(part, axis=0)))
    low, high = int(part[:, j].argmin()), int(part[:, j].argmax())
    level = r.columns[j]
    what = f"{lower(r.column_title)} = {level}" if level.lstrip("-").isdigit() else level
    text = (
        f"The share of {what} runs from {percent(float(part[low, j]))} in {r.rows[low]} to"
        f" {percent(float(part[high, j]))} in {r.rows[high]}"
    )
    if r.two and np.isfinite(r.two.odds_ratio.ci_low):
        o = r.two.odds_ratio
        who = f"{r.rows[0]} against {r.rows[1]}"
        low_end, high_end = r.odds_interval
        ci = f"{level_words(r.alpha)} CI {ends(low_end, high_end, 2)}"
        text += f" (odds ratio {number(o.estimate, 2)}, {who}, {ci})"
    return text + "."
