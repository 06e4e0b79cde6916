"""A figure as a sentence with slots, and how it looks.

The sentence (``kind``, the columns, ``show``) says what is drawn; everything else says how. Lengths are millimetres on
the page, type and lines are points.
"""

import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

KindId = Literal[
    "groups", "samples", "spread", "relation", "course", "shares", "paired", "matrix", "forest", "roc", "answer"
]
Layer = Literal[
    "box", "violin", "points", "swarm", "mean", "bar", "join",
    "histogram", "density", "quantile", "cumulative",
    "line", "curve", "hull", "ellipse", "step", "area", "band",
    "stacked", "beside", "dots", "heat", "scatter", "interval",
]  # fmt: skip
Whiskers = Literal["iqr", "range", "percentiles"]
Interval = Literal["none", "sd", "se", "ci"]
Scale = Literal["linear", "log", "root"]
Order = Literal["data", "value", "name", "hand"]
Legend = Literal["top", "right", "bottom", "direct", "none"]
Face = Literal["Commissioner", "STIX Two Text"]
Shape = Literal["circle", "square", "triangle-up", "diamond", "cross", "triangle-down"]
HEX = re.compile(r"#[0-9a-fA-F]{6}")


def slot(kinds: list[str], placeholder: str, *, many: bool = False, layout: str | None = None) -> dict[str, Any]:
    """What a slot field carries in its JSON Schema for the interface."""
    return {"slot": {"kinds": kinds, "placeholder": placeholder, "many": many, "layout": layout}}


VALUES = ["measure", "count"]
GROUPS = ["category", "ordered", "yes_no", "count", "text"]
ALONG = ["measure", "count", "date", "ordered"]


class Own(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ReferenceLine(Own):
    """A line across the figure at a value: a cut-off, a limit, a date (as 2024-03-01)."""

    axis: Literal["x", "y"] = "y"
    at: float | str
    label: str = Field("", max_length=200)


class ShadedRange(Own):
    """A shaded stretch of an axis."""

    axis: Literal["x", "y"] = "y"
    start: float | str
    end: float | str
    label: str = Field("", max_length=200)


class FreeNote(Own):
    """Words at a place of the data, with an arrow where ``to_x`` and ``to_y`` are set. Places of groups count from
    0."""

    text: str = Field("", max_length=500)
    x: float = Field(allow_inf_nan=False)
    y: float = Field(allow_inf_nan=False)
    to_x: float | None = Field(None, allow_inf_nan=False)
    to_y: float | None = Field(None, allow_inf_nan=False)


class Look(Own):
    """How figures look: what a study's own style holds, and every figure carries."""

    face: Face = "Commissioner"
    type_pt: float = Field(8, ge=4, le=24)
    line_pt: float = Field(0.75, ge=0.25, le=4)
    width_mm: float = Field(85, ge=15, le=400)
    height_mm: float = Field(70, ge=15, le=400)
    grid: bool = True
    legend: Legend = "top"


class Figure(Look):
    """What is drawn, from which columns, and how."""

    kind: KindId = "groups"
    response: str | None = None
    groups: str | None = None
    samples: list[str] = []
    x: str | None = None
    colour: str | None = None
    panel: str | None = None
    panel_rows: str | None = None
    low: str | None = None
    high: str | None = None
    arrows: list[str] = []
    """Columns drawn as arrows from the middle: their correlations with both axes."""
    question: str | None = None
    """Of a figure that shows an answer's own drawing: the question, and which of its drawings."""
    block: str | None = None
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
    bins: int | None = Field(None, ge=1, le=200)
    smooth: float = Field(1.0, ge=0.1, le=5)
    """Of densities a factor of the usual bandwidth; of curves of the usual span."""
    counts: bool = False
    """Counts instead of shares."""
    equation: bool = False

    x_title: str | None = None
    y_title: str | None = None
    x_min: float | None = None
    x_max: float | None = None
    y_min: float | None = None
    y_max: float | None = None
    x_step: float | None = Field(None, gt=0)
    y_step: float | None = Field(None, gt=0)
    x_scale: Scale = "linear"
    y_scale: Scale = "linear"
    decimals: int | None = Field(None, ge=0, le=6)
    percent: bool = False
    order: Order = "data"
    by_hand: list[str] = []
    lines: list[ReferenceLine] = Field([], max_length=20)
    ranges: list[ShadedRange] = Field([], max_length=20)
    notes: list[FreeNote] = Field([], max_length=50)
    colours: dict[str, str] = {}
    """By level; six hexadecimal digits after #."""
    shapes: dict[str, Shape] = {}

    marks_from: str | None = None
    """Id of the question whose answer lends its marks."""
    letters: bool = True
    p: bool = True
    brackets: list[list[str]] = Field([], max_length=40)
    """Pairs of groups whose p stands over a bracket."""
    fitted: bool = True
    """Lines and bands of the answer's model."""
    caption: str | None = None
    """The researcher's own words, with ``{name}`` for the parts that renew themselves; None writes it all."""

    @model_validator(mode="before")
    @classmethod
    def _samples_are_a_kind(cls, data: Any) -> Any:
        """A description from before there were kinds names samples and nothing else."""
        if isinstance(data, dict) and "kind" not in data and data.get("samples"):
            return {**data, "kind": "samples"}
        return data

    @field_validator("colours")
    @classmethod
    def _colours_are_colours(cls, colours: dict[str, str]) -> dict[str, str]:
        for level, colour in colours.items():
            if not HEX.fullmatch(colour):
                raise ValueError(f"the colour of {level} must be # and six hexadecimal digits")
        return colours

    @model_validator(mode="after")
    def _bounds_are_in_order(self) -> "Figure":
        for axis, low, high in (("upright", self.y_min, self.y_max), ("level", self.x_min, self.x_max)):
            if low is not None and high is not None and low >= high:
                raise ValueError(f"the {axis} axis must end above where it begins")
        if any(len(pair) != 2 for pair in self.brackets):
            raise ValueError("a bracket spans two groups")
        if not self.show:
            raise ValueError("a figure shows at least one thing")
        return self
