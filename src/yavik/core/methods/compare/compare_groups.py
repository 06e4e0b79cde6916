"""Does a measurement differ between groups? One-way comparisons with pairs, letters and checks."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import Answer, Check, FigureBlock, Marks, RowsUsed, Verdict
from yavik.core.answers.make import compose
from yavik.core.answers.wording import plain
from yavik.core.figures.data import Grouped, grouped
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare import _checks as checks
from yavik.core.methods.compare import _group_tables as tables
from yavik.core.methods.compare._group_asides import all_checks, group_residuals
from yavik.core.methods.compare._group_blocked import blocked
from yavik.core.methods.compare._group_columns import group_columns
from yavik.core.methods.compare._group_contrasts import Planned, contrasts_table, control_of, planned
from yavik.core.methods.compare._group_more import drawn_pairs, letters_table, matrix, pairs_check, same_thing
from yavik.core.methods.compare._group_page import PAGE
from yavik.core.methods.compare._group_spec import CompareGroupsSpec
from yavik.core.methods.compare._group_words import BY_RANKS, PAIR_WORDS, TEST_WORDS, headline, letters_note, p_mark
from yavik.core.methods.compare._samples import (
    decimals_of,
    demand_summaries,
    groups_figure,
    known,
    means_figure,
    rows_used,
)
from yavik.core.methods.fit import n_levels
from yavik.core.stats import draws, pairwise
from yavik.core.stats.draws import Permuted
from yavik.core.stats.groups import Groups
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.oneway import AnovaTable, FTest, Ranked, anova, brown_forsythe, kruskal_wallis, welch
from yavik.core.stats.pairwise import Pairs
from yavik.core.table import DataProblem, Table, rows_in_words

MOST_PAIRED = 60
"""Groups up to which all pairs are compared: 1 770 pairs."""
MOST_FOR_DRAWS_ASIDE, DRAWS_ASIDE = 400, 1999
"""Rows up to which a permutation test stands beside the others, and its draws."""
MOST_FOR_RANKS_ASIDE = 200_000
"""Rows up to which the rank test is computed beside another test, only to compare conclusions."""


@dataclass(frozen=True)
class Results:
    """Everything computed; tables, words and checks only read it."""

    data: Grouped
    test: str
    pair_method: str
    classical: AnovaTable
    welch: FTest | str
    brown_forsythe: FTest | str
    ranked: Ranked | None
    pairs: Pairs | None
    letters: list[str] | None
    alpha: float
    permuted: Permuted | None = None
    permuted_aside: Permuted | None = None
    """The permutation test beside another one, for few rows only."""
    contrasts: Planned | None = None

    @property
    def main(self) -> FTest:
        """The chosen test; Kruskal–Wallis as a test without second df; the classical F with p by permutation."""
        if self.permuted:
            f = self.classical.test
            return FTest(f.f, f.df1, f.df2, self.permuted.p)
        if self.test == "kruskal_wallis" and self.ranked:
            return FTest(self.ranked.h, self.ranked.df, np.nan, self.ranked.p)
        chosen = {"anova": self.classical.test, "welch": self.welch, "brown_forsythe": self.brown_forsythe}[self.test]
        assert isinstance(chosen, FTest)
        return chosen


def compare(table: Table, spec: CompareGroupsSpec, run: Run) -> Answer:
    if spec.block and not spec.samples and not spec.summaries:
        return blocked(table, spec, run)
    if spec.test == "friedman":
        raise DataProblem("Friedman's test ranks within blocks: name the block in the sentence.", column=spec.groups)
    if spec.summaries and not (spec.response and spec.groups) and not spec.samples:
        return _from_summaries(spec)
    data = grouped(table, spec.response, spec.groups, spec.samples)
    run.progress(0.1, "Sorting into groups")
    _demand_groups(data, spec)
    test, note = _choose_test(data, spec)
    run.progress(0.3, "Testing")
    results = _results(data, spec, test, run)
    run.progress(0.7, "Looking at the checks")
    return _answer(table, spec, results, all_checks(table, spec, results, note))


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
    test, note = _choose_test(data, spec)
    r = _results(data, spec, test, Run())
    g = data.groups
    reach = np.array([float(stats.t.isf(spec.alpha / 2, k - 1)) for k in g.n]) * np.sqrt(g.variances / g.n)
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


def _demand_groups(data: Grouped, spec: CompareGroupsSpec) -> None:
    g, column = data.groups, spec.groups or (spec.samples[0] if spec.samples else None)
    if g.k < 2:
        name = spec.groups or "The choice"
        has = f"one level, '{g.names[0]}'" if g.k else "no level with filled cells"
        raise DataProblem(f"{name} has {has}; a comparison needs two.", column=column)
    if g.n.sum() <= g.k:
        raise DataProblem(
            f"Each of the {g.k} groups has one value; spread within groups cannot be known.", column=column
        )
    if not np.any(g.ss > 0):
        raise DataProblem(
            "Within every group all values are the same: there is no spread to judge differences against.",
            column=spec.response or column,
        )


def one_value(g: Groups, i: int) -> str:
    where = f" ({rows_in_words([int(g.part_rows(i)[0])])})" if len(g.rows) else ""
    return f"{g.names[i]} has one value{where}, so its own spread cannot be known"


def _obstacle(data: Grouped) -> str | None:
    """Why Welch's test cannot be computed, if so."""
    g = data.groups
    single = [i for i in range(g.k) if g.n[i] < 2]
    if single:
        return one_value(g, single[0])
    flat = [i for i in range(g.k) if g.ss[i] == 0]
    if flat:
        return f"all values in {g.names[flat[0]]} are the same, so it has no spread of its own"
    return None


