"""How does an outcome depend on terms, following units over time? Panel models side by side."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, Marks
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.change.panel import tables, words
from yavik.core.methods.change.panel.checks import all_checks
from yavik.core.methods.change.panel.compute import PanelModels, compute_panel
from yavik.core.methods.change.panel.guessing import suits
from yavik.core.methods.change.panel.spec import MODELS, PanelSpec
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.page import read_page
from yavik.core.table import Column, Table

MOST_PICTURES = 6


def compute(table: Table, spec: PanelSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for what is no panel."""
    m = compute_panel(table, spec, run.progress)
    spans, short = words.headline(m)
    run.say(spans)
    run.progress(0.85, "Setting models side by side")
    told = tables.facts(m)
    return compose(
        spans,
        short=short,
        settings=[MODELS[spec.main], f"errors {tables.errors_of(m, spec.main).split(',')[0]}"],
        facts=told,
        blocks=[
            *_pictures(m), tables.structure(m), tables.patterns(m), tables.variation(m), tables.side_by_side(m),
            words.comparison(m), tables.told(m), tables.choices(m), tables.tests(m), words.write_up(m),
        ],
        checks=all_checks(m),
        rows=m.study.data.used,
        marks=Marks(p=q.p_said(told["p"])) if "p" in told and told["p"] == told["p"] else Marks(),
        model=tables.card(m),
    )  # fmt: skip


def _pictures(m: PanelModels) -> list[Any]:
    """The estimates of each term over the models, a term under each tab."""
    parts = []
    for j, title in enumerate(m.study.titles[:MOST_PICTURES]):
        bars = []
        for model in m.fits:
            line = m.line(model, j)
            if np.isfinite([line.b, line.low, line.high]).all():
                bars.append(Bar(MODELS[model], line.b, line.low, line.high, line.p < m.spec.alpha))
        if bars:
            what = f"Slope of {lower(title)}"
            parts.append(
                (title, [block(f"figure_{j + 1}" if j else "figure", f"{title} over the models", forest(bars, what))])
            )
    return touch.tabs("slopes", parts) if parts else []


def card(table: Table, spec: PanelSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    return tables.card(compute_panel(table, spec.model_copy(update={"models": [spec.main]})))


def new_columns(table: Table, spec: PanelSpec) -> list[tuple[Column, Any]]:
    """Fitted values, residuals, and the level of each row's unit."""
    m = compute_panel(table, spec.model_copy(update={"models": [spec.main]}))
    name = m.study.data.response.name
    made = [
        _column(m, f"fitted {name}", m.fitted, "what terms and the unit’s level say"),
        _column(m, f"residual {name}", m.residuals, "row less what terms and the unit’s level say"),
    ]
    if np.any(m.levels != 0):
        made.append(
            _column(m, f"level of {m.spec.unit}", m.levels[m.study.panel.unit], "the unit’s own level, about 0")
        )
    return made


def _column(m: PanelModels, name: str, values: Any, note: str) -> tuple[Column, Any]:
    data = m.study.data
    whole = np.full(data.table.n_rows, np.nan)
    whole[data.places] = values
    return measured(name, whole, decimals=data.decimals + 2, unit=data.response.unit, note=note)


def _name(spec: PanelSpec) -> str:
    return f"{spec.outcome} of each {spec.unit} over {spec.time}"


METHOD = Method(
    id="panel",
    aim=Aim.change,
    title="Panel models: fixed, random, between and first differences side by side",
    layouts=(
        Layout(
            "rows", "a row for each unit at each time",
            "How does {outcome} depend on {terms}, following each {unit} over {time}?",
            ("outcome", "terms", "unit", "time"), ("outcome", "terms", "unit", "time"),
        ),
    ),
    Spec=PanelSpec,
    compute=compute,
    page=read_page(__file__),
    order=3,
    fit=suits,
    new_columns=new_columns,
    card=card,
    name=_name,
    keywords=(
        "panel data", "fixed effects", "random effects", "within estimator", "between estimator", "first differences",
        "Hausman", "correlated random effects", "Mundlak", "hybrid", "longitudinal", "two-way", "clustered errors",
    ),
)  # fmt: skip
