"""From the terms of a spec to what is fitted: rows, columns that say something of their own, a selection,
clusters."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.kit.models.spec import ModelSpec
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.stats.least_squares import independent_columns
from yavik.core.stats.numbering import numbered
from yavik.core.stats.selection import Judge, Round, walk
from yavik.core.stats.triangle import Triangle, triangle
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent


@dataclass(frozen=True)
class Chosen:
    """The terms of the model, from those offered.

    Args:
        whole: the data with all terms offered; ``data`` has the chosen ones.
        used: places of the design's columns that say something of their own.
        follows: columns left out because others say the same, with those others.
        triangle: of the chosen columns.
    """

    whole: ModelData
    data: ModelData
    terms: tuple[int, ...]
    rounds: list[Round]
    used: list[int]
    follows: dict[int, list[int]]
    triangle: Triangle


def choose(
    spec: Any, whole: ModelData, t: Triangle, judge: Judge, told: Told = silent, terms: tuple[int, ...] | None = None
) -> Chosen:
    """The model's terms: all, those of a walk, or those given."""
    rounds: list[Round] = []
    if terms is None:
        terms = tuple(range(len(whole.terms)))
        if spec.selection != "none":
            way, by = spec.selection, spec.choose_by
            rounds = walk(judge, whole.terms, way, by, spec.enter, spec.remove, lambda what: told(0.3, what))
            terms = rounds[-1].terms
    data, part = part_of(whole, t, terms)
    used, follows = independent_columns(part)
    return Chosen(whole, data, terms, rounds, used, follows, part)


def held(spec: ModelSpec, data: ModelData) -> dict[str, Any]:
    """Where the columns of a model are held; raises DataProblem for a column that was not offered."""
    unknown = next((n for n in spec.at if n not in {n for t in spec.terms for n in names_of(t)}), None)
    if unknown:
        raise DataProblem(f"{unknown} is held at a value, but is not among the terms.", column=unknown)
    return {k: v for k, v in spec.at.items() if k in data.columns}


def names_of(term: Any) -> list[str]:
    """The columns of a term as a spec has it."""
    return [term] if isinstance(term, str) else list(term.names)


def model_name(spec: Any) -> str:
    """'visits by floor_area, district and hours_open': what a question about a model is called."""
    names = list(dict.fromkeys(n for t in spec.terms for n in names_of(t)))
    return f"{spec.response} by {listing(names, 3)}"


def demand_rows(data: ModelData, coefficients: int) -> None:
    """Raises DataProblem where there are no more rows than coefficients."""
    if data.n <= coefficients:
        raise DataProblem(
            f"The model has {counted(coefficients, 'coefficient')} and {counted(data.n, 'row')}: nothing is left to"
            f" judge them by. Leave out terms, such as {listing([data.term_title(t) for t in data.terms[-2:]])}.",
            column=data.terms[-1].names[0] if data.terms else data.response.name,
        )


def prepared(data: ModelData, intercept: bool) -> tuple[ModelData, Triangle]:
    """The triangle of a model's columns.

    Where a column follows from others, the coefficients of what is left are those of the columns as they are only if
    moving the numbers' zero brings nothing of the lost column in; else numbers keep their own zero.
    """
    t = triangle(data.design, data.y, data.weights, intercept)
    keep, follows = independent_columns(t)
    if follows and any(centre for centre, _ in data.design.origin.values()):
        turn = data.design.raw[1:, 1:]
        if np.any(turn[np.ix_(list(follows), keep)] != 0):
            data = data.about_zero()
            t = triangle(data.design, data.y, data.weights, intercept)
    return data, t


def part_of(whole: ModelData, t: Triangle, chosen: Sequence[int]) -> tuple[ModelData, Triangle]:
    """Data and triangle of some of the terms, on the same rows."""
    if len(chosen) == len(whole.terms):
        return whole, t
    columns = [j for j, c in enumerate(whole.design.columns) if c.term in chosen]
    return whole.part(chosen), t.among(columns)


def clusters_of(table: Table, spec: Any, data: ModelData, kinds: Sequence[str] = ("cluster",)) -> tuple[Any, int]:
    """The cluster of each row and how many there are; None and 0 where none are asked for.

    Args:
        kinds: the standard errors that need clusters.
    """
    if spec.se not in kinds:
        return None, 0
    if not spec.cluster:
        raise DataProblem(
            "Standard errors by cluster need the column that names the clusters; choose it in the settings."
        )
    codes = table.codes(spec.cluster).codes[data.places]
    if (codes < 0).any():
        rows = data.rows[codes < 0].tolist()
        raise DataProblem(
            f"{spec.cluster} is empty in {counted(len(rows), 'row')} of the model; every row needs its cluster.",
            column=spec.cluster, rows=rows,
        )  # fmt: skip
    there, own = numbered(codes)
    if len(there) < 2:
        raise DataProblem(
            f"{spec.cluster} has one level among the rows used; clusters need two and better thirty.",
            column=spec.cluster,
        )
    return own, len(there)
