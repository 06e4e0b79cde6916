"""What can be asked of a comparison in a survey."""

from pydantic import Field

from yavik.core.ask import GROUPS, option, placed, slot
from yavik.core.methods.compare.groups.spec import ADJUSTED_BY
from yavik.core.methods.kit.surveys import SurveySpec
from yavik.core.methods.surveys.survey_estimate.spec import KINDS
from yavik.core.stats.adjusting import Adjust


class CompareSpec(SurveySpec):
    """Slots and settings."""

    response: str | None = Field(None, title="Response", json_schema_extra=slot(KINDS, "a question asked"))
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "waves, regions, groups"))
    event: str | None = Field(
        None,
        json_schema_extra=placed(
            "level", "Counted is", "Yes, 1 or true unless a level is named; all levels of others.", of="response"
        ),
    )
    adjust: Adjust = Field("holm", json_schema_extra=option("Pairs", ADJUSTED_BY))
