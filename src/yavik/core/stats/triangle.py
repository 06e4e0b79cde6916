"""The triangle of a least squares problem: R of the centred, scaled columns with the response as the last.

Everything of a linear model follows from it, for the whole design and for any choice of its columns. Up to a few
million numbers it comes from a Householder QR of the columns themselves; above that from cross-products taken in
blocks, as long as their condition leaves the digits alone, and else from a QR of blocks. Small designs that are badly
conditioned, such as high powers, are worked out in extended precision (Golub & Van Loan, 2013, ch. 5).
"""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.linalg import solve_triangular

from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats

AT_ONCE = 1_000_000
"""Numbers of a design that are kept whole."""
ROWS = 32768
"""Rows of a block: thirty columns of it lie in the cache."""
EXTENDED = 200_000
ILL = 300.0
"""Condition from which extended precision is used where it can be."""
GRAM_ILL = 1e3
"""Condition of the columns up to which cross-products keep ten digits and more."""
SAME = 1e-11
SAME_EXTENDED = 1e-15
"""A column with less of its own than this, as a share of its length, follows from those before it."""


@dataclass(frozen=True)
class Triangle:
    """
    Args:
        r: upper triangle, shape (p + 1, p + 1); the last column is the response.
        centre: shape (p + 1,), means that were taken off; zeros without an intercept.
        scale: shape (p + 1,), lengths that columns were divided by; the response keeps 1.
        n: rows.
        weight: sum of the weights.
    """

    r: Floats
    centre: Floats
    scale: Floats
    n: int
    weight: float
    intercept: bool
    tolerance: float
    coef: Floats | None = None
    """Of all columns, after the intercept's, where they were solved in extended precision."""

    def among(self, columns: list[int]) -> "Triangle":
        """The triangle of a part of the columns."""
        take = [*columns, len(self.centre) - 1]
        r = (
            _r_of(self.r[:, take])
            if columns != list(range(columns[-1] + 1 if columns else 0))
            else (_cut(self.r, len(columns)))
        )
        return Triangle(r, self.centre[take], self.scale[take], self.n, self.weight, self.intercept, self.tolerance)


def _cut(r: Floats, k: int) -> Floats:
    """The first k columns and the response: what lies below is gathered into one last entry."""
    out = np.zeros((k + 1, k + 1))
    out[:k, :k], out[:k, k] = r[:k, :k], r[:k, -1]
    out[k, k] = np.linalg.norm(r[k:, -1])
    return out


def triangle(design: Design, y: Floats, weights: Floats | None, intercept: bool) -> Triangle:
    """R of the QR decomposition of the design with the response as its last column; large ones by blocks of rows."""
    n = len(y)
    if n * (design.p + 1) <= AT_ONCE:
        return _whole(design, y, weights, intercept)
    return _by_blocks(design, y, weights, intercept)


def _whole(design: Design, y: Floats, weights: Floats | None, intercept: bool) -> Triangle:
    n = len(y)
    made = _prepared(design.block(0, n), y, weights, intercept)
    r = _house(made[0])
    if n * (design.p + 1) <= EXTENDED and _condition(r[:-1, :-1]) > ILL:
        kind = np.longdouble
        made = _prepared(design.block(0, n, kind), y.astype(kind), weights, intercept)
        fine, tolerance = _householder(made[0]), SAME_EXTENDED
        r, coef = fine.astype(np.float64), _solved(fine, made[1], made[2], intercept)
    else:
        tolerance, coef = SAME, None
    centre, scale = made[1].astype(np.float64), made[2].astype(np.float64)
    weight = float(weights.sum()) if weights is not None else float(n)
    return Triangle(r, centre, scale, n, weight, intercept, tolerance, coef)


def _prepared(x: Any, y: Any, weights: Floats | None, intercept: bool) -> tuple[Any, Any, Any]:
    """Columns and response, centred and brought to length one (the response keeps its own)."""
    z = np.column_stack([x, y])
    if intercept:
        centre = np.average(z, axis=0, weights=weights) if weights is not None else z.mean(axis=0)
        z -= centre
        centre = centre + (_mean(z, weights))  # a second look takes back what rounding lost
        z -= _mean(z, weights)
    else:
        centre = np.zeros(z.shape[1], z.dtype)
    if weights is not None:
        z *= np.sqrt(weights).astype(z.dtype)[:, None]
    scale = np.sqrt((z * z).sum(axis=0))
    scale[-1] = 1.0
    scale[scale == 0] = 1.0
    return z / scale, centre, scale


def _mean(z: Any, weights: Floats | None) -> Any:
    return np.average(z, axis=0, weights=weights) if weights is not None else z.mean(axis=0)


def _r_of(z: Floats) -> Floats:
    return np.asarray(np.linalg.qr(z, mode="r"), np.float64)


def _house(z: Floats) -> Floats:
    """R with as many rows as columns, even for fewer rows."""
    r = _r_of(z)
    if len(r) < z.shape[1]:
        r = np.vstack([r, np.zeros((z.shape[1] - len(r), z.shape[1]))])
    return r


