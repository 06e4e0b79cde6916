"""What every step is, what it reports, and how its fields are shown."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar
from uuid import uuid4

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yavik.core.table import DataProblem, Kind, Table
from yavik.core.table.telling import Told, silent

MOST_LISTED = 200
"""Rows kept in a list of an effect; the number of all is always said."""


class Listed(BaseModel):
    """Some rows that a step wants seen: those without a partner, duplicates, those that break a rule."""

    title: str
    columns: list[str]
    rows: list[list[str | None]]
    numbers: list[int] = []
    """Their numbers in the table the list is about, so that they can be shown there."""


class Effect(BaseModel):
    """What a step did, for its chip: ``said`` is a line such as '112 → 108 rows'."""

    title: str
    said: str
    rows_in: int
    rows_out: int
    problem: str | None = None
    column: str | None = None
    position: int | None = None
    notes: list[str] = []
    """Sentences that the researcher should read: rows without partner, cells made empty, what was dropped."""
    lists: list[Listed] = []
    broken: int = 0
    """Rows that break a rule: above 0 the chip is marked."""


@dataclass(frozen=True)
class Outcome:
    """The table after a step, and what is said of it. Notes are sentences; ``said`` is the chip's line."""

    table: Table
    said: str
    notes: Sequence[str] = ()
    lists: Sequence[Listed] = ()
    broken: int = 0


@dataclass(frozen=True)
class Other:
    """Another table of the study, as it is now."""

    name: str
    table: Table


@dataclass(frozen=True)
class Around:
    """What a step may look at beside its table: other tables by their id, and columns that an answer makes."""

    tables: Mapping[str, Other] = field(default_factory=dict)
    columns_of_answer: Any = None
    """(table, method, spec) → [(Column, array)]; None where answers cannot be asked."""
    answer: Any = None
    """(table, method, spec) → Answer; None where answers cannot be asked."""
    told: Told = silent
    """Is told how much of the step is done, from 0 to 1; raises where the researcher stopped it."""

    def other(self, table_id: str) -> Other:
        """Raises DataProblem when the table is gone."""
        if table_id not in self.tables:
            raise DataProblem("The other table is no longer in this study. Choose another.")
        return self.tables[table_id]


ALONE = Around()


class Step(BaseModel):
    """One typed change. ``on`` switches it; ``id`` keeps its chip the same while it is edited.

    A step is a field's worth of JSON and a pure function. Its ``words`` are its sentence; fields made with ``asked``
    carry how they are shown, so that the interface draws its editor from the schema alone.
    """

    model_config = ConfigDict(extra="forbid")

    id: str = Field(default_factory=lambda: uuid4().hex[:8])
    on: bool = True

    words: ClassVar[str]
    """The step as a sentence with slots, for the list of steps."""
    help: ClassVar[str]
    family: ClassVar[str]
    """Its section in the list of steps."""
    fresh: ClassVar[bool] = False
    """True where the result is another kind of table, which may well stand beside its source."""

    listed: ClassVar[bool] = True
    """False for steps that are made elsewhere, not chosen from the list."""

    def title(self) -> str:
        """Its chip's first line."""
        raise NotImplementedError

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        """The new table and what is said of it. Raises DataProblem."""
        raise NotImplementedError

    def tables(self) -> list[str]:
        """Ids of the other tables it reads."""
        return []


NUMBERS = (Kind.measure, Kind.count)
ORDERING = (Kind.measure, Kind.count, Kind.date, Kind.ordered, Kind.category, Kind.identifier)
GROUPING = (Kind.category, Kind.ordered, Kind.yes_no, Kind.identifier, Kind.count, Kind.date, Kind.text)


def plural(n: int, one: str, many: str | None = None) -> str:
    return f"{spaced(n)} {one if n == 1 else many or one + 's'}"


def spaced(n: int) -> str:
    return f"{n:,}".replace(",", " ")


def rows_change(before: int, after: int) -> str:
    """'112 → 108 rows': what a chip says of a step that changes the number of rows."""
    return f"{spaced(before)} → {plural(after, 'row')}"


def names_in_words(names: Sequence[str], most: int = 3) -> str:
    """'**a**, **b** and 4 more' for a chip."""
    shown = [f"**{n}**" for n in names[:most]]
    if len(names) > most:
        return f"{', '.join(shown)} and {len(names) - most} more"
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} and {shown[-1]}" if shown else ""


def need(table: Table, names: Iterable[str]) -> None:
    """Raises DataProblem for no columns, for one that is not there, and for one named twice."""
    names = list(names)
    for name in names:
        table.index(name)
    if not names:
        raise DataProblem("Choose at least one column.")
    twice = next((n for n in names if names.count(n) > 1), None) if len(names) < 2000 else None
    if twice is not None:
        raise DataProblem(f"{twice} is named twice.", column=twice)


def new_name(table: Table, name: str, taken: Iterable[str] = ()) -> str:
    """A name for a new column that no column has yet. Raises DataProblem for an empty one."""
    name = " ".join(name.split()).replace("`", "'")
    if not name:
        raise DataProblem("The new column needs a name.")
    used = {*table.names, *taken}
    return (
        name
        if name not in used
        else next(f"{name} ({k})" for k in range(2, len(used) + 3) if f"{name} ({k})" not in used)
    )


def listed(title: str, table: Table, places: Any, names: Sequence[str]) -> Listed:
    """A list of rows (by place) with some of their columns."""
    places = np.asarray(places)[:MOST_LISTED]
    names = list(names)[:6]
    part = table.select(names).take(places)
    texts = [part.texts(n) for n in names]
    return Listed(
        title=title, columns=names, rows=[list(r) for r in zip(*texts, strict=True)], numbers=part.rows.tolist()
    )
