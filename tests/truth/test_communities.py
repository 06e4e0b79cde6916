"""Communities: dissimilarities by their formulas, tests by analysis of variance and by listing, contributions that add up."""

from itertools import combinations, permutations
from typing import Any, get_args

import numpy as np
import pytest
from scipy.cluster.vq import kmeans2
from scipy.spatial import procrustes
from scipy.spatial.distance import squareform
from scipy.stats import f_oneway

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Verdict
from yavik.core.answers.quantities import LINES
from yavik.core.methods import answer
from yavik.core.methods.communities.community_test.compute import _ways
from yavik.core.methods.registry import new_columns
from yavik.core.stats.communities.clusters import about_means, joined, silhouettes
from yavik.core.stats.communities.diversity import chao1, diversity, in_equal, rarefied
from yavik.core.stats.communities.group_tests import (
    Ranked,
    Spaced,
    between_of,
    distances_to_middle,
    draws_of_f,
    draws_of_spread,
    f_of,
    permanova,
    shuffles,
)  # fmt: skip
from yavik.core.stats.communities.ordination import (
    _Pairs,
    arrow,
    components,
    coordinates,
    draws_of_r2,
    nonmetric,
    upright,
)  # fmt: skip
from yavik.core.stats.communities.shares import between, within
from yavik.core.stats.communities.unlike import BOUNDED, Unlike, standardised, transformed, unlike
from yavik.core.table import DataProblem

ALL = demo_tables()
KINDS: tuple[Unlike, ...] = get_args(Unlike)


def counts(n: int = 12, k: int = 7, seed: int = 1) -> Any:
    rng = np.random.default_rng(seed)
    x = rng.poisson(rng.gamma(0.7, 4, k), (n, k)).astype(float)
    x[:, 0] += 1
    x[0] += 1
    return x


def by_hand(a: Any, b: Any, kind: str, x: Any) -> float:
    """One pair, from the formulas."""
    p, q = (a > 0), (b > 0)
    shared, either = int((p & q).sum()), int((p | q).sum())
    if kind == "bray_curtis":
        return float(np.abs(a - b).sum() / (a + b).sum())
    if kind == "jaccard":
        return 1 - shared / either
    if kind == "sorensen":
        return 1 - 2 * shared / (int(p.sum()) + int(q.sum()))
    if kind == "ruzicka":
        return 1 - float(np.minimum(a, b).sum() / np.maximum(a, b).sum())
    if kind == "canberra":
        return float(np.mean([abs(u - v) / (u + v) for u, v in zip(a, b, strict=True) if u + v > 0]))
    if kind == "hellinger":
        return float(np.sqrt(((np.sqrt(a / a.sum()) - np.sqrt(b / b.sum())) ** 2).sum()))
    if kind == "chord":
        return float(np.sqrt(2 - 2 * (a @ b) / np.sqrt((a @ a) * (b @ b))))
    if kind == "gower":
        size = np.ptp(x, axis=0)
        return float((np.abs(a - b) / size).mean())
    return float(np.abs(a - b).sum() if kind == "manhattan" else np.sqrt(((a - b) ** 2).sum()))


@pytest.mark.parametrize("kind", KINDS)
def test_dissimilarities_by_their_formulas(kind: Unlike) -> None:
    x = counts()
    d = unlike(x, kind)
    told = [by_hand(x[i], x[j], kind, x) for i, j in combinations(range(len(x)), 2)]
    assert np.allclose(d, told, atol=1e-12)
    if kind in BOUNDED:
        assert d.min() >= 0 and d.max() <= 1


def test_transformations_and_standards() -> None:
    x = counts()
    assert np.allclose(transformed(x, "fourth_root") ** 4, x) and np.allclose(transformed(x, "sqrt") ** 2, x)
    assert set(np.unique(transformed(x, "presence"))) <= {0.0, 1.0}
    assert np.allclose(np.expm1(transformed(x, "log1p")), x)
    assert np.allclose(standardised(x, ["sample"]).sum(axis=1), 1)
    both = standardised(x, ["taxon_max", "sample"])
    assert np.allclose(both.sum(axis=1), 1) and not np.allclose(both, standardised(x, ["sample", "taxon_max"]))


