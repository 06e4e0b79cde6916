"""What can be asked of functions that tell groups apart."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, option, slot
from yavik.core.methods.base import Spec

PRIORS = {"equal": "the same for every group", "observed": "as in these rows"}


class DiscriminantSpec(Spec):
    """Slots and settings."""

    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(VALUES, "columns of numbers", many=True))
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "a column of groups"))
    prior: Literal["equal", "observed"] = Field(
        "equal",
        json_schema_extra=option(
            "Chance of each group beforehand", PRIORS, "Decides where rows are put, not what the functions are."
        ),
    )
