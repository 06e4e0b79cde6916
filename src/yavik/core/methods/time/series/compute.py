"""A series, its parts, correlograms and tests of standing still."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import given
from yavik.core.methods.kit.times import Series, read_series, season_of, transformed
from yavik.core.methods.time.series.spec import SeriesSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.correlogram import Correlogram, correlogram
from yavik.core.stats.series.parts import Parts, parts
from yavik.core.stats.series.unit_roots import LONG, Sums, UnitRoot, augmented, most_lags, phillips_perron, still
from yavik.core.table import DataProblem, Table

MOST_ORDER = 4
LEAST = 8


@dataclass(frozen=True)
class Tested:
    """A series or its difference and every test of it; a text says why there is none."""

    name: str
    difference: int
    seasonal: int
    tests: dict[str, UnitRoot | str]

    def finds(self, alpha: float) -> str:
        """'stands', 'drifts', 'both' (the tests contradict one another), 'neither', or 'unknown'."""
        root, calm = self.tests.get("ADF, constant"), self.tests.get("KPSS, constant")
        if not isinstance(root, UnitRoot) or not isinstance(calm, UnitRoot):
            return "unknown"
        no_root, moves = root.p < alpha, calm.p < alpha or calm.bounded == "below"
        return {(True, False): "stands", (False, True): "drifts", (True, True): "both", (False, False): "neither"}[
            no_root, moves
        ]


@dataclass(frozen=True)
class Looked:
    """Everything computed; tables and words only read it.

    Args:
        z: transformed values; w: their differences, which the correlograms are of. power: λ of Box and Cox, 0 for
            the logarithm, 1
            for values as they are.
    """

    spec: SeriesSpec
    series: Series
    season: int
    power: float
    z: Floats
    w: Floats

    @cached_property
    def parts(self) -> Parts:
        """Of the transformed values."""
        return parts(self.z, self.season)

    @property
    def lags(self) -> int:
        """Shown: two seasons, or 10 log₁₀ n."""
        asked = self.spec.lags or max(2 * self.season if self.season > 1 else 0, int(10 * np.log10(len(self.w))))
        return int(max(1, min(asked, len(self.w) - 1)))

    @cached_property
    def correlogram(self) -> Correlogram | None:
        """None for a constant."""
        return correlogram(self.w, self.lags) if np.ptp(self.w) > 0 else None

    @cached_property
    def tested(self) -> list[Tested]:
        """The series, its first differences, and its seasonal ones."""
        made = [self._tests("the series", self.z, 0, 0), self._tests("its differences", np.diff(self.z), 1, 0)]
        if self.season > 1 and len(self.z) > 2 * self.season + LEAST:
            over = self.z[self.season :] - self.z[: -self.season]
            made.append(self._tests("its seasonal differences", over, 0, 1))
        asked = (self.spec.difference, self.spec.seasonal_difference)
        if asked not in {(t.difference, t.seasonal) for t in made}:
            made.append(self._tests("the series as differenced", self.w, *asked))
        return made

    def _tests(self, name: str, y: Floats, d: int, s: int) -> Tested:
        found: dict[str, UnitRoot | str] = {}
        asked = self.spec
        most = max(most_lags(len(y)), asked.adf_lags or 0)
        sums = Sums(y, most) if len(y) > LONG + most + 1 else None

        def one(key: str, made: Any) -> None:
            """A test, or why there is none."""
            try:
                found[key] = made()
            except (ValueError, np.linalg.LinAlgError):
                found[key] = "too few points, or nothing varies"

        one("ADF, none", lambda: augmented(y, "none", asked.adf_lags, sums))
        one("ADF, constant", lambda: augmented(y, "constant", asked.adf_lags, sums))
        one("ADF, constant and trend", lambda: augmented(y, "trend", asked.adf_lags, sums))
        one("PP, constant", lambda: phillips_perron(y, "constant"))
        one("PP, constant and trend", lambda: phillips_perron(y, "trend"))
        one("KPSS, constant", lambda: still(y, "constant", asked.kpss_lags))
        one("KPSS, constant and trend", lambda: still(y, "trend", asked.kpss_lags))
        return Tested(name, d, s, found)

    @cached_property
    def cuts(self) -> tuple[int, int]:
        """Last lag of those in a row from 1 on that stand out: of the partial correlations, and of the plain ones;
        at most four."""
        c = self.correlogram
        if c is None:
            return 0, 0
        out = np.abs(c.pacf) > c.partial_band, np.abs(c.acf) > c.band
        p, q = (min(int(len(v) if v.all() else np.argmin(v)), MOST_ORDER) for v in out)
        return p, q

    @property
    def orders(self) -> list[tuple[int, int, int]]:
        """Candidate orders (p, d, q) read off the correlograms."""
        p, q = self.cuts
        d = self.spec.difference
        made = [(p, d, 0), (0, d, q), (1, d, 1), (min(p, 2), d, min(q, 2))]
        return list(dict.fromkeys(made))

    @cached_property
    def growing(self) -> float:
        """Slope of log spread on log level over years, 0 where spread does not go with level; NaN for values not
        above 0."""
        y = self.series.values
        if y.min() <= 0 or len(y) < 24:
            return np.nan
        width = self.season if self.season > 1 else max(4, len(y) // 12)
        rest = y - (self.parts if self.spec.transform == "none" else parts(y, self.season)).trend
        years = len(y) // width
        cut = len(y) - years * width
        level = np.log(y[cut:].reshape(years, width).mean(axis=1))
        sd = rest[cut:].reshape(years, width).std(axis=1, ddof=1)
        if years < 5 or (sd <= 0).any() or np.ptp(level) < 0.2:
            return np.nan
        u = level - level.mean()
        return float(u @ np.log(sd) / (u @ u))


def compute(table: Table, spec: SeriesSpec) -> Looked:
    """Raises DataProblem for times that cannot be read, and series too short or constant."""
    assert spec.value
    series = read_series(table, spec.value, spec.time, LEAST, spec.doubled, spec.within)
    y = series.values
    if not np.ptp(y) > 0:
        raise DataProblem(
            f"{spec.value} is {given(y[0])} at every time: there is nothing to look at.", column=spec.value
        )
    season = season_of(series, spec.season)
    z, power = transformed(table, series, spec.transform, season)
    w = z
    if spec.seasonal_difference:
        if season < 2:
            raise DataProblem("Seasonal differences need a season of two points at least.", column=spec.value)
        w = w[season:] - w[:-season]
    for _ in range(spec.difference):
        w = np.diff(w)
    if len(w) < LEAST:
        raise DataProblem(f"After differencing {len(w)} points are left; {LEAST} are needed.", column=spec.value)
    return Looked(spec, series, season, power, z, w)
