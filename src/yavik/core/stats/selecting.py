"""The m-th smallest of very many sums or differences, without making them all."""

from collections.abc import Callable

import numpy as np

from yavik.core.stats.decimals import settled
from yavik.core.stats.groups import Floats


def place_among(
    count: Callable[[float], float], guess: Floats, low: float, high: float, place: float, total: float
) -> float:
    """Where ``count`` (how many lie at or below x) reaches ``place``.

    A sorted sample ``guess`` gives a first value and the slope of the count; over so many the count is smooth, so a
    few secant steps reach it. A bracket that only shrinks keeps them honest.
    """

    def at(q: float) -> float:
        return float(guess[int(np.clip(q * len(guess), 0, len(guess) - 1))])

    step, share = at(place / total), place / total
    slope = 0.04 * total / max(at(min(share + 0.02, 1.0)) - at(max(share - 0.02, 0.0)), 1e-300)
    close = 1e-9 * total
    before: tuple[float, float] | None = None
    for _ in range(80):
        gap = count(step) - place
        if abs(gap) <= close or high - low <= 1e-13 * max(abs(low), abs(high)):
            return step
        low, high = (step, high) if gap < 0 else (low, step)
        if before is not None and gap != before[1]:
            slope = (gap - before[1]) / (step - before[0])
        before = (step, gap)
        step -= gap / slope if slope > 0 else 0.0
        if not low < step < high:
            step = (low + high) / 2
    return step


def difference_at(a: Floats, b: Floats, place: float) -> float:
    """The place-th smallest of all a − b; both sorted."""
    total = len(a) * len(b)
    rng = np.random.default_rng(1)
    guess = np.sort(rng.choice(a, 20_000) - rng.choice(b, 20_000))

    def count(x: float) -> float:
        return total - float(np.searchsorted(b, a - x, "left").sum())

    x = place_among(count, guess, float(a[0] - b[-1]), float(a[-1] - b[0]), place, total)
    return _nearest(a, -b[::-1], x)


def mean_of_two_at(values: Floats, place: float) -> float:
    """The place-th smallest of all means of two values (each with itself too); values sorted."""
    n = len(values)
    rng = np.random.default_rng(1)
    guess = np.sort((rng.choice(values, 20_000) + rng.choice(values, 20_000)) / 2)

    def count(x: float) -> float:
        both = float(np.searchsorted(values, 2 * x - values, "right").sum())
        return (both + float(np.searchsorted(values, x, "right"))) / 2

    x = place_among(count, guess, float(values[0]), float(values[-1]), place, n * (n + 1) / 2)
    return _nearest(values, values, 2 * x) / 2


def _nearest(a: Floats, b: Floats, x: float) -> float:
    """The sum of a value of each that lies nearest to x: what a search came to is one of those there are."""
    where = np.searchsorted(b, x - a)
    best = np.inf
    for side in (np.clip(where - 1, 0, len(b) - 1), np.clip(where, 0, len(b) - 1)):
        sums = a + b[side]
        found = float(sums[np.argmin(np.abs(sums - x))])
        best = found if abs(found - x) < abs(best - x) else best
    return float(settled(np.array([best]), a, b)[0])
