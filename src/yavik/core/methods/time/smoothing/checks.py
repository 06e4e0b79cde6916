"""What exponential smoothing can carry, and what to do about it."""

from typing import Any

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, share
from yavik.core.methods.kit.leftover import (
    bridged_check,
    correlations_check,
    outlying_times,
    shape_check,
    spread_check,
)
from yavik.core.methods.kit.outlook import beats_check
from yavik.core.methods.time.smoothing.compute import Smoothing

NEAR = 0.01


def all_checks(s: Smoothing, table_rows: Any) -> list[Check | None]:
    """What the model looked at can carry."""
    e = s.residuals
    rest = [Remedy(label="Errors as a part of the level", spec={"error": "multiplicative", "main": None})]
    can = s.model.kind.error == "additive" and s.series.values.min() > 0
    return [
        correlations_check(s.left, 0, []), beats_check(s.outlook), spread_check(e, rest if can else []), shape_check(e),
        _border(s), outlying_times(s.series, e, table_rows, "Smoothing carries them into what follows."), bridged_check(s.series, "Models of ARIMA leave them out exactly."),
        _long(s),
    ]  # fmt: skip


def _border(s: Smoothing) -> Check:
    base: dict[str, Any] = {"id": "border", "title": "Weights inside their range"}
    p, kind = s.model.sets, s.model.kind
    alpha, beta, gamma = float(p.alpha[0]), float(p.beta[0]), float(p.gamma[0])
    said = []
    if alpha > 1 - NEAR:
        said.append(f"the level follows every point (α {share(alpha)})")
    if alpha < NEAR:
        said.append(f"the level hardly moves (α {share(alpha)})")
    if kind.trend != "none" and beta < NEAR * alpha:
        said.append(f"the slope stays as it began (β {share(beta)})")
    if kind.season != "none" and gamma < NEAR * (1 - alpha):
        said.append(f"the season stays as it began (γ {share(gamma)})")
    if not said:
        return Check(**base, verdict=Verdict.holds, text="No weight lies at the end of its range.")
    text = f"Here {listing(said)}: a simpler description may do as well."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _long(s: Smoothing) -> Check:
    n, k = s.series.n, s.model.counted
    base: dict[str, Any] = {"id": "length", "title": "Long enough"}
    text = f"{counted(n, 'point')} for {counted(k, 'parameter')}, first states among them."
    if n < 4 * k or n < 80:
        text += " Bands far ahead hold too seldom with so few: of 40 points, those of 95% held 78 to 86 of 100."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(**base, verdict=Verdict.holds, text=text)
