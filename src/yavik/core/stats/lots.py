"""Divisions of very many rows into groups by lot, with the groups' sums and nothing else made of each.

Rows get a group by a lot each, nearly in the wanted numbers; what a group has too many of goes, again by lot, to
those that have too few. No step looks at a row's value, so of all divisions into groups of these sizes none is
favoured, and only a few rows are looked at one by one. Eight rows' lots are one byte, and the sums of all 256
choices among eight rows are kept, as two tables of 16: a division costs a quarter of a look at every row.
"""

import numpy as np
import numpy.typing as npt

from yavik.core.stats.groups import Floats, Ints

BITS = 8
"""Binary digits of a group's share that lots follow; the rest is put right by moving rows."""
Bytes = npt.NDArray[np.uint8]


class Lots:
    """Divisions of ``y`` into groups of the given sizes.

    Args:
        y: shape (n,).
        sizes: shape (k,), summing to n.
    """

    def __init__(self, y: Floats, sizes: Ints, rng: np.random.Generator) -> None:
        self.y, self.sizes, self.rng, self.n = y, np.asarray(sizes, np.int64), rng, len(y)
        self.total = float(y.sum())
        width = -(-self.n // 8)
        eights = np.zeros((width, 8))
        eights.ravel()[: self.n] = y
        choices = np.unpackbits(np.arange(16, dtype=np.uint8)[:, None], axis=1, bitorder="little")[:, :4].astype(
            float
        )
        # Two tables of 16 choices among four rows each stay in the cache where one of 256 would not.
        self.low, self.high = ((eights[:, part] @ choices.T).ravel() for part in (slice(0, 4), slice(4, 8)))
        self.places = np.arange(width, dtype=np.intp) * 16
        self.real = np.packbits(np.arange(8 * width) < self.n, bitorder="little")

    def draw(self) -> Floats:
        """Sums of the groups, shape (k,), under one division."""
        k = len(self.sizes)
        free, left = self.real.copy(), self.n
        masks, extra = [], np.zeros(k, np.int64)
        out = np.empty(k)
        for g in range(k - 1):
            mask = self._some(self.sizes[g] / left) & free
            free = free & ~mask
            left -= int(self.sizes[g])
            masks.append(mask)
            extra[g] = int(np.bitwise_count(mask).sum()) - self.sizes[g]
            out[g] = self.low.take(self.places + (mask & 15)).sum() + self.high.take(self.places + (mask >> 4)).sum()
        masks.append(free)
        extra[-1] = -extra[:-1].sum()
        out[-1] = self.total - out[:-1].sum()
        return self._even(out, masks, extra)

    def _some(self, share: float) -> Bytes:
        """Bits that are set with chance ``share``, to ``BITS`` binary digits."""
        digits = round(share * 2**BITS)
        width = len(self.real)
        if digits >= 2**BITS:
            return np.full(width, 255, np.uint8)
        mask = np.zeros(width, np.uint8)
        lowest = (digits & -digits).bit_length() - 1  # below the lowest digit that is set every coin is in vain
        words = self.rng.integers(0, 2**64, (BITS, -(-width // 8)), dtype=np.uint64, endpoint=False)
        coins = words.view(np.uint8)[:, :width]
        for i in range(max(lowest, 0), BITS if digits else 0):
            if digits >> i & 1:
                np.bitwise_or(mask, coins[i], out=mask)
            else:
                np.bitwise_and(mask, coins[i], out=mask)
        return mask

    def _even(self, sums: Floats, masks: list[Bytes], extra: Ints) -> Floats:
        gone = [self._members(masks[g], int(extra[g])) for g in np.flatnonzero(extra > 0)]
        if not gone:
            return sums
        for g, rows in zip(np.flatnonzero(extra > 0), gone, strict=True):
            sums[g] -= self.y[rows].sum()
        moved = self.rng.permutation(np.concatenate(gone))
        to = np.repeat(np.arange(len(extra)), np.maximum(-extra, 0))
        return np.asarray(sums + np.bincount(to, self.y[moved], minlength=len(extra)))

    def _members(self, mask: Bytes, wanted: int) -> Ints:
        """That many different rows of a group, by lot."""
        held = int(np.bitwise_count(mask).sum())
        found = np.empty(0, np.int64)
        while len(found) < wanted:
            tried = self.rng.integers(0, self.n, int(1.3 * (wanted - len(found)) * self.n / held) + 20)
            tried = tried[(mask[tried >> 3] >> (tried & 7).astype(np.uint8)) & 1 > 0]
            every = np.concatenate([found, tried])
            _, first = np.unique(every, return_index=True)
            found = every[np.sort(first)]
        return found[:wanted]
