"""What a comparison of groups computes: tests, pairs, letters. Knows no words but those of what stops it."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from yavik.core.figures.data import Grouped
from yavik.core.methods.base import Run
from yavik.core.methods.compare.groups.contrasts import Planned, control_of, planned
from yavik.core.methods.compare.groups.spec import BY_RANKS, CHOOSES_ADJUSTMENT, WITH_CONTROL, CompareGroupsSpec
from yavik.core.stats import draws, pairwise
from yavik.core.stats.direction import Alternative, reach_of_means
from yavik.core.stats.draws import Permuted
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.oneway import (
    AnovaTable,
    FTest,
    Ranked,
    Trend,
    anova,
    brown_forsythe,
    jonckheere_terpstra,
    kruskal_wallis,
    welch,
)
from yavik.core.stats.pairwise import Pairs
from yavik.core.table import DataProblem, rows_in_words

MOST_FOR_DRAWS_ASIDE, DRAWS_ASIDE = 400, 1999
"""Rows up to which a permutation test stands beside the others, and its draws."""
MOST_PAIRED = 60


MOST_FOR_RANKS_ASIDE = 200_000


@dataclass(frozen=True)
class GroupsResults:
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
    trend: Trend | None = None
    """Of ordered levels: whether values rise or fall with them."""
    adjust: str = "holm"
    alternative: Alternative = "two_sided"
    """Of Dunnett's comparisons; everything else looks either way."""

    @property
    def reach(self) -> Floats:
        """Half the interval of each group's mean, shape (k,); NaN for a group of one value."""
        g = self.data.groups
        return np.asarray(reach_of_means(g.n, np.sqrt(g.variances), self.alpha))

    @property
    def epsilon2(self) -> float:
        """ε² (Kelley, 1935, of ranks): H over its largest value, the share of the ranks' variation between groups."""
        assert self.ranked
        return float(self.ranked.h / (self.data.groups.n.sum() - 1))

    @property
    def adjusting(self) -> str:
        """How the pairs' p are adjusted: the method itself, or what was asked for after ranks."""
        return (
            self.adjust if self.pair_method in CHOOSES_ADJUSTMENT else "none" if self.pair_method == "lsd" else "own"
        )

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


def demand_groups(data: Grouped, spec: CompareGroupsSpec) -> None:
    """Raises DataProblem where there is nothing to compare, or no spread to judge by."""
    g, column = data.groups, spec.groups or (spec.samples[0] if spec.samples else None)
    if g.k < 2:
        name = spec.groups or "The choice"
        has = f"one level, '{g.names[0]}'" if g.k else "no level with filled cells"
        raise DataProblem(f"{name} has {has}; a comparison needs two.", column=column)
    if g.n.sum() <= g.k and spec.test != "kruskal_wallis":
        raise DataProblem(
            f"Each of the {g.k} groups has one value; spread within groups cannot be known.", column=column
        )
    if not np.any(g.ss > 0) and not (spec.test == "kruskal_wallis" and len(g.y) and np.ptp(g.y) > 0):
        raise DataProblem(
            "Within every group all values are the same: there is no spread to judge differences against.",
            column=spec.response or column,
        )


def one_value(g: Groups, i: int) -> str:
    """That a group has one value, and in which row."""
    where = f" ({rows_in_words([int(g.part_rows(i)[0])])})" if len(g.rows) else ""
    return f"{g.names[i]} has one value{where}, so its own spread cannot be known"


def obstacle_of(data: Grouped) -> str | None:
    """Why Welch's test cannot be computed, if so."""
    g = data.groups
    single = [i for i in range(g.k) if g.n[i] < 2]
    if single:
        return one_value(g, single[0])
    flat = [i for i in range(g.k) if g.ss[i] == 0]
    if flat:
        return f"all values in {g.names[flat[0]]} are the same, so it has no spread of its own"
    return None


def choose_test(data: Grouped, spec: CompareGroupsSpec) -> tuple[str, str | None]:
    """The test, and a note where ``auto`` could not take Welch's: by what can be computed, never by a test on the
    data."""
    obstacle = obstacle_of(data)
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


