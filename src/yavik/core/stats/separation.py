"""Separation: directions of the coefficients along which the likelihood of a yes/no model never falls.

At a maximum the rows' signed columns, weighted by |y − μ|, sum to zero, and every weight is above zero; then no such
direction exists (Stiemke's theorem; Albert & Anderson, 1984). Where the weights of some rows have run out, a direction
can exist only among the coefficients that the other rows leave free. These are few, so that a small linear programme
over the rows that ran out settles it, however many rows there are.
"""

from dataclasses import dataclass

import numpy as np
from scipy import optimize

from yavik.core.stats.binary import BinaryFit, score_weights
from yavik.core.stats.groups import Floats
from yavik.core.stats.triangle import blocks

RUN_OUT = 1e-5
"""Weights below this have run out: the row is told nearly without doubt."""
AT_ONCE = 3000
"""Rows with which a linear programme begins; those that its answer violates are added."""


@dataclass(frozen=True)
class Separation:
    """
    Args:
        moved: places among the coefficients that a separating direction moves.
        complete: whether every row is told without a miss.
    """

    moved: frozenset[int]
    complete: bool


def find_separation(found: BinaryFit) -> Separation:
    """Of a model without penalty."""
    d = found.data
    weights = score_weights(found)
    out = np.flatnonzero(weights < RUN_OUT)
    if not len(out):
        return Separation(frozenset(), False)
    free = _left_free(found, weights)
    if not free.shape[1]:
        return Separation(frozenset(), False)
    rest = d.plain(out) @ free  # plain, so that a direction names the columns that separate and no others
    rest = np.where(d.y[out, None] > 0.5, rest, -rest)
    moved = np.zeros(d.x.shape[1], bool)
    while len(rest):
        direction = _direction(rest)
        if direction is None:
            break
        whole = free @ direction
        moved |= np.abs(whole) > 1e-6 * np.abs(whole).max()
        # Rows told without a miss say nothing more; the others may separate in turn.
        rest = rest[rest @ direction <= 1e-7 * max(float(np.abs(rest).max()), 1e-300)]
    complete = len(out) == len(d.y) and not len(rest) and bool(moved.any())
    return Separation(frozenset(np.flatnonzero(moved).tolist()), complete)


def _left_free(found: BinaryFit, weights: Floats) -> Floats:
    """Orthonormal directions, shape (q, m), that change nothing for the rows whose weights have not run out."""
    d = found.data
    q = d.x.shape[1]
    square = np.zeros((q, q))
    for a, b in blocks(0, len(d.y)):
        x = d.plain(np.arange(a, b)[weights[a:b] >= RUN_OUT])
        square += x.T @ x
    size = np.sqrt(np.maximum(np.diag(square), 0))
    size[size == 0] = 1.0
    values, vectors = np.linalg.eigh(square / np.outer(size, size))
    null = vectors[:, values <= 1e-11 * max(float(values[-1]), 1e-300)] / size[:, None]
    return np.asarray(np.linalg.qr(null)[0]) if null.shape[1] else null


def _direction(rows: Floats) -> Floats | None:
    """A direction in which no row falls and some rise; as many as can be found by one linear programme."""
    rows = rows[np.abs(rows).max(axis=1) > 1e-9]
    if not len(rows):
        return None
    scale = np.abs(rows).max(axis=0)
    scale[scale == 0] = 1.0
    rows = rows / scale
    total = rows.sum(axis=0) / len(rows)
    rng = np.random.default_rng(0)
    used = np.unique(rng.choice(len(rows), min(AT_ONCE, len(rows)), replace=False))
    for _ in range(60):
        got = optimize.linprog(
            -total, A_ub=-rows[used], b_ub=np.zeros(len(used)), bounds=[(-1, 1)] * rows.shape[1], method="highs"
        )
        if got.status != 0 or -float(got.fun or 0.0) < 1e-9:
            return None
        along = np.asarray(got.x, float)
        sides = rows @ along
        wrong = np.flatnonzero(sides < -1e-9)
        if not len(wrong):
            return np.asarray(along / scale) if sides.max() > 1e-7 else None
        used = np.union1d(used, wrong[np.argsort(sides[wrong])[:AT_ONCE]])
    return None
