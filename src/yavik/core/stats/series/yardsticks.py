"""Simple ways to foretell a series, which a model should beat."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.smoothing import Season, best, follow

LONGEST = 2000
"""Points that smoothing is fitted to: it forgets what lies further back."""


@dataclass(frozen=True)
class Foretold:
    """Args: key, name: of the way. mean: shape (h,)."""

    key: str
    name: str
    mean: Floats


def foretell(z: Floats, season: int, horizon: int) -> list[Foretold]:
    """The last value, the same season before, and exponential smoothing, with or without a trend as AICc takes it,
    with a season where there is one.

    Args:
        z: without gaps. season: points of a year, 1 for none.
    """
    out = [Foretold("last", "The last value", np.full(horizon, z[-1]))]
    if season > 1 and len(z) >= season:
        ahead = np.arange(horizon) % season
        out.append(Foretold("season", "The same season before", z[len(z) - season + ahead]))
    parts: tuple[Season, ...] = ("additive",) if season > 1 and len(z) >= 2 * season + 5 else ("none",)
    smoothed = best(z[-LONGEST:], season, ("additive",), ("none", "additive"), parts, rest=1e-5)
    if smoothed is not None:
        out.append(Foretold("smoothing", f"Exponential smoothing ({smoothed.kind.words})", follow(smoothed, horizon)))
    return out
