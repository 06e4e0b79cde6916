"""Designs of regression models: terms of numbers, powers and coded categories as blocks of columns.

A category with k levels has k − 1 columns, each 1 in its level and 0 elsewhere; the level without one is the
reference. An interaction has the products of its parts' columns. Blocks of rows are made when they are asked for, so
that a million rows need no matrix of their own.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
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
        return tuple(p.name for p in self.parts)

    @property
    def is_main(self) -> bool:
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
        return [i for i in range(len(self.levels)) if i != self.reference]


@dataclass(frozen=True)
class DesignColumn:
    term: int
    levels: tuple[tuple[str, int], ...]
    """Category and level."""
    powers: tuple[tuple[str, int], ...]
    """Number and power."""


class Design:
    """
    Args:
        terms: in order.
        factors: of every category in the terms; other names are numbers.
        data: the rows' values: float arrays, and level places for categories, all of one length.
    """

    def __init__(self, terms: Sequence[ModelTerm], factors: Mapping[str, Factor], data: Points) -> None:
        self.terms, self.factors, self.data = list(terms), dict(factors), data
        self.columns = [c for t, term in enumerate(self.terms) for c in self._columns(t, term)]

    def _columns(self, place: int, term: ModelTerm) -> list[DesignColumn]:
        coded = [p.name for p in term.parts if p.name in self.factors]
        powers = tuple((p.name, p.power) for p in term.parts if p.name not in self.factors)
        choices = product(*(self.factors[n].others for n in coded))
        return [DesignColumn(place, tuple(zip(coded, levels, strict=True)), powers) for levels in choices]

    @property
    def p(self) -> int:
        return len(self.columns)

    @cached_property
    def n(self) -> int:
        return len(next(iter(self.data.values()))) if self.data else 0

    def places(self, term: int) -> list[int]:
        return [j for j, c in enumerate(self.columns) if c.term == term]

    def matrix(self, points: Points, n: int, kind: Any = np.float64) -> Any:
        """Rows of the design at points, shape (n, p), columns contiguous."""
        out = np.empty((n, self.p), kind, order="F")
        base: dict[tuple[str, int], Any] = {}

        def single(name: str, what: int, coded: bool) -> Any:
            if (name, what) not in base:
                values = points[name]
                base[name, what] = (values == what).astype(kind) if coded else np.asarray(values, kind) ** what
            return base[name, what]

        for j, column in enumerate(self.columns):
            parts = [single(n, v, True) for n, v in column.levels] + [single(n, k, False) for n, k in column.powers]
            out[:, j] = parts[0]
            for more in parts[1:]:
                out[:, j] *= more
        return out

    def block(self, start: int, stop: int, kind: Any = np.float64) -> Any:
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
    return [ModelTerm((part,)) for part in term.parts]
