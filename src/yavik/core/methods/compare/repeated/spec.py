"""What repeated measurements can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, option, slot
from yavik.core.methods.base import Spec

CORRECTION_WORDS = {
    "auto": "automatic: Greenhouse–Geisser",
    "none": "none, sphericity assumed",
    "greenhouse_geisser": "Greenhouse–Geisser",
    "huynh_feldt": "Huynh–Feldt",
}


class RepeatedSpec(Spec):
    columns: list[str] = Field(
        [], title="Times", json_schema_extra=slot(VALUES, "one column per time", many=True, layout="wide")
    )
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="long")
    )
    subject: str | None = Field(
        None, title="Subject", json_schema_extra=slot(["identifier", "text", *GROUPS], "a subject", layout="long")
    )
    within: str | None = Field(
        None,
        title="Within",
        json_schema_extra=slot([*GROUPS, "measure", "date"], "times or conditions", layout="long"),
    )
    between: str | None = Field(None, title="Between", json_schema_extra=slot(GROUPS, "groups of subjects"))
    covariates: list[str] = Field(
        [], title="Covariates", json_schema_extra=slot(VALUES, "covariates of subjects", many=True)
    )
    test: Literal["anova", "friedman"] = Field(
        "anova",
        json_schema_extra=option(
            "Test", {"anova": "analysis of variance", "friedman": "Friedman, by ranks within subjects"}
        ),
    )
    correction: Literal["auto", "none", "greenhouse_geisser", "huynh_feldt"] = Field(
        "auto",
        json_schema_extra=option(
            "Correction of df",
            CORRECTION_WORDS,
            "Automatic always corrects: choosing by Mauchly's test on the same data spoils the error rate.",
            when={"test": ["anova"]},
        ),
    )
