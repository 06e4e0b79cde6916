"""Least squares with errors that are asked for: classical, robust to unequal spread, by cluster, wild bootstrap."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats

DRAWS = 1999


@dataclass(frozen=True)
class Estimates:
    """
    Args:
        coef, se, p: shape (k,). covariance: shape (k, k).
        df: of t: rows less coefficients, or clusters less one.
        factor: of the covariance, for small samples; ``words`` say which.
    """

    coef: Floats
    covariance: Floats
    df: float
    factor: float
    words: str
    p: Floats
    residuals: Floats

    @property
    def se(self) -> Floats:
        """Standard errors."""
        return np.asarray(np.sqrt(np.maximum(np.diag(self.covariance), 0.0)))

    def reach(self, alpha: float) -> float:
        """Quantile of t."""
        return float(special.stdtrit(self.df, 1 - alpha / 2))

    def joint(self, places: list[int]) -> tuple[float, int, float] | None:
        """F, df1 and p of several coefficients being zero; None where their covariance says nothing."""
        return joint(self.coef[places], self.covariance[np.ix_(places, places)], self.df)


def joint(estimates: Floats, covariance: Floats, df: float) -> tuple[float, int, float] | None:
    """F, df1 and p of all estimates being zero; None where their covariance is not of full rank, or df is below it."""
    size = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    if not (size > 0).all() or df < len(estimates):
        return None
    values, turn = np.linalg.eigh(covariance / np.outer(size, size))
    if values[0] <= 1e-10 * values[-1]:
        return None
    z = turn.T @ (estimates / size)
    f = float((z**2 / values).sum()) / len(z)
    return f, len(z), float(special.fdtrc(len(z), df, f))


def regress(
    y: Floats, x: Floats, se: str, absorbed: int, clusters: Any = None, weights: Floats | None = None,
    nested: int = 0, levers: Floats | None = None, seed: int = 1, tested: int | None = None, draws: int = DRAWS,
) -> Estimates:  # fmt: skip
    """Estimates with the errors asked for.

    Args:
        x: shape (n, k), of full rank; levels of units and periods are already taken out of x and y.
        absorbed: levels taken out. nested: how many of them lie within clusters, and do not count in the factor.
        levers: leverage of the levels taken out, for HC2 and HC3.
        clusters: codes from 0. tested: the coefficient whose p is drawn by the wild bootstrap.
    """
    n, k = x.shape
    xw, yw = x, y
    if weights is not None:
        root = np.sqrt(weights)
        xw, yw = x * root[:, None], y * root
    inverse, easy = _inverse_root(xw)
    bread = inverse @ inverse.T
    coef = bread @ (xw.T @ yw)
    e = yw - xw @ coef
    if not easy:  # once more from what is left
        more = bread @ (xw.T @ e)
        coef, e = coef + more, e - xw @ more
    df = float(n - k - absorbed)
    if se == "classical":
        factor, words = 1.0, "residual variance over n − k"
        cov = bread * float(e @ e) / max(df, 1.0)
    elif se in ("cluster", "wild"):
        g = int(clusters.max()) + 1
        sums = np.column_stack([np.bincount(clusters, column * e, minlength=g) for column in xw.T])
        own = k + absorbed - nested
        factor = g / (g - 1) * (n - 1) / max(n - own, 1)
        words = "G/(G − 1) × (n − 1)/(n − k)"
        cov = factor * bread @ (sums.T @ sums) @ bread
        df = float(g - 1)
    else:
        h = np.minimum(((xw @ inverse) ** 2).sum(axis=1) + (0.0 if levers is None else levers), 1 - 1e-12)
        u = {"hc0": e, "hc1": e, "hc2": e / np.sqrt(1 - h), "hc3": e / (1 - h)}[se]
        factor = n / max(df, 1.0) if se == "hc1" else 1.0
        words = {"hc1": "n/(n − k)"}.get(se, "none")
        meat = (xw * u[:, None]).T @ (xw * u[:, None])
        cov = factor * bread @ meat @ bread
    t = np.divide(coef, np.sqrt(np.diag(cov)), out=np.full(k, np.nan), where=np.diag(cov) > 0)
    p = 2 * special.stdtr(df, -np.abs(t))
    if se == "wild" and tested is not None:
        p = p.copy()
        p[tested] = wild_p(yw, xw, clusters, tested, factor, seed, draws)
    return Estimates(coef, cov, df, factor, words, np.asarray(p), e)


def _inverse_root(x: Floats) -> tuple[Floats, bool]:
    """A matrix whose product with its transpose is (X′X)⁻¹: from the cross-products where these are far from singular,
    else from the columns themselves; and whether columns are far from following from each other."""
    cross = x.T @ x
    size = np.sqrt(np.maximum(np.diag(cross), 1e-300))
    scaled = cross / np.outer(size, size)
    least = float(np.linalg.eigvalsh(scaled)[0])
    if least > 1e-6:
        return np.asarray(np.linalg.inv(np.linalg.cholesky(scaled)).T / size[:, None]), least > 0.01
    return np.asarray(np.linalg.inv(np.linalg.qr(x, mode="r"))), False


def wild_p(y: Floats, x: Floats, clusters: Any, place: int, factor: float, seed: int, draws: int = DRAWS) -> float:
    """p of one coefficient by the wild cluster bootstrap with the null imposed (Cameron, Gelbach and Miller, 2008).

    Signs of Rademacher for each cluster; all 2^G of them where these are no more than the draws.
    """
    g, k = int(clusters.max()) + 1, x.shape[1]
    others = [j for j in range(k) if j != place]
    rest = y - x[:, others] @ np.linalg.lstsq(x[:, others], y, rcond=None)[0] if others else y
    bread = np.linalg.inv(x.T @ x)
    row = x @ bread[place]  # the coefficient from a response

    def sums(values: Floats) -> Floats:
        """Of columns, within clusters."""
        return np.column_stack([np.bincount(clusters, v, minlength=g) for v in values.T])

    # A draw turns whole clusters: its coefficient and scores are sums over clusters, whatever the rows.
    own, turned, reach = sums((row * rest)[:, None])[:, 0], sums(x * rest[:, None]), sums(x * row[:, None]) @ bread

    def t_of(signs: Floats) -> Floats:
        """t of draws; signs of shape (draws, g)."""
        scores = signs * own - (signs @ turned) @ reach.T
        return np.asarray((signs @ own) / np.sqrt(np.maximum(factor * (scores**2).sum(axis=1), 1e-300)))

    left = y - x @ (bread @ (x.T @ y))
    seen = float(row @ y) / np.sqrt(max(factor * float((sums((row * left)[:, None]) ** 2).sum()), 1e-300))
    exact = g < 40 and 2**g <= draws
    if exact:
        bits = (np.arange(2**g)[:, None] >> np.arange(g)) & 1
        signs: Floats = np.where(bits == 1, -1.0, 1.0)
    else:
        signs = np.random.default_rng(seed).choice(np.array([-1.0, 1.0]), (draws, g))
    step, bar = max(1, 4_000_000 // g), abs(seen) * (1 - 1e-9)
    hits = 0
    for i in range(0, len(signs), step):
        hits += int((np.abs(t_of(signs[i : i + step])) >= bar).sum())
    return hits / len(signs) if exact else (hits + 1) / (len(signs) + 1)
