"""Ranks see decimals, not doubles; what stands after ranks; trends over ordered groups; divisions by lot."""

from collections import Counter
from math import comb

import numpy as np
import pytest
from scipy import stats

from tests.tables import table_from
from yavik.core.methods.registry import answer
from yavik.core.stats import pairwise
from yavik.core.stats.decimals import difference, settled
from yavik.core.stats.groups import Groups
from yavik.core.stats.lots import Lots
from yavik.core.stats.one import pseudo_median, sign_test, signed_rank
from yavik.core.stats.oneway import jonckheere_terpstra, kruskal_wallis
from yavik.core.stats.two import mann_whitney, shift
from yavik.core.table import DataProblem

RNG = np.random.default_rng(41)


def groups(*samples: list[float] | np.ndarray) -> Groups:
    y, codes = np.concatenate(samples), np.repeat(np.arange(len(samples)), [len(s) for s in samples])
    return Groups.of(y, codes.astype(np.int32), np.arange(1, len(y) + 1), tuple(f"g{i}" for i in range(len(samples))))


@pytest.mark.parametrize("seed", range(60))
def test_one_decimal_data_tie_as_the_same_tenths_do(seed: int) -> None:
    rng = np.random.default_rng(seed)
    tenths = rng.integers(300, 420, (2, 18))
    a, b = tenths / 10
    whole = (tenths[0] - tenths[1]).astype(float)
    assert signed_rank(difference(a, b)) == signed_rank(whole)
    assert signed_rank(difference(a, 36.3)) == signed_rank(tenths[0] - 363.0)
    assert sign_test(difference(difference(a, b), 0.3)) == sign_test(whole - 3)
    table = table_from(a=a, b=b, v=[*a[:9], *b[:9]], g=["x"] * 9 + ["y"] * 9)
    paired = answer("compare_paired", table, {"first": "a", "second": "b", "test": "wilcoxon"})
    assert paired.facts["p"] == pytest.approx(signed_rank(whole).p, abs=1e-12)
    two = answer("compare_two", table, {"response": "v", "groups": "g", "test": "mann_whitney", "difference": 0.7})
    exact = mann_whitney(np.sort(tenths[0][:9] - 7.0), np.sort(tenths[1][:9].astype(float)))
    assert two.facts["mann_whitney.p"] == pytest.approx(exact.p, abs=1e-12)


def test_settling_keeps_what_is_data() -> None:
    y = RNG.normal(size=500)
    assert settled(y) == pytest.approx(y, abs=1e-12) and len(np.unique(settled(y))) == 500
    assert settled(np.array([0.1 + 0.2 - 0.3]), 0.3).tolist() == [0.0]
    assert len(np.unique(difference(1e9 + np.arange(9) / 10, 1e9))) == 9


@pytest.mark.parametrize("decimals", [0, 1, 6])
def test_the_pseudo_median_of_many_values(decimals: int) -> None:
    y = np.round(RNG.normal(3, 2, 3100), decimals)
    i, j = np.triu_indices(len(y))
    every = np.sort((y[i] + y[j]) / 2)
    middle, low, high = pseudo_median(y, 0.05)
    assert middle == pytest.approx(np.median(every), abs=5e-6)
    n = len(y)
    place = int(np.floor(len(every) / 2 - stats.norm.isf(0.025) * np.sqrt(n * (n + 1) * (2 * n + 1) / 24)))
    assert (low, high) == pytest.approx((every[place - 1], every[-place]), abs=5e-6)


def test_the_shift_of_large_tied_samples_is_one_of_their_differences() -> None:
    a, b = (np.sort(RNG.integers(0, 5, 6000).astype(float)) for _ in range(2))
    assert shift(a, b, 0.05) == (0.0, 0.0, 0.0)
    c = np.sort(np.round(RNG.normal(5.3, 1, 3000), 1))
    moved = shift(c, np.sort(np.round(c - 0.4, 1)), 0.05)[0]
    assert moved == pytest.approx(0.4) and round(moved, 10) == moved


def test_conover_is_lsd_on_ranks_and_nemenyi_the_studentised_range() -> None:
    g = groups(*(np.round(RNG.gamma(2, size=n) + i / 2, 1) for i, n in enumerate((12, 15, 9, 11))))
    ranked = kruskal_wallis(g)
    on_ranks = Groups(stats.rankdata(g.y), g.starts, g.rows, g.names)
    lsd, found = pairwise.pooled(on_ranks, "lsd", 0.05), pairwise.conover(g, ranked, "none")
    assert found.statistic == pytest.approx(lsd.statistic) and found.p == pytest.approx(lsd.p)
    z = pairwise.dunn(g, ranked, "none").statistic
    tail = stats.studentized_range.sf(np.abs(z) * np.sqrt(2), 4, np.inf)
    assert pairwise.nemenyi(g, ranked).p_adjusted == pytest.approx(tail, abs=1e-6)


