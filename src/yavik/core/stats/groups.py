"""Groups of one measurement: what every comparison starts from, computed once and kept.

Values are shifted by their first value before anything is summed, and sums of squares are taken about the
group means (two passes), so that values such as 1000000000000.4 keep all the digits a double has.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


MOST_LOOKED_FOR = 8
"""Groups up to which looking for the rows of each takes less than sorting their codes."""


@dataclass(frozen=True, eq=False)
class Groups:
    """k groups of filled values.

    Args:
        y: shape (n,), values sorted by group (order within a group is the table's).
        starts: shape (k + 1,), group g is ``y[starts[g]:starts[g + 1]]``.
        rows: shape (n,), the values' row numbers in the original file.
        names: k words.
    """

    y: Floats
    starts: Ints
    rows: Ints
    names: tuple[str, ...]

    @classmethod
    def of(cls, y: Floats, codes: npt.NDArray[np.int32], rows: Ints, names: tuple[str, ...]) -> "Groups":
        """From a value and a code per row; rows with an empty value or code −1 are left out."""
        use = (codes >= 0) & ~np.isnan(y)
        if not use.all():
            y, codes, rows = y[use], codes[use], rows[use]
        small = codes.astype(np.uint8 if len(names) < 256 else np.uint16 if len(names) < 65536 else np.int32)
        if 0 < len(names) <= MOST_LOOKED_FOR:
            parts = [np.flatnonzero(small == g) for g in range(len(names))]
            order, counts = np.concatenate(parts), np.array([len(p) for p in parts])
        else:  # a stable sort of small integers is a counting sort: linear in the rows
            order, counts = np.argsort(small, kind="stable"), np.bincount(small, minlength=len(names))
        return cls(y[order], np.concatenate([[0], np.cumsum(counts)]), rows[order], names)

    @classmethod
    def of_samples(cls, samples: list[Floats], rows: Ints, names: tuple[str, ...]) -> "Groups":
        """Groups from one array each; empty cells are left out."""
        filled = [~np.isnan(s) for s in samples]
        starts = np.concatenate([[0], np.cumsum([f.sum() for f in filled])])
        y = np.concatenate([s[f] for s, f in zip(samples, filled, strict=True)])
        return cls(y, starts, np.concatenate([rows[f] for f in filled]), names)

    @classmethod
    def known(cls, n: Floats, means: Floats, variances: Floats, names: tuple[str, ...]) -> "Groups":
        """Groups of which only n, mean and variance are known; whatever needs the values themselves must not be
        asked."""
        nothing = np.empty(0)
        made = cls(nothing, np.concatenate([[0], np.cumsum(n)]).astype(np.int64), nothing.astype(np.int64), names)
        made.__dict__.update(shift=0.0, shifted_means=means, means=means, ss=variances * (n - 1))
        return made

    @property
    def k(self) -> int:
        """How many groups."""
        return len(self.names)

    def part(self, g: int) -> Floats:
        """Values of one group."""
        return self.y[self.starts[g] : self.starts[g + 1]]

    def part_rows(self, g: int) -> Ints:
        """Row numbers of one group."""
        return self.rows[self.starts[g] : self.starts[g + 1]]

    @cached_property
    def n(self) -> Ints:
        """Values in each group, shape (k,)."""
        return np.diff(self.starts)

    @cached_property
    def shift(self) -> float:
        """A value of the data, taken away before sums are made so that they keep their digits."""
        return float(self.y[0]) if len(self.y) else 0.0

    @cached_property
    def shifted_means(self) -> Floats:
        """Means less ``shift``, shape (k,)."""
        return self._middles[0]

    @cached_property
    def _middles(self) -> tuple[Floats, Floats]:
        """Shifted means and sums of squares about them, shape (k,) each."""
        means, squares = np.full(self.k, np.nan), np.zeros(self.k)
        for g in range(self.k):
            moved = self.part(g) - self.shift
            if not len(moved):
                continue
            mean = moved.mean()
            away = moved - mean
            means[g] = mean + away.mean()  # the second pass takes back what rounding lost
            np.subtract(moved, means[g], out=away)
            squares[g] = away @ away
        return means, squares

    @cached_property
    def means(self) -> Floats:
        """Means, shape (k,)."""
        return self.shifted_means + self.shift

    @cached_property
    def ss(self) -> Floats:
        """Sum of squares about its mean, per group."""
        return self._middles[1]

    @cached_property
    def variances(self) -> Floats:
        """Variances with n − 1, shape (k,); NaN of a single value."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(self.n > 1, self.ss / (self.n - 1), np.nan)

    @cached_property
    def ordered(self) -> list[Floats]:
        """Each group sorted: quartiles, extremes, ranks and outliers all come from it."""
        return [np.sort(self.part(g)) for g in range(self.k)]

    @cached_property
    def quartiles(self) -> Floats:
        """Shape (k, 3): linear interpolation between order statistics (Hyndman & Fan 1996, type 7)."""
        return np.array([sorted_quantiles(s, (0.25, 0.5, 0.75)) for s in self.ordered])

    def subset(self, keep: npt.NDArray[np.bool_]) -> "Groups":
        """The same groups with some of the values, shape (n,), bool."""
        counts = [int(keep[self.starts[g] : self.starts[g + 1]].sum()) for g in range(self.k)]
        return Groups(self.y[keep], np.concatenate([[0], np.cumsum(counts)]), self.rows[keep], self.names)

    @cached_property
    def outlying(self) -> npt.NDArray[np.bool_]:
        """True for values more than 1.5 interquartile ranges outside their group's quartiles (Tukey, 1977)."""
        out = np.zeros(len(self.y), bool)
        for g in range(self.k):
            q1, _, q3 = self.quartiles[g]
            reach = 1.5 * (q3 - q1)
            part = self.part(g)
            out[self.starts[g] : self.starts[g + 1]] = (part < q1 - reach) | (part > q3 + reach)
        return out


def sorted_quantiles(ordered: Floats, shares: tuple[float, ...]) -> Floats:
    """Quantiles of sorted values, type 7 of Hyndman & Fan (1996); NaN for no values."""
    n = len(ordered)
    if n == 0:
        return np.full(len(shares), np.nan)
    place = np.asarray(shares) * (n - 1)
    below = np.floor(place).astype(int)
    above = np.minimum(below + 1, n - 1)
    low, high = ordered[below], ordered[above]
    return np.asarray(low + (place - below) * (high - low))
