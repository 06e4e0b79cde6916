"""The m-th smallest of very many sums or differences, without making them all.

Few sums are made. Values on a grid (as measures with few decimals are) are counted by convolution, all sums at once; few
different values are summed with their counts; of all else a bracket is narrowed until it holds few enough to be made.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from scipy import fft

from yavik.core.stats.decimals import settled
from yavik.core.stats.grid import grid_of
from yavik.core.stats.groups import Floats, Ints

MOST_MADE = 2_000_000
"""Sums that are made to look for one among them."""
MOST_EXACT_SUMS = 1e13
"""Up to which the convolution's rounding stays below half a count."""
DRAWN = 60_000
THINNED = 20_000
"""Values of each sample that a first look is taken at."""
NEAR = 1e-7
"""Share of all sums that a first look may be off by what it looks at."""


def difference_at(a: Floats, b: Floats, places: Sequence[float]) -> list[float]:
    """The place-th smallest of all a − b, for each place, halfway between two for half a place.

    Args:
        a, b: sorted values.
    """
    return _Sums(a, -b[::-1], False).at(places)


def mean_of_two_at(values: Floats, places: Sequence[float]) -> list[float]:
    """The place-th smallest of all means of two values (each with itself too), as ``difference_at``.

    Args:
        values: sorted.
    """
    return [v / 2 for v in _Sums(values, values, True).at(places)]


