"""What a linear model can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, option, placed, slot
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS, LinearChoice


class LinearSpec(LinearChoice):
    response: str | None = Field(None, title="Response", json_schema_extra=slot(VALUES, "a measure"))
    weights: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Weights", "Of precision: a row with weight 2 has half the variance.", kinds=[*VALUES]
        ),
    )
    se: Literal["classical", "hc0", "hc1", "hc2", "hc3", "cluster", "cr2", "wild"] = Field(
        "classical",
        json_schema_extra=option(
            "Standard errors",
            {
                "classical": "classical: the same spread throughout",
                "hc0": "robust, HC0",
                "hc1": "robust, HC1",
                "hc2": "robust, HC2",
                "hc3": "robust, HC3",
                "cluster": "by cluster, for many clusters",
                "cr2": "by cluster, corrected for few (CR2)",
                "wild": "by cluster, wild bootstrap",
            },
        ),
    )
    cluster: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Clusters", "Rows of one cluster may be alike.", kinds=CLUSTER_KINDS,
            when={"se": ["cluster", "cr2", "wild"]},
        ),
    )  # fmt: skip