def choose_pairs(spec: CompareGroupsSpec, test: str, can: bool) -> str:
    """The method of the pairs: as asked, else the one that follows the test."""
    if spec.pairs != "auto":
        return spec.pairs
    return {"anova": "tukey", "kruskal_wallis": "dunn"}.get(test, "games_howell" if can else "tukey")


def results(data: Grouped, spec: CompareGroupsSpec, test: str, run: Run, *, asides: bool = True) -> GroupsResults:
    """``asides``: also what stands beside the answer; a check that asks the same question again needs none of it."""
    g = data.groups
    obstacle = obstacle_of(data)
    method = choose_pairs(spec, test, not np.any(g.n < 2))
    has_values = len(g.y) > 0
    need_ranks = test == "kruskal_wallis" or method in BY_RANKS or 0 < len(g.y) <= MOST_FOR_RANKS_ASIDE
    ranked = kruskal_wallis(g) if need_ranks and np.ptp(g.y) > 0 else None
    if method in BY_RANKS and ranked is None:
        raise DataProblem("All values are the same: they cannot be ranked.", column=spec.response)
    if method in ("games_howell", "dunnett_welch") and np.any(g.n < 2):
        raise DataProblem(
            f"{'Games–Howell' if method == 'games_howell' else 'Dunnett with own spreads'} cannot be computed:"
            f" {obstacle}. Choose a method with one pooled spread, or leave that group out.",
            column=spec.groups,
        )
    if method == "conover" and float(g.n.sum()) <= g.k:
        raise DataProblem("Conover's comparisons need more values than groups.", column=spec.groups)
    pairs = _pairs(g, method, spec, ranked) if g.k <= MOST_PAIRED else None
    permuted = (
        draws.several_groups(g, draws.DRAWS, spec.seed, lambda s: run.progress(0.3 + 0.4 * s, "Drawing divisions"))
        if test == "permutation" and has_values
        else None
    )
    return GroupsResults(
        data,
        test,
        method,
        anova(g),
        obstacle or welch(g),
        brown_forsythe(g) if np.all(g.n > 1) else str(obstacle),
        ranked,
        pairs,
        _letters(g, pairs, ranked if method in BY_RANKS else None, spec),
        spec.alpha,
        permuted,
        (
            draws.several_groups(g, DRAWS_ASIDE, spec.seed)
            if asides and 0 < len(g.y) <= MOST_FOR_DRAWS_ASIDE and not permuted
            else None
        ),
        planned(spec, g, pooled=test in ("anova", "permutation"), column=spec.groups),
        jonckheere_terpstra(g) if data.ordered and g.k > 2 and has_values and np.ptp(g.y) > 0 else None,
        spec.adjust,
        spec.alternative,
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


def _with_control(g: Groups, method: str, spec: CompareGroupsSpec) -> Pairs:
    """Each group against the control; only these comparisons have a direction."""
    control = control_of(g.names, spec.control, spec.groups)
    if method == "dunnett":
        found, variances = pairwise.pooled(g, "dunnett", spec.alpha, control), 1.0 / g.n
    else:
        found, variances = pairwise.dunnett_welch(g, spec.alpha, control), g.variances / g.n
    if spec.alternative == "two_sided":
        return found
    return pairwise.dunnett_one_sided(found, variances, spec.alpha, spec.alternative)


def _pairs(g: Groups, method: str, spec: CompareGroupsSpec, ranked: Ranked | None) -> Pairs:
    if method in WITH_CONTROL:
        return _with_control(g, method, spec)
    if spec.alternative != "two_sided":
        raise DataProblem(
            "A direction is for comparisons with a control: choose Dunnett for the pairs. All other questions here"
            " look for differences of any kind.",
            column=spec.groups,
        )
    if method == "games_howell":
        return pairwise.games_howell(g, spec.alpha)
    if method == "dunn":
        assert ranked is not None
        return pairwise.dunn(g, ranked, spec.adjust)
    if method == "nemenyi":
        assert ranked is not None
        return pairwise.nemenyi(g, ranked)
    if method == "conover":
        assert ranked is not None
        return pairwise.conover(g, ranked, spec.adjust)
    if method == "pairwise_mann_whitney":
        return pairwise.pairwise_mann_whitney(g, spec.adjust)
    return pairwise.pooled(g, method, spec.alpha)  # type: ignore[arg-type]
