"""What a jump at a cut-off can be asked."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import GROUPS, VALUES, Ask, amount, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS

RULES = {
    "mse": "least mean squared error", "mse_two_sided": "the same, each side its own",
    "coverage": "interval keeps its level",
    "cross_validation": "foretells best", "plug_in": "plug-in for straight lines",
}  # fmt: skip
SE = {
    "nearest": "by nearest neighbours", "hc0": "robust, HC0", "hc1": "robust, HC1", "hc2": "robust, HC2",
    "hc3": "robust, HC3", "cluster": "by cluster",
}  # fmt: skip
KERNELS = {"triangular": "triangular", "uniform": "uniform", "epanechnikov": "Epanechnikov"}
Rule = Literal["mse", "mse_two_sided", "coverage", "cross_validation", "plug_in"]
Width = Annotated[float, Field(gt=0, allow_inf_nan=False)]


class JumpSpec(Spec):
    """Slots and settings."""

    outcome: str | None = Field(None, title="Outcome", json_schema_extra=slot(VALUES, "a measure", layout="jump"))
    running: str | None = Field(None, title="Score", json_schema_extra=slot(VALUES, "a score"))
    cutoff: float | None = Field(
        None,
        title="Cut-off",
        allow_inf_nan=False,
        json_schema_extra=Ask(shown="number", sentence=True, placeholder="cut-off").extra(),
    )
    treatment: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Treatment received", "Where it does not follow the rule in every row.",
            kinds=["yes_no", "category", "ordered", *VALUES],
        ),
    )  # fmt: skip
    bandwidth: Rule | Width = Field(
        "mse",
        json_schema_extra=placed(
            "choice_or_number", "Window", "Rows nearer to the cut-off than this count.", words=RULES, min=0
        ),
    )
    bias_bandwidth: Width | None = Field(
        None,
        json_schema_extra=amount(
            "Window of the bias", "For the curvature; by the rule unless typed.", empty=True, min=0
        ),
    )
    degree: int = Field(
        1, ge=0, le=3, json_schema_extra=amount("Degree", "Of each side’s polynomial.", min=0, max=3, step=1)
    )
    kernel: Literal["triangular", "uniform", "epanechnikov"] = Field(
        "triangular", json_schema_extra=option("Kernel", KERNELS, "How rows farther off count less.")
    )
    se: Literal["nearest", "hc0", "hc1", "hc2", "hc3", "cluster"] = Field(
        "nearest", json_schema_extra=option("Standard errors", SE)
    )
    cluster: str | None = Field(
        None, json_schema_extra=placed("column", "Clusters", kinds=CLUSTER_KINDS, when={"se": ["cluster"]})
    )
    covariates: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns", "Covariates", "Their slopes are the same on both sides; their own jumps are looked at too.",
            kinds=[*VALUES, *GROUPS],
        ),
    )  # fmt: skip
    placebo_outcomes: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns",
            "Placebo outcomes",
            "What cannot have jumped, such as the outcome of the time before.",
            kinds=VALUES,
        ),
    )
    placebo_cutoffs: list[float] = Field(
        [],
        json_schema_extra=placed("numbers", "Placebo cut-offs", "The medians of both sides unless typed."),
    )
    donut: Width | None = Field(
        None,
        json_schema_extra=amount(
            "Leave out nearer than", "Rows this near to the cut-off are left out.", empty=True, min=0
        ),
    )
    windows: list[Width] = Field(
        [],
        json_schema_extra=placed("numbers", "Count rows within", "Half-widths beside the cut-off."),
    )
    density_bin: Width | None = Field(
        None, json_schema_extra=amount("Bin of the density", "By rule unless typed.", empty=True, min=0)
    )
    density_bandwidth: Width | None = Field(
        None, json_schema_extra=amount("Window of the density", "By rule unless typed.", empty=True, min=0)
    )
