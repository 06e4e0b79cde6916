"""Models of units followed over time: pooled, between, fixed effects, random effects, first differences, unit means."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.stats.change.absorb import demeaned, independent, rank_of
from yavik.core.stats.change.regression import Estimates, regress
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered


@dataclass(frozen=True, eq=False)
class Panel:
    """
    Args:
        y: shape (n,). x: shape (n, p), without an intercept. unit, time: codes from 0, each with every code there.
    """

    y: Floats
    x: Floats
    unit: Any
    time: Any

    @property
    def n(self) -> int:
        """Rows."""
        return len(self.y)

    @cached_property
    def units(self) -> int:
        """How many units."""
        return int(self.unit.max()) + 1

    @cached_property
    def sizes(self) -> Floats:
        """Rows of each unit."""
        return np.bincount(self.unit, minlength=self.units).astype(np.float64)

    def means(self, values: Floats) -> Floats:
        """Of each unit, shape (units, …)."""
        columns = values if values.ndim == 2 else values[:, None]
        made = self._sums(columns) / self.sizes[:, None]
        return np.asarray(made if values.ndim == 2 else made[:, 0])

    @cached_property
    def _starts(self) -> Any:
        """Where each unit begins, if rows stand by units; else None."""
        step = np.diff(self.unit)
        return np.flatnonzero(np.concatenate([[True], step != 0])) if (step >= 0).all() else None

    def _sums(self, columns: Floats) -> Floats:
        """Of each unit, shape (units, k)."""
        if self._starts is not None:
            return np.asarray(np.add.reduceat(columns, self._starts, axis=0))
        return np.column_stack([np.bincount(self.unit, c, self.units) for c in columns.T])

    @cached_property
    def centre(self) -> tuple[float, Floats]:
        """Means of y and x, taken off before anything is multiplied."""
        return float(self.y.mean()), np.asarray(np.ones(self.n) @ self.x / self.n)

    @cached_property
    def both(self) -> Floats:
        """y and x about their means, shape (n, 1 + p)."""
        middle, middles = self.centre
        made = np.empty((self.n, 1 + self.x.shape[1]))
        np.subtract(self.y, middle, out=made[:, 0])
        np.subtract(self.x, middles, out=made[:, 1:])
        return made

    @cached_property
    def unit_means(self) -> Floats:
        """Of ``both``, shape (units, 1 + p)."""
        return self.means(self.both)

    @cached_property
    def within(self) -> Floats:
        """``both`` about the units' means."""
        level = (
            np.repeat(self.unit_means, self.sizes.astype(np.int64), axis=0)
            if self._starts is not None
            else self.unit_means[self.unit]
        )
        return np.asarray(np.subtract(self.both, level, out=level))

    @cached_property
    def size(self) -> Floats:
        """Spread of y and x, against which what is left of a column is judged."""
        return np.asarray(np.sqrt(np.einsum("ij,ij->j", self.both, self.both) / self.n))

    @cached_property
    def varying(self) -> list[int]:
        """Columns of x that change within units."""
        left = np.sqrt(np.einsum("ij,ij->j", self.within, self.within)[1:] / self.n)
        return [j for j in range(self.x.shape[1]) if left[j] > 1e-9 * max(self.size[j + 1], 1e-300)]

    @cached_property
    def pairs(self) -> tuple[Any, Any]:
        """Rows that follow upon another row of their unit in the next period: later and earlier."""
        order = np.lexsort((self.time, self.unit))
        late, early = order[1:], order[:-1]
        next_ = (self.unit[late] == self.unit[early]) & (self.time[late] == self.time[early] + 1)
        return late[next_], early[next_]


@dataclass(frozen=True, eq=False)
class Fit:
    """
    Args:
        used: columns of x that have an estimate, in the order of ``estimates`` (which may go on with unit means).
        estimates: of the columns used, without the intercept. means: columns whose unit means follow.
        intercept: NaN where the model has none.
        theta: what part of the units' means is taken off: 0 pooled, 1 fixed; of every unit.
        lost: columns without an estimate. split: whether columns with means stand without them.
    """

    used: list[int]
    means: list[int]
    estimates: Estimates
    intercept: float
    intercept_se: float
    theta: Floats
    lost: list[int]
    n: int
    absorbed: int
    df: float
    rss: float
    split: bool = False

    def place(self, column: int) -> int | None:
        """Where a column's estimate stands."""
        return self.used.index(column) if column in self.used else None

    def mean_place(self, column: int) -> int | None:
        """Where the estimate of a column's unit mean stands."""
        return len(self.used) + self.means.index(column) if column in self.means else None


class NoModel(ValueError):
    """There are too few rows, units or changes for a model; says which."""


