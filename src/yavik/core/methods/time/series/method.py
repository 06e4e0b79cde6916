"""How does a series move over time? Its parts, its correlations with itself, and whether it stands still."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.times import over_times
from yavik.core.methods.time.series import tell
from yavik.core.methods.time.series.checks import all_checks
from yavik.core.methods.time.series.compute import compute
from yavik.core.methods.time.series.spec import SeriesSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: SeriesSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no series."""
    s = compute(table, spec)
    run.progress(0.4, "Tests and parts")
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


def new_columns(table: Table, spec: SeriesSpec) -> list[tuple[Column, Any]]:
    """Trend, season and rest at each row's time, of the values as transformed."""
    s = compute(table, spec)
    column, p = s.series.column, s.parts
    parts = {"trend": p.trend, "season": p.season, "rest": p.rest}
    if not np.isfinite(p.season_strength):
        del parts["season"]
    unit = column.unit if spec.transform == "none" else None
    decimals = (column.decimals or 0) + 2
    return [
        measured(
            f"{part} {column.name}",
            s.series.by_row(values),
            decimals=decimals,
            unit=unit,
        )
        for part, values in parts.items()
    ]


METHOD = Method(
    id="series",
    aim=Aim.time,
    title="A series over time: parts, correlograms, unit root tests",
    layouts=(
        Layout("time", "a row for each time", "How does {value} move over {time}?", ("value", "time"), ("value",)),
    ),
    Spec=SeriesSpec,
    compute=ask,
    page=read_page(__file__),
    order=1,
    fit=lambda table, spec: over_times(table, spec, 34),
    new_columns=new_columns,
    name=lambda spec: f"{spec.value} over time",
    keywords=(
        "time series",
        "autocorrelation",
        "ACF",
        "PACF",
        "correlogram",
        "Ljung-Box",
        "unit root",
        "Dickey-Fuller",
        "ADF",
        "KPSS",
        "Phillips-Perron",
        "stationary",
        "seasonal",
        "decomposition",
        "trend",
        "differencing",
        "Box-Cox",
    ),
)
