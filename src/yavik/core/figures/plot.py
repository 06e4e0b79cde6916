"""What a kind of figure makes of its data: layers in panels, axes, levels with colours, words, and the numbers
behind it."""

from dataclasses import dataclass, field
from typing import Any, Literal

from yavik.core.answers import TableBlock

Vega = dict[str, Any]


@dataclass
class Axis:
    """``places`` are words at 0, 1, 2 …; numbers and dates (milliseconds) have a span instead."""

    title: str
    low: float
    high: float
    type: Literal["number", "places", "date"] = "number"
    places: list[str] = field(default_factory=list)
    exact: bool = False
    """The span is meant to the last digit: no rounding outward."""
    grid: bool = True
    shown: bool = True
    whole: bool = False
    zero_below: float = 0.6
    """The axis begins at 0 where the lowest value is below this share of the highest."""
    ticks_to: float | None = None
    """Where its numbers end, when the span goes on for something else."""
    """Counts: no broken numbers at its ticks."""


@dataclass(frozen=True)
class Kept:
    """Colours and marks that the study keeps for the levels of one column."""

    colours: dict[str, str] = field(default_factory=dict)
    marks: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Style:
    """Colours and marks that the study keeps: by column, by level."""

    colours: dict[str, dict[str, str]] = field(default_factory=dict)
    marks: dict[str, dict[str, str]] = field(default_factory=dict)

    def get(self, column: str | None) -> Kept:
        """The colours and marks kept for a column's levels."""
        return Kept(self.colours.get(column or "", {}), self.marks.get(column or "", {}))


@dataclass
class Level:
    name: str
    colour: str
    shape: str = "circle"


@dataclass
class Panel:
    title: str
    layers: list[Vega]
    row: int = 0
    column: int = 0
    x: Axis | None = None
    y: Axis | None = None
    """Own axes, where panels do not share them."""
    ends: dict[str, tuple[float, float]] = field(default_factory=dict)
    """Where each level's line ends: the place of a direct label."""
    tops: dict[str, tuple[float, float]] = field(default_factory=dict)
    """Place and highest drawn value per group: what letters and brackets stand over."""


@dataclass
class Plot:
    x: Axis
    y: Axis
    panels: list[Panel]
    levels: list[Level]
    caption: dict[str, str]
    """Parts by name, in order: each is a sentence or the part of one that renews itself."""
    alt: str
    behind: TableBlock
    level_title: str | None = None
    legend: bool = False
    """Whether colours need a key: not where the axis names the levels already."""
    panel_columns: int = 0
    warnings: list[str] = field(default_factory=list)
    square: bool = False