def _solved(
    p: Panel, columns: Floats, y: Floats, names: Sequence[int], size: Floats, se: str, absorbed: int, nested: int,
    clusters: Any, ones: Floats | None, theta: Floats, means: Sequence[int] = (), split: bool = False,
) -> Fit:  # fmt: skip
    """Least squares of transformed columns; ``names`` and ``means`` say of which columns of x they are."""
    every = columns if ones is None else np.column_stack([ones, columns])
    sizes = size if ones is None else np.concatenate([[1.0], size])
    kept = independent(every, sizes)
    first = 0 if ones is None else 1
    kept = [j for j in kept if j >= first]
    if not kept and ones is None:
        raise NoModel("no term changes within units")
    cols = [*([0] if first else []), *kept]
    if len(y) <= len(cols) + absorbed:
        raise NoModel("there are no more rows than coefficients")
    chosen = every if len(cols) == every.shape[1] else every[:, cols]
    found = regress(y, chosen, se, absorbed, clusters, None, nested)
    whole = [*names, *means]
    plain = len(names)
    used = [whole[j - first] for j in kept if j - first < plain]
    with_mean = [whole[j - first] for j in kept if j - first >= plain]
    lost = [c for c in names if c not in used]
    keep = slice(first, None)
    own = Estimates(
        found.coef[keep],
        found.covariance[keep, keep],
        found.df,
        found.factor,
        found.words,
        found.p[keep],
        found.residuals,
    )
    middle, middles = p.centre
    intercept, intercept_se = np.nan, np.nan
    if first:
        about = [
            0.0 if split and j - 1 < len(names) and whole[j - 1] in means else middles[whole[j - 1]] for j in kept
        ]
        turn = np.concatenate([[1.0], -np.array(about)])
        intercept = float(middle + turn @ found.coef)
        intercept_se = float(np.sqrt(max(turn @ found.covariance @ turn, 0.0)))
    rss = float(found.residuals @ found.residuals)
    return Fit(used, with_mean, own, intercept, intercept_se, theta, lost, len(y), absorbed, found.df, rss, split)


def pooled(p: Panel, se: str = "classical") -> Fit:
    """All rows as if of no unit; errors classical or by unit."""
    every = list(range(p.x.shape[1]))
    return _solved(
        p, p.both[:, 1:], p.both[:, 0], every, p.size[1:], se, 0, 0, p.unit, np.ones(p.n), np.zeros(p.units)
    )


def between(p: Panel) -> Fit:
    """Means of units, each counted once."""
    every = list(range(p.x.shape[1]))
    if p.units <= 2:
        raise NoModel("there are too few units")
    m = p.unit_means
    return _solved(
        p, m[:, 1:], m[:, 0], every, p.size[1:], "classical", 0, 0, None, np.ones(p.units), np.zeros(p.units)
    )


def fixed(p: Panel, se: str, periods: bool = False) -> Fit:
    """Own levels of units, and of periods, taken out."""
    every = list(range(p.x.shape[1]))
    flat, absorbed, nested = p.within, p.units, p.units
    if periods:
        flat = demeaned(p.both, [p.unit, p.time])
        absorbed = rank_of([p.unit, p.time])
    return _solved(
        p, flat[:, 1:], flat[:, 0], every, p.size[1:], se, absorbed, nested, p.unit, None, np.ones(p.units)
    )


@dataclass(frozen=True)
class Components:
    """Variances of units' levels and of what is left (Swamy and Arora, 1972; unbalanced: Baltagi and Chang, 1994)."""

    units: float
    rest: float

    def theta(self, sizes: Floats) -> Floats:
        """What part of each unit's mean is taken off."""
        return np.asarray(1 - np.sqrt(self.rest / np.maximum(sizes * self.units + self.rest, 1e-300)))


def components(p: Panel) -> Components:
    """From the residuals within units and those of their means; columns that cannot be estimated are not counted."""
    if p.varying:
        inner = fixed(p, "classical")
        left, df = inner.rss, inner.df
    else:
        left, df = float((p.within[:, 0] ** 2).sum()), float(p.n - p.units)
    if df <= 0:
        raise NoModel("there are no more rows than coefficients within units")
    rest = left / df
    root = np.sqrt(p.sizes)
    m = np.column_stack([np.ones(p.units), p.unit_means[:, 1:]])
    kept = independent(m * root[:, None], np.concatenate([[1.0], p.size[1:]]))
    if p.units <= len(kept):
        raise NoModel("there are no more units than coefficients")
    x = m[:, kept]
    cross = (x * p.sizes[:, None]).T @ x
    coef = np.linalg.solve(cross, (x * p.sizes[:, None]).T @ p.unit_means[:, 0])
    outer = float((p.sizes * (p.unit_means[:, 0] - x @ coef) ** 2).sum())
    trace = float(np.trace(np.linalg.solve(cross, (x * (p.sizes**2)[:, None]).T @ x)))
    units = (outer - (p.units - len(kept)) * rest) / max(p.n - trace, 1e-300)
    return Components(max(units, 0.0), rest)


