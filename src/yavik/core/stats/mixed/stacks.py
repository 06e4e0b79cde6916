"""Blocks of units that share no row, stacked by their width."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats


@dataclass(frozen=True)
class Stack:
    """Blocks of one width q. ``own`` G blocks; where all have the same A it is kept once.

    Args:
        a: Z′Z, shape (G or 1, q, q).
        h: least squares of X on Z, shape (G, q, p). hy: of y, shape (G, q).
        at: place of each pair of effects among the natural parameters, 1 on; 0 for none, shape (G or 1, q, q).
        slots: place of each effect among all effects, −1 for filling, shape (G, q).
    """

    a: Floats
    h: Floats
    hy: Floats
    at: Any
    slots: Any

    @property
    def blocks(self) -> int:
        """Blocks."""
        return len(self.h)

    @cached_property
    def own(self) -> Any:
        """Place of each effect's variance among the natural parameters, shape (G or 1, q)."""
        return np.einsum("gaa->ga", self.at)

    @cached_property
    def flat_h(self) -> Floats:
        """Shape (G·q, p)."""
        return self.h.reshape(-1, self.h.shape[2])

    def middle(self, theta: Floats) -> "Middle":
        """Raises LinAlgError where V is not positive."""
        m, logdet = self._inner(theta)
        if m.shape[1] == 1:
            flat = m.reshape(-1)
            return Middle(m, logdet, flat[:, None] * self.flat_h, flat * self.hy.ravel())
        return Middle(m, logdet, (m @ self.h).reshape(self.flat_h.shape), (m @ self.hy[..., None]).ravel())

    def _inner(self, theta: Floats) -> tuple[Floats, float]:
        s2 = theta[-1]
        d = np.concatenate([[0.0], theta[:-1]])[self.at]
        if self.a.shape[1] == 1:
            den = s2 + self.a * d
            if np.any(den <= 0):
                raise np.linalg.LinAlgError
            m, each = self.a / den, np.log(den / s2)
            total = float(each.sum())
        else:
            t = self.a @ d
            t[..., np.arange(t.shape[-1]), np.arange(t.shape[-1])] += s2
            sign, logs = np.linalg.slogdet(t)
            if np.any(sign <= 0):
                raise np.linalg.LinAlgError
            m = np.linalg.solve(t, np.broadcast_to(self.a, t.shape))
            m = 0.5 * (m + np.swapaxes(m, -1, -2))
            total = float((logs - t.shape[-1] * np.log(s2)).sum())
        return m, total * (self.blocks if len(m) == 1 else 1)


@dataclass(frozen=True)
class Middle:
    """Of one stack at one place.

    Args:
        m: of each block, shape (G or 1, q, q). logdet: log |I + AD/σ²| of all blocks.
        mh: M H, shape (G·q, p). my: M H_y, shape (G·q,).
    """

    m: Floats
    logdet: float
    mh: Floats
    my: Floats
