"""Seasonal ARIMA models by exact maximum likelihood, with regressors and missing values.

Δᵈ Δₘᴰ (y − β′x) is an ARMA with factors (p, q) and (P, Q) at the season's lag (Box and Jenkins, 1970). The shocks'
variance and β are concentrated out, so that a search moves the partial correlations of the factors alone, which hold
it to what stands still and can be inverted (Monahan, 1984). Missing points enter as regressors that are 1 at their own
time, integrated out: the likelihood is then exactly that of the points there are (Gómez, Maravall and Peña, 1999).
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from scipy import linalg

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.arma import AR_EDGE, White, from_partials, inverse_roots, spread_out, triangular, whiten
from yavik.core.stats.series.criteria import Criteria

NONE = np.zeros(0)
BORDER = 0.9999
"""Size of a partial correlation from which a coefficient is told to lie on the border."""


class Order(NamedTuple):
    """(p, d, q), and (P, D, Q) at lags of m."""

    p: int
    d: int
    q: int
    P: int = 0
    D: int = 0
    Q: int = 0
    m: int = 1

    @property
    def parameters(self) -> int:
        """Coefficients of its factors."""
        return self.p + self.q + self.P + self.Q

    @property
    def lost(self) -> int:
        """Points that differencing takes."""
        return self.d + self.m * self.D

    @property
    def differences(self) -> Floats:
        """(1 − B)ᵈ(1 − Bᵐ)ᴰ as a polynomial."""
        out = np.ones(1)
        for _ in range(self.d):
            out = np.convolve(out, [1.0, -1.0])
        for _ in range(self.D):
            out = np.convolve(out, spread_out(np.array([-1.0]), self.m))
        return out

    def __str__(self) -> str:
        plain = f"({self.p}, {self.d}, {self.q})"
        return plain if not (self.P or self.D or self.Q) else f"{plain}({self.P}, {self.D}, {self.Q})[{self.m}]"


@dataclass(frozen=True)
class Factors:
    """Coefficients of the four factors; moving averages have plus signs."""

    ar: Any
    ma: Any
    seasonal_ar: Any
    seasonal_ma: Any
    m: int

    @classmethod
    def at(cls, x: Any, order: Order) -> "Factors":
        """At a place of the search: arcs whose sines are the partial correlations."""
        a, b, c, _ = np.cumsum([order.p, order.q, order.P, order.Q])
        r = np.sin(x)
        ar, ma = from_partials(AR_EDGE * r[:a]), -from_partials(r[a:b])
        if b == len(x):
            return cls(ar, ma, NONE, NONE, order.m)
        return cls(ar, ma, from_partials(AR_EDGE * r[b:c]), -from_partials(r[c:]), order.m)

    @cached_property
    def polynomials(self) -> tuple[Any, Any]:
        """1 − φ₁B …, and 1 + θ₁B …, factors multiplied."""
        ar, ma = spread_out(-self.ar, 1), spread_out(self.ma, 1)
        if len(self.seasonal_ar):
            ar = np.convolve(ar, spread_out(-self.seasonal_ar, self.m))
        if len(self.seasonal_ma):
            ma = np.convolve(ma, spread_out(self.seasonal_ma, self.m))
        return ar, ma

    @staticmethod
    def turn(x: Floats, order: Order) -> Floats:
        """Derivatives of ``all`` by x, by complex steps: shape (k, k)."""
        k = len(x)
        out = np.zeros((k, k))
        ends = np.cumsum([0, order.p, order.q, order.P, order.Q])
        for side, (a, b) in enumerate(pairwise(ends)):
            edge, sign = (AR_EDGE, 1.0) if side % 2 == 0 else (1.0, -1.0)
            for i in range(a, b):
                moved = x[a:b].astype(complex)
                moved[i - a] += 1e-20j
                out[a:b, i] = sign * from_partials(edge * np.sin(moved)).imag / 1e-20
        return out

    @property
    def all(self) -> Floats:
        """In the order p, q, P, Q."""
        return np.concatenate([self.ar, self.ma, self.seasonal_ar, self.seasonal_ma])


@dataclass(frozen=True)
class Prepared:
    """A series and its regressors, differenced.

    Args:
        w: shape (n,), differenced, over ``scale``; free: w less what least squares give to x; x: (n, k), missing points first, then regressors, each over its
            ``sizes``. missing: places of missing points; names: of the regressors, 'drift' or 'mean' first.
        values: of the series as given, with 0 at missing points and ``level`` taken off; raw: regressors (N, k), not
            differenced, those of missing points first; shift: taken off the regressors given.
    """

    order: Order
    w: Floats
    free: Floats
    x: Floats
    scale: float
    sizes: Floats
    missing: Any
    names: tuple[str, ...]
    values: Floats
    raw: Floats
    level: float
    shift: Floats

    @property
    def n(self) -> int:
        """Differenced points that the likelihood is of, missing ones taken off."""
        return len(self.w) - len(self.missing)


def inside(x: Floats) -> Any:
    """Whether each number of the search lies off the border, beyond which no further one is allowed."""
    return np.abs(np.sin(x)) < BORDER


class Singular(ValueError):
    """Nothing varies, or regressors say the same."""


def prepare(y: Floats, order: Order, regressors: Floats, names: tuple[str, ...], constant: bool) -> Prepared:
    """Args: y: shape (N,), NaN where missing, first and last there. regressors: (N, k). Raises Singular."""
    n = len(y)
    missing = np.flatnonzero(np.isnan(y))
    level = float(y[0]) if order.lost or constant else 0.0
    values = np.where(np.isnan(y), 0.0, y - level)
    own = np.zeros((n, len(missing)))
    own[missing, np.arange(len(missing))] = 1.0
    shift = regressors[0] if order.lost else np.zeros(regressors.shape[1])
    columns = [own, regressors - shift]
    if constant:
        steps = order.d + order.D
        columns.insert(1, (np.arange(n, dtype=float) if steps else np.ones(n))[:, None])
        names = ("drift" if steps else "mean", *names)
    raw = np.column_stack(columns)
    poly = order.differences
    if n <= len(poly) - 1:
        raise Singular("too few points")
    both = np.column_stack([values, raw])
    gone = len(poly) - 1
    out = np.zeros((n - gone, both.shape[1]))
    for lag, value in enumerate(poly):
        if value:
            out += value * both[gone - lag : n - lag]
    w, x = out[:, 0], out[:, 1:]
    sizes = np.sqrt((x**2).sum(axis=0))
    # what differencing leaves of a constant regressor is nothing but rounding
    if (sizes <= 1e-10 * np.maximum(1.0, np.abs(raw).max(axis=0, initial=0.0))).any():
        raise Singular("a regressor that differencing leaves nothing of")
    if not np.ptp(w) > 1e-11 * max(float(np.abs(values).max()), 1e-300):
        raise Singular("differences are all the same")
    free = w - x @ np.linalg.lstsq(x, w, rcond=None)[0] if x.shape[1] else w
    scale = float(np.sqrt((free**2).mean()))
    if not scale > 1e-11 * max(float(np.abs(values).max()), 1e-300):
        raise Singular("nothing varies")
    return Prepared(
        order, w / scale, free / scale, x / sizes, scale, sizes, missing, names, values, raw, level, shift
    )


@dataclass(frozen=True)
class Profile:
    """The likelihood at one place of the search, everything else at its best.

    Args:
        beta: of the regressors as scaled; s: sum of squares; log_det: of the series, missing points integrated out.
        left: whitened residuals, shape (n + r,); r: upper triangle with R′R = X′Σ⁻¹X.
    """

    factors: Factors
    white: White
    beta: Floats
    s: float
    log_det: float
    left: Floats
    r: Floats

    def deviance(self, n: int) -> float:
        """−2 ln L, of values over the series' scale."""
        return n * (float(np.log(2 * np.pi * self.s / n)) + 1) + self.log_det


