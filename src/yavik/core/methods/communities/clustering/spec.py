"""What can be asked of clusters."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, amount, option, placed, slot
from yavik.core.methods.kit.taxa import ComparedSpec
from yavik.core.stats.communities.clusters import Linkage

LINKAGES = {
    "average": "average", "complete": "complete", "single": "single", "ward": "Ward, least increase of squares",
}  # fmt: skip
KINDS = {"hierarchical": "joined step by step", "kmeans": "about means"}
SCALES = {"sd": "divided by their SD", "none": "as they are"}


class ClusteringSpec(ComparedSpec):
    """Slots and settings."""

    columns: list[str] = Field(
        [], title="Columns", json_schema_extra=slot(VALUES, "columns of numbers", many=True, layout="columns")
    )
    kind: Literal["hierarchical", "kmeans"] = Field("hierarchical", json_schema_extra=option("Clusters", KINDS))
    linkage: Linkage = Field(
        "average", json_schema_extra=option("Joined by", LINKAGES, when={"kind": ["hierarchical"]})
    )
    scale: Literal["sd", "none"] = Field("sd", json_schema_extra=option("Columns", SCALES, when={"columns": "set"}))
    k: int | None = Field(
        None, ge=2, le=50,
        json_schema_extra=amount("Clusters", placeholder="by silhouettes", empty=True, min=2, max=50, step=1),
    )  # fmt: skip
    height: float | None = Field(None, ge=0, json_schema_extra=placed("fixed", "Cut at"))
    starts: int = Field(
        20, ge=1, le=1000, json_schema_extra=amount("Starts", when={"kind": ["kmeans"]}, min=1, max=1000, step=1)
    )
