"""Designs of regression models: terms of numbers, powers and coded categories as blocks of columns.

A category with k levels has k − 1 columns, each 1 in its level and 0 elsewhere; the level without one is the
reference. An interaction has the products of its parts' columns. Blocks of rows are made when they are asked for, so
that a million rows need no matrix of their own.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations, product
from math import comb
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats

Points = Mapping[str, Any]
"""For each column its values: numbers, or the places of its levels."""


@dataclass(frozen=True)
class Part:
    """A column within a term; ``power`` is 1 for a category."""

    name: str
    power: int = 1


@dataclass(frozen=True)
class ModelTerm:
    parts: tuple[Part, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """Its columns, in order."""
        return tuple(p.name for p in self.parts)

    @property
    def is_main(self) -> bool:
        """Whether it is one column as it stands."""
        return len(self.parts) == 1 and self.parts[0].power == 1

    def within(self, other: "ModelTerm") -> bool:
        """Whether a model with ``other`` should also have this one: x under x² and under x × z."""
        if self == other:
            return False
        powers = {p.name: p.power for p in other.parts}
        return all(p.power <= powers.get(p.name, 0) for p in self.parts)


@dataclass(frozen=True)
class Factor:
    """The levels of a category that occur, and which of them the others are compared with."""

    levels: tuple[str, ...]
    reference: int

    @property
    def others(self) -> list[int]:
        """Places of the levels that have a column."""
        return [i for i in range(len(self.levels)) if i != self.reference]


@dataclass(frozen=True)
class DesignColumn:
    term: int
    levels: tuple[tuple[str, int], ...]
    """Category and level."""
    powers: tuple[tuple[str, int], ...]
    """Number and power."""


Origin = Mapping[str, tuple[float, float]]
"""For each number its centre and scale: columns hold (x − centre)/scale. Names that are not there stand as they
are."""


class Design:
    """
    Numbers stand about an origin of their own and in a scale of their own, so that a column of years or of powers
    costs no digits. Where the terms allow it (every lower power and part is there) that is the same model; ``raw``
    leads coefficients back to the columns as they are spoken of: about their own zero, or about ``about``.

    Args:
        terms: in order.
        factors: of every category in the terms; other names are numbers.
        data: the rows' values: float arrays, and level places for categories, all of one length.
        origin: centre and scale of numbers; see ``own_origin``.
        full: a category whose main effect has a column for every level, for models without an intercept.
        about: where the zero of numbers is that coefficients and tests are told of; their own unless given.
    """

    def __init__(
        self,
        terms: Sequence[ModelTerm],
        factors: Mapping[str, Factor],
        data: Points,
        origin: Origin | None = None,
        full: str | None = None,
        about: Mapping[str, float] | None = None,
    ) -> None:
        self.terms, self.factors, self.data = list(terms), dict(factors), data
        self.origin, self.full, self.about = dict(origin or {}), full, dict(about or {})
        self.columns = [c for t, term in enumerate(self.terms) for c in self._columns(t, term)]

    def _columns(self, place: int, term: ModelTerm) -> list[DesignColumn]:
        coded = [p.name for p in term.parts if p.name in self.factors]
        powers = tuple((p.name, p.power) for p in term.parts if p.name not in self.factors)
        every = len(term.parts) == 1 and coded == [self.full]
        choices = product(*(range(len(f.levels)) if every else f.others for f in (self.factors[n] for n in coded)))
        return [DesignColumn(place, tuple(zip(coded, levels, strict=True)), powers) for levels in choices]

    @property
    def p(self) -> int:
        """Columns."""
        return len(self.columns)

    @cached_property
    def n(self) -> int:
        """Rows."""
        return len(next(iter(self.data.values()))) if self.data else 0

    def places(self, term: int) -> list[int]:
        """Places of a term's columns."""
        return [j for j, c in enumerate(self.columns) if c.term == term]

    def matrix(self, points: Points, n: int, kind: Any = np.float64) -> Any:
        """Rows of the design at points, shape (n, p), columns contiguous."""
        out = np.empty((n, self.p), kind, order="F")
        base: dict[tuple[str, int], Any] = {}

        def single(name: str, what: int, coded: bool) -> Any:
            """A column, or a level's 0 and 1, made once."""
            if (name, what) not in base:
                values = points[name]
                base[name, what] = (values == what).astype(kind) if coded else self._stood(name, values, kind) ** what
            return base[name, what]

        for j, column in enumerate(self.columns):
            parts = [single(n, v, True) for n, v in column.levels] + [single(n, k, False) for n, k in column.powers]
            out[:, j] = parts[0]
            for more in parts[1:]:
                out[:, j] *= more
        return out

    def _stood(self, name: str, values: Any, kind: Any) -> Any:
        """A number's values about its origin, in its scale."""
        values = np.asarray(values, kind)
        if name not in self.origin:
            return values
        centre, scale = self.origin[name]
        return (values - kind(centre)) / kind(scale)

    def slope(self, points: Points, n: int, name: str) -> Floats:
        """Derivatives of the columns by a number, per unit of it as it is, shape (n, p)."""
        out = np.zeros((n, self.p), order="F")
        scale = self.origin.get(name, (0.0, 1.0))[1]
        for j, column in enumerate(self.columns):
            power = dict(column.powers).get(name, 0)
            if not power:
                continue
            value = power * self._stood(name, points[name], np.float64) ** (power - 1) / scale
            for other, k in column.powers:
                if other != name:
                    value = value * self._stood(other, points[other], np.float64) ** k
            for other, level in column.levels:
                value = value * (np.asarray(points[other]) == level)
            out[:, j] = value
        return out

    def averaged(self, place: Points) -> Floats:
        """One row, shape (1, p): numbers and some categories at their place, the levels of the others counting alike.

        As columns are products over categories, their mean over all combinations of levels is the product of the
        means over each: no combination has to be made.
        """
        out = np.ones((1, self.p))
        for j, column in enumerate(self.columns):
            for name, power in column.powers:
                out[0, j] *= float(self._stood(name, place[name], np.float64)) ** power
            for name, level in column.levels:
                out[0, j] *= float(place[name] == level) if name in place else 1.0 / len(self.factors[name].levels)
        return out

    def carry(self, to: Origin | None = None) -> Any:
        """What turns coefficients (the intercept first) into those of columns about another origin, shape (1 + p, 1
        + p).

        Without ``to``: of the columns as they are. In extended precision, since binomials of large centres cancel.
        """
        to = to or {}
        place = {(c.levels, c.powers): j + 1 for j, c in enumerate(self.columns)}
        turn = np.zeros((self.p + 1, self.p + 1), np.longdouble)
        turn[0, 0] = 1
        for j, column in enumerate(self.columns):
            parts: list[tuple[tuple[tuple[str, int], ...], Any]] = [((), np.longdouble(1))]
            for name, power in column.powers:
                centre, scale = self.origin.get(name, (0.0, 1.0))
                new, size = to.get(name, (0.0, 1.0))
                away = np.longdouble(new) - np.longdouble(centre)  # (x − c)/s = (size · x′ + away)/s
                ratio, step = np.longdouble(size) / np.longdouble(scale), away / np.longdouble(scale)
                parts = [
                    (kept + (((name, k),) if k else ()), weight * comb(power, k) * ratio**k * step ** (power - k))
                    for kept, weight in parts
                    for k in range(power + 1)
                    if k == power or step != 0
                ]
            for powers, weight in parts:
                target = place.get((column.levels, powers)) if powers or column.levels else 0
                if target is None:
                    raise ValueError("the terms do not allow another origin")
                turn[target, j + 1] += weight
        return turn

    @cached_property
    def raw(self) -> Any:
        """``carry`` to the columns as they are spoken of."""
        return self.carry({k: (v, 1.0) for k, v in self.about.items()})

    def tested(self, term: int) -> Floats:
        """``hypothesis`` in the design's own coefficients: what is tested is said of the columns as they are spoken
        of."""
        rows = self.hypothesis(term) @ self.raw[1:, 1:]
        size = np.abs(rows).max(axis=1, keepdims=True)
        return np.asarray(rows / np.where(size > 0, size, 1), np.float64)

    def block(self, start: int, stop: int, kind: Any = np.float64) -> Any:
        """Rows from ``start`` to ``stop``, shape (rows, p)."""
        stop = min(stop, self.n) if self.data else stop
        return self.matrix({k: v[start:stop] for k, v in self.data.items()}, stop - start, kind)

    def hypothesis(self, term: int) -> Floats:
        """Combinations of coefficients that a type III test of a term sets to zero, shape (df, p).

        Terms that hold the same numbers and further categories count with the mean over those categories' levels, so
        that a main effect is that over all levels alike and does not hang on which one is the reference.
        """
        own = self.places(term)
        out = np.zeros((len(own), self.p))
        for i, j in enumerate(own):
            out[i, j] = 1.0
            mine = self.columns[j]
            for k, other in enumerate(self.columns):
                if other.term == term or other.powers != mine.powers or not set(mine.levels) < set(other.levels):
                    continue
                more = [n for n, _ in other.levels if n not in dict(mine.levels)]
                out[i, k] = 1.0 / float(np.prod([len(self.factors[n].levels) for n in more]))
        return out


