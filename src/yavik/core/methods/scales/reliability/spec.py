"""What can be set about the reliability of a scale."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.items import ITEMS

SPLITS = {
    "none": "not split",
    "odd_even": "every other item",
    "first_last": "first half and last half",
}


class ReliabilitySpec(Spec):
    """Slots and settings."""

    items: list[str] = Field([], title="Items", json_schema_extra=slot(ITEMS, "items of one scale", many=True))
    reversed: Literal["auto"] | list[str] = Field(
        "auto",
        json_schema_extra=placed(
            "columns", "Items turned round",
            "Items that ask the other way. Found by themselves unless chosen; the table stays as it is.", of="items",
            auto="found by themselves",
        ),
    )  # fmt: skip
    split: Literal["none", "odd_even", "first_last"] = Field("none", json_schema_extra=option("Split half", SPLITS))