def test_permanova_of_one_euclidean_variable_is_the_classical_f() -> None:
    y = np.random.default_rng(3).normal(size=30)
    codes = np.repeat([0, 1, 2], [8, 10, 12])
    d = unlike(y[:, None] + 20, "euclidean")
    parts = permanova(Spaced.of(d), codes, 3)
    assert parts.f == pytest.approx(f_oneway(*(y[codes == g] for g in range(3))).statistic)
    assert parts.between + parts.within == pytest.approx(((y - y.mean()) ** 2).sum())


def test_permanova_squares_are_sums_of_squared_dissimilarities() -> None:
    x, codes = counts(), np.repeat([0, 1], [5, 7])
    square = squareform(unlike(x, "bray_curtis"))
    parts = permanova(Spaced.of(unlike(x, "bray_curtis")), codes, 2)
    inside = sum((square[np.ix_(codes == g, codes == g)] ** 2).sum() / 2 / (codes == g).sum() for g in (0, 1))
    assert parts.within == pytest.approx(inside)
    assert parts.between + parts.within == pytest.approx((square**2).sum() / 2 / 12)


def test_anosim_is_its_formula() -> None:
    x, codes = counts(), np.repeat([0, 1], [5, 7])
    d = unlike(x, "bray_curtis")
    ranks = np.array([(d < v - 1e-12).sum() + ((np.abs(d - v) <= 1e-12).sum() + 1) / 2 for v in d])
    pairs = list(combinations(range(12), 2))
    same = np.array([codes[i] == codes[j] for i, j in pairs])
    r = (ranks[~same].mean() - ranks[same].mean()) / (len(pairs) / 2)
    assert float(Ranked.of(d).r(codes[None, :])[0]) == pytest.approx(r)


def test_every_exchange_listed_gives_the_p_that_draws_come_to() -> None:
    x, codes = counts(6), np.array([0, 0, 0, 1, 1, 1])
    spaced = Spaced.of(unlike(x, "bray_curtis"))
    seen = permanova(spaced, codes, 2).f
    every = np.array(sorted(set(permutations(codes.tolist()))))
    b = between_of(spaced, every, 2)
    f = b / ((spaced.total - b) / 4)
    exact = float((f >= seen - 1e-9).mean())
    drawn = draws_of_f(spaced, codes, 2, None)(np.random.default_rng(1), 20_000)
    assert float((drawn >= seen - 1e-9).mean()) == pytest.approx(exact, abs=0.015)


def test_exchanges_keep_within_blocks() -> None:
    codes, blocks = np.array([0, 1, 2, 0, 1, 2, 0, 0]), np.array([0, 0, 0, 1, 1, 1, 2, 2])
    made = shuffles(np.random.default_rng(1), codes, blocks, 200)
    for b in range(3):
        assert (np.sort(made[:, blocks == b], axis=1) == np.sort(codes[blocks == b])).all()
    assert (made[:, 6:] == 0).all() and len(np.unique(made, axis=0)) > 20


@pytest.mark.parametrize("about", ["centroid", "median"])
def test_distances_to_the_middle_of_euclidean_samples(about: str) -> None:
    x, codes = np.random.default_rng(5).normal(size=(20, 3)), np.repeat([0, 1], 10)
    away = distances_to_middle(Spaced.of(unlike(x, "euclidean")), codes, 2, about)
    for g in (0, 1):
        own = x[codes == g]
        middle = own.mean(axis=0)
        if about == "median":
            for _ in range(2000):
                w = 1 / np.sqrt(((own - middle) ** 2).sum(axis=1))
                middle = w @ own / w.sum()
        assert np.allclose(away[codes == g], np.sqrt(((own - middle) ** 2).sum(axis=1)), atol=1e-5)
    assert float(f_of(away[None, :], codes, 2)[0]) == pytest.approx(f_oneway(away[:10], away[10:]).statistic)
    draws = draws_of_spread(away, codes, 2, None)(np.random.default_rng(1), 300)
    assert np.isfinite(draws).all()


