"""What ratings can carry."""

import math
from typing import Any

import numpy as np

from yavik.core.answers import Check, Verdict
from yavik.core.answers.wording import (
    after,
    counted,
    number,
    p_words,
    percent,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.scales.agreement.compute import Agreement
from yavik.core.methods.scales.agreement.words import decimals


def all_checks(a: Agreement) -> list[Check | None]:
    """What the ratings can carry."""
    own = [_prevalence(a), _level_kappa(a)] if a.kind == "kappa" else [_level(a), _growing(a)]
    return [*own, _rows(a)]


def _rows(a: Agreement) -> Check:
    lost = len(a.use) - a.n
    text = f"{counted(a.n, 'subject')} rated by {'both' if a.m == 2 else f'all {a.m}'}"
    text += f"; {counted(lost, 'row')} left out where a rating is empty." if lost else "."
    few = a.n < 30
    text += " So few leave wide intervals." if few else ""
    if a.kind == "kappa" and a.m == 2 and a.n < 60:
        few = True
        text += " With fewer than sixty the interval of κ holds the true value somewhat less often than it says."
    verdict = Verdict.doubtful if few or lost > 0.1 * len(a.use) else Verdict.holds
    return Check(id="complete", title="Subjects", verdict=verdict, text=text, facts={"n": float(a.n)})


def _prevalence(a: Agreement) -> Check:
    base: dict[str, Any] = {"id": "prevalence", "title": "Answers that are used alike"}
    share_ = a.counts.sum(axis=0) / a.counts.sum()
    top = int(np.argmax(share_))
    if share_[top] > 0.8:
        text = f"“{a.answers[top]}” is {percent(float(share_[top]))} of all ratings: chance agreement is then high,"
        text += " and κ can be low although raters"
        text += " mostly agree. Read the agreement answer by answer beside it."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(
        **base, verdict=Verdict.holds, text=f"No answer takes more than {percent(float(share_[top]))} of the ratings."
    )


def _level_kappa(a: Agreement) -> Check:
    base: dict[str, Any] = {"id": "level", "title": "Raters of one mind"}
    own = np.stack([np.bincount(a.codes[:, j], minlength=len(a.answers)) / a.n for j in range(a.m)])
    gap = np.ptp(own, axis=0)
    k = int(np.argmax(gap))
    high, low = int(np.argmax(own[:, k])), int(np.argmin(own[:, k]))
    text = f"{a.titles[high]} says “{a.answers[k]}” {percent(float(own[high, k]))} of the time, {a.titles[low]}"
    text += f" {percent(float(own[low, k]))}."
    return Check(**base, verdict=Verdict.doubtful if gap[k] > 0.15 else Verdict.holds, text=text)


def _level(a: Agreement) -> Check:
    base: dict[str, Any] = {"id": "level", "title": "Raters at one level"}
    v = a.intraclass
    means = a.x.mean(axis=0)
    high, low = int(np.argmax(means)), int(np.argmin(means))
    d = decimals(a.limits[min(high, low), max(high, low)]) if high != low else 2
    what = "reads" if a.columns[0].unit else "rates"
    size = f"{a.titles[high]} {what} {number(float(means[high] - means[low]), d)}{after(a.columns[0].unit)} above"
    size += f" {lower(a.titles[low])} on average"
    if not math.isfinite(v.p_raters):
        return Check(**base, verdict=Verdict.unknown, text=f"{size}; beside that nothing is left of error.")
    if v.p_raters >= a.spec.alpha:
        text = f"There is no evidence that raters differ in level (p {p_words(v.p_raters)})."
        return Check(**base, verdict=Verdict.holds, text=text)
    text = f"{size} (p {p_words(v.p_raters)})"
    if a.kind == "limits":
        text += ": one cannot stand for the other without taking that off."
    else:
        text += ": agreement in level (2) is then lower than agreement in order (3). Say which matters."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _growing(a: Agreement) -> Check:
    """Differences that grow with what is measured."""
    base: dict[str, Any] = {"id": "growing", "title": "Differences alike over the range"}
    worst = min(a.limits.items(), key=lambda kv: np.nanmin([kv[1].p_slope, kv[1].p_spread, 1.0]))
    (i, j), v = worst
    many = len(a.limits)
    pair = f"{a.columns[i].name} − {a.columns[j].name}"
    smallest = float(np.nanmin([v.p_slope, v.p_spread, 1.0]))
    if smallest * 2 * many >= a.spec.alpha:
        return Check(
            **base,
            verdict=Verdict.holds,
            text="Neither the differences nor their spread show a trend over what is measured.",
        )
    if v.p_spread <= v.p_slope or not math.isfinite(v.p_slope):
        text = f"Differences {pair} spread otherwise at high values than at low ones (p {p_words(v.p_spread)}):"
        text += " constant limits are too wide at one end and too narrow at the other. Logarithms may help."
    else:
        text = f"The difference {pair} {'grows' if v.slope > 0 else 'falls'} with what is measured (slope"
        text += f" {number(v.slope, 2)}, p {p_words(v.p_slope)}): one mean difference does not tell it."
    return Check(**base, verdict=Verdict.doubtful, text=text)
