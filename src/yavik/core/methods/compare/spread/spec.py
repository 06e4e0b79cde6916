"""What can be set about a comparison of spread, and its tests."""

from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Cell
from yavik.core.answers.wording import (
    df_cell,
    missing,
    p_cell,
    statistic,
    word,
)
from yavik.core.figures.describe import GROUPS, VALUES
from yavik.core.methods.base import Spec, amount, option, slot
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
            step="any",
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

    def row(self) -> dict[str, Cell]:
        if self.why:
            return {"term": word(self.name), **{k: missing(self.why) for k in ("statistic", "df1", "df2", "p")}}
        return {
            "term": word(self.name),
            "statistic": Cell(v=self.value, s=f"{self.letter} = {statistic(self.value)}"),
            "df1": df_cell(self.df1),
            "df2": df_cell(self.df2),
            "p": p_cell(self.p),
        }