@pytest.mark.parametrize("kind", ["bray_curtis", "sorensen", "manhattan"])
def test_contributions_add_up_to_the_mean_dissimilarity(kind: Any) -> None:
    x = counts()
    a, b = x[:5], x[5:]
    s = between(a, b, kind)
    square = squareform(unlike(x, kind))
    assert s.whole == pytest.approx(square[:5, 5:].mean()) and s.pairs == 35
    assert s.part.sum() == pytest.approx(1)
    each = np.array([np.abs(u - v) / (1 if kind == "manhattan" else (u + v).sum()) for u in a for v in b])
    if kind != "sorensen":
        assert np.allclose(s.mean, each.mean(axis=0)) and np.allclose(s.sd, each.std(axis=0, ddof=1))
    assert within(a, kind) == pytest.approx(squareform(square[:5, :5]).mean())


# -- answers ---------------------------------------------------------------------------------------------------------


def community(**more: Any) -> Any:
    x = counts(12, 6)
    return table_from(site=["a"] * 6 + ["b"] * 6, **{f"t{j}": x[:, j] for j in range(6)}, **more)


TAXA = [f"t{j}" for j in range(6)]


def check(a: Answer, key: str) -> Any:
    return next(c for c in a.checks if c.id == key)


def test_the_demo_genres_differ_by_site_as_made() -> None:
    genres = [c.name for c in ALL["Genre loans"].columns if c.name.startswith("genre")]
    a = answer("community_test", ALL["Genre loans"], {"taxa": genres, "groups": "site"})
    assert a.facts["permanova.p"] == 0.001 and a.facts["dispersion.p"] > 0.05
    assert a.headline.startswith("Communities differ between harbour and hill (site)")
    b = answer("contributions", ALL["Genre loans"], {"taxa": genres, "groups": "site"})
    assert b.facts["harbour - hill.dissimilarity"] > max(b.facts["harbour.within"], b.facts["hill.within"])
    table: Any = next(x for x in b.blocks if x.id == "taxa_1")
    assert sum(r["contribution"].v for r in table.rows) == pytest.approx(b.facts["harbour - hill.dissimilarity"])
    k = len(table.marked)
    assert table.rows[k - 1]["running"].v >= 0.7 > table.rows[k - 2]["running"].v


def test_unequal_spread_is_told_beside_the_test() -> None:
    rng = np.random.default_rng(7)
    calm, wild = rng.poisson(20, (15, 8)), rng.poisson(rng.gamma(0.4, 50, (15, 8)))
    x = np.vstack([calm, wild]).astype(float)
    x[:, 0] += 1
    t = table_from(site=["calm"] * 15 + ["wild"] * 15, **{f"t{j}": x[:, j] for j in range(8)})
    a = answer("community_test", t, {"taxa": [f"t{j}" for j in range(8)], "groups": "site"})
    assert "They scatter unequally as well" in a.headline and check(a, "spread").verdict == Verdict.doubtful


def test_pairs_are_adjusted_and_alone() -> None:
    x = counts(15, 6, seed=4)
    t = table_from(site=[*"aaaaabbbbbccccc"], **{f"t{j}": x[:, j] for j in range(6)})
    a = answer("community_test", t, {"taxa": TAXA, "groups": "site"})
    pairs: Any = next(b for b in a.blocks if b.id == "pairs")
    ps, adjusted = [r["p"].v for r in pairs.rows], [r["p_adjusted"].v for r in pairs.rows]
    order = np.argsort(ps)
    expected = np.minimum(np.maximum.accumulate(np.array(ps)[order] * [3, 2, 1]), 1)
    assert np.allclose(np.array(adjusted)[order], expected)
    alone = answer("community_test", t, {"taxa": TAXA, "groups": "site", "where": 'site != "c"'})
    assert alone.facts["permanova.f"] == pytest.approx(a.facts["a - b.f"])


def test_empty_taxa_and_samples_are_left_out_and_listed() -> None:
    x = np.vstack([counts(10, 5), np.zeros((2, 5))])
    x[:, 3] = 0
    t = table_from(site=[*"aaaaabbbbbab"], **{f"t{j}": x[:, j] for j in range(5)})
    a = answer("contributions", t, {"taxa": [f"t{j}" for j in range(5)], "groups": "site"})
    told: Any = next(b for b in a.blocks if b.id == "left_out")
    assert "t3" in told.text and "rows 11 and 12" in told.text and a.rows.used == 10


