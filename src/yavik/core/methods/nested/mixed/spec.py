"""What a mixed model can be asked."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from yavik.core.ask import GROUPS, VALUES, Ask, option, placed, slot
from yavik.core.methods.kit.models.spec import ModelSpec

UNITS = ["category", "ordered", "yes_no", "identifier", "text", "count"]
COVARIANCES = {
    "independent": "independent: none",
    "compound": "compound: all pairs of times alike",
    "ar1": "AR(1): fading with the distance",
    "toeplitz": "Toeplitz: one for each distance",
    "unstructured": "unstructured: one for each pair",
}
SPREADS = {"same": "the same throughout", "by_time": "one for each time", "by_group": "one for each group"}
DF = {
    "satterthwaite": "Satterthwaite",
    "kenward_roger": "Kenward and Roger",
    "none": "none: Wald’s χ²",
}
TYPES = {
    "two_sided": "any difference", "less": "less", "greater": "greater", "non_inferiority": "not worse by the margin",
    "equivalence": "alike within the margin",
}  # fmt: skip
OVER_TIME = {"layout": "over_time"}


class RandomTerm(BaseModel):
    """Effects of units: of their level, and of slopes. Several columns name a unit within others."""

    model_config = ConfigDict(extra="forbid")

    units: list[str] = Field(min_length=1, max_length=4)
    slopes: list[str] = Field([], max_length=4)
    intercept: bool = True
    related: bool = True

    @model_validator(mode="before")
    @classmethod
    def _a_name_is_a_unit(cls, data: Any) -> Any:
        """A column's name by itself: its levels are the units."""
        return {"units": [data]} if isinstance(data, str) else data

    @property
    def names(self) -> list[str]:
        """Its columns."""
        return [*self.units, *self.slopes]


class SimulatedContrast(BaseModel):
    """A comparison of means of the simulated term's cells, named as 'a' or 'a × b'."""

    model_config = ConfigDict(extra="forbid")

    label: str = Field(min_length=1, max_length=200)
    weights: dict[str, float]


class Simulate(BaseModel):
    """Critical values by simulation, under the model without a term."""

    model_config = ConfigDict(extra="forbid")

    term: str | list[str]
    draws: int = Field(999, ge=99, le=99_999)
    contrasts: list[SimulatedContrast] = Field([], max_length=20)
    margin: float | None = Field(None, gt=0, allow_inf_nan=False)
    type: Literal["two_sided", "less", "greater", "non_inferiority", "equivalence"] = "two_sided"

    @property
    def columns(self) -> list[str]:
        """Those of the term."""
        return [self.term] if isinstance(self.term, str) else list(self.term)


class MixedSpec(ModelSpec):
    """Slots and settings; ``subject`` and ``time`` belong to the layout over time."""

    response: str | None = Field(None, title="Response", json_schema_extra=slot(VALUES, "a measure"))
    random: list[RandomTerm] = Field(
        [],
        title="Units",
        json_schema_extra=Ask(
            shown="units", sentence=True, kinds=UNITS, numbers=VALUES, placeholder="units", layout="nested"
        ).extra(),
    )
    subject: str | None = Field(
        None, title="Subject", json_schema_extra=slot([*UNITS], "a subject", layout="over_time")
    )
    time: str | None = Field(
        None, title="Time", json_schema_extra=slot([*GROUPS, "measure", "date"], "times", layout="over_time")
    )
    between: list[str] = Field(
        [], title="Between", json_schema_extra=slot(GROUPS, "groups of subjects", many=True, layout="over_time")
    )
    covariates: list[str] = Field(
        [],
        title="Covariates",
        json_schema_extra=slot([*VALUES, *GROUPS], "covariates", many=True, layout="over_time"),
    )
    interactions: Literal["all", "none"] | list[list[str]] = Field(
        "all",
        json_schema_extra=placed(
            "sets",
            "Interactions",
            "Of the time and what is between subjects.",
            of="time_terms",
            when={"subject": "set"},
        ),
    )
    time_as: Literal["levels", "number"] = Field(
        "levels",
        json_schema_extra=option(
            "Time as", {"levels": "levels: a mean for each", "number": "a number: a straight line"},
            when={"subject": "set"},
        ),
    )  # fmt: skip
    covariance: Literal["independent", "compound", "ar1", "toeplitz", "unstructured"] = Field(
        "compound",
        json_schema_extra=option(
            "Correlation within a subject", COVARIANCES, "The table of covariances says which the data carry.",
            when={"subject": "set"},
        ),
    )  # fmt: skip
    spread: Literal["same", "by_time", "by_group"] = Field(
        "same",
        json_schema_extra=option(
            "Spread", SPREADS, "Unstructured always has one for each time.",
            when={"covariance": ["independent", "compound", "ar1", "toeplitz"], "subject": "set"},
        ),
    )  # fmt: skip
    fit: Literal["reml", "ml"] = Field(
        "reml",
        json_schema_extra=option(
            "Likelihood",
            {"reml": "restricted (REML)", "ml": "full (ML)"},
            "Restricted for estimates; full where models with other terms are compared.",
        ),
    )
    df: Literal["satterthwaite", "kenward_roger", "none"] = Field(
        "satterthwaite", json_schema_extra=option("Degrees of freedom", DF)
    )
    simulate: Simulate | None = Field(
        None,
        json_schema_extra=placed(
            "simulate",
            "Critical values by simulation",
            "Data are drawn from the model without the term, and the model is fitted to each.",
            of="terms",
        ),
    )

    @property
    def over_time(self) -> bool:
        """Whether the layout is that of subjects over time."""
        return self.subject is not None

    @property
    def time_terms(self) -> list[str]:
        """The time and what is between subjects."""
        return [*([self.time] if self.time else []), *self.between]
