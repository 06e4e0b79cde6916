"""Counts and shares: published examples, the library, or a second route."""

import numpy as np
import pyarrow as pa
import pytest
from scipy import stats
from statsmodels.stats.contingency_tables import StratifiedTable, Table2x2
from statsmodels.stats.contingency_tables import cochrans_q as library_q

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats.shares import difference_of_shares, exact_share, wilson
from yavik.core.stats.tables_of_counts import (
    cochran_q,
    cramer_v,
    fisher_2x2,
    fisher_by_draws,
    goodness,
    independence,
    mantel_haenszel,
    mcnemar,
    ordinal,
    two_by_two,
)
from yavik.core.table import Kind, Level

RNG = np.random.default_rng(44)
# Attitudes by income, ordered (Agresti, 2013, job satisfaction of black males in the General Social Survey 1996).
JOBS = np.array([[1, 3, 10, 6], [2, 3, 10, 7], [1, 6, 14, 12], [0, 1, 9, 11]], float)


def spread(counts: np.ndarray) -> tuple[list[str], list[str]]:
    """A row of a table for each case."""
    rows = [f"r{i}" for i, row in enumerate(counts) for j, n in enumerate(row) for _ in range(int(n))]
    columns = [f"c{j}" for i, row in enumerate(counts) for j, n in enumerate(row) for _ in range(int(n))]
    return rows, columns


def test_independence_against_the_library() -> None:
    counts = RNG.integers(3, 40, (3, 4)).astype(float)
    found = independence(counts)
    there = stats.chi2_contingency(counts, correction=False)
    ratio = stats.chi2_contingency(counts, lambda_="log-likelihood", correction=False)
    assert (found.pearson.chi2, found.pearson.p) == pytest.approx((there.statistic, there.pvalue))
    assert (found.likelihood.chi2, found.likelihood.p) == pytest.approx((ratio.statistic, ratio.pvalue))
    two = RNG.integers(3, 40, (2, 2)).astype(float)
    yates = independence(two).yates
    assert yates is not None
    assert yates.p == pytest.approx(stats.chi2_contingency(two, correction=True).pvalue)


def test_job_satisfaction_as_published() -> None:
    """Agresti (2013): γ = .221 with SE .117, χ² = 6.0 with 9 df."""
    found = independence(JOBS)
    assert (round(found.pearson.chi2, 1), found.pearson.df) == (6.0, 9)
    gamma = ordinal(JOBS, 0.05).gamma
    assert gamma.estimate == pytest.approx(0.221, abs=0.0005)
    assert (gamma.ci_high - gamma.ci_low) / 2 / stats.norm.isf(0.025) == pytest.approx(0.117, abs=0.0006)


def test_residuals_stand_for_a_normal_each() -> None:
    """Haberman's residual of a 2 × 2 table squared is χ²."""
    two = np.array([[12.0, 30], [25, 14]])
    found = independence(two)
    assert found.adjusted_residuals**2 == pytest.approx(np.full((2, 2), found.pearson.chi2))


def test_the_lady_tasting_tea() -> None:
    """Fisher (1935): three of four cups right; two-sided p = 34/70."""
    assert fisher_2x2(np.array([[3.0, 1], [1, 3]])) == pytest.approx(34 / 70)
    for _ in range(20):
        counts = RNG.integers(0, 12, (2, 2)).astype(float) + 1
        assert fisher_2x2(counts) == pytest.approx(stats.fisher_exact(counts).pvalue, rel=1e-9)


def test_fisher_of_larger_tables_by_listing() -> None:
    counts = np.array([[4.0, 1, 0], [1, 3, 3]])
    rows, columns = counts.sum(axis=1).astype(int), counts.sum(axis=0).astype(int)
    law = stats.random_table(rows, columns)
    chances = []
    for a in range(rows[0] + 1):
        for b in range(rows[0] - a + 1):
            top = np.array([a, b, rows[0] - a - b])
            if np.all(columns - top >= 0):
                chances.append(law.pmf(np.stack([top, columns - top])))
    seen = law.pmf(counts.astype(int))
    exact = sum(c for c in chances if c <= seen * (1 + 1e-9))
    assert sum(chances) == pytest.approx(1)
    assert fisher_by_draws(counts, 40_000, 2).p == pytest.approx(exact, abs=0.01)
    assert fisher_by_draws(counts, 500, 2) == fisher_by_draws(counts, 500, 2)