def test_heavy_taxa_ask_for_roots() -> None:
    x = counts(12, 30, seed=9)
    x[:, 0] = 5000
    t = table_from(site=["a"] * 6 + ["b"] * 6, **{f"t{j}": x[:, j] for j in range(30)})
    spec = {"taxa": [f"t{j}" for j in range(30)], "groups": "site"}
    a = answer("community_test", t, spec)
    leading = check(a, "leading")
    assert leading.verdict == Verdict.doubtful and "t0 holds" in leading.text
    after = answer("community_test", t, spec | leading.remedies[1].spec)
    assert check(after, "leading").verdict == Verdict.holds


@pytest.mark.parametrize(
    ("method", "change", "spec", "said"),
    [
        ("community_test", {"t1": [-2.0, *[1.0] * 11]}, {}, "t1 is below 0 in row 1"),
        ("contributions", {}, {"taxa": ["t0"]}, "two taxa at least"),
        ("contributions", {"site": ["a"] * 12}, {}, "site has one level"),
        ("community_test", {"site": [f"s{i}" for i in range(12)]}, {}, "has one sample"),
        (
            "community_test",
            {"night": ["x"] * 6 + ["y"] * 6},
            {"block": "night"},
            "nothing can be exchanged within blocks",
        ),
        ("contributions", {}, {"pairs": [["a", "q"]]}, "q is no group"),
        ("contributions", {}, {"taxa": ["t0", "t0"]}, "t0 is chosen twice"),
    ],
)
def test_refusals(method: str, change: dict[str, Any], spec: dict[str, Any], said: str) -> None:
    x = counts(12, 6)
    columns: dict[str, Any] = {"site": ["a"] * 6 + ["b"] * 6, **{f"t{j}": x[:, j] for j in range(6)}, **change}
    with pytest.raises(DataProblem) as e:
        answer(method, table_from(**columns), {"taxa": TAXA, "groups": "site", **spec})
    assert said in str(e.value)


def test_a_group_of_one_sample_has_no_spread_and_is_told() -> None:
    x = counts(9, 6)
    t = table_from(site=[*"aaaabbbbc"], **{f"t{j}": x[:, j] for j in range(6)})
    a = answer("community_test", t, {"taxa": TAXA, "groups": "site"})
    groups: Any = next(b for b in a.blocks if b.id == "groups")
    assert groups.rows[2]["inside"].v is None and groups.rows[2]["inside"].why == "one sample"
    assert check(a, "sizes").verdict == Verdict.doubtful


# -- diversity -------------------------------------------------------------------------------------------------------


def test_diversity_by_its_formulas_and_chao_by_hand() -> None:
    x = np.array([[10, 5, 1, 1, 2, 0], [4, 4, 4, 4, 4, 4], [9, 0, 0, 0, 0, 0]], float)
    d = diversity(x)
    p = x[0] / 19
    p = p[p > 0]
    assert d.shannon[0] == pytest.approx(-(p * np.log(p)).sum()) and d.simpson[0] == pytest.approx(1 - (p**2).sum())
    assert d.evenness[1] == pytest.approx(1) and d.inverse[1] == pytest.approx(6) and np.isnan(d.evenness[2])
    # two taxa stand once, one twice: 5 + 2·1/(2·2)
    assert d.chao1[0] == pytest.approx(5.5)
    assert np.isnan(diversity(x + 0.5).chao1).all()


def test_taxa_in_smaller_samples_are_those_of_draws() -> None:
    counts_of = np.array([12.0, 6, 3, 1, 1, 0, 2])
    all_of_them = np.repeat(np.arange(7), counts_of.astype(int))
    rng = np.random.default_rng(1)
    for m in (1, 5, 15, 25):
        seen = [len(set(rng.choice(all_of_them, m, replace=False))) for _ in range(4000)]
        assert rarefied(counts_of, np.array([m]))[0] == pytest.approx(np.mean(seen), abs=0.06)
    assert rarefied(counts_of, np.array([25]))[0] == pytest.approx(6)
    rows = rng.poisson(rng.gamma(1, 5, (40, 7))).astype(float) + counts_of
    one_by_one = [rarefied(row, np.array([21.0]))[0] for row in rows]
    np.testing.assert_allclose(in_equal(rows, 21.0), one_by_one, rtol=1e-12)


