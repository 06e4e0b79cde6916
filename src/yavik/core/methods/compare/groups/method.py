"""Does a measurement differ between groups? One-way comparisons with pairs, letters and checks."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, FigureBlock, Marks, RowsUsed, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import plain
from yavik.core.figures.data import Grouped, grouped
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.groups import sizes, tables
from yavik.core.methods.compare.groups.asides import all_checks, group_residuals
from yavik.core.methods.compare.groups.blocked import blocked
from yavik.core.methods.compare.groups.columns import group_columns
from yavik.core.methods.compare.groups.compute import (
    GroupsResults,
    choose_test,
    demand_groups,
)
from yavik.core.methods.compare.groups.compute import (
    results as compute_results,
)
from yavik.core.methods.compare.groups.contrasts import contrasts_table
from yavik.core.methods.compare.groups.more import drawn_pairs, letters_table, matrix, pairs_check, same_thing
from yavik.core.methods.compare.groups.spec import BY_RANKS, PAIR_WORDS, TEST_WORDS, CompareGroupsSpec, pairs_said
from yavik.core.methods.compare.groups.words import headline, letters_note
from yavik.core.methods.fit import n_levels
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.samples import (
    decimals_of,
    demand_summaries,
    groups_figure,
    known,
    means_figure,
    rows_used,
)
from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Groups
from yavik.core.table import DataProblem, Table


def compare(table: Table, spec: CompareGroupsSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where there is nothing to compare."""
    if spec.block and not spec.samples and not spec.summaries:
        return blocked(table, spec, run)
    if spec.test == "friedman":
        raise DataProblem("Friedman's test ranks within blocks: name the block in the sentence.", column=spec.groups)
    if spec.summaries and not (spec.response and spec.groups) and not spec.samples:
        return _from_summaries(spec)
    data = grouped(table, spec.response, spec.groups, spec.samples)
    run.progress(0.1, "Sorting into groups")
    demand_groups(data, spec)
    test, note = choose_test(data, spec)
    run.progress(0.3, "Testing")
    found = compute_results(data, spec, test, run)
    run.say(headline(found))
    run.progress(0.7, "Looking at the checks")
    return _answer(table, spec, found, all_checks(table, spec, found, note))


def _from_summaries(spec: CompareGroupsSpec) -> Answer:
    """Only n, mean and SD of each sample are known: what can be had of them, and nothing else."""
    demand_summaries(spec.summaries)
    if spec.test in ("kruskal_wallis", "permutation") or spec.pairs in BY_RANKS:
        raise DataProblem(
            "Ranks and permutations need the values themselves; n, mean and SD carry the tests of means."
        )
    n, means, variances, names = known(spec.summaries)
    data = Grouped(
        Groups.known(n, means, variances, names),
        "Value",
        "Sample",
        None,
        decimals_of(spec.summaries),
        [0] * len(n),
        0,
        0,
        [],
        False,
    )
    test, note = choose_test(data, spec)
    r = compute_results(data, spec, test, Run())
    g = data.groups
    reach = np.array([float(laws.t.isf(spec.alpha / 2, k - 1)) for k in g.n]) * np.sqrt(g.variances / g.n)
    picture = means_figure(names, means, means - reach, means + reach, "Mean")
    spread = (
        Check(
            id="equal_spread",
            title="Equal spread",
            verdict=Verdict.unknown,
            text="A sample without spread cannot be compared with the others.",
        )
        if np.any(variances <= 0)
        else checks.spread_of_known(n, variances, names, test)
    )
    shape = Check(
        id="summaries",
        title="Only summaries known",
        verdict=Verdict.unknown,
        text=" ".join(
            x
            for x in (note, "Neither the shape of the values nor outlying ones can be judged from n, mean and SD.")
            if x
        ),
    )
    return _composed(spec, r, picture, [spread, shape, pairs_check(r)], RowsUsed(total=0, used=0))


def _answer(table: Table, spec: CompareGroupsSpec, r: GroupsResults, found: list[Check]) -> Answer:
    picture = groups_figure(spec.response, spec.groups, spec.samples, spec.where, r.data, _marks(r))
    return _composed(spec, r, picture, found, rows_used(table, r.data, bool(spec.samples)))


