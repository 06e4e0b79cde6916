"""What can be asked of exponential smoothing."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import option, placed
from yavik.core.methods.kit.time_slots import ForetellSpec
from yavik.core.methods.time.series.spec import SEASON

PARTS = {"auto": "as AICc takes it"}
ERRORS = {**PARTS, "additive": "added", "multiplicative": "a part of the level"}
TRENDS = {**PARTS, "none": "none", "additive": "straight", "damped": "damped"}
SEASONS = {**PARTS, "none": "none", "additive": "added", "multiplicative": "a part of the level"}


class SmoothingSpec(ForetellSpec):
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
    main: str | None = Field(None, json_schema_extra=placed("fixed", "The model looked at"))
