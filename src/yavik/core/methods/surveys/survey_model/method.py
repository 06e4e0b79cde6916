"""What goes with a response in the population?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, Verdict
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import counted, number
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import at_rows, measured
from yavik.core.methods.kit.models.checks import left_out, thin_levels, zero_of_numbers
from yavik.core.methods.kit.models.fitting import model_name
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.surveys import design_checks, design_columns, fits_design
from yavik.core.methods.surveys.survey_model import tell
from yavik.core.methods.surveys.survey_model.compute import SurveyModel, fit_model
from yavik.core.methods.surveys.survey_model.spec import SurveyModelSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: SurveyModelSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for a table without a design and for what cannot be fitted."""
    m = fit_model(table, spec, run.progress)
    found = tell.found_in(m)
    spans, short = tell.headline(m, found)
    run.progress(0.8, "Pictures and checks")
    used = np.zeros(table.n_rows, bool)
    used[m.data.places] = True
    kind = f"{m.family} regression{f' of {m.event}' if m.event else ''}"
    return compose(
        spans,
        short=short,
        settings=[*m.survey.settings(), kind],
        facts=tell.facts(m, found),
        blocks=tell.blocks(m, found),
        checks=[
            *design_checks(m.survey), _room(m), left_out(m.data, m.follows), thin_levels(m.data),
            zero_of_numbers(m.data, spec),
        ],
        rows=m.survey.rows(used, "a cell of the model is empty, or the weight is 0"),
        model=tell.card(m),
    )  # fmt: skip


def _room(m: SurveyModel) -> Check:
    """Degrees of freedom beside coefficients: errors rest on so many clusters or replicates."""
    k = len(m.used)
    text = f"{number(m.df, 0)} df of the design for {counted(k, 'coefficient')} beside the intercept."
    if m.df >= 3 * k:
        return Check(id="room", title="Enough df for the terms", verdict=Verdict.holds, text=text)
    text += " Tests of several columns together have little left; leave out terms."
    return Check(
        id="room",
        title="Enough df for the terms",
        verdict=Verdict.doubtful if m.df >= 2 * k else Verdict.fails,
        text=text,
    )


def card(table: Table, spec: SurveyModelSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    return tell.card(fit_model(table, spec))


def new_columns(table: Table, spec: SurveyModelSpec) -> list[tuple[Column, Any]]:
    """The mean (or share) expected of every row used, and what is left."""
    m = fit_model(table, spec)
    fitted = at_rows(m.fit.fitted, m.data.places, table.n_rows)
    left = at_rows(m.data.y - m.fit.fitted, m.data.places, table.n_rows)
    return [measured("weighted prediction", fitted, decimals=4), measured("weighted residual", left, decimals=4)]


METHOD = Method(
    id="survey_model",
    aim=Aim.surveys,
    title="Weighted regression, linear and logistic, by the design",
    layouts=(
        Layout(
            "survey", "a row for each person asked, with weights", "How does {response} depend on {terms}?",
            ("response", "terms"), ("response", "terms"),
        ),
    ),
    Spec=SurveyModelSpec,
    compute=ask,
    page=read_page(__file__),
    design=True,
    order=4,
    fit=fits_design(18),
    reads=design_columns,
    new_columns=new_columns,
    card=card,
    name=lambda spec: f"{model_name(spec)}, weighted",
    keywords=(
        "weighted regression", "weighted logistic", "survey regression", "replicate weights", "design-based",
        "linearization", "average marginal effect", "odds ratio", "pseudo likelihood",
    ),
)  # fmt: skip
