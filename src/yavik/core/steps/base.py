"""What every step is, and what it reports."""

from typing import ClassVar
from uuid import uuid4

from pydantic import BaseModel, ConfigDict, Field

from yavik.core.table import DataProblem, Table


class Effect(BaseModel):
    """What a step did, for its chip: ``said`` is a line such as '112 → 108 rows'."""

    title: str
    said: str
    rows_in: int
    rows_out: int
    problem: str | None = None
    column: str | None = None
    position: int | None = None


class Step(BaseModel):
    """One typed change. ``on`` switches it; ``id`` keeps its chip the same while it is edited."""

    model_config = ConfigDict(extra="forbid")

    id: str = Field(default_factory=lambda: uuid4().hex[:8])
    on: bool = True

    words: ClassVar[str]
    """The step as a sentence with slots, for the list of steps."""
    help: ClassVar[str]

    def title(self) -> str:
        """Its chip's first line."""
        raise NotImplementedError

    def apply(self, table: Table) -> tuple[Table, str]:
        """The new table and the chip's second line. Raises DataProblem."""
        raise NotImplementedError


def plural(n: int, one: str, many: str | None = None) -> str:
    grouped = f"{n:,}".replace(",", " ")
    return f"{grouped} {one if n == 1 else many or one + 's'}"


def need(table: Table, names: list[str]) -> None:
    for name in names:
        table.index(name)
    if not names:
        raise DataProblem("Choose at least one column.")
