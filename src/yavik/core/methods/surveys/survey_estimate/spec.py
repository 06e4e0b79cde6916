"""What can be asked of estimates from a survey."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, amount, option, placed, slot
from yavik.core.methods.kit.surveys import SurveySpec

KINDS = ["measure", "count", "category", "ordered", "yes_no"]
STATISTICS = {
    "auto": "means of numbers, shares of levels", "mean": "means", "share": "shares", "total": "totals",
    "ratio": "the first over the second", "quantile": "quantiles",
}  # fmt: skip


class EstimateSpec(SurveySpec):
    """Slots and settings."""

    columns: list[str] = Field([], title="Columns", json_schema_extra=slot(KINDS, "questions asked", many=True))
    by: str | None = Field(None, title="By", json_schema_extra=slot(GROUPS, "a column of groups"))
    across: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "And by", "Every level of both, with a table of its own.", kinds=GROUPS, when={"by": "set"}
        ),
    )  # fmt: skip
    statistic: Literal["auto", "mean", "share", "total", "ratio", "quantile"] = Field(
        "auto", json_schema_extra=option("Estimated are", STATISTICS)
    )
    event: str | None = Field(
        None,
        json_schema_extra=placed(
            "text", "Counted is", "Of shares: yes, 1 or true unless a level is named; all levels of others."
        ),
    )
    part: float = Field(
        0.5, gt=0, lt=1,
        json_schema_extra=amount(
            "Quantile", "0.5 is the median.", when={"statistic": ["quantile"]}, min=0.01, max=0.99, step=0.05
        ),
    )  # fmt: skip
