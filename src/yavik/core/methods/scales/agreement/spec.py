"""What can be asked about raters' agreement."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import option, slot
from yavik.core.methods.base import Spec

KINDS = {
    "auto": "as the ratings need",
    "kappa": "kappa: answers in categories",
    "icc": "intraclass correlation: measures",
    "limits": "limits of agreement: two ways of measuring",
}
WEIGHTS = {
    "auto": "squared steps where answers have an order",
    "none": "none: every disagreement counts alike",
    "linear": "steps between answers",
    "quadratic": "squared steps between answers",
}


class AgreementSpec(Spec):
    """Slots and settings."""

    raters: list[str] = Field(
        [],
        title="Raters",
        json_schema_extra=slot(
            ["category", "ordered", "yes_no", "count", "measure", "text"], "a column for each rater", many=True
        ),
    )
    kind: Literal["auto", "kappa", "icc", "limits"] = Field("auto", json_schema_extra=option("Measured by", KINDS))
    weights: Literal["auto", "none", "linear", "quadratic"] = Field(
        "auto", json_schema_extra=option("Weights of kappa", WEIGHTS, when={"kind": ["auto", "kappa"]})
    )
