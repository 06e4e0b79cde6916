"""Survey estimates: closed forms of simple samples, direct loops over replicates, and identities of joined waves."""

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from scipy.special import expit
from scipy.stats import chi2_contingency, norm
from scipy.stats import t as t_law

from tests.tables import survey_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats.surveys.designs import Replicated, Stratified, multipliers, slopes
from yavik.core.stats.surveys.estimates import (
    interval,
    means,
    quantile,
    ratios,
    share_interval,
    totals,
    wald,
    weighted_quantile,
)
from yavik.core.stats.surveys.models import Runaway, weighted_fit
from yavik.core.stats.surveys.tables import crossed, rao_scott
from yavik.core.table import DataProblem


def one(n: int) -> Any:
    return np.ones((n, 1))


def leaving_one_out(w: Any) -> Any:
    n = len(w)
    return np.where(np.eye(n) > 0, 0.0, w[:, None] * n / (n - 1))


def simple(n: int, w: Any | None = None) -> Stratified:
    return Stratified(np.ones(n) if w is None else w, np.zeros(n, int), np.arange(n), np.zeros(1))


def test_a_simple_sample_gives_the_textbook() -> None:
    y = np.random.default_rng(1).gamma(2, 3, 40)
    made = means(simple(40), y[:, None], one(40))
    assert made.se[0] ** 2 == pytest.approx(y.var(ddof=1) / 40)
    assert made.values[0] == pytest.approx(y.mean()) and made.effect[0] == pytest.approx(1.0)
    # the jackknife of single rows gives the same
    w = np.ones(40)
    jk = Replicated(w, leaving_one_out(w), multipliers("jk1", leaving_one_out(w), w))
    again = means(jk, y[:, None], one(40))
    assert again.se[0] == pytest.approx(made.se[0]) and again.effect[0] == pytest.approx(1.0)
    assert jk.df() == 39 and simple(40).df() == 39
    assert totals(simple(40), y[:, None], one(40)).se[0] ** 2 == pytest.approx(40 * y.var(ddof=1))


def test_strata_clusters_and_finite_populations_by_hand() -> None:
    rng = np.random.default_rng(2)
    strata = np.repeat([0, 1, 2], [6, 8, 4])
    sizes = np.array([60, 100, 20])
    w = (sizes / np.bincount(strata))[strata]
    y = rng.normal(10, 3, 18) + strata
    d = Stratified(w, strata, np.arange(18), np.bincount(strata) / sizes)
    made = means(d, y[:, None], one(18))
    parts = [
        (sizes[h] / 180) ** 2 * (1 - 1 / w[strata == h][0]) * y[strata == h].var(ddof=1) / (strata == h).sum()
        for h in range(3)
    ]
    assert made.values[0] == pytest.approx(sum(sizes[h] / 180 * y[strata == h].mean() for h in range(3)))
    assert made.se[0] ** 2 == pytest.approx(sum(parts)) and d.df() == 15
    # clusters: the variance of weighted cluster totals of what is left of the ratio
    clusters = np.array([0, 0, 1, 1, 2, 2, 3, 3, 3, 4, 4, 5, 5, 5, 6, 6, 7, 7])
    d = Stratified(w, strata, clusters, np.zeros(3))
    made = means(d, y[:, None], one(18))
    left = w * (y - made.values[0]) / w.sum()
    total = 0.0
    for h in range(3):
        own = [left[clusters == c].sum() for c in np.unique(clusters[strata == h])]
        total += len(own) * np.var(own, ddof=1)
    assert made.se[0] ** 2 == pytest.approx(total) and d.df() == 8 - 3


