"""What can be asked of a test of communities."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import GROUPS, amount, option, placed
from yavik.core.methods.compare.groups.spec import ADJUSTED_BY
from yavik.core.methods.kit.taxa import ComparedSpec
from yavik.core.stats.adjusting import Adjust

KINDS = {
    "permanova": "PERMANOVA", "anosim": "ANOSIM", "dispersion": "spread about the groups’ middles", "all": "all three",
}  # fmt: skip
ABOUT = {"centroid": "the centroid", "median": "the spatial median"}


class CommunityTestSpec(ComparedSpec):
    """Slots and settings."""

    block: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Exchanged within", "Blocks, such as sites that are sampled again and again.", kinds=GROUPS
        ),
    )
    kind: Literal["permanova", "anosim", "dispersion", "all"] = Field(
        "all", json_schema_extra=option("Tests", KINDS, "Spread is always told beside the others.")
    )
    permutations: int = Field(
        999, ge=99, le=99_999, json_schema_extra=amount("Permutations", min=99, max=99_999, step=1)
    )
    about: Literal["centroid", "median"] = Field("median", json_schema_extra=option("Spread about", ABOUT))
    adjust: Adjust = Field("holm", json_schema_extra=option("Pairs", ADJUSTED_BY))
