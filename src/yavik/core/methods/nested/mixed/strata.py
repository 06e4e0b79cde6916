"""Where each term changes among the units, and the classical analysis of the strata where there is one.

In a balanced design every term lives in one stratum: among the units of one kind, or among rows within units. There
F is a quotient of two mean squares, and the mixed model's F is the same.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from yavik.core.methods.nested.mixed.design import Random
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import lies_within
from yavik.core.stats.oneway import FTest, f_test

MOST_ROWS = 5000
CLEAN = 1e-7


@dataclass(frozen=True)
class Stratum:
    """The classical test of one term.

    Args:
        place: of the random term whose units it is tested among; −1 for rows within units.
        error: mean square of error.
    """

    place: int
    test: FTest
    error: float


def nested_order(random: list[Random]) -> list[int] | None:
    """Places of the random terms from wide units to those within them; None where some cross."""
    order = sorted(range(len(random)), key=lambda i: random[i].n_units)
    for wide, narrow in pairwise(order):
        if not lies_within(random[narrow].codes, random[wide].codes):
            return None
    return order


def level_of(m: MixedModel, term: int) -> int:
    """The place of the widest units among which a term changes and within which it does not; −1 where it changes
    within all."""
    names = m.data.terms[term].names
    order = sorted(range(len(m.random)), key=lambda i: m.random[i].n_units)
    for i in order:
        if all(_constant(m.data.design.data[n], m.random[i].codes, m.random[i].n_units) for n in names):
            return i
    return -1


def _constant(values: Any, codes: Any, many: int) -> bool:
    first = np.zeros(many, np.asarray(values).dtype)
    first[codes] = values
    return bool(np.all(first[codes] == values))


def strata(m: MixedModel) -> list[Stratum | None] | None:
    """The classical test of every term; None where the design has no such analysis."""
    order = nested_order(m.random)
    if (
        order is None
        or not m.random
        or m.data.n > MOST_ROWS
        or any(r.z.shape[1] > 1 or r.term.slopes for r in m.random)
    ):
        return None
    spaces = [*(_means(m.random[i]) for i in order), None]
    x, y = m.x[:, m.fitted.first :], m.data.y
    if m.fitted.intercept:
        x, y = x - x.mean(axis=0), y - y.mean()
    found: list[Stratum | None] = [None] * len(m.data.terms)
    rest_x, rest_y, left = x, y, len(y) - int(m.fitted.intercept)
    before = int(m.fitted.intercept)
    parts = []
    for i, own in zip([*order, -1], spaces, strict=True):
        if own is None:
            px, py, df = rest_x, rest_y, left
        else:
            px, py = own(rest_x), own(rest_y)
            df = m.random[i].n_units - before
            before = m.random[i].n_units
            left -= df
        parts.append((i, px, py, df))
        rest_x, rest_y = rest_x - px, rest_y - py
    size = np.linalg.norm(x, axis=0)
    for t in range(len(m.data.terms)):
        found[t] = _tested(m, t, parts, size)
        if found[t] is None:
            return None
    return found


def _means(r: Random):  # type: ignore[no-untyped-def]
    n = np.bincount(r.codes, minlength=r.n_units).astype(float)

    def project(v: Floats) -> Floats:
        """Means of each unit, at its rows."""
        wide = v.reshape(len(v), -1)
        sums = np.zeros((r.n_units, wide.shape[1]))
        np.add.at(sums, r.codes, wide)
        return np.asarray((sums / n[:, None])[r.codes].reshape(v.shape))

    return project


def _tested(m: MixedModel, term: int, parts: list[Any], size: Floats) -> Stratum | None:
    """F of a term in the stratum that holds it whole; None where it is spread over several."""
    whole = m.data.design.tested(term)[:, m.fitted.columns]
    own = np.flatnonzero(np.abs(whole).max(axis=0) > 0)
    homes = [
        k for k, (_, px, _, _) in enumerate(parts) if (np.linalg.norm(px[:, own], axis=0) > CLEAN * size[own]).any()
    ]
    columns = [j for j, c in enumerate(m.fitted.columns) if m.data.design.columns[c].term == term]
    mine = [
        k
        for k, (_, px, _, _) in enumerate(parts)
        if (np.linalg.norm(px[:, columns], axis=0) > CLEAN * size[columns]).any()
    ]
    if len(mine) > 1 and set(mine) != set(homes):
        return None
    # An interaction's columns reach into other strata by their coding; the hypothesis itself does not.
    for k in reversed(mine):
        place, px, py, df = parts[k]
        coef, _, rank, _ = np.linalg.lstsq(px, py, rcond=1e-9)
        inverse = np.linalg.pinv(px.T @ px, rcond=1e-12, hermitian=True)
        told = whole - whole @ inverse @ (px.T @ px)
        if np.abs(told).max() > 1e-6:
            continue
        rss = float(((py - px @ coef) ** 2).sum())
        free = df - int(rank)
        if free < 1 or not rss > 0:
            return None
        covariance = whole @ inverse @ whole.T
        estimate = whole @ coef
        value = float(estimate @ np.linalg.solve(covariance, estimate)) / len(whole)
        error = rss / free
        return Stratum(place, f_test(value / error, len(whole), free), error)
    return None
