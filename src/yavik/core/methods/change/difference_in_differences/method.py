"""Did a change come because of a treatment? Difference in differences, from four means to staggered starts."""

from yavik.core.answers import Answer, Marks
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.change.difference_in_differences import tables, words
from yavik.core.methods.change.difference_in_differences.checks import all_checks
from yavik.core.methods.change.difference_in_differences.compute import Did, compute_study
from yavik.core.methods.change.difference_in_differences.guessing import suits
from yavik.core.methods.change.difference_in_differences.spec import DidSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.table import Table


def compute(table: Table, spec: DidSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for what no change can be read from."""
    d = compute_study(table, spec, run.progress)
    spans, short = words.headline(d)
    run.say(spans)
    run.progress(0.7, "Period by period")
    return compose(
        spans,
        short=short,
        settings=_settings(d),
        facts=tables.facts(d),
        blocks=[
            tables.picture(d),
            tables.four_means(d),
            tables.estimate(d),
            *tables.by_start(d),
            tables.event_picture(d),
            tables.events(d),
        ],
        checks=all_checks(d),
        rows=d.study.data.used,
        marks=Marks(p=q.p_said(d.effect.p)),
        seed=spec.seed if d.se == "wild" else None,
    )


def _settings(d: Did) -> list[str]:
    made = [f"levels of {d.levels} and periods taken out", f"errors {tables.ERRORS[d.se]}"]
    if d.se == "wild":
        made.append("p by the wild bootstrap")
    if d.spec.weights:
        made.append(f"weighted by {d.spec.weights}")
    return made


METHOD = Method(
    id="difference_in_differences",
    aim=Aim.change,
    title="Difference in differences: a change among the treated beside that among others",
    layouts=(
        Layout(
            "groups", "who was treated",
            "Did {outcome} change at {period} because of {treated}, allowing for {covariates}?",
            ("outcome", "period", "treated", "covariates"), ("outcome", "period", "treated"),
        ),
        Layout(
            "starts", "when each was first treated",
            "Did {outcome} change over {period} from {starts} on, allowing for {covariates}?",
            ("outcome", "period", "starts", "covariates"), ("outcome", "period", "starts"),
        ),
    ),
    Spec=DidSpec,
    compute=compute,
    page=read_page(__file__),
    order=1,
    uses=("seed",),
    fit=suits,
    name=lambda spec: f"{spec.outcome} and {spec.treated or spec.starts}",
    keywords=(
        "difference in differences", "diff-in-diff", "causal", "policy evaluation", "event study", "parallel trends",
        "staggered adoption", "two-way fixed effects", "wild cluster bootstrap", "treatment effect",
        "natural experiment",
    ),
)  # fmt: skip
