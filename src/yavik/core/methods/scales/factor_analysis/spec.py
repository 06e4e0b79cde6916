"""What can be asked about the factors behind items."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.items import ITEMS
from yavik.core.methods.kit.loadings import Number, chance_draws, hide_below, how_many

EXTRACTIONS = {
    "principal_axis": "principal axes: supposes least about the answers",
    "ml": "maximum likelihood: with a test of fit, for answers near normal",
    "minres": "least residuals: the same end as principal axes, kept proper",
}
NUMBERS = {"parallel": "more than chance gives", "kaiser": "eigenvalues above 1"}
ROTATIONS = {
    "oblimin": "oblimin: factors may correlate",
    "promax": "promax: factors may correlate, quick with many items",
    "varimax": "varimax: uncorrelated, each factor few high loadings",
    "quartimax": "quartimax: uncorrelated, each item few high loadings",
    "equamax": "equamax: uncorrelated, between the two",
    "none": "not rotated",
}
SCORES = {
    "regression": "by regression: nearest to the factors",
    "bartlett": "Bartlett’s: without bias",
    "means": "means of each factor’s items: plain, and the same in any sample",
}
Names = dict[str, Annotated[str, Field(max_length=60)]]


class FactorSpec(Spec):
    """Slots and settings."""

    items: list[str] = Field([], title="Items", json_schema_extra=slot(ITEMS, "items", many=True))
    factors: Literal["parallel", "kaiser"] | Number = how_many("parallel", "Number of factors", NUMBERS)
    extraction: Literal["principal_axis", "ml", "minres"] = Field(
        "principal_axis", json_schema_extra=option("Extraction", EXTRACTIONS)
    )
    rotation: Literal["none", "varimax", "quartimax", "equamax", "oblimin", "promax"] = Field(
        "oblimin",
        json_schema_extra=option(
            "Rotation", ROTATIONS, "Begin with factors that may correlate; where they hardly do, a check says so."
        ),
    )
    delta: float = Field(
        0.0,
        ge=-20,
        le=0.8,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Delta of oblimin",
            "Below 0 factors correlate less.",
            step=0.1,
            min=-20,
            max=0.8,
            when={"rotation": ["oblimin"]},
        ),
    )
    power: float = Field(
        4.0,
        gt=1,
        le=10,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Power of promax",
            "Higher ones let factors correlate more.",
            step=1,
            min=2,
            max=10,
            when={"rotation": ["promax"]},
        ),
    )
    kaiser_normalisation: bool = Field(
        True,
        json_schema_extra=placed(
            "flag",
            "Every item counts alike in the rotation",
            "Kaiser’s normalisation: rows at length one while rotating.",
        ),
    )
    hide_below: float = hide_below(0.3)
    sorted: bool = Field(True, json_schema_extra=placed("flag", "Items sorted by factor", look=True))
    scores: Literal["regression", "bartlett", "means"] = Field(
        "regression", json_schema_extra=option("Factor scores", SCORES, look=True)
    )
    draws: int = chance_draws()
    names: Names = Field({}, json_schema_extra=placed("fixed", "Names of factors"))
    """By an item: the name of the factor that it loads on most."""
