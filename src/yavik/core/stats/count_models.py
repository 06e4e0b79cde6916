"""Models of counts: Poisson, negative binomial (variance μ + αμ²) and quasi-Poisson, with a logarithmic link.

Columns are centred and scaled before anything is fitted (see ``binary.prepare``), and coefficients are carried back.
Standard errors come from the expected information; that of α from the observed one. Sources: McCullagh and Nelder
(1989); Lawless (1987) for the negative binomial; Cameron and Trivedi (2013).
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from scipy import special

from yavik.core.stats.binary import Prepared, invert
from yavik.core.stats.groups import Floats
from yavik.core.stats.triangle import blocks, side_by_side

Family = Literal["poisson", "negative_binomial", "quasi"]
MOST_STEPS = 100
MOST_TABLED = 200_000
"""Counts up to which sums over j < y are taken from a table."""
LARGEST = 500.0
"""Sums of terms beyond which a mean would not fit into a double."""
SETTLED = 1e-13
"""Gain of the log-likelihood that is no longer worth a step."""
NO_SPREAD = 1e-9
"""α below this is nought."""


@dataclass(frozen=True, eq=False)
class CountFit:
    """
    Args:
        offset: logarithm of the exposure, shape (n,); None for one and the same.
        scaled: coefficients of the prepared columns.
        alpha: of the negative binomial's variance μ + αμ²; 0 for the others.
        alpha_se: NaN where α is nought.
        information: expected information of ``scaled``, without a factor of dispersion.
        log_likelihood: NaN for quasi-Poisson, which has none.
        poisson: log-likelihood of the Poisson model of the same columns; NaN for quasi-Poisson.
    """

    data: Prepared
    offset: Floats | None
    family: Family
    scaled: Floats
    alpha: float
    alpha_se: float
    information: Floats
    log_likelihood: float
    poisson: float
    converged: bool
    steps: int

    @property
    def n(self) -> int:
        """Rows."""
        return len(self.data.y)

    @property
    def q(self) -> int:
        """Coefficients."""
        return len(self.scaled)

    @property
    def parameters(self) -> int:
        """Coefficients, and α where it is estimated."""
        return self.q + (self.family == "negative_binomial")

    @property
    def df(self) -> int:
        """Rows beyond the coefficients."""
        return self.n - self.q

    @cached_property
    def eta(self) -> Floats:
        """Logarithm of the mean count."""
        eta = self.data.x @ self.scaled
        return np.asarray(eta if self.offset is None else eta + self.offset)

    @cached_property
    def mu(self) -> Floats:
        """Mean count of each row."""
        return np.asarray(np.exp(np.minimum(self.eta, LARGEST)))

    @cached_property
    def variance(self) -> Floats:
        """Variance that the model gives each row, without the quasi factor."""
        return np.asarray(self.mu * (1 + self.alpha * self.mu))

    @cached_property
    def pearson(self) -> float:
        """Pearson's χ²."""
        return float(((self.data.y - self.mu) ** 2 / np.maximum(self.variance, 1e-300)).sum())

    @property
    def dispersion(self) -> float:
        """Pearson's χ² over its df: 1 where the model's variance is right. NaN without df."""
        return self.pearson / self.df if self.df > 0 else np.nan

    @property
    def factor(self) -> float:
        """What the covariance is multiplied by: the dispersion for quasi-Poisson, else 1."""
        return self.dispersion if self.family == "quasi" else 1.0

    @cached_property
    def deviance(self) -> float:
        """Twice the distance of the log-likelihood from that of a model with a mean for each row."""
        return float(deviance_parts(self.data.y, self.mu, self.alpha).sum())

    @cached_property
    def coef(self) -> Floats:
        """Coefficients of the columns, shape (q,)."""
        return np.asarray(self.data.back() @ self.scaled)

    @cached_property
    def covariance(self) -> Floats:
        """Of ``coef``, from the expected information, shape (q, q)."""
        turn = self.data.back()
        return np.asarray(turn @ invert(self.information) @ turn.T * self.factor)

    @property
    def aic(self) -> float:
        """−2 log-likelihood + 2 parameters."""
        return -2 * self.log_likelihood + 2 * self.parameters

    @property
    def bic(self) -> float:
        """−2 log-likelihood + parameters × ln n."""
        return -2 * self.log_likelihood + float(np.log(self.n)) * self.parameters

    @cached_property
    def weights(self) -> Floats:
        """Of the rows in the information: μ / (1 + αμ)."""
        return np.asarray(self.mu / (1 + self.alpha * self.mu))

    @cached_property
    def scores(self) -> Floats:
        """(y − μ) / (1 + αμ): what a row's columns are multiplied by in the score equations."""
        return np.asarray((self.data.y - self.mu) / (1 + self.alpha * self.mu))

    @cached_property
    def leverage(self) -> Floats:
        """Diagonal of the weighted projection, shape (n,)."""
        values, vectors = np.linalg.eigh(self.information)
        keep = values > values[-1] * 1e-14
        root = vectors[:, keep] / np.sqrt(values[keep])
        h = self.weights * ((self.data.x @ root) ** 2).sum(axis=1)
        return np.asarray(np.minimum(h, 1 - 1e-9))


