"""Linear discriminant analysis: functions of columns that tell groups apart, and rows put into groups by them."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.special import logsumexp

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats

SINGULAR = 1e-10
"""Part of a column's spread within groups that must be its own, not made up of the others."""


@dataclass(frozen=True)
class Tested:
    """Wilks' Λ with Rao's (1951) F, exact for two functions or two columns at most."""

    wilks: float
    f: float
    df1: float
    df2: float
    p: float
    exact: bool


@dataclass(frozen=True)
class Remaining:
    """What functions from one on still tell apart: Λ and Bartlett's (1941) χ²."""

    wilks: float
    chi2: float
    df: int
    p: float


@dataclass(frozen=True)
class Discriminant:
    """Functions of columns with a pooled variance of 1 within groups, uncorrelated there.

    Args:
        x: shape (n, columns). codes: group of each row, shape (n,). sizes: rows of each group.
        means: of groups, shape (groups, columns). pooled: covariance within groups, n − groups below.
        raw: coefficients, shape (columns, functions). values: eigenvalues of W⁻¹B, descending.
    """

    x: Floats
    codes: Any
    sizes: Any
    means: Floats
    pooled: Floats
    raw: Floats
    values: Floats

    @cached_property
    def grand(self) -> Floats:
        """Means of all rows."""
        return np.asarray(self.x.mean(axis=0))

    @property
    def n(self) -> int:
        """Rows."""
        return len(self.x)

    @property
    def groups(self) -> int:
        """Groups."""
        return len(self.sizes)

    @cached_property
    def scores(self) -> Floats:
        """Rows on the functions, about the mean of all: shape (n, functions)."""
        return np.asarray((self.x - self.grand) @ self.raw)

    @cached_property
    def whitened(self) -> Floats:
        """Rows about the mean of all where the pooled covariance is that of independent columns of variance 1."""
        low = np.linalg.cholesky(self.pooled)
        return np.asarray(np.linalg.solve(low, (self.x - self.grand).T).T)

    @cached_property
    def centroids(self) -> Floats:
        """Groups' means on the functions, shape (groups, functions)."""
        return np.asarray((self.means - self.grand) @ self.raw)

    @cached_property
    def standardised(self) -> Floats:
        """Coefficients of columns divided by their SD within groups."""
        return np.asarray(self.raw * np.sqrt(np.diag(self.pooled))[:, None])

    @cached_property
    def structure(self) -> Floats:
        """Correlations within groups of columns with functions, shape (columns, functions)."""
        return np.asarray((self.pooled @ self.raw) / np.sqrt(np.diag(self.pooled))[:, None])

    @property
    def shares(self) -> Floats:
        """Of each function in the sum of eigenvalues."""
        total = self.values.sum()
        return np.asarray(self.values / total if total > 0 else np.full(len(self.values), np.nan))

    @property
    def canonical(self) -> Floats:
        """Correlation of each function with the groups, √(λ/(1 + λ))."""
        return np.asarray(np.sqrt(self.values / (1 + self.values)))

    def remaining(self, first: int) -> Remaining:
        """Of the functions from ``first`` on (0 for all)."""
        left = -float(np.log1p(self.values[first:]).sum())
        columns = self.x.shape[1]
        stat = -(self.n - 1 - (columns + self.groups) / 2) * left
        df = (columns - first) * (self.groups - 1 - first)
        return Remaining(float(np.exp(left)), stat, df, float(laws.chi2.sf(stat, df)))

    @cached_property
    def tested(self) -> Tested:
        """All functions together."""
        p, q = self.x.shape[1], self.groups - 1
        wilks = float(np.exp(-np.log1p(self.values).sum()))
        s = np.sqrt((p**2 * q**2 - 4) / (p**2 + q**2 - 5)) if p**2 + q**2 > 5 else 1.0
        m = self.n - 1 - (p + q + 1) / 2
        df1, df2 = float(p * q), float(m * s - p * q / 2 + 1)
        if df2 <= 0:
            return Tested(wilks, np.nan, df1, df2, np.nan, False)
        root = wilks ** (1 / s)
        f = (1 - root) / root * df2 / df1 if root > 0 else np.inf
        return Tested(wilks, float(f), df1, df2, float(laws.f.sf(f, df1, df2)), min(p, q) <= 2)


