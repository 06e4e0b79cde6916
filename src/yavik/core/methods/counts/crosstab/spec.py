"""What a table of counts can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.shares import LEVELS


class CrosstabSpec(Spec):
    rows: str | None = Field(None, title="Rows", json_schema_extra=slot(LEVELS, "a category"))
    columns: str | None = Field(None, title="Columns", json_schema_extra=slot(LEVELS, "a category"))
    layers: str | None = Field(None, title="Layers", json_schema_extra=slot(LEVELS, "a third category"))
    count: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Rows count by", "A column that says how often each row stands.", kinds=["count"]
        ),
    )
    exact: Literal["auto", "yes", "no"] = Field(
        "auto",
        json_schema_extra=option(
            "Fisher's exact test",
            {"auto": "where counts are small", "yes": "always", "no": "never"},
            "Two by two exactly; larger tables by drawing tables with the same totals.",
        ),
    )
    draws: int = Field(
        9999,
        ge=99,
        le=1_000_000,
        json_schema_extra=amount("Tables drawn", "For Fisher's test of larger tables.", min=99, max=1000000, step=1),
    )
