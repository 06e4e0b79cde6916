"""What can be set about a comparison of groups."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yavik.core.ask import GROUPS, VALUES, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.samples import Summary, summaries_slot
from yavik.core.stats.adjusting import Adjust
from yavik.core.stats.contrasts import ContrastAdjust

TEST_WORDS = {
    "auto": "automatic",
    "anova": "classical F",
    "welch": "Welch's test, unequal spread allowed",
    "brown_forsythe": "Brown–Forsythe's F*, unequal spread allowed",
    "kruskal_wallis": "Kruskal–Wallis, by ranks",
    "permutation": "permutation of the classical F",
    "friedman": "Friedman, by ranks within blocks",
}
PAIR_WORDS = {
    "auto": "automatic",
    "tukey": "Tukey–Kramer",
    "games_howell": "Games–Howell",
    "lsd": "least significant difference",
    "bonferroni": "Bonferroni",
    "holm": "Holm",
    "sidak": "Šidák",
    "scheffe": "Scheffé",
    "dunnett": "Dunnett, each against a control",
    "snk": "Student–Newman–Keuls",
    "duncan": "Duncan",
    "dunnett_welch": "Dunnett with each group's own spread",
    "dunn": "Dunn",
    "nemenyi": "Nemenyi",
    "conover": "Conover",
    "pairwise_mann_whitney": "rank sums pair by pair",
}
ADJUSTED_BY = {
    "holm": "adjusted by Holm",
    "bonferroni": "adjusted by Bonferroni",
    "sidak": "adjusted by Šidák",
    "fdr": "by the false discovery rate",
    "none": "not adjusted",
}
MEAN_RANKS = ("dunn", "nemenyi", "conover")
"""Pairs of mean ranks over all groups together."""
BY_RANKS = (*MEAN_RANKS, "pairwise_mann_whitney")
"""Pairs that speak about ranks: their differences are not estimates of a difference of means."""
WITH_CONTROL = ("dunnett", "dunnett_welch")
"""Each group against one, and no other pairs."""
CHOOSES_ADJUSTMENT = ("dunn", "conover", "pairwise_mann_whitney", "friedman_ranks")
"""Pairs whose p can be adjusted in more than one way; the others bring their own."""


def pairs_said(method: str, words: str, adjust: str) -> str:
    """'pairs by Dunn, adjusted by Holm': what a method section has to name."""
    return f"pairs by {words}" + (f", {ADJUSTED_BY[adjust]}" if method in CHOOSES_ADJUSTMENT else "")


Test = Literal["auto", "anova", "welch", "brown_forsythe", "kruskal_wallis", "permutation", "friedman"]
PairMethod = Literal[
    "auto",
    "tukey",
    "games_howell",
    "lsd",
    "bonferroni",
    "holm",
    "sidak",
    "scheffe",
    "dunnett",
    "snk",
    "duncan",
    "dunnett_welch",
    "dunn",
    "nemenyi",
    "conover",
    "pairwise_mann_whitney",
]


class TypedContrast(BaseModel):
    """Weights for named levels; levels not named have weight 0."""

    model_config = ConfigDict(extra="forbid")

    label: str = Field(min_length=1, max_length=200)
    weights: dict[str, float]


class CompareGroupsSpec(Spec):
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="stacked")
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "groups", layout="stacked"))
    block: str | None = Field(
        None,
        title="Block",
        json_schema_extra=slot([*GROUPS, "identifier"], "a block", layout="stacked"),
    )
    samples: list[str] = Field(
        [], title="Samples", json_schema_extra=slot(VALUES, "one column per sample", many=True, layout="side_by_side")
    )
    summaries: list[Summary] = Field([], title="Summaries", json_schema_extra=summaries_slot())
    test: Test = Field(
        "auto",
        json_schema_extra=option(
            "Test",
            TEST_WORDS,
            "Automatic takes Welch's test: it holds its error rate whether or not the spread is equal. With a block,"
            " the classical F.",
        ),
    )
    pairs: PairMethod = Field(
        "auto",
        json_schema_extra=option(
            "Pairs by",
            PAIR_WORDS,
            "Automatic follows the test: Games–Howell after Welch or Brown–Forsythe, Tukey–Kramer after the classical"
            " F, Dunn after ranks.",
        ),
    )
    adjust: Adjust = Field(
        "holm",
        json_schema_extra=option(
            "Adjustment of the pairs' p",
            {
                "holm": "Holm",
                "none": "none",
                "bonferroni": "Bonferroni",
                "sidak": "Šidák",
                "fdr": "false discovery rate",
            },
            when={"pairs_used": list(CHOOSES_ADJUSTMENT)},
        ),
    )
    control: str | None = Field(
        None,
        json_schema_extra=placed(
            "level",
            "Control",
            "The level that the others are compared with; the first unless chosen.",
            of="groups",
            when={"pairs_used": list(WITH_CONTROL), "contrasts": ["control"]},
            any=True,
        ),
    )
    contrasts: list[TypedContrast] | Literal["polynomial", "control"] | None = Field(
        None,
        json_schema_extra=placed(
            "contrasts", "Planned contrasts", "Comparisons that were planned before the data were seen.", of="groups"
        ),
    )
    spacing: dict[str, float] | None = Field(
        None,
        json_schema_extra=placed(
            "shares",
            "Where the levels lie",
            "For the trend. The levels' own numbers where each name is one, else equal distances, unless typed.",
            of="groups",
            when={"contrasts": ["polynomial"]},
        ),
    )
    contrasts_adjust: ContrastAdjust = Field(
        "none",
        json_schema_extra=option(
            "Adjustment of contrasts",
            {
                "none": "none: each was planned",
                "holm": "Holm",
                "bonferroni": "Bonferroni",
                "sidak": "Šidák",
                "scheffe": "Scheffé, for any contrast",
            },
            when={"contrasts": "set"},
        ),
    )
    letters_order: Literal["up", "down"] = Field(
        "up", json_schema_extra=option("Letters from", {"up": "the lowest mean", "down": "the highest mean"})
    )
