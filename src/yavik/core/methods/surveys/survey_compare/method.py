"""Do groups or waves differ in the population?"""

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.surveys import design_checks, design_columns, fits_design, small_check
from yavik.core.methods.surveys.survey_compare import tell
from yavik.core.methods.surveys.survey_compare.compute import compute
from yavik.core.methods.surveys.survey_compare.spec import CompareSpec
from yavik.core.table import Table


def ask(table: Table, spec: CompareSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for a table without a design and for groups that cannot be compared."""
    c = compute(table, spec, run.progress)
    spans, short = tell.headline(c)
    marks = [
        (f"{p.item.level}, {g}" if len(c.parts) > 1 else g, m)
        for p in c.parts
        for g, m in zip(c.levels, p.marks, strict=True)
    ]
    return compose(
        spans,
        short=short,
        settings=c.survey.settings(),
        facts=tell.facts(c),
        blocks=tell.blocks(c),
        checks=[*design_checks(c.survey), small_check(marks, spec)],
        rows=c.survey.rows(c.used, "the response or the group is empty, or the weight is 0"),
    )


METHOD = Method(
    id="survey_compare",
    aim=Aim.surveys,
    title="Groups and waves of a survey compared by the design",
    layouts=(
        Layout(
            "survey", "a row for each person asked, with weights", "Does {response} differ between {groups}?",
            ("response", "groups"), ("response", "groups"),
        ),
    ),
    Spec=CompareSpec,
    compute=ask,
    page=read_page(__file__),
    design=True,
    order=2,
    fit=fits_design(32),
    reads=design_columns,
    name=lambda spec: f"{spec.response} by {spec.groups}, weighted",
    keywords=(
        "waves", "change over time", "difference", "weighted t test", "design-based", "replicate", "Wald test",
        "domain", "trend", "complex sample",
    ),
)  # fmt: skip
