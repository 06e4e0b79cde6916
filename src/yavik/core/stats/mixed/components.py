"""Covariance of the effects of one kind of unit: standard deviations and correlations, and their natural parameters.

With k effects (an intercept and slopes) that are related, the natural parameters are the k(k + 1)/2 entries of their
covariance; unrelated ones have k variances. They are searched over as standard deviations and partial correlations
(Joe, 2006), every choice of which is a covariance.
"""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats.groups import Floats

MOST_R = 1 - 1e-8


@dataclass(frozen=True)
class Component:
    """``k`` effects of each unit; ``related`` where they may go together."""

    k: int
    related: bool

    @property
    def entries(self) -> list[tuple[int, int]]:
        """The places of the covariance that are parameters, diagonal first."""
        own = [(i, i) for i in range(self.k)]
        return own + ([(i, j) for i in range(self.k) for j in range(i)] if self.related else [])

    @property
    def size(self) -> int:
        """Parameters."""
        return len(self.entries)

    @property
    def bounds(self) -> list[tuple[float, float]]:
        """Of standard deviations and partial correlations."""
        return [(0.0, np.inf)] * self.k + [(-MOST_R, MOST_R)] * (self.size - self.k)

    def matrix(self, theta: Floats) -> Floats:
        """The covariance, shape (k, k)."""
        out = np.zeros((self.k, self.k), np.asarray(theta).dtype)
        for (i, j), v in zip(self.entries, theta, strict=True):
            out[i, j] = out[j, i] = v
        return out

    def theta(self, phi: Floats) -> Floats:
        """Natural parameters from standard deviations and partial correlations; takes complex steps."""
        sd = phi[: self.k]
        if not self.related or self.k == 1:
            return np.asarray(sd**2)
        r = correlations(self.k, phi[self.k :])
        return np.array([sd[i] * sd[j] * (r[i, j] if i != j else 1.0) for i, j in self.entries])

    def phi(self, theta: Floats) -> Floats:
        """Standard deviations and partial correlations of natural parameters."""
        d = self.matrix(np.asarray(theta, np.float64))
        sd = np.sqrt(np.maximum(np.diag(d), 0.0))
        if not self.related or self.k == 1:
            return sd
        safe = np.where(sd > 0, sd, 1.0)
        return np.concatenate([sd, partials(d / np.outer(safe, safe))])

    def jacobian(self, phi: Floats) -> Floats:
        """Of ``theta`` by ``phi``."""
        return complex_step(self.theta, phi)


def complex_step(f, phi: Floats) -> Floats:  # type: ignore[no-untyped-def]
    """Derivatives to rounding, without differences (Squire and Trapp, 1998)."""
    phi = np.asarray(phi, np.float64)
    columns = []
    for i in range(len(phi)):
        z = phi.astype(complex)
        z[i] += 1e-30j
        columns.append(np.imag(f(z)) / 1e-30)
    return np.stack(columns, axis=-1) if columns else np.zeros((0, 0))


def correlations(k: int, z: Floats) -> Floats:
    """A correlation matrix from partial correlations, row by row of the lower triangle, each given the columns before
    its own."""
    root = np.zeros((k, k), np.asarray(z).dtype)
    root[0, 0] = 1.0
    at = 0
    for i in range(1, k):
        left = np.ones((), root.dtype)
        for j in range(i):
            root[i, j] = z[at] * np.sqrt(left)
            left = left * (1 - z[at] ** 2)
            at += 1
        root[i, i] = np.sqrt(left)
    return np.asarray(root @ root.T)


def partials(r: Floats) -> Floats:
    """The partial correlations of a correlation matrix; the inverse of ``correlations``."""
    k = len(r)
    root, out = np.zeros((k, k)), []
    root[0, 0] = 1.0
    for i in range(1, k):
        left = 1.0
        for j in range(i):
            own = (r[i, j] - root[i, :j] @ root[j, :j]) / root[j, j] if root[j, j] > 1e-12 else 0.0
            z = float(np.clip(own / np.sqrt(left), -MOST_R, MOST_R)) if left > 1e-12 else 0.0
            out.append(z)
            root[i, j] = z * np.sqrt(left)
            left *= 1 - z**2
        root[i, i] = np.sqrt(max(left, 0.0))
    return np.array(out)
