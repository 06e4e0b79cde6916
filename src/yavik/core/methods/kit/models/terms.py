"""Terms of a model as a spec has them, and the rows, columns and levels that they stand for."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers import RowsUsed
from yavik.core.answers.wording import SUPERSCRIPT, after, listing, number
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.kit.kept import fingerprint
from yavik.core.stats.design import Design, Factor, ModelTerm, Part, movable
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, DataProblem, Kind, Table

NUMBERS = ("measure", "count")
CATEGORIES = ("yes_no", "category", "ordered", "text")
IN_TERMS = [*NUMBERS, *CATEGORIES]


class PowerTerm(BaseModel):
    """A measure to a power."""

    model_config = ConfigDict(extra="forbid")

    column: str
    power: int = Field(ge=1, le=10)

    @property
    def names(self) -> list[str]:
        """The column."""
        return [self.column]


class InteractionTerm(BaseModel):
    """The product of two or more columns."""

    model_config = ConfigDict(extra="forbid")

    interaction: list[str] = Field(min_length=2, max_length=5)

    @property
    def names(self) -> list[str]:
        """The columns."""
        return list(self.interaction)


Term = str | PowerTerm | InteractionTerm


def model_term(term: Term) -> ModelTerm:
    """The term of a spec as designs have it."""
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
        """Rows used."""
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
        """Columns that stand as numbers, in order."""
        return [n for n in self.columns if n not in self.factors]

    def title(self, name: str) -> str:
        """A column in words."""
        return self.columns[name].title

    def term_title(self, term: ModelTerm) -> str:
        """A term in words: 'Floor area² × District'."""
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
        """A column of the design in words: 'District: Lakeside'."""
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
        """The unit of a column; empty where it has none."""
        return self.columns[name].unit or ""

    @property
    def fingerprint(self) -> str:
        """The same for models of the same rows."""
        return fingerprint(self.rows)

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
    """The place of a level among those of the model. Raises DataProblem for one that no row used has."""
    if word not in factor.levels:
        raise DataProblem(
            f"{name} has no level '{word}' among the rows of this model; it has {listing(list(factor.levels), 8)}.",
            column=name,
        )
    return factor.levels.index(word)


def as_number(value: Any, name: str) -> float:
    """A value as a finite number. Raises DataProblem for any other."""
    try:
        found = float(value)
    except (TypeError, ValueError):
        raise DataProblem(f"{name} is a number; '{value}' is not one.", column=name) from None
    if not np.isfinite(found):
        raise DataProblem(f"{name} needs a finite number.", column=name)
    return found


def kind_is_number(column: Column) -> bool:
    """Whether a column stands in a model as a number."""
    return column.kind in (Kind.measure, Kind.count)
