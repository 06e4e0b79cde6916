"""What can be asked of an ordination."""

from typing import Annotated, Literal

from pydantic import Field

from yavik.core.ask import VALUES, amount, option, placed
from yavik.core.methods.kit.taxa import UNLIKE, ComparedSpec
from yavik.core.stats.communities.unlike import Unlike

KINDS = {
    "nonmetric": "non-metric scaling", "principal_coordinates": "principal coordinates",
    "principal_components": "principal components of the amounts",
}  # fmt: skip
Axis = Annotated[int, Field(ge=1, le=6)]


class OrdinationSpec(ComparedSpec):
    """Slots and settings."""

    environment: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns", "Environment as arrows", "Columns of numbers of each sample.", kinds=VALUES
        ),
    )
    kind: Literal["nonmetric", "principal_coordinates", "principal_components"] = Field(
        "nonmetric", json_schema_extra=option("Picture by", KINDS)
    )
    dissimilarity: Unlike = Field(
        "bray_curtis",
        json_schema_extra=option("Dissimilarity", UNLIKE, when={"kind": ["nonmetric", "principal_coordinates"]}),
    )
    dimensions: int = Field(
        2, ge=1, le=6,
        json_schema_extra=amount(
            "Dimensions", "Of non-metric scaling.", when={"kind": ["nonmetric"]}, min=1, max=6, step=1
        ),
    )  # fmt: skip
    starts: int = Field(
        20, ge=1, le=500, json_schema_extra=amount("Starts", when={"kind": ["nonmetric"]}, min=1, max=500, step=1)
    )
    permutations: int = Field(
        999, ge=99, le=99_999,
        json_schema_extra=amount("Permutations of arrows", when={"environment": "set"}, min=99, max=99_999, step=1),
    )  # fmt: skip
    turned: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns", "Count downwards", "Their arrows point to where they are less, such as metres below a road.",
            kinds=VALUES, when={"environment": "set"},
        ),
    )  # fmt: skip
    hulls: bool = Field(False, json_schema_extra=placed("flag", "Hulls around groups", when={"groups": "set"}))
    ellipses: bool = Field(
        False,
        json_schema_extra=placed(
            "flag", "Ellipses around groups", "Where 95 % of a group’s samples lie if they are normal.",
            when={"groups": "set"},
        ),
    )  # fmt: skip
    lines: bool = Field(False, json_schema_extra=placed("flag", "Lines to groups’ middles", when={"groups": "set"}))
    taxa_too: bool = Field(
        False, json_schema_extra=placed("flag", "Taxa as points", "Each at the mean place of its samples.")
    )
    mirrored: list[Axis] = Field([], json_schema_extra=placed("numbers", "Axes mirrored"))
    beside: list[int] = Field([], max_length=2, json_schema_extra=placed("fixed", "Samples compared"))
    axes: tuple[Axis, Axis] = Field((1, 2), json_schema_extra=placed("numbers", "Axes shown"))
