"""What the answers can carry, and what to do about it."""

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
from yavik.core.methods.scales.item_response.compute import Response
from yavik.core.methods.scales.item_response.words import backwards, hardly_known, tells_little
from yavik.core.table import Table

TOGETHER = 0.2
"""Q3 away from the mean of all pairs, from which two items are said to hang together."""
ODD = -2.0
MOST_TOLD = 3


def all_checks(r: Response, table: Table) -> list[Check | None]:
    """In the order in which a researcher judges."""
    return [
        _one_thing(r), _backwards(r, table), _fit(r), _telling(r), _floors(r), _people(r), _odd(r, table), _empty(r),
        _unused(r),
        _settled(r),
    ]  # fmt: skip


def _name(r: Response, j: int) -> str:
    return in_quotes(r.scored.titles[j], 40)


def _leave_out(r: Response, j: int) -> list[Remedy]:
    if r.k < 4:
        return []
    name = r.scored.names[j]
    kept = [n for n in r.scored.names if n != name]
    spec: dict[str, Any] = {"items": kept, "shown": [n for n in r.spec.shown if n != name]}
    if name in r.spec.key:
        spec["key"] = {k: v for k, v in r.spec.key.items() if k != name}
    return [Remedy(label=f"Without {name}", spec=spec)]


def _one_thing(r: Response) -> Check:
    base: dict[str, Any] = {"id": "one_thing", "title": "One thing measured"}
    low = np.tril_indices(r.k, -1)
    q3 = r.pairs[low]
    if not np.isfinite(q3).any() or r.k < 3:
        return Check(
            **base,
            verdict=Verdict.unknown,
            text="Too few pairs of answers to look whether items hang together beside ability.",
        )
    away = np.abs(q3 - np.nanmean(q3))
    worst = int(np.nanargmax(away))
    i, j = int(low[0][worst]), int(low[1][worst])
    facts = {"q3": float(q3[worst])}
    if away[worst] < TOGETHER:
        text = "No two items hang together beside ability (Q3 farthest from the mean of all pairs:"
        text += f" {share(float(q3[worst]))})."
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    many = int((away >= TOGETHER).sum())
    text = f"{_name(r, j)} and {_name(r, i)} hang together beside ability (Q3 {share(float(q3[worst]))})"
    text += f", and {counted(many - 1, 'other pair')}." if many > 1 else "."
    text += " Abilities then seem surer than they are."
    verdict = Verdict.fails if away[worst] > 0.35 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, remedies=_leave_out(r, i), facts=facts)


def _backwards(r: Response, table: Table) -> Check | None:
    wrong = backwards(r)
    if not wrong:
        return None
    base: dict[str, Any] = {"id": "backwards", "title": "Items that run backwards"}
    said = listing([f"{_name(r, j)} ({number(float(r.fitted.discrimination[j]), 2)})" for j in wrong], MOST_TOLD)
    text = f"Able people answer worse: {said}. The key may be wrong, or the item asks the other way."
    first = wrong[0]
    column = r.scored.columns[first]
    remedies = _leave_out(r, first)
    if len(r.scored.words[first]) == 2:
        other = _wrong(r, table, first)
        if other is not None:
            key = {**r.spec.key, column.name: other}
            remedies.insert(0, Remedy(label=f"Take “{other}” as right in {column.name}", spec={"key": key}))
    elif column.name not in r.scored.keyed and (ends := _ends(r, first)):
        step = {"step": "reverse", "columns": [column.name], "low": ends[0], "high": ends[1]}
        remedies.insert(0, Remedy(label=f"Turn {column.name} in the table", step=step))
    return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)


def _wrong(r: Response, table: Table, j: int) -> str | None:
    """The answer of an item of two that counts as wrong now; None where a key has several wrong ones."""
    name = r.scored.names[j]
    levels = table.codes(name).levels
    if len(levels) != 2:
        return None
    if name in r.scored.keyed:
        return next((w for w in levels if w != r.spec.key[name].strip()), None)
    return levels[0]


def _ends(r: Response, j: int) -> tuple[float, float] | None:
    """Lowest and highest answer to an item as numbers; None where they are none."""
    column = r.scored.columns[j]
    try:
        values = [float(x.value) for x in column.levels] or [float(w) for w in r.scored.words[j]]
    except ValueError:
        return None
    return min(values), max(values)


