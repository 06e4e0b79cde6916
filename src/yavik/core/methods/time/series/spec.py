"""What can be asked when a series is looked at."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed
from yavik.core.methods.kit.time_slots import TimeSpec

TRANSFORMS = {"none": "as it is", "log": "logarithm", "box_cox": "power that makes spread alike (Box and Cox)"}
SEASON = {"auto": "found from the times"}


class SeriesSpec(TimeSpec):
    """Slots and settings."""

    season: Literal["auto"] | Annotated[int, Field(ge=1, le=1000)] = Field(
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
    transform: Literal["none", "log", "box_cox"] = Field(
        "none",
        json_schema_extra=option("Values", TRANSFORMS, "Where spread grows with the level, logarithms even it out."),
    )
    difference: int = Field(
        0,
        ge=0,
        le=2,
        json_schema_extra=amount("Differences", "Each point less the one before.", min=0, max=2, step=1),
    )
    seasonal_difference: int = Field(
        0,
        ge=0,
        le=1,
        json_schema_extra=amount(
            "Seasonal differences", "Each point less that of a season before.", min=0, max=1, step=1
        ),
    )
    lags: int | None = Field(
        None, ge=1, le=500, json_schema_extra=amount("Lags shown", empty=True, min=1, max=500, step=1)
    )
    adf_lags: int | None = Field(
        None,
        ge=0,
        le=200,
        json_schema_extra=amount(
            "Lagged changes of Dickey and Fuller", "By AIC unless typed.", empty=True, min=0, step=1
        ),
    )
    kpss_lags: int | None = Field(
        None,
        ge=0,
        le=1000,
        json_schema_extra=amount("Lags of KPSS", "By the series unless typed.", empty=True, min=0, step=1),
    )