def test_a_control_with_own_spreads_by_simulation() -> None:
    g = groups(RNG.normal(0, 1, 8), RNG.normal(1.5, 3, 20), RNG.normal(0.2, 0.5, 14))
    found = pairwise.dunnett_welch(g, 0.05, 0)
    lam = np.sqrt(g.variances[0] / g.n[0] / (g.variances[1:] / g.n[1:] + g.variances[0] / g.n[0]))
    rng = np.random.default_rng(3)
    z0, z = rng.normal(size=(400_000, 1)), rng.normal(size=(400_000, 2))
    for i in range(2):
        chi = np.sqrt(rng.chisquare(found.df[i], (400_000, 1)) / found.df[i])
        largest = np.abs((lam * z0 + np.sqrt(1 - lam**2) * z) / chi).max(axis=1)
        assert found.p_adjusted[i] == pytest.approx((largest >= abs(found.statistic[i])).mean(), abs=0.003)
    assert np.all(found.p_adjusted >= found.p)
    assert ((found.ci_low > 0) | (found.ci_high < 0)).tolist() == (found.p_adjusted < 0.05).tolist()


def test_a_trend_over_ordered_groups() -> None:
    samples = [np.round(RNG.normal(i / 2, 1, n), 1) for i, n in enumerate((7, 9, 6))]
    found = jonckheere_terpstra(groups(*samples))
    pairs = [(a, b) for i in range(3) for j in range(i + 1, 3) for a in samples[i] for b in samples[j]]
    assert found.j == sum((a < b) + (a == b) / 2 for a, b in pairs)
    # Against divisions by chance.
    pooled, hits = np.concatenate(samples), 0
    middle = (22**2 - 7**2 - 9**2 - 6**2) / 4
    for _ in range(3000):
        mixed = np.split(RNG.permutation(pooled), [7, 16])
        hits += abs(jonckheere_terpstra(groups(*mixed)).j - middle) >= abs(found.j - middle)
    assert found.p == pytest.approx(hits / 3000, abs=0.02)


def test_divisions_by_lot_favour_none() -> None:
    lots = Lots(2.0 ** np.arange(12), np.array([3, 5, 4]), np.random.default_rng(5))
    seen = Counter(float(lots.draw()[0]) for _ in range(20_000))
    assert all(int(k).bit_count() == 3 for k in seen) and len(seen) == comb(12, 3)
    expected = 20_000 / comb(12, 3)
    chi2 = sum((n - expected) ** 2 / expected for n in seen.values())
    assert 0.001 < stats.chi2.sf(chi2, comb(12, 3) - 1) < 0.999


def test_no_rank_carries_the_unit() -> None:
    table = table_from(y=[1.5, 2.5, 9.1, 3.2, 8.4, 7.7], g=["a", "a", "a", "b", "b", "b"])
    found = answer("compare_groups", table, {"response": "y", "groups": "g", "test": "kruskal_wallis"})
    assert "mean rank is" in found.headline and "higher" not in found.headline


def test_ranks_within_incomplete_blocks_count_only_their_rows() -> None:
    rows = [(f"b{b}", t, round(float(RNG.normal(i)), 1)) for b in range(8) for i, t in enumerate("xyz")][:-2]
    block, group, y = zip(*rows, strict=True)
    table = table_from(y=y, g=group, b=block)
    spec = {"response": "y", "groups": "g", "block": "b"}
    ranks = answer("compare_groups", table, {**spec, "test": "friedman"})
    assert ranks.rows.used == 21 and ranks.rows.left_out[0].n == 1
    assert {r["n"].v for r in ranks.block("means").rows} == {7}
    assert answer("compare_groups", table, {**spec, "test": "permutation"}).rows.used == 22


def test_blocks_that_leave_no_scatter_have_no_p() -> None:
    y = [b + t for b in range(4) for t in (0.1, 0.4, 0.9)]
    table = table_from(y=y, g=["x", "y", "z"] * 4, b=[f"b{i // 3}" for i in range(12)])
    with pytest.raises(DataProblem, match="no scatter is left"):
        answer("compare_groups", table, {"response": "y", "groups": "g", "block": "b"})
    flat = table_from(y=[i // 3 for i in range(12)], g=["x", "y", "z"] * 4, b=[f"b{i // 3}" for i in range(12)])
    with pytest.raises(DataProblem):
        answer("compare_groups", flat, {"response": "y", "groups": "g", "block": "b", "test": "friedman"})
