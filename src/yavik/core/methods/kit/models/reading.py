"""The rows, columns and levels that a model reads from a table."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers import RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import counted, listing
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.kit.models.terms import CATEGORIES, IN_TERMS, ModelData, Term, model_term
from yavik.core.stats.design import Design, Factor, ModelTerm, own_origin
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table, rows_in_words

MOST_LEVELS = 60


MOST_COLUMNS = 400


def read_terms(table: Table, terms: Sequence[Term], response: str) -> list[ModelTerm]:
    """Terms without repeats; raises DataProblem for those that cannot stand in a model."""
    found: list[ModelTerm] = []
    for term in terms:
        made = model_term(term)
        for part in made.parts:
            column = table.column(part.name)
            if part.name == response:
                raise DataProblem(
                    f"{part.name} is what is to be explained; it cannot also explain.", column=part.name
                )
            if column.kind.value not in IN_TERMS:
                raise DataProblem(
                    f"{part.name} is of kind {column.kind.value.replace('_', '/')}; a term is a measure, a count or a"
                    " category.",
                    column=part.name,
                )
            if part.power > 1 and column.kind.value in CATEGORIES:
                raise DataProblem(
                    f"{part.name} is a category: its levels have no size, so it has no power. Its levels already have"
                    " an estimate each.",
                    column=part.name,
                )
        if len({p.name for p in made.parts}) < len(made.parts):
            raise DataProblem(
                f"{made.parts[0].name} stands twice in an interaction; a measure with itself is its square.",
                column=made.parts[0].name,
            )
        if len(made.parts) > 1:
            same = next((f for f in found if len(f.parts) > 1 and set(f.parts) == set(made.parts)), None)
            if same:
                continue
        if made not in found:
            found.append(made)
    return found


def read_model(
    table: Table,
    response: str,
    terms: Sequence[Term],
    reference: dict[str, str],
    weights: str | None,
    y: Floats,
    intercept: bool = True,
) -> ModelData:
    """Raises DataProblem for columns that are constant, levels that are not there and models larger than the data.

    Without an intercept the first category with a main effect has a coefficient for each of its levels.
    """
    made = read_terms(table, terms, response)
    names = list(dict.fromkeys(n for t in made for n in t.names))
    columns = {n: table.column(n) for n in names}
    values: dict[str, Any] = {}
    filled = ~np.isnan(y)
    for name, column in columns.items():
        if column.kind.value in CATEGORIES:
            values[name] = table.codes(name).codes
            filled &= values[name] >= 0
        else:
            values[name] = table.numbers(name)
            filled &= ~np.isnan(values[name])
    w: Floats | None = None
    left: list[LeftOut] = []
    if weights:
        w, filled, left = _weights(table, weights, filled)
    if not filled.any():
        raise DataProblem(f"No row has {listing([response, *names], 8)} all filled.", column=response)
    places = np.flatnonzero(filled)
    whole = len(places) == table.n_rows
    data: dict[str, Any] = {n: v if whole else v[places] for n, v in values.items()}
    factors = {}
    for name, column in columns.items():
        if column.kind.value in CATEGORIES:
            data[name], factors[name] = _factor(table, name, data[name], reference.get(name))
        elif np.ptp(data[name]) == 0:
            raise DataProblem(
                f"All values of {name} are the same among the {counted(len(places), 'row')} used: nothing can go"
                " with it.",
                column=name,
            )
    unknown = next((n for n in reference if n not in factors), None)
    if unknown:
        raise DataProblem(f"{unknown} has a reference level, but is no category among the terms.", column=unknown)
    full = next((t.names[0] for t in made if len(t.parts) == 1 and t.names[0] in factors), None)
    origin = own_origin(made, data, factors, intercept)
    design = Design(made, factors, data, origin, None if intercept else full)
    if design.p > MOST_COLUMNS:
        raise DataProblem(
            f"The model has {design.p} coefficients; up to {MOST_COLUMNS} can be had. Leave out an interaction or a"
            " column with many levels.",
            column=names[0],
        )
    gone = table.rows[~filled]
    empty = len(gone) - sum(x.n for x in left)
    if empty:
        rest = np.setdiff1d(gone, [r for x in left for r in x.rows]) if left else gone
        left.append(LeftOut(why="a cell of the model is empty", n=empty, rows=rest[:200].tolist()))
    return ModelData(
        table, table.column(response), columns, made, factors, design, y if whole else y[places],
        None if w is None else w[places], places, table.rows if whole else table.rows[places],
        RowsUsed(total=table.n_rows, used=len(places), left_out=left), printed_decimals(table.column(response)),
    )  # fmt: skip


def _weights(table: Table, name: str, filled: Any) -> tuple[Floats, Any, list[LeftOut]]:
    w = table.numbers(name)
    below = np.flatnonzero(w < 0)
    if len(below):
        rows = table.rows[below].tolist()
        raise DataProblem(
            f"{name} has {counted(len(below), 'weight')} below zero ({rows_in_words(rows)}); a weight cannot be"
            " negative.",
            column=name,
            rows=rows,
        )
    nought = filled & (w == 0)
    left: list[LeftOut] = []
    if nought.any():
        rows = table.rows[nought]
        left.append(LeftOut(why=f"{name} is 0", n=len(rows), rows=rows[:200].tolist()))
    return w, filled & (w > 0), left


def _factor(table: Table, name: str, codes: Any, reference: str | None) -> tuple[Any, Factor]:
    levels = table.codes(name).levels
    n = np.bincount(codes, minlength=len(levels))
    there = np.flatnonzero(n)
    if len(there) < 2:
        raise DataProblem(
            f"{name} has one level, '{levels[there[0]]}', among the rows used; a term needs two.", column=name
        )
    if len(there) > MOST_LEVELS:
        raise DataProblem(
            f"{name} has {len(there)} levels; a term may have up to {MOST_LEVELS}. Recode it to fewer, or leave it"
            " out.",
            column=name,
        )
    place = np.full(len(levels), -1, np.int32)
    place[there] = np.arange(len(there))
    words = tuple(levels[i] for i in there)
    first = 0
    if reference is not None:
        if reference not in words:
            gone = "no row used has it" if reference in levels else f"there is none of that name in {name}"
            raise DataProblem(
                f"The reference level '{reference}' of {name} is not there: {gone}. Choose among"
                f" {listing(list(words), 8)}.",
                column=name,
            )
        first = words.index(reference)
    return (codes if len(there) == len(levels) else place[codes]), Factor(words, first)


def for_every_row(data: ModelData) -> tuple[Any, Any]:
    """Design rows for every row of the table whose terms are filled, also those without a response, and which they
    are."""
    table, filled = data.table, np.ones(data.table.n_rows, bool)
    values: dict[str, Any] = {}
    for name in data.names:
        if name in data.factors:
            codes = table.codes(name)
            known = {w: i for i, w in enumerate(data.factors[name].levels)}
            place = np.array([known.get(w, -1) for w in codes.levels] or [-1], np.int32)
            values[name] = np.where(codes.codes >= 0, place[codes.codes], -1)
            filled &= values[name] >= 0
        else:
            values[name] = table.numbers(name)
            filled &= ~np.isnan(values[name])
    places = np.flatnonzero(filled)
    return data.design_of({k: v[places] for k, v in values.items()}), filled