def test_odds_and_risks_against_the_library() -> None:
    counts = np.array([[189.0, 10845], [104, 10933]])  # aspirin and heart attacks (Steering Committee, 1989)
    found, there = two_by_two(counts, 0.05), Table2x2(counts)
    assert found.odds_ratio.estimate == pytest.approx(1.832, abs=5e-4)
    assert (found.odds_ratio.ci_low, found.odds_ratio.ci_high) == pytest.approx(there.oddsratio_confint())
    assert (found.relative_risk.ci_low, found.relative_risk.ci_high) == pytest.approx(there.riskratio_confint())
    assert found.phi == pytest.approx(np.sqrt(independence(counts).pearson.chi2 / counts.sum()))


def test_intervals_of_shares_as_published() -> None:
    """Newcombe (1998a): 81 of 263: exact .2527 to .3676, score .2553 to .3662. Newcombe (1998b): 56/70 − 48/80: .0524 to .3339."""
    assert exact_share(81, 263, 0.05) == pytest.approx((0.2527, 0.3676), abs=5e-5)
    assert wilson(81, 263, 0.05) == pytest.approx((0.2553, 0.3662), abs=5e-5)
    d = difference_of_shares(56, 70, 48, 80, 0.05)
    assert (d.ci_low, d.ci_high) == pytest.approx((0.0524, 0.3339), abs=5e-5)
    assert exact_share(0, 29, 0.05) == pytest.approx((0, 0.1194), abs=5e-5)
    assert exact_share(29, 29, 0.05) == pytest.approx((0.8806, 1), abs=5e-5)


def test_ordinal_measures_against_the_library_and_the_delta_method() -> None:
    counts = RNG.integers(1, 15, (3, 4)).astype(float)
    rows, columns = spread(counts)
    tau = stats.kendalltau([int(r[1]) for r in rows], [int(c[1]) for c in columns]).statistic
    found = ordinal(counts, 0.05)
    assert found.tau_b.estimate == pytest.approx(tau, rel=1e-10)
    n, z = counts.sum(), stats.norm.isf(0.025)
    for which, size in (("gamma", found.gamma), ("tau_b", found.tau_b)):
        slopes = np.empty_like(counts)
        for i in range(3):
            for j in range(4):
                up, down = counts.copy(), counts.copy()
                up[i, j] += 1e-4
                down[i, j] -= 1e-4
                slopes[i, j] = (
                    getattr(ordinal(up, 0.05), which).estimate - getattr(ordinal(down, 0.05), which).estimate
                ) / 2e-4
        share = counts / n
        variance = n * ((share * slopes**2).sum() - (share * slopes).sum() ** 2)
        assert (size.ci_high - size.ci_low) / 2 / z == pytest.approx(np.sqrt(variance), rel=1e-5)


def test_layers_against_the_library() -> None:
    layers = RNG.integers(4, 40, (4, 2, 2)).astype(float)
    found = mantel_haenszel(layers, 0.05)
    assert found is not None and found.homogeneity is not None
    there = StratifiedTable(layers.transpose(1, 2, 0))
    assert found.odds_ratio.estimate == pytest.approx(there.oddsratio_pooled)
    assert (found.odds_ratio.ci_low, found.odds_ratio.ci_high) == pytest.approx(there.oddsratio_pooled_confint())
    null = there.test_null_odds(correction=True)
    assert (found.test.chi2, found.test.p) == pytest.approx((null.statistic, null.pvalue))
    equal = there.test_equal_odds(adjust=True)
    assert (found.homogeneity.chi2, found.homogeneity.p) == pytest.approx((equal.statistic, equal.pvalue), rel=1e-6)


def test_cramers_v_turns_the_distribution_round() -> None:
    counts = np.array([[30.0, 14, 22], [12, 40, 31]])
    chi2 = independence(counts).pearson.chi2
    found = cramer_v(chi2, counts, 0.05)
    n = counts.sum()
    for end, tail in ((found.ci_low, 0.975), (found.ci_high, 0.025)):
        assert stats.ncx2.cdf(chi2, 2, end**2 * n - 2) == pytest.approx(tail, abs=1e-6)
    assert cramer_v(0.1, counts, 0.05).ci_low == 0


