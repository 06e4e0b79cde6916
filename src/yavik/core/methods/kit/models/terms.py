"""Terms of a model as a spec has them, and the rows, columns and levels that they stand for."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers import RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import SUPERSCRIPT, after, counted, listing, number
from yavik.core.figures.data import printed_decimals
from yavik.core.stats.design import Design, Factor, ModelTerm, Part, movable, own_origin
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, DataProblem, Kind, Table, rows_in_words

NUMBERS = ("measure", "count")
CATEGORIES = ("yes_no", "category", "ordered", "text")
IN_TERMS = [*NUMBERS, *CATEGORIES]
MOST_LEVELS = 60
MOST_COLUMNS = 400


class PowerTerm(BaseModel):
    """A measure to a power."""

    model_config = ConfigDict(extra="forbid")

    column: str
    power: int = Field(ge=1, le=10)

    @property
    def names(self) -> list[str]:
        return [self.column]


class InteractionTerm(BaseModel):
    """The product of two or more columns."""

    model_config = ConfigDict(extra="forbid")

    interaction: list[str] = Field(min_length=2, max_length=5)

    @property
    def names(self) -> list[str]:
        return list(self.interaction)


Term = str | PowerTerm | InteractionTerm


def model_term(term: Term) -> ModelTerm:
    if isinstance(term, str):
        return ModelTerm((Part(term),))
    if isinstance(term, PowerTerm):
        return ModelTerm((Part(term.column, term.power),))
    return ModelTerm(tuple(Part(n) for n in term.interaction))


def spec_term(term: ModelTerm) -> Any:
    """The term as a spec has it."""
    if len(term.parts) > 1:
        return {"interaction": [p.name for p in term.parts]}
    part = term.parts[0]
    return part.name if part.power == 1 else {"column": part.name, "power": part.power}


def term_key(term: ModelTerm) -> str:
    """The same in every model: ``floor_area^2``, ``district*floor_area``."""
    return "*".join(p.name if p.power == 1 else f"{p.name}^{p.power}" for p in term.parts)


@dataclass(frozen=True)
class ModelData:
    """Everything a model reads, for the rows that are filled throughout.

    Args:
        y: shape (n,), the response; 0 and 1 for a yes/no response.
        places: which rows of the table these are.
    """

    table: Table
    response: Column
    columns: dict[str, Column]
    terms: list[ModelTerm]
    factors: dict[str, Factor]
    design: Design
    y: Floats
    weights: Floats | None
    places: Any
    rows: Any
    used: RowsUsed
    decimals: int

    @property
    def n(self) -> int:
        return len(self.y)

    @property
    def names(self) -> list[str]:
        """Columns of the terms, in order."""
        return list(self.columns)

    def design_of(self, data: dict[str, Any]) -> Design:
        """The same design for other rows: same coding, same origin."""
        own = self.design
        return Design(self.terms, self.factors, data, own.origin, own.full, own.about)

    def part(self, chosen: Sequence[int]) -> "ModelData":
        """The same rows with some of the terms."""
        terms = [self.terms[i] for i in chosen]
        names = {n for term in terms for n in term.names}
        factors = {k: v for k, v in self.factors.items() if k in names}
        data = {k: v for k, v in self.design.data.items() if k in names}
        mains = {t.names[0] for t in terms if len(t.parts) == 1}
        full = self.design.full if self.design.full in mains else None
        about = {k: v for k, v in self.design.about.items() if k in names and movable(terms, k)}
        return replace(
            self, terms=terms, factors=factors, design=Design(terms, factors, data, self.design.origin, full, about),
            columns={k: v for k, v in self.columns.items() if k in names},
        )  # fmt: skip

    def unmoved(self) -> "ModelData":
        """The same with numbers about the zero that is spoken of, so that each coefficient is one that is printed."""
        own = self.design
        origin = {k: (own.about.get(k, 0.0), scale) for k, (_, scale) in own.origin.items()}
        return replace(self, design=Design(self.terms, self.factors, own.data, origin, own.full, own.about))

    def about_zero(self) -> "ModelData":
        """The same with numbers about their own zero, for terms that do not let it move."""
        own = self.design
        origin = {k: (0.0, scale) for k, (_, scale) in own.origin.items()}
        return replace(self, design=Design(self.terms, self.factors, own.data, origin, own.full))

    def about_means(self) -> "ModelData":
        """The same with coefficients told of numbers about their means, wherever the model stays the same by it."""
        own = self.design
        about = {n: float(own.data[n].mean()) for n in self.numbers if movable(self.terms, n)}
        return replace(self, design=Design(self.terms, self.factors, own.data, own.origin, own.full, about))

    @property
    def numbers(self) -> list[str]:
        return [n for n in self.columns if n not in self.factors]

    def title(self, name: str) -> str:
        return self.columns[name].title

    def term_title(self, term: ModelTerm) -> str:
        return " × ".join(
            self.title(p.name) + (str(p.power).translate(SUPERSCRIPT) if p.power > 1 else "") for p in term.parts
        )

    def _column_words(self, place: int, named: Any, level: str, powered: Any) -> list[str]:
        """A word for each part of a design column."""
        column = self.design.columns[place]
        levels = dict(column.levels)
        return [
            f"{named(p.name)}{level}{self.factors[p.name].levels[levels[p.name]]}" if p.name in levels else powered(p)
            for p in self.terms[column.term].parts
        ]

    def column_key(self, place: int) -> str:
        """The same in every model: ``district=Lakeside``, ``minutes^2``."""
        return "*".join(self._column_words(place, str, "=", lambda p: term_key(ModelTerm((p,)))))

    def column_title(self, place: int) -> str:
        return " × ".join(self._column_words(place, self.title, ": ", lambda p: self.term_title(ModelTerm((p,)))))

    @property
    def references(self) -> str:
        """'Compared with: district: Lakeside.' for all categories; nothing where there are none."""
        said = [f"{self.title(n)}: {f.levels[f.reference]}" for n, f in self.factors.items() if n != self.design.full]
        return f"Compared with: {', '.join(said)}." if said else ""

    @property
    def counted_from(self) -> str:
        """'Counted from their means: age (34.2 y).' where numbers are; nothing where they stand as they are."""
        said = [f"{self.title(n)} ({self.said_place(n, v)})" for n, v in self.design.about.items()]
        return f"Counted from {'its mean' if len(said) == 1 else 'their means'}: {', '.join(said)}." if said else ""

    @property
    def bent(self) -> list[str]:
        """Numbers in powers or interactions, whose lower terms say something only about a zero."""
        return [n for n in self.numbers if any(not t.is_main and n in t.names for t in self.terms)]

    def unit(self, name: str) -> str:
        return self.columns[name].unit or ""

    @property
    def fingerprint(self) -> str:
        return hashlib.blake2b(np.ascontiguousarray(self.rows, np.int64).tobytes(), digest_size=8).hexdigest()

    def typical(self, at: dict[str, Any]) -> dict[str, Any]:
        """Where other columns are held: what was chosen, else the mean and the most common level."""
        found: dict[str, Any] = {}
        for name in self.names:
            values = self.design.data[name]
            if name in self.factors:
                factor = self.factors[name]
                if name in at:
                    found[name] = level_place(factor, str(at[name]), name)
                else:
                    found[name] = int(np.bincount(values, minlength=len(factor.levels)).argmax())
            elif name in at:
                found[name] = as_number(at[name], name)
            else:
                found[name] = float(values.mean())
        return found

    def points(self, base: dict[str, Any], **varied: Any) -> tuple[Any, int]:
        """Design rows at ``base`` with some columns varied, and how many."""
        n = max((len(v) for v in varied.values()), default=1)
        data = {k: np.full(n, v) for k, v in base.items()} | varied
        return self.design.matrix(data, n), n

    def said_place(self, name: str, value: Any) -> str:
        """A value of a column in words: 34.2 h, Lakeside."""
        if name in self.factors:
            return self.factors[name].levels[int(value)]
        decimals = 0
        if not float(value).is_integer():
            most = printed_decimals(self.columns[name]) + 1
            decimals = int(np.clip(3 - np.floor(np.log10(abs(float(value)))), 0, most))
        return number(float(value), decimals) + after(self.unit(name))


def level_place(factor: Factor, word: str, name: str) -> int:
    if word not in factor.levels:
        raise DataProblem(
            f"{name} has no level '{word}' among the rows of this model; it has {listing(list(factor.levels), 8)}.",
            column=name,
        )
    return factor.levels.index(word)


def as_number(value: Any, name: str) -> float:
    try:
        found = float(value)
    except (TypeError, ValueError):
        raise DataProblem(f"{name} is a number; '{value}' is not one.", column=name) from None
    if not np.isfinite(found):
        raise DataProblem(f"{name} needs a finite number.", column=name)
    return found


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
    """Design rows for every row of the table whose terms are filled, also those without a response, and which they are."""
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


def kind_is_number(column: Column) -> bool:
    return column.kind in (Kind.measure, Kind.count)