@pytest.mark.parametrize("kind", ["jk1", "jk2", "jkn", "brr", "fay", "bootstrap", "successive"])
def test_replicates_by_a_direct_loop(kind: Any) -> None:
    rng = np.random.default_rng(3)
    n, r = 90, 12
    w = rng.gamma(4, 1, n)
    reps = w[:, None] * np.where(rng.random((n, r)) < 0.2, 0.0, 1.25)
    scales = multipliers(kind, reps, w, 0.3)
    d = Replicated(w, reps, scales, kind)
    y, x = rng.normal(5, 2, n), rng.gamma(3, 1, n)
    used = (rng.random(n) < 0.6).astype(float)

    def by_hand(of: Any) -> float:
        whole = of(w)
        return float(sum(scales[k] * (of(reps[:, k]) - whole) ** 2 for k in range(r)))

    mean = means(d, y[:, None], used[:, None])
    assert mean.se[0] ** 2 == pytest.approx(by_hand(lambda v: (v * used * y).sum() / (v * used).sum()))
    total = totals(d, y[:, None], used[:, None])
    assert total.se[0] ** 2 == pytest.approx(by_hand(lambda v: (v * used * y).sum()))
    ratio = ratios(d, y, x, used[:, None])
    assert ratio.se[0] ** 2 == pytest.approx(by_hand(lambda v: (v * used * y).sum() / (v * used * x).sum()))
    # a subgroup is the same as weights of zero outside it
    gone = Replicated(w * used, reps * used[:, None], scales, kind)
    assert means(gone, y[:, None], used[:, None]).se[0] == pytest.approx(mean.se[0])


def test_usual_multipliers() -> None:
    w = np.ones(8)
    assert multipliers("jk1", leaving_one_out(w), w) == pytest.approx(np.full(8, 7 / 8))
    assert multipliers("fay", np.ones((8, 4)), w, 0.5) == pytest.approx(np.ones(4))
    # jkn: strata of 3 and 5 rows, each row left out in turn
    strata = np.repeat([0, 1], [3, 5])
    reps = np.tile(w[:, None], 8)
    for k in range(8):
        own = strata == strata[k]
        reps[own, k] = own.sum() / (own.sum() - 1)
        reps[k, k] = 0.0
    scales = multipliers("jkn", reps, w)
    assert scales == pytest.approx([2 / 3] * 3 + [4 / 5] * 5)
    y = np.random.default_rng(4).normal(size=8)
    jk = means(Replicated(w, reps, scales, "jkn"), y[:, None], one(8))
    taylor = means(Stratified(w, strata, np.arange(8), np.zeros(2)), y[:, None], one(8))
    # linear in the weights of each stratum, whose sums are kept
    assert jk.se[0] == pytest.approx(taylor.se[0])


def test_balanced_halves_give_the_variance_of_pairs() -> None:
    from scipy.linalg import hadamard

    rng = np.random.default_rng(5)
    strata = np.repeat(np.arange(7), 2)
    w, y = np.ones(14), rng.normal(size=14)
    signs = hadamard(8)[:, 1:8]
    for kind, keep, fay in (("brr", 2.0, 0.0), ("fay", 1.6, 0.4)):
        reps = np.stack(
            [np.where((np.arange(14) % 2 == 0) == (signs[k][strata] > 0), keep, 2 - keep) for k in range(8)], axis=1
        )
        made = totals(Replicated(w, reps, multipliers(kind, reps, w, fay), kind), y[:, None], one(14))  # type: ignore[arg-type]
        assert made.se[0] ** 2 == pytest.approx(sum((y[2 * h] - y[2 * h + 1]) ** 2 for h in range(7)))


def test_the_difference_of_two_joined_waves_has_the_sum_of_their_variances() -> None:
    rng = np.random.default_rng(6)
    sizes, r = (70, 90), 10
    parts = []
    for n in sizes:
        w = rng.gamma(5, 1, n)
        group = rng.permutation(n) % r
        reps = np.where(group[:, None] == np.arange(r), 0.0, w[:, None] * r / (r - 1))
        parts.append((w, reps, rng.normal(size=n)))
    alone = [means(Replicated(w, reps, multipliers("jk1", reps, w)), y[:, None], one(len(y))) for w, reps, y in parts]
    full = np.concatenate([p[0] for p in parts])
    block = np.tile(full[:, None], 2 * r)
    block[:70, :r], block[70:, r:] = parts[0][1], parts[1][1]
    joined = Replicated(full, block, np.full(2 * r, (r - 1) / r), "jk1", 2)
    y = np.concatenate([p[2] for p in parts])
    wave = np.repeat([0, 1], sizes)
    both = means(joined, np.column_stack([y, y]), (wave[:, None] == [0, 1]).astype(float))
    assert both.se == pytest.approx([a.se[0] for a in alone])
    assert both.covariance[0, 1] == pytest.approx(0, abs=1e-12)
    assert joined.df() == 2 * (r - 1) and joined.df(wave == 0) == r - 1


