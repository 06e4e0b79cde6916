"""What a model of a yes/no response can be asked."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import amount, option, placed, slot
from yavik.core.methods.kit.models.spec import CLUSTER_KINDS, LikelihoodChoice
from yavik.core.table import Kind


def kinds_of_response() -> list[str]:
    """Kinds of columns that can have an event."""
    return [k.value for k in (Kind.yes_no, Kind.category, Kind.ordered, Kind.text, Kind.count)]


class LogisticSpec(LikelihoodChoice):
    response: str | None = Field(None, title="Response", json_schema_extra=slot(kinds_of_response(), "yes or no"))
    event: str | None = Field(
        None, title="Event",
        json_schema_extra=placed("level", "Event", "What is predicted; yes, 1 or true unless chosen, else the last "
                                                   "level.", of="response")
    )  # fmt: skip
    link: Literal["logit", "probit", "cloglog"] = Field(
        "logit",
        json_schema_extra=option(
            "Link", {"logit": "logit: odds ratios", "probit": "probit", "cloglog": "complementary log–log"}
        ),
    )
    interval: Literal["wald", "profile"] = Field(
        "wald",
        json_schema_extra=option("Intervals", {"wald": "Wald: from the standard error", "profile": "profile likelihood"}, "Profile intervals are better for few rows."),
    )  # fmt: skip
    penalty: Literal["none", "firth"] = Field(
        "none",
        json_schema_extra=option("Penalty", {"none": "none: maximum likelihood", "firth": "Firth: penalised "
            "likelihood"}, "For few events and for separation.", when={"link": ["logit"]}),
    )  # fmt: skip
    se: Literal["classical", "hc0", "hc1", "cluster"] = Field(
        "classical",
        json_schema_extra=option(
            "Standard errors",
            {"classical": "from the model", "hc0": "robust, HC0", "hc1": "robust, HC1", "cluster": "by cluster"},
        ),
    )
    cluster: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Clusters", "Rows of one cluster may be alike.", kinds=CLUSTER_KINDS, when={"se": ["cluster"]}
        ),
    )
    cutoff: float = Field(
        0.5, gt=0, lt=1,
        json_schema_extra=amount("Cut-off", "The event is said from this probability on.", min=0.01, max=0.99, step=0.01, look=True)
    )  # fmt: skip