def own_origin(terms: Sequence[ModelTerm], data: Points, factors: Mapping[str, Factor], intercept: bool) -> Origin:
    """Each number's middle and half its range; the middle only where moving it leaves the model the same."""
    found: dict[str, tuple[float, float]] = {}
    for name in dict.fromkeys(n for t in terms for n in t.names if n not in factors):
        values = data[name]
        low, high = float(np.min(values)), float(np.max(values))
        centre = low + (high - low) / 2 if intercept and movable(terms, name) else 0.0
        scale = max(abs(high - centre), abs(low - centre))
        found[name] = (centre, scale if scale > 0 else 1.0)
    return found


def movable(terms: Sequence[ModelTerm], name: str) -> bool:
    """Whether the terms hold everything that moving the zero of a number brings in."""
    have = {frozenset((p.name, p.power) for p in t.parts) for t in terms}
    for term in terms:
        power = next((p.power for p in term.parts if p.name == name), 0)
        others = [(p.name, p.power) for p in term.parts if p.name != name]
        for lower in range(power):
            needed = frozenset([*others, *([(name, lower)] if lower else [])])
            if needed and needed not in have:
                return False
    return True


def missing_lower(terms: Sequence[ModelTerm]) -> list[tuple[ModelTerm, ModelTerm]]:
    """Terms without one that belongs under them: an interaction without its columns, a square without the column."""
    found = []
    for term in terms:
        for under in _under(term):
            if under not in terms:
                found.append((term, under))
    return found


def _under(term: ModelTerm) -> list[ModelTerm]:
    if len(term.parts) == 1:
        part = term.parts[0]
        return [ModelTerm((Part(part.name, k),)) for k in range(1, part.power)]
    return [ModelTerm(parts) for size in range(1, len(term.parts)) for parts in combinations(term.parts, size)]
