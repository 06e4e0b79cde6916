"""What a panel can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, Ask, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS
from yavik.core.methods.kit.models.terms import CATEGORIES, Term

Model = Literal[
    "pooled", "pooled_clustered", "between", "fixed", "fixed_periods", "random", "first_differences", "unit_means",
    "within_between",
]  # fmt: skip
MODELS: dict[str, str] = {
    "pooled": "pooled", "pooled_clustered": "pooled, errors by unit", "between": "between units",
    "fixed": "fixed effects",
    "fixed_periods": "fixed effects of units and periods", "random": "random effects",
    "first_differences": "first differences", "unit_means": "random, with unit means",
    "within_between": "within and between",
}  # fmt: skip
ALL: list[Model] = [
    "pooled", "pooled_clustered", "between", "fixed", "fixed_periods", "random", "first_differences", "unit_means",
    "within_between",
]  # fmt: skip
TIMES = ["count", "ordered", "date", "measure", "category"]


class PanelSpec(Spec):
    """Slots and settings."""

    outcome: str | None = Field(None, title="Outcome", json_schema_extra=slot(VALUES, "a measure"))
    terms: list[Term] = Field(
        [],
        title="Terms",
        json_schema_extra=Ask(
            shown="terms", sentence=True, kinds=[*VALUES, *CATEGORIES], numbers=[*VALUES], placeholder="terms"
        ).extra(),
    )
    unit: str | None = Field(None, title="Unit", json_schema_extra=slot(CLUSTER_KINDS, "unit"))
    time: str | None = Field(None, title="Time", json_schema_extra=slot(TIMES, "time"))
    models: list[Model] = Field(
        ALL,
        min_length=1,
        json_schema_extra=placed("several", "Models side by side", words=MODELS),
    )
    main: Model = Field(
        "fixed", json_schema_extra=option("To be reported", MODELS, "The model that the headline tells of.")
    )
    se: Literal["classical", "cluster"] = Field(
        "cluster",
        json_schema_extra=option(
            "Standard errors",
            {"classical": "classical: rows of a unit independent", "cluster": "by unit"},
            "Of all models but pooled and between, whose errors are classical.",
        ),
    )
    reference: dict[str, str] = Field(
        {},
        json_schema_extra=placed(
            "references", "Reference levels", "The level that others are compared with.", of="terms"
        ),
    )
