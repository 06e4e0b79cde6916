"""What a fitted model of counts lets one see: robust errors, scatter beyond the model's, estimates without an end,
counts expected."""

from typing import Any

import numpy as np
from scipy import optimize, special

from yavik.core.stats.binary import invert
from yavik.core.stats.count_models import NO_SPREAD, CountFit
from yavik.core.stats.groups import Floats
from yavik.core.stats.triangle import blocks


def robust(found: CountFit, kind: str, clusters: Any = None, n_clusters: int = 0) -> Floats:
    """Robust covariance of the coefficients (Huber, 1967; White, 1982), shape (q, q), in the columns' units.

    hc0 plain, hc1 with n/(n − 1), hc2 and hc3 with scores over √(1 − h) and 1 − h, cluster with G/(G − 1) and scores
    summed by cluster.
    """
    d, n = found.data, found.n
    u = found.scores
    if kind in ("hc2", "hc3"):
        u = u / (1 - found.leverage) ** (0.5 if kind == "hc2" else 1.0)
    scores, more = np.asarray(d.x * u[:, None], np.float64), n / (n - 1) if kind == "hc1" else 1.0
    if kind == "cluster":
        sums = [np.bincount(clusters, scores[:, j], minlength=n_clusters) for j in range(found.q)]
        scores, more = np.asarray(np.column_stack(sums), np.float64), n_clusters / (n_clusters - 1)
    turn = d.back() @ invert(found.information)
    return np.asarray(turn @ (scores.T @ scores) @ turn.T * more)


def overdispersion(found: CountFit) -> tuple[float, float]:
    """Score test of variance beyond the mean against αμ²: z and its one-sided p (Dean and Lawless, 1989).

    Of a Poisson fit; the denominator is that without correction for estimated means.
    """
    y, mu = found.data.y, found.mu
    z = float((((y - mu) ** 2 - y).sum()) / np.sqrt(2 * (mu**2).sum()))
    return z, float(special.ndtr(-z))


def infinite_directions(found: CountFit) -> frozenset[int]:
    """Places of coefficients without a finite estimate: directions that lower only rows whose count is nought.

    A maximum exists unless some direction changes no row with a count and lowers rows without (Haberman, 1974).
    """
    d = found.data
    zero = d.y == 0
    if not zero.any() or (found.converged and float(found.eta.min()) > -20):
        return frozenset()
    x = d.plain()
    if zero.all():
        return frozenset(range(found.q))
    values, vectors = np.linalg.eigh(x[~zero].T @ x[~zero])
    free = vectors[:, values <= 1e-10 * max(float(values[-1]), 1e-300)]
    if not free.shape[1]:
        return frozenset()
    rest = x[zero] @ free
    rest = np.unique(np.round(rest, 9), axis=0)
    got = optimize.linprog(
        rest.sum(axis=0), A_ub=rest, b_ub=np.zeros(len(rest)), bounds=[(-1, 1)] * rest.shape[1], method="highs"
    )
    if got.status != 0 or float(got.fun or 0.0) > -1e-9:
        return frozenset()
    along = free @ np.asarray(got.x)
    return frozenset(np.flatnonzero(np.abs(along) > 1e-6 * np.abs(along).max()).tolist())


def count_probabilities(found: CountFit, most: int) -> tuple[Floats, Floats]:
    """How many rows are expected with each count 0 … most, and with more: shape (most + 1,) and a number.

    Args:
        found: of any family; quasi-Poisson has no probabilities, those of Poisson are given.
    """
    mu, alpha = found.mu, found.alpha
    k = np.arange(most + 1.0)
    expected = np.zeros(most + 1)
    for a, b in blocks(0, len(mu)):
        m = mu[a:b, None]
        if alpha <= NO_SPREAD:
            log_p = k * np.log(np.maximum(m, 1e-300)) - m - special.gammaln(k + 1)
        else:
            rising = np.concatenate([[0.0], np.cumsum(np.log1p(alpha * k[:-1]))]) if most else np.zeros(1)
            log_p = (
                rising
                + k * np.log(np.maximum(m, 1e-300))
                - (k + 1 / alpha) * np.log1p(alpha * m)
                - special.gammaln(k + 1)
            )
        expected += np.exp(log_p).sum(axis=0)
    return expected, np.asarray(len(mu) - expected.sum())
