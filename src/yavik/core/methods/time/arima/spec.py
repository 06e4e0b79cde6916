"""What can be asked of models of a series."""

import re
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from yavik.core.ask import option, placed
from yavik.core.methods.kit.time_slots import ForetellSpec
from yavik.core.methods.time.series.spec import TRANSFORMS

Whole = Annotated[int, Field(ge=0, le=12)]
Triple = tuple[Whole, Annotated[int, Field(ge=0, le=2)], Whole]
Seasonal = tuple[
    Annotated[int, Field(ge=0, le=3)], Annotated[int, Field(ge=0, le=1)], Annotated[int, Field(ge=0, le=3)],
    Annotated[int, Field(ge=2, le=370)],
]  # fmt: skip
CRITERIA = {
    "votes": "most criteria", "aicc": "AICc", "aic": "AIC", "bic": "BIC", "log_likelihood": "log-likelihood",
    "sigma": "σ", "significant": "share of significant coefficients",
}  # fmt: skip
DRIFTS = {"auto": "where AICc asks for it", "yes": "yes", "no": "no"}
MOST = 80
"""Candidates at once."""


class ArimaSpec(ForetellSpec):
    """Slots and settings."""

    candidates: Literal["suggested", "grid"] | list[Triple] = Field(
        "suggested",
        json_schema_extra=placed(
            "orders",
            "Candidates (p, d, q)",
            "Autoregressive terms, differences, moving average terms.",
            words={"suggested": "suggested", "grid": "a grid"},
            fields=["p", "d", "q"],
        ),
    )
    grid: Triple | None = Field(
        None,
        json_schema_extra=placed(
            "orders",
            "Grid up to",
            "Every p and q up to these, at d differences.",
            fields=["p", "d", "q"],
            single=True,
            when={"candidates": ["grid"]},
        ),
    )
    seasonal: Literal["suggested", "none"] | Seasonal = Field(
        "suggested",
        json_schema_extra=placed(
            "orders",
            "Seasonal part (P, D, Q, season)",
            "Of every candidate. Suggested with suggested candidates only.",
            words={"suggested": "suggested", "none": "none"},
            fields=["P", "D", "Q", "season"],
            single=True,
        ),
    )
    drift: Literal["auto", "yes", "no"] = Field(
        "auto",
        json_schema_extra=option("Drift", DRIFTS, "A mean without differences, a slope with one, never with two."),
    )
    regressors: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns",
            "Regressors",
            "Such as a step at a date; forecasts need rows with their later values.",
            kinds=["measure", "count", "yes_no"],
        ),
    )
    transform: Literal["none", "log", "box_cox"] = Field(
        "none",
        json_schema_extra=option("Values", TRANSFORMS, "Forecasts come back on the original scale."),
    )
    choose_by: Literal["votes", "aicc", "aic", "bic", "log_likelihood", "sigma", "significant"] = Field(
        "votes", json_schema_extra=option("Choose by", CRITERIA)
    )
    main: str | None = Field(None, json_schema_extra=placed("fixed", "The model looked at"))

    @model_validator(mode="before")
    @classmethod
    def _gridded(cls, given: Any) -> Any:
        """A grid alone asks for candidates of a grid; none of a season is no season."""
        if isinstance(given, dict):
            given = dict(given)
            if given.get("grid") is True:
                given |= {"grid": None, "candidates": "grid"}
            elif given.get("grid") is not None and "candidates" not in given:
                given["candidates"] = "grid"
            if given.get("seasonal", "") is None:
                given["seasonal"] = "none"
        return given

    @field_validator("main", mode="before")
    @classmethod
    def _named(cls, given: Any) -> Any:
        """[1, 1, 1] and (1,1,1) as '(1, 1, 1)'."""
        if given is None:
            return None
        numbers = re.findall(r"\d+", given) if isinstance(given, str) else [str(int(v)) for v in given]
        if len(numbers) < 3:
            raise ValueError("an order is three numbers, such as (1, 1, 1)")
        return f"({', '.join(numbers[:3])})"