def discriminant(x: Floats, codes: Any, groups: int) -> Discriminant:
    """Fisher's (1936) functions. Signs: the largest standardised coefficient of each is above 0.

    Args:
        x: shape (n, columns), with more rows than groups and columns together and no column made up of the others.
    """
    sizes = np.bincount(codes, minlength=groups)
    grand = x.mean(axis=0)
    means = np.stack([x[codes == g].mean(axis=0) for g in range(groups)])
    inside = x - means[codes]
    df = len(x) - groups
    spread = np.sqrt((inside**2).sum(axis=0) / df)
    _, s, v = np.linalg.svd(inside / spread / np.sqrt(df), full_matrices=False)
    whiten = v.T / s / spread[:, None]
    between = (means - grand) @ whiten * np.sqrt(sizes)[:, None]
    _, long, turn = np.linalg.svd(between, full_matrices=False)
    many = min(x.shape[1], groups - 1)
    raw = whiten @ turn[:many].T
    standard = raw * spread[:, None]
    signs = np.sign(standard[np.abs(standard).argmax(axis=0), np.arange(many)])
    pooled = inside.T @ inside / df
    return Discriminant(x, codes, sizes, means, pooled, raw * signs, np.asarray(long[:many] ** 2 / df))


def made_up(x: Floats, codes: Any, groups: int) -> list[int]:
    """Places of columns that within groups are constant or made up of those before them."""
    means = np.stack([x[codes == g].mean(axis=0) for g in range(groups)])
    inside = x - means[codes]
    size = np.sqrt((inside**2).sum(axis=0))
    # what is left after taking the group means off is rounding where a column is the same in each group
    flat = size <= SINGULAR * np.sqrt((x**2).sum(axis=0))
    out = [int(k) for k in np.flatnonzero(flat)]
    kept = np.zeros((len(x), 0))
    for k in np.flatnonzero(~flat):
        own = inside[:, k] / size[k]
        for _ in range(2):
            own = own - kept @ (kept.T @ own)
        left = float(np.sqrt(own @ own))
        if left <= SINGULAR**0.5 * 0.01:
            out.append(int(k))
        else:
            kept = np.column_stack([kept, own / left])
    return sorted(out)


@dataclass(frozen=True)
class Placed:
    """Rows put into the group that is likeliest.

    Args:
        chosen: shape (n,), −1 where it cannot be said. chances: of each group, shape (n, groups).
        away: squared distance (Mahalanobis) of each row from its own group's mean.
    """

    chosen: Any
    chances: Floats
    away: Floats


def _placed(squares: Floats, priors: Floats, codes: Any) -> Placed:
    log = np.log(priors) - squares / 2
    known: Any = np.isfinite(squares).all(axis=1)
    log = np.where(known[:, None], log, 0.0)
    chances = np.exp(log - logsumexp(log, axis=1, keepdims=True))
    chances[~known] = np.nan
    chosen = np.where(known, log.argmax(axis=1), -1)
    return Placed(chosen, chances, squares[np.arange(len(codes)), codes])


def placed(d: Discriminant, priors: Floats) -> Placed:
    """Every row by functions that were made with it.

    Args:
        priors: chance of each group before anything is known of a row.
    """
    gap = d.scores[:, None, :] - d.centroids[None, :, :]
    squares = (gap**2).sum(axis=2)
    # what the functions leave out is the same for every group, so it is added for the distances alone
    rest = ((d.whitened - d.scores @ _turned(d)) ** 2).sum(axis=1)
    found = _placed(squares, priors, d.codes)
    return Placed(found.chosen, found.chances, found.away + rest)