def profile(given: Prepared, factors: Factors) -> Profile:
    """Regressors and the shocks' variance at their best. Raises LinAlgError off what stands still."""
    ar, ma = factors.polynomials
    white = whiten(np.column_stack([given.w, given.x]), ar, ma)
    z, x = white.rows[:, 0], white.rows[:, 1:]
    k = x.shape[1]
    if k == 0:
        return Profile(factors, white, np.zeros(0), float(z @ z), white.log_det, z, np.zeros((0, 0)))
    gram = x.T @ x
    size = np.sqrt(gram.diagonal())
    r, failed = linalg.lapack.dpotrf(gram / np.outer(size, size), clean=1)
    if failed or r.diagonal().min() < 1e-4:
        # nearly the same regressors: squares would lose their difference
        r = np.linalg.qr(x / size, mode="r")
        if np.abs(np.diag(r)).min() <= 1e-9:
            raise Singular("regressors that say the same")
        r = r * np.sign(np.diag(r))[:, None]
    r = r * size
    half = triangular(r, x.T @ z, turned=True)
    beta = triangular(r, half)
    left = z - x @ beta
    k = len(given.missing)
    gone = 2 * float(np.log(r.diagonal()[:k] * given.sizes[:k]).sum())
    return Profile(factors, white, beta, float(left @ left), white.log_det + gone, left, r)


