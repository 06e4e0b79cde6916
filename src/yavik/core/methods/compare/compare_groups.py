"""Does a measurement differ between groups? One-way comparisons with pairs, letters and checks."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, FigureBlock, Marks, RowsUsed, TableBlock
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import plain
from yavik.core.figures import Figure, draw
from yavik.core.figures.data import Grouped, grouped
from yavik.core.figures.describe import GROUPS, VALUES
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec, option, slot
from yavik.core.methods.compare import _checks as checks
from yavik.core.methods.compare import _group_tables as tables
from yavik.core.methods.compare._group_columns import group_columns
from yavik.core.methods.compare._group_page import PAGE
from yavik.core.methods.compare._group_words import PAIR_WORDS, TEST_WORDS, headline, letters_note, p_mark
from yavik.core.stats import pairwise
from yavik.core.stats.adjusting import Adjust
from yavik.core.stats.groups import Groups
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.oneway import AnovaTable, FTest, Ranked, anova, brown_forsythe, kruskal_wallis, levene, welch
from yavik.core.stats.pairwise import Pairs
from yavik.core.table import DataProblem, Table, rows_in_words

Test = Literal["auto", "anova", "welch", "brown_forsythe", "kruskal_wallis"]
PairMethod = Literal["auto", "lsd", "tukey", "games_howell", "bonferroni", "holm", "dunn"]
MOST_PAIRED = 60
"""Groups up to which all pairs are compared: 1 770 pairs."""
MOST_FOR_RANKS_ASIDE = 200_000
"""Rows up to which the rank test is computed beside another test, only to compare conclusions."""


class CompareGroupsSpec(Spec):
    response: str | None = Field(
        None, title="Measurement", json_schema_extra=slot(VALUES, "a measure", layout="stacked")
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "groups", layout="stacked"))
    samples: list[str] = Field(
        [], title="Samples", json_schema_extra=slot(VALUES, "one column per sample", many=True, layout="side_by_side")
    )
    test: Test = Field(
        "auto",
        json_schema_extra=option(
            "Test",
            TEST_WORDS,
            "Automatic takes Welch's test: it holds its error rate whether or not the spread is equal.",
        ),
    )
    pairs: PairMethod = Field(
        "auto",
        json_schema_extra=option(
            "Pairs by",
            PAIR_WORDS,
            "Automatic follows the test: Games–Howell after Welch or Brown–Forsythe, Tukey–Kramer after the classical F, Dunn after ranks.",
        ),
    )
    adjust: Adjust = Field(
        "holm",
        json_schema_extra=option(
            "Adjustment of Dunn's p",
            {
                "holm": "Holm",
                "none": "none",
                "bonferroni": "Bonferroni",
                "sidak": "Šidák",
                "fdr": "false discovery rate",
            },
            when={"pairs_used": ["dunn"]},
        ),
    )
    letters_order: Literal["up", "down"] = Field(
        "up", json_schema_extra=option("Letters from", {"up": "the lowest mean", "down": "the highest mean"})
    )


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

    @property
    def main(self) -> FTest:
        """The chosen test; Kruskal–Wallis as a test without second df."""
        if self.test == "kruskal_wallis" and self.ranked:
            return FTest(self.ranked.h, self.ranked.df, np.nan, self.ranked.p)
        chosen = {"anova": self.classical.test, "welch": self.welch, "brown_forsythe": self.brown_forsythe}[self.test]
        assert isinstance(chosen, FTest)
        return chosen


def compare(table: Table, spec: CompareGroupsSpec, run: Run) -> Answer:
    data = grouped(table, spec.response, spec.groups, spec.samples)
    run.progress(0.1, "Sorting into groups")
    _demand_groups(data, spec)
    test, note = _choose_test(data, spec)
    run.progress(0.3, "Testing")
    results = _results(data, spec, test)
    run.progress(0.7, "Looking at the checks")
    return _answer(table, spec, results, _checks(table, spec, results, note))


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


def _obstacle(data: Grouped) -> str | None:
    """Why Welch's test cannot be computed, if so."""
    g = data.groups
    single = [i for i in range(g.k) if g.n[i] < 2]
    if single:
        rows = [int(g.part_rows(i)[0]) for i in single]
        return f"{g.names[single[0]]} has one value ({rows_in_words(rows[:1])}), so its own spread cannot be known"
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


def _choose_pairs(spec: CompareGroupsSpec, test: str) -> str:
    if spec.pairs != "auto":
        return spec.pairs
    return {"welch": "games_howell", "brown_forsythe": "games_howell", "kruskal_wallis": "dunn"}.get(test, "tukey")


def _results(data: Grouped, spec: CompareGroupsSpec, test: str) -> Results:
    g = data.groups
    obstacle = _obstacle(data)
    method = _choose_pairs(spec, test)
    if method == "games_howell" and np.any(g.n < 2):
        raise DataProblem(
            f"Games–Howell cannot be computed: {obstacle}. Choose Tukey–Kramer, or leave that group out.",
            column=spec.groups,
        )
    need_ranks = test == "kruskal_wallis" or method == "dunn" or len(g.y) <= MOST_FOR_RANKS_ASIDE
    ranked = kruskal_wallis(g) if need_ranks and np.ptp(g.y) > 0 else None
    pairs = _pairs(g, method, spec, ranked) if g.k <= MOST_PAIRED else None
    letters = None
    if pairs is not None:
        order = ranked.mean_ranks if method == "dunn" and ranked else g.shifted_means
        p = np.where(np.isnan(pairs.p_adjusted), 1.0, pairs.p_adjusted)
        letters = letters_from_pairs(
            _floats(order), pairs.a.tolist(), pairs.b.tolist(), _floats(p), spec.alpha, up=spec.letters_order == "up"
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
        letters,
        spec.alpha,
    )


