"""Correlations of items, whether they are worth factoring, and the eigenvalues that chance alone would give."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats

SINGULAR = 1e-10
"""Smallest eigenvalue of a correlation matrix that is still inverted."""


@dataclass(frozen=True)
class Correlated:
    """Correlations of k items.

    Args:
        r: shape (k, k). n: rows behind each,
        shape (k, k). rows: that tests of the whole matrix count: filled throughout,
            or the smallest number behind a pair.
        sd, mean: of each item, shape (k,).
        least: smallest eigenvalue.
    """

    r: Floats
    n: Floats
    rows: int
    mean: Floats
    sd: Floats
    least: float

    @property
    def singular(self) -> bool:
        """Whether some items are sums of others, or pairs of rows contradict one another."""
        return self.least < SINGULAR

    @property
    def p(self) -> Floats:
        """Two-sided p of each correlation by t with n − 2 df, shape (k, k); 1 on the diagonal."""
        df = np.maximum(self.n - 2, 1)
        t = self.r * np.sqrt(df / np.maximum(1 - self.r**2, 1e-300))
        p = 2 * special.stdtr(df, -np.abs(t))
        np.fill_diagonal(p, 1.0)
        return np.asarray(p)


def correlated(x: Floats, pairwise: bool = False) -> Correlated:
    """Correlations of the columns of ``x``, shape (rows, k), NaN where empty; every column has spread.

    Args:
        pairwise: each from the rows filled in both; else from the rows filled throughout.
    """
    filled = ~np.isnan(x)
    if not pairwise or filled.all():
        y = x[filled.all(axis=1)]
        mean = y.mean(axis=0)
        z = y - mean
        z -= z.mean(axis=0)
        ss = np.einsum("ij,ij->j", z, z)
        r = z.T @ z / np.sqrt(np.outer(ss, ss))
        n = np.full(r.shape, float(len(y)))
        sd = np.sqrt(ss / max(len(y) - 1, 1))
    else:
        mean = np.nanmean(x, axis=0)
        z = np.where(filled, x - mean, 0.0)
        f = filled.astype(float)
        n = f.T @ f
        with np.errstate(invalid="ignore", divide="ignore"):
            first = z.T @ f / n  # mean of a where b is filled
            square = (z**2).T @ f / n - first**2
            r = (z.T @ z / n - first * first.T) / np.sqrt(square * square.T)
        sd = np.sqrt((z**2).sum(axis=0) / np.maximum(f.sum(axis=0) - 1, 1))
    r = np.clip((r + r.T) / 2, -1.0, 1.0)
    np.fill_diagonal(r, 1.0)
    least = float(np.linalg.eigvalsh(r)[0]) if np.isfinite(r).all() else np.nan
    return Correlated(r, n, int(n.min()), mean, sd, least)


@dataclass(frozen=True)
class Adequacy:
    """Whether correlations are worth factoring.

    Args:
        kmo: of Kaiser, Meyer and Olkin, in all; each: of each item, shape (k,).
        chi2, df, p: Bartlett's test that nothing is correlated. log_determinant: of the correlations.
        anti_image: shape (k, k): partial correlations with their sign turned, ``each`` on the diagonal.
    """

    kmo: float
    each: Floats
    chi2: float
    df: int
    p: float
    log_determinant: float
    anti_image: Floats


def adequacy(r: Floats, n: int) -> Adequacy:
    """KMO (Kaiser, 1974) and Bartlett's test of sphericity (1950), χ² = −(n − 1 − (2k + 5)/6) ln|R|.

    Args:
        r: correlations that can be inverted, shape (k, k). n: rows.
    """
    k = len(r)
    inverse = np.linalg.inv(r)
    scale = 1 / np.sqrt(np.diag(inverse))
    partial = inverse * np.outer(scale, scale)  # anti-image: minus the partial correlation
    off = ~np.eye(k, dtype=bool)
    rr, pp = np.where(off, r, 0.0) ** 2, np.where(off, partial, 0.0) ** 2
    with np.errstate(invalid="ignore", divide="ignore"):
        each = rr.sum(axis=0) / (rr.sum(axis=0) + pp.sum(axis=0))
        kmo = float(rr.sum() / (rr.sum() + pp.sum()))
    log_det = float(np.linalg.slogdet(r)[1])
    df = k * (k - 1) // 2
    chi2 = max(-(n - 1 - (2 * k + 5) / 6) * log_det, 0.0)
    image = np.where(off, partial, 0.0) + np.diag(each)
    return Adequacy(kmo, each, chi2, df, float(special.chdtrc(df, chi2)), log_det, image)


def by_chance(n: int, k: int, draws: int, rng: np.random.Generator, sd: Floats | None = None) -> Floats:
    """Eigenvalues, largest first, of normal columns that have nothing in common, shape (draws, k).

    Of their correlations, or with ``sd``, shape (k,), of their covariances. Drawn as Wishart matrices by their
    triangular root
    (Bartlett, 1933), so that the number of rows costs nothing.
    """
    root = np.zeros((draws, k, k))
    low = np.tril_indices(k, -1)
    root[:, low[0], low[1]] = rng.standard_normal((draws, len(low[0])))
    places = np.arange(k)
    root[:, places, places] = np.sqrt(rng.chisquare(np.maximum(n - 1 - places, 1e-9), (draws, k)))
    if sd is None:
        root /= np.sqrt(np.einsum("dij,dij->di", root, root))[:, :, None]
    else:
        root *= (sd / np.sqrt(n - 1))[None, :, None]
    return np.asarray(np.linalg.eigvalsh(root @ root.transpose(0, 2, 1))[:, ::-1])


def beyond_chance(eigenvalues: Floats, limits: Floats) -> int:
    """How many leading eigenvalues lie above those of chance, up to the first that does not (Horn, 1965)."""
    above = eigenvalues > limits
    return int(len(above) if above.all() else np.argmin(above))
