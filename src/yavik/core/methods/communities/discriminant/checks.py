"""What functions that tell groups apart can carry, and what to do about it."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words, percent, share
from yavik.core.methods.communities.discriminant.compute import Told
from yavik.core.methods.kit.checks import leave_out
from yavik.core.stats import distributions as laws

FAR = 0.001
"""Rows farther from their group than one in a thousand would be."""
TOO_GOOD = 0.1


def all_checks(t: Told) -> list[Check | None]:
    """What the functions can carry."""
    return [_spread(t), _sizes(t), _again(t), _far(t), _own(t), _prior(t)]


def _spread(t: Told) -> Check:
    base: dict[str, Any] = {"id": "spread", "title": "Groups vary alike"}
    found = t.spreads
    if found.why:
        return Check(**base, verdict=Verdict.unknown, text=f"Box’s M cannot be computed: {found.why}.")
    told = f"Box’s M = {number(found.m, 1)}, p {p_words(found.p)}"
    if found.p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=f"No evidence of unequal covariances ({told}).")
    text = (
        f"Covariances differ between groups ({told}): rows are put too readily into groups that vary more. The test"
    )
    text += " is touchy, of departures from normal as well; compare the SDs in the table of columns."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _sizes(t: Told) -> Check:
    base: dict[str, Any] = {"id": "sizes", "title": "Rows for the columns"}
    least, p = int(t.d.sizes.min()), len(t.columns)
    which = t.levels[int(t.d.sizes.argmin())]
    if least > max(2 * p, 9):
        text = f"The smallest group, {which}, has {counted(least, 'row')} for {counted(p, 'column')}."
        return Check(**base, verdict=Verdict.holds, text=text)
    text = f"{which} has {counted(least, 'row')} for {counted(p, 'column')}: functions follow its chance. Take fewer"
    text += " columns or more rows."
    return Check(**base, verdict=Verdict.fails if least <= p else Verdict.doubtful, text=text)


def _again(t: Told) -> Check:
    base: dict[str, Any] = {"id": "again", "title": "Right on rows not seen"}
    (right, n), (again, known) = t.right(t.inside), t.right(t.outside)
    if not known:
        return Check(**base, verdict=Verdict.unknown, text="No row can be left out: groups have one row each.")
    told = f"{percent(right / n)} of rows fall into their own group by functions made with them,"
    told += f" {percent(again / known)} by functions made without them"
    if right / n - again / known <= TOO_GOOD:
        return Check(**base, verdict=Verdict.holds, text=f"{told}.")
    return Check(**base, verdict=Verdict.doubtful, text=f"{told}: the functions follow chance in these rows.")


def _far(t: Told) -> Check:
    base: dict[str, Any] = {"id": "far", "title": "No rows far from their group"}
    limit = float(laws.chi2.ppf(1 - FAR, len(t.columns)))
    far = np.flatnonzero(t.inside.away > limit)
    expected = t.d.n * FAR
    if len(far) <= max(1.0, 3 * expected):
        text = f"{counted(len(far), 'row')} lie farther out than one in a thousand should."
        return Check(**base, verdict=Verdict.holds, text=text.replace("1 row lie", "1 row lies"))
    order = far[np.argsort(-t.inside.away[far])]
    rows = [int(t.numbers[i]) for i in order]
    text = (
        f"{counted(len(far), 'row')} lie farther out than one in a thousand should ({number(expected, 1)} expected),"
    )
    text += f" the farthest row {rows[0]}: they pull means and covariances."
    show = Remedy(label="Show the rows", rows=rows[:100])
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[show, *leave_out(rows, t.spec.where)])


def _own(t: Told) -> Check | None:
    if len(t.columns) < 2:
        return None
    base: dict[str, Any] = {"id": "own", "title": "Columns tell different things"}
    low = [t.columns[int(k)] for k in np.flatnonzero(t.tolerance < 0.1)]
    if not low:
        least = int(t.tolerance.argmin())
        text = f"Least of its own has {t.columns[least]}: {share(float(t.tolerance[least]))} of its variance within"
        return Check(**base, verdict=Verdict.holds, text=f"{text} groups.")
    text = (
        f"{listing(low)} {'is' if len(low) == 1 else 'are'} nearly made up of other columns: coefficients depend on"
    )
    text += " chance. Read the correlations with the functions instead, or leave some out."
    remedies = []
    if len(t.columns) > 2:
        kept = [c for c in t.columns if c != low[0]]
        remedies = [Remedy(label=f"Leave out {low[0]}", spec={"columns": kept})]
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies)


def _prior(t: Told) -> Check | None:
    sizes = t.d.sizes
    if int(sizes.max()) < 1.5 * int(sizes.min()):
        return None
    base: dict[str, Any] = {"id": "prior", "title": "Chance of each group beforehand"}
    if t.spec.prior == "equal":
        text = "Groups differ in size, and every group is taken for as likely as another. If rows were drawn as they"
        text += " occur, large groups are likelier."
        other = Remedy(label="Take the shares of these rows", spec={"prior": "observed"})
    else:
        text = "Groups are taken for as likely as they are frequent here, which favours large ones. If numbers were"
        text += " chosen by the study, take them for equal."
        other = Remedy(label="Take all for equal", spec={"prior": "equal"})
    return Check(**base, verdict=Verdict.unknown, text=text, remedies=[other])
