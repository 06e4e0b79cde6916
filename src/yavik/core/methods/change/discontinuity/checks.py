"""Checks beside a jump at a cut-off."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, given, grouped, listing, number, p_words, percent
from yavik.core.methods.change.discontinuity.compute import Discontinuity
from yavik.core.methods.change.discontinuity.sensitivity import Variation
from yavik.core.methods.change.discontinuity.tables import decimals

FEW = 30
"""Rows within the window on a side below which its error is uncertain."""
HEAPED = 0.2
"""Different scores per row below which rows are heaped."""
WEAK = 10.0
"""F of the treatment's jump below which the ratio of jumps is not reliable."""


def all_checks(r: Discontinuity, rows: list[Variation]) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    if r.main is None:
        return [_heaped(r)]
    return [
        _sorting(r), _near(r), _choices(r, rows), _placebos(r, rows), _weak(r), _heaped(r), _wide(r), _bounded(r),
    ]  # fmt: skip


def _sorting(r: Discontinuity) -> Check:
    base: dict[str, Any] = {"id": "sorting", "title": "Nobody chose a side"}
    d, b = r.density, r.histogram
    if d is None:
        return Check(
            **base, verdict=Verdict.unknown, text="Too few different scores to test their density at the cut-off."
        )
    text = f"Density {number(d.left, 4)} below and {number(d.right, 4)} above the cut-off: p {p_words(d.p)}"
    text += f"; by a histogram p {p_words(b.p)}." if b else "."
    facts = {"density.p": d.p}
    if d.p >= 0.05:
        return Check(
            **base, verdict=Verdict.holds, text=f"{text} Nothing speaks of sorting; that is no proof.", facts=facts
        )
    text += " Rows pile up on one side: those on both sides may differ in more than the rule."
    return Check(**base, verdict=Verdict.fails if d.p < 0.01 else Verdict.doubtful, text=text, facts=facts)


def _near(r: Discontinuity) -> Check:
    n = r.jump.n
    text = f"{grouped(n[0])} rows below and {grouped(n[1])} above lie within the window."
    verdict = Verdict.holds if min(n) >= FEW else Verdict.doubtful if min(n) >= FEW / 2 else Verdict.fails
    if verdict != Verdict.holds:
        text += " With so few the errors are uncertain themselves."
    return Check(id="near", title="Enough rows near the cut-off", verdict=verdict, text=text)


def _choices(r: Discontinuity, rows: list[Variation]) -> Check:
    """Whether the jump stays when window, degree, kernel or the rows at the cut-off change."""
    base: dict[str, Any] = {"id": "choices", "title": "The same under other choices"}
    k, j = decimals(r), r.jump
    same = [v for v in rows if not v.placebo and v.jump]
    estimates = [v.jump.estimate for v in same if v.jump]
    if not estimates:
        return Check(**base, verdict=Verdict.unknown, text="No other choice can be had with these rows.")
    low, high = j.interval("robust", r.spec.alpha)
    away = [v for v in same if v.jump and not low <= v.jump.corrected <= high]
    text = f"Estimates run from {number(min(estimates), k)} to {number(max(estimates), k)} over"
    text += f" {counted(len(same), 'choice')}."
    if not away:
        return Check(
            **base, verdict=Verdict.holds, text=f"{text} All lie within the robust interval once bias is out."
        )
    text += f" Outside the robust interval: {listing([v.label for v in away], 3)}."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _placebos(r: Discontinuity, rows: list[Variation]) -> Check | None:
    void = [v for v in rows if v.placebo and v.jump]
    base: dict[str, Any] = {"id": "placebos", "title": "No jump where none should be", "remedies": _before(r)}
    if not void:
        return None
    seen = [v for v in void if v.jump and v.jump.p("robust") < r.spec.alpha]
    if not seen:
        return Check(
            **base, verdict=Verdict.holds, text=f"There is no evidence of a jump in {counted(len(void), 'placebo')}."
        )
    told = listing([f"{v.label} (p {p_words(v.jump.p('robust'))})" for v in seen if v.jump], 3)
    text = f"{len(seen)} of {counted(len(void), 'placebo')} {'shows' if len(seen) == 1 else 'show'} a jump: {told}."
    by_chance = len(void) >= 10 and len(seen) <= 1
    return Check(**base, verdict=Verdict.doubtful if by_chance or len(seen) == 1 else Verdict.fails, text=text)


