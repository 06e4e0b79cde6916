"""What can be asked of exponential smoothing."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed
from yavik.core.methods.kit.time_slots import TimeSpec
from yavik.core.methods.time.series.spec import SEASON

PARTS = {"auto": "as AICc takes it"}
ERRORS = {**PARTS, "additive": "added", "multiplicative": "a part of the level"}
TRENDS = {**PARTS, "none": "none", "additive": "straight", "damped": "damped"}
SEASONS = {**PARTS, "none": "none", "additive": "added", "multiplicative": "a part of the level"}


class SmoothingSpec(TimeSpec):
    """Slots and settings."""

    season: Literal["auto"] | Annotated[int, Field(ge=1, le=370)] = Field(
        "auto",
        json_schema_extra=placed(
            "choice_or_number",
            "Points of a season",
            "12 of a year in months; 1 for none.",
            words=SEASON,
            min=1,
            step=1,
        ),
    )
    error: Literal["auto", "additive", "multiplicative"] = Field("auto", json_schema_extra=option("Errors", ERRORS))
    trend: Literal["auto", "none", "additive", "damped"] = Field("auto", json_schema_extra=option("Trend", TRENDS))
    seasonal: Literal["auto", "none", "additive", "multiplicative"] = Field(
        "auto", json_schema_extra=option("Season", SEASONS)
    )
    hold_out: int | None = Field(
        None,
        ge=0,
        le=2000,
        json_schema_extra=amount(
            "Points held out", "At the end, to see how the model foretells it; 0 for none.", placeholder="a tenth",
            empty=True, min=0, step=1,
        ),
    )  # fmt: skip
    horizon: int | None = Field(
        None,
        ge=1,
        le=2000,
        json_schema_extra=amount("Points foretold", placeholder="two seasons", empty=True, min=1, step=1),
    )
    main: str | None = Field(None, json_schema_extra=placed("fixed", "The model looked at"))
