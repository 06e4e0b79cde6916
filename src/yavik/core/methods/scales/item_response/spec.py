"""What can be asked about the answers to items of a test or scale."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed, slot
from yavik.core.methods.base import Spec

KINDS = ["yes_no", "count", "ordered", "category", "text", "measure"]
MODELS = {
    "auto": "as the answers need",
    "one_parameter": "one parameter: difficulty, one discrimination for all",
    "two_parameter": "two parameters: difficulty and discrimination",
    "three_parameter": "three parameters: and a floor for guessing",
    "graded": "graded answers: thresholds and discrimination",
}
NAMES = {
    "one_parameter": "one parameter",
    "two_parameter": "two parameters",
    "three_parameter": "three parameters",
    "graded": "graded",
}
SORTS = {"given": "as chosen", "difficulty": "by difficulty", "discrimination": "by discrimination"}
Ability = Annotated[float, Field(ge=-6, le=6, allow_inf_nan=False)]


class ResponseSpec(Spec):
    """Slots and settings."""

    items: list[str] = Field([], title="Items", json_schema_extra=slot(KINDS, "items of a test", many=True))
    model: Literal["auto", "one_parameter", "two_parameter", "three_parameter", "graded"] = Field(
        "auto", json_schema_extra=option("Model", MODELS)
    )
    key: dict[str, str] = Field(
        {},
        json_schema_extra=placed(
            "keyed", "Right answers", "Of items answered in words; others count as they are.", of="items"
        ),
    )
    sort_by: Literal["given", "difficulty", "discrimination"] = Field(
        "given", json_schema_extra=option("Items", SORTS, look=True)
    )
    order: Literal["ascending", "descending"] = Field(
        "ascending",
        json_schema_extra=option(
            "Order",
            {"ascending": "lowest first", "descending": "highest first"},
            look=True,
            when={"sort_by": ["difficulty", "discrimination"]},
        ),
    )
    grouped: Literal["by_item", "by_parameter"] = Field(
        "by_item",
        json_schema_extra=option(
            "Estimates", {"by_item": "a row for each item", "by_parameter": "grouped by parameter"}, look=True
        ),
    )
    shown: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns", "Curves of", "Also by a click on an item.", of="items", auto="the first six", look=True
        ),
    )
    mark_difficulty: bool = Field(
        True, json_schema_extra=placed("flag", "Difficulties marked on the axis", look=True)
    )
    ability: Ability = Field(
        0.0,
        json_schema_extra=amount(
            "Read off at ability",
            "Also by the line on the picture of expected scores.",
            step=0.1,
            min=-6,
            max=6,
            look=True,
        ),
    )
    score: float | None = Field(
        None,
        allow_inf_nan=False,
        json_schema_extra=amount("Read off at score", "The ability at which it is expected.", empty=True, look=True),
    )
    theta: list[Ability] = Field(
        [],
        max_length=25,
        json_schema_extra=placed("numbers", "Table of the curves at", "Abilities between −6 and 6.", look=True),
    )
    nodes: int = Field(
        41,
        ge=11,
        le=301,
        json_schema_extra=amount(
            "Nodes", "Abilities at which the normal distribution is looked at.", step=10, min=11, max=301
        ),
    )