def test_lone_clusters() -> None:
    rng = np.random.default_rng(7)
    strata, y = np.array([0, 0, 0, 1, 2, 2]), rng.normal(5, 1, 6)
    made = {
        how: totals(Stratified(np.ones(6), strata, np.arange(6), np.zeros(3), how), y[:, None], one(6)).se[0] ** 2  # type: ignore[arg-type]
        for how in ("centred", "certainty", "pooled")
    }
    rest = 3 * y[:3].var(ddof=1) + 2 * y[4:].var(ddof=1)
    assert made["certainty"] == pytest.approx(rest)
    assert made["centred"] == pytest.approx(rest + (y[3] - y.mean()) ** 2)
    assert made["pooled"] == pytest.approx(rest * 3 / 2)


def test_quantiles() -> None:
    y = np.array([3.0, 1.0, 2.0, 5.0])
    assert weighted_quantile(y, np.ones(4), 0.5) == 2.5
    assert weighted_quantile(y, np.array([1.0, 1.0, 1.0, 4.0]), 0.5) == 5.0
    rng = np.random.default_rng(8)
    x = rng.exponential(2, 400)
    q = quantile(simple(400), x, np.ones(400), 0.5, 0.05, 399)
    assert q.value == pytest.approx(np.median(x), abs=0.02)
    below = (x <= q.value).mean()
    reach = t_law.ppf(0.975, 399) * np.sqrt(below * (1 - below) / 399)
    assert q.low == pytest.approx(np.quantile(x, 0.5 - reach), rel=0.02)
    assert q.high == pytest.approx(np.quantile(x, 0.5 + reach), rel=0.02)


def test_intervals_of_shares_stay_within() -> None:
    low, high = share_interval(np.array([0.02, 0.5, 0.0]), np.array([0.015, 0.1, 0.0]), 50, 0.05)
    assert 0 < low[0] < 0.02 < high[0] < 0.1
    assert low[1] + high[1] == pytest.approx(1)
    assert np.isnan(low[2]) and np.isnan(high[2])
    a, b = interval(np.array([3.0]), np.array([1.0]), 20, 0.05)
    assert (b - a)[0] == pytest.approx(2 * t_law.ppf(0.975, 20))


def test_slopes_are_exact() -> None:
    at = np.array([3.0, 7.0, 2.0])
    found = slopes(lambda t: np.stack([t[0] / t[1], t[0] * t[2]]), at)
    assert found == pytest.approx(np.array([[1 / 7, -3 / 49, 0], [2, 0, 3]]), rel=1e-14)


def test_a_wald_test_of_one_value_is_its_t() -> None:
    w = wald(np.array([1.2]), np.array([[0.25]]), 30)
    assert w.f == pytest.approx((1.2 / 0.5) ** 2) and w.p == pytest.approx(2 * t_law.sf(2.4, 30))
    assert np.isnan(wald(np.ones(2), np.ones((2, 2)), 30).p)
    assert np.isnan(wald(np.ones(3), np.eye(3), 2).p)


def test_rao_and_scott_of_a_simple_sample_is_the_plain_test() -> None:
    rng = np.random.default_rng(9)
    n = 600
    a, b = rng.integers(0, 3, n), rng.integers(0, 4, n)
    c = crossed(simple(n), a, b, (3, 4), np.ones(n))
    made = rao_scott(c, n - 1)
    counts = np.zeros((3, 4))
    np.add.at(counts, (a, b), 1)
    plain = chi2_contingency(counts, correction=False)
    assert made.chi2 == pytest.approx(plain.statistic) and c.counts == pytest.approx(counts)
    # rows drawn independently: all design effects are 1, up to sampling
    assert made.effects == pytest.approx(np.ones(6), abs=0.25)
    assert made.p == pytest.approx(plain.pvalue, abs=0.03)


