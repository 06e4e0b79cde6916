"""What a difference in differences can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, amount, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS

PERIODS = ["count", "ordered", "date", "category", "yes_no", "measure"]
SE = {
    "cluster": "by cluster", "wild": "by cluster, p by the wild bootstrap", "classical": "classical: the same spread",
    "hc0": "robust, HC0", "hc1": "robust, HC1", "hc2": "robust, HC2", "hc3": "robust, HC3",
}  # fmt: skip


class DidSpec(Spec):
    """Slots and settings."""

    outcome: str | None = Field(None, title="Outcome", json_schema_extra=slot(VALUES, "a measure"))
    period: str | None = Field(None, title="Period", json_schema_extra=slot(PERIODS, "a period"))
    treated: str | None = Field(
        None,
        title="Treated",
        json_schema_extra=slot(["yes_no", "category", "ordered", "count"], "who was treated", layout="groups"),
    )
    starts: str | None = Field(
        None,
        title="Starts",
        json_schema_extra=slot(
            ["count", "measure", "date", "category", "ordered"], "first treated period", layout="starts"
        ),
    )
    covariates: list[str] = Field(
        [], title="Covariates", json_schema_extra=slot([*VALUES, *GROUPS], "covariates", many=True)
    )
    unit: str | None = Field(
        None,
        json_schema_extra=placed(
            "column",
            "Unit",
            "What is followed over the periods; its own level is then taken out.",
            kinds=CLUSTER_KINDS,
        ),
    )
    base: str | None = Field(
        None,
        json_schema_extra=placed(
            "level", "Last period before", "The change comes after it; others are compared with it.", of="period"
        ),
    )
    cluster: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Clusters", "The unit unless another is chosen.", kinds=CLUSTER_KINDS,
            when={"se": ["cluster", "wild"]},
        ),
    )  # fmt: skip
    weights: str | None = Field(
        None, json_schema_extra=placed("column", "Weights", "How much a row counts.", kinds=[*VALUES])
    )
    se: Literal["classical", "hc0", "hc1", "hc2", "hc3", "cluster", "wild"] = Field(
        "cluster", json_schema_extra=option("Standard errors", SE)
    )
    draws: int = Field(
        1999,
        ge=99,
        le=99_999,
        json_schema_extra=amount("Draws", "", min=99, max=99_999, step=1, when={"se": ["wild"]}),
    )
