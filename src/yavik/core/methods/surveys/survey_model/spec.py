"""What can be asked of a model in a survey."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import option, placed, slot
from yavik.core.methods.kit.models.spec import ModelSpec
from yavik.core.methods.kit.surveys import SurveySpec

FAMILIES = {"auto": "linear of numbers, logistic of yes and no", "linear": "linear", "logistic": "logistic"}


class SurveyModelSpec(ModelSpec, SurveySpec):
    """Slots and settings."""

    response: str | None = Field(
        None, title="Response",
        json_schema_extra=slot(["measure", "count", "yes_no", "category", "ordered"], "a question asked"),
    )  # fmt: skip
    family: Literal["auto", "linear", "logistic"] = Field("auto", json_schema_extra=option("Model", FAMILIES))
    event: str | None = Field(
        None, json_schema_extra=placed("level", "The event is", "Yes, 1 or true unless chosen.", of="response")
    )
