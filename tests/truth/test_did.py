"""Differences in differences against the four means, dummies by statsmodels, and cells by hand."""

from itertools import product
from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf

from tests.tables import demo_tables, table_from
from yavik.core.methods.change.difference_in_differences.compute import Did, compute_study
from yavik.core.methods.change.difference_in_differences.spec import DidSpec
from yavik.core.stats.change import absorb
from yavik.core.stats.change.absorb import demeaned, leverage, rank_of
from yavik.core.stats.change.regression import wild_p
from yavik.core.table import Table

EVENINGS = demo_tables()["Evening opening"]


def did(table: Table, **spec: Any) -> Did:
    return compute_study(table, DidSpec(**spec))


def evenings(**more: Any) -> Did:
    return did(EVENINGS, outcome="loans", period="month", treated="evenings", base="8", **more)


def frame() -> pd.DataFrame:
    f = EVENINGS.frame.copy()
    f["on"] = ((f.evenings == "yes") & (f.month >= 9)).astype(int)
    f["ever"] = (f.evenings == "yes").astype(int)
    f["size"] = 1.0 + f.month % 3
    f["code"] = f.branch.astype("category").cat.codes
    return f


def test_four_means_and_regression_are_one_number() -> None:
    d = did(EVENINGS, outcome="loans", period="period", treated="evenings", unit="branch")
    assert d.by_hand == pytest.approx(d.effect.estimate, rel=1e-10)
    f = frame()
    m = f.groupby(["evenings", "period"], observed=True).loans.mean()
    assert d.by_hand == pytest.approx(
        m["yes", "after"] - m["yes", "before"] - m["no", "after"] + m["no", "before"], rel=1e-12
    )
    plain = smf.ols("loans ~ ever * C(period, Treatment('before'))", f)
    told = plain.fit(cov_type="cluster", cov_kwds={"groups": f.code})
    assert d.effect.se == pytest.approx(told.bse.iloc[-1], rel=1e-8)


@pytest.mark.parametrize(("se", "kind"), [("classical", "nonrobust"), ("hc0", "HC0"), ("hc2", "HC2"), ("hc3", "HC3")])
def test_errors_against_dummies(se: str, kind: str) -> None:
    d = evenings(se=se)
    told = smf.ols("loans ~ on + ever + C(month)", frame()).fit(cov_type=kind)
    assert d.effect.estimate == pytest.approx(told.params["on"], rel=1e-9)
    assert d.effect.se == pytest.approx(told.bse["on"], rel=1e-8)
    d = evenings(se=se, unit="branch", weights="month")
    told = smf.wls("loans ~ on + C(branch) + C(month)", frame(), weights=frame().month).fit(cov_type=kind)
    assert d.effect.se == pytest.approx(told.bse["on"], rel=1e-8)


def test_units_out_by_turns_are_dummies() -> None:
    f = frame()
    d = evenings(unit="branch", se="cluster")
    told = smf.ols("loans ~ on + C(branch) + C(month)", f).fit(cov_type="cluster", cov_kwds={"groups": f.code})
    assert d.effect.estimate == pytest.approx(told.params["on"], rel=1e-9)
    n, k, own = len(f), len(told.params), 40  # statsmodels counts units' levels, which lie within clusters
    assert d.effect.se == pytest.approx(told.bse["on"] * np.sqrt((n - k) / (n - k + own)), rel=1e-8)
    assert d.effect.df == 39


def test_unbalanced_weighted_and_with_a_covariate() -> None:
    f = frame()
    f = f[np.random.default_rng(1).random(len(f)) > 0.2].reset_index(drop=True)
    f["rain"] = np.random.default_rng(2).normal(size=len(f)) + f.loans / 500
    table = table_from(**{c: list(f[c]) for c in ("branch", "month", "evenings", "loans", "size", "rain")})
    d = did(
        table, outcome="loans", period="month", treated="evenings", unit="branch", base="8", weights="size",
        covariates=["rain"], se="classical",
    )  # fmt: skip
    told = smf.wls("loans ~ on + rain + C(branch) + C(month)", f, weights=f["size"]).fit()
    assert d.effect.estimate == pytest.approx(told.params["on"], rel=1e-8)
    assert d.effect.se == pytest.approx(told.bse["on"], rel=1e-8)
    assert d.effect.p == pytest.approx(told.pvalues["on"], rel=1e-6)