def test_many_samples_say_which_are_shown_and_more_than_can_be_compared_are_refused() -> None:
    genres = [c.name for c in ALL["Genre loans"].columns if c.name.startswith("genre")]
    small = ALL["Genre loans"]
    many = small.take(np.arange(10_100) % small.n_rows)
    spec = {"taxa": genres, "groups": "site"}
    a = answer("diversity", many, spec)
    each: Any = next(b for b in a.blocks if b.id == "samples")
    assert len(each.rows) == LINES and each.note.endswith("The first 2000 of 10\u2009100 lines.")
    assert a.facts["shannon.mean"] == pytest.approx(answer("diversity", small, spec).facts["shannon.mean"], rel=0.02)
    with pytest.raises(DataProblem, match="10\u2009100 samples are too many at once; 10\u2009000 is the most"):
        answer("contributions", many, spec)


def test_chao_is_near_the_truth_where_taxa_are_alike_common() -> None:
    rng = np.random.default_rng(2)
    x = rng.multinomial(200, np.full(80, 1 / 80), size=300).astype(float)
    chao, se = chao1(x)
    assert chao.mean() == pytest.approx(80, abs=1.5)
    assert np.median(se) == pytest.approx(chao.std(), rel=0.3)


def test_diversity_answers_with_columns_for_the_usual_comparisons() -> None:
    genres = [c.name for c in ALL["Genre loans"].columns if c.name.startswith("genre")]
    spec = {"taxa": genres, "groups": "site"}
    a = answer("diversity", ALL["Genre loans"], spec)
    made = {c.name: np.asarray(v, float) for c, v in new_columns(ALL["Genre loans"], "diversity", spec)}
    site = np.array(ALL["Genre loans"].codes("site").codes)
    own = ALL["Genre loans"].codes("site").levels.index("hill")
    assert a.facts["hill.shannon"] == pytest.approx(made["Shannon"][site == own].mean())
    assert check(a, "sizes").verdict in (Verdict.doubtful, Verdict.holds)
    with pytest.raises(DataProblem, match="transform"):
        answer("diversity", ALL["Genre loans"], spec | {"transform": "sqrt"})


# -- clusters --------------------------------------------------------------------------------------------------------


def blobs(seed: int = 3) -> tuple[Any, Any]:
    """Three groups of ten in two columns, far apart."""
    rng = np.random.default_rng(seed)
    truth = np.repeat([0, 1, 2], 10)
    return rng.normal(0, 1, (30, 2)) + np.array([[0, 0], [12, 0], [0, 12]])[truth], truth


@pytest.mark.parametrize("how", ["average", "complete", "single", "ward"])
def test_joins_by_hand(how: Any) -> None:
    """Step by step from the definition, on ten points."""
    x = np.random.default_rng(8).normal(size=(10, 2))
    square = squareform(unlike(x, "euclidean"))
    tree = joined(unlike(x, "euclidean"), how)
    sets: list[list[int]] = [[i] for i in range(10)]
    heights = []

    def apart(a: list[int], b: list[int]) -> float:
        pairs = square[np.ix_(a, b)]
        if how == "ward":
            gap = ((x[a].mean(axis=0) - x[b].mean(axis=0)) ** 2).sum()
            return float(np.sqrt(2 * len(a) * len(b) / (len(a) + len(b)) * gap))
        return float({"average": pairs.mean(), "complete": pairs.max(), "single": pairs.min()}[how])

    while len(sets) > 1:
        value, i, j = min((apart(a, b), i, j) for (i, a), (j, b) in combinations(enumerate(sets), 2))
        heights.append(value)
        sets[i] = sets[i] + sets.pop(j)
    assert np.allclose(tree.merges[:, 2], heights)
    assert tree.order.tolist() != [] and sorted(tree.order.tolist()) == list(range(10))


