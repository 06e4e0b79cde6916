"""Models of a yes/no response: maximum likelihood by Newton steps, penalised likelihood, intervals by profile.

Columns are centred and scaled before anything is fitted, and coefficients are carried back at the end.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from scipy import special
from scipy.linalg import cho_factor, cho_solve

from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.triangle import blocks, side_by_side

Link = Literal["logit", "probit", "cloglog"]
Penalty = Literal["none", "firth"]
MOST_STEPS = 60
FIRST = 20_000
"""Rows of the first fit, from which the fit of very many rows starts."""
KEPT = 40_000_000
"""Numbers of a design that are kept between the passes."""


@dataclass(frozen=True, eq=False)
class Prepared:
    """Design columns centred and scaled with a column of ones before them where there is an intercept.

    Args:
        x: shape (n, q), rows contiguous.
        centre, scale: shape (p,).
    """

    x: Floats
    y: Floats
    centre: Floats
    scale: Floats
    intercept: bool

    @property
    def first(self) -> int:
        """Place of the first slope."""
        return int(self.intercept)

    def plain(self, rows: Any = slice(None)) -> Floats:
        """Some rows with columns only scaled, not about their means."""
        x = self.x[rows].copy()
        x[:, self.first :] += self.centre / self.scale
        return np.asarray(x)

    def among(self, columns: Sequence[int]) -> "Prepared":
        """Of these design columns only."""
        take = [*range(self.first), *(c + self.first for c in columns)]
        return Prepared(
            np.ascontiguousarray(self.x[:, take]),
            self.y,
            self.centre[list(columns)],
            self.scale[list(columns)],
            self.intercept,
        )

    def back(self) -> Floats:
        """What carries scaled coefficients to those of the columns, shape (q, q)."""
        q, f = self.x.shape[1], self.first
        turn = np.zeros((q, q))
        turn[f:, f:] = np.diag(1 / self.scale)
        if f:
            turn[0, 0] = 1.0
            turn[0, 1:] = -self.centre / self.scale
        return turn


def prepare(design: Design, y: Floats, columns: Sequence[int], intercept: bool) -> Prepared:
    """Columns of a design about their means and in their own spread, shape (n, q), with what carries coefficients
    back."""
    n, k, f = len(y), len(columns), int(intercept)
    # Any centre and scale give the same model in the end; those of a part of the rows are near enough to be good
    # ones.
    places = np.linspace(0, n - 1, min(n, FIRST)).astype(np.int64)
    part = design.matrix({key: v[places] for key, v in design.data.items()}, len(places))[:, columns]
    centre = part.mean(axis=0) if f else np.zeros(k)
    scale = np.sqrt(((part - centre) ** 2).mean(axis=0))
    scale[scale == 0] = 1.0
    x = np.empty((n, k + f), order="F")  # what is done with single columns is quicker so

    def fill(span: tuple[int, int]) -> None:
        """Writes some of the rows."""
        for a, b in blocks(*span):
            x[a:b, :f] = 1.0
            x[a:b, f:] = (design.block(a, b)[:, columns] - centre) / scale

    side_by_side(fill, n)
    return Prepared(x, y, centre, scale, intercept)


def mean_and_slope(link: Link, eta: Floats) -> tuple[Floats, Floats, Floats]:
    """Probability, its complement, and the derivative of the probability."""
    if link == "logit":
        odds_against = np.exp(-np.clip(eta, -700.0, 700.0))  # several times as quick as a function made for it
        mu = 1 / (1 + odds_against)
        nu = odds_against * mu
        return mu, nu, mu * nu
    if link == "probit":
        return special.ndtr(eta), special.ndtr(-eta), np.exp(-0.5 * eta**2) / np.sqrt(2 * np.pi)
    e = np.exp(np.minimum(eta, 50.0))
    return -np.expm1(-e), np.exp(-e), np.exp(np.minimum(eta, 50.0) - e)


def slope_of(link: Link, eta: Floats) -> tuple[Floats, Floats]:
    """First and second derivative of the probability by the sum of terms."""
    mu, nu, first = mean_and_slope(link, np.asarray(eta, float))
    if link == "logit":
        return first, first * (nu - mu)
    if link == "probit":
        return first, -eta * first
    return first, first * (1 - np.exp(np.minimum(eta, 50.0)))


def probability(link: Link, eta: Floats) -> Floats:
    """Of the event, at a sum of terms."""
    return mean_and_slope(link, np.asarray(eta, float))[0]


def _log_likelihood(link: Link, eta: Floats, y: Floats) -> float:
    if link == "logit":
        against = eta * (1 - 2 * y)
        return -float((np.maximum(against, 0.0) + np.log1p(np.exp(-np.abs(eta)))).sum())
    mu, nu, _ = mean_and_slope(link, eta)
    return float(np.log(np.maximum(np.where(y > 0.5, mu, nu), 1e-300)).sum())


@dataclass(frozen=True, eq=False)
class BinaryFit:
    """
    Args:
        scaled: coefficients of the prepared columns.
        information: expected information of ``scaled``.
        log_likelihood: without the penalty.
        penalised: with it; the same where there is none.
        converged: False where the likelihood still grows when the steps end.
    """

    data: Prepared
    link: Link
    penalty: Penalty
    scaled: Floats
    information: Floats
    log_likelihood: float
    penalised: float
    converged: bool
    steps: int

    @cached_property
    def coef(self) -> Floats:
        """Coefficients of the columns, shape (q,)."""
        return np.asarray(self.data.back() @ self.scaled)

    @cached_property
    def covariance(self) -> Floats:
        """Of ``coef``, from the expected information, shape (q, q)."""
        turn = self.data.back()
        return np.asarray(turn @ invert(self.information) @ turn.T)

    @cached_property
    def eta(self) -> Floats:
        """Sum of terms of each row."""
        return np.asarray(self.data.x @ self.scaled)

    @cached_property
    def mu(self) -> Floats:
        """Probability of each row."""
        return probability(self.link, self.eta)

    @property
    def suspect(self) -> bool:
        """Whether some estimate may be infinite: the steps did not settle, or ended where every doubt is gone."""
        return self.penalty == "none" and (not self.converged or float(np.abs(self.eta).max()) > 30)

    @property
    def n(self) -> int:
        """Rows."""
        return len(self.data.y)

    @property
    def q(self) -> int:
        """Coefficients."""
        return len(self.scaled)

    @property
    def aic(self) -> float:
        """−2 log-likelihood + 2 q."""
        return -2 * self.log_likelihood + 2 * self.q

    @property
    def bic(self) -> float:
        """−2 log-likelihood + q ln n."""
        return -2 * self.log_likelihood + float(np.log(self.n)) * self.q


def invert(information: Floats) -> Floats:
    """Inverse of a symmetric matrix, shape (q, q); directions that it knows nothing of are left out."""
    values, vectors = np.linalg.eigh(information)
    keep = values > values[-1] * 1e-14
    return np.asarray((vectors[:, keep] / values[keep]) @ vectors[:, keep].T)


def _pass(d: Prepared, link: Link, beta: Floats, firth: bool) -> tuple[float, Floats, Floats]:
    """Likelihood, gradient and expected information at ``beta``, in one pass over the rows."""
    q = len(beta)

    def work(span: tuple[int, int]) -> tuple[float, Floats, Floats]:
        """The sums of some of the rows."""
        ll, gradient, information = 0.0, np.zeros(q), np.zeros((q, q))
        for a, b in blocks(*span):
            x, y = d.x[a:b], d.y[a:b]
            eta = x @ beta
            mu, nu, slope = mean_and_slope(link, eta)
            ll += _log_likelihood(link, eta, y)
            if link == "logit":
                away, weight = y - mu, slope
            else:
                spread = np.maximum(mu * nu, 1e-300)
                away, weight = (y - mu) * (slope / spread), slope**2 / spread
            gradient += away @ x
            root = x * np.sqrt(weight)[:, None]
            information += root.T @ root
        return ll, gradient, information

    found = side_by_side(work, len(d.y))
    ll, gradient, information = (sum(f[i] for f in found) for i in range(3))
    if firth:  # half the trace of information⁻¹ times its derivative, by rows (Firth, 1993)
        mu, nu, _ = mean_and_slope(link, d.x @ beta)
        inverse = invert(information)
        h = mu * nu * np.einsum("ij,jk,ik->i", d.x, inverse, d.x, optimize=True)
        gradient = gradient + (h * (0.5 - mu)) @ d.x
    return ll, gradient, information


def fit(
    d: Prepared,
    link: Link = "logit",
    penalty: Penalty = "none",
    start: Floats | None = None,
    fixed: Mapping[int, float] | None = None,
) -> BinaryFit:
    """Maximum likelihood, or penalised likelihood (Firth, 1993; logit only).

    Args:
        start: scaled coefficients to begin with.
        fixed: scaled coefficients that are held, and at what.
    """
    n, q = d.x.shape
    beta = _begin(d, link, penalty, start)
    free = np.ones(q, bool)
    for place, value in (fixed or {}).items():
        beta[place], free[place] = value, False
    firth = penalty == "firth"
    ll, gradient, information = _pass(d, link, beta, firth)
    goal = ll + _bonus(information, firth)
    converged, steps = not free.any(), 0
    while steps < MOST_STEPS:
        if not free.any():
            break
        steps += 1
        step = np.zeros(q)
        step[free] = _solve(information[np.ix_(free, free)], gradient[free])
        longest = np.abs(step).max()
        if firth or link != "logit" or longest > 5:
            step *= min(1.0, 5.0 / max(longest, 1e-300))
        for _ in range(25):
            fresh = _pass(d, link, beta + step, firth)
            other = fresh[0] + _bonus(fresh[2], firth)
            if other >= goal - 1e-12 * (abs(goal) + 1):
                break
            step /= 2
        gain = other - goal
        beta, (ll, gradient, information), goal = beta + step, fresh, other
        slope = float(np.abs(step[free] @ gradient[free])) if free.any() else 0.0
        if np.abs(step).max() < (1e-8 if link == "logit" else 1e-11) * (1 + np.abs(beta).max()) or (
            abs(gain) < 1e-13 * (abs(goal) + 1e-6) and slope < 1e-12 * (abs(goal) + 1)
        ):
            converged = True
            break
        if abs(ll) < 1e-9 * n:
            break  # every row is told right: the likelihood has no maximum
    return BinaryFit(d, link, penalty, beta, information, ll, goal, converged, steps)


def _begin(d: Prepared, link: Link, penalty: Penalty, start: Floats | None) -> Floats:
    n, q = d.x.shape
    if start is not None:
        return start.copy()
    if n > 10 * FIRST and penalty == "none":
        places = np.linspace(0, n - 1, FIRST).astype(np.int64)
        part = Prepared(np.ascontiguousarray(d.x[places]), d.y[places], d.centre, d.scale, d.intercept)
        if 0 < part.y.sum() < len(part.y):
            first = fit(part, link)
            if not first.suspect:
                return first.scaled.copy()
    beta = np.zeros(q)
    if d.intercept:
        share = float(np.clip(d.y.mean(), 1e-6, 1 - 1e-6))
        beta[0] = _link(link, share)
    return beta


def _link(link: Link, share: float) -> float:
    if link == "logit":
        return float(special.logit(share))
    return float(special.ndtri(share)) if link == "probit" else float(np.log(-np.log1p(-share)))


def _bonus(information: Floats, firth: bool) -> float:
    return 0.5 * float(np.linalg.slogdet(information)[1]) if firth else 0.0


def _solve(information: Floats, gradient: Floats) -> Floats:
    try:
        return np.asarray(cho_solve(cho_factor(information), gradient))
    except np.linalg.LinAlgError:
        return np.asarray(invert(information) @ gradient)


def sandwich(found: BinaryFit, kind: str, clusters: Any = None, n_clusters: int = 0) -> Floats:
    """Robust covariance of the coefficients (Huber, 1967; White, 1982), in the columns' units.

    hc0 plain, hc1 with n/(n − q), cluster with G/(G − 1) · (n − 1)/(n − q) and scores summed by cluster.
    """
    d = found.data
    n, q = d.x.shape
    mu, nu, slope = mean_and_slope(found.link, found.eta)
    u = (d.y - mu) * (1.0 if found.link == "logit" else slope / np.maximum(mu * nu, 1e-300))
    if kind == "cluster":
        sums = np.column_stack([np.bincount(clusters, d.x[:, j] * u, minlength=n_clusters) for j in range(q)])
        meat = sums.T @ sums * (n_clusters / (n_clusters - 1) * (n - 1) / max(n - q, 1))
    else:
        scores = d.x * u[:, None]
        meat = scores.T @ scores * (n / max(n - q, 1) if kind == "hc1" else 1.0)
    turn = d.back() @ invert(found.information)
    return np.asarray(turn @ meat @ turn.T)


def score_weights(found: BinaryFit) -> Floats:
    """|y − μ| as it enters the score equations, one for each row."""
    mu, nu, slope = mean_and_slope(found.link, found.eta)
    away = np.where(found.data.y > 0.5, nu, mu)
    if found.link == "logit":
        return np.asarray(away)
    return np.asarray(away * slope / np.maximum(mu * nu, 1e-300))


def rao(x: Floats, weights: Floats, scores: Floats, information: Floats, added: Floats) -> tuple[float, int]:
    """Score test of adding columns to any model whose score equations are x′ scores = 0 (Rao, 1948).

    Args:
        x, weights, scores, information: of the fit: shapes (n, q), (n,), (n,), (q, q) with information = x′ weights x.
        added: shape (n, k).

    Returns:
        χ² and its df, which is below k where added columns follow from the others.
    """
    if not added.shape[1]:
        return 0.0, 0
    weighted = added * weights[:, None]
    cross = x.T @ weighted
    middle = added.T @ weighted - cross.T @ invert(information) @ cross
    values, vectors = np.linalg.eigh((middle + middle.T) / 2)
    keep = values > max(float(values[-1]), 0.0) * 1e-9
    if not keep.any():
        return 0.0, 0
    along = vectors[:, keep].T @ (added.T @ scores)
    return float((along**2 / values[keep]).sum()), int(keep.sum())
