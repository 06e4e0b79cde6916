"""What correlations can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import option, placed, slot
from yavik.core.methods.base import Spec

NUMBERS = ["measure", "count", "yes_no"]


KIND_WORDS = {
    "pearson": "Pearson's r, straight lines",
    "spearman": "Spearman's ρ, by ranks",
    "kendall": "Kendall's τ-b, by order of pairs",
}


class CorrelateSpec(Spec):
    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(NUMBERS, "two or more columns", many=True))
    holding: list[str] = Field(
        [], title="Held constant", json_schema_extra=slot(NUMBERS, "columns held constant", many=True)
    )
    kind: Literal["pearson", "spearman", "kendall"] = Field(
        "pearson", json_schema_extra=option("Correlation", KIND_WORDS)
    )
    lines_by: str | None = Field(
        None,
        json_schema_extra=placed(
            "column",
            "A line for each",
            "Two columns only: points and lines of each level apart.",
            kinds=["category", "ordered", "yes_no"],
        ),
    )
    adjust: Literal["none", "holm", "bonferroni", "fdr"] = Field(
        "none",
        json_schema_extra=option(
            "Adjustment of p",
            {"none": "none", "holm": "Holm", "bonferroni": "Bonferroni", "fdr": "false discovery rate"},
            "Over all pairs.",
        ),
    )
