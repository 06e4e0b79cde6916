"""Does a measurement differ between two groups? t tests, rank sums, permutation; spread and size beside them."""

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Verdict
from yavik.core.answers.make import compose
from yavik.core.answers.wording import after_difference, listing, number, plain, say, told
from yavik.core.figures.data import Grouped, grouped
from yavik.core.figures.describe import GROUPS, VALUES
from yavik.core.methods.base import Aim, Alternative, Layout, Method, Run, option, placed, slot
from yavik.core.methods.compare import _checks as checks
from yavik.core.methods.compare import _two_tables as tables
from yavik.core.methods.compare._samples import (
    Summary,
    decimals_of,
    demand_summaries,
    groups_figure,
    known,
    means_figure,
    rows_used,
    sample,
    summaries_slot,
)
from yavik.core.methods.compare._two_page import PAGE
from yavik.core.methods.compare._two_words import TEST_WORDS, headline, p_mark
from yavik.core.methods.fit import n_levels
from yavik.core.methods.margin import WithMargin, judged
from yavik.core.stats import draws
from yavik.core.stats.decimals import settled
from yavik.core.stats.direction import t_interval
from yavik.core.stats.draws import Permuted
from yavik.core.stats.effect_sizes import Size, cohen_d, superiority
from yavik.core.stats.equivalence import of_means
from yavik.core.stats.oneway import levene
from yavik.core.stats.two import RankSum, Sample, TTest, mann_whitney, shift, t_test
from yavik.core.table import DataProblem, Table

MOST_ASIDE = 200_000
"""Rows up to which the rank test stands beside another test."""


class CompareTwoSpec(WithMargin):
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="stacked")
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "two groups", layout="stacked"))
    samples: list[str] = Field(
        [], title="Samples", json_schema_extra=slot(VALUES, "two columns", many=True, layout="side_by_side")
    )
    summaries: list[Summary] = Field([], title="Summaries", json_schema_extra=summaries_slot())
    test: Literal["auto", "student", "welch", "mann_whitney", "permutation"] = Field(
        "auto",
        json_schema_extra=option(
            "Test",
            TEST_WORDS,
            "Automatic takes Welch's test: it holds its error rate whether or not the spread is equal.",
        ),
    )
    difference: float = Field(
        0.0,
        allow_inf_nan=False,
        json_schema_extra=placed(
            "number", "Difference tested against", "0 unless another difference is what would matter.", step="any"
        ),
    )
    exact: Literal["auto", "yes", "no"] = Field(
        "auto",
        json_schema_extra=option(
            "Exact p of ranks",
            {"auto": "up to 50 values without ties", "yes": "always", "no": "never"},
            when={"test": ["mann_whitney"]},
        ),
    )
    continuity: bool = Field(
        True,
        json_schema_extra=placed(
            "yes_no",
            "Continuity correction",
            "For the normal approximation of ranks.",
            when={"test": ["mann_whitney"]},
        ),
    )


@dataclass(frozen=True)
class Known:
    """What the two samples are called and what is known of them."""

    names: tuple[str, str]
    value: str
    unit: str | None
    decimals: int
    a: Sample
    b: Sample
    group: str


@dataclass(frozen=True)
class Results:
    """Everything computed; tables and words only read it. ``data`` is None for typed-in summaries."""

    known: Known
    data: Grouped | None
    test: str
    student: TTest | str
    welch: TTest | str
    ranks: RankSum | None
    shift: tuple[float, float, float] | None
    permuted: Permuted | None
    d: Size
    g: Size
    superiority: Size | None
    null: float
    alpha: float
    alternative: Alternative

    @property
    def main(self) -> TTest:
        found = self.student if self.test == "student" or isinstance(self.welch, str) else self.welch
        assert isinstance(found, TTest)
        return found

    @property
    def printed(self) -> int:
        """Decimals of the difference."""
        errors = [t.se for t in (self.student, self.welch) if isinstance(t, TTest)]
        return told(self.known.decimals, *errors)

    @property
    def ends(self) -> tuple[float, float]:
        """Interval of the difference of the means: of divisions where they give one, else of t."""
        if self.permuted and self.permuted.ends:
            low, high = self.permuted.ends
            return low + self.null, high + self.null
        return self.main.ci_low, self.main.ci_high

    @property
    def p(self) -> float:
        if self.test == "mann_whitney" and self.ranks:
            return self.ranks.p
        return self.permuted.p if self.test == "permutation" and self.permuted else self.main.p


def compare(table: Table, spec: CompareTwoSpec, run: Run) -> Answer:
    if spec.summaries and not (spec.response and spec.groups) and not spec.samples:
        return _from_summaries(spec)
    data = grouped(table, spec.response, spec.groups, spec.samples)
    g = data.groups
    _demand_two(data, spec)
    run.progress(0.2, "Testing")
    names = (g.names[0], g.names[1])
    known_ = Known(names, data.value, data.unit, data.decimals, sample(data, 0), sample(data, 1), data.group)
    results = _results(known_, data, spec, run)
    marks = Marks(p=p_mark(results))
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


