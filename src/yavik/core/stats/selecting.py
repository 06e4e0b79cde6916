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
        """The value guessed at a share of the way."""
        return float(guess[int(np.clip(q * len(guess), 0, len(guess) - 1))])

    step, share = at(place / total), place / total
    slope = 0.04 * total / max(at(min(share + 0.02, 1.0)) - at(max(share - 0.02, 0.0)), 1e-300)
    close = max(0.5, 1e-10 * total)
    before: tuple[float, float] | None = None
    for _ in range(80):
        gap = count(step) - place
        if abs(gap) <= close or high - low <= 1e-9 * max(abs(low), abs(high)):
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
    """The place-th smallest of all a − b, halfway between two for half a place; both sorted."""
    if place != int(place):
        return (difference_at(a, b, np.floor(place)) + difference_at(a, b, np.ceil(place))) / 2
    total = len(a) * len(b)
    rng = np.random.default_rng(1)
    guess = np.sort(rng.choice(a, 20_000) - rng.choice(b, 20_000))

    def count(x: float) -> float:
        """How many differences are no larger."""
        return total - float(np.searchsorted(b, a - x, "left").sum())

    x = place_among(count, guess, float(a[0] - b[-1]), float(a[-1] - b[0]), place, total)
    return _the_sum(a, -b[::-1], x, count, place)


def mean_of_two_at(values: Floats, place: float) -> float:
    """The place-th smallest of all means of two values (each with itself too), as ``difference_at``; values
    sorted."""
    if place != int(place):
        return (mean_of_two_at(values, np.floor(place)) + mean_of_two_at(values, np.ceil(place))) / 2
    n = len(values)
    rng = np.random.default_rng(1)
    guess = np.sort((rng.choice(values, 20_000) + rng.choice(values, 20_000)) / 2)

    def count(x: float) -> float:
        """How many means of two are no larger."""
        both = float(np.searchsorted(values, 2 * x - values, "right").sum())
        return (both + float(np.searchsorted(values, x, "right"))) / 2

    x = place_among(count, guess, float(values[0]), float(values[-1]), place, n * (n + 1) / 2)
    return _the_sum(values, values, 2 * x, lambda two: count(two / 2), place) / 2


MOST_STEPS = 60
"""Sums that are stepped over one by one from where the search ended; only beyond 10¹⁰ sums are there ever so many."""


def _the_sum(a: Floats, b: Floats, x: float, count: Callable[[float], float], place: float) -> float:
    """The sum of a value of each that has this place, from a value x near it. Sums that differ by the noise of
    doubles alone are one."""
    noise = 2.0**-46 * max(abs(float(a[0])), abs(float(a[-1])), abs(float(b[0])), abs(float(b[-1])))
    found = x
    for _ in range(MOST_STEPS):
        if count(x + noise) >= place:
            found = _largest_below(a, b, x + noise)
            if count(found - noise) < place:
                break
            x = found - 2 * noise
        else:
            x = _smallest_above(a, b, x + noise)
    return float(settled(np.array([found]), a, b)[0])


def _largest_below(a: Floats, b: Floats, x: float) -> float:
    where = np.searchsorted(b, x - a, "right") - 1
    there = where >= 0
    return float((a[there] + b[where[there]]).max(initial=float(a[0] + b[0])))


def _smallest_above(a: Floats, b: Floats, x: float) -> float:
    where = np.searchsorted(b, x - a, "right")
    there = where < len(b)
    return float((a[there] + b[where[there]]).min(initial=float(a[-1] + b[-1])))