def deviance_parts(y: Floats, mu: Floats, alpha: float) -> Floats:
    """Each row's part of the deviance, shape (n,): nothing of it is lost where counts are large."""
    away = y - mu
    own = np.where(y > 0, y * np.log1p(np.where(y > 0, away, 0.0) / np.maximum(mu, 1e-300)), 0.0)
    if alpha <= NO_SPREAD:
        return np.asarray(2 * (own - away))
    return np.asarray(2 * (own - (y + 1 / alpha) * np.log1p(away * alpha / (1 + alpha * mu))))


def most_likely(y: Floats, alpha: float) -> float:
    """Log-likelihood of the model with a mean for each row, μ = y."""
    if alpha <= NO_SPREAD:
        return float((special.xlogy(y, y) - y - special.gammaln(y + 1)).sum())
    each = special.xlogy(y, y) - (y + 1 / alpha) * np.log1p(alpha * y) - special.gammaln(y + 1)
    return float(each.sum() + _sums_below(y, lambda j: np.log1p(alpha * j), lambda v: _log_rising(v, alpha)))


def log_likelihood(y: Floats, eta: Floats, alpha: float) -> float:
    """Of counts at means exp(eta), with α ≥ 0, with all constants."""
    mu = np.exp(np.minimum(eta, LARGEST))
    return most_likely(y, alpha) - 0.5 * float(deviance_parts(y, mu, alpha).sum())


def _log_rising(y: Floats, alpha: float) -> Floats:
    """Σ log(1 + αj) over j < y, for counts too large for a table."""
    return np.asarray(special.gammaln(y + 1 / alpha) - special.gammaln(1 / alpha) + y * np.log(alpha))


def _sums_below(y: Floats, of: Any, large: Any) -> float:
    """Σ over rows of Σ over j < y of ``of(j)``, from a table of the counts that occur."""
    top = int(y.max()) if len(y) else 0
    if top > MOST_TABLED:
        return float(large(y).sum())
    table = np.concatenate([[0.0], np.cumsum(of(np.arange(top, dtype=float)))])
    return float(np.bincount(y.astype(np.int64)) @ table)


def fit_counts(d: Prepared, offset: Floats | None = None, family: Family = "poisson") -> CountFit:
    """Maximum likelihood; for quasi-Poisson Poisson's estimates.

    Args:
        d: prepared columns with the counts as ``y``.
        offset: logarithm of the exposure, shape (n,).
    """
    beta, information, ll, converged, steps = _newton(d, offset, _begin(d, offset), 0.0)
    alpha, se = 0.0, np.nan
    poisson = np.nan if family == "quasi" else ll + most_likely(d.y, 0.0)
    told = poisson
    if family == "negative_binomial":
        alpha, se, beta, information, ll, settled, more = _with_spread(d, offset, beta, ll)
        converged, steps, told = converged and settled, steps + more, ll + most_likely(d.y, alpha)
    return CountFit(d, offset, family, beta, alpha, se, information, told, poisson, converged, steps)