@dataclass(frozen=True)
class Fitted(Criteria):
    """A model at its maximum.

    Args:
        x: place of the search; variance: of x, shape (k, k), NaN rows for those on the border.
        log_likelihood: of the differenced series in its own unit. other: log-likelihood of another maximum, if starts
            found one. settled: whether the search came to rest.
    """

    given: Prepared
    x: Floats
    factors: Factors
    at: Profile
    variance: Floats
    log_likelihood: float
    other: float | None = None
    settled: bool = True

    @property
    def order(self) -> Order:
        """(p, d, q)(P, D, Q)m."""
        return self.given.order

    @property
    def n(self) -> int:
        """Points that the likelihood is of."""
        return self.given.n

    @property
    def sigma(self) -> float:
        """Standard deviation of shocks by maximum likelihood, sum of squares over n, in the series' unit."""
        return self.given.scale * float(np.sqrt(self.at.s / self.n))

    @property
    def kept(self) -> int:
        """Regressors but those of missing points."""
        return len(self.given.names)

    @property
    def counted(self) -> int:
        """Parameters for AIC and its kin: factors, regressors, and the variance."""
        return self.order.parameters + self.kept + 1

    @property
    def on_border(self) -> Any:
        """Whether each number of the search lies where no further one is allowed."""
        return ~inside(self.x)

    @property
    def beta(self) -> Floats:
        """Coefficients of missing points and regressors, in the series' unit."""
        return self.at.beta * self.given.scale / self.given.sizes

    @cached_property
    def beta_given(self) -> Floats:
        """Covariance of ``beta`` if the factors were known: shape (k, k)."""
        k = len(self.beta)
        inverse = triangular(self.at.r, np.eye(k)) if k else np.zeros((0, 0))
        d = self.sigma / self.given.sizes
        return np.asarray((inverse @ inverse.T) * np.outer(d, d))

    @cached_property
    def covariance(self) -> Floats:
        """Of coefficients p, q, P, Q, then regressors without missing points, by the Hessian of ln L.

        Those of the factors that the border holds have NaN.
        """
        k, gone = self.order.parameters, len(self.given.missing)
        free = ~self.on_border
        turn = Factors.turn(self.x, self.order) * free
        v = np.where(np.outer(free, free), self.variance, 0.0)
        both = turn
        if self.kept:
            unit = self.given.scale / self.given.sizes[gone:]
            both = np.vstack([turn, slopes(self, lambda _, at: at.beta[gone:] * unit)])
        out = both @ v @ both.T
        out[k:, k:] += self.beta_given[gone:, gone:]
        held = np.append((turn**2).sum(axis=1) < 1e-12, np.zeros(self.kept, bool))
        out[held, :] = np.nan
        out[:, held] = np.nan
        return np.asarray(out)

    @property
    def coefficients(self) -> Floats:
        """In the order of ``covariance``."""
        beta = self.beta[len(self.given.missing) :].copy()
        if self.given.names[:1] == ("mean",):
            beta[0] += self.given.level
        return np.concatenate([self.factors.all, beta])

    @property
    def roots(self) -> tuple[Floats, Floats]:
        """Inverse roots of the autoregression and of the moving average, factors multiplied."""
        ar, ma = self.factors.polynomials
        return inverse_roots(ar), inverse_roots(ma)


def slopes(fitted: Fitted, what: Callable[[Factors, Profile], Floats], step: float = 1e-4) -> Floats:
    """Central differences of ``what(factors, profile)`` by each number of the search, 0 for those on the border:
    shape (of what, k)."""
    given, x = fitted.given, fitted.x
    out = np.zeros((len(what(fitted.factors, fitted.at)), len(x)))
    for i in np.flatnonzero(~fitted.on_border):
        ends = []
        for way in (step, -step):
            moved = x.copy()
            moved[i] += way
            factors = Factors.at(moved, given.order)
            ends.append(what(factors, profile(given, factors)))
        out[:, i] = (ends[0] - ends[1]) / (2 * step)
    return out
