"""Pairwise comparisons, the studentised range and letters."""

from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.multitest import multipletests

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.stats import studentized_range
from yavik.core.stats.groups import Groups
from yavik.core.stats.letters import letters, letters_from_pairs
from yavik.core.stats.oneway import kruskal_wallis
from yavik.core.stats.pairwise import adjust, dunn, games_howell, pooled

# Critical values as printed in the usual tables of the studentised range (upper 5 % and 1 % points).
TABLE = [
    (0.05, 3, 10, 3.88),
    (0.05, 4, 20, 3.96),
    (0.05, 5, 30, 4.10),
    (0.05, 10, 60, 4.65),
    (0.01, 3, 10, 5.27),
    (0.01, 5, 20, 5.29),
    (0.05, 2, 5, 3.64),
    (0.05, 3, np.inf, 3.31),
]


def make(ties: bool = False) -> tuple[Groups, list[np.ndarray]]:
    rng = np.random.default_rng(8)
    samples = [rng.normal(m, s, n) for m, s, n in ((10, 1, 9), (11, 4, 25), (14, 2, 14), (9, 6, 31))]
    if ties:
        samples = [np.round(s) for s in samples]
    y = np.concatenate(samples)
    codes = np.repeat(np.arange(4, dtype=np.int32), [len(s) for s in samples])
    return Groups.of(y, codes, np.arange(1, len(y) + 1), ("a", "b", "c", "d")), samples


@pytest.mark.parametrize("k", [2, 3, 10, 50])
@pytest.mark.parametrize("df", [2, 5.5, 30, 5000])
def test_studentised_range_against_another_route(k: int, df: float) -> None:
    q = np.array([0.1, 0.5, 1, 3.5, 6, 12, 30])
    other = np.array([stats.studentized_range.sf(v, k, df) for v in q])
    found = studentized_range.sf(q, k, df)
    assert found == pytest.approx(other, abs=5e-9)
    known = other > 1e-8
    assert found[known] == pytest.approx(other[known], rel=1e-6)


@pytest.mark.parametrize("df", [2, 3, 8, 40, 1000, 1e5])
def test_two_means_are_students_t_far_into_the_tail(df: float) -> None:
    q = np.array([0.2, 1, 5, 20])
    assert studentized_range.sf(q, 2, df) == pytest.approx(2 * stats.t.sf(q / np.sqrt(2), df), rel=1e-8, abs=1e-140)


@pytest.mark.parametrize(("alpha", "k", "df", "printed"), TABLE)
def test_critical_values_as_printed(alpha: float, k: int, df: float, printed: float) -> None:
    assert round(float(studentized_range.isf(alpha, k, np.array([df]))[0]), 2) == pytest.approx(printed, abs=0.0051)


def test_many_critical_values_agree_with_single_ones() -> None:
    df = np.linspace(2, 300, 100)
    together = studentized_range.isf(0.05, 20, df)
    assert together == pytest.approx([studentized_range.isf(0.05, 20, np.array([d]))[0] for d in df], abs=1e-8)


def test_tukey_kramer() -> None:
    g, samples = make()
    other = stats.tukey_hsd(*samples)
    interval = other.confidence_interval(0.95)
    found = pooled(g, "tukey", 0.05)
    for i, (a, b) in enumerate(combinations(range(4), 2)):
        assert (found.a[i], found.b[i]) == (a, b)
        assert found.p_adjusted[i] == pytest.approx(other.pvalue[a, b], abs=1e-8)
        assert (found.ci_low[i], found.ci_high[i]) == pytest.approx(
            (interval.low[a, b], interval.high[a, b]), abs=1e-6
        )


def test_games_howell() -> None:
    g, samples = make()
    other = stats.tukey_hsd(*samples, equal_var=False)
    found = games_howell(g, 0.05)
    for i, (a, b) in enumerate(combinations(range(4), 2)):
        t = stats.ttest_ind(samples[a], samples[b], equal_var=False)
        assert (found.statistic[i], found.df[i]) == pytest.approx((t.statistic, t.df), rel=1e-10)
        assert found.p_adjusted[i] == pytest.approx(
            stats.studentized_range.sf(abs(t.statistic) * np.sqrt(2), 4, t.df), abs=1e-8
        )
        assert found.p_adjusted[i] == pytest.approx(other.pvalue[a, b], abs=1e-6)
        reach = (
            stats.studentized_range.isf(0.05, 4, t.df)
            / np.sqrt(2)
            * np.sqrt(samples[a].var(ddof=1) / len(samples[a]) + samples[b].var(ddof=1) / len(samples[b]))
        )
        assert found.ci_high[i] - found.difference[i] == pytest.approx(reach, rel=1e-6)