def test_period_by_period_against_dummies() -> None:
    f = frame()
    names = []
    for k in [*range(-8, -1), *range(8)]:
        f[f"e{k + 8}"] = ((f.ever == 1) & (f.month - 9 == k)).astype(int)
        names.append(f"e{k + 8}")
    told = smf.ols("loans ~ C(branch) + C(month) + " + " + ".join(names), f).fit()
    d = evenings(unit="branch", se="classical")
    assert d.events is not None
    assert [e.estimate for e in d.events[0]] == pytest.approx([told.params[n] for n in names], rel=1e-8)
    test = told.f_test(", ".join(f"{n} = 0" for n in names[:7]))
    assert d.events[1] is not None
    assert d.events[1][0] == pytest.approx(float(test.fvalue), rel=1e-7)
    assert d.events[1][2] == pytest.approx(float(test.pvalue), rel=1e-6)


def test_placebo_is_the_question_on_the_periods_before() -> None:
    early = table_from(**{
        c: list(frame().query("month <= 8")[c]) for c in ("branch", "month", "evenings", "loans")
    })  # fmt: skip
    alone = did(early, outcome="loans", period="month", treated="evenings", unit="branch", base="4")
    whole = evenings(unit="branch").placebo
    assert whole is not None
    assert (whole.estimate, whole.se, whole.p) == pytest.approx(
        (alone.effect.estimate, alone.effect.se, alone.effect.p)
    )


def test_the_demo_gives_back_what_it_was_made_with() -> None:
    e = evenings(unit="branch").effect
    assert e.low < 120 < e.high


def test_wild_bootstrap_by_brute_force() -> None:
    """All 2^6 signs, each refitted from the start."""
    rng = np.random.default_rng(5)
    clusters = np.repeat(np.arange(6), 5)
    x = np.column_stack([(clusters < 3) & (np.tile(np.arange(5), 6) > 1), rng.normal(size=30)]).astype(float)
    x = demeaned(x, [clusters, np.tile(np.arange(5), 6)])
    y = demeaned(rng.normal(size=(30, 1)) + x[:, :1], [clusters, np.tile(np.arange(5), 6)])[:, 0]

    def t_of(response: Any) -> float:
        b = np.linalg.lstsq(x, response, rcond=None)[0]
        e = response - x @ b
        bread = np.linalg.inv(x.T @ x)
        meat = sum(np.outer(s, s) for s in (x[clusters == g].T @ e[clusters == g] for g in range(6)))
        return float(b[0] / np.sqrt((bread @ meat @ bread)[0, 0]))

    null = x[:, 1:] @ np.linalg.lstsq(x[:, 1:], y, rcond=None)[0]
    seen = abs(t_of(y))
    drawn = [abs(t_of(null + (y - null) * np.array(s)[clusters])) for s in product([-1, 1], repeat=6)]
    want = np.mean([d >= seen * (1 - 1e-9) for d in drawn])
    assert wild_p(y - 0, x, clusters, 0, 1.3, 1, 1999) == pytest.approx(want)


def staggered(seed: int = 3) -> tuple[Table, pd.DataFrame]:
    rng = np.random.default_rng(seed)
    rows = []
    for i in range(30):
        start = [None, 4, 6][i % 3]
        a = rng.normal() * 2
        for t in range(1, 9):
            effect = 2 + 0.5 * (t - start) if start and t >= start else 0
            rows.append((f"u{i:02}", t, start, a + 0.3 * t + effect + rng.normal() * 0.5))
    f = pd.DataFrame(rows, columns=["u", "t", "s", "y"])
    return table_from(**{c: [None if v != v else v for v in f[c].tolist()] for c in f}), f


