"""What can be set about a comparison of spread, and its tests."""

from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import statistic
from yavik.core.ask import GROUPS, VALUES, amount, option, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.samples import (
    Summary,
    summaries_slot,
)

WORDS = {
    "all": "all; Levene about medians speaks",
    "f": "F ratio of two variances",
    "bartlett": "Bartlett",
    "levene": "Levene, about means",
    "brown_forsythe": "Levene, about medians (Brown–Forsythe)",
}


class CompareSpreadSpec(Spec):
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="stacked")
    )
    groups: list[str] = Field(
        [], title="Groups", json_schema_extra=slot(GROUPS, "groups", many=True, layout="stacked")
    )
    samples: list[str] = Field(
        [], title="Samples", json_schema_extra=slot(VALUES, "one column per sample", many=True, layout="side_by_side")
    )
    summaries: list[Summary] = Field([], title="Summaries", json_schema_extra=summaries_slot())
    test: Literal["all", "f", "bartlett", "levene", "brown_forsythe"] = Field(
        "all",
        json_schema_extra=option(
            "Test",
            WORDS,
            "About medians holds its level for values of any shape; F and Bartlett only for normal ones.",
        ),
    )
    ratio: float = Field(
        1.0,
        gt=0,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Ratio of SDs tested against",
            "1 for equal spread; first level over second.",
            when={"test": ["f"]},
        ),
    )


class Tested:
    """A line of the table of tests: name, statistic, df, p, or why there is none."""

    def __init__(self, id: str, name: str, letter: str, found: Any) -> None:
        self.id, self.name, self.letter, self.why = id, name, letter, found if isinstance(found, str) else ""
        self.value = self.df1 = self.df2 = self.p = np.nan
        if not self.why:
            self.value = float(getattr(found, "f", getattr(found, "chi2", np.nan)))
            self.df1 = float(getattr(found, "df1", getattr(found, "df", np.nan)))
            self.df2, self.p = float(getattr(found, "df2", np.nan)), float(found.p)
            if np.isnan(self.p):
                self.why = "within groups all values lie equally far from the middle"

    def row(self) -> q.Row:
        """The test's line: a text says why there is none."""
        why = self.why or q.NONE
        shown = q.gone(why) if self.why else q.texted(self.value, f"{self.letter} = {statistic(self.value)}")
        return q.row(
            term=q.name(self.name, "Test"), statistic=shown.under("Statistic"), df1=q.df(self.df1, why=why),
            df2=q.df(self.df2, "df of error", why), p=q.p(self.p, why=why),
        )  # fmt: skip
