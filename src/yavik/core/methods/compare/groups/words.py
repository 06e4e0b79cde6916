"""Sentences of a comparison of groups."""

from typing import Any

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    after_difference,
    alpha_words,
    begun,
    interval,
    italic,
    level_words,
    listing,
    number,
    say,
    told,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.data import Grouped
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.compare.groups.contrasts import Planned
from yavik.core.methods.compare.groups.spec import BY_RANKS, PAIR_WORDS, WITH_CONTROL
from yavik.core.methods.kit.claims import claimed, ends


def statistic_spans(r: GroupsResults) -> list[Span]:
    """The test as it stands in the sentence."""
    t = r.main
    if r.permuted:
        return q.p_said(t.p, f" ({r.permuted.draws} random divisions)")
    if r.test == "kruskal_wallis":
        return q.tested("H", t.f, (t.df1,), t.p)
    if r.test == "brown_forsythe":
        return [italic("F"), Span(t="*"), *q.tested_f(t)[1:]]
    return q.tested_f(t, "W" if r.test == "welch" else "")


def headline(r: GroupsResults) -> list[Span]:
    """The statement: the test, then what was planned or the pairs."""
    g = r.data.groups
    by_ranks = r.test == "kruskal_wallis"
    among = f"between {listing(list(g.names), 5)}" if r.data.value == "Value" else f"by {lower(r.data.group)}"
    what = (
        ("Ranks of " if by_ranks else "Mean ") + lower(r.data.value)
        if r.data.value != "Value"
        else ("Ranks" if by_ranks else "Means")
    )
    verb = "differ" if (what.endswith("s") and r.data.value == "Value") or by_ranks else "differs"
    subject = what[0].lower() + what[1:] if r.data.value == "Value" else lower(what)
    start = f"{what} {verb}" if r.main.p < r.alpha else claimed(f"{subject} {verb}", False)
    planned = contrast_words(r.contrasts, r.data, r.alpha) if r.contrasts else [_pairs_sentence(r)]
    return say(f"{start} {among}, ", *statistic_spans(r), ". ", *planned)


def contrast_words(plan: Planned, data: Grouped, alpha: float) -> list[str | Span]:
    """What was planned comes before all pairs."""
    c = plan.found[0]
    d = told(data.decimals, c.se)
    more = len(plan.found) - 1
    tail = f"; {more} more planned {'contrast' if more == 1 else 'contrasts'} below" if more else ""
    if plan.trend:
        shown = [c.label for c in plan.found if c.p_adjusted < alpha]
        return [f"The trend is {listing(shown)}." if shown else "No trend of any degree can be made out."]
    unit = after_difference(data.unit)
    size = f"{number(c.estimate, d)}{unit} ({level_words(alpha)} CI {interval(c.ci_low, c.ci_high, d)}"
    # The name is the reader's own, so it begins no sentence: one in small letters would look like a slip.
    return ["The planned contrast ", italic(c.label), f" is {size}, ", *q.p_said(c.p_adjusted), f"){tail}."]


def _pairs_sentence(r: GroupsResults) -> str:
    g, pairs = r.data.groups, r.pairs
    if pairs is None:
        return f"With {g.k} groups the pairs are not compared one by one."
    p = pairs.p_adjusted
    found = [i for i in np.argsort(-np.abs(pairs.difference)) if p[i] < r.alpha]
    if g.k == 2 and r.pair_method in BY_RANKS:
        return _mean_ranks(r)
    if r.pair_method in WITH_CONTROL and r.alternative != "two_sided":
        return _one_way(r, found)
    if not found and (g.k > 2 or r.main.p < r.alpha):
        control = r.pair_method in WITH_CONTROL
        return (
            f"No group can be told apart from {g.names[pairs.b[0]]}."
            if control
            else "No two groups can be told apart."
        )
    if not found:
        return _estimate(r, 0) + "."
    if r.pair_method in BY_RANKS:
        names = [f"{g.names[pairs.a[i]]} and {g.names[pairs.b[i]]}" for i in found[:3]]
        more = f" and {len(found) - 3} more pairs" if len(found) > 3 else ""
        return f"Told apart: {'; '.join(names)}{more}."
    said = _estimate(r, int(found[0]))
    rest = len(pairs.p) - len(found)
    if g.k == 2:
        return said + "."
    if g.k == 3 and rest:
        apart = [(g.names[pairs.a[i]], g.names[pairs.b[i]]) for i in range(len(pairs.p)) if not p[i] < r.alpha]
        if len(apart) == 1:
            return f"{said}; {apart[0][0]} and {apart[0][1]} cannot be told apart."
        middle = set(apart[0]) & set(apart[1])
        return f"{said}; {middle.pop()} cannot be told apart from either."
    if rest == 0:
        return f"{said}; every pair differs."
    return f"{said}; {len(found)} of {len(pairs.p)} pairs differ."


def _one_way(r: GroupsResults, found: list[Any]) -> str:
    """Only a difference in the direction asked about is claimed or missed: one the other way was not looked for."""
    g, pairs = r.data.groups, r.pairs
    assert pairs is not None
    way, control = "higher" if r.alternative == "greater" else "lower", g.names[pairs.b[0]]
    if not found:
        return f"No group is shown to be {way} than {control}."
    said = _estimate(r, int(found[0]))
    apart = [g.names[pairs.a[i]] for i in range(len(pairs.p)) if i not in found]
    if not apart:
        return f"{said}." if len(pairs.p) == 1 else f"{said}; every group is {way} than {control}."
    if len(apart) == 1:
        return f"{said}; {apart[0]} is not shown to be {way}."
    verb = "is" if len(found) == 1 else "are"
    return f"{said}; {len(found)} of {len(pairs.p)} groups {verb} {way} than {control}."


def _mean_ranks(r: GroupsResults) -> str:
    """Of two groups compared by ranks: mean ranks, which have no unit."""
    if r.ranked is None:
        return ""
    said = [f"{number(float(m), 1)} in {n}" for m, n in zip(r.ranked.mean_ranks, r.data.groups.names, strict=True)]
    return f"The mean rank is {listing(said)}."


def _estimate(r: GroupsResults, i: int) -> str:
    """'Alcove is 10.9 min lower than Winter garden (95% CI 6.3 to 15.4)'."""
    g, pairs = r.data.groups, r.pairs
    assert pairs is not None
    d = told(r.data.decimals, float(pairs.se[i]))
    difference = float(pairs.difference[i])
    unit = after_difference(r.data.unit)
    size, way = f"{number(abs(difference), d)}{unit}", "lower" if difference < 0 else "higher"
    text = f"{begun(g.names[pairs.a[i]])} is {size} {way} than {g.names[pairs.b[i]]}"
    if pairs.ci_low is None or pairs.ci_high is None:
        return text
    both = (float(pairs.ci_low[i]), float(pairs.ci_high[i]))
    low, high = (-both[1], -both[0]) if difference < 0 else both
    if np.isnan(low) or (np.isinf(low) and np.isinf(high)):
        return text
    return f"{text} ({level_words(r.alpha)} CI {ends(low, high, d)})"


def letters_note(r: GroupsResults) -> str:
    """What letters mean, and by which method and α they were found."""
    return (
        f"Groups that share a letter cannot be told apart ({PAIR_WORDS[r.pair_method]}, α = {alpha_words(r.alpha)})."
    )
