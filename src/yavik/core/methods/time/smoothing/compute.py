"""Exponential smoothing with every combination of parts, how it foretells the held-out end, and what follows."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from yavik.core.answers.wording import given, grouped
from yavik.core.methods.kit.forecasts import LEVELS, Outlook, errors_of, held_out, horizon_of, yardsticks
from yavik.core.methods.kit.times import Series, read_series, season_of
from yavik.core.methods.time.smoothing.spec import SmoothingSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.correlogram import Correlogram, correlogram
from yavik.core.stats.series.smoothing import Error, Kind, Season, Smoothed, Trend, fit, follow, intervals, kinds
from yavik.core.table import DataProblem, Table

LEAST = 12
MOST = 5000


@dataclass(frozen=True)
class Tried:
    """A combination of parts, or why it does not fit."""

    kind: Kind
    made: Smoothed | None
    why: str = ""

    @property
    def key(self) -> str:
        """'multiplicative errors, damped trend, additive season'."""
        return f"{self.kind.error} errors, {self.kind.words}"


@dataclass(frozen=True)
class Smoothing:
    """Everything computed; tables and words only read it. ``chosen`` has the least AICc, ``taken`` is looked at."""

    spec: SmoothingSpec
    series: Series
    season: int
    tried: list[Tried]
    chosen: Tried
    taken: Tried
    outlook: Outlook

    @property
    def model(self) -> Smoothed:
        """The one looked at."""
        assert self.taken.made
        return self.taken.made

    @property
    def residuals(self) -> Floats:
        """One-step errors, NaN where a gap was bridged."""
        e = self.model.errors.copy()
        e[self.series.bridged] = np.nan
        return e

    @cached_property
    def left(self) -> Correlogram | None:
        """Correlations of the residuals; no df are taken off."""
        e = self.model.errors
        lags = min(2 * self.season if self.season > 1 else 10, max(1, len(e) // 5))
        return correlogram(e, lags) if np.ptp(e) > 0 else None


def compute(
    table: Table, spec: SmoothingSpec, progress: Callable[[float, str], None] = lambda _part, _what: None
) -> Smoothing:
    """Raises DataProblem for what cannot be read or smoothed."""
    assert spec.value
    series = read_series(table, spec.value, spec.time, LEAST, spec.doubled, spec.within)
    y, name = series.values, series.column.name
    if not np.ptp(y) > 0:
        raise DataProblem(f"{name} is {given(y[0])} at every time: there is nothing to smooth.", column=name)
    if series.n > MOST:
        raise DataProblem(
            f"{name} has {grouped(series.n)} points; smoothing is fitted to {grouped(MOST)} at most, since it forgets"
            " what lies further back. Keep the last ones by “Only rows where”, or sum or average over longer steps.",
            column=name,
        )
    season = season_of(series, spec.season)
    if spec.seasonal not in ("auto", "none") and season < 2:
        raise DataProblem("A season needs two points at least, and two seasons of them in the series.", column=name)
    held = held_out(series, season, spec.hold_out, LEAST)
    asked = _asked(spec, season)
    tried = []
    for i, kind in enumerate(asked):
        progress(0.05 + 0.8 * i / len(asked), f"{kind.words}, {i + 1} of {len(asked)}")
        tried.append(_tried(y, kind))
    standing = [t for t in tried if t.made and np.isfinite(t.made.aicc)] or [t for t in tried if t.made]
    if not standing:
        raise DataProblem(f"No combination of parts fits {name}: {tried[0].why}.", column=name)
    chosen = min(standing, key=lambda t: t.made.aicc if t.made else np.inf)
    taken = next((t for t in standing if t.key == spec.main), chosen)
    progress(0.9, "What follows")
    return Smoothing(spec, series, season, tried, chosen, taken, _outlook(series, season, taken, held, spec))


def _asked(spec: SmoothingSpec, season: int) -> list[Kind]:
    errors: tuple[Error, ...] = ("additive", "multiplicative") if spec.error == "auto" else (spec.error,)
    trends: tuple[Trend, ...] = ("none", "additive", "damped") if spec.trend == "auto" else (spec.trend,)
    every: tuple[Season, ...] = ("none", "additive", "multiplicative") if season > 1 else ("none",)
    seasons = every if spec.seasonal == "auto" else (spec.seasonal,)
    found = kinds(season, errors, trends, seasons)
    if not found:
        raise DataProblem(
            "Added errors with a season as a part of the level have no steady variance: take one of both."
        )
    return found


def _tried(y: Floats, kind: Kind) -> Tried:
    multiplies = kind.error == "multiplicative" or kind.season == "multiplicative"
    if multiplies and y.min() <= 0:
        return Tried(kind, None, "parts of the level need values above 0")
    made = fit(y, kind)
    return Tried(kind, made, "" if made else "too few points for so many parts, or nothing is left for errors")


def _outlook(series: Series, season: int, taken: Tried, held: int, spec: SmoothingSpec) -> Outlook:
    assert taken.made
    y, mine = series.values, None
    if held:
        before = fit(y[: len(y) - held], taken.kind)
        mine = errors_of(series, follow(before, held)) if before else None
    horizon = horizon_of(season, series.n, spec.horizon)
    ways = [w for w in yardsticks(series, y, lambda z: z, season, held) if w[0].key != "smoothing"]
    return Outlook(
        "Exponential smoothing", series, season, held, mine, ways, follow(taken.made, horizon),
        intervals(taken.made, horizon, LEVELS),
    )  # fmt: skip
