"""The likelihood of normal rows with a covariance, full or restricted, and what its parts say of the parameters.

A covariance V of the rows hangs on parameters. Whatever its kind, the likelihood needs three products with V⁻¹ and
log |V|; gradients, information and degrees of freedom need a few products more. ``Engine`` is what a kind of
covariance has to give.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from yavik.core.stats.groups import Floats

LOG_2PI = float(np.log(2 * np.pi))


@dataclass(frozen=True)
class Products:
    """Of one set of parameters.

    Args:
        logdet: log |V|.
        xvx: X′V⁻¹X, shape (p, p). xvy: shape (p,). yvy: y′V⁻¹y.
    """

    logdet: float
    xvx: Floats
    xvy: Floats
    yvy: float

    @cached_property
    def root(self) -> Floats:
        """Cholesky factor of X′V⁻¹X; raises LinAlgError where it has none."""
        return np.asarray(np.linalg.cholesky(self.xvx), np.float64)

    @cached_property
    def covariance(self) -> Floats:
        """(X′V⁻¹X)⁻¹, of the coefficients."""
        inverse = np.linalg.inv(self.root)
        return np.asarray(inverse.T @ inverse)

    @cached_property
    def coef(self) -> Floats:
        """Generalised least squares."""
        return np.asarray(np.linalg.solve(self.root.T, np.linalg.solve(self.root, self.xvy)))

    @cached_property
    def rest(self) -> float:
        """y′Py: the squares that are left over, in units of V."""
        return float(self.yvy - self.xvy @ self.coef)

    def log_likelihood(self, n: int, restricted: bool) -> float:
        """The restricted one leaves out + ½ log |X′X|."""
        p = len(self.xvx)
        own = self.logdet + self.rest + (n - p if restricted else n) * LOG_2PI
        if restricted:
            own += 2 * float(np.log(np.diag(self.root)).sum())
        return -0.5 * own


@dataclass(frozen=True)
class Derivatives:
    """What each of k parameters does; V_i is the derivative of V.

    Args:
        score: of the log-likelihood, shape (k,).
        p: −X′V⁻¹V_iV⁻¹X, shape (k, p, p).
        q: X′V⁻¹V_iV⁻¹V_jV⁻¹X, shape (k, k, p, p).
        traces: tr(V⁻¹V_iV⁻¹V_j), shape (k, k).
    """

    score: Floats
    p: Floats
    q: Floats
    traces: Floats

    def information(self, c: Floats | None) -> Floats:
        """Expected information, shape (k, k); with the coefficients' covariance the restricted one."""
        if c is None:
            return 0.5 * self.traces
        cp = c @ self.p
        return np.asarray(
            0.5
            * (
                self.traces
                - 2 * np.tensordot(self.q, c, 2)
                + np.tensordot(cp, np.swapaxes(cp, 1, 2), ([1, 2], [1, 2]))
            )
        )


class Engine(Protocol):
    """A kind of covariance with its data.

    ``theta`` are its natural parameters, in which degrees of freedom are reckoned; ``phi`` those that are searched
    over, between ``bounds``.
    """

    n: int
    p: int
    names: list[str]
    bounds: list[tuple[float, float]]

    def starts(self) -> list[Floats]:
        """Two places to begin at, in ``phi``."""
        ...

    def theta(self, phi: Floats) -> Floats:
        """Natural parameters."""
        ...

    def jacobian(self, phi: Floats) -> Floats:
        """Of ``theta`` by ``phi``, shape (k, k)."""
        ...

    def products(self, theta: Floats) -> Products:
        """Raises LinAlgError where V is not positive."""
        ...

    def score(self, theta: Floats, found: Products, restricted: bool) -> Floats:
        """Derivatives of the log-likelihood by ``theta``."""
        ...

    def scored(self, theta: Floats, found: Products, restricted: bool) -> tuple[Floats, Floats]:
        """Score and expected information by ``theta``: what a step of the search needs."""
        ...

    def derivatives(self, theta: Floats, found: Products, restricted: bool) -> Derivatives:
        """Everything that degrees of freedom need."""
        ...

    def flat(self, phi: Floats) -> list[int]:
        """Places of parameters that lie on their bound: components at zero, correlations of one."""
        ...
