"""Whether a series stands still: tests with a unit root as the claim, and with standing still as the claim."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats

Trend = Literal["none", "constant", "trend"]
LONG = 5000
"""Changes from which the number of lags is chosen by cross-products."""
SURFACE = {
    "none": (-1.04, -19.04, np.inf, (0.6344, 1.2378, 0.032496), (0.4797, 0.93557, -0.06999, 0.033066)),
    "constant": (-1.61, -18.83, 2.74, (2.1659, 1.4412, 0.038269), (1.7339, 0.93202, -0.12745, -0.010368)),
    "trend": (-2.89, -16.18, 0.70, (3.2512, 1.6047, 0.049588), (2.5261, 0.61654, -0.37956, -0.060285)),
}
"""MacKinnon's response surface (1994, tables 3 and 4): where the lower polynomial ends, ends of the range, both
polynomials."""
STILL = {
    "constant": ((0.347, 0.10), (0.463, 0.05), (0.574, 0.025), (0.739, 0.01)),
    "trend": ((0.119, 0.10), (0.146, 0.05), (0.176, 0.025), (0.216, 0.01)),
}
"""Critical values of Kwiatkowski, Phillips, Schmidt and Shin (1992, table 1)."""


@dataclass(frozen=True)
class UnitRoot:
    """One test. ``p`` of those with standing still as the claim lies between .01 and .10 where it is known."""

    statistic: float
    p: float
    lags: int
    n: int
    bounded: Literal["", "below", "above"] = ""
    """Whether p is only known to lie below .01 or above .10."""


def surface_p(tau: float, trend: Trend) -> float:
    """p of a Dickey–Fuller t (MacKinnon, 1994)."""
    star, low, high, small, large = SURFACE[trend]
    if tau > high:
        return 1.0
    if tau < low:
        return 0.0
    powers = small if tau <= star else large
    return float(special.ndtr(sum(c * tau**k for k, c in enumerate(powers))))


def most_lags(n: int) -> int:
    """12 (n/100)^¼, rounded up (Schwert, 1989), and fewer than half of the points."""
    return int(max(0, min(np.ceil(12 * (n / 100) ** 0.25), n // 2 - 4)))


def augmented(y: Floats, trend: Trend, lags: int | None = None, sums: "Sums | None" = None) -> UnitRoot:
    """Dickey and Fuller's t with lagged changes (1984); how many by AIC on a common sample unless said.

    Args:
        sums: cross-products of the same series, for long ones; made here where they are not given.

    Raises:
        ValueError: for too few points, or a series whose change is constant.
    """
    d = np.diff(y)
    most = most_lags(len(y)) if lags is None else lags
    if len(d) - most < most + 5:
        raise ValueError("too few points")
    if len(d) > LONG:
        return (sums or Sums(y, max(most, most_lags(len(y))))).test(trend, lags)
    chosen = lags if lags is not None else _by_aic(y, d, trend, most)
    x, target = _design(y, d, trend, chosen)
    t, _ = _t_of_first(x, target)
    return UnitRoot(t, surface_p(t, trend), chosen, len(target))


class Sums:
    """Cross-products of a long series with its lagged changes: one product of the longest design serves every test."""

    def __init__(self, y: Floats, most: int) -> None:
        self.mean = float(y.mean())
        self.y, self.most = y - self.mean, most
        self.d = np.diff(y)
        full, target = _design(self.y, self.d, "trend", most)
        self.gram, self.cross = full.T @ full, full.T @ target
        self.total, self.n = float(target @ target), len(target)

    def _of(self, trend: Trend, lags: int, gram: Floats, cross: Floats) -> tuple[Floats, Floats]:
        """Of the level, constant and trend as asked, and so many lagged changes."""
        way = np.eye(len(gram))
        way[1, 0] = self.mean  # the level is told from zero where there is no constant
        if trend != "none":
            way[1, 0] = 0.0
        own = [0, *{"none": (), "constant": (1,), "trend": (1, 2)}[trend], *range(3, 3 + lags)]
        return (way.T @ gram @ way)[np.ix_(own, own)], (way.T @ cross)[own]

    def test(self, trend: Trend, lags: int | None) -> UnitRoot:
        """As ``augmented``."""
        first = {"none": 1, "constant": 2, "trend": 3}[trend]
        chosen = lags
        if chosen is None:
            gram, cross = self._of(trend, self.most, self.gram, self.cross)
            gained = np.cumsum(np.linalg.solve(np.linalg.cholesky(_scaled(gram)[0]), cross / _scaled(gram)[1]) ** 2)
            rest = np.maximum(self.total - gained[first - 1 :], 1e-300)
            chosen = int(np.argmin(self.n * np.log(rest / self.n) + 2 * (first + np.arange(self.most + 1))))
        # Fewer lags leave some points more: they are added.
        some, target = _design(self.y, self.d, "trend", self.most, upto=chosen)
        gram, cross = self._of(trend, chosen, self.gram + some.T @ some, self.cross + some.T @ target)
        total, n = self.total + float(target @ target), self.n + len(target)
        scaled, scale = _scaled(gram)
        b = np.linalg.solve(scaled, cross / scale)
        left = max(total - float(b @ (cross / scale)), 0.0)
        se = np.sqrt(left / (n - first - chosen) * np.linalg.inv(scaled)[0, 0])
        if not se > 0:
            raise ValueError("nothing varies")
        t = float(b[0] / se)
        return UnitRoot(t, surface_p(t, trend), chosen, n)


def _scaled(gram: Floats) -> tuple[Floats, Floats]:
    scale = np.sqrt(np.diag(gram))
    if (scale == 0).any():
        raise ValueError("nothing varies")
    return gram / np.outer(scale, scale), scale


def _design(y: Floats, d: Floats, trend: Trend, lags: int, upto: int | None = None) -> tuple[Floats, Floats]:
    """The level before, constant and trend, then lagged changes.

    Args:
        upto: only the first points, those that so few lags would not cost; lags beyond it stand as 0.
    """
    start, end = (lags, len(d)) if upto is None else (upto, lags)
    target = d[start:end]
    columns = [y[start:end]]
    if trend != "none":
        columns.append(np.ones(len(target)))
    if trend == "trend":
        columns.append(np.arange(start + 1.0, end + 1) / len(d))
    used = lags if upto is None else upto
    columns += [d[start - i : end - i] for i in range(1, used + 1)]
    columns += [np.zeros(len(target)) for _ in range(lags - used)]
    # column by column, which long lists of lags need
    out = np.empty((len(target), len(columns)), order="F")
    for i, column in enumerate(columns):
        out[:, i] = column
    return out, target


def _by_aic(y: Floats, d: Floats, trend: Trend, most: int) -> int:
    """Number of lagged changes of least AIC, all on the points that the longest leaves."""
    x, target = _design(y, d, trend, most)
    scale = np.sqrt((x**2).mean(axis=0))
    scale[scale == 0] = 1.0
    q, _ = np.linalg.qr(x / scale)
    total = float(target @ target)
    gained = np.cumsum((q.T @ target) ** 2)
    first = x.shape[1] - most
    rest = np.maximum(total - gained[first - 1 :], 1e-300)
    n = len(target)
    aic = n * np.log(rest / n) + 2 * (first + np.arange(most + 1))
    return int(np.argmin(aic))


def _t_of_first(x: Floats, y: Floats) -> tuple[float, Floats]:
    """t of the first column by least squares, and residuals."""
    scale = np.sqrt((x**2).mean(axis=0))
    if (scale == 0).any():
        raise ValueError("nothing varies")
    q, r = np.linalg.qr(x / scale)
    if (np.abs(np.diag(r)) < 1e-10 * np.abs(np.diag(r)).max()).any():
        raise ValueError("nothing varies")
    b = np.linalg.solve(r, q.T @ y)
    rest = y - q @ (q.T @ y)
    s2 = float(rest @ rest) / (len(y) - x.shape[1])
    inverse = np.linalg.inv(r)
    se = float(np.sqrt(s2 * (inverse[0] ** 2).sum()))
    if se <= 1e-14 * max(1.0, abs(float(b[0]))):
        raise ValueError("nothing varies")
    return float(b[0]) / se, rest


def long_run(e: Floats, lags: int) -> float:
    """Variance of a sum of e by Bartlett's weights (Newey and West, 1987)."""
    n = len(e)
    total = float(e @ e) / n
    for k in range(1, lags + 1):
        total += 2 * (1 - k / (lags + 1)) * float(e[k:] @ e[:-k]) / n
    return total


