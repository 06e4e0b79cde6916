"""Autoregressive moving averages: polynomials, the state before the first point, and exact whitening.

A series is w(t) = φ₁w(t−1) + … + e(t) + θ₁e(t−1) + …; moving averages have plus signs. Everything the past says about
what follows is a state of max(p, q) numbers, whose covariance is that of the standing series; given it, shocks follow
by a compiled recursive filter, so the exact Gaussian likelihood needs no loop over points (Ansley, 1979; Harvey, 1989).
"""

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from scipy import linalg, signal

from yavik.core.stats.groups import Floats

AR_EDGE = 1 - 1e-6
"""Partial correlation that autoregressions come up to; moving averages come up to 1, where they may have their best."""
GONE = 1e-13
"""Part of a shock from which nothing of it is left."""


def from_partials(r: Any) -> Any:
    """Coefficients φ₁ … φₚ of an autoregression by its partial correlations (Durbin, 1960; Monahan, 1984)."""
    phi: list[Any] = []
    for value in r.tolist():
        phi = [a - value * b for a, b in zip(phi, reversed(phi), strict=True)]
        phi.append(value)
    return np.array(phi, r.dtype)


def to_partials(phi: Floats) -> Floats:
    """Partial correlations of coefficients; those that do not stand still are drawn towards 0 until they do."""
    for shrink in (1.0, 0.9, 0.7, 0.4, 0.0):
        left = phi * shrink ** np.arange(1, len(phi) + 1)
        r = np.zeros(len(phi))
        for k in range(len(phi), 0, -1):
            value = left[k - 1]
            if abs(value) >= 0.99:
                break
            r[k - 1] = value
            left = (left[: k - 1] + value * left[: k - 1][::-1]) / (1 - value**2)
        else:
            return r
    return np.zeros(len(phi))


def spread_out(coefficients: Any, step: int) -> Any:
    """1 and coefficients as a polynomial in B to the power ``step``: shape (step·k + 1,)."""
    out = np.zeros(step * len(coefficients) + 1, coefficients.dtype)
    out[0] = 1.0
    if len(coefficients):
        out[step::step] = coefficients
    return out


def inverse_roots(polynomial: Floats) -> Floats:
    """Inverse roots of 1 + a₁B + …; they lie inside the unit circle where it stands still or can be inverted."""
    last = np.flatnonzero(polynomial)[-1]
    return np.asarray(np.roots(polynomial[: last + 1]))


@cache
def _diagonal(r: int) -> Any:
    return np.diag_indices(r)


@cache
def _places(r: int) -> tuple[Any, Any, Any]:
    """Distances of i and k, where k ≥ i, and i + k, r for those past the end: index arrays of shape (r, r)."""
    i, k = np.arange(r)[:, None], np.arange(r)[None, :]
    return np.abs(i - k), (k >= i).astype(float), np.minimum(i + k, r)


@dataclass(frozen=True)
class StateParts:
    """What the state's covariance is made of.

    Args:
        of_ar, of_ma: φ and θ at i + k. gamma, psi: autocovariances, and the answer to a shock, shape (r + 1,), as
            matrices (r, r) by distance, ψ above the diagonal only. system: of the equations for γ.
    """

    of_ar: Floats
    of_ma: Floats
    gamma: Floats
    psi: Floats
    gamma_matrix: Floats
    psi_matrix: Floats
    system: Floats
    lag: Any
    later: Any
    both: Any

    @property
    def covariance(self) -> Floats:
        """State i (of r) is Σ over j ≥ i of φⱼ w(i − j) + θⱼ e(i − j): what the past adds to the i-th next point."""
        cross = self.of_ar @ self.psi_matrix @ self.of_ma.T
        p = self.of_ar @ self.gamma_matrix @ self.of_ar.T + cross + cross.T + self.of_ma @ self.of_ma.T
        return np.asarray((p + p.T) / 2)


def state_parts(ar: Floats, ma: Floats) -> StateParts:
    """Args: ar: 1, −φ₁ … −φₚ; ma: 1, θ₁ … θ_q, both of the same length r + 1."""
    r = len(ar) - 1
    lag, later, both = _places(r)
    start = np.zeros(r + 1)
    start[0] = 1.0
    psi = signal.lfilter(ma, ar, start)
    gamma, system = _autocovariances(ar, ma, psi)
    return StateParts(
        _folded(-ar[1:], both), _folded(ma[1:], both), gamma, psi, gamma[lag], psi[lag] * later, system, lag, later,
        both,
    )  # fmt: skip


def _folded(coefficients: Floats, both: Any) -> Floats:
    """Coefficients at i + k, 0 past their end."""
    padded = np.zeros(len(coefficients) + 1)
    padded[:-1] = coefficients
    return np.asarray(padded[both])


def _autocovariances(ar: Floats, ma: Floats, psi: Floats) -> tuple[Floats, Floats]:
    """γ₀ … γᵣ of a standing series with shocks of variance 1, and the matrix of their equations."""
    lag, later, both = _places(len(ar))
    # row k says Σⱼ aⱼ γ(|k − j|) = Σⱼ θ(k + j) ψⱼ; coefficients of γ(i) come from j = k + i and j = k − i
    m = _folded(ar, both)
    m[:, 1:] += ar[lag[:, 1:]] * later.T[:, 1:]
    m[:, 0] = ar
    _, _, gamma, failed = linalg.lapack.dgesv(m, _folded(ma, both) @ psi)
    if failed:
        raise np.linalg.LinAlgError("does not stand still")
    return np.asarray(gamma), m


