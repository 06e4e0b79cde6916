"""Comparisons of estimated means as a spec has them."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

ADJUST = {
    "tukey": "by Tukey", "bonferroni": "by Bonferroni", "holm": "by Holm", "sidak": "by Šidák", "none": "not adjusted",
}  # fmt: skip
Kind = Literal["all", "to_level", "consecutive", "polynomial", "weights"]


class ComparisonSet(BaseModel):
    """One family of comparisons: of the levels of some categories, within each level of others.

    ``level``: what the others are compared with, the first unless chosen. ``weights``: of named levels, sum zero.
    """

    model_config = ConfigDict(extra="forbid")

    of: list[str] = Field(min_length=1, max_length=3)
    within: list[str] = Field([], max_length=2)
    kind: Kind = "all"
    level: str | None = None
    weights: dict[str, float] | None = None
    label: str | None = None

    @property
    def names(self) -> list[str]:
        """The columns that it speaks of."""
        return [*self.of, *self.within]