def test_cuts_silhouettes_and_cophenetic() -> None:
    x, truth = blobs()
    d = unlike(x, "euclidean")
    tree, square = joined(d, "average"), squareform(d)
    assert (tree.at(3) == truth).all() and (tree.below(tree.between(3)) == truth).all()
    for k in (1, 2, 5, 29):
        assert int(tree.below(tree.between(k)).max()) + 1 == k
    for i, width in enumerate(silhouettes(square, truth)):
        means = [square[i, (truth == g) & (np.arange(30) != i)].mean() for g in range(3)]
        own, other = means[truth[i]], min(means[g] for g in range(3) if g != truth[i])
        assert width == pytest.approx((other - own) / max(other, own))
    heights = np.zeros((30, 30))
    members: dict[int, list[int]] = {i: [i] for i in range(30)}
    for i, m in enumerate(tree.merges):
        a, b = members[int(m[0])], members[int(m[1])]
        heights[np.ix_(a, b)] = m[2]
        members[30 + i] = a + b
    r = np.corrcoef(squareform(heights + heights.T), d)[0, 1]
    assert tree.cophenetic == pytest.approx(r)


def test_clusters_about_means_are_the_least_of_the_library() -> None:
    x, truth = blobs()
    m = about_means(x, 3, 20, 1)
    assert (m.codes == truth).all() and m.found > 1
    tries = [kmeans2(x, 4, minit="++", seed=s) for s in range(50)]
    theirs = min(float(((x - c[codes]) ** 2).sum()) for c, codes in tries)
    own = about_means(x, 4, 50, 1)
    assert own.within.sum() <= theirs * (1 + 1e-9)
    assert own.within.sum() + sum(
        (own.codes == g).sum() * ((own.centres[g] - x.mean(axis=0)) ** 2).sum() for g in range(4)
    ) == pytest.approx(own.total)
    assert np.array_equal(about_means(x, 4, 10, 2).codes, about_means(x, 4, 10, 2).codes)


def test_the_number_of_clusters_is_by_silhouettes_and_cut_by_a_line() -> None:
    x, truth = blobs()
    t = table_from(who=[f"p{i}" for i in range(30)], a=x[:, 0] * 1000, b=x[:, 1])
    a = answer("clustering", t, {"columns": ["a", "b"]})
    assert a.facts["clusters"] == 3 and "clearly apart" in a.headline
    cut = answer("clustering", t, {"columns": ["a", "b"], "height": float(a.facts["height"]) / 8})
    assert cut.facts["clusters"] > 3
    means = answer("clustering", t, {"columns": ["a", "b"], "kind": "kmeans"})
    assert means.facts["clusters"] == 3
    (column, values) = new_columns(t, "clustering", {"columns": ["a", "b"]})[0]
    assert column.name == "cluster" and [int(v) - 1 for v in values.to_pylist()] == truth.tolist()
    merges: Any = next(b for b in a.blocks if b.id == "merges")
    assert len(merges.rows) == 29 and merges.rows[-1]["n"].v == 30


def test_ward_of_dissimilarities_that_are_not_euclidean_is_told() -> None:
    genres = [c.name for c in ALL["Genre loans"].columns if c.name.startswith("genre")]
    a = answer("clustering", ALL["Genre loans"], {"taxa": genres, "linkage": "ward"})
    told = check(a, "cophenetic")
    assert told.verdict == Verdict.doubtful and told.remedies[0].spec["dissimilarity"] == "hellinger"
    b = answer("clustering", ALL["Genre loans"], {"taxa": genres, "transform": "sqrt"})
    site = np.array(ALL["Genre loans"].codes("site").codes)
    made: Any = new_columns(ALL["Genre loans"], "clustering", {"taxa": genres, "transform": "sqrt", "k": 2})[0][1]
    codes = np.array([int(v) for v in made.to_pylist()])
    assert b.facts["clusters"] >= 2 and len({(int(s), int(c)) for s, c in zip(site, codes, strict=True)}) <= 3


