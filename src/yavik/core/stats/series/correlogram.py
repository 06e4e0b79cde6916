"""Correlations of a series with itself at a distance."""

from dataclasses import dataclass

import numpy as np
from scipy import fft, special

from yavik.core.stats.groups import Floats

REACH = float(special.ndtri(0.975))


@dataclass(frozen=True)
class Correlogram:
    """For lags 1 … L.

    Args:
        acf: autocorrelations; se: their standard errors if they were zero from that lag on (Bartlett, 1946).
        pacf: partial ones; their standard error is 1/√n.
        q, p: of Ljung and Box (1978) up to each lag, p with ``fitted`` df taken off; NaN where none are left.
    """

    n: int
    acf: Floats
    se: Floats
    pacf: Floats
    q: Floats
    p: Floats

    @property
    def band(self) -> Floats:
        """Size that autocorrelations hardly pass, one time in twenty, if they are 0 from that lag on."""
        return np.asarray(REACH * self.se)

    @property
    def partial_band(self) -> float:
        """The same of partial ones."""
        return float(REACH / np.sqrt(self.n))


def autocovariances(y: Floats, lags: int) -> Floats:
    """c₀ … c_L about the mean with n below, by Fourier transform: shape (lags + 1,)."""
    z = y - y.mean()
    z = z - z.mean()
    n = len(z)
    f = fft.rfft(z, fft.next_fast_len(2 * n))
    return np.asarray(fft.irfft(np.abs(f) ** 2, fft.next_fast_len(2 * n))[: lags + 1] / n)


def correlogram(y: Floats, lags: int, fitted: int = 0) -> Correlogram:
    """Of a series without gaps that is not constant; ``lags`` below its length."""
    n = len(y)
    c = autocovariances(y, lags)
    r = c / c[0]
    acf = r[1:]
    se = np.sqrt((1 + 2 * np.concatenate([[0.0], np.cumsum(acf[:-1] ** 2)])) / n)
    k = np.arange(1, lags + 1)
    q = n * (n + 2) * np.cumsum(acf**2 / (n - k))
    df = k - fitted
    p = np.where(df > 0, special.chdtrc(np.maximum(df, 1), q), np.nan)
    return Correlogram(n, acf, se, partial(c * n / (n - np.arange(lags + 1))), q, np.asarray(p))


def partial(c: Floats) -> Floats:
    """Partial autocorrelations by Yule and Walker from autocovariances c₀ … c_L (Durbin, 1960): shape (L,).

    Those with n − k below, which is the bias-corrected factor, may leave the range from −1 to 1 in short series;
    they are then
    held at its ends.
    """
    r = c / c[0]
    lags = len(r) - 1
    out = np.zeros(lags)
    phi = np.zeros(0)
    left = 1.0
    for k in range(1, lags + 1):
        value = (r[k] - phi @ r[k - 1 : 0 : -1]) / left if left > 1e-12 else 0.0
        value = float(np.clip(value, -1.0, 1.0))
        out[k - 1] = value
        phi = np.concatenate([phi - value * phi[::-1], [value]])
        left *= 1 - value**2
    return out