def test_changes_and_occasions_against_the_library() -> None:
    x = (RNG.random((60, 4)) < [0.3, 0.4, 0.5, 0.45]).astype(float)
    found = cochran_q(x)
    there = library_q(x, return_object=True)
    assert (found.chi2, found.p) == pytest.approx((there.statistic, there.pvalue))
    b, c = int(((x[:, 0] > 0) & (x[:, 1] == 0)).sum()), int(((x[:, 0] == 0) & (x[:, 1] > 0)).sum())
    chi2, exact = mcnemar(b, c)
    assert exact == pytest.approx(stats.binomtest(b, b + c, 0.5).pvalue)
    assert cochran_q(x[:, :2]).chi2 == pytest.approx(chi2.chi2)  # Q of two occasions is McNemar's χ²


def test_goodness_of_fit_of_mendels_peas() -> None:
    """Mendel (1866): 315, 101, 108, 32 against 9 : 3 : 3 : 1 give χ² = 0.470."""
    found = goodness(np.array([315.0, 101, 108, 32]), np.array([9, 3, 3, 1]) / 16)
    assert found.chi2 == pytest.approx(0.470, abs=5e-4)
    assert found.p == pytest.approx(0.9254, abs=5e-5)


def test_questions_say_what_the_counts_say() -> None:
    rows, columns = spread(JOBS)
    table = table_from(income=rows, satisfied=columns)
    found = answer("crosstab", table, {"rows": "income", "columns": "satisfied", "exact": "no"})
    assert found.facts["chi2"] == pytest.approx(5.9655, abs=5e-4)
    weighted = table_from(a=["x", "x", "y", "y"], b=["u", "v", "u", "v"], n=[189, 10845, 104, 10933])
    found = answer("crosstab", weighted, {"rows": "a", "columns": "b", "count": "n"})
    assert found.facts["odds_ratio"] == pytest.approx(1.832, abs=5e-4)
    two = answer("proportion", demo_tables()["Winter challenge"], {"column": "finished", "groups": "reminders"})
    table_of = answer("crosstab", demo_tables()["Winter challenge"], {"rows": "reminders", "columns": "finished"})
    assert two.facts["z"] ** 2 == pytest.approx(table_of.facts["chi2"])  # one route under two names
    one = answer(
        "proportion",
        demo_tables()["Winter challenge"],
        {"column": "finished", "value": 0.55, "alternative": "greater"},
    )
    assert one.facts["p"] == pytest.approx(stats.binomtest(1947, 3400, 0.55, "greater").pvalue)


def test_paired_difference_by_simulation() -> None:
    """Bonett and Price's interval covers the true difference about as often as it says."""
    rng, covered = np.random.default_rng(9), 0
    for _ in range(200):
        a = rng.random(60) < 0.5
        b = np.where(rng.random(60) < 0.3, rng.random(60) < 0.4, a)
        table = table_from(one=np.where(a, "yes", "no").tolist(), two=np.where(b, "yes", "no").tolist())
        if len({*a.tolist()}) < 2 or len({*b.tolist()}) < 2:
            continue
        found = answer("paired_proportions", table, {"columns": ["one", "two"]})
        covered += found.facts["ci_low"] <= 0.3 * (0.5 - 0.4) <= found.facts["ci_high"]
    assert covered >= 178


def test_a_trend_of_shares_is_the_correlation_with_the_scores() -> None:
    """z² = n r², with r of the event (0, 1) and the level's place."""
    rng = np.random.default_rng(5)
    places = np.repeat([0, 1, 2, 3], [30, 24, 41, 18])
    event = rng.random(len(places)) < 0.2 + 0.12 * places
    table = table_from(o=np.array(["low", "mid", "high", "top"])[places], e=np.where(event, "yes", "no"))
    levels = tuple(Level(value=v) for v in ("low", "mid", "high", "top"))
    ordered = table.column("o").model_copy(update={"kind": Kind.ordered, "levels": levels})
    array = pa.DictionaryArray.from_arrays(pa.array(places, pa.int32()), pa.array([x.value for x in levels]))
    tests = answer("crosstab", table.with_column(ordered, array), {"rows": "o", "columns": "e"}).block("tests")
    row = next(r for r in tests.rows if "trend" in str(next(iter(r.values())).v).lower())
    z = np.sqrt(len(places)) * np.corrcoef(places, event)[0, 1]
    printed = [c.v for c in row.values() if isinstance(c.v, float)]
    assert any(v == pytest.approx(z, rel=1e-9) for v in printed), row
    assert any(v == pytest.approx(2 * stats.norm.sf(abs(z)), rel=1e-7) for v in printed), row