def _turned(d: Discriminant) -> Floats:
    """The functions as directions among those columns: shape (functions, columns)."""
    return np.asarray((np.linalg.cholesky(d.pooled).T @ d.raw).T)


def left_out(d: Discriminant, priors: Floats) -> Placed:
    """Every row by functions made without it (Lachenbruch, 1967), from the inverse of the pooled covariance without
    one row. A row that is alone in its group, or without which the covariance has no inverse, cannot be placed."""
    z = d.whitened
    centres = np.stack([z[d.codes == g].mean(axis=0) for g in range(d.groups)])
    size = d.sizes[d.codes].astype(float)
    alone = size < 2
    own = z - centres[d.codes]
    factor = np.where(alone, np.nan, size / np.where(alone, 1.0, size - 1))
    df = d.n - d.groups
    with np.errstate(invalid="ignore", divide="ignore"):
        a = factor / df
        rest = 1 - a * (own**2).sum(axis=1)
        rest = np.where(rest > 1e-9, rest, np.nan)
        squares = np.empty((d.n, d.groups))
        for g in range(d.groups):
            gap = np.where((d.codes == g)[:, None], own * factor[:, None], z - centres[g])
            along = (own * gap).sum(axis=1)
            squares[:, g] = ((gap**2).sum(axis=1) + a * along**2 / rest) * (df - 1) / df
    return _placed(squares, priors, d.codes)


@dataclass(frozen=True)
class Alone:
    """A column by itself: Λ, F and p of a one-way analysis of variance."""

    wilks: float
    f: float
    p: float


def each_alone(d: Discriminant) -> list[Alone]:
    """Of every column."""
    df1, df2 = d.groups - 1, d.n - d.groups
    within = np.diag(d.pooled) * df2
    between = (d.sizes[:, None] * (d.means - d.grand) ** 2).sum(axis=0)
    f = between / df1 / (within / df2)
    return [
        Alone(float(w / (w + b)), float(v), float(laws.f.sf(v, df1, df2)))
        for w, b, v in zip(within, between, f, strict=True)
    ]


@dataclass(frozen=True)
class Spreads:
    """Box's (1949) M for covariances that are alike, with its F; ``why``: where it cannot be computed."""

    m: float = np.nan
    f: float = np.nan
    p: float = np.nan
    why: str = ""


def box(d: Discriminant) -> Spreads:
    """Each group must have more rows than columns."""
    p, g = d.x.shape[1], d.groups
    if int(d.sizes.min()) <= p:
        few = int(d.sizes.min())
        return Spreads(why=f"the smallest group has {few} {'row' if few == 1 else 'rows'} for {p} columns")
    freedom = d.sizes - 1.0
    total = float(freedom.sum())
    logs = [np.linalg.slogdet(np.atleast_2d(np.cov(d.x[d.codes == k].T))) for k in range(g)]
    if any(s <= 0 for s, _ in logs):
        return Spreads(why="a group has a column that is made up of others within it")
    m = total * float(np.linalg.slogdet(d.pooled)[1]) - float(
        sum(v * lg for v, (_, lg) in zip(freedom, logs, strict=True))
    )
    inverse = float((1 / freedom).sum()) - 1 / total
    c1 = inverse * (2 * p**2 + 3 * p - 1) / (6 * (p + 1) * (g - 1))
    c2 = (float((1 / freedom**2).sum()) - 1 / total**2) * (p - 1) * (p + 2) / (6 * (g - 1))
    df1 = p * (p + 1) * (g - 1) / 2
    gap = c2 - c1**2
    if abs(gap) < 1e-300:
        return Spreads(m, m * (1 - c1) / df1, float(laws.chi2.sf(m * (1 - c1), df1)))
    df2 = (df1 + 2) / abs(gap)
    if gap > 0:
        f = m * (1 - c1 - df1 / df2) / df1
    else:
        b = df2 / (1 - c1 + 2 / df2)
        f = df2 * m / (df1 * (b - m)) if b > m else np.inf
    return Spreads(m, float(f), float(laws.f.sf(max(f, 0.0), df1, df2)))
