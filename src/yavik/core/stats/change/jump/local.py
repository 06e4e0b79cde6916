"""Local polynomials at an edge: the weights with which each row enters a coefficient."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from yavik.core.stats.groups import Floats

Kernel = Literal["triangular", "uniform", "epanechnikov"]


class TooFew(ValueError):
    """A side has too few different values within the window for its polynomial."""


def kernel_of(z: Floats, kind: Kernel) -> Floats:
    """Weights at distances in units of the window; they integrate to one over −1 to 1."""
    inside = np.abs(z) <= 1
    if kind == "uniform":
        return np.where(inside, 0.5, 0.0)
    if kind == "epanechnikov":
        return np.where(inside, 0.75 * (1 - z**2), 0.0)
    return np.where(inside, 1 - np.abs(z), 0.0)


@dataclass(frozen=True, eq=False)
class Local:
    """A weighted polynomial in the distance from the edge, on one side.

    Args:
        rows: of the side's sorted distances within the window.
        basis: powers of distance ÷ h, shape (m, degree + 1). weights: of the kernel ÷ h, shape (m,).
        inverse: of the weighted cross-products, shape (degree + 1, degree + 1).
    """

    rows: slice
    h: float
    basis: Floats
    weights: Floats
    inverse: Floats

    @property
    def n(self) -> int:
        """Rows within the window."""
        return len(self.weights)

    @cached_property
    def weighted(self) -> Floats:
        """Basis times weights."""
        return np.asarray(self.basis * self.weights[:, None])

    def row(self, power: int = 0) -> Floats:
        """Weights that make the coefficient of a power of the distance out of the outcome, shape (m,)."""
        return np.asarray(self.weighted @ self.inverse[power]) / self.h**power

    def residuals(self, y: Floats) -> Floats:
        """Of the outcome of the rows within the window, shape (m, …)."""
        return np.asarray(y - self.basis @ (self.inverse @ (self.weighted.T @ y)))

    @cached_property
    def leverage(self) -> Floats:
        """Diagonal of the hat matrix."""
        return np.asarray(np.einsum("ij,jk,ik->i", self.basis, self.inverse, self.weighted))


def local(u: Floats, h: float, kind: Kernel, degree: int) -> Local:
    """The polynomial of a side.

    Args:
        u: sorted distances of one side from the edge, all below 0 or none.

    Raises:
        TooFew: with fewer different distances of weight than coefficients.
    """
    lo, hi = int(np.searchsorted(u, -h, "left")), int(np.searchsorted(u, h, "right"))
    z = u[lo:hi] / h
    w = kernel_of(z, kind) / h
    root = np.sqrt(w)
    basis = np.vander(z, degree + 1, increasing=True)
    if (w > 0).sum() <= degree:
        raise TooFew
    t = np.linalg.qr(basis * root[:, None], mode="r")
    size = np.abs(np.diag(t))
    if size.min() <= 1e-10 * size.max():
        raise TooFew
    inverse = np.linalg.inv(t)
    return Local(slice(lo, hi), h, basis, w, inverse @ inverse.T)