def _floats(values: Iterable[float]) -> list[float]:
    return [float(v) for v in values]


def _pairs(g: Groups, method: str, spec: CompareGroupsSpec, ranked: Ranked | None) -> Pairs:
    if method == "games_howell":
        return pairwise.games_howell(g, spec.alpha)
    if method == "dunn":
        assert ranked is not None
        return pairwise.dunn(g, ranked, spec.adjust)
    return pairwise.pooled(g, method, spec.alpha)  # type: ignore[arg-type]


def _p_without_outlying(g: Groups, test: str) -> float | None:
    """p of the same test without the outlying values; None where it then cannot be computed."""
    rest = g.subset(~g.outlying)
    if np.any(rest.n < 2) or not np.any(rest.ss > 0):
        return None
    if test == "kruskal_wallis":
        return kruskal_wallis(rest).p if np.ptp(rest.y) > 0 else None
    if test == "welch":
        return welch(rest).p if np.all(rest.ss > 0) else None
    return (anova(rest).test if test == "anova" else brown_forsythe(rest)).p


def _checks(table: Table, spec: CompareGroupsSpec, r: Results, note: str | None) -> list[Check]:
    g = r.data.groups
    out = []
    if note or np.any(g.n < 5) or g.n.max() > 4 * g.n.min():
        out.append(checks.group_sizes(r.data, note))
    by_median, by_mean = levene(g, "median"), levene(g, "mean")
    out.append(checks.equal_spread(r.data, by_median, by_mean, r.test))
    out.append(checks.normal_within(r.data, checks.shapiro(g), r.test))
    without = _p_without_outlying(g, r.test) if g.outlying.any() else None
    out.append(checks.outlying(r.data, without, r.main.p, spec.alpha, spec.where, bool(spec.samples)))
    out.append(checks.independent(table, g.rows, bool(spec.samples)))
    if not any(c.id == "group_sizes" for c in out):
        out.append(checks.group_sizes(r.data, None))
    return out


def _answer(table: Table, spec: CompareGroupsSpec, r: Results, found: list[Check]) -> Answer:
    g = r.data.groups
    spans = headline(r)
    marks = Marks(
        letters=dict(zip(g.names, r.letters, strict=True)) if r.letters else {},
        letters_note=letters_note(r) if r.letters else "",
        p=p_mark(r.main.p),
    )
    blocks: list[FigureBlock | TableBlock] = [
        _figure(spec, r, marks),
        tables.groups(r),
        tables.test(r),
    ]
    blocks += [t for t in (tables.pairs(r), tables.effects(r), tables.conclusions(r), tables.variances(r)) if t]
    verdict = "differ" if r.main.p < spec.alpha else "no evidence of a difference"
    what = "ranks" if r.test == "kruskal_wallis" else "means"
    return Answer(
        method="compare_groups",
        version=METHOD.version,
        spec=spec.model_dump(),
        headline=plain(spans),
        headline_spans=spans,
        short=f"{what} differ, {plain(marks.p)}" if verdict == "differ" else f"{verdict}, {plain(marks.p)}",
        settings=[TEST_WORDS[r.test], f"pairs by {PAIR_WORDS[r.pair_method]}"],
        facts=tables.facts(r),
        blocks=list(blocks),
        checks=found,
        rows=_rows_used(table, r.data, bool(spec.samples)),
        marks=marks,
    )


def _figure(spec: CompareGroupsSpec, r: Results, marks: Marks) -> FigureBlock:
    k = r.data.groups.k
    figure = Figure(
        response=spec.response if not spec.samples else None,
        groups=spec.groups if not spec.samples else None,
        samples=spec.samples,
        where=spec.where,
        width_mm=max(78, min(200, 24 + 17 * k)),
        height_mm=78,
        type_pt=8.5,
        show=["box", "points"] if k <= 30 else ["mean"],
        letters=bool(marks.letters) and k <= 30,
    )
    drawing = draw(figure, r.data, marks)
    opened = figure.model_copy(update={"width_mm": 85.0 if k <= 5 else 170.0, "height_mm": 70.0, "type_pt": 8.0})
    return FigureBlock(
        id="figure",
        title=f"{r.data.value} by {r.data.group}",
        drawing=drawing.vega,
        alt=drawing.alt,
        figure=opened.model_dump(exclude={"where"} if not spec.where else None),
        caption=drawing.own_caption,
    )


def _rows_used(table: Table, data: Grouped, samples: bool) -> RowsUsed:
    used = len(data.groups.y)
    if samples:
        return RowsUsed(total=table.n_rows, used=len(np.unique(data.groups.rows)))
    left = [
        LeftOut(why=why, n=n)
        for why, n in ((f"{data.value} is empty", data.empty_value), (f"{data.group} is empty", data.empty_group))
        if n
    ]
    return RowsUsed(total=table.n_rows, used=used, left_out=left)


def _name(spec: CompareGroupsSpec) -> str:
    return f"{spec.response} by {spec.groups}" if spec.response else ", ".join(spec.samples[:3])


METHOD = Method(
    id="compare_groups",
    aim=Aim.compare,
    title="One-way analysis of variance, Welch, Brown–Forsythe, Kruskal–Wallis; pairwise comparisons with letters",
    layouts=(
        Layout(
            "stacked",
            "one column of values, one of groups",
            "Does {response} differ between {groups}?",
            ("response", "groups"),
            ("response", "groups"),
        ),
        Layout(
            "side_by_side", "one column per sample", "Do the samples {samples} differ?", ("samples",), ("samples",)
        ),
    ),
    Spec=CompareGroupsSpec,
    compute=compare,
    page=PAGE,
    new_columns=lambda table, spec: group_columns(table, spec.response, spec.groups),
    name=_name,
    keywords=(
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
