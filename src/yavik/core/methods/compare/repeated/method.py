"""How does a measurement change over times or conditions, for the same subjects? Repeated-measures analysis."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import plain
from yavik.core.figures.caption import lower
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.repeated import tables, words
from yavik.core.methods.compare.repeated.checks import checks as checks_of
from yavik.core.methods.compare.repeated.checks import complete, subjects_check
from yavik.core.methods.compare.repeated.compute import RepeatedResults
from yavik.core.methods.compare.repeated.data import Subjects, read_long, read_wide
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.table import DataProblem, Kind, Table


def compute(table: Table, spec: RepeatedSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where changes cannot be judged."""
    s = read_wide(table, spec) if spec.columns else read_long(table, spec)
    _demand(s, spec)
    run.progress(0.4, "Testing")
    if spec.test == "friedman":
        return _by_ranks(s, spec)
    results = RepeatedResults(s, spec.alpha)
    found = results.effects
    epsilon, how = words.correction(spec, found)
    spans, p, what = words.headline(results, spec, epsilon)
    return compose(
        spans,
        short=f"{what}, {plain(q.p_said(p))}",
        settings=[
            "analysis of variance for repeated measurements",
            how,
            "pairs by their own spread, adjusted by Holm",
        ],
        facts=tables.facts(results, epsilon, p),
        blocks=[
            tables.picture(results),
            tables.within(s, found, epsilon, how),
            tables.between(found),
            tables.means(results),
            tables.pairs(results),
            tables.corrections(found),
            tables.by_friedman(results),
            *residual_pictures(
                (s.y - found.residuals).ravel(), found.residuals.ravel(), np.repeat(s.rows, s.y.shape[1]), s.unit
            ),
        ],
        checks=checks_of(s, spec, found, p),
        rows=s.used,
    )


def _demand(s: Subjects, spec: RepeatedSpec) -> None:
    n = len(s.y)
    column = spec.within or (spec.columns[0] if spec.columns else None)
    if n < 2:
        raise DataProblem(f"{n} subjects have every time filled; two at least are needed.", column=column)
    groups = 1 if s.group is None else len(s.group_names)
    if n - groups - len(s.covariate_titles) < 1:
        raise DataProblem(
            f"{n} subjects in {groups} groups leave nothing to judge differences against.", column=spec.between
        )
    if np.ptp(s.y - s.y.mean(axis=1, keepdims=True) - s.y.mean(axis=0, keepdims=True)) == 0:
        raise DataProblem(
            "Every subject changes by exactly the same amounts: there is no scatter to judge changes against.",
            column=column,
        )


def _by_ranks(s: Subjects, spec: RepeatedSpec) -> Answer:
    if s.group is not None:
        raise DataProblem(
            "Friedman's test knows times and subjects only; take the groups out of the sentence, or ask again for"
            " each of them.",
            column=spec.between,
        )
    if s.covariate_titles:
        raise DataProblem(
            "Friedman's test knows no covariates; take them out of the sentence.", column=spec.covariates[0]
        )
    results = RepeatedResults(s, spec.alpha)
    found = results.ranks
    if found is None:
        raise DataProblem(
            f"Within every subject all values of {lower(s.value)} are the same: they cannot be ranked.",
            column=spec.response or spec.columns[0],
        )
    return compose(
        words.rank_headline(s, spec, found),
        short=f"{'ranks differ' if found.p < spec.alpha else 'no evidence of a change'}, {plain(q.p_said(found.p))}",
        settings=["Friedman, by ranks within subjects", "pairs by mean ranks, adjusted by Holm"],
        facts=tables.rank_facts(s, found),
        blocks=[
            tables.picture(results),
            tables.by_friedman(results, folded=False),
            tables.means(results),
            tables.rank_pairs(results),
        ],
        checks=[complete(s), subjects_check(s)],
        rows=s.used,
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """One column per time needs three that are in one unit; the long layout a subject."""
    columns = spec.get("columns", [])
    if columns:
        units = {table.column(c).unit for c in columns}
        return (-2, "") if len(columns) > 2 and len(units) == 1 else None
    subject, within = spec.get("subject"), spec.get("within")
    if not subject or not within:
        return -20, ""
    if table.column(subject).kind in (Kind.count, Kind.measure):  # a number is sooner a time than a subject
        subject, within = within, subject
        spec["subject"], spec["within"] = subject, within
    if table.column(subject).kind in (Kind.count, Kind.measure) or not table.arrays:
        return None
    # Each subject at each time once: never more rows than there are such cells.
    subjects, times = len(table.codes(subject).levels), len(table.codes(within).levels)
    if subjects < 3 or times < 2 or table.n_rows > subjects * times or table.n_rows < 1.5 * subjects:
        return None
    return 18, f"each {subject} stands in several rows"


METHOD = Method(
    id="repeated",
    version="2",
    aim=Aim.compare,
    title="Repeated measures: within-subjects and mixed analysis of variance, Friedman",
    layouts=(
        Layout(
            "wide",
            "one column per time, a subject in each row",
            "How does it change over {columns}, by {between}, allowing for {covariates}?",
            ("columns", "between", "covariates"),
            ("columns",),
        ),
        Layout(
            "long",
            "one column of values, a row per subject and time",
            "How does {response} change over {within}, by {between}, for each {subject}, allowing for {covariates}?",
            ("response", "within", "between", "subject", "covariates"),
            ("response", "within", "subject"),
        ),
    ),
    Spec=RepeatedSpec,
    compute=compute,
    page=read_page(__file__),
    order=6,
    fit=_fit,
    name=lambda spec: (
        f"{spec.response} over {spec.within}" if spec.response else f"Change over {len(spec.columns)} times"
    ),
    keywords=(
        "repeated measures",
        "within subjects",
        "mixed anova",
        "sphericity",
        "mauchly",
        "greenhouse-geisser",
        "huynh-feldt",
        "friedman",
    ),
)
