"""Slopes and curvature of the marginal likelihood of items."""

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.items.response.curves import Curves
from yavik.core.stats.items.response.people import Answers, Posterior, table_of


def expected_information(table: Floats, c: Curves) -> Floats:
    """Information of each item on its own parameters if abilities were known, as blocks of one matrix."""
    items, _, width, _ = c.slope.shape
    people = table.sum(axis=1)
    block = np.einsum("jkpq,jkrq,jq->jpr", c.relative, c.slope, people, optimize=True)
    made = np.zeros((items * width, items * width))
    for j in range(items):
        made[j * width : (j + 1) * width, j * width : (j + 1) * width] = block[j]
    return made


def own_slopes(a: Answers, here: Posterior, c: Curves) -> Floats:
    """Slope of each pattern's log-likelihood, shape (patterns, J · p)."""
    items, most, width, points = c.slope.shape
    if a.right is not None:
        wrong, gap = (
            here.over @ v.transpose(2, 0, 1).reshape(points, -1)
            for v in (c.relative[:, 0], c.relative[:, 1] - c.relative[:, 0])
        )
        wrong += gap * np.repeat(a.right, width, axis=1)
        return np.asarray(wrong)
    d = c.relative.transpose(3, 0, 2, 1).reshape(points, -1)  # by item, parameter, answer
    mean = (here.over @ d).reshape(len(a.codes), items, width, most)
    made = np.einsum("njpk,njk->njp", mean, a.chosen.reshape(len(a.codes), items, most))
    return np.asarray(made.reshape(len(a.codes), -1))


def _together(right: Floats, weighted: Floats, rows: int = 4096) -> Floats:
    """How many people are expected at each node with two items right, shape (Q, J, J): products of pairs, once for
    all nodes."""
    items, points = right.shape[1], weighted.shape[1]
    i, j = np.triu_indices(items)
    total = np.zeros((points, len(i)))
    for low in range(0, len(right), rows):
        own = right[low : low + rows]
        total += weighted[low : low + rows].T @ (own[:, i] * own[:, j])
    made = np.zeros((points, items, items))
    made[:, i, j] = made[:, j, i] = total
    return made


def hessian(a: Answers, here: Posterior, c: Curves) -> Floats:
    """Second derivatives of the log-likelihood by all entries of beta in row order (Louis, 1982).

    Args:
        c: curves with ``bend``.
    """
    assert c.bend is not None
    items, most, width, points = c.slope.shape
    size = items * width
    weighted = here.over * a.counts[:, None]
    table = table_of(a, weighted, c.chance.shape)
    relative = c.relative
    made = np.zeros((size, size))
    if a.right is not None:
        together = _together(a.right, weighted)
        spread = np.repeat(np.arange(items), width)
        grid = np.ix_(spread, spread)
        for q in range(points):  # right and wrong are each other's rest: answers enter as down + x · gap
            down = relative[:, 0, :, q].ravel()
            gap = relative[:, 1, :, q].ravel() - down
            one = np.outer(table[spread, 1, q] * gap, down)
            made += together[q][grid] * np.outer(gap, gap) + one + one.T + weighted[:, q].sum() * np.outer(down, down)
    else:
        for q in range(points):
            pairs = a.chosen.T @ (a.chosen * weighted[:, q][:, None])
            d = np.zeros((items * most, size))
            for j in range(items):
                d[j * most : (j + 1) * most, j * width : (j + 1) * width] = relative[j, :, :, q]
            made += d.T @ pairs @ d
    ratio = table / np.maximum(c.chance, 1e-12)
    for j in range(items):  # of an item with itself
        at = slice(j * width, (j + 1) * width)
        made[at, at] = np.einsum("kq,kprq->pr", ratio[j], c.bend[j])
    own = own_slopes(a, here, c)
    return np.asarray(made - own.T @ (own * a.counts[:, None]))
