"""Sentences on the items of a test."""

import numpy as np

from yavik.core.answers import NoteBlock, Span
from yavik.core.answers.wording import (
    capital,
    counted,
    in_quotes,
    level_words,
    listing,
    number,
    p_words,
    say,
    share,
    spelled,
)
from yavik.core.methods.scales.item_response.compute import GRID, Response
from yavik.core.methods.scales.item_response.spec import NAMES
from yavik.core.methods.scales.item_response.tables import best_at

LITTLE = 0.5
"""Discrimination whose interval lies below this much: an item that tells little."""


def tells_little(r: Response) -> list[int]:
    """Items whose discrimination is surely small; the least first."""
    a, reach = r.fitted.discrimination, r.reach * r.discrimination_se
    with np.errstate(invalid="ignore"):
        return [int(j) for j in np.argsort(a) if np.abs(a[j]) + reach[j] < LITTLE]


def hardly_known(r: Response) -> list[int]:
    """Items whose discrimination may be 0 as well as large; the least first."""
    a, reach = r.fitted.discrimination, r.reach * r.discrimination_se
    with np.errstate(invalid="ignore"):
        return [
            int(j) for j in np.argsort(a) if a[j] - reach[j] <= 0 <= a[j] + reach[j] and a[j] + reach[j] >= LITTLE
        ]


def backwards(r: Response) -> list[int]:
    """Items that able people answer worse."""
    a, reach = r.fitted.discrimination, r.reach * r.discrimination_se
    with np.errstate(invalid="ignore"):
        return [int(j) for j in np.argsort(a) if a[j] < 0 and a[j] + np.nan_to_num(reach[j]) < 0]


def measured(r: Response) -> tuple[float, float] | None:
    """Ends of the abilities at which the whole test tells at least 1: a standard error of 1 or less."""
    good = r.information.sum(axis=0) >= 1
    return (float(GRID[good].min()), float(GRID[good].max())) if good.any() else None


def best_between(r: Response) -> tuple[float, float]:
    """Abilities at which the test tells nine tenths of its most."""
    total = r.information.sum(axis=0)
    good = GRID[total >= 0.9 * total.max()]
    return float(good.min()), float(good.max())


def headline(r: Response) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    many = capital(spelled(r.k))
    at = best_at(r)
    info = float(r.information.sum(axis=0).max())
    low, high = best_between(r)
    where = (
        f"between abilities {number(low, 1)} and {number(high, 1)}" if high - low > 1.5 else f"around ability {at}"
    )
    text = f"{many} items tell people apart best {where}, with a standard error of {number(1 / np.sqrt(info), 2)}"
    ends = measured(r)
    if ends and (ends[0] > GRID[0] or ends[1] < GRID[-1]):
        sides = []
        if ends[0] > GRID[0]:
            sides.append(f"below {number(ends[0], 1)}")
        if ends[1] < GRID[-1]:
            sides.append(f"above {number(ends[1], 1)}")
        text += f", and little {' or '.join(sides)}"
    text += "."
    hard, easy = int(np.argmax(r.middle)), int(np.argmin(r.middle))
    if r.graded:
        text += f" Steps of {in_quotes(r.scored.titles[easy], 50)} are reached at the lowest ability (mean"
        text += (
            f" {number(float(r.middle[easy]), 2)}), those of {in_quotes(r.scored.titles[hard], 50)} at the highest"
        )
        text += f" ({number(float(r.middle[hard]), 2)})."
    elif not backwards(r):
        text += f" {in_quotes(r.scored.titles[easy], 50)} is the easiest ({number(float(r.middle[easy]), 2)}),"
        text += f" {in_quotes(r.scored.titles[hard], 50)} the hardest ({number(float(r.middle[hard]), 2)})."
    little = tells_little(r)
    if little and r.fitted.model != "one_parameter":
        j = little[0]
        a, se = float(r.fitted.discrimination[j]), float(r.discrimination_se[j])
        ci = f"{level_words(r.spec.alpha)} CI {number(a - r.reach * se, 2)} to {number(a + r.reach * se, 2)}"
        text += f" {in_quotes(r.scored.titles[j], 50)} tells little (discrimination {number(a, 2)}, {ci})."
    short = f"best {number(low, 1)} to {number(high, 1)}" if high - low > 1.5 else f"best around {at}"
    return say(text), f"{short}, {counted(r.k, 'item')}"


def settings(r: Response) -> list[str]:
    """What was done, for the line under the sentence."""
    made = [NAMES[r.fitted.model] if r.graded is False else "graded answers"]
    if r.others:
        told = [f"{NAMES[m].split(' ')[0]} BIC {number(f.bic, 0)}" for m, f in r.others.items()]
        made.append(" · ".join(told))
    if r.scored.keyed:
        made.append(f"{counted(len(r.scored.keyed), 'item')} scored by the key")
    return made


def write_up(r: Response) -> NoteBlock:
    """As methods and results of a paper tell it."""
    f = r.fitted
    kind = {
        "one_parameter": "a one-parameter logistic model (one discrimination)",
        "two_parameter": "a two-parameter logistic model",
        "three_parameter": "a three-parameter logistic model", "graded": "a graded response model",
    }[f.model]  # fmt: skip
    text = f"Answers of {counted(r.n, 'person', 'people')} to {counted(r.k, 'item')} were fitted by {kind}, by"
    text += " marginal maximum likelihood with"
    text += f" ability standard normal ({r.spec.nodes} nodes; log-likelihood {number(f.log_likelihood, 2)},"
    text += f" {counted(f.parameters, 'parameter')})."
    a = r.fitted.discrimination
    if f.model == "one_parameter":
        text += f" The common discrimination was {number(float(a[0]), 2)} (SE"
        text += f" {number(float(r.discrimination_se[0]), 2)})."
    else:
        text += f" Discriminations ran from {number(float(a.min()), 2)} to {number(float(a.max()), 2)}."
    all_b = np.concatenate([r.difficulty(j) for j in range(r.k)])
    text += f" {'Thresholds' if r.graded else 'Difficulties'} ran from {number(float(all_b.min()), 2)} to"
    text += f" {number(float(all_b.max()), 2)}."
    text += f" Abilities were estimated by the posterior mean, with a reliability of {share(r.reliability)}."
    if r.item_fit:
        poor = [j for j, v in enumerate(r.item_fit) if v.p < 0.05]
        tested = sum(np.isfinite(v.p) for v in r.item_fit)
        if tested and poor:
            said = [f"{r.scored.names[j]} (p {p_words(r.item_fit[j].p)})" for j in poor]
            text += f" S-χ² found departures for {listing(said, 6)} of {counted(tested, 'item')}."
        elif tested:
            text += f" S-χ² found no departure at 5% in {counted(tested, 'item')} tested."
    return NoteBlock(id="write_up", text=text)
