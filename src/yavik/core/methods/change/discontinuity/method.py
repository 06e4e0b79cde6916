"""Does an outcome jump where a score crosses a cut-off? Regression discontinuity, argued for step by step."""

from yavik.core.answers import Answer, FigureBlock, Marks, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import given
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.change.discontinuity import pictures, tables, words
from yavik.core.methods.change.discontinuity.checks import all_checks
from yavik.core.methods.change.discontinuity.compute import Discontinuity, compute_jump
from yavik.core.methods.change.discontinuity.guessing import suits
from yavik.core.methods.change.discontinuity.sensitivity import variations
from yavik.core.methods.change.discontinuity.spec import KERNELS, RULES, SE, JumpSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.table import Table


def compute(table: Table, spec: JumpSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for what no jump can be read from."""
    r = compute_jump(table, spec, run.progress)
    spans, short = words.headline(r)
    run.say(spans)
    rows = variations(r, run.progress) if r.main else []
    if r.main is None:
        blocks: list[FigureBlock | TableBlock | None] = [
            pictures.rows_picture(r),
            tables.density(r),
            tables.beside(r),
        ]
        p = r.density.p if r.density else float("nan")
    else:
        said = words.agreement(r, rows)
        blocks = [
            pictures.means_picture(r),
            tables.estimate(r),
            tables.assignment(r),
            pictures.rows_picture(r),
            tables.density(r),
            tables.beside(r),
            pictures.windows_picture(r),
            tables.windows(r),
            pictures.set_picture(r, rows),
            tables.sensitivity(r, rows, said),
        ]
        p = r.main.p("robust")
    return compose(
        spans,
        short=short,
        settings=_settings(r),
        facts=tables.facts(r, rows),
        blocks=blocks,
        checks=all_checks(r, rows),
        rows=r.study.used,
        marks=Marks(p=q.p_said(p)) if p == p else Marks(),
    )


def _settings(r: Discontinuity) -> list[str]:
    if r.main is None:
        return ["density alone"]
    spec, rule = r.spec, r.spec.bandwidth
    made = [
        f"window: {RULES[rule]}" if isinstance(rule, str) else f"window ±{given(rule)}",
        f"{KERNELS[spec.kernel]} kernel",
    ]
    made.append(f"errors {SE[spec.se]}")
    if spec.donut:
        made.append(f"without rows nearer than {given(spec.donut)}")
    return made


METHOD = Method(
    id="discontinuity",
    aim=Aim.change,
    title="Regression discontinuity: a jump at a cut-off, with its window, density and sensitivity",
    layouts=(
        Layout(
            "jump", "a jump of an outcome", "Does {outcome} jump where {running} crosses {cutoff}?",
            ("outcome", "running", "cutoff"), ("outcome", "running", "cutoff"), ("treatment", "placebo_outcomes"),
        ),
        Layout(
            "density", "rows alone", "Do rows pile up where {running} crosses {cutoff}?",
            ("running", "cutoff"), ("running", "cutoff"),
        ),
    ),
    Spec=JumpSpec,
    compute=compute,
    page=read_page(__file__),
    order=2,
    fit=suits,
    name=lambda spec: (
        "" if spec.cutoff is None else f"{spec.outcome or 'rows'} at {spec.running} {given(spec.cutoff)}"
    ),
    keywords=(
        "regression discontinuity", "cut-off", "threshold", "cutoff", "rdd", "density test", "sorting", "manipulation",
        "bandwidth", "fuzzy", "local polynomial", "bias-corrected", "causal",
    ),
)  # fmt: skip
