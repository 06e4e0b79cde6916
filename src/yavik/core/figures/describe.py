"""A figure as a sentence with slots, and how it looks.

The sentence (``kind``, the columns, ``show``) says what is drawn; everything else says how. Lengths are millimetres on
the page, type and lines are points.
"""

import re
from typing import Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from yavik.core.ask import asked

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


SCALES = {"linear": "linear", "log": "log", "root": "square root"}
ORDERS = {"data": "as in the data", "value": "by value, largest first", "name": "by name", "hand": "by hand"}
WHISKERS = {
    "iqr": "1.5 interquartile ranges",
    "range": "smallest and largest value",
    "percentiles": "chosen percentiles",
}
INTERVALS = {"ci": "confidence interval", "se": "standard error", "sd": "standard deviation", "none": "none"}
LEGENDS = {
    "top": "above",
    "right": "on the right",
    "bottom": "below",
    "direct": "names at the lines",
    "none": "none",
}


def size(title: str, default: float, low: float, high: float) -> Any:
    """A length of the page or of type."""
    return asked("number", title, default, ge=low, le=high, min=low, max=high, section="size")


def bound(title: str, axis: str, section: str = "breaks", **more: Any) -> Any:
    """A number of an axis that is found unless typed."""
    return asked(
        "number", title, None, empty=True, placeholder="automatic", when={"looks": axis}, section=section, **more
    )


def percentile(title: str, default: float, low: float, high: float) -> Any:
    """Where a whisker ends."""
    when = {"looks": "whiskers", "show": "box", "whiskers": "percentiles"}
    return asked("number", title, default, ge=low, le=high, min=low, max=high, when=when, section="marks")


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

    width_mm: float = size("Width, mm", 85, 15, 400)
    height_mm: float = size("Height, mm", 70, 15, 400)
    type_pt: float = size("Type, pt", 8, 4, 24)
    line_pt: float = size("Lines, pt", 0.75, 0.25, 4)
    face: Face = asked("choice", "Typeface", "Commissioner", words={f: f for f in get_args(Face)}, section="size")
    grid: bool = asked("flag", "Lines of a grid", True, section="size")
    legend: Legend = asked("choice", "Key", "top", words=LEGENDS, section="key")


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

    y_title: str | None = asked("text", "Upright axis", None, section="axes")
    y_min: float | None = bound("From", "y", "axes")
    y_max: float | None = bound("To", "y", "axes")
    x_title: str | None = asked("text", "Level axis", None, section="axes")
    order: Order = asked("choice", "Order of groups", "data", words=ORDERS, when={"looks": "order"}, section="axes")
    by_hand: list[str] = asked("by_hand", "Groups in order", [], of="groups", when={"order": "hand"}, section="axes")

    x_min: float | None = bound("Level: from", "x")
    x_max: float | None = bound("to", "x")
    x_step: float | None = bound("Level: a break every", "x", gt=0)
    x_scale: Scale = asked("choice", "Level: scale", "linear", words=SCALES, when={"looks": "x"}, section="breaks")
    y_step: float | None = bound("Upright: a break every", "y", gt=0)
    y_scale: Scale = asked("choice", "Upright: scale", "linear", words=SCALES, when={"looks": "y"}, section="breaks")
    decimals: int | None = asked(
        "number", "Decimals", None, ge=0, le=6, min=0, max=6, step=1, empty=True, placeholder="automatic",
        section="breaks",
    )  # fmt: skip
    percent: bool = asked(
        "choice", "Numbers", False, words={"false": "as they are", "true": "per cent (× 100)"},
        when={"looks": "percent"}, section="breaks",
    )  # fmt: skip

    whiskers: Whiskers = asked(
        "choice", "Whiskers reach", "iqr", words=WHISKERS, when={"looks": "whiskers", "show": "box"}, section="marks"
    )
    low_percentile: float = percentile("Low percentile", 5, 0, 50)
    high_percentile: float = percentile("High percentile", 95, 50, 100)
    jitter: float = asked(
        "slider", "Width of the points", 0.3, ge=0, le=0.9, min=0, max=0.9, step=0.05,
        when={"looks": "jitter", "show": "points"}, section="marks",
    )  # fmt: skip
    """Width of the cloud of points as a share of a group's room."""
    seed: int = asked(
        "number", "Seed", 1, ge=0, min=0, step=1, when={"looks": "jitter", "show": "points"}, section="marks"
    )
    interval: Interval = asked(
        "choice", "Intervals", "ci", words=INTERVALS,
        when={"looks": "interval", "show": ["mean", "bar", "line", "band", "dots"]}, section="marks",
    )  # fmt: skip
    level: float = asked(
        "number", "Confidence level", 0.95, gt=0.5, lt=1, min=0.5, max=0.999, step=0.01,
        when={"looks": "interval", "show": ["mean", "bar", "line", "band", "dots"], "interval": "ci"},
        section="marks",
    )  # fmt: skip
    bins: int | None = asked(
        "number", "Classes", None, ge=1, le=200, min=1, max=200, step=1, empty=True, placeholder="automatic",
        when={"looks": "bins", "show": "histogram"}, section="marks",
    )  # fmt: skip
    smooth: float = asked(
        "slider", "Smoothness", 1.0, ge=0.1, le=5, min=0.2, max=3, step=0.1,
        when={"looks": "smooth", "show": ["density", "curve", "violin"]}, section="marks",
    )  # fmt: skip
    """Of densities a factor of the usual bandwidth; of curves of the usual span."""
    counts: bool = asked(
        "choice", "Heights are", False, words={"false": "shares of the group", "true": "counts of rows"},
        when={"looks": "counts"}, section="marks",
    )  # fmt: skip
    """Counts instead of shares."""
    equation: bool = asked("flag", "Equation and R²", False, when={"looks": "equation"}, section="marks")

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