def test_rao_and_scott_by_a_second_route() -> None:
    """The mean of X² over draws of the table around independence is the sum of its design effects."""
    rng = np.random.default_rng(10)
    clusters = np.repeat(np.arange(60), 12)
    lean = rng.normal(size=60)[clusters]
    a = (rng.normal(size=720) + lean > 0).astype(int)
    b = np.digitize(rng.normal(size=720) + 0.8 * rng.normal(size=60)[clusters], [-0.5, 0.6])
    w = rng.gamma(4, 1, 720)
    d = Stratified(w, np.zeros(720, int), clusters, np.zeros(1))
    c = crossed(d, a, b, (2, 3), np.ones(720))
    made = rao_scott(c, d.df())
    shares, covariance = c.shares("total")
    e = np.outer(shares.sum(axis=1), shares.sum(axis=0))
    draws = rng.multivariate_normal(e.ravel(), covariance / 100, 40_000, method="eigh").reshape(-1, 2, 3)
    expected = draws.sum(axis=2)[:, :, None] * draws.sum(axis=1)[:, None, :]
    x2 = 100 * c.n * ((draws - expected) ** 2 / expected).sum(axis=(1, 2))
    assert x2.mean() == pytest.approx(made.effects.sum(), rel=0.02)
    assert x2.var() == pytest.approx(2 * (made.effects**2).sum(), rel=0.05)
    assert made.f == pytest.approx(made.first / 2) and made.effects.mean() > 1


def test_intervals_hold_in_samples_of_clusters() -> None:
    """From a population with strata and clusters, drawn again and again."""
    rng = np.random.default_rng(11)
    held = {"mean": [], "share": []}
    for _ in range(600):
        strata, clusters = np.repeat([0, 1, 2], 60), np.repeat(np.arange(18), 10)
        level = np.array([0.0, 1.0, 2.0])[strata] + rng.normal(0, 0.7, 18)[clusters]
        y = level + rng.normal(size=180)
        w = np.array([1.0, 3.0, 2.0])[strata]
        d = Stratified(w, strata, clusters, np.zeros(3))
        z = np.column_stack([y, y > 2])
        made = means(d, z, np.ones((180, 2)))
        low, high = interval(made.values, made.se, d.df(), 0.05)
        held["mean"].append(low[0] <= (0 + 3 + 4) / 6 <= high[0])
        low, high = share_interval(made.values, made.se, d.df(), 0.05)
        spread = np.sqrt(1 + 0.49)
        truth = sum(k * norm.sf(2, m, spread) for k, m in ((1, 0), (3, 1), (2, 2))) / 6
        held["share"].append(low[1] <= truth <= high[1])
    assert all(abs(np.mean(v) - 0.95) < 0.03 for v in held.values())


def survey(**columns: Any) -> Any:
    rng = np.random.default_rng(12)
    n = 120
    w = rng.gamma(4, 1, n).round(3)
    group = rng.permutation(n) % 15
    reps = {f"r{k + 1}": np.where(group == k, 0.0, w * 15 / 14).tolist() for k in range(15)}
    made = {
        "y": rng.normal(20, 4, n).round(2).tolist(), "x": rng.gamma(2, 2, n).round(2).tolist(),
        "yes": np.where(rng.random(n) < 0.4, "yes", "no").tolist(), "g": [f"g{k}" for k in rng.integers(0, 3, n)],
        "w": w.tolist(),
    }  # fmt: skip
    return table_from(**{**made, **columns}, **reps)


DESIGN = {"weight": "w", "replicates": [f"r{k + 1}" for k in range(15)], "method": "jk1"}


def test_a_condition_is_a_domain_of_the_whole_design() -> None:
    table = survey()
    asked = answer("survey_estimate", table, {"columns": ["y"], "design": DESIGN, "where": 'g == "g1"'})
    by = answer("survey_estimate", table, {"columns": ["y"], "design": DESIGN, "by": "g"})
    assert asked.facts["y.se"] == pytest.approx(by.facts["y.g1.se"])
    w, y = table.numbers("w"), table.numbers("y")
    own = np.array(table.texts("g")) == "g1"
    reps = [table.numbers(f"r{k + 1}") for k in range(15)]
    values = [float((v * own) @ y / (v * own).sum()) for v in (w, *reps)]
    assert asked.facts["y.estimate"] == pytest.approx(values[0])
    assert asked.facts["y.se"] == pytest.approx(np.sqrt(14 / 15 * sum((v - values[0]) ** 2 for v in values[1:])))
    assert asked.facts["y.unweighted"] == pytest.approx(y[own].mean()) and asked.facts["weighted_n"] == pytest.approx(
        w[own].sum()
    )


