"""Which orders are tried: as listed, a grid, or suggested by the series."""

import numpy as np

from yavik.core.answers.wording import counted
from yavik.core.methods.kit.times import Series
from yavik.core.methods.time.arima.spec import MOST, ArimaSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.arima import Order
from yavik.core.stats.series.parts import parts
from yavik.core.stats.series.unit_roots import still
from yavik.core.table import DataProblem

STRONG = 0.64
"""Strength of a season from which it is differenced (Wang, Smith and Hyndman, 2006)."""


def candidates_of(series: Series, z: Floats, season: int, spec: ArimaSpec) -> tuple[list[Order], str]:
    """Orders, and how they came about where nobody listed them.

    Args:
        z: values as modelled, gaps bridged.

    Raises DataProblem where there are none or too many."""
    seasonal = (0, 0, 0, 1)
    told = []
    if isinstance(spec.seasonal, tuple):
        seasonal = spec.seasonal
    elif spec.seasonal == "suggested" and spec.candidates == "suggested" and season > 1:
        seasonal, why = _season(z, season)
        told += [why] if why else []
    d = differences(z, seasonal)
    triples: list[tuple[int, int, int]]
    if isinstance(spec.candidates, list):
        triples = list(dict.fromkeys(spec.candidates))
    elif spec.candidates == "grid":
        p, d, q = spec.grid or (3, d, 3)
        triples = [(i, d, j) for i in range(p + 1) for j in range(q + 1)]
        told.append(f"every p up to {p} and q up to {q}")
    else:
        triples = [(1, d, 0), (0, d, 1), (1, d, 1), (2, d, 0), (0, d, 2), (2, d, 2)]
        more = " more" if seasonal[1] else ""
        told.append(f"{counted(d, f'{more} difference'.strip()) if d else f'no{more} difference'} asked for by KPSS")
    if not triples:
        raise DataProblem("No candidate is listed: add one, such as (1, 1, 1), or take a grid.")
    if len(triples) > MOST:
        raise DataProblem(f"{len(triples)} candidates are too many at once; {MOST} is the most.")
    orders = [Order(p, d, q, *seasonal) for p, d, q in triples]
    least = min(o.lost for o in orders)
    if series.n - least < 8:
        raise DataProblem(
            f"After differencing {max(series.n - least, 0)} of {series.n} points are left; 8 are needed.",
            column=series.column.name,
        )
    return orders, "; ".join(told)


def _season(z: Floats, season: int) -> tuple[tuple[int, int, int, int], str]:
    """(0, 1, 1) where the season is strong, none elsewhere."""
    if len(z) < 3 * season + 8:
        return (0, 0, 0, 1), ""
    strength = parts(z, season).season_strength
    if np.isfinite(strength) and strength > STRONG:
        return (0, 1, 1, season), f"a season of strength {strength:.2f}".replace("0.", ".") + " differenced"
    return (0, 0, 0, 1), ""


def differences(z: Floats, seasonal: tuple[int, int, int, int]) -> int:
    """As many as KPSS asks for at 5 %, two at most, one after a seasonal difference."""
    w = z
    if seasonal[1]:
        w = w[seasonal[3] :] - w[: -seasonal[3]]
    for d in range(2 - seasonal[1]):
        if len(w) < 12 or not np.ptp(w) > 0:
            return d
        try:
            test = still(w, "constant")
        except (ValueError, np.linalg.LinAlgError):
            return d
        if test.p >= 0.05 and test.bounded != "below":
            return d
        w = np.diff(w)
    return 2 - seasonal[1]