@pytest.mark.parametrize(
    ("spec", "said"),
    [
        ({"columns": ["a", "flat"]}, "flat is the same in every row"),
        ({"columns": ["a", "b"], "k": 40}, "40 clusters of 30 samples"),
    ],
)
def test_refusals_of_clusters(spec: dict[str, Any], said: str) -> None:
    x, _ = blobs()
    with pytest.raises(DataProblem) as e:
        answer("clustering", table_from(a=x[:, 0], b=x[:, 1], flat=[2.0] * 30), spec)
    assert said in str(e.value)


# -- ordination ------------------------------------------------------------------------------------------------------


def stress_by_hand(d: Any, points: Any) -> float:
    """Stress-1, primary ties: blocks of pairs pooled until fitted distances rise."""
    dist = unlike(points, "euclidean")
    order = np.lexsort((dist, np.round(d, 12)))
    blocks: list[list[float]] = []
    for v in dist[order]:
        blocks.append([float(v), 1.0])
        while len(blocks) > 1 and blocks[-2][0] >= blocks[-1][0]:
            (a, m), (b, n) = blocks[-2], blocks.pop()
            blocks[-1] = [(a * m + b * n) / (m + n), m + n]
    fitted = np.concatenate([[v] * int(n) for v, n in blocks])
    return float(np.sqrt(((dist[order] - fitted) ** 2).sum() / (dist**2).sum()))


def test_stress_by_a_second_route_and_found_from_other_seeds() -> None:
    along = np.linspace(0, 4, 20)[:, None] - np.linspace(0, 4, 15)
    x = np.random.default_rng(6).poisson(30 * np.exp(-(along**2))).astype(float)
    d = unlike(x, "bray_curtis")
    one, other = nonmetric(d, 20, 2, 30, 1), nonmetric(d, 20, 2, 30, 99)
    assert one.stress == pytest.approx(stress_by_hand(d, one.points), abs=1e-9)
    assert other.stress == pytest.approx(one.stress, rel=2e-3)
    assert one.stress <= one.every.min() + 1e-12 and len(one.every) == 30
    assert one.distances.mean() == pytest.approx(d.mean())
    a, b, gap = procrustes(one.points, other.points)
    assert gap < 0.02 and np.corrcoef(a.ravel(), b.ravel())[0, 1] > 0.98


def test_the_slope_of_stress_is_that_of_differences() -> None:
    d = unlike(counts(12, 8), "bray_curtis")
    pairs = _Pairs(d, 12)
    x = np.random.default_rng(2).normal(size=24)
    _, slope = pairs.stress(x, 2)
    h = 1e-6
    rough = [(pairs.stress(x + h * e, 2)[0] - pairs.stress(x - h * e, 2)[0]) / (2 * h) for e in np.eye(24)]
    assert np.allclose(slope, rough, atol=1e-6)


def test_points_of_a_plane_come_back() -> None:
    points = np.random.default_rng(4).normal(size=(25, 2))
    d = unlike(points, "euclidean")
    assert np.allclose(unlike(coordinates(d).points, "euclidean"), d)
    assert coordinates(d).negative == 0 and len(coordinates(d).values) == 2
    assert np.allclose(np.abs(coordinates(d).points), np.abs(components(points).points), atol=1e-9)
    assert components(points).values.sum() == pytest.approx(points.var(axis=0, ddof=1).sum())
    assert nonmetric(d, 25, 2, 5, 1).stress < 1e-3


def test_eigenvalues_below_zero_are_told() -> None:
    d = np.array([1.0, 1, 1, 3, 3, 3.0])  # no triangle holds
    made = coordinates(d)
    a = -0.5 * squareform(d) ** 2
    j = np.eye(4) - 0.25
    assert made.values.sum() + made.negative == pytest.approx(np.trace(j @ a @ j)) and made.negative < 0


def test_pictures_lie_the_same_way_up() -> None:
    points = np.random.default_rng(5).gamma(1.0, size=(30, 2))
    turn = np.array([[0.6, -0.8], [0.8, 0.6]])
    for moved in (points @ turn, points @ np.diag([-1, 1]), points + 7):
        assert np.allclose(upright(moved), upright(points))


