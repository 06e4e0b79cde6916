"""Several groups against one control: the distribution of the largest |t| (Dunnett, 1955, 1964).

With λᵢ = √(v₀/(vᵢ + v₀)), vᵢ the variance of a mean, differences from the control correlate as λᵢλⱼ, so that

    P(max |T| > t) = ∫ f(s) ∫ φ(z) [1 − Πᵢ (1 − qᵢ(z, s))] dz ds,
    qᵢ = Φ(−(ts + λᵢz)/√(1 − λᵢ²)) + Φ(−(ts − λᵢz)/√(1 − λᵢ²))

where s is the root of a χ² over its df. The bracket is −expm1 Σ log1p(−qᵢ), so small tails keep their digits.
"""

import numpy as np
from scipy import optimize, special

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats

NODES, WEIGHTS = np.polynomial.legendre.leggauss(80)
REACH = 9.0


def _panels(low: float, high: float, parts: int) -> tuple[Floats, Floats]:
    edges = np.linspace(low, high, parts + 1)
    half = np.diff(edges) / 2
    x = (edges[:-1] + half)[:, None] + half[:, None] * NODES
    return x.ravel(), (half[:, None] * WEIGHTS).ravel()


def sf(t: Floats, lam: Floats, df: float, *, one_sided: bool = False) -> Floats:
    """P(max |T| > t) for each t, or P(max T > t); ``lam`` has one entry per compared group."""
    z, wz = _panels(-REACH, REACH, 2)
    wz = wz * np.exp(-0.5 * z**2) / np.sqrt(2 * np.pi)
    if df > 1e6:
        s, ws = np.ones(1), np.ones(1)
    else:
        ends = np.sqrt(laws.chi2.ppf([1e-14, 0.5], df) / df), np.sqrt(laws.chi2.isf(1e-14, df) / df)
        s, ws = _panels(float(ends[0][0]), float(ends[1]), 1)
        log_f = np.log(2.0) + df / 2 * np.log(df / 2) - special.gammaln(df / 2) + (df - 1) * np.log(s) - df * s**2 / 2
        ws = ws * np.exp(log_f)
    out = np.empty(len(t))
    spare = np.sqrt(1 - lam**2)
    for i, value in enumerate(t if one_sided else np.abs(t)):
        log_keep = np.zeros((len(s), len(z)))
        for one, rest in zip(lam, spare, strict=True):
            up = special.ndtr(-(value * s[:, None] + one * z) / rest)
            down = special.ndtr(-(value * s[:, None] - one * z) / rest)
            with np.errstate(divide="ignore"):
                log_keep += np.log1p(-np.minimum(down if one_sided else up + down, 1.0))
        out[i] = ws @ (-np.expm1(log_keep) @ wz)
    return np.clip(out, 0.0, 1.0)


def critical(alpha: float, lam: Floats, df: float, *, one_sided: bool = False) -> float:
    """The |t| (or t) that the largest exceeds with chance α."""

    def gap(t: float) -> float:
        """How far the level at t lies above the one that is looked for."""
        return float(sf(np.array([t]), lam, df, one_sided=one_sided)[0]) - alpha

    top = 4.0
    while gap(top) > 0:
        top *= 2
    return float(optimize.brentq(gap, 0.1, top, xtol=1e-9))
