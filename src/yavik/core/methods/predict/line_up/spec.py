"""What a line-up of models can be asked."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from yavik.core.ask import Ask, option, placed
from yavik.core.methods.base import Spec


class LinedModel(BaseModel):
    """A model as a question has it, with a name of its own or none."""

    model_config = ConfigDict(extra="forbid")

    name: str | None = Field(None, max_length=80)
    method: str
    spec: dict[str, Any]


class LineUpSpec(Spec):
    models: list[LinedModel] = Field(
        [],
        title="Models",
        json_schema_extra=Ask(shown="models", sentence=True, placeholder="several").extra(),
    )
    chosen: int | None = Field(None, ge=0, json_schema_extra=placed("hidden", "The one to report"))
    show: Literal["effects", "b"] = Field(
        "effects",
        json_schema_extra=option(
            "Estimates as", {"effects": "odds ratios where there are any", "b": "coefficients b"}
        ),
    )
    brackets: Literal["ci", "se"] = Field(
        "ci", json_schema_extra=option("Under each estimate", {"ci": "its interval", "se": "its standard error"})
    )
    marks: Literal["none", "stars"] = Field(
        "none", json_schema_extra=option("Marks of p", {"none": "none", "stars": "* below .05, ** .01, *** .001"})
    )
    rows: Literal["same", "own"] = Field(
        "same",
        json_schema_extra=option(
            "Rows",
            {"same": "the same for all: filled in every model", "own": "each model’s own"},
            "AIC, BIC and tests between models are only comparable on the same rows.",
        ),
    )