def test_a_column_far_from_zero_keeps_its_errors() -> None:
    table = survey()
    moved = survey(y=[v + 1e9 for v in table.numbers("y")])
    for spec in ({"columns": ["y"]}, {"columns": ["y"], "by": "g"}):
        a, b = (answer("survey_estimate", t, {**spec, "design": DESIGN}).facts for t in (table, moved))
        for key in a:
            if key.endswith(".se"):
                assert b[key] == pytest.approx(a[key], rel=1e-5)


def test_ratios_totals_and_shares_by_a_loop() -> None:
    table = survey()
    w, y, x = (table.numbers(c) for c in ("w", "y", "x"))
    reps = [table.numbers(f"r{k + 1}") for k in range(15)]

    def se(of: Any) -> float:
        return float(np.sqrt(14 / 15 * sum((of(v) - of(w)) ** 2 for v in reps)))

    ratio = answer("survey_estimate", table, {"columns": ["y", "x"], "statistic": "ratio", "design": DESIGN})
    assert ratio.facts["y.se"] == pytest.approx(se(lambda v: v @ y / (v @ x)))
    total = answer("survey_estimate", table, {"columns": ["y"], "statistic": "total", "design": DESIGN})
    assert total.facts["y.se"] == pytest.approx(se(lambda v: v @ y))
    yes = (np.array(table.texts("yes")) == "yes").astype(float)
    share = answer("survey_estimate", table, {"columns": ["yes"], "design": DESIGN})
    assert share.facts["yes.yes.se"] == pytest.approx(se(lambda v: v @ yes / v.sum()))
    p, e = share.facts["yes.yes.estimate"], share.facts["yes.yes.se"]
    reach = t_law.ppf(0.975, 14) * e / (p * (1 - p))
    odds = np.log(p / (1 - p))
    assert share.facts["yes.yes.low"] == pytest.approx(1 / (1 + np.exp(reach - odds)))
    compared = answer("survey_compare", table, {"response": "y", "groups": "yes", "design": DESIGN})
    assert compared.facts["yes - no.se"] == pytest.approx(
        se(lambda v: v @ (y * yes) / (v @ yes) - v @ (y * (1 - yes)) / (v @ (1 - yes)))
    )


def test_the_waves_of_the_demo() -> None:
    """What the generator made is found: 58 % and 63 % read in a week, and the errors of the waves add up."""
    tables = survey_tables()
    both = answer("survey_compare", tables["Reader survey, both waves"], {"response": "read_week", "groups": "wave"})
    assert both.facts["2025 - 2023.low"] < 0.05 < both.facts["2025 - 2023.high"]
    alone = [
        answer("survey_estimate", tables[name], {"columns": [column]}).facts[f"{column}.yes.se"]
        for name, column in (("Reader survey 2023", "read_week"), ("Reader survey 2025", "last_week_read"))
    ]
    assert both.facts["2025 - 2023.se"] ** 2 == pytest.approx(sum(v**2 for v in alone))
    assert [both.facts["2023.se"], both.facts["2025.se"]] == pytest.approx(alone)
    assert both.facts["df"] == 98


def test_what_cannot_be_weighed_is_named() -> None:
    table = survey()
    with pytest.raises(
        DataProblem, match=r"no survey design: add the step .* r1 … r15 look like 15 replicate weights"
    ):
        answer("survey_estimate", table, {"columns": ["y"]})
    for change, said in (
        ({"w": [-1.0] + [1.0] * 119}, "w is below 0 in row 1"),
        ({"w": [None] + [1.0] * 119}, "w is empty in row 1"),
    ):
        with pytest.raises(DataProblem, match=said):
            answer("survey_estimate", survey(**change), {"columns": ["y"], "design": DESIGN})
    with pytest.raises(DataProblem, match="replicate weights are the weight itself"):
        answer("survey_estimate", table, {"columns": ["y"], "design": {"weight": "w", "replicates": ["w", "w"]}})
    with pytest.raises(DataProblem, match="Every stratum has one cluster"):
        answer(
            "survey_estimate", table, {"columns": ["y"], "design": {"weight": "w", "clusters": "g", "strata": "g"}}
        )
    lone = answer("survey_estimate", table, {"columns": ["y"], "design": {"weight": "w", "strata": "y"}})
    assert next(c for c in lone.checks if c.id == "lone").verdict == "doubtful"
    same = answer("survey_estimate", survey(yes=["yes"] * 120), {"columns": ["yes"], "design": DESIGN})
    assert same.block("estimates").rows[0]["ci_low"].v is None