def _before(r: Discontinuity) -> list[Remedy]:
    """The outcome of the period before as a column, where the table says what is followed: a placebo outcome."""
    panel = r.study.table.about.panel
    if panel is None or r.spec.placebo_outcomes or not r.spec.outcome:
        return []
    step = {"step": "lag", "columns": [r.spec.outcome], "by": [panel.unit], "order": panel.time}
    return [Remedy(label="Add the outcome of the period before as a column", step=step)]


def _weak(r: Discontinuity) -> Check | None:
    """A treatment that hardly jumps: the ratio is not reliable."""
    j = r.jump
    if r.study.received is None or r.sharp:
        return None
    f = (j.first / j.first_se) ** 2 if j.first_se > 0 else np.inf
    text = f"The treatment jumps by {number(j.first, 3)} at the cut-off (F = {number(min(f, 99999), 1)})."
    if f >= WEAK:
        return Check(id="weak", title="The cut-off moves the treatment", verdict=Verdict.holds, text=text)
    text += f" Below F = {WEAK:g} the effect and its interval are not reliable; ask about the outcome’s jump itself."
    remedy = Remedy(label="Ask about the jump itself", spec={"treatment": None})
    verdict = Verdict.fails if f < WEAK / 2.5 else Verdict.doubtful
    return Check(id="weak", title="The cut-off moves the treatment", verdict=verdict, text=text, remedies=[remedy])


def _heaped(r: Discontinuity) -> Check:
    """Many rows share a score, or heaps stand at the cut-off."""
    base: dict[str, Any] = {"id": "heaped", "title": "Scores are not heaped"}
    u = r.study.u
    values, n = np.unique(u, return_counts=True)
    near = np.abs(values) <= (float(np.mean(r.windows.h)) if r.windows else np.inf)
    different = int(near.sum())
    within = int(n[near].sum())
    have = "has" if within == 1 else "have"
    text = f"{counted(within, 'row')} near the cut-off {have} {counted(different, 'different score')}."
    if different >= HEAPED * within or different >= 100:
        return Check(**base, verdict=Verdict.holds, text=text)
    text += " The estimate hangs on the shape between few scores, and errors take rows of one score as independent."
    if r.main is not None and different < 20 and r.spec.se != "cluster":
        verdict = Verdict.fails if different < 8 else Verdict.doubtful
        remedy = Remedy(label="Errors by score", spec={"se": "cluster", "cluster": r.spec.running})
        return Check(**base, verdict=verdict, text=text, remedies=[remedy])
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _wide(r: Discontinuity) -> Check | None:
    """A window that takes in nearly everything."""
    assert r.windows
    u = r.study.data.u
    share = float(((u >= -r.windows.h[0]) & (u <= r.windows.h[1])).mean())
    if share < 0.8:
        return None
    text = f"The window takes in {percent(share)} of the rows: far from the cut-off the shape matters, not the jump."
    remedies = (
        []
        if r.spec.bandwidth == "mse"
        else [Remedy(label="Take the window of least error", spec={"bandwidth": "mse"})]
    )
    return Check(id="wide", title="The window stays near", verdict=Verdict.doubtful, text=text, remedies=remedies)


def _bounded(r: Discontinuity) -> Check | None:
    """Many rows at an end of the outcome's range."""
    y = r.study.data.y[:, 0]
    ends = [(float((y == e).mean()), e) for e in (y.min(), y.max())]
    share, end = max(ends)
    if share < 0.15:
        return None
    two = len(np.unique(y)) == 2
    text = (
        "The outcome has two values: the jump is one of shares."
        if two
        else f"{percent(share)} of the rows have {given(end)}, an end of the outcome’s range."
    )
    text += " Straight lines can leave its range; look at the picture." if not two else ""
    return Check(
        id="bounded",
        title="The outcome is not at its bounds",
        verdict=Verdict.holds if two else Verdict.doubtful,
        text=text,
    )
