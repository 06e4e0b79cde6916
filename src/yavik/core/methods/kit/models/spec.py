"""What the specs of all models share: terms, references, selection, where predictions are wanted."""

from typing import Any, Literal

from pydantic import Field

from yavik.core.ask import Ask, amount, option, placed
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.models.comparing import ComparisonSet
from yavik.core.methods.kit.models.terms import IN_TERMS, NUMBERS, Term

CLUSTER_KINDS = ["category", "ordered", "yes_no", "identifier", "text", "count"]
SELECTION = {
    "none": "no selection: all terms",
    "forward": "forward: the best enters",
    "backward": "backward: the weakest leaves",
    "stepwise": "stepwise: enters and leaves",
}
CHOOSE_BY = {"p": "p of the term", "aic": "AIC", "bic": "BIC"}
SELECTING = {"selection": ["forward", "backward", "stepwise"]}
BY_P = {**SELECTING, "choose_by": ["p"]}


class ModelSpec(Spec):
    """Fields of a model beside its response."""

    terms: list[Term] = Field(
        [],
        title="Terms",
        json_schema_extra=Ask(
            shown="terms", sentence=True, kinds=IN_TERMS, numbers=list(NUMBERS), placeholder="terms"
        ).extra(),
    )
    reference: dict[str, str] = Field(
        {},
        json_schema_extra=placed(
            "references", "Reference levels", "The level that others are compared with.", of="terms"
        ),
    )
    intercept: bool = Field(
        True, json_schema_extra=placed("flag", "Intercept", "Off only where nothing means nothing.")
    )
    zero: Literal["own", "mean"] = Field(
        "own",
        json_schema_extra=option(
            "Numbers counted from",
            {"own": "their own zero", "mean": "their means"},
            "The model and its predictions stay the same. Intercept, lower powers and parts of interactions are said"
            " of the zero: with means, of the middle of the data.",
            when={"intercept": ["true"]},
        ),
    )
    per: dict[str, float] = Field(
        {},
        json_schema_extra=placed("numbers_of", "Unit of change", "An estimate for a change by so much, such as 10 m².", of="terms", look=True),
    )  # fmt: skip
    at: dict[str, Any] = Field(
        {},
        json_schema_extra=placed(
            "points", "Others held at",
            "In pictures, means and predictions; their mean or most common level unless chosen.", of="terms",
            look=True
        ),
    )  # fmt: skip
    predict_at: list[dict[str, Any]] = Field(
        [],
        json_schema_extra=placed(
            "cases",
            "Predictions",
            "Values to predict for; the rest as under “Others held at”.",
            of="terms",
            look=True,
        ),
    )

    means_of: list[list[str]] = Field(
        [],
        json_schema_extra=placed(
            "sets", "Means of", "Each category by itself unless terms are chosen.", of="terms", single=True, look=True
        ),
    )
    sets: list[ComparisonSet] = Field(
        [],
        json_schema_extra=placed(
            "comparisons", "Comparisons", "Each a family of its own. All pairs of each category unless chosen.",
            of="terms", look=True,
        ),
    )  # fmt: skip
    adjust: Literal["tukey", "bonferroni", "holm", "sidak", "none"] = Field(
        "tukey",
        json_schema_extra=option(
            "Adjustment of comparisons",
            {
                "tukey": "Tukey, for all pairs",
                "holm": "Holm",
                "bonferroni": "Bonferroni",
                "sidak": "Šidák",
                "none": "none",
            },
            "Within each family. Tukey is of all pairs; for other comparisons Holm stands in.",
            look=True,
        ),
    )
    weigh: Literal["equal", "found"] = Field(
        "equal",
        json_schema_extra=option(
            "Means weigh other categories’ levels", {"equal": "alike", "found": "as often as found"}, look=True
        ),
    )


class LinearChoice(ModelSpec):
    """Of models fitted by least squares."""

    selection: Literal["none", "forward", "backward", "stepwise", "best_subsets"] = Field(
        "none",
        json_schema_extra=option(
            "Selection",
            {**SELECTION, "best_subsets": "best of all choices"},
            "p values after a selection are too small.",
        ),
    )
    choose_by: Literal["p", "aic", "bic", "adjusted_r2"] = Field(
        "p",
        json_schema_extra=option(
            "Chosen by", {**CHOOSE_BY, "adjusted_r2": "adjusted R²"},
            when={"selection": ["forward", "backward", "stepwise", "best_subsets"]}
        ),
    )  # fmt: skip
    enter: float = Field(
        0.05, gt=0, lt=1, json_schema_extra=amount("Enters at p up to", step=0.01, min=0.001, max=0.5, when=BY_P)
    )
    remove: float = Field(
        0.10, gt=0, lt=1, json_schema_extra=amount("Leaves at p above", step=0.01, min=0.001, max=0.9, when=BY_P)
    )


class LikelihoodChoice(ModelSpec):
    """Of models fitted by likelihood, which has no adjusted R²."""

    selection: Literal["none", "forward", "backward", "stepwise"] = Field(
        "none", json_schema_extra=option("Selection", SELECTION, "p values after a selection are too small.")
    )
    choose_by: Literal["p", "aic", "bic"] = Field(
        "p", json_schema_extra=option("Chosen by", CHOOSE_BY, when=SELECTING)
    )
    enter: float = Field(
        0.05, gt=0, lt=1, json_schema_extra=amount("Enters at p up to", step=0.01, min=0.001, max=0.5, when=BY_P)
    )
    remove: float = Field(
        0.10, gt=0, lt=1, json_schema_extra=amount("Leaves at p above", step=0.01, min=0.001, max=0.9, when=BY_P)
    )
