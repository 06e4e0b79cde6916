"""What a description of columns can be asked."""

from pydantic import Field

from yavik.core.ask import slot
from yavik.core.methods.base import Spec

ANY = ["measure", "count", "yes_no", "category", "ordered", "date", "text", "identifier"]


class DescribeSpec(Spec):
    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(ANY, "columns", many=True))
    by: str | None = Field(None, title="For each", json_schema_extra=slot(["category", "ordered", "yes_no"], "group"))
