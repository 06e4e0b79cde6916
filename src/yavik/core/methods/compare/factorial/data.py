"""Rows of a factorial question sorted into factors, covariates and cells, and the terms of its model."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np

from yavik.core.answers.wording import listing
from yavik.core.figures.data import printed_decimals
from yavik.core.stats.groups import Floats
from yavik.core.stats.linear import MOST_DESIGN, Cells, Factor, LinearModel, Term, cells_of, present
from yavik.core.table import Column, DataProblem, Table

MOST_FACTORS = 5


@dataclass(frozen=True)
class Factorial:
    response: Column
    factors: tuple[Factor, ...]
    titles: tuple[str, ...]
    """Of the factors, the block last where there is one."""
    block: int | None
    covariates: tuple[str, ...]
    x: Floats
    y: Floats
    rows: Any
    used: Any
    cells: Cells
    model: LinearModel
    decimals: int

    def name(self, term: Term) -> str:
        """The term in words: 'Seat × Light', or a covariate's title."""
        if term[0] < 0:
            return self.covariates[-term[0] - 1]
        return " × ".join(self.titles[f] for f in term)

    def empty_cells(self, term: Term) -> list[str]:
        """Combinations of a term's levels that no row has."""
        sizes = [len(self.factors[f].levels) for f in term]
        seen = {tuple(int(v) for v in row) for row in np.unique(self.cells.levels[:, list(term)], axis=0)}
        return [
            ", ".join(self.factors[f].levels[v] for f, v in zip(term, place, strict=True))
            for place in np.ndindex(*sizes)
            if tuple(place) not in seen
        ]


def read(
    table: Table,
    response: str,
    factors: Sequence[str],
    covariates: Sequence[str],
    block: str | None,
    interactions: Any,
) -> Factorial:
    """Raises DataProblem for columns chosen twice, factors with one level, and models with more terms than rows."""
    names = [*factors, *([block] if block else [])]
    chosen = [response, *names, *covariates]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two slots; each column can have one place.", column=twice)
    if len(factors) > MOST_FACTORS:
        raise DataProblem(
            f"{len(factors)} factors are too many for one answer; choose up to {MOST_FACTORS}.",
            column=factors[MOST_FACTORS],
        )
    column = table.column(response)
    y = table.numbers(response)
    coded = [table.codes(n) for n in names]
    x = np.column_stack([table.numbers(c) for c in covariates]) if covariates else np.empty((table.n_rows, 0))
    used = ~np.isnan(y) & ~np.isnan(x).any(axis=1)
    for c in coded:
        used &= c.codes >= 0
    if not used.any():
        raise DataProblem(f"No row has {listing([response, *names, *covariates], 8)} all filled.", column=response)
    made = [Factor(n, *present(c.codes[used], c.levels)) for n, c in zip(names, coded, strict=True)]
    for f in made:
        if len(f.levels) < 2:
            raise DataProblem(f"{f.name} has one level, '{f.levels[0]}'; a factor needs two.", column=f.name)
    for i, name in enumerate(covariates):
        if np.ptp(x[used, i]) == 0:
            raise DataProblem(f"All values of {name} are the same: nothing can go with it.", column=name)
    terms = terms_of(factors, interactions, len(covariates), block is not None)
    width = 1 + sum(1 if t[0] < 0 else int(np.prod([len(made[f].levels) - 1 for f in t])) for t in terms)
    if width > MOST_DESIGN:
        raise DataProblem(
            f"The model has {width} parameters; up to {MOST_DESIGN} can be had. Leave out an interaction or a"
            " factor.",
            column=factors[0],
        )
    values = y[used]
    if np.ptp(values) == 0:
        raise DataProblem(f"All values of {response} are the same: there is nothing to explain.", column=response)
    cells = cells_of(values, made, x[used])
    model = LinearModel(cells, terms)
    if model.df < 1:
        raise DataProblem(
            f"The model uses up all {len(values)} rows: nothing is left to judge differences against. Leave out the"
            " highest interaction.",
            column=factors[0],
        )
    if model.rss <= 1e-20 * model.total:
        raise DataProblem(
            "The model fits every value exactly: there is no scatter to judge differences against.", column=response
        )
    return Factorial(
        column,
        tuple(made),
        tuple(table.column(n).title for n in names),
        len(factors) if block else None,
        tuple(table.column(c).title for c in covariates),
        x[used],
        values,
        table.rows[used],
        used,
        cells,
        model,
        printed_decimals(column),
    )


def terms_of(factors: Sequence[str], interactions: Any, covariates: int, block: bool) -> list[Term]:
    """Covariates, block, main effects, then interactions by order: the order in which type I takes them."""
    k = len(factors)
    terms: list[Term] = [(-i - 1,) for i in range(covariates)]
    terms += [(k,)] if block else []
    terms += [(i,) for i in range(k)]
    if interactions == "all":
        terms += [c for size in range(2, k + 1) for c in combinations(range(k), size)]
    elif interactions != "none":
        chosen: list[Term] = []
        for group in interactions:
            unknown = next((g for g in group if g not in factors), None)
            if unknown is not None:
                raise DataProblem(f"The interaction with {unknown}: it is not among the factors.", column=unknown)
            place = tuple(sorted({list(factors).index(g) for g in group}))
            if len(place) < 2:
                raise DataProblem(f"An interaction needs two different factors; {listing(list(group))} was given.")
            if place not in chosen:
                chosen.append(place)
        terms += sorted(chosen, key=lambda t: (len(t), t))
    return terms