def test_a_question_that_forgets_the_weights_says_so() -> None:
    table = survey_tables()["Reader survey 2023"]
    plain = answer("compare_groups", table, {"response": "visits", "groups": "town"})
    check = next(c for c in plain.checks if c.id == "weighing")
    (remedy,) = check.remedies
    assert remedy.method == "survey_compare"
    assert answer(remedy.method, table, remedy.spec or {}).facts["df"] == 49
    for method, spec, to in (
        ("crosstab", {"rows": "town", "columns": "sex"}, "survey_crosstab"),
        ("describe", {"columns": ["visits"], "by": "sex"}, "survey_estimate"),
        ("proportion", {"column": "read_week"}, "survey_estimate"),
        ("linear", {"response": "visits", "terms": ["age"]}, "survey_model"),
        ("logistic", {"response": "read_week", "terms": ["age"]}, "survey_model"),
        ("proportion", {"column": "read_week", "groups": "sex"}, "survey_compare"),
    ):
        found = next(c for c in answer(method, table, spec).checks if c.id == "weighing").remedies[0]
        assert found.method == to and answer(to, table, found.spec or {}).facts["weighted_n"] > 38_000
    assert not [c for c in answer("survey_estimate", table, {"columns": ["visits"]}).checks if c.id == "weighing"]


def modelled(seed: int = 13) -> tuple[Any, Any, Any, Any, Any, Any]:
    rng = np.random.default_rng(seed)
    n = 240
    clusters = np.repeat(np.arange(24), 10)
    x = np.column_stack([np.ones(n), rng.normal(size=n), rng.random(n) < 0.4]).astype(float)
    w = rng.gamma(4, 1, n)
    eta = x @ [0.2, 0.8, -0.6] + rng.normal(0, 0.5, 24)[clusters]
    y = eta + rng.normal(size=n)
    group = np.repeat(rng.permutation(24) % 12, 10)
    reps = np.where(group[:, None] == np.arange(12), 0.0, w[:, None] * 12 / 11)
    return x, y, (rng.random(n) < expit(eta)).astype(float), w, reps, clusters


@pytest.mark.parametrize("family", ["linear", "logistic"])
def test_a_model_is_fitted_by_every_replicate(family: Any) -> None:
    x, y, yes, w, reps, _ = modelled()
    y = yes if family == "logistic" else y
    made = weighted_fit(Replicated(w, reps, np.full(12, 11 / 12)), np.arange(240), x, y, family)

    def alone(v: Any) -> Any:
        if family == "linear":
            return sm.WLS(y, x, weights=v).fit().params
        return sm.GLM(y, x, sm.families.Binomial(), freq_weights=v).fit(tol=1e-12, maxiter=100).params

    whole = alone(w)
    gaps = np.array([alone(reps[:, k]) - whole for k in range(12)])
    assert made.coef == pytest.approx(whole, rel=1e-7, abs=1e-9)
    assert made.covariance == pytest.approx(11 / 12 * gaps.T @ gaps, rel=1e-5, abs=1e-9)
    assert made.lost == 0


@pytest.mark.parametrize("family", ["linear", "logistic"])
def test_a_model_of_clusters_is_the_sandwich(family: Any) -> None:
    x, y, yes, w, _, clusters = modelled(14)
    y = yes if family == "logistic" else y
    design = Stratified(w, np.zeros(240, int), clusters, np.zeros(1))
    made = weighted_fit(design, np.arange(240), x, y, family)
    if family == "linear":
        theirs = sm.WLS(y, x, weights=w).fit(
            cov_type="cluster", cov_kwds={"groups": clusters, "use_correction": False}
        )
    else:
        theirs = sm.GLM(y, x, sm.families.Binomial(), freq_weights=w).fit(
            tol=1e-12, cov_type="cluster", cov_kwds={"groups": clusters, "use_correction": False}
        )
    assert made.coef == pytest.approx(theirs.params, rel=1e-6)
    assert made.covariance == pytest.approx(24 / 23 * theirs.cov_params(), rel=1e-5)
    # rows of a domain: the clusters outside count as zero
    rows = np.flatnonzero(clusters < 15)
    part = weighted_fit(design, rows, x[rows], y[rows], family)
    inside = weighted_fit(
        Stratified(w * (clusters < 15), np.zeros(240, int), clusters, np.zeros(1)), np.arange(240), x, y, family
    )
    assert part.covariance == pytest.approx(inside.covariance, rel=1e-7)


