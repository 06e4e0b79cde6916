"""What is asked about a share."""

from pydantic import Field

from yavik.core.ask import amount, placed, slot
from yavik.core.methods.kit.margin import WithMargin
from yavik.core.methods.kit.shares import LEVELS


class ProportionSpec(WithMargin):
    column: str | None = Field(None, title="What happened", json_schema_extra=slot(LEVELS, "a category"))
    event: str | None = Field(
        None,
        json_schema_extra=placed(
            "level", "Counted is", "Yes, 1 or true, else the last level, unless chosen.", of="column"
        ),
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(LEVELS, "groups"))
    value: float | None = Field(
        None,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share to compare with", "Between 0 and 1; leave empty for none.", min=0, max=1, step=0.01, empty=True
        ),
    )
