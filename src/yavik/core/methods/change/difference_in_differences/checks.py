"""Checks beside a difference in differences."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words
from yavik.core.figures.caption import lower
from yavik.core.methods.change.difference_in_differences.compute import Did
from yavik.core.methods.change.difference_in_differences.tables import before_df, decimals

FEW = 40
"""Clusters below which plain errors by cluster are too small."""


def all_checks(d: Did) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    return [_parallel(d), _placebo(d), _starts(d), _composition(d), _clusters(d), _order(d), _dropped(d)]


def _parallel(d: Did) -> Check:
    """Whether groups changed alike before: the condition of every causal word."""
    base: dict[str, Any] = {"id": "parallel", "title": "Changed alike before"}
    found = d.events[1] if d.events else None
    if found is None:
        one = d.study.simple or min(d.study.starts) < 2
        text = (
            "There is one period before the change"
            if one
            else "The periods before the change cannot be tested together"
        )
        text += ": nothing here can show whether the groups would have changed alike."
        text += " The causal words stand on that alone."
        return Check(**base, verdict=Verdict.unknown, text=text)
    f, df1, p = found
    told = [e for e in d.events[0] if e.place < -1] if d.events else []
    worst = max(told, key=lambda e: abs(e.estimate))
    k = decimals(d)
    words = f"Estimates of the {counted(df1, 'period')} before together: F({df1}, {number(before_df(d, df1), 0)}) ="
    words += f" {number(f, 2)}, p"
    words += f" {p_words(p)}; the largest is {number(worst.estimate, k)} beside an effect of"
    words += f" {number(d.effect.estimate, k)}."
    facts = {"before.p": p}
    if p >= 0.05:
        text = f"{words} Nothing speaks against it; that is no proof of it."
        large = abs(worst.estimate) > 0.5 * abs(d.effect.estimate)
        return Check(**base, verdict=Verdict.doubtful if large else Verdict.holds, text=text, facts=facts)
    text = f"{words} The groups changed differently already before: what came after cannot be laid to the treatment."
    return Check(**base, verdict=Verdict.fails if p < 0.01 else Verdict.doubtful, text=text, facts=facts)


def _placebo(d: Did) -> Check | None:
    """A start in the periods before, where there was none."""
    p = d.placebo
    if p is None:
        return None
    k = decimals(d)
    text = f"As if the change had come at {lower(d.study.period_title)} {d.study.periods[p.place]}, before it did:"
    text += f" {number(p.estimate, k)} (SE"
    text += f" {number(p.se, k)}, p {p_words(p.p)})."
    text += " A change where there was none casts doubt on the one told." if p.p < 0.05 else ""
    verdict = Verdict.doubtful if p.p < 0.05 else Verdict.holds
    return Check(id="placebo", title="Placebo start", verdict=verdict, text=text, facts={"placebo.p": p.p})


def _starts(d: Did) -> Check | None:
    """Several starts: the plain estimate compares with units that are treated already."""
    if len(d.study.starts) < 2:
        return None
    names = [d.study.periods[s] for s in d.study.starts]
    text = f"Treatment starts at {counted(len(names), 'different time')} ({listing(names, 5)}). The plain estimate"
    text += " also takes"
    text += " units that are treated already as a comparison, and is wrong where effects grow or differ by start."
    if not d.averages:
        text += " Name the unit that is followed, and each group by start is compared with those not started yet."
        return Check(id="starts", title="One start", verdict=Verdict.fails, text=text)
    gap = abs(d.averages[0].estimate - d.effect.estimate)
    text += " The average over groups by start stands beside it."
    verdict = Verdict.fails if gap > 2 * max(d.averages[0].se, 1e-300) else Verdict.doubtful
    return Check(id="starts", title="One start", verdict=verdict, text=text, facts={"starts.gap": gap})


def _composition(d: Did) -> Check | None:
    """Whether the same units stand before and after."""
    s = d.study
    if s.unit is None or len(s.starts) != 1:
        return None
    late = s.period >= s.starts[0]
    before, after = np.zeros(len(s.units), bool), np.zeros(len(s.units), bool)
    before[s.unit[~late]] = True
    after[s.unit[late]] = True
    treated = np.zeros(len(s.units), bool)
    treated[s.unit[s.group == 1]] = True
    lost = before ^ after
    base: dict[str, Any] = {"id": "composition", "title": "The same units before and after"}
    if not lost.any():
        n = counted(len(s.units), "unit")
        return Check(**base, verdict=Verdict.holds, text=f"All {n} have rows before and after the change.")
    names = [s.units[i] for i in np.flatnonzero(lost)[:4]]
    text = f"{counted(int(lost.sum()), 'unit')} of {len(s.units)} ({listing(names, 4)}"
    text += (
        f"{' and others' if lost.sum() > 4 else ''}) have rows on one side only: {int((lost & treated).sum())} of the"
    )
    text += f" treated, {int((lost & ~treated).sum())} of the others. Groups that are made up differently change by"
    text += " that alone."
    rows = s.data.rows[lost[s.unit]]
    return Check(
        **base, verdict=Verdict.doubtful, text=text, remedies=[Remedy(label="Show the rows", rows=rows[:200].tolist())]
    )  # fmt: skip


def _clusters(d: Did) -> Check:
    """Enough clusters, or none named."""
    base: dict[str, Any] = {"id": "clusters", "title": "Enough clusters"}
    s = d.study
    if s.clusters is None:
        text = "No unit is named: rows are taken as independent, and errors as robust to unequal spread. Rows of the"
        text += " same unit"
        text += " are not independent; name it in the settings."
        return Check(**base, verdict=Verdict.unknown, text=text)
    g = int(s.clusters.max()) + 1
    treated = len(np.unique(s.clusters[s.group == 1]))
    facts = {"clusters": float(g), "clusters.treated": float(treated)}
    text = f"{counted(g, 'cluster')}, {treated} of them treated."
    if d.se in ("classical", "hc0", "hc1", "hc2", "hc3"):
        text += " The errors that were chosen take the rows of one cluster as independent."
        return Check(
            **base, verdict=Verdict.doubtful, text=text, facts=facts,
            remedies=[Remedy(label="Use errors by cluster", spec={"se": "cluster"})],
        )  # fmt: skip
    few = g < FEW or treated < 6 or g - treated < 6
    if not few:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    if d.se == "wild":
        verdict = Verdict.doubtful if min(treated, g - treated) < 5 else Verdict.holds
        text += " p is by the wild bootstrap, which holds with few clusters unless very few are treated."
        return Check(**base, verdict=verdict, text=text, facts=facts)
    text += f" With fewer than {FEW}, or few treated, these errors are too small."
    remedies = [Remedy(label="Use the wild bootstrap", spec={"se": "wild"})]
    verdict = Verdict.fails if g < 20 or treated < 4 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _order(d: Did) -> Check | None:
    """Two periods that are words: which comes first was guessed."""
    if not d.study.guessed:
        return None
    first, second = d.study.periods
    return Check(
        id="order", title="Which period comes first", verdict=Verdict.unknown,
        text=f"{first} is taken as before and {second} as after.",
        remedies=[Remedy(label=f"{second} comes first", spec={"base": second})],
    )  # fmt: skip


def _dropped(d: Did) -> Check | None:
    """Covariates that the levels of units and periods tell already."""
    if not d.dropped:
        return None
    text = (
        f"{listing(d.dropped, 5)} {'follows' if len(d.dropped) == 1 else 'follow'} from the levels of {d.levels} and"
    )
    text += " periods, and fell out: what never changes cannot explain a change."
    return Check(id="dropped", title="Covariates that fell out", verdict=Verdict.doubtful, text=text)
