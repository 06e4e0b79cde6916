"""What can be asked of taxa that make groups differ."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import option, placed
from yavik.core.methods.kit.taxa import TaxaSpec

ADDING = {"bray_curtis": "Bray and Curtis", "sorensen": "Sørensen, of presence", "manhattan": "Manhattan"}


class ContributionsSpec(TaxaSpec):
    """Slots and settings."""

    dissimilarity: Literal["bray_curtis", "sorensen", "manhattan"] = Field(
        "bray_curtis", json_schema_extra=option("Dissimilarity", ADDING, "Those that are sums over taxa.")
    )
    cutoff: Annotated[float, Field(gt=0, le=1)] = Field(
        0.7, json_schema_extra=placed("fixed", "Running share up to which taxa are named")
    )
    pairs: Literal["all"] | list[tuple[str, str]] = Field(
        "all", json_schema_extra=placed("hidden", "Pairs of groups")
    )