def _choose_test(data: Grouped, spec: CompareGroupsSpec) -> tuple[str, str | None]:
    """The test, and a note where ``auto`` could not take Welch's: by what can be computed, never by a test on the data."""
    obstacle = _obstacle(data)
    if spec.test == "auto":
        if obstacle:
            return (
                "anova",
                f"Welch's test cannot be computed: {obstacle}. The classical F stands in, and assumes equal spread.",
            )
        return "welch", None
    if spec.test == "welch" and obstacle:
        raise DataProblem(
            f"Welch's test cannot be computed: {obstacle}. Leave that group out, or take the classical F.",
            column=spec.groups,
        )
    if spec.test == "brown_forsythe" and np.any(data.groups.n < 2):
        raise DataProblem(
            f"Brown–Forsythe's test cannot be computed: {obstacle}. Leave that group out, or take the classical F.",
            column=spec.groups,
        )
    if spec.test == "kruskal_wallis" and len(np.unique(data.groups.y[:100_000])) == 1 and np.ptp(data.groups.y) == 0:
        raise DataProblem("All values are the same: they cannot be ranked.", column=spec.response)
    return spec.test, None


def _choose_pairs(spec: CompareGroupsSpec, test: str, can: bool) -> str:
    if spec.pairs != "auto":
        return spec.pairs
    return {"anova": "tukey", "kruskal_wallis": "dunn"}.get(test, "games_howell" if can else "tukey")