def _fit(r: Response) -> Check:
    base: dict[str, Any] = {"id": "item_fit", "title": "Items that fit"}
    p = np.array([v.p for v in r.item_fit]) if r.item_fit else np.array([])
    tested = int(np.isfinite(p).sum())
    if not tested:
        why = (
            "fewer than 50 people answered every item"
            if r.item_fit is None and r.k > 2
            else "too few people with each score"
        )
        return Check(
            **base, verdict=Verdict.unknown, text=f"Whether items follow their curves cannot be tested: {why}."
        )
    worst = int(np.nanargmin(p))
    adjusted = min(1.0, float(p[worst]) * tested)
    if adjusted >= r.spec.alpha:
        text = f"S-χ² finds no departure from the curves (smallest p {p_words(float(p[worst]))} of {tested}, before"
        text += " adjusting)."
        return Check(**base, verdict=Verdict.holds, text=text)
    poor = [int(j) for j in np.argsort(p) if np.isfinite(p[j]) and p[j] * tested < r.spec.alpha]
    said = listing([f"{_name(r, j)} (p {p_words(float(p[j]))})" for j in poor], MOST_TOLD)
    text = f"Answered otherwise than the curve says: {said}, also when all {counted(tested, 'item')} are allowed for."
    remedies = [Remedy(label="See its curve", spec={"shown": [r.scored.names[poor[0]]]}), *_leave_out(r, poor[0])]
    if r.fitted.model == "one_parameter":
        remedies.insert(0, Remedy(label="Let discriminations differ", spec={"model": "two_parameter"}))
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies)


def _telling(r: Response) -> Check | None:
    base: dict[str, Any] = {"id": "telling", "title": "Items that tell"}
    held = [int(j) for j in np.flatnonzero(r.fitted.held)]
    if held:
        said = listing([_name(r, j) for j in held], MOST_TOLD)
        text = f"{said} {'orders' if len(held) == 1 else 'order'} people without error as far as these answers go:"
        text += " the discrimination has no end."
        return Check(**base, verdict=Verdict.fails, text=text, remedies=_leave_out(r, held[0]))
    if r.fitted.model == "one_parameter":
        return None
    little, unknown = tells_little(r), hardly_known(r)
    if unknown and not little:
        said = listing(
            [f"{_name(r, j)} ({number(float(r.fitted.discrimination[j]), 2)})" for j in unknown], MOST_TOLD
        )
        text = f"How well {said} {'tells' if len(unknown) == 1 else 'tell'} people apart is hardly known: the"
        text += " interval holds 0."
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=_leave_out(r, unknown[0]))
    if not little:
        lowest = int(np.argmin(r.fitted.discrimination))
        text = "Every item tells people apart (lowest discrimination"
        text += f" {number(float(r.fitted.discrimination[lowest]), 2)})."
        return Check(**base, verdict=Verdict.holds, text=text) if not backwards(r) else None
    said = listing([f"{_name(r, j)} ({number(float(r.fitted.discrimination[j]), 2)})" for j in little], MOST_TOLD)
    text = f"Hardly {'tells' if len(little) == 1 else 'tell'} people apart: {said}."
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=_leave_out(r, little[0]))


def _floors(r: Response) -> Check | None:
    if r.floor is None:
        return None
    base: dict[str, Any] = {"id": "floors", "title": "Floors that are known"}
    _, low, high = r.floor
    at_edge = [int(j) for j in np.flatnonzero(r.fitted.floors)]
    wide = [j for j in range(r.k) if np.isfinite(high[j]) and high[j] - low[j] > 0.4]
    if not at_edge and not wide:
        return Check(**base, verdict=Verdict.holds, text="Every floor is known to within ± .20.")
    told = []
    if at_edge:
        told.append(
            f"{listing([_name(r, j) for j in at_edge], MOST_TOLD)} {'shows' if len(at_edge) == 1 else 'show'} no sign"
            " of guessing, or no end to it"
        )
    if wide:
        told.append(f"the floor of {listing([_name(r, j) for j in wide], MOST_TOLD)} is hardly known")
    text = f"{'; '.join(told)}. Few people of low ability answered."
    remedy = Remedy(label="Without floors", spec={"model": "two_parameter"})
    return Check(**base, verdict=Verdict.doubtful, text=text[0].upper() + text[1:], remedies=[remedy])


