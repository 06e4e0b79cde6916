"""A figure as a sentence with slots, and how it looks."""

import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Layer = Literal["box", "points", "mean"]
Whiskers = Literal["iqr", "range", "percentiles"]
Interval = Literal["none", "sd", "se", "ci"]


def slot(kinds: list[str], placeholder: str, *, many: bool = False, layout: str | None = None) -> dict[str, Any]:
    """What a slot field carries in its JSON Schema for the interface."""
    return {"slot": {"kinds": kinds, "placeholder": placeholder, "many": many, "layout": layout}}


VALUES = ["measure", "count"]
GROUPS = ["category", "ordered", "yes_no", "count", "text"]


class Figure(BaseModel):
    """“Show {response} by {groups} as {show}.” Either response and groups, or samples side by side."""

    model_config = ConfigDict(extra="forbid")

    response: str | None = Field(None, json_schema_extra=slot(VALUES, "a measure", layout="stacked"))
    groups: str | None = Field(None, json_schema_extra=slot(GROUPS, "groups", layout="stacked"))
    samples: list[str] = Field([], json_schema_extra=slot(VALUES, "columns", many=True, layout="side_by_side"))
    where: str | None = None
    show: list[Layer] = ["box", "points"]
    whiskers: Whiskers = "iqr"
    low_percentile: float = Field(5, ge=0, le=50)
    high_percentile: float = Field(95, ge=50, le=100)
    jitter: float = Field(0.3, ge=0, le=0.9)
    """Width of the cloud of points as a share of a group's room."""
    seed: int = Field(1, ge=0)
    interval: Interval = "ci"
    level: float = Field(0.95, gt=0.5, lt=1)
    x_title: str | None = None
    y_title: str | None = None
    y_min: float | None = None
    y_max: float | None = None
    colours: dict[str, str] = {}
    """By level; six hexadecimal digits after #."""
    type_pt: float = Field(8, ge=4, le=24)
    width_mm: float = Field(85, ge=30, le=400)
    height_mm: float = Field(70, ge=30, le=400)
    marks_from: str | None = None
    """Id of the question whose answer lends its marks."""
    letters: bool = True
    p: bool = True
    caption: str | None = None
    """The researcher's own words; None lets the caption write itself."""

    @model_validator(mode="after")
    def _colours_are_colours(self) -> "Figure":
        for level, colour in self.colours.items():
            if not re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
                raise ValueError(f"the colour of {level} must be # and six hexadecimal digits")
        if self.y_min is not None and self.y_max is not None and self.y_min >= self.y_max:
            raise ValueError("the axis must end above where it begins")
        return self

    @property
    def ready(self) -> bool:
        return bool((self.response and self.groups) or self.samples)

    @property
    def columns(self) -> list[str]:
        """The columns it reads."""
        return list(self.samples) if self.samples else [c for c in (self.response, self.groups) if c]