def _begin(d: Prepared, offset: Floats | None) -> Floats:
    beta = np.zeros(d.x.shape[1])
    if d.intercept:
        over = float(len(d.y)) if offset is None else float(np.exp(offset).sum())
        beta[0] = np.log(max(float(d.y.sum()), 0.5) / over)
    return beta


def _pass(d: Prepared, offset: Floats | None, beta: Floats, alpha: float) -> tuple[float, Floats, Floats]:
    """Minus half the deviance, gradient and expected information at ``beta``, in one pass over the rows."""
    q = len(beta)

    def work(span: tuple[int, int]) -> tuple[float, Floats, Floats]:
        """The sums of some of the rows."""
        ll, gradient, information = 0.0, np.zeros(q), np.zeros((q, q))
        for a, b in blocks(*span):
            x, y = d.x[a:b], d.y[a:b]
            eta = x @ beta if offset is None else x @ beta + offset[a:b]
            mu = np.exp(np.minimum(eta, LARGEST))
            ll -= 0.5 * float(deviance_parts(y, mu, alpha).sum())
            spread = 1 + alpha * mu
            gradient += ((y - mu) / spread) @ x
            root = x * np.sqrt(mu / spread)[:, None]
            information += root.T @ root
        return ll, gradient, information

    found = side_by_side(work, len(d.y))
    ll, gradient, information = (sum(f[i] for f in found) for i in range(3))
    return ll, gradient, information


def _newton(
    d: Prepared, offset: Floats | None, beta: Floats, alpha: float
) -> tuple[Floats, Floats, float, bool, int]:
    """Scoring steps with halving: coefficients, information, minus half the deviance, whether they settled, how
    many."""
    ll, gradient, information = _pass(d, offset, beta, alpha)
    if not len(beta):
        return beta, information, ll, True, 0
    for step_no in range(1, MOST_STEPS + 1):
        step = invert(information) @ gradient
        step *= min(1.0, 5.0 / max(float(np.abs(step).max(initial=0.0)), 1e-300))
        for _ in range(30):
            fresh = _pass(d, offset, beta + step, alpha)
            if fresh[0] >= ll - 1e-12 * (abs(ll) + 1):
                break
            step /= 2
        # What the next step could gain, in units of the log-likelihood: it knows nothing of the columns' or counts'
        # sizes.
        rest = abs(float(step @ gradient))
        beta, (ll, gradient, information) = beta + step, fresh
        if min(rest, float(gradient @ invert(information) @ gradient)) < SETTLED:
            return beta, information, ll, True, step_no
    return beta, information, ll, False, MOST_STEPS


def _with_spread(
    d: Prepared, offset: Floats | None, beta: Floats, ll: float
) -> tuple[float, float, Floats, Floats, float, bool, int]:
    """α and the coefficients in turn, until neither moves: the information between them is nought on average."""
    alpha, steps, information = 0.0, 0, np.eye(len(beta))
    for _ in range(MOST_STEPS):
        mu = _means(d, offset, beta)
        fresh = spread_of(d.y, mu, alpha)
        if fresh == 0:
            beta, information, ll, fine, more = _newton(d, offset, beta, 0.0)
            return 0.0, np.nan, beta, information, ll, fine, steps + more
        before = ll
        beta, information, ll, fine, more = _newton(d, offset, beta, fresh)
        steps += more
        if abs(fresh - alpha) < 1e-9 * fresh and abs(ll - before) < 1e-9 * (abs(ll) + 1):
            curve = spread_slope(d.y, _means(d, offset, beta), fresh)[1]
            return fresh, float(1 / np.sqrt(-curve)) if curve < 0 else np.nan, beta, information, ll, fine, steps
        alpha = fresh
    return alpha, np.nan, beta, information, ll, False, steps


def _means(d: Prepared, offset: Floats | None, beta: Floats) -> Floats:
    eta = d.x @ beta if offset is None else d.x @ beta + offset
    return np.asarray(np.exp(np.minimum(eta, LARGEST)))