def _marks(r: GroupsResults) -> Marks:
    return Marks(
        letters=dict(zip(r.data.groups.names, r.letters, strict=True)) if r.letters else {},
        letters_note=letters_note(r) if r.letters else "",
        p=q.p_said(r.main.p),
    )


def _composed(
    spec: CompareGroupsSpec, r: GroupsResults, picture: FigureBlock, found: Sequence[Check | None], rows: RowsUsed
) -> Answer:
    """The answer's parts in the order in which they matter."""
    marks, g = _marks(r), r.data.groups
    planned_table = (
        contrasts_table(r.contrasts, g.names, r.data.decimals + 1, r.alpha, r.data.unit) if r.contrasts else None
    )
    has_values = len(g.y) > 0
    differ = r.main.p < spec.alpha
    what = "ranks" if r.test == "kruskal_wallis" else "means"
    return compose(
        headline(r),
        short=f"{what} differ, {plain(marks.p)}" if differ else f"no evidence of a difference, {plain(marks.p)}",
        settings=[
            TEST_WORDS[r.test],
            pairs_said(r.pair_method, PAIR_WORDS[r.pair_method], spec.adjust),
            *(
                [f"only whether groups are {'higher' if spec.alternative == 'greater' else 'lower'} than the control"]
                if spec.alternative != "two_sided"
                else []
            ),
        ],
        facts=tables.facts(r),
        blocks=[
            picture,
            tables.groups(r),
            tables.test(r),
            planned_table,
            tables.pairs(r),
            drawn_pairs(r),
            sizes.effects(r),
            letters_table(r, spec.letters_order == "up"),
            matrix(r),
            sizes.conclusions(r),
            sizes.variances(r) if has_values else None,
            same_thing(r),
            *(group_residuals(r) if has_values else []),
        ],
        checks=found,
        rows=rows,
        marks=marks,
        seed=spec.seed if r.permuted or r.permuted_aside else None,
    )


def _name(spec: CompareGroupsSpec) -> str:
    if spec.response:
        return f"{spec.response} by {spec.groups}" + (f" in {spec.block}" if spec.block else "")
    return ", ".join(spec.samples[:3] or [s.label for s in spec.summaries[:3]])


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Three levels and more; two have a question of their own."""
    levels = n_levels(table, spec.get("groups"))
    if spec.get("block") and not (spec.get("response") and spec.get("groups")):
        return None
    if spec.get("block"):
        return 4, f"{spec['block']} as blocks"
    samples = [table.column(c) for c in spec.get("samples", [])]
    if len(samples) > 2 and len({c.unit for c in samples}) == 1 and samples[0].unit:
        return 12, f"{len(samples)} samples in {samples[0].unit}"
    return (12, f"{spec['groups']} has {levels} levels") if levels and levels > 2 else (0, "")


METHOD = Method(
    id="compare_groups",
    version="2",
    aim=Aim.compare,
    title="One-way analysis of variance, Welch, Brown–Forsythe, Kruskal–Wallis; pairwise comparisons with letters",
    layouts=(
        Layout(
            "stacked",
            "one column of values, one of groups",
            "Does {response} differ between {groups}, allowing for {block}?",
            ("response", "groups", "block"),
            ("response", "groups"),
        ),
        Layout(
            "side_by_side", "one column per sample", "Do the samples {samples} differ?", ("samples",), ("samples",)
        ),
        Layout(
            "summaries",
            "only n, mean and SD are known",
            "Do samples with {summaries} differ?",
            ("summaries",),
            ("summaries",),
        ),
    ),
    Spec=CompareGroupsSpec,
    compute=compare,
    page=read_page(__file__),
    order=1,
    fit=_fit,
    new_columns=group_columns,
    name=_name,
    uses=("alternative", "seed"),
    keywords=(
        "contrasts",
        "dunnett",
        "block",
        "friedman",
        "permutation",
        "duncan",
        "scheffé",
        "anova",
        "one-way",
        "welch",
        "kruskal",
        "tukey",
        "games-howell",
        "levene",
        "pairwise",
        "post hoc",
        "letters",
    ),
)