@dataclass(frozen=True)
class _Sums:
    """All sums of a value of ``a`` and one of ``b``, both sorted; of one sample with itself each pair once."""

    a: Floats
    b: Floats
    itself: bool

    def at(self, places: Sequence[float]) -> list[float]:
        """The sums at places from 1, settled."""
        wanted = sorted({w for p in places for w in (int(np.floor(p)), int(np.ceil(p)))})
        found = self._of_all(wanted) or self._on_a_grid(wanted) or self._of_few(wanted) or self._each(wanted)
        by_place = dict(zip(wanted, (float(v) for v in settled(np.array(found), self.a, self.b)), strict=True))
        return [(by_place[int(np.floor(p))] + by_place[int(np.ceil(p))]) / 2 for p in places]

    def _of_all(self, places: list[int]) -> list[float] | None:
        if len(self.a) * len(self.b) > MOST_MADE:
            return None
        sums = np.add.outer(self.a, self.b)
        sums = sums[np.triu_indices(len(self.a))] if self.itself else sums.ravel()
        at = [p - 1 for p in places]
        sums.partition(at)
        return [float(sums[i]) for i in at]

    def _on_a_grid(self, places: list[int]) -> list[float] | None:
        grid = grid_of(self.a, self.b)
        if grid is None or float(len(self.a)) * len(self.b) > MOST_EXACT_SUMS:
            return None
        one = np.bincount(grid.cells[0]).astype(np.float64)
        two = one if self.itself else np.bincount(grid.cells[1]).astype(np.float64)
        size = len(one) + len(two) - 1
        full = fft.next_fast_len(size, real=True)
        counts = np.rint(fft.irfft(fft.rfft(one, full) * fft.rfft(two, full), full)[:size])
        if self.itself:
            counts[::2] += one
            counts /= 2
        at = np.searchsorted(np.cumsum(counts), np.array(places, np.float64), "left")
        return [(sum(grid.first) + int(i) * grid.step) / grid.power for i in at]

    def _of_few(self, places: list[int]) -> list[float] | None:
        a, of_a = np.unique(self.a, return_counts=True)
        b, of_b = (a, of_a) if self.itself else np.unique(self.b, return_counts=True)
        if len(a) * len(b) > MOST_MADE:
            return None
        sums, weights = np.add.outer(a, b), np.multiply.outer(of_a, of_b).astype(np.float64)
        if self.itself:
            weights[np.diag_indices(len(a))] += of_a
            weights /= 2
        order = np.argsort(sums, axis=None)
        at = np.searchsorted(np.cumsum(weights.ravel()[order]), np.array(places, np.float64), "left")
        return [float(v) for v in sums.ravel()[order][at]]

    def _ends(self, x: float) -> Ints:
        """For each value of ``a`` how many of ``b`` make a sum no larger than x."""
        ends = np.searchsorted(self.b, x - self.a, "right")
        return np.maximum(ends, np.arange(len(self.a))) if self.itself else ends

    def _number(self, ends: Ints) -> int:
        n = len(self.a)
        return int(ends.sum()) - (n * (n - 1) // 2 if self.itself else 0)

    def _each(self, places: list[int]) -> list[float]:
        """Two searches at once (numpy works outside the interpreter's lock); a place's neighbour comes with it."""
        apart = [p for i, p in enumerate(places) if i == 0 or p > places[i - 1] + 1]
        with ThreadPoolExecutor(2) as pool:
            found = {at: v for made in pool.map(self._searched, apart) for at, v in made.items()}
        for place in places:
            if place not in found:
                found |= self._searched(place)
        return [found[place] for place in places]

    def _searched(self, place: int) -> dict[int, float]:
        """The sum at a place, and at the next one where it is at hand: secant steps from a first guess, within a
        bracket that only shrinks, until it holds few enough sums to be made."""
        low, high = float(self.a[0] + self.b[0]), float(self.a[-1] + self.b[-1])
        n = len(self.a)
        below, above = np.arange(n) if self.itself else np.zeros(n, np.int64), np.full(n, len(self.b))
        total = self._number(above)
        step, slope = self._near(place / total, total)
        reach, before = 0.05 * MOST_MADE, None
        while self._number(above) - self._number(below) > MOST_MADE:
            if not low < step < high:
                step = low + (high - low) / 2
            if not low < step < high:
                return {place: high}  # neighbouring doubles: many sums are this very one
            ends = self._ends(step)
            gap = self._number(ends) - place
            low, high, below, above = (step, high, ends, above) if gap < 0 else (low, step, below, ends)
            if before is not None and gap != before[1] and step != before[0]:
                slope = (gap - before[1]) / (step - before[0])
            before = (step, gap)
            # Near the place the step goes a little beyond it, so that the bracket closes from both sides.
            beyond = reach if abs(gap) < 50 * reach else 0.05 * abs(gap)
            step -= (gap - beyond if gap < 0 else gap + beyond) / slope if slope > 0 else 0.0
        return self._made(below, above, place)

    def _made(self, below: Ints, above: Ints, place: int) -> dict[int, float]:
        many = above - below
        rows = np.repeat(np.arange(len(self.a)), many)
        first = np.cumsum(many) - many
        columns = np.arange(len(rows)) - np.repeat(first - below, many)
        sums = self.a[rows] + self.b[columns]
        k = place - self._number(below) - 1
        at = [k, k + 1] if k + 1 < len(sums) else [k]
        sums.partition(at)
        return {place + i: float(sums[k + i]) for i in range(len(at))}

    def _near(self, share: float, total: int) -> tuple[float, float]:
        """The same from evenly spaced values of both samples, which is nearer by far: afterwards all values are looked
        at twice, where after a guess it takes four looks."""
        step, slope = self._guess(share, total)
        if min(len(self.a), len(self.b)) < 4 * THINNED:
            return step, slope
        few = self._thinned()
        part = few._number(np.full(len(few.a), len(few.b))) / total
        before: tuple[float, float] | None = None
        for _ in range(8):
            gap = few._number(few._ends(step)) / part - share * total
            if before is not None and gap != before[1] and step != before[0]:
                slope = (gap - before[1]) / (step - before[0])
            if abs(gap) < NEAR * total or slope <= 0:
                break
            before = (step, gap)
            step -= gap / slope
        return step, slope

    def _thinned(self) -> "_Sums":
        a, b = (v[((np.arange(THINNED) + 0.5) * len(v) / THINNED).astype(np.int64)] for v in (self.a, self.b))
        return _Sums(a, a if self.itself else b, self.itself)

    def _guess(self, share: float, total: int) -> tuple[float, float]:
        """A value near the place, and how fast the count rises there, from a sample of the sums."""
        rng = np.random.default_rng(1)
        drawn = np.sort(rng.choice(self.a, DRAWN) + rng.choice(self.b, DRAWN))

        def at(q: float) -> float:
            return float(drawn[int(np.clip(q * DRAWN, 0, DRAWN - 1))])

        width = at(share + 0.02) - at(share - 0.02)
        part = min(share + 0.02, 1.0) - max(share - 0.02, 0.0)
        return at(share), part * total / width if width > 0 else 0.0