def test_a_model_that_runs_away_says_so() -> None:
    x, _, _, w, reps, _ = modelled()
    with pytest.raises(Runaway):
        weighted_fit(Replicated(w, reps, np.ones(12)), np.arange(240), x, (x[:, 1] > 0).astype(float), "logistic")
    table = survey(yes=["yes" if v > 20 else "no" for v in survey().numbers("y")])
    with pytest.raises(DataProblem, match="without error"):
        answer("survey_model", table, {"response": "yes", "terms": ["y"], "design": DESIGN})


def test_the_answer_of_a_model() -> None:
    table = survey()
    made = answer("survey_model", table, {"response": "y", "terms": ["x", "g"], "design": DESIGN})
    w, y, x = (table.numbers(c) for c in ("w", "y", "x"))
    g = np.array(table.texts("g"))
    matrix = np.column_stack([np.ones(120), x, g == "g1", g == "g2"]).astype(float)
    whole = sm.WLS(y, matrix, weights=w).fit().params
    gaps = np.array([sm.WLS(y, matrix, weights=table.numbers(f"r{k + 1}")).fit().params - whole for k in range(15)])
    v = 14 / 15 * gaps.T @ gaps
    rows = made.block("beside").rows
    assert [r["b"].v for r in rows] == pytest.approx(whole)
    assert [r["se"].v for r in rows] == pytest.approx(np.sqrt(np.diag(v)))
    plain = sm.OLS(y, matrix).fit()
    assert [r["plain"].v for r in rows] == pytest.approx(plain.params)
    assert [r["plain_se"].v for r in rows] == pytest.approx(plain.bse)
    tested = wald(whole[2:], v[2:, 2:], 14)
    term = made.block("terms").rows[1]
    assert (term["f"].v, term["p"].v) == pytest.approx((tested.f, tested.p))
    assert made.facts["df"] == 14
    # a linear model's average change is its coefficient
    assert made.facts["marginal.x"] == pytest.approx(whole[1])


def test_average_changes_of_a_logistic_model() -> None:
    table = survey_tables()["Reader survey 2023"]
    made = answer("survey_model", table, {"response": "read_week", "terms": ["age", "sex"]})
    rows = {r["name"].s: r["value"].v for r in made.block("marginal").rows}
    b = {r["name"].s: r["b"].v for r in made.block("beside").rows}
    w, age = table.numbers("wt"), table.numbers("age")
    male = np.array(table.texts("sex")) == "male"
    base = b["intercept"] + b["Age"] * age

    def share(eta: Any) -> float:
        return float(w @ expit(eta) / w.sum())

    effect = next(v for k, v in b.items() if k.lower().startswith("sex"))
    level = next(v for k, v in rows.items() if "beside" in k)
    assert level == pytest.approx(share(base + effect) - share(base), abs=1e-7)
    eta = base + effect * male
    assert rows["Age"] == pytest.approx(float(w @ (b["Age"] * expit(eta) * (1 - expit(eta))) / w.sum()), rel=1e-5)
    assert made.model is not None and made.model.effect == "odds_ratio"


def test_a_group_without_an_error_is_told_not_tested() -> None:
    """One row, or answers that are all alike, would make any difference look sure."""
    groups = ["lone"] + ["rest"] * 119
    for change in ({"g": groups}, {"g": groups, "y": [20.0, *survey().numbers("y").tolist()[1:]]}):
        made = answer("survey_compare", survey(**change), {"response": "y", "groups": "g", "design": DESIGN})
        assert "cannot be tested" in made.headline and "p" not in made.facts
    alike = survey(
        yes=["yes" if i % 3 == 0 else "no" for i in range(120)], g=["a" if i % 3 == 0 else "b" for i in range(120)]
    )
    made = answer("survey_compare", alike, {"response": "yes", "groups": "g", "design": DESIGN})
    assert "cannot be tested" in made.headline
    constant = answer("survey_estimate", survey(y=[3.0] * 120), {"columns": ["y"], "design": DESIGN})
    assert constant.block("estimates").rows[0]["ci_low"].v is None


