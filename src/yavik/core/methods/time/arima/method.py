"""Which model follows a series, and what comes next?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, NoteBlock
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.times import over_times
from yavik.core.methods.time.arima import tell
from yavik.core.methods.time.arima.checks import all_checks
from yavik.core.methods.time.arima.compute import compute
from yavik.core.methods.time.arima.spec import ArimaSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: ArimaSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no series or cannot be modelled."""
    m = compute(table, spec, run.progress)
    spans, short = tell.headline(m)
    return compose(
        spans,
        short=short,
        settings=tell.settings(m),
        facts=tell.facts(m),
        blocks=[*tell.blocks(m), NoteBlock(id="write_up", text=tell.reported(m))],
        checks=all_checks(m, table.rows),
        rows=used_where(table, m.data.series.place >= 0, "no value at this time"),
    )


def new_columns(table: Table, spec: ArimaSpec) -> list[tuple[Column, Any]]:
    """What was expected at each time, and the residual, on the scale modelled."""
    m = compute(table, spec)
    series, e = m.data.series, m.taken.residuals
    residual = np.full(m.data.n, np.nan)
    residual[m.data.n - len(e) :] = e
    with np.errstate(invalid="ignore"):
        expected = m.data.original(m.data.z - residual)
    decimals = (series.column.decimals or 0) + 2
    unit = series.column.unit

    return [
        measured(f"expected {series.column.name}", series.by_row(expected), decimals=decimals, unit=unit),
        measured(
            f"residual {series.column.name}", series.by_row(residual),
            decimals=decimals if spec.transform == "none" else 4, unit=unit if spec.transform == "none" else None,
        ),
    ]  # fmt: skip


METHOD = Method(
    id="arima",
    aim=Aim.time,
    title="Models of a series (ARIMA): candidates, forecasts",
    layouts=(
        Layout(
            "time", "a row for each time", "Which model follows {value} over {time}, and what comes next?",
            ("value", "time"), ("value",),
        ),
    ),
    Spec=ArimaSpec,
    compute=ask,
    page=read_page(__file__),
    order=2,
    fit=lambda table, spec: over_times(table, spec, 31),
    new_columns=new_columns,
    name=lambda spec: f"Models of {spec.value} over time",
    keywords=(
        "ARIMA", "SARIMA", "Box-Jenkins", "forecast", "prediction", "autoregression", "AR", "MA", "ARMA",
        "moving average", "time series model", "seasonal", "AICc", "BIC", "Ljung-Box", "intervention", "regressors",
    ),
)  # fmt: skip
