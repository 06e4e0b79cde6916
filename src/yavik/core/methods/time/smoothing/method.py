"""What comes next in a series, carrying its level, slope and season on?"""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.times import over_times
from yavik.core.methods.time.smoothing import tell
from yavik.core.methods.time.smoothing.checks import all_checks
from yavik.core.methods.time.smoothing.compute import compute
from yavik.core.methods.time.smoothing.spec import SmoothingSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: SmoothingSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no series or cannot be smoothed."""
    s = compute(table, spec, run.progress)
    spans, short = tell.headline(s)
    return compose(
        spans,
        short=short,
        settings=tell.settings(s),
        facts=tell.facts(s),
        blocks=tell.blocks(s),
        checks=all_checks(s, table.rows),
        rows=used_where(table, s.series.place >= 0, "no value at this time"),
    )


def new_columns(table: Table, spec: SmoothingSpec) -> list[tuple[Column, Any]]:
    """The level after each time, and what was expected before it."""
    s = compute(table, spec)
    column = s.series.column
    decimals = (column.decimals or 0) + 2
    return [
        measured(
            f"{name} {column.name}", s.series.by_row(values),
            decimals=decimals, unit=column.unit,
        )
        for name, values in (("level", s.model.levels), ("expected", s.model.fitted))
    ]  # fmt: skip


METHOD = Method(
    id="smoothing",
    aim=Aim.time,
    title="Exponential smoothing: level, slope and season carried on",
    layouts=(
        Layout(
            "time", "a row for each time", "What comes next in {value} over {time}, smoothed exponentially?",
            ("value", "time"), ("value",),
        ),
    ),
    Spec=SmoothingSpec,
    compute=ask,
    page=read_page(__file__),
    order=3,
    fit=lambda table, spec: over_times(table, spec, 28),
    new_columns=new_columns,
    name=lambda spec: f"{spec.value} smoothed",
    keywords=(
        "exponential smoothing", "forecast", "Holt", "Winters", "damped trend", "level", "state space", "simple",
        "double", "triple", "seasonal", "time series",
    ),
)  # fmt: skip