def _householder(a: Any) -> Any:
    """R by Householder reflections in the precision of ``a``."""
    a = a.copy()
    n, p = a.shape
    for j in range(min(n - 1, p)):
        v = a[j:, j].copy()
        length = np.sqrt((v * v).sum())
        if length == 0:
            continue
        v[0] += length if v[0] >= 0 else -length
        v /= np.sqrt((v * v).sum())
        a[j:, j:] -= 2 * v[:, None] * (v[:, None] * a[j:, j:]).sum(axis=0)
    out = np.zeros((p, p), a.dtype)
    out[: min(n, p)] = np.triu(a[:p])
    return out


def _solved(r: Any, centre: Any, scale: Any, intercept: bool) -> Floats | None:
    """Coefficients by back substitution in the precision of ``r``; None where a column has nothing of its own."""
    p = len(r) - 1
    if np.abs(np.diag(r)[:p]).min() <= SAME_EXTENDED:
        return None
    b = np.zeros(p, r.dtype)
    for j in range(p - 1, -1, -1):
        b[j] = (r[j, p] - (r[j, j + 1 : p] * b[j + 1 :]).sum()) / r[j, j]
    b = b / scale[:p]
    first = [centre[p] - (centre[:p] * b).sum()] if intercept else []
    return np.asarray(np.array([*first, *b]), np.float64)


def _condition(r: Floats) -> float:
    if not r.size:
        return 1.0
    s = np.linalg.svd(r, compute_uv=False)
    return float(s[0] / s[-1]) if s[-1] > 0 else np.inf


def spans(n: int, workers: int = 2) -> list[tuple[int, int]]:
    """Rows cut into one span for each worker."""
    cuts = np.linspace(0, n, workers + 1).astype(int)
    return [(int(a), int(b)) for a, b in pairwise(cuts)]


def blocks(start: int, stop: int) -> Iterator[tuple[int, int]]:
    """Spans of rows small enough to stay in the cache."""
    for a in range(start, stop, ROWS):
        yield a, min(a + ROWS, stop)


def side_by_side(work: Callable[[tuple[int, int]], Any], n: int) -> list[Any]:
    """Two halves of the rows at once: numpy works outside the interpreter's lock."""
    if n < 4 * ROWS:
        return [work((0, n))]
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(work, spans(n)))


def _by_blocks(design: Design, y: Floats, weights: Floats | None, intercept: bool) -> Triangle:
    n, p = len(y), design.p
    places = np.linspace(0, n - 1, 2000).astype(int)
    sample = design.matrix({k: v[places] for k, v in design.data.items()}, len(places))
    about = np.append(sample.mean(axis=0), y[places].mean()) if intercept else np.zeros(p + 1)

    def moved(a: int, b: int) -> tuple[Floats, Floats | None]:
        """Rows of the design with the response, and their weights."""
        z = np.empty((b - a, p + 1), order="F")
        z[:, :p] = design.block(a, b)
        z[:, p] = y[a:b]
        if intercept:
            z -= about
        return z, None if weights is None else np.sqrt(weights[a:b])

    def products(span: tuple[int, int]) -> tuple[Floats, Floats]:
        """Cross-products of some of the rows."""
        square, total = np.zeros((p + 1, p + 1)), np.zeros(p + 1)
        for a, b in blocks(*span):
            z, root = moved(a, b)
            if root is not None:
                z *= root[:, None]
                total += root @ z
            else:
                total += z.sum(axis=0)
            square += z.T @ z
        return square, total

    found = side_by_side(products, n)
    square, total = sum(f[0] for f in found), sum(f[1] for f in found)
    weight = float(weights.sum()) if weights is not None else float(n)
    off = total / weight if intercept else np.zeros(p + 1)
    square = square - weight * np.outer(off, off)
    centre = about + off if intercept else about
    scale = np.sqrt(np.maximum(np.diag(square), 0))
    scale[-1] = 1.0
    scale[scale == 0] = 1.0
    scaled = square / np.outer(scale, scale)
    values = np.linalg.eigvalsh(scaled[:p, :p]) if p else np.ones(1)
    if values[0] > 0 and values[-1] / values[0] < GRAM_ILL**2 and scaled[p, p] > 0:
        r = _cholesky(scaled)
        if r is not None:
            return Triangle(r, centre, scale, n, weight, intercept, SAME)

    def pressed(span: tuple[int, int]) -> Floats:
        """R of some of the rows."""
        r = np.zeros((0, p + 1))
        for a, b in blocks(*span):
            z, root = moved(a, b)
            z -= off
            z /= scale
            if root is not None:
                z *= root[:, None]
            r = _r_of(np.vstack([r, z]))
        return r

    return Triangle(_house(np.vstack(side_by_side(pressed, n))), centre, scale, n, weight, intercept, SAME)


def _cholesky(scaled: Floats) -> Floats | None:
    """R from scaled cross-products; None where the response follows from the columns."""
    p = len(scaled) - 1
    r = np.zeros_like(scaled)
    r[:p, :p] = np.linalg.cholesky(scaled[:p, :p]).T
    r[:p, p] = solve_triangular(r[:p, :p], scaled[:p, p], trans="T") if p else 0.0
    rest = scaled[p, p] - r[:p, p] @ r[:p, p]
    if rest <= 1e-8 * scaled[p, p]:
        return None
    r[p, p] = np.sqrt(rest)
    return r
