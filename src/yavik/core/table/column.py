"""What is known about a column besides its cells."""

from enum import StrEnum

from pydantic import BaseModel, ConfigDict, Field


class Kind(StrEnum):
    """What a column's values are, which decides what can be asked of it."""

    measure = "measure"
    count = "count"  # type: ignore[assignment]  # the trade's word; hides str.count, which no one calls here
    yes_no = "yes_no"
    category = "category"
    ordered = "ordered"
    date = "date"
    text = "text"
    identifier = "identifier"


CODED = frozenset({Kind.yes_no, Kind.category, Kind.ordered})
"""Kinds whose cells are one of a few levels, kept as small integers."""

NUMERIC = frozenset({Kind.measure, Kind.count})
"""Kinds whose cells are numbers to calculate with."""


class Level(BaseModel):
    """One level of a coded column: the value in the file and the words to show for it."""

    model_config = ConfigDict(frozen=True)

    value: str
    label: str | None = None

    @property
    def words(self) -> str:
        """The level as it is shown."""
        return self.label or self.value


class Column(BaseModel):
    """Name, meaning and kind of a column. Levels are in their shown order."""

    model_config = ConfigDict(frozen=True)

    name: str
    kind: Kind
    label: str | None = None
    unit: str | None = None
    levels: tuple[Level, ...] = ()
    empty_codes: tuple[str, ...] = ()
    empty_meanings: dict[str, str] = {}
    """What a code for empty means: {'-8': 'refused'}."""
    note: str | None = None
    decimals: int = Field(default=0, ge=0, le=12)
    """Most decimals seen in the data: printed numbers follow it."""

    @property
    def title(self) -> str:
        """The label where there is one, else the name."""
        return self.label or self.name

    @property
    def axis_title(self) -> str:
        """The title with its unit."""
        return f"{self.title} ({self.unit})" if self.unit else self.title

    def but(self, **changes: object) -> "Column":
        """The same column with some of its description changed."""
        return self.model_copy(update=changes)
