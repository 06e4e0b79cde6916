"""How much, how many, how often, in the population that a survey stands for?"""

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.surveys import design_checks, design_columns, fits_design, small_check
from yavik.core.methods.surveys.survey_estimate import tell
from yavik.core.methods.surveys.survey_estimate.compute import compute
from yavik.core.methods.surveys.survey_estimate.spec import STATISTICS, EstimateSpec
from yavik.core.table import Table


def ask(table: Table, spec: EstimateSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for a table without a design and for what cannot be estimated."""
    e = compute(table, spec, run.progress)
    spans, short = tell.headline(e)
    return compose(
        spans,
        short=short,
        settings=[*e.survey.settings(), STATISTICS[spec.statistic]],
        facts=tell.facts(e),
        blocks=tell.blocks(e),
        checks=[*design_checks(e.survey), small_check([(line.name, line.mark) for line in e.lines], spec)],
        rows=e.survey.rows(e.used, "every column is empty"),
    )


METHOD = Method(
    id="survey_estimate",
    aim=Aim.surveys,
    title="Survey estimates: means, shares, totals, ratios, quantiles by the design",
    layouts=(
        Layout(
            "survey", "a row for each person asked, with weights", "How much or how often are {columns}, by {by}?",
            ("columns", "by"), ("columns",),
        ),
    ),
    Spec=EstimateSpec,
    compute=ask,
    page=read_page(__file__),
    design=True,
    order=1,
    fit=fits_design(28),
    reads=design_columns,
    name=lambda spec: f"Estimates{f' by {spec.by}' if spec.by else ''}",
    keywords=(
        "weighted mean", "weights", "replicate", "jackknife", "BRR", "bootstrap", "Taylor", "linearization",
        "design effect", "domain", "subpopulation", "proportion", "prevalence", "median", "complex sample",
    ),
)  # fmt: skip