def _demand_two(data: Grouped, spec: CompareTwoSpec) -> None:
    g, column = data.groups, spec.groups or (spec.samples[0] if spec.samples else None)
    if g.k != 2:
        name = spec.groups or "The choice"
        has = f"one level, '{g.names[0]}'" if g.k == 1 else f"{g.k} levels: {listing(list(g.names), 6)}"
        more = "" if g.k < 2 else " Keep two of them with a filter, or ask 'Does it differ between groups?' instead."
        raise DataProblem(f"{name} has {has}; this question compares two.{more}", column=column)
    small = next((i for i in range(2) if g.n[i] < 2), None)
    if small is not None and (spec.test in ("auto", "welch") or g.n.sum() < 3):
        raise DataProblem(
            f"{g.names[small]} has one value (row {int(g.part_rows(small)[0])}); its own spread cannot be known from it. "
            "Student's t, with one spread for both, and ranks can do without.",
            column=column,
            rows=[int(g.part_rows(small)[0])],
        )
    if not np.any(g.ss > 0) and spec.test != "mann_whitney":
        raise DataProblem(
            "Within both groups all values are the same: there is no spread to judge a difference against.",
            column=spec.response or column,
        )
    if np.ptp(g.y) == 0 and not spec.difference:
        raise DataProblem("All values are the same: they cannot be ranked.", column=spec.response or column)


def _results(k: Known, data: Grouped | None, spec: CompareTwoSpec, run: Run) -> Results:
    test = "welch" if spec.test == "auto" else spec.test
    alone = "a group with one value has no spread of its own"
    spread = sum(s.variance for s in (k.a, k.b) if s.n > 1)
    fine = k.a.n > 1 and k.b.n > 1 and spread > 0
    student: TTest | str = "no group has any spread"
    if spread > 0:
        student = t_test(k.a, k.b, spec.difference, spec.alpha, spec.alternative, pooled=True)
    welch: TTest | str = (
        t_test(k.a, k.b, spec.difference, spec.alpha, spec.alternative, pooled=False) if fine else alone
    )
    ranks = moved = permuted = better = None
    if data is not None:
        a, b = _moved(data, spec.difference)
        if test == "mann_whitney" or len(data.groups.y) <= MOST_ASIDE:
            ranks = mann_whitney(a, b, exact=spec.exact, continuity=spec.continuity, alternative=spec.alternative)
            better = superiority(data.groups.ordered[0], data.groups.ordered[1], spec.alpha, spec.alternative)
        if test == "mann_whitney":
            moved = shift(data.groups.ordered[0], data.groups.ordered[1], spec.alpha, spec.alternative)
        if test == "permutation":
            permuted = draws.two_samples(
                a,
                b,
                spec.alternative,
                draws.DRAWS,
                spec.seed,
                lambda s: run.progress(0.2 + 0.7 * s, "Drawing"),
                spec.alpha,
            )
    nothing = Size(np.nan, np.nan, np.nan)
    d, g = (
        cohen_d(k.a.mean, k.b.mean, k.a.variance, k.b.variance, k.a.n, k.b.n, spec.alpha)
        if spread > 0
        else (nothing, nothing)
    )
    return Results(
        k,
        data,
        test,
        student,
        welch,
        ranks,
        moved,
        permuted,
        d,
        g,
        better,
        spec.difference,
        spec.alpha,
        spec.alternative,
    )


def _moved(data: Grouped, by: float) -> tuple[Any, Any]:
    """Both samples sorted, the first moved by the difference tested; values that become equal in decimal are equal."""
    a, b = data.groups.ordered
    if not by:
        return a, b
    return settled(a - by, a, b, by), settled(b, a, b, by)


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
    results = _results(k, None, spec, Run())
    ends = [t_interval(s.mean, float(np.sqrt(s.variance / s.n)), s.n - 1, spec.alpha, "two_sided") for s in (a, b)]
    figure = means_figure(names, means, np.array([e[0] for e in ends]), np.array([e[1] for e in ends]), "Mean")
    check = Check(
        id="summaries",
        title="Only summaries known",
        verdict=Verdict.unknown,
        text="From n, mean and SD neither the shape of the values nor outlying ones can be judged; spread can be compared.",
    )
    return _answer(
        results,
        [figure, tables.groups(results, (a.mean, b.mean)), *tables.all_tables(results, None, None)],
        [check, tables.spread_check(results)],
        RowsUsed(total=0, used=0),
        Marks(p=p_mark(results)),
        spec,
    )


def _checks(table: Table, spec: CompareTwoSpec, r: Results, data: Grouped) -> list[Check]:
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


def _p_without(data: Grouped, spec: CompareTwoSpec, r: Results) -> float | None:
    """p of the very test that the answer shows, without the outlying values; None where it cannot be computed."""
    rest = replace(data, groups=data.groups.subset(~data.groups.outlying))
    g = rest.groups
    try:
        _demand_two(rest, spec)
    except DataProblem:
        return None
    k = replace(r.known, a=sample(rest, 0), b=sample(rest, 1))
    if spec.test in ("mann_whitney", "permutation") or np.any(g.ss > 0):
        p = _results(k, rest, spec, Run()).p
        return p if np.isfinite(p) else None
    return None


def _answer(
    r: Results, blocks: list[Any], found: list[Check], rows: RowsUsed, marks: Marks, spec: CompareTwoSpec
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
        short=f"{said}, {plain(say(*p_mark(r)))}",
        blocks=blocks,
        checks=found,
        rows=rows,
        facts=tables.facts(r),
        settings=settings,
        marks=marks,
        seed=spec.seed if r.permuted and not r.permuted.exact else None,
    )
    return made if spec.margin is None else _within_margin(made, r, spec, spec.margin)


def _within_margin(made: Answer, r: Results, spec: CompareTwoSpec, margin: float) -> Answer:
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
    page=PAGE,
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