def _results(data: Grouped, spec: CompareGroupsSpec, test: str, run: Run) -> Results:
    g = data.groups
    obstacle = _obstacle(data)
    method = _choose_pairs(spec, test, not np.any(g.n < 2))
    if method == "games_howell" and np.any(g.n < 2):
        raise DataProblem(
            f"Games–Howell cannot be computed: {obstacle}. Choose Tukey–Kramer, or leave that group out.",
            column=spec.groups,
        )
    has_values = len(g.y) > 0
    need_ranks = test == "kruskal_wallis" or method == "dunn" or 0 < len(g.y) <= MOST_FOR_RANKS_ASIDE
    ranked = kruskal_wallis(g) if need_ranks and np.ptp(g.y) > 0 else None
    if method == "dunn" and ranked is None:
        raise DataProblem("All values are the same: they cannot be ranked.", column=spec.response)
    pairs = _pairs(g, method, spec, ranked) if g.k <= MOST_PAIRED else None
    permuted = (
        draws.several_groups(g, draws.DRAWS, spec.seed, lambda s: run.progress(0.3 + 0.4 * s, "Drawing divisions"))
        if test == "permutation" and has_values
        else None
    )
    return Results(
        data,
        test,
        method,
        anova(g),
        obstacle or welch(g),
        brown_forsythe(g) if np.all(g.n > 1) else str(obstacle),
        ranked,
        pairs,
        _letters(g, pairs, ranked if method == "dunn" else None, spec),
        spec.alpha,
        permuted,
        draws.several_groups(g, DRAWS_ASIDE, spec.seed)
        if 0 < len(g.y) <= MOST_FOR_DRAWS_ASIDE and not permuted
        else None,
        planned(spec, g, pooled=test in ("anova", "permutation"), column=spec.groups),
    )


def _letters(g: Groups, pairs: Pairs | None, ranked: Ranked | None, spec: CompareGroupsSpec) -> list[str] | None:
    """None where not every group was compared with every other."""
    if pairs is None or len(pairs.p) != g.k * (g.k - 1) // 2:
        return None
    order = ranked.mean_ranks if ranked else g.shifted_means
    p = np.where(np.isnan(pairs.p_adjusted), 1.0, pairs.p_adjusted)
    return letters_from_pairs(
        _floats(order), pairs.a.tolist(), pairs.b.tolist(), _floats(p), spec.alpha, up=spec.letters_order == "up"
    )


def _floats(values: Iterable[float]) -> list[float]:
    return [float(v) for v in values]


def _pairs(g: Groups, method: str, spec: CompareGroupsSpec, ranked: Ranked | None) -> Pairs:
    if method == "games_howell":
        return pairwise.games_howell(g, spec.alpha)
    if method == "dunn":
        assert ranked is not None
        return pairwise.dunn(g, ranked, spec.adjust)
    if method == "pairwise_mann_whitney":
        return pairwise.pairwise_mann_whitney(g, spec.adjust)
    if method == "dunnett":
        return pairwise.pooled(g, "dunnett", spec.alpha, control_of(g.names, spec.control, spec.groups))
    return pairwise.pooled(g, method, spec.alpha)  # type: ignore[arg-type]


def _answer(table: Table, spec: CompareGroupsSpec, r: Results, found: list[Check]) -> Answer:
    picture = groups_figure(spec.response, spec.groups, spec.samples, spec.where, r.data, _marks(r))
    return _composed(spec, r, picture, found, rows_used(table, r.data, bool(spec.samples)))


def _marks(r: Results) -> Marks:
    return Marks(
        letters=dict(zip(r.data.groups.names, r.letters, strict=True)) if r.letters else {},
        letters_note=letters_note(r) if r.letters else "",
        p=p_mark(r.main.p),
    )


def _composed(
    spec: CompareGroupsSpec, r: Results, picture: FigureBlock, found: Sequence[Check | None], rows: RowsUsed
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
        settings=[TEST_WORDS[r.test], f"pairs by {PAIR_WORDS[r.pair_method]}"],
        facts=tables.facts(r),
        blocks=[
            picture,
            tables.groups(r),
            tables.test(r),
            planned_table,
            tables.pairs(r),
            drawn_pairs(r),
            tables.effects(r),
            letters_table(r, spec.letters_order == "up"),
            matrix(r),
            tables.conclusions(r),
            tables.variances(r) if has_values else None,
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
    page=PAGE,
    order=1,
    fit=_fit,
    new_columns=group_columns,
    name=_name,
    uses=("seed",),
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