def test_estimates_by_two_columns_are_those_of_both_conditions() -> None:
    table = survey()
    both = answer("survey_estimate", table, {"columns": ["y"], "by": "g", "across": "yes", "design": DESIGN})
    alone = answer(
        "survey_estimate", table, {"columns": ["y"], "design": DESIGN, "where": 'g == "g2" and yes == "no"'}
    )
    assert both.facts["y.g2.no.estimate"] == pytest.approx(alone.facts["y.estimate"])
    assert both.facts["y.g2.no.se"] == pytest.approx(alone.facts["y.se"])
    cells = {c.title: c.key for c in both.block("two_ways_1").columns}
    row = next(r for r in both.block("two_ways_1").rows if r["group"].s == "g2")
    assert row[cells["no"]].v == pytest.approx(alone.facts["y.estimate"])
    assert row[cells["all"]].v == pytest.approx(both.facts["y.g2.estimate"])


def test_weighted_and_unweighted_models_stand_in_one_line_up() -> None:
    table = survey_tables()["Reader survey 2023"]
    spec = {"response": "visits", "terms": ["age", "sex"]}
    models = [{"name": m, "method": m, "spec": spec} for m in ("survey_model", "linear")]
    made = answer("line_up", table, {"models": models, "chosen": 0})
    rows = {r["term"].s if "term" in r else next(iter(r.values())).s: r for r in made.block("models").rows}
    assert "Age" in rows and not [c for c in made.checks if c.id == "weighing"]
    assert [c for c in answer("line_up", table, {"models": models[1:], "chosen": 0}).checks if c.id == "weighing"]


@pytest.mark.parametrize("kind", ["replicates", "clusters"])
def test_shares_of_a_table_are_means_of_being_in_a_cell(kind: str) -> None:
    _, _, yes, w, reps, clusters = modelled()
    group = np.random.default_rng(3).integers(0, 3, 240)
    d: Any = Stratified(w, np.zeros(240, int), clusters, np.zeros(1))
    if kind == "replicates":
        d = Replicated(w, reps, np.full(12, 11 / 12))
    used = (np.arange(240) % 7 > 0).astype(float)
    c = crossed(d, group, yes.astype(int), (3, 2), used)
    cell = ((group[:, None] == np.repeat(np.arange(3), 2)) & (yes[:, None] == np.tile([0, 1], 3))).astype(float)
    bases = {
        "row": group[:, None] == np.repeat(np.arange(3), 2), "column": yes[:, None] == np.tile([0, 1], 3),
        "total": np.ones((240, 6)),
    }  # fmt: skip
    for base, inside in bases.items():
        made = means(d, cell, inside * used[:, None])
        values, covariance = c.shares(base)  # type: ignore[arg-type]
        assert values.ravel() == pytest.approx(made.values)
        assert covariance == pytest.approx(made.covariance)
        assert c.plain(base).ravel() == pytest.approx(made.unweighted)  # type: ignore[arg-type]


def test_columns_that_are_empty_or_decided_by_one_row() -> None:
    empty = survey(yes=[None] * 120)
    for method, spec in (
        ("survey_estimate", {"columns": ["y", "yes"]}),
        ("survey_compare", {"response": "yes", "groups": "g"}),
    ):
        with pytest.raises(DataProblem, match="yes has no filled cells"):
            answer(method, empty, {**spec, "design": DESIGN})
    lone = survey(g=["lone"] + ["rest"] * 119)
    made = answer("survey_model", lone, {"response": "y", "terms": ["x", "g"], "design": DESIGN})
    assert made.block("terms").rows[1]["p"].v is None and "cannot be tested" in made.headline
    quantile_of = {"columns": ["y"], "statistic": "quantile", "design": DESIGN}
    constant = answer("survey_estimate", survey(y=[3.0] * 120), quantile_of)
    assert constant.block("estimates").rows[0]["ci_low"].v is None
    # far from zero the same pairs are tested
    spec = {"response": "y", "groups": "g", "design": DESIGN}
    moved = survey(y=[v + 1e9 for v in survey().numbers("y")])
    near, far = (answer("survey_compare", t, spec).facts for t in (survey(), moved))
    assert set(near) == set(far) and far["p"] == pytest.approx(near["p"], rel=1e-4)
