"""What a comparison by several factors can be asked."""

from typing import Literal, get_args

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.compare.groups.spec import PAIR_WORDS

SS_WORDS = {
    "iii": "type III, each term after all others",
    "ii": "type II, each after those that do not contain it",
    "i": "type I, in the order of the sentence",
}


Family = Literal["tukey", "lsd", "bonferroni", "holm", "sidak", "scheffe", "snk", "duncan"]


class FactorialSpec(Spec):
    response: str | None = Field(None, title="Measurement", json_schema_extra=slot(VALUES, "a measure"))
    factors: list[str] = Field([], title="Factors", json_schema_extra=slot(GROUPS, "two to five factors", many=True))
    covariates: list[str] = Field([], title="Covariates", json_schema_extra=slot(VALUES, "covariates", many=True))
    block: str | None = Field(None, title="Block", json_schema_extra=slot([*GROUPS, "identifier"], "a block"))
    interactions: Literal["all", "none"] | list[list[str]] = Field(
        "all",
        json_schema_extra=placed(
            "sets",
            "Interactions",
            "Main effects are always there; switch single interactions on or off.",
            of="factors",
        ),
    )
    sums_of_squares: Literal["iii", "ii", "i"] = Field(
        "iii",
        json_schema_extra=option("Sums of squares", SS_WORDS, "All the same where every cell has as many rows."),
    )
    pairs: Family = Field(
        "tukey",
        json_schema_extra=option("Pairs by", {k: v for k, v in PAIR_WORDS.items() if k in get_args(Family)}),
    )
    pairs_of: list[list[str]] | None = Field(
        None,
        json_schema_extra=placed(
            "sets",
            "Pairs of",
            "Main effects unless terms are chosen; a term of several factors compares its cells.",
            of="factors",
            single=True,
        ),
    )
    at: dict[str, float] | None = Field(
        None,
        json_schema_extra=placed(
            "values", "Covariates held at", "Their means unless a value is typed.", of="covariates"
        ),
    )