@pytest.mark.parametrize("method", ["lsd", "bonferroni", "holm"])
def test_pooled_t(method: str) -> None:
    g, samples = make()
    df = sum(map(len, samples)) - 4
    variance = sum(s.var(ddof=1) * (len(s) - 1) for s in samples) / df
    found = pooled(g, method, 0.05)  # type: ignore[arg-type]
    raw = []
    for a, b in combinations(range(4), 2):
        t = (samples[a].mean() - samples[b].mean()) / np.sqrt(variance * (1 / len(samples[a]) + 1 / len(samples[b])))
        raw.append(2 * stats.t.sf(abs(t), df))
    assert found.p == pytest.approx(raw, rel=1e-9)
    wanted = raw if method == "lsd" else multipletests(raw, method=method)[1]
    assert found.p_adjusted == pytest.approx(wanted, rel=1e-9)


@pytest.mark.parametrize(
    ("ours", "theirs"), [("holm", "holm"), ("bonferroni", "bonferroni"), ("sidak", "sidak"), ("fdr", "fdr_bh")]
)
def test_adjustments(ours: str, theirs: str) -> None:
    p = np.random.default_rng(2).random(40) ** 3
    assert adjust(p, ours) == pytest.approx(multipletests(p, method=theirs)[1], rel=1e-10)  # type: ignore[arg-type]


@pytest.mark.parametrize("ties", [False, True])
def test_dunn_by_plain_loops(ties: bool) -> None:
    g, samples = make(ties)
    ranks = stats.rankdata(np.concatenate(samples))
    n, ends = len(ranks), np.cumsum([0, *map(len, samples)])
    means = [ranks[a:b].mean() for a, b in pairwise(ends)]
    _, runs = np.unique(ranks, return_counts=True)
    tied = sum(int(t) ** 3 - int(t) for t in runs)
    found = dunn(g, kruskal_wallis(g), "none")
    for i, (a, b) in enumerate(combinations(range(4), 2)):
        se = np.sqrt((n * (n + 1) / 12 - tied / (12 * (n - 1))) * (1 / len(samples[a]) + 1 / len(samples[b])))
        assert found.statistic[i] == pytest.approx((means[a] - means[b]) / se, rel=1e-11)
        assert found.p[i] == pytest.approx(2 * stats.norm.sf(abs(means[a] - means[b]) / se), rel=1e-9)


def test_dunns_z_of_two_groups_is_the_root_of_h() -> None:
    _, samples = make(ties=True)
    g = Groups.of_samples([np.append(samples[0], [np.nan] * 16), samples[1]], np.arange(1, 26), ("a", "b"))
    ranked = kruskal_wallis(g)
    assert dunn(g, ranked, "none").statistic[0] ** 2 == pytest.approx(ranked.h, rel=1e-11)


def test_letters_where_a_walk_down_the_means_goes_wrong() -> None:
    """Means a < b < c < d; the middle ones differ though the outer ones, with wide spread, do not."""
    found = letters([0, 1, 2, 3], [(1, 2)])
    share = {(i, j): bool(set(found[i]) & set(found[j])) for i, j in combinations(range(4), 2)}
    assert share == {(0, 1): True, (0, 2): True, (0, 3): True, (1, 2): False, (1, 3): True, (2, 3): True}
    assert sorted(set("".join(found))) == ["a", "b"]


@given(
    st.integers(2, 8).flatmap(
        lambda k: st.tuples(st.just(k), st.sets(st.sampled_from(list(combinations(range(k), 2)))))
    )
)
def test_groups_share_a_letter_exactly_when_they_do_not_differ(case: tuple[int, set[tuple[int, int]]]) -> None:
    k, differ = case
    found = letters(list(range(k)), differ)
    for pair in combinations(range(k), 2):
        assert bool(set(found[pair[0]]) & set(found[pair[1]])) == (pair not in differ)


def test_letters_begin_at_the_chosen_end() -> None:
    pair = ([1.0, 5.0], [0], [1], [0.001], 0.05)
    assert letters_from_pairs(*pair, up=True) == ["a", "b"]
    assert letters_from_pairs(*pair, up=False) == ["b", "a"]


def test_pairs_within_blocks_against_the_studentised_range_of_the_library() -> None:
    rng = np.random.default_rng(2)
    blocks, k = 14, 4
    y = (rng.normal(size=(blocks, k)) + np.array([0, 0, 0.5, 1.5])).round(1)
    table = table_from(
        y=y.T.ravel(), g=np.repeat(["u", "v", "w", "x"], blocks), b=np.tile([f"b{i}" for i in range(blocks)], k)
    )
    spec = {"response": "y", "groups": "g", "block": "b", "test": "friedman", "pairs": "nemenyi"}
    rows = answer("compare_groups", table, spec).block("pairs").rows
    ranks = np.apply_along_axis(stats.rankdata, 1, y)
    # The spread of ranks within blocks, ties and all, as they are: Σ(rank − mean)² over blocks · (k − 1).
    spread = ((ranks - (k + 1) / 2) ** 2).sum() / (blocks * (k - 1))
    for row, (a, b) in zip(rows, combinations(range(k), 2), strict=True):
        q = abs(ranks[:, a].mean() - ranks[:, b].mean()) / np.sqrt(spread / blocks)
        assert row["p_adjusted"].v == pytest.approx(stats.studentized_range.sf(q, k, np.inf), abs=1e-6)
