"""What can be asked about principal components."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.items import ITEMS
from yavik.core.methods.kit.loadings import Number, chance_draws, hide_below, how_many

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


class ComponentSpec(Spec):
    """Slots and settings."""

    items: list[str] = Field([], title="Columns", json_schema_extra=slot(ITEMS, "columns", many=True))
    matrix: Literal["correlation", "covariance"] = Field("correlation", json_schema_extra=option("Of", MATRICES))
    components: Literal["parallel", "kaiser"] | Number = how_many("kaiser", "Number of components", NUMBERS)
    rotation: Literal["none", "varimax", "quartimax", "equamax", "oblimin", "promax"] = Field(
        "none",
        json_schema_extra=option(
            "Rotation", ROTATIONS, "Rotated components are no longer those of largest variance."
        ),
    )
    hide_below: float = hide_below(0.0)
    sorted: bool = Field(True, json_schema_extra=placed("flag", "Columns sorted by component", look=True))
    draws: int = chance_draws()