def spread_of(y: Floats, mu: Floats, begin: float = 0.0) -> float:
    """α that makes the counts most likely at these means; 0 where they scatter no more than Poisson's.

    Newton's steps in log α, halved into a bracket where they leave it; the slope at nought has the sign of the first
    line.
    """
    more = float(((y - mu) ** 2 - y).sum())
    if more <= 0:
        return 0.0
    low, high = float(np.log(NO_SPREAD)), float(np.log(1e6))
    u = float(np.log(begin if begin > 0 else more / float((mu * mu).sum())))
    u = min(max(u, low), high)
    for _ in range(MOST_STEPS):
        first, second = spread_slope(y, mu, float(np.exp(u)))
        low, high = (u, high) if first > 0 else (low, u)
        step = -first / (second * float(np.exp(u))) if second < 0 else np.inf
        fresh = u + step if low <= u + step <= high else (low + high) / 2
        moved, u = abs(fresh - u), fresh
        if moved < 1e-9:
            break
    return 0.0 if u < np.log(NO_SPREAD) + 1e-6 else float(np.exp(u))


def spread_slope(y: Floats, mu: Floats, alpha: float) -> tuple[float, float]:
    """First and second derivative of the log-likelihood by α (Lawless, 1987)."""

    def work(span: tuple[int, int]) -> tuple[float, float]:
        """Their parts that hang on the means, of some of the rows."""
        first = second = 0.0
        for a, b in blocks(*span):
            m, t = mu[a:b], alpha * mu[a:b]
            bend, slope = _bends(t)
            own = y[a:b] * m / (1 + t)
            first += float((m * m * bend - own).sum())
            second += float((m * m * m * slope + own * m / (1 + t)).sum())
        return first, second

    found = side_by_side(work, len(y))
    r = 1 / alpha
    one = _sums_below(
        y,
        lambda j: j / (1 + alpha * j),
        lambda v: (v - r * (special.digamma(v + r) - special.digamma(r))) / alpha,
    )
    two = -_sums_below(
        y,
        lambda j: (j / (1 + alpha * j)) ** 2,
        lambda v: (
            (
                v
                - 2 * r * (special.digamma(v + r) - special.digamma(r))
                + r**2 * (special.polygamma(1, r) - special.polygamma(1, v + r))
            )
            / alpha**2
        ),
    )
    return sum(f[0] for f in found) + one, sum(f[1] for f in found) + two


K = np.arange(12.0)
BEND = np.asarray((-1) ** K * (K + 1) / (K + 2), np.float64)
BEND_SLOPE = np.asarray((-1) ** (K + 1) * (K + 1) * (K + 2) / (K + 3), np.float64)
"""Series of g and of its derivative about nought."""


def _bends(t: Floats) -> tuple[Floats, Floats]:
    """g(t) = log(1 + t)/t² − 1/(t(1 + t)) and its derivative, without loss of digits near nought."""
    small = t < 0.03
    s = np.where(small, 1.0, t)
    log, u = np.log1p(s), 1 + s
    bend = (log / s - 1 / u) / s
    slope = (-2 * log / s + 1 / u + (1 + 2 * s) / (u * u)) / (s * s)
    if small.any():
        near = t[small]
        bend[small] = np.polynomial.polynomial.polyval(near, BEND)
        slope[small] = np.polynomial.polynomial.polyval(near, BEND_SLOPE)
    return np.asarray(bend), np.asarray(slope)


def null_fit(y: Floats, offset: Floats | None, family: Family, intercept: bool) -> CountFit:
    """The model without terms."""
    return fit_counts(_no_terms(y, intercept), offset, family)


def null_deviance(y: Floats, offset: Floats | None, alpha: float, intercept: bool) -> float:
    """Deviance of the model without terms at a given α."""
    d = _no_terms(y, intercept)
    beta = _newton(d, offset, _begin(d, offset), alpha)[0]
    return float(deviance_parts(y, _means(d, offset, beta), alpha).sum())


def _no_terms(y: Floats, intercept: bool) -> Prepared:
    return Prepared(np.ones((len(y), int(intercept))), y, np.zeros(0), np.zeros(0), intercept)
