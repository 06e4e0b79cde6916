"""The jump at a cut-off: conventional, bias-corrected and robust (Calonico, Cattaneo and Titiunik, 2014)."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.stats.change.jump.errors import Se, fit_residuals, neighbour_residuals
from yavik.core.stats.change.jump.local import Kernel, Local, TooFew, local
from yavik.core.stats.change.jump.quick import Moments
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered

Pair = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Sorted:
    """Rows in the order of their distance from the cut-off.

    Args:
        u: distances, shape (n,), ascending; those from 0 on are the right side.
        y: outcome, or outcome and treatment received in two columns, shape (n, k).
        z: covariates, shape (n, c). clusters: codes from 0, or None.
    """

    u: Floats
    y: Floats
    z: Floats
    clusters: Any = None
    se: Se = "nearest"

    @cached_property
    def at(self) -> int:
        """Where the right side begins."""
        return int(np.searchsorted(self.u, 0.0, "left"))

    @property
    def sides(self) -> tuple[slice, slice]:
        """Left and right."""
        return slice(0, self.at), slice(self.at, len(self.u))

    @cached_property
    def middle(self) -> Floats:
        """Means of the columns, which are taken off before anything is multiplied."""
        return np.asarray(self.y.mean(axis=0))

    @cached_property
    def centred(self) -> Floats:
        """Columns about their means."""
        return np.asarray(self.y - self.middle)

    @cached_property
    def near(self) -> Floats:
        """Residuals by nearest neighbours, shape (n, k)."""
        return np.concatenate([neighbour_residuals(self.u[s], self.centred[s]) for s in self.sides])

    @cached_property
    def alone(self) -> "Sorted":
        """The outcome without treatment and covariates."""
        plain = self.y.shape[1] == 1 and not self.z.shape[1]
        return self if plain else Sorted(self.u, self.y[:, :1], self.z[:, :0], self.clusters, self.se)

    @property
    def quick(self) -> bool:
        """Whether running sums give every estimate: errors by neighbours, no covariates."""
        return self.se == "nearest" and not self.z.shape[1]

    @cached_property
    def moments(self) -> tuple[Moments, Moments]:
        """Running sums of both sides."""
        left, right = self.sides
        return (
            Moments(-self.u[left][::-1], self.centred[left][::-1], self.near[left][::-1], -1),
            Moments(self.u[right], self.centred[right], self.near[right], 1),
        )

    def within(self, low: float, high: float) -> "Sorted":
        """Rows whose distances lie between two values."""
        keep = (self.u >= low) & (self.u <= high)
        clusters = None if self.clusters is None else numbered(self.clusters[keep])[1]
        return Sorted(self.u[keep], self.y[keep], self.z[keep], clusters, self.se)

    def moved(self, by: float) -> "Sorted":
        """Distances from another cut-off."""
        return replace(self, u=self.u - by)


@dataclass(frozen=True)
class Jump:
    """
    Args:
        estimate, se: conventional. corrected: without the bias of curvature; ``robust_se`` its error.
        h, b: windows of the estimate and of the bias, left and right. n: rows within h, n_b: within b.
        ends: values at the cut-off from the left and from the right (of the outcome).
        first: the jump of the treatment received, where there is one; first_se its error.
    """

    estimate: float
    se: float
    corrected: float
    robust_se: float
    h: Pair
    b: Pair
    n: tuple[int, int]
    n_b: tuple[int, int]
    ends: Pair
    first: float = np.nan
    first_se: float = np.nan

    def interval(self, kind: str, alpha: float) -> Pair:
        """'conventional', 'corrected' (its centre with the conventional error) or 'robust'."""
        z = float(special.ndtri(1 - alpha / 2))
        centre = self.estimate if kind == "conventional" else self.corrected
        se = self.robust_se if kind == "robust" else self.se
        return centre - z * se, centre + z * se

    def p(self, kind: str) -> float:
        """Of no jump, by the normal distribution."""
        centre = self.estimate if kind == "conventional" else self.corrected
        se = self.robust_se if kind == "robust" else self.se
        return float(2 * special.ndtr(-abs(centre / se))) if se > 0 else np.nan


def jump(d: Sorted, h: Pair, b: Pair, kernel: Kernel = "triangular", degree: int = 1) -> Jump:
    """The jump with windows that are given.

    Raises:
        TooFew: where a side has too few different distances within its window.
    """
    return _quick(d, h, b, kernel, degree) if d.quick else by_rows(d, h, b, kernel, degree)


def _quick(d: Sorted, h: Pair, b: Pair, kernel: Kernel, degree: int) -> Jump:
    """From running sums; the same numbers as by rows."""
    k = d.y.shape[1]
    levels, biases, n, n_b = np.zeros((2, k)), np.zeros((2, k)), [0, 0], [0, 0]
    made = []
    for i, m in enumerate(d.moments):
        row, curve = m.weights(h[i], kernel, degree), m.weights(b[i], kernel, degree + 1, degree + 1)
        lean = m.moment(row, degree + 1)
        levels[i] = [m.value(row, j) for j in range(k)]
        biases[i] = [lean * m.value(curve, j) for j in range(k)]
        n[i], n_b[i] = row.rows, curve.rows
        made.append((m, row, curve, lean))

    def error(share: Floats, robust: bool) -> float:
        """Of a combination of the columns."""
        parts = ([(1.0, row), (-lean, curve)] if robust else [(1.0, row)] for _, row, curve, lean in made)
        return float(np.sqrt(sum(m.squares(p, share) for (m, *_), p in zip(made, parts, strict=True))))

    return _told(levels + d.middle, biases, error, h, b, (n[0], n[1]), (n_b[0], n_b[1]))


def _told(
    levels: Floats, biases: Floats, error: Callable[[Floats, bool], float], h: Pair, b: Pair, n: tuple[int, int],
    n_b: tuple[int, int],
) -> Jump:  # fmt: skip
    """The jump, or the ratio of the outcome's to the treatment's, whose errors are those of outcome − effect ×
    treatment.

    Args:
        levels, biases: of left and right, shape (2, k). error: of a combination of the k columns, conventional or
            robust.
    """
    tau, bias = levels[1] - levels[0], biases[1] - biases[0]
    ends = (float(levels[0, 0]), float(levels[1, 0]))
    if len(tau) == 1:
        share, estimate = np.array([1.0]), float(tau[0])
        first, first_se = np.nan, np.nan
    else:
        first, first_se = float(tau[1]), error(np.array([0.0, 1.0]), False)
        if first == 0:
            nan = np.nan
            return Jump(nan, nan, nan, nan, h, b, n, n_b, ends, first, first_se)
        share, estimate = np.array([1 / tau[1], -tau[0] / tau[1] ** 2]), float(tau[0] / tau[1])
    corrected = estimate - float(share @ bias)
    return Jump(estimate, error(share, False), corrected, error(share, True), h, b, n, n_b, ends, first, first_se)


def by_rows(d: Sorted, h: Pair, b: Pair, kernel: Kernel = "triangular", degree: int = 1) -> Jump:
    """The same from every row's weight: for errors by residuals or clusters, and covariates.

    Raises:
        TooFew: where a side has too few different distances within its window.
    """
    fits = [
        (local(d.u[s], h[i], kernel, degree), local(d.u[s], b[i], kernel, degree + 1)) for i, s in enumerate(d.sides)
    ]
    if d.z.shape[1]:
        d = adjusted(d, [f for f, _ in fits])
    levels, biases = np.zeros((2, d.y.shape[1])), np.zeros((2, d.y.shape[1]))
    scores: list[tuple[Floats, Floats]] = []  # of each side: rows' conventional and corrected parts of the error
    for i, (s, (fit, wide)) in enumerate(zip(d.sides, fits, strict=True)):
        y = d.centred[s]
        row, curve = fit.row(), wide.row(degree + 1)
        lean = float(row @ d.u[s][fit.rows] ** (degree + 1))  # what a unit of that curvature adds to the level
        levels[i] = row @ y[fit.rows]
        biases[i] = lean * (curve @ y[wide.rows])
        plain, robust = np.zeros(len(y)), np.zeros(len(y))
        sign = 1 if i else -1  # a cluster may lie on both sides, whose levels are taken from each other
        plain[fit.rows] = sign * row
        robust[fit.rows] = sign * row
        robust[wide.rows] -= sign * lean * curve
        if d.se == "nearest":
            near = d.near[s]
            scores.append((plain[:, None] * near, robust[:, None] * near))
            continue
        e_plain, e_robust = np.zeros_like(y), np.zeros_like(y)
        e_plain[fit.rows] = fit_residuals(fit, y[fit.rows], d.se)
        whole = wide if wide.n >= fit.n else fit
        e_robust[fit.rows] = e_plain[fit.rows]
        e_robust[whole.rows] = fit_residuals(wide, y[wide.rows], d.se) if whole is wide else e_plain[whole.rows]
        scores.append((plain[:, None] * e_plain, robust[:, None] * e_robust))
    k = 2 * (degree + 1)

    def error(share: Floats, robust: bool) -> float:
        """Of a combination of the columns."""
        return _error([s[int(robust)] @ share for s in scores], d, k + 2 * robust)

    n, n_b = (fits[0][0].n, fits[1][0].n), (fits[0][1].n, fits[1][1].n)
    return _told(levels + d.middle, biases, error, h, b, n, n_b)


def _error(parts: list[Floats], d: Sorted, k: int) -> float:
    """From rows' parts; summed within clusters where these are asked for, × G/(G − 1) × (n − 1)/(n − k)."""
    whole = np.concatenate(parts)
    if d.se != "cluster":
        return float(np.sqrt((whole**2).sum()))
    used = whole != 0
    codes = numbered(d.clusters[used])[1]
    g, n = int(codes.max()) + 1 if used.any() else 0, int(used.sum())
    if g < 2:
        raise TooFew
    sums = np.bincount(codes, whole[used])
    return float(np.sqrt((sums**2).sum() * g / (g - 1) * (n - 1) / max(n - k, 1)))


def adjusted(d: Sorted, fits: list[Local]) -> Sorted:
    """The outcome less the covariates, whose slopes are the same on both sides (Calonico and others, 2019)."""
    k = d.z.shape[1]
    cross, with_y = np.zeros((k, k)), np.zeros((k, d.y.shape[1]))
    for s, fit in zip(d.sides, fits, strict=True):
        z, y = fit.residuals(d.z[s][fit.rows]), fit.residuals(d.y[s][fit.rows])
        cross = cross + z.T @ (z * fit.weights[:, None])
        with_y = with_y + z.T @ (y * fit.weights[:, None])
    slopes = np.linalg.lstsq(cross, with_y, rcond=None)[0]
    return Sorted(d.u, d.y - d.z @ slopes, np.zeros((len(d.u), 0)), d.clusters, d.se)
