"""What a study size can be asked."""

from collections.abc import Callable
from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, amount, option, slot
from yavik.core.methods.base import Spec

DESIGNS = {
    "two_means": "two independent means",
    "paired_means": "means of pairs",
    "one_mean": "one mean against a value",
    "two_proportions": "two independent shares",
    "one_way": "means of several groups",
    "correlation": "a correlation",
    "chi_square": "a table of counts",
}


MEANS = ["two_means", "paired_means", "one_mean"]


class StudySizeSpec(Spec):
    design: Literal[
        "two_means", "paired_means", "one_mean", "two_proportions", "one_way", "correlation", "chi_square"
    ] = Field("two_means", json_schema_extra=option("To be compared", DESIGNS))
    find: Literal["n", "effect", "power"] = Field(
        "n",
        json_schema_extra=option(
            "Asked for",
            {
                "n": "how many rows",
                "effect": "the smallest difference seen",
                "power": "the power of a given size and difference",
            },
        ),
    )
    column: str | None = Field(None, title="Measurement", json_schema_extra=slot(VALUES, "a measure already at hand"))
    difference: float = Field(
        0.5,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Difference that matters",
            "In the measurement's unit, or in SDs where no SD is known.",
            when={"design": MEANS, "find": ["n", "power"]},
        ),
    )
    sd: float | None = Field(
        None,
        gt=0,
        json_schema_extra=amount(
            "Standard deviation",
            "Within groups; of the differences for pairs. From the column unless typed; 1 without either.",
            empty=True,
            when={"design": MEANS},
        ),
    )
    share: float = Field(
        0.3,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share in the first group", "", min=0, max=1, step=0.01, when={"design": ["two_proportions"]}
        ),
    )
    other_share: float = Field(
        0.5,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share in the second",
            "",
            min=0,
            max=1,
            step=0.01,
            when={"design": ["two_proportions"], "find": ["n", "power"]},
        ),
    )
    groups: int = Field(
        3, ge=2, le=200, json_schema_extra=amount("Groups", "", min=2, max=200, step=1, when={"design": ["one_way"]})
    )
    effect: float = Field(
        0.3,
        gt=0,
        le=10,
        json_schema_extra=amount(
            "Effect that matters",
            "r of a correlation; f of several means (SD of the means over SD within); w of a table of counts.",
            step=0.05,
            when={"design": ["one_way", "correlation", "chi_square"], "find": ["n", "power"]},
        ),
    )
    df: int = Field(
        1,
        ge=1,
        le=1000,
        json_schema_extra=amount(
            "df of the table", "(rows − 1)(columns − 1)", min=1, max=1000, step=1, when={"design": ["chi_square"]}
        ),
    )
    ratio: float = Field(
        1.0,
        gt=0.01,
        lt=100,
        json_schema_extra=amount(
            "Second group for each row of the first",
            "1 for groups of the same size.",
            step=0.5,
            when={"design": ["two_means", "two_proportions"]},
        ),
    )
    power: float = Field(
        0.8,
        gt=0.05,
        lt=1,
        json_schema_extra=amount(
            "Power", "How surely the difference should be found.", min=0.06, max=0.999, step=0.05
        ),
    )
    n: int = Field(
        50,
        ge=3,
        le=10_000_000,
        json_schema_extra=amount(
            "Rows at hand",
            "In each group, or pairs, or in all, as the design counts.",
            min=3,
            max=10000000,
            step=1,
            when={"find": ["effect", "power"]},
        ),
    )


Power = Callable[[float, float], float]
