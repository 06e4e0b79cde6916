"""What every question over time asks: the series, its times, and what to do where a time stands several times."""

from typing import Literal

from pydantic import Field

from yavik.core.ask import VALUES, amount, option, placed, slot
from yavik.core.methods.base import Spec

TIMES = ["date", "count", "text", "ordered", "category", "identifier", "measure"]
DOUBLED = {"refuse": "is refused, with its rows", "sum": "is summed", "mean": "is averaged"}


class TimeSpec(Spec):
    """Slots and settings."""

    value: str | None = Field(None, title="Series", json_schema_extra=slot(VALUES, "a measure"))
    time: str | None = Field(None, title="Time", json_schema_extra=slot(TIMES, "the order of rows"))
    within: str | None = Field(
        None,
        json_schema_extra=placed(
            "column",
            "Month or quarter in a column of its own",
            "Beside a column of years.",
            kinds=["count", "measure", "text", "category", "ordered"],
            when={"time": "set"},
        ),
    )
    doubled: Literal["refuse", "sum", "mean"] = Field(
        "refuse",
        json_schema_extra=option(
            "A time that stands several times", DOUBLED, "As where many units have a row each.", when={"time": "set"}
        ),
    )


class ForetellSpec(TimeSpec):
    """Beside them what is held out, and how far ahead."""

    hold_out: int | None = Field(
        None,
        ge=0,
        le=2000,
        json_schema_extra=amount(
            "Points held out", "At the end, to see how models foretell it; 0 for none.", placeholder="a tenth",
            empty=True, min=0, step=1,
        ),
    )  # fmt: skip
    horizon: int | None = Field(
        None,
        ge=1,
        le=2000,
        json_schema_extra=amount("Points foretold", placeholder="two seasons", empty=True, min=1, step=1),
    )