def test_arrows_are_regressions_on_both_axes() -> None:
    rng = np.random.default_rng(6)
    points, z = rng.normal(size=(40, 2)), rng.normal(size=40)
    z = z + points[:, 0] * 2
    made = arrow(points, z * 1000 + 5)
    x = np.column_stack([np.ones(40), points])
    left = z - x @ np.linalg.lstsq(x, z, rcond=None)[0]
    assert made.r2 == pytest.approx(1 - left @ left / ((z - z.mean()) ** 2).sum())
    assert np.allclose(made.correlations, [np.corrcoef(points[:, k], z)[0, 1] for k in (0, 1)])
    assert np.hypot(*made.ends) == pytest.approx(np.sqrt(made.r2)) and made.ends[0] > 0
    draws = draws_of_r2(points, rng.normal(size=40))(np.random.default_rng(1), 4000)
    assert draws.mean() == pytest.approx(2 / 39, abs=0.004)


@pytest.mark.parametrize("kind", ["nonmetric", "principal_coordinates", "principal_components"])
def test_ordination_answers_in_every_kind(kind: str) -> None:
    genres = [c.name for c in ALL["Genre loans"].columns if c.name.startswith("genre")]
    spec = {"taxa": genres, "groups": "site", "transform": "sqrt", "kind": kind, "environment": ["damp", "age"]}
    a = answer("ordination", ALL["Genre loans"], spec)
    assert a.facts["damp.p"] < 0.01 < a.facts["age.p"] and "Damp grows" in a.headline
    told: Any = next(b for b in a.blocks if b.id == "arrows")
    assert told.rows[1]["said"].v == "no evidence that age goes along with the picture"
    made = {c.name: np.asarray(v, float) for c, v in new_columns(ALL["Genre loans"], "ordination", spec)}
    site = np.array(ALL["Genre loans"].codes("site").codes)
    assert abs(np.corrcoef(made["axis 1"], site)[0, 1]) > 0.9


@pytest.mark.parametrize(
    ("spec", "said"),
    [
        ({"environment": ["same"]}, "same is the same in every sample"),
        ({"environment": ["t1"]}, "t1 cannot be a taxon and the environment"),
        ({"axes": [1, 1]}, "Axis 1 is chosen twice"),
        ({"axes": [1, 3]}, "There is no axis 3"),
    ],
)
def test_refusals_of_ordinations(spec: dict[str, Any], said: str) -> None:
    with pytest.raises(DataProblem) as e:
        answer("ordination", community(same=[3.0] * 12), {"taxa": TAXA, **spec})
    assert said in str(e.value)


@pytest.mark.parametrize(
    ("codes", "blocks"),
    [
        ([0, 0, 0, 1, 1, 1], None),
        ([0, 0, 1, 1, 2, 2, 2], None),
        ([0, 1, 0, 1, 2, 0], [0, 0, 1, 1, 1, 1]),
        ([0, 0, 1, 1, 1], [0, 0, 1, 1, 1]),
    ],
)
def test_ways_to_exchange_groups_are_counted(codes: list[int], blocks: list[int] | None) -> None:
    """Against a list of them all: labels are exchanged within blocks alone."""
    where = blocks or [0] * len(codes)
    listed = {
        order
        for order in set(permutations(codes))
        if all(
            sorted(c for c, b in zip(order, where, strict=True) if b == block)
            == sorted(c for c, b in zip(codes, where, strict=True) if b == block)
            for block in set(where)
        )
    }
    found = _ways(np.array(codes), None if blocks is None else np.array(blocks), max(codes) + 1)
    assert found == len(listed)


def test_few_ways_to_exchange_are_told() -> None:
    table = table_from(g=["a", "a", "a", "b", "b", "b"], s1=[1, 2, 1, 9, 8, 9], s2=[5, 4, 6, 1, 0, 2])
    found = answer("community_test", table, {"taxa": ["s1", "s2"], "groups": "g"})
    check = next(c for c in found.checks if c.id == "ways")
    assert check.verdict is Verdict.doubtful and "There are 20 ways to exchange groups" in check.text
