"""What a model of counts can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, option, placed, slot
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS, LikelihoodChoice

FAMILIES = {
    "poisson": "Poisson: variance equal to the mean",
    "negative_binomial": "negative binomial: variance μ + αμ²",
    "quasi": "quasi-Poisson: variance in proportion to the mean",
}
SE = {
    "classical": "from the model", "hc0": "robust, HC0", "hc1": "robust, HC1", "hc2": "robust, HC2",
    "hc3": "robust, HC3",
    "cluster": "by cluster",
}  # fmt: skip


class CountsSpec(LikelihoodChoice):
    """Slots and settings."""

    response: str | None = Field(None, title="Response", json_schema_extra=slot(VALUES, "a count"))
    exposure: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Exposure", "What the counts grow with in proportion: hours watched, area, people at risk.",
            kinds=[*VALUES],
        ),
    )  # fmt: skip
    family: Literal["poisson", "negative_binomial", "quasi"] = Field(
        "poisson",
        json_schema_extra=option(
            "Scatter",
            FAMILIES,
            "Where counts scatter more than Poisson allows, p and intervals of Poisson are too good.",
        ),
    )
    se: Literal["classical", "hc0", "hc1", "hc2", "hc3", "cluster"] = Field(
        "classical", json_schema_extra=option("Standard errors", SE)
    )
    cluster: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Clusters", "Rows of one cluster may be alike.", kinds=CLUSTER_KINDS, when={"se": ["cluster"]}
        ),
    )