@dataclass(frozen=True)
class White:
    """A matrix made white.

    Args:
        rows: shape (n + r, k): products of its columns are those of the columns given, Σ⁻¹ between. The first n rows
            are the shocks expected given everything, the last r the state before the first point.
        log_det: ln|Σ|, the shocks' variance taken as 1.
        root: S with S S′ the state's covariance; factor: Cholesky of I + (CS)′CS, lower. answers: C, what the state
            takes from the shocks, up to where nothing is left of it.
    """

    rows: Floats
    log_det: float
    root: Floats
    factor: Floats
    answers: Floats
    parts: StateParts | None


def triangular(a: Any, b: Any, *, lower: bool = False, turned: bool = False) -> Any:
    """a⁻¹b, or a′⁻¹b, of a triangle a: without the checks that cost more than small systems do."""
    return linalg.lapack.dtrtrs(a, b, lower=lower, trans=turned)[0]


def whiten(columns: Floats, ar: Floats, ma: Floats) -> White:
    """Columns (n, k) of a standing ARMA made white, exactly.

    Raises numpy.linalg.LinAlgError where the polynomials do not stand still.
    """
    n, k = columns.shape
    r = max(len(ar), len(ma)) - 1
    if r == 0:
        return White(columns, 0.0, *(np.zeros((0, 0)),) * 3, None)
    ar, ma = alike(ar, ma, r)
    rows = np.empty((n + r, k))
    for i in range(k):
        rows[:n, i] = signal.lfilter(ar, ma, columns[:, i])
    parts = state_parts(ar, ma)
    root = _root(parts.covariance)
    answers = _answers(ma, n, r)
    reach = answers @ root
    far = len(reach)
    gram = reach.T @ reach
    gram[_diagonal(r)] += 1.0
    factor = linalg.lapack.dpotrf(gram, lower=1)[0]
    rows[n:] = linalg.lapack.dpotrs(factor, reach.T @ rows[:far], lower=1)[0]
    rows[:far] -= reach @ rows[n:]
    return White(rows, 2 * float(np.log(factor.diagonal()).sum()), root, factor, answers, parts)


def alike(ar: Floats, ma: Floats, r: int) -> tuple[Floats, Floats]:
    """Both polynomials of order r."""
    out = np.zeros((2, r + 1))
    out[0, : len(ar)], out[1, : len(ma)] = ar, ma
    return out[0], out[1]


def _root(p: Floats) -> Floats:
    """S with S S′ = p, which may be singular."""
    lower, failed = linalg.lapack.dpotrf(p, lower=1, clean=1)
    if not failed and np.isfinite(lower[-1, -1]):
        return np.asarray(lower)
    values, vectors = np.linalg.eigh(p)
    if not values[-1] > 0 or values[0] < -1e-8 * values[-1]:
        raise np.linalg.LinAlgError("does not stand still")
    return np.asarray(vectors * np.sqrt(np.maximum(values, 0.0)))


def _answers(ma: Floats, n: int, r: int) -> Floats:
    """What each number of the state, 1 at the start, takes from the shocks expected: shape (up to n, r).

    Rows end where nothing is left of it.
    """
    start = np.zeros(n)
    start[0] = 1.0
    h = start
    if ma[1:].any():
        h = signal.lfilter([1.0], ma, start)
        n = min(n, int(np.flatnonzero(np.abs(h) > GONE * np.abs(h).max())[-1]) + r)
    else:
        n = min(n, r)
    out = np.zeros((n, r))
    for i in range(min(r, n)):
        out[i:, i] = h[: n - i]
    return out


def innovations(w: Floats, ar: Floats, ma: Floats) -> Floats:
    """One-step prediction errors over their relative standard deviations: shape (n,), alike in variance.

    By the Kalman filter (Harvey, 1989) until its variance settles, by a compiled filter from there.
    """
    n = len(w)
    r = max(len(ar), len(ma)) - 1
    if r == 0:
        return np.asarray(w.copy())
    ar, ma = alike(ar, ma, r)
    phi, gain = -ar[1:], ma[1:] - ar[1:]
    s, p = np.zeros(r), state_parts(ar, ma).covariance
    out = np.empty(n)
    for t in range(n):
        f = 1.0 + p[0, 0]
        if p[0, 0] < 1e-12:
            out[t:] = signal.lfilter(ar, ma, w[t:], zi=-s)[0]
            return out
        v = w[t] - s[0]
        out[t] = v / np.sqrt(f)
        # the state moves by w = s₁ + e: s′ = shift(s) + φ w + θ e
        carry = np.concatenate([p[1:, 0], [0.0]]) + phi * p[0, 0] + gain
        moved = _moved(p, phi)
        s = np.concatenate([s[1:], [0.0]]) + phi * s[0] + carry * (v / f)
        p = moved + np.outer(gain, gain) - np.outer(carry, carry) / f
    return out


def _moved(p: Floats, phi: Floats) -> Floats:
    """T p T′ of the state's movement T = shift + φ e₁′."""
    half = np.vstack([p[1:], np.zeros(len(p))]) + np.outer(phi, p[0])
    return np.asarray(np.column_stack([half[:, 1:], np.zeros(len(p))]) + np.outer(half[:, 0], phi))
