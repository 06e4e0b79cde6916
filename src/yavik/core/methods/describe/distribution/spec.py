"""What the shape of a column can be asked."""

from pydantic import Field

from yavik.core.ask import VALUES, amount, slot
from yavik.core.methods.base import Spec


class DistributionSpec(Spec):
    column: str | None = Field(None, title="Measurement", json_schema_extra=slot(VALUES, "a measure"))
    by: str | None = Field(None, title="For each", json_schema_extra=slot(["category", "ordered", "yes_no"], "group"))
    bins: int | None = Field(
        None,
        ge=2,
        le=200,
        json_schema_extra=amount("Bins", "As the data suggest unless typed.", min=2, max=200, step=1, empty=True),
    )
    line: float | None = Field(
        None,
        allow_inf_nan=False,
        json_schema_extra=amount("Reference line", "A value drawn across the histogram.", empty=True),
    )