def automatic_lags(e: Floats) -> int:
    """Lags of Bartlett's weights by Hobijn, Franses and Ooms (1998)."""
    n = len(e)
    most = int(np.floor(n ** (2 / 9)))
    s0 = float(e @ e) / n
    s1 = 0.0
    for k in range(1, most + 1):
        c = float(e[k:] @ e[:-k]) / (n / 2)
        s0 += c
        s1 += k * c
    if s0 == 0:
        return 0
    gamma = 1.1447 * ((s1 / s0) ** 2) ** (1 / 3)
    return int(min(gamma * n ** (1 / 3), n - 1))


def still(y: Floats, trend: Literal["constant", "trend"], lags: int | None = None) -> UnitRoot:
    """KPSS: cumulative sums of what a constant or a trend leaves; lags by Hobijn, Franses and Ooms unless said.

    Raises:
        ValueError: for a series without spread about it.
    """
    n = len(y)
    e = y - y.mean()
    if trend == "trend":
        t = np.arange(n) - (n - 1) / 2
        e = e - t * float(t @ e) / float(t @ t)
    used = automatic_lags(e) if lags is None else min(lags, n - 1)
    spread = long_run(e, used)
    if not spread > 0:
        raise ValueError("nothing varies")
    statistic = float((np.cumsum(e) ** 2).sum() / n**2 / spread)
    values, ps = zip(*STILL[trend], strict=True)
    p = float(np.interp(statistic, values, ps))
    bounded: Literal["", "below", "above"] = (
        "above" if statistic < values[0] else "below" if statistic > values[-1] else ""
    )
    return UnitRoot(statistic, p, used, n, bounded)


def phillips_perron(y: Floats, trend: Trend, lags: int | None = None) -> UnitRoot:
    """Z of t (Phillips and Perron, 1988): Dickey and Fuller's t without lagged changes, corrected by a long-run
    variance.

    Raises:
        ValueError: as ``augmented``.
    """
    d = np.diff(y)
    x, target = _design(y, d, trend, 0)
    n = len(target)
    if n < x.shape[1] + 3:
        raise ValueError("too few points")
    t, rest = _t_of_first(x, target)
    used = most_lags(n) if lags is None else min(lags, n - 1)
    gamma = float(rest @ rest) / n
    spread = long_run(rest, used)
    if not spread > 0:
        raise ValueError("nothing varies")
    s = np.sqrt(float(rest @ rest) / (n - x.shape[1]))
    level = x[:, 0]
    others = x[:, 1:]
    left = level - others @ np.linalg.lstsq(others, level, rcond=None)[0] if others.shape[1] else level
    se = s / np.sqrt(float(left @ left))
    z = np.sqrt(gamma / spread) * t - (spread - gamma) / (2 * np.sqrt(spread)) * n * se / s
    return UnitRoot(float(z), surface_p(float(z), trend), used, n)
