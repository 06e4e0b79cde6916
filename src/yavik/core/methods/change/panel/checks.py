"""Checks beside a panel."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words, percent
from yavik.core.figures.caption import lower
from yavik.core.methods.change.panel.compute import PanelModels

FEW = 20
"""Units below which errors by unit are uncertain."""
LITTLE = 0.1
"""Share of a column's variance within units below which its slope within units hangs on little."""


def all_checks(m: PanelModels) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    return [_levels(m), _carried(m), _periods(m), _little(m), _units(m), _balance(m), _zero(m)]


def _levels(m: PanelModels) -> Check | None:
    """Whether units' levels go with the terms, where the model needs that they do not."""
    base: dict[str, Any] = {"id": "levels", "title": "Units’ levels and the terms"}
    main = m.spec.main
    if main in ("fixed", "fixed_periods", "first_differences", "unit_means", "within_between"):
        return None
    if main == "between":
        text = "Between units, whatever else differs from unit to unit stands behind the estimates too."
        return Check(**base, verdict=Verdict.unknown, text=text)
    w = m.by_means or m.hausman["random"]
    if w is None:
        return Check(
            **base, verdict=Verdict.unknown, text="Whether units’ levels go with the terms cannot be tested here."
        )
    text = f"χ²({w.df}) = {number(w.chi2, 2)}, p {p_words(w.p)}."
    if w.p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=f"{text} Nothing speaks of it; that is no proof.")
    text += " They do: the estimates mix what happens within a unit with what makes units differ."
    remedies = [
        Remedy(label="Report fixed effects", spec={"main": "fixed"}),
        Remedy(label="Report within and between", spec={"main": "within_between"}),
    ]
    return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)


def _carried(m: PanelModels) -> Check | None:
    """Residuals that go on from period to period make classical errors too small."""
    r = m.carried_on
    if not np.isfinite(r):
        return None
    base: dict[str, Any] = {"id": "carried", "title": "Residuals do not go on from period to period"}
    t = len(m.study.periods)
    expected = -1 / (t - 1)  # what taking out units' means alone makes of independent ones
    text = f"Correlation with the period before {number(r, 2)}; {number(expected, 2)} is what independent rows would"
    text += " show."
    if abs(r - expected) < 0.15:
        return Check(**base, verdict=Verdict.holds, text=text)
    by = m.spec.se == "cluster" and m.spec.main not in ("pooled", "between")
    if by or m.spec.main == "pooled_clustered":
        return Check(**base, verdict=Verdict.holds, text=f"{text} Errors by unit allow for it.")
    remedies = (
        [Remedy(label="Errors by unit", spec={"se": "cluster"})] if m.spec.main not in ("pooled", "between") else []
    )
    return Check(**base, verdict=Verdict.doubtful, text=f"{text} Classical errors are wrong.", remedies=remedies)


def _periods(m: PanelModels) -> Check | None:
    """Periods that differ for all units alike."""
    if m.spec.main not in ("fixed", "random", "unit_means", "within_between"):
        return None
    found = m.periods_differ
    if found is None:
        return None
    f, df1, df2, p = found
    base: dict[str, Any] = {"id": "periods", "title": "Periods alike"}
    text = f"F({df1}, {df2:.0f}) = {number(f, 2)}, p {p_words(p)}."
    if p >= 0.05:
        return Check(
            **base, verdict=Verdict.holds, text=f"{text} Nothing speaks of changes that come to all units alike."
        )
    text += " Something changes for all units alike, and terms that change with it take it on."
    remedy = Remedy(label="Take periods’ levels out too", spec={"main": "fixed_periods"})
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[remedy])


def _little(m: PanelModels) -> Check | None:
    """Columns that hardly change within units."""
    if m.spec.main in ("pooled", "pooled_clustered", "between"):
        return None
    p = m.study.panel
    spreads = m.study.spreads[1:]
    small = [
        (m.study.titles[j], (s[3] / s[1]) ** 2)
        for j, s in enumerate(spreads)
        if j in p.varying and s[1] > 0 and (s[3] / s[1]) ** 2 < LITTLE
    ]
    never = [m.study.titles[j] for j in range(len(spreads)) if j not in p.varying]
    base: dict[str, Any] = {"id": "little", "title": "Terms change within units"}
    text = ""
    if small:
        text = f"Little of {listing([f'{lower(n)} ({percent(v)} of its variance)' for n, v in small], 3)} lies within"
        text += " units: the"
        text += " slope within hangs on few changes, and errors of measurement weigh more."
    lost = m.spec.main in ("fixed", "fixed_periods", "first_differences")
    if never and lost:
        text += (
            f" {listing([lower(n) for n in never], 4)} never {'changes' if len(never) == 1 else 'change'} within a"
        )
        text += f" {m.study.unit_word} and {'has' if len(never) == 1 else 'have'} no estimate here."
    if not text:
        return Check(**base, verdict=Verdict.holds, text="Every term changes within units.")
    remedies = [Remedy(label="Report within and between", spec={"main": "within_between"})] if never and lost else []
    text = text.strip()
    text = text[0].upper() + text[1:]
    return Check(**base, verdict=Verdict.doubtful if small else Verdict.unknown, text=text, remedies=remedies)


def _units(m: PanelModels) -> Check:
    """Enough units for errors by unit, and units that say nothing within."""
    p = m.study.panel
    base: dict[str, Any] = {"id": "units", "title": "Enough units"}
    once = int((p.sizes == 1).sum())
    text = f"{counted(p.units, 'unit')} ({m.study.unit_word})."
    if once:
        names = [m.study.units[i] for i in np.flatnonzero(p.sizes == 1)[:3]]
        text += (
            f" {counted(once, 'unit')} ({listing(names, 3)}{' and others' if once > 3 else ''}) seen once: nothing"
        )
        text += " of them is within."
    by = m.spec.se == "cluster" or m.spec.main == "pooled_clustered"
    if p.units < FEW and by and m.spec.main not in ("pooled", "between"):
        text += f" Errors by unit are too small with fewer than {FEW}."
        return Check(**base, verdict=Verdict.doubtful if p.units >= 8 else Verdict.fails, text=text)
    return Check(**base, verdict=Verdict.holds if once < 0.2 * p.units else Verdict.doubtful, text=text)


def _balance(m: PanelModels) -> Check | None:
    """Gaps: which units lack periods."""
    s = m.study
    if s.balanced:
        return None
    short = np.flatnonzero(s.there.sum(axis=1) < len(s.periods))
    alone = [s.periods[t] for t in np.flatnonzero(s.there.sum(axis=0) == 1)]
    text = (
        f"{len(short)} of {counted(len(s.units), 'unit')} lack a period ({listing([s.units[i] for i in short], 4)})."
    )
    if alone:
        text += f" {listing(alone, 3)} {'has' if len(alone) == 1 else 'have'} one unit alone."
    text += " Estimates stand for those who stayed if leaving goes with the outcome."
    return Check(id="balance", title="Every unit in every period", verdict=Verdict.unknown, text=text)


def _zero(m: PanelModels) -> Check | None:
    """A component of units estimated at zero: random effects are pooled."""
    if isinstance(m.made, str) or m.made.units > 0 or m.spec.main not in ("random", "unit_means", "within_between"):
        return None
    text = "The variance of units’ levels is estimated at 0: units’ means scatter no more than rows would make them,"
    text += " and the"
    text += " model is the same as pooled."
    return Check(id="zero", title="Units differ", verdict=Verdict.unknown, text=text)
