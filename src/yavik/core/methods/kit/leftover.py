"""What a model of a series leaves: correlations, spread, shape and outlying points of its one-step errors."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words
from yavik.core.figures.courses import bars_of_lags, over_time
from yavik.core.figures.plots import block, quantiles
from yavik.core.methods.kit.outlook import time_of
from yavik.core.methods.kit.shared import far_out, normal_check
from yavik.core.methods.kit.times import NEVER, Series
from yavik.core.stats.groups import Floats
from yavik.core.stats.normality import normal_scores
from yavik.core.stats.series.correlogram import Correlogram, correlogram
from yavik.core.table import Kind


def correlations_check(c: Correlogram | None, gone: int, remedies: list[Remedy]) -> Check:
    """Ljung and Box's test of all lags together, ``gone`` df taken off."""
    base: dict[str, Any] = {"id": "residuals", "title": "Nothing left in the residuals"}
    if c is None or not np.isfinite(c.p[-1]):
        return Check(
            **base, verdict=Verdict.unknown, text="Ljung–Box has no df left: the series is too short for it."
        )
    stat, p, lags = float(c.q[-1]), float(c.p[-1]), len(c.q)
    told = f"Ljung–Box over {counted(lags, 'lag')}: Q({lags - gone}) = {number(stat, 2)}, p {p_words(p)}"
    facts = {"q": stat, "p": p, "df": float(lags - gone)}
    if p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=f"{told}: no evidence of correlations left.", facts=facts)
    verdict = Verdict.fails if p < 0.001 else Verdict.doubtful
    text = f"{told}: correlations are left that the model does not follow, so bands are too narrow or too wide."
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def spread_check(e: Floats, remedies: list[Remedy]) -> Check | None:
    """Ljung and Box's test of squared residuals (McLeod and Li, 1983)."""
    squares = e[np.isfinite(e)] ** 2
    lags = min(10, len(squares) // 4)
    if lags < 2 or not np.ptp(squares) > 0:
        return None
    base: dict[str, Any] = {"id": "spread", "title": "Spread alike over time"}
    p = float(correlogram(squares, lags).p[-1])
    told = f"McLeod and Li over {counted(lags, 'lag')}, p {p_words(p)}"
    if p >= 0.05:
        text = f"Squared residuals show no evidence of going together ({told})."
        return Check(**base, verdict=Verdict.holds, text=text)
    text = (
        f"Large residuals come together ({told}): bands are too narrow in wild stretches and too wide in calm ones."
    )
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies)


def shape_check(e: Floats) -> Check:
    """Shapiro and Wilk's test; only the bands of single points rest on it."""
    made = normal_check(e[np.isfinite(e)], "the residuals", "Normal residuals")
    if made.verdict not in (Verdict.doubtful, Verdict.fails):
        return made
    p = float(made.facts.get("shapiro.p", 0.0))
    text = f"Shapiro–Wilk finds a departure in the residuals (p {p_words(p)}): estimates stand, the bands of single"
    text += " points may hold too few or too many."
    return made.model_copy(update={"text": text, "verdict": Verdict.doubtful})


def bridged_check(series: Series, advice: str) -> Check | None:
    """Times that were bridged; where they have rows, a step fills their cells."""
    k = len(series.bridged)
    if not k:
        return None
    said = listing([series.labels[int(i)] for i in series.bridged], 5)
    text = f"{counted(k, 'time')} without a value bridged by straight lines: {said}.{advice and f' {advice}'}"
    return Check(
        id="gaps",
        title="Gaps",
        verdict=Verdict.doubtful,
        text=text,
        facts={"gaps": float(k)},
        remedies=_filling(series),
    )


def _filling(series: Series) -> list[Remedy]:
    """A step that fills empty cells on the line between their neighbours, where their times have rows."""
    time = series.time
    empty = np.isin(series.along, series.bridged) & (series.place < 0)
    known = series.along[series.along != NEVER]
    ordered = time is not None and time.kind in (Kind.date, Kind.count, Kind.measure, Kind.ordered)
    if not empty.any() or not (ordered or (np.diff(known) >= 0).all()):
        return []
    step = {"step": "fill", "columns": [series.column.name], "how": "interpolate", "by": []}
    return [
        Remedy(
            label="Fill the empty cells in the table", step=step | ({"order": time.name} if ordered and time else {})
        )
    ]


def outlying_times(
    series: Series, e: Floats, table_rows: Any, advice: str = "", of: str = "what was expected"
) -> Check:
    """Times whose residual lies far outside. ``e``: of the last times of the series; ``of``: what they are off."""
    there = np.where(np.isfinite(e), e, np.nanmedian(e))
    out = np.flatnonzero(far_out(there, 3.0)) + series.n - len(e)
    base: dict[str, Any] = {"id": "outlying", "title": "Outlying points"}
    if not len(out):
        text = f"No point lies more than three interquartile ranges off {of}."
        return Check(**base, verdict=Verdict.holds, text=text)
    said = listing([series.labels[int(i)] for i in out], 5)
    rows = [int(r) for r in table_rows[np.isin(series.place, out)]]
    text = f"{counted(len(out), 'point')} far off {of}: {said}.{advice and f' {advice}'}"
    return Check(
        **base, verdict=Verdict.doubtful, text=text, remedies=[Remedy(label="Show the rows", rows=rows[:200])]
    )


def residual_blocks(series: Series, e: Floats, c: Correlogram | None) -> list[FigureBlock]:
    """Residuals over time, their correlations, and beside the normal distribution."""
    labels = series.labels[series.n - len(e) :]
    drawn = over_time(labels, [("r", e)], "Residual", x_title=time_of(series), width=520, height=130)
    made = [block("residuals", "Residuals", drawn)]
    if c is not None:
        bars = bars_of_lags(c.acf, c.band, "Autocorrelation")
        made.append(block("residual_acf", "Their autocorrelations", bars, small=True))
    there = np.sort(e[np.isfinite(e)])
    if len(there) > 3 and np.ptp(there) > 0:
        rows = np.zeros(len(there), np.int64)
        drawn = quantiles(normal_scores(len(there)), there, rows, "Normal quantile", "Residual")
        made.append(block("residual_normal", "Against the normal distribution", drawn, small=True))
    return made
