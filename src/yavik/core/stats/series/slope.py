"""The likelihood's slope, exactly: recursive filters for the shocks, the state before the first worked backwards."""

import numpy as np
from scipy import signal

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.arima import Factors, Order, Prepared, Profile
from yavik.core.stats.series.arma import StateParts, alike, spread_out, triangular

ONE = np.ones(1)


def slope(given: Prepared, x: Floats, at: Profile) -> tuple[Floats, Floats]:
    """Of −2 ln L by each number of the search, nothing missing; and the first part of its curvature.

    With shocks e given the state s before the first point, v = C′e and M = C′C, the sum of squares turns by
    2e′∂e − v′∂P v, and ln|Σ| by tr(A ∂P) + tr(B ∂M), where B is the state's covariance given the series and
    A = M − M B M: regressors, s and the variance are at their best, so that their own turns do not count.

    Returns: shape (k,) and (k, k), by Gauss and Newton.
    """
    o, n = given.order, len(given.w)
    factors = at.factors
    u = given.w - given.x @ at.beta if given.x.shape[1] else given.w
    e = at.left[:n]
    turn = Factors.turn(x, o)
    by = turn.T @ shock_turns(factors, o, u, e)
    weight = given.n / at.s
    out = 2 * weight * (by @ e)
    white = at.white
    r = len(white.root)
    if white.parts is not None:
        c = white.answers
        far = len(c)
        v = c.T @ e[:far]
        half = triangular(white.factor, white.root.T, lower=True)
        b = half.T @ half
        m = c.T @ c
        a = m - m @ b @ m - weight * np.outer(v, v)
        out += turn.T @ _of_state(factors, o, white.parts, a)
        if o.q + o.Q:
            cb = c @ b
            q = np.zeros(far)
            for i in range(r):
                q[: far - i] += cb[i:, i]
            out += 2 * turn.T @ (shock_turns(factors, o, None, c[:, 0]) @ q)
    return out, 2 * weight * (by @ by.T)


def _of_state(factors: Factors, o: Order, parts: StateParts, a: Floats) -> Floats:
    """tr(A ∂P) by each coefficient, A symmetric: the state's covariance worked through backwards, once for all."""
    by_ar, by_ma = _backwards(*alike(*factors.polynomials, len(a)), parts, a)
    out = np.zeros(o.parameters)

    def put(first: int, count: int, step: int, other: Floats, by: Floats) -> None:
        for k in range(1, count + 1):
            own = by[k * step : k * step + len(other)]
            out[first + k - 1] = float(own @ other[: len(own)])

    put(0, o.p, 1, spread_out(-factors.seasonal_ar, o.m), -by_ar)
    put(o.p, o.q, 1, spread_out(factors.seasonal_ma, o.m), by_ma)
    if o.P or o.Q:
        put(o.p + o.q, o.P, o.m, spread_out(-factors.ar, 1), -by_ar)
        put(o.p + o.q + o.P, o.Q, o.m, spread_out(factors.ma, 1), by_ma)
    return out


def _backwards(ar: Floats, ma: Floats, parts: StateParts, a: Floats) -> tuple[Floats, Floats]:
    """Derivatives of tr(A P) by the numbers of both polynomials: shape (r + 1,) each.

    P = f Γ f′ + f Ψ b′ + b Ψ′ f′ + b b′ as ``state_covariance`` makes it: from P back to f, b, Γ and Ψ, from those
    to autocovariances and the answer to a shock, and from these to the polynomials.
    """
    r = len(a)
    f, b = parts.of_ar, parts.of_ma
    af, ab = a @ f, a @ b
    by_f = 2 * (af @ parts.gamma_matrix + ab @ parts.psi_matrix.T)
    by_b = 2 * (af @ parts.psi_matrix + ab)
    by_gamma, by_psi = np.zeros(r + 1), np.zeros(r + 1)
    np.add.at(by_gamma, parts.lag, f.T @ af)
    np.add.at(by_psi, parts.lag, 2 * (f.T @ ab) * parts.later)
    by_ar, by_ma = np.zeros(2 * r + 2), np.zeros(2 * r + 2)
    np.add.at(by_ar, parts.both + 1, -by_f)
    np.add.at(by_ma, parts.both + 1, by_b)
    k = np.arange(r + 1)
    # M γ = R with R(k) = Σⱼ θ(k + j) ψ(j)
    mu = np.linalg.solve(parts.system.T, by_gamma)
    sums, apart = k[:, None] + k[None, :], np.abs(k[:, None] - k[None, :])
    np.add.at(by_ma, sums, np.outer(mu, parts.psi))
    by_psi += np.append(ma, np.zeros(r + 1))[sums].T @ mu
    by_ar[: r + 1] -= parts.gamma[apart].T @ mu
    # φ ψ = θ, a triangle of lags
    triangle = np.where(k[:, None] >= k[None, :], ar[apart], 0.0)
    back = triangular(triangle, by_psi, lower=True, turned=True)
    by_ma[: r + 1] += back
    by_ar[: r + 1] -= np.where(k[:, None] >= k[None, :], parts.psi[apart], 0.0).T @ back
    return by_ar[: r + 1], by_ma[: r + 1]


def shock_turns(factors: Factors, o: Order, u: Floats | None, e: Floats) -> Floats:
    """Derivatives of the shocks by each coefficient, the state before them held: shape (k, n).

    Args:
        u: the series less regressors; None where only moving averages act, as on what one shock leaves.
    """
    _, ma = factors.polynomials
    out = np.zeros((o.parameters, len(e)))

    def put(first: int, count: int, step: int, v: Floats) -> None:
        for k in range(1, count + 1):
            out[first + k - 1, k * step :] = -v[: max(0, len(e) - k * step)]

    if o.p and u is not None:
        put(0, o.p, 1, signal.lfilter(spread_out(-factors.seasonal_ar, o.m), ma, u))
    if o.q:
        put(o.p, o.q, 1, signal.lfilter(ONE, spread_out(factors.ma, 1), e))
    if o.P and u is not None:
        put(o.p + o.q, o.P, o.m, signal.lfilter(spread_out(-factors.ar, 1), ma, u))
    if o.Q:
        put(o.p + o.q + o.P, o.Q, o.m, signal.lfilter(ONE, spread_out(factors.seasonal_ma, o.m), e))
    return out
