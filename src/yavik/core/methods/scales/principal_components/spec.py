"""What can be asked about principal components."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.items import ITEMS

MATRICES = {
    "correlation": "correlations: every column counts alike",
    "covariance": "covariances: columns count by their spread",
}
NUMBERS = {"parallel": "more than chance gives", "kaiser": "more than a column’s own variance"}
ROTATIONS = {
    "none": "not rotated",
    "varimax": "varimax",
    "quartimax": "quartimax",
    "equamax": "equamax",
    "oblimin": "oblimin: components may correlate",
    "promax": "promax: components may correlate",
}
Number = Annotated[int, Field(ge=1, le=60)]


class ComponentSpec(Spec):
    """Slots and settings."""

    items: list[str] = Field([], title="Columns", json_schema_extra=slot(ITEMS, "columns", many=True))
    matrix: Literal["correlation", "covariance"] = Field("correlation", json_schema_extra=option("Of", MATRICES))
    components: Literal["parallel", "kaiser"] | Number = Field(
        "kaiser",
        json_schema_extra=placed(
            "choice_or_number",
            "Number of components",
            "Also by the line on the picture of eigenvalues.",
            words=NUMBERS,
            min=1,
            step=1,
        ),
    )
    rotation: Literal["none", "varimax", "quartimax", "equamax", "oblimin", "promax"] = Field(
        "none",
        json_schema_extra=option(
            "Rotation", ROTATIONS, "Rotated components are no longer those of largest variance."
        ),
    )
    hide_below: float = Field(
        0.0,
        ge=0,
        lt=1,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Hide loadings below",
            "Also by the line on the picture of loadings.",
            step=0.05,
            min=0,
            max=0.95,
            look=True,
        ),
    )
    sorted: bool = Field(True, json_schema_extra=placed("flag", "Columns sorted by component", look=True))
    draws: int = Field(
        500,
        ge=100,
        le=20_000,
        json_schema_extra=amount(
            "Draws of chance eigenvalues", "Of columns that have nothing in common.", step=100, min=100, max=20_000
        ),
    )
