"""A column at a glance: the small distribution in a header and the description in the margin."""

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import BaseModel

from yavik.core.table.column import CODED, NUMERIC, Column, Kind
from yavik.core.table.table import date_text

BINS = 18
MOST_BARS = 24
REVISION = 2
"""Raised when a description says something else of the same cells: kept ones are then made anew."""


class Profile(BaseModel):
    """``bars`` are heights (counts); for numbers they are equal bins that begin at ``low`` and end at ``high`` or,
    of values on a grid, up to a bar beyond."""

    filled: int
    empty: int
    distinct: int | None = None
    bars: list[int] = []
    bar_names: list[str] = []
    low: float | None = None
    high: float | None = None
    mean: float | None = None
    sd: float | None = None
    median: float | None = None
    q1: float | None = None
    q3: float | None = None
    infinite: int = 0
    first: str | None = None
    last: str | None = None


def profile(column: Column, array: Any) -> Profile:
    """Counts, moments, quartiles (linear interpolation between order statistics, Hyndman & Fan 1996 type 7)."""
    n = len(array)
    empty = int(array.null_count)
    base = Profile(filled=n - empty, empty=empty)
    if column.kind in CODED:
        return _levels(column, array, base)
    if column.kind in NUMERIC:
        return _numbers(array, base, column.decimals)
    if column.kind is Kind.date:
        return _dates(array, base)
    return base.model_copy(update={"distinct": pc.count_distinct(array, mode="only_valid").as_py()})


def _levels(column: Column, array: Any, base: Profile) -> Profile:
    codes = array.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    counts = np.bincount(codes[codes >= 0], minlength=len(column.levels))
    shown = min(len(counts), MOST_BARS)
    return base.model_copy(
        update={
            "distinct": int((counts > 0).sum()),
            "bars": counts[:shown].tolist(),
            "bar_names": [level.words for level in column.levels[:shown]],
        }
    )


def _numbers(array: Any, base: Profile, decimals: int | None = None) -> Profile:
    values = array.drop_null().cast(pa.float64()).to_numpy(zero_copy_only=False)
    finite = values[np.isfinite(values)]
    infinite = len(values) - len(finite)
    if not len(finite):
        return base.model_copy(update={"infinite": infinite})
    ordered = np.sort(finite)
    low, high = float(ordered[0]), float(ordered[-1])
    # Counting by bisection in the sorted values costs nothing beside the sort that quartiles need anyway.
    cuts = np.searchsorted(ordered, _edges(low, high, decimals)[1:-1], side="left")
    bars = np.diff(np.concatenate([[0], cuts, [len(ordered)]]))
    q1, median, q3 = (_quantile(ordered, q) for q in (0.25, 0.5, 0.75))
    return base.model_copy(
        update={
            "infinite": infinite,
            "bars": bars.tolist(),
            "low": low,
            "high": high,
            "mean": float(finite.mean()),
            "sd": float(finite.std(ddof=1)) if len(finite) > 1 else None,
            "median": median,
            "q1": q1,
            "q3": q3,
            "distinct": int(1 + (np.diff(ordered) > 0).sum()),
        }
    )


def _quantile(ordered: Any, share: float) -> float:
    """Of sorted values, at one place instead of by parting them anew."""
    place = (len(ordered) - 1) * share
    i, t = int(place), place - int(place)
    a, b = float(ordered[i]), float(ordered[min(i + 1, len(ordered) - 1)])
    return a + (b - a) * t if t < 0.5 else b - (b - a) * (1 - t)


def _edges(low: float, high: float, decimals: int | None) -> Any:
    """Ends of the bars. Values written to some decimals lie on a grid: every bar holds as many of its places, or bars
    would come and go where there is nothing to see."""
    if not high > low:
        return np.array([low, low])
    step = 10.0 ** -(decimals or 0)
    places = round((high - low) / step) + 1
    if decimals is None or places > 50 * BINS:
        return np.linspace(low, high, BINS + 1)
    each = -(-places // BINS)
    return low - step / 2 + step * each * np.arange(-(-places // each) + 1)


def _dates(array: Any, base: Profile) -> Profile:
    if base.filled == 0:
        return base
    ends = pc.min_max(array).as_py()
    numbers = _numbers(array.cast(pa.int64()), base)
    return base.model_copy(
        update={
            "bars": numbers.bars,
            "distinct": numbers.distinct,
            "first": date_text(ends["min"]),
            "last": date_text(ends["max"]),
        }
    )
