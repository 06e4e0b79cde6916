"""What a series can carry, and what to do about it."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import number, p_words, share
from yavik.core.methods.kit.leftover import bridged_check, outlying_times
from yavik.core.methods.time.series.compute import Looked
from yavik.core.methods.time.series.tell import looked_at
from yavik.core.stats.series.unit_roots import UnitRoot

MANY = "So many make the series smoother than it is."
STRONG = 0.64
"""Strength of a season from which its differences are worth a look."""


def all_checks(s: Looked, table_rows: Any) -> list[Check | None]:
    """What the series can carry."""
    return [
        _still(s),
        _spread(s),
        _season(s),
        bridged_check(s.series, MANY if len(s.series.bridged) > 0.05 * s.series.n else ""),
        outlying_times(s.series, s.parts.rest, table_rows, of="trend and season"),
        _long(s),
    ]


def _still(s: Looked) -> Check:
    base: dict[str, Any] = {"id": "still", "title": "Stands still as looked at"}
    now = looked_at(s)
    found = now.finds(s.spec.alpha) if now else "unknown"
    root = now.tests.get("ADF, constant") if now else None
    calm = now.tests.get("KPSS, constant") if now else None
    told = ""
    if isinstance(root, UnitRoot) and isinstance(calm, UnitRoot):
        p = {"below": "p < .01", "above": "p > .10"}.get(calm.bounded, f"p {p_words(calm.p)}")
        told = f" (ADF p {p_words(root.p)}, KPSS {p})"
    what = now.name if now else "the series as differenced"
    text = {
        "stands": f"Nothing speaks against it for {what}, and ADF speaks against a unit root{told}.",
        "drifts": f"KPSS speaks against it for {what}, and ADF finds nothing against a unit root{told}.",
        "both": f"Tests contradict one another for {what}{told}: perhaps a trend, a break, or memory that fades slowly."
        " Read the rows about a trend.",
        "neither": f"Neither test finds anything for {what}{told}: too few points, or near the border.",
        "unknown": f"It is not tested for {what}.",
    }[found]
    remedies = []
    if found in ("drifts", "both") and s.spec.difference < 2:
        remedies.append(Remedy(label="Take differences", spec={"difference": s.spec.difference + 1}))
    verdict = {"stands": Verdict.holds, "drifts": Verdict.fails, "unknown": Verdict.unknown}.get(
        found, Verdict.doubtful
    )
    return Check(**base, verdict=verdict, text=text, remedies=remedies)


def _spread(s: Looked) -> Check | None:
    if not np.isfinite(s.growing) or s.spec.transform != "none":
        return None
    base: dict[str, Any] = {"id": "spread", "title": "Spread alike over time"}
    if s.growing > 0.6:
        text = (
            f"Spread grows with the level (about as its power {number(s.growing, 1)}): logarithms would even it out."
        )
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=text,
            remedies=[Remedy(label="Take logarithms", spec={"transform": "log"})],
        )
    return Check(**base, verdict=Verdict.holds, text="Spread does not grow with the level.")


def _season(s: Looked) -> Check | None:
    p = s.parts
    if not np.isfinite(p.season_strength):
        return None
    base: dict[str, Any] = {"id": "season", "title": "Season"}
    text = f"The season of {s.season} points has strength {share(p.season_strength)} (1 − variance of the rest over"
    text += " that of rest and season)."
    if p.season_strength > STRONG and not s.spec.seasonal_difference:
        remedy = Remedy(label="Take seasonal differences", spec={"seasonal_difference": 1})
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=f"{text} It hides what else the correlograms show.",
            remedies=[remedy],
        )
    return Check(**base, verdict=Verdict.holds, text=text)


def _long(s: Looked) -> Check:
    n = s.series.n
    text = s.series.long
    years = n / s.season if s.season > 1 else None
    if n < 50 or (years is not None and years < 4):
        return Check(
            id="length",
            title="Long enough",
            verdict=Verdict.doubtful,
            text=f"{text}: too few to rely on tests of standing still, which with 40 points find what is not there"
            " in 10 to 16 of 100 series.",
        )
    return Check(id="length", title="Long enough", verdict=Verdict.holds, text=f"{text}.")
