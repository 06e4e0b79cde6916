"""What a model foretells of a series: its held-out end, what follows, and simple ways beside it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from yavik.core.methods.kit.times import Series
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.yardsticks import Foretold, foretell
from yavik.core.table import DataProblem

LEVELS = (0.8, 0.95)


@dataclass(frozen=True)
class Errors:
    """Mean absolute and root mean squared error of what was said of the held-out end."""

    mae: float
    rmse: float
    said: Floats


@dataclass(frozen=True)
class Outlook:
    """All on the scale of the series.

    Args:
        name: of the model. held: points held out; mine, yardsticks: errors there. middle: shape (h,); bands: its ends
            at each of ``LEVELS``, each of shape (h,). se, se_full: standard errors, with parameters known and in all,
            where the scale is the model's own.
    """

    name: str
    series: Series
    season: int
    held: int
    mine: Errors | None
    yardsticks: list[tuple[Foretold, Errors]]
    middle: Floats
    bands: Mapping[float, tuple[Floats, Floats]]
    se: Floats | None = None
    se_full: Floats | None = None

    @property
    def horizon(self) -> int:
        """Points foretold."""
        return len(self.middle)

    @cached_property
    def strongest(self) -> tuple[Foretold, Errors] | None:
        """The yardstick with the least error, where there is something to hold against it."""
        return min(self.yardsticks, key=lambda y: y[1].rmse) if self.held and self.yardsticks else None

    @property
    def ratio(self) -> float:
        """The model's error over the strongest yardstick's; NaN without either."""
        if self.mine is None or self.strongest is None:
            return np.nan
        least = self.strongest[1].rmse
        return self.mine.rmse / least if least > 0 else np.inf


def held_out(series: Series, season: int, asked: int | None, least: int) -> int:
    """Points held out: as asked, else a tenth, a season at least, a fifth and 50 at most.

    Raises DataProblem where too few are left.
    """
    n = series.n
    if asked is not None:
        if asked > n - least:
            raise DataProblem(
                f"{asked} points held out leave {max(n - asked, 0)} of {n}; {least} are needed to fit models to.",
                column=series.column.name,
            )
        return asked
    found = min(max(season if season > 1 else 3, n // 10), 50)
    return found if found <= n // 5 else 0


def horizon_of(season: int, n: int, asked: int | None) -> int:
    """Points foretold: as asked, else two seasons, or a fifth of the series up to twelve."""
    return asked or (2 * season if season > 1 else max(4, min(12, n // 5)))


def errors_of(series: Series, said: Floats) -> Errors | None:
    """Of the last points of the series; None where one has no value on its scale."""
    n, h = series.n, len(said)
    there = ~np.isin(np.arange(n - h, n), series.bridged)
    off = (said - series.values[-h:])[there]
    if not len(off) or not np.isfinite(off).all():
        return None
    return Errors(float(np.abs(off).mean()), float(np.sqrt((off**2).mean())), said)


def yardsticks(
    series: Series, z: Floats, original: Callable[[Floats], Floats], season: int, held: int
) -> list[tuple[Foretold, Errors]]:
    """Simple ways to foretell the held-out end, fitted to what comes before.

    Args:
        z: values on the scale modelled, gaps bridged; original: back from there.
    """
    if not held:
        return []
    made = []
    for one in foretell(z[: len(z) - held], season, held):
        told = errors_of(series, original(one.mean))
        if told:
            made.append((one, told))
    return made