def _people(r: Response) -> Check:
    base: dict[str, Any] = {"id": "people", "title": "People"}
    low, high = r.extremes
    lowest, highest = (
        ("the lowest answer to everything", "the highest") if r.graded else ("nothing right", "all right")
    )
    text = f"{counted(r.n, 'person', 'people')}; {high} had {highest}, {low} {lowest}"
    text += ": their abilities rest on the assumed spread." if low + high else "."
    verdict = Verdict.holds
    if r.n < 5 * r.fitted.parameters or r.n < 100:
        verdict = Verdict.fails if r.n < 2 * r.fitted.parameters else Verdict.doubtful
        text += f" For {counted(r.fitted.parameters, 'parameter')} these are few people: read the intervals."
    elif low + high > 0.2 * r.n:
        verdict = Verdict.doubtful
        text += " So many say that the test is too easy, too hard or too short."
    return Check(**base, verdict=verdict, text=text, facts={"n": float(r.n)})


def _odd(r: Response, table: Table) -> Check | None:
    """People whose answers do not go with their ability."""
    if r.k < 5:
        return None
    fit = r.at_ability.fit[r.answers.pattern]
    odd = np.flatnonzero(fit < ODD)
    base: dict[str, Any] = {"id": "person_fit", "title": "People who answer as expected"}
    if not len(odd):
        return Check(**base, verdict=Verdict.holds, text="Nobody answered much otherwise than their ability says.")
    part = len(odd) / r.n
    text = (
        f"{counted(len(odd), 'person', 'people')} ({percent(part)}) answered much otherwise than their ability says."
    )
    rows = table.rows[r.scored.use][odd]
    remedies = [Remedy(label="Show the rows", rows=[int(v) for v in rows[:200]])]
    if part <= 0.05:
        return Check(**base, verdict=Verdict.holds, text=text, remedies=remedies)
    text += " Guessing, haste, or a key that is wrong?"
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies)


def _empty(r: Response) -> Check | None:
    codes = r.scored.codes
    gone = int((~r.scored.use).sum())
    empty = int((codes[r.scored.use] < 0).sum())
    if not gone and not empty:
        return None
    base: dict[str, Any] = {"id": "empty", "title": "Empty answers"}
    part = empty / max(codes[r.scored.use].size, 1)
    text = f"{counted(gone, 'row')} without any answer left out. " if gone else ""
    if empty:
        most = int(np.argmax((codes[r.scored.use] < 0).sum(axis=0)))
        text += f"{percent(part)} of answers are empty, most in {r.scored.names[most]}. They are taken as not asked;"
        text += " if people skipped what"
        text += " they could not answer, count them as wrong first."
    verdict = Verdict.doubtful if part > 0.05 else Verdict.holds
    return Check(**base, verdict=verdict, text=text.strip())


def _unused(r: Response) -> Check | None:
    if not r.scored.unused:
        return None
    told = [f"{name} ({listing(words, 3)})" for name, words in r.scored.unused.items()]
    text = f"Answers that nobody gave, left out of their items: {listing(told, 4)}."
    return Check(id="unused", title="Answers that were used", verdict=Verdict.doubtful, text=text)


def _settled(r: Response) -> Check:
    base: dict[str, Any] = {"id": "settled", "title": "Reached the end"}
    f = r.fitted
    if not f.settled:
        text = f"The work had not come to rest after {counted(f.rounds, 'round')}: do not lean on these numbers."
        remedies = (
            [Remedy(label="Two parameters", spec={"model": "two_parameter"})] if f.model == "three_parameter" else []
        )
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)
    if not np.isfinite(r.discrimination_se).all() and not f.held.any():
        text = "The likelihood has no clear top here, so there are no standard errors: too many parameters for these"
        text += " answers."
        simpler = {"three_parameter": "two_parameter", "two_parameter": "one_parameter"}.get(f.model)
        remedies = [Remedy(label="A simpler model", spec={"model": simpler})] if simpler else []
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)
    text = f"It came to rest after {counted(f.rounds, 'round')}"
    moved = abs(r.refined)
    if moved > 0.01:
        text += f", but with twice the nodes the log-likelihood moves by {number(moved, 2)}."
        more = min(2 * r.spec.nodes - 1, 301)
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=text,
            remedies=[Remedy(label=f"{more} nodes", spec={"nodes": more})],
        )
    return Check(
        **base, verdict=Verdict.holds, text=f"{text}; with twice the nodes the log-likelihood stays within .01."
    )
