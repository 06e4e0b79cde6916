"""Does a measurement differ between two groups? t tests, rank sums, permutation; spread and size beside them."""

from dataclasses import replace
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import after_difference, number, plain
from yavik.core.figures.data import Grouped, grouped
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.two import tables
from yavik.core.methods.compare.two.compute import Known, TwoResults, computed, demand_two
from yavik.core.methods.compare.two.spec import TEST_WORDS, CompareTwoSpec
from yavik.core.methods.compare.two.words import headline
from yavik.core.methods.fit import n_levels
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.margin import judged
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.samples import (
    decimals_of,
    demand_summaries,
    groups_figure,
    known,
    means_figure,
    rows_used,
    sample,
)
from yavik.core.stats.equivalence import of_means
from yavik.core.stats.oneway import levene
from yavik.core.stats.two import Sample
from yavik.core.table import DataProblem, Table


def compare(table: Table, spec: CompareTwoSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where there is nothing to compare."""
    if spec.summaries and not (spec.response and spec.groups) and not spec.samples:
        return _from_summaries(spec)
    data = grouped(table, spec.response, spec.groups, spec.samples)
    g = data.groups
    demand_two(data, spec)
    run.progress(0.2, "Testing")
    names = (g.names[0], g.names[1])
    known_ = Known(names, data.value, data.unit, data.decimals, sample(data, 0), sample(data, 1), data.group)
    results = computed(known_, data, spec, run)
    if spec.margin is None:
        run.say(headline(results))
    marks = Marks(p=q.p_said(results.p))
    by_median, by_mean = levene(g, "median"), levene(g, "mean")
    figure = groups_figure(spec.response, spec.groups, spec.samples, spec.where, data, marks)
    return _answer(
        results,
        [figure, tables.groups(results, (g.means[0], g.means[1])), *tables.all_tables(results, by_median, by_mean)],
        _checks(table, spec, results, data),
        rows_used(table, data, bool(spec.samples)),
        marks,
        spec,
    )


def _from_summaries(spec: CompareTwoSpec) -> Answer:
    demand_summaries(spec.summaries, 2, 2)
    if spec.test in ("mann_whitney", "permutation"):
        raise DataProblem(
            "Ranks and permutations need the values themselves; of n, mean and SD only a t test can be had."
        )
    n, means, variances, names = known(spec.summaries)
    decimals = decimals_of(spec.summaries)
    a, b = (Sample(float(n[i]), float(means[i]), float(variances[i])) for i in range(2))
    k = Known((names[0], names[1]), "Value", None, decimals, a, b, "Sample")
    results = computed(k, None, spec, Run())
    figure = means_figure(names, means, means - results.reach, means + results.reach, "Mean")
    check = Check(
        id="summaries",
        title="Only summaries known",
        verdict=Verdict.unknown,
        text=(
            "From n, mean and SD neither the shape of the values nor outlying ones can be judged; spread can be"
            " compared."
        ),
    )
    return _answer(
        results,
        [figure, tables.groups(results, (a.mean, b.mean)), *tables.all_tables(results, None, None)],
        [check, tables.spread_check(results)],
        RowsUsed(total=0, used=0),
        Marks(p=q.p_said(results.p)),
        spec,
    )


def _checks(table: Table, spec: CompareTwoSpec, r: TwoResults, data: Grouped) -> list[Check]:
    g = data.groups
    role = {"student": "anova", "welch": "welch", "permutation": "anova"}.get(r.test, "kruskal_wallis")
    out = []
    if np.all(g.n > 1):
        out.append(checks.equal_spread(data, levene(g, "median"), levene(g, "mean"), role, {"test": "welch"}))
    out.append(checks.normal_within(data, checks.shapiro(g), role, {"test": "mann_whitney"}))
    without = _p_without(data, spec, r) if g.outlying.any() else None
    out.append(checks.outlying(data, without, r.p, spec.alpha, spec.where, bool(spec.samples)))
    out.append(checks.independent(table, g.rows, bool(spec.samples)))
    out.append(checks.group_sizes(data, None))
    if r.test == "mann_whitney" and r.ranks and r.ranks.ties:
        how = "counted as they are in the exact p" if r.ranks.exact else "corrected for in the variance"
        out.append(
            Check(
                id="ties",
                title="Ties",
                verdict=Verdict.holds,
                text=f"Values tie across or within the groups; ties are {how}.",
            )
        )
    return out


def _p_without(data: Grouped, spec: CompareTwoSpec, r: TwoResults) -> float | None:
    """p of the very test that the answer shows, without the outlying values; None where it cannot be computed."""
    rest = replace(data, groups=data.groups.subset(~data.groups.outlying))
    g = rest.groups
    try:
        demand_two(rest, spec)
    except DataProblem:
        return None
    k = replace(r.known, a=sample(rest, 0), b=sample(rest, 1))
    if spec.test in ("mann_whitney", "permutation") or np.any(g.ss > 0):
        p = computed(k, rest, spec, Run(), asides=False).p
        return p if np.isfinite(p) else None
    return None


def _answer(
    r: TwoResults, blocks: list[Any], found: list[Check], rows: RowsUsed, marks: Marks, spec: CompareTwoSpec
) -> Answer:
    spans = headline(r)
    said = {
        "two_sided": "differ",
        "less": f"lower in {r.known.names[0]}",
        "greater": f"higher in {r.known.names[0]}",
    }[r.alternative]
    if r.p >= r.alpha:
        said = "no evidence of a difference" if r.alternative == "two_sided" else f"no evidence of being {said}"
    settings = [TEST_WORDS[r.test]]
    if r.alternative != "two_sided":
        settings.append(f"only whether {r.known.names[0]} is {'higher' if r.alternative == 'greater' else 'lower'}")
    made = compose(
        spans,
        short=f"{said}, {plain(q.p_said(r.p))}",
        blocks=blocks,
        checks=found,
        rows=rows,
        facts=tables.facts(r),
        settings=settings,
        marks=marks,
        seed=spec.seed if r.permuted and not r.permuted.exact else None,
    )
    return made if spec.margin is None else _within_margin(made, r, spec, spec.margin)


def _within_margin(made: Answer, r: TwoResults, spec: CompareTwoSpec, margin: float) -> Answer:
    if r.test not in ("student", "welch"):
        raise DataProblem("A margin is a difference of means: choose Welch's or Student's t with it.")
    t = r.main
    unit = after_difference(r.known.unit)
    found = of_means(r.known.a.mean - r.known.b.mean, t.se, t.df, margin, spec.alpha, spec.claim)
    return judged(made, found, spec.alpha, r.known.names, lambda v: number(v, r.printed), unit)


def _name(spec: CompareTwoSpec) -> str:
    return (
        f"{spec.response} by {spec.groups}"
        if spec.response
        else ", ".join(spec.samples or [s.label for s in spec.summaries])
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Two levels, or two columns; more are another question."""
    levels = n_levels(table, spec.get("groups"))
    if levels is not None and levels != 2:
        return None
    if len(spec.get("samples", [])) > 2:
        return None
    return (14, f"{spec['groups']} has two levels") if levels == 2 else (-6, "")


METHOD = Method(
    id="compare_two",
    version="2",
    aim=Aim.compare,
    title="Two independent samples: t test, Welch's test, rank sums (Mann–Whitney, Wilcoxon), permutation",
    layouts=(
        Layout(
            "stacked",
            "one column of values, one of groups",
            "Does {response} differ between the two levels of {groups}?",
            ("response", "groups"),
            ("response", "groups"),
        ),
        Layout(
            "side_by_side",
            "one column per sample",
            "Do the two samples {samples} differ?",
            ("samples",),
            ("samples",),
        ),
        Layout(
            "summaries",
            "only n, mean and SD are known",
            "Do two samples with {summaries} differ?",
            ("summaries",),
            ("summaries",),
        ),
    ),
    Spec=CompareTwoSpec,
    compute=compare,
    page=read_page(__file__),
    order=2,
    fit=_fit,
    name=_name,
    uses=("alternative", "seed"),
    keywords=(
        "t test",
        "student",
        "welch",
        "mann-whitney",
        "wilcoxon",
        "rank sum",
        "permutation",
        "cohen",
        "two groups",
    ),
)