def test_groups_by_start_by_hand() -> None:
    table, f = staggered()
    d = did(table, outcome="y", period="t", starts="s", unit="u")
    wide = f.pivot(index="u", columns="t", values="y")
    start = f.groupby("u").s.first()
    cells: dict[tuple[int, int], float] = {}
    for g in (4, 6):
        for t in range(1, 9):
            if t == g - 1:
                continue
            change = wide[t] - wide[g - 1]
            free = start.isna() | (start > max(t, g - 1))
            cells[g, t] = change[start == g].mean() - change[free & (start != g)].mean()
    found = {(c.start + 1, c.period + 1): c.estimate for c in d.by_start}
    assert found == pytest.approx(cells)
    sizes = [np.mean([v for (g, t), v in cells.items() if g == own and t >= g]) for own in (4, 6)]
    assert d.averages[0].estimate == pytest.approx(np.mean(sizes))  # ten units start at each
    assert d.events is not None
    at = {e.place: e.estimate for e in d.events[0]}
    assert at[1] == pytest.approx((cells[4, 5] + cells[6, 7]) / 2)
    assert at[-5] == pytest.approx(cells[6, 1])


def test_error_of_one_cell_is_that_of_two_means() -> None:
    table, f = staggered()
    d = did(table, outcome="y", period="t", starts="s", unit="u")
    cell, told = d.told_cells[0]
    wide = f.pivot(index="u", columns="t", values="y")
    start = f.groupby("u").s.first()
    change = wide[cell.period + 1] - wide[cell.start]
    own, free = change[start == 4], change[start != 4]
    assert told.se == pytest.approx(np.sqrt(own.var() / len(own) + free.var() / len(free)))


def test_starts_that_differ_are_covered() -> None:
    """Truth lies within the 95 % interval of the average over groups by start in 95 of 100 studies."""
    truth = np.mean([np.mean([2 + 0.5 * k for k in range(5)]), np.mean([2 + 0.5 * k for k in range(3)])])
    hits = 0
    for seed in range(200):
        d = did(staggered(seed)[0], outcome="y", period="t", starts="s", unit="u")
        e = d.overall[0][1]
        hits += e.low <= truth <= e.high
    assert 181 <= hits <= 198


@pytest.mark.parametrize("solved", [500, 3], ids=["at once", "by turns"])
def test_levels_taken_out_and_their_rank(solved: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(absorb, "MOST_SOLVED", solved)
    rng = np.random.default_rng(8)
    a, b = rng.integers(0, 12, 300), rng.integers(0, 9, 300)
    y = rng.normal(size=(300, 2))
    dummies = np.column_stack([a[:, None] == np.arange(12), b[:, None] == np.arange(9)]).astype(float)
    want = y - dummies @ np.linalg.lstsq(dummies, y, rcond=None)[0]
    np.testing.assert_allclose(demeaned(y, [a, b]), want, atol=1e-9)
    np.testing.assert_allclose(demeaned(y + 1e9, [a, b]), want, atol=1e-6)
    assert rank_of([a, b]) == np.linalg.matrix_rank(dummies)
    parted = np.array([0, 0, 1, 1, 2]), np.array([0, 1, 2, 3, 2])
    assert rank_of(list(parted)) == 3 + 4 - 2
    own = np.repeat(rng.normal(size=12), 25)[:, None] * 1e6  # the same throughout a unit: nothing of it may be left
    units, w = np.repeat(np.arange(12), 25), rng.uniform(0.5, 2, 300)
    assert float(np.abs(demeaned(own, [units, b])).max()) < 1e-6
    root = np.sqrt(w)[:, None]
    want = y - dummies @ np.linalg.lstsq(root * dummies, root * y, rcond=None)[0]
    np.testing.assert_allclose(demeaned(y, [a, b], w), want, atol=1e-9)
    apart = np.array([0, 0, 1, 1, 2, 2]), np.array([0, 1, 0, 1, 2, 3])  # two parts that share no level
    links = np.column_stack([apart[0][:, None] == np.arange(3), apart[1][:, None] == np.arange(4)]).astype(float)
    six = rng.normal(size=(6, 1))
    want = six - links @ np.linalg.lstsq(links, six, rcond=None)[0]
    np.testing.assert_allclose(demeaned(six, list(apart)), want, atol=1e-9)
    np.testing.assert_allclose(leverage(list(apart)), np.diag(links @ np.linalg.pinv(links)), atol=1e-9)
