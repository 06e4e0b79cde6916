"""What a comparison of two samples can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, option, placed, slot
from yavik.core.methods.kit.margin import WithMargin
from yavik.core.methods.kit.samples import (
    Summary,
    summaries_slot,
)

TEST_WORDS = {
    "auto": "automatic",
    "student": "Student's t, one pooled spread",
    "welch": "Welch's t, unequal spread allowed",
    "mann_whitney": "rank sums (Mann–Whitney)",
    "permutation": "permutation of the mean difference",
}


class CompareTwoSpec(WithMargin):
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="stacked")
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "two groups", layout="stacked"))
    samples: list[str] = Field(
        [], title="Samples", json_schema_extra=slot(VALUES, "two columns", many=True, layout="side_by_side")
    )
    summaries: list[Summary] = Field([], title="Summaries", json_schema_extra=summaries_slot())
    test: Literal["auto", "student", "welch", "mann_whitney", "permutation"] = Field(
        "auto",
        json_schema_extra=option(
            "Test",
            TEST_WORDS,
            "Automatic takes Welch's test: it holds its error rate whether or not the spread is equal.",
        ),
    )
    difference: float = Field(
        0.0,
        allow_inf_nan=False,
        json_schema_extra=placed(
            "number", "Difference tested against", "0 unless another difference is what would matter."
        ),
    )
    exact: Literal["auto", "yes", "no"] = Field(
        "auto",
        json_schema_extra=option(
            "Exact p of ranks",
            {"auto": "up to 50 values without ties", "yes": "always", "no": "never"},
            when={"test": ["mann_whitney"]},
        ),
    )
    continuity: bool = Field(
        True,
        json_schema_extra=placed(
            "flag",
            "Continuity correction",
            "For the normal approximation of ranks.",
            when={"test": ["mann_whitney"]},
        ),
    )