def random(p: Panel, se: str, made: Components, with_means: str = "") -> Fit:
    """Units' levels drawn from one distribution: least squares of rows less a part of their units' means.

    Args:
        with_means: '' plain; 'added': units' means of columns that change stand beside them; 'split': what is left of
            those columns stands beside their units' means.
    """
    theta = made.theta(p.sizes)
    part = theta[p.unit]

    def less(values: Floats) -> Floats:
        """Without a part of the units' means."""
        return np.asarray(values - part[:, None] * p.means(values)[p.unit])

    names, means = list(range(p.x.shape[1])), p.varying if with_means else []
    x = p.both[:, 1:].copy()
    if with_means == "split":
        x[:, means] = p.within[:, [j + 1 for j in means]]
    columns = np.column_stack([x, p.unit_means[:, [j + 1 for j in means]][p.unit]])
    y = less(p.both[:, :1])[:, 0]
    size = np.concatenate([p.size[1:], p.size[[j + 1 for j in means]]])
    return _solved(
        p,
        less(columns),
        y,
        names,
        size,
        se,
        0,
        0,
        p.unit,
        1 - part,
        theta,
        means,
        with_means == "split",
    )


def first_differences(p: Panel, se: str) -> Fit:
    """Changes from one period to the next, without an intercept."""
    late, early = p.pairs
    if len(late) < 2:
        raise NoModel("no unit has rows in two periods that follow each other")
    change = p.both[late] - p.both[early]
    every = list(range(p.x.shape[1]))
    there, clusters = numbered(p.unit[late])
    if se == "cluster" and len(there) < 2:
        raise NoModel("changes are of one unit alone")
    return _solved(p, change[:, 1:], change[:, 0], every, p.size[1:], se, 0, 0, clusters, None, np.ones(p.units))


@dataclass(frozen=True)
class Determined:
    """Squared correlations of outcome and fitted: of what is left of the units' means, of the means, of all rows."""

    within: float
    between: float
    overall: float


def determined(p: Panel, fit: Fit) -> Determined:
    """By the slopes of the model, without units' levels."""
    b = fit.estimates.coef
    inner, outer = np.zeros(p.n), np.zeros(p.units)
    for j, slope in zip(fit.used, b, strict=False):
        inner += slope * p.within[:, j + 1]
        if not (fit.split and j in fit.means):
            outer += slope * p.unit_means[:, j + 1]
    for j, slope in zip(fit.means, b[len(fit.used) :], strict=True):
        outer += slope * p.unit_means[:, j + 1]

    def squared(a: Floats, c: Floats) -> float:
        """Squared correlation; NaN where one of them does not scatter."""
        a, c = a - a.mean(), c - c.mean()
        below = float((a @ a) * (c @ c))
        return float((a @ c) ** 2 / below) if below > 1e-24 * max(float(a @ a), 1e-300) ** 2 else np.nan

    return Determined(
        squared(p.within[:, 0], inner),
        squared(p.unit_means[:, 0], outer),
        squared(p.both[:, 0], inner + outer[p.unit]),
    )


@dataclass(frozen=True)
class Wald:
    """A test of several coefficients by χ²."""

    chi2: float
    df: int
    p: float


def hausman(inner: Fit, outer: Fit, form: str = "own") -> Wald | None:
    """Fixed against random effects (Hausman, 1978): squared difference of the estimates in units of the difference
    of their
    covariances.

    Args:
        form: each covariance with its 'own' residual variance, or both with that of the 'fixed' or of the 'random'
            effects.

    Returns:
        None where the difference of the covariances is not positive definite.
    """
    both = [j for j in inner.used if j in outer.used]
    if not both:
        return None
    a = [inner.used.index(j) for j in both]
    b = [outer.used.index(j) for j in both]
    d = inner.estimates.coef[a] - outer.estimates.coef[b]
    v = inner.estimates.covariance[np.ix_(a, a)]
    w = outer.estimates.covariance[np.ix_(b, b)]
    ratio = (outer.rss / outer.df) / (inner.rss / inner.df)
    v = v * ratio if form == "random" else v
    w = w / ratio if form == "fixed" else w
    gap = v - w
    size = np.sqrt(np.maximum(np.diag(v), 1e-300))
    values, turn = np.linalg.eigh(gap / np.outer(size, size))
    if values[0] <= 1e-10:
        return None
    z = turn.T @ (d / size)
    chi2 = float((z**2 / values).sum())
    return Wald(chi2, len(both), float(special.chdtrc(len(both), chi2)))


def units_differ(p: Panel, inner: Fit) -> tuple[float, int, float, float] | None:
    """F that all units have one level, with its df and p: the columns of the fixed effects with and without units'
    levels."""
    columns = [j + 1 for j in inner.used]
    x = np.column_stack([np.ones(p.n), p.both[:, columns]])
    e = p.both[:, 0] - x @ np.linalg.lstsq(x, p.both[:, 0], rcond=None)[0]
    df1 = p.units - 1
    if df1 < 1 or inner.df <= 0 or inner.rss <= 0:
        return None
    f = (float(e @ e) - inner.rss) / df1 / (inner.rss / inner.df)
    return f, df1, inner.df, float(special.fdtrc(df1, inner.df, max(f, 0.0)))
