"""Panel models against published numbers, dummies, dense covariances and definitions written out."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.api as sm
import statsmodels.datasets as ds
import statsmodels.formula.api as smf

from tests.tables import demo_tables, table_from
from yavik.core.methods.registry import answer
from yavik.core.stats.change import panels
from yavik.core.stats.change.panels import Panel
from yavik.core.table import Table


def codes(values: Any) -> Any:
    return np.unique(values, return_inverse=True)[1].ravel()


def grunfeld() -> pd.DataFrame:
    data = ds.grunfeld.load_pandas().data
    return data[data.firm != "American Steel"].reset_index(drop=True)  # the ten firms of the textbooks


def panel(
    f: pd.DataFrame, y: str = "invest", x: tuple[str, ...] = ("value", "capital"), u: str = "firm", t: str = "year"
) -> Panel:
    return Panel(f[y].to_numpy(float), f[list(x)].to_numpy(float), codes(f[u]), codes(f[t]))


def uneven(seed: int = 1) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    f = pd.DataFrame([(u, t) for u in range(25) for t in range(8)], columns=["u", "t"])
    f = f[rng.random(len(f)) < 0.7].reset_index(drop=True)
    level = rng.normal(0, 2, 25)[f.u]
    f["a"] = rng.normal(size=len(f)) + 0.3 * level
    f["b"] = rng.normal(size=len(f))
    f["z"] = rng.normal(size=25)[f.u]
    f["y"] = 1 + 0.7 * f.a - 0.4 * f.b + 0.5 * f.z + level + 0.2 * f.t + rng.normal(size=len(f))
    return f


def of(f: pd.DataFrame) -> Panel:
    return panel(f, "y", ("a", "b", "z"), "u", "t")


def test_published_estimates_of_ten_firms() -> None:
    """Grunfeld's investment (Baltagi, Econometric analysis of panel data, table 2.1 and chapter 4)."""
    p = panel(grunfeld())
    fixed, made = panels.fixed(p, "classical"), panels.components(p)
    random = panels.random(p, "classical", made)
    np.testing.assert_allclose(fixed.estimates.coef, [0.1101, 0.3101], atol=5e-5)
    np.testing.assert_allclose(fixed.estimates.se, [0.0119, 0.0174], atol=5e-5)
    np.testing.assert_allclose(random.estimates.coef, [0.1098, 0.3081], atol=5e-5)
    assert random.intercept == pytest.approx(-57.83, abs=0.005)
    assert np.sqrt([made.units, made.rest]) == pytest.approx([84.20, 52.77], abs=0.005)
    assert made.theta(p.sizes)[0] == pytest.approx(0.861, abs=5e-4)
    own = panels.hausman(fixed, random, "own")
    assert own and own.chi2 == pytest.approx(2.33, abs=0.005) and own.df == 2
    differ = panels.units_differ(p, fixed)
    assert differ and differ[0] == pytest.approx(49.18, abs=0.005) and differ[1:3] == (9, 188)
    np.testing.assert_allclose(panels.between(p).estimates.coef, [0.1346, 0.0320], atol=5e-5)
    np.testing.assert_allclose(panels.pooled(p).estimates.coef, [0.1156, 0.2307], atol=5e-5)


def test_within_is_dummies_and_two_ways_too() -> None:
    f = uneven()
    p = of(f)
    one = smf.ols("y ~ a + b + C(u)", f).fit()
    fixed = panels.fixed(p, "classical")
    assert fixed.used == [0, 1] and fixed.lost == [2]
    np.testing.assert_allclose(fixed.estimates.coef, one.params[["a", "b"]], rtol=1e-9)
    np.testing.assert_allclose(fixed.estimates.se, one.bse[["a", "b"]], rtol=1e-9)
    assert fixed.df == one.df_resid
    two = smf.ols("y ~ a + b + C(u) + C(t)", f).fit()
    both = panels.fixed(p, "classical", periods=True)
    np.testing.assert_allclose(both.estimates.coef, two.params[["a", "b"]], rtol=1e-8)
    np.testing.assert_allclose(both.estimates.se, two.bse[["a", "b"]], rtol=1e-8)


def test_errors_by_unit() -> None:
    f = uneven()
    p = of(f)
    inner = f.groupby("u")[["y", "a", "b"]].transform(lambda v: v - v.mean())
    plain = sm.OLS(inner.y, inner[["a", "b"]]).fit(cov_type="cluster", cov_kwds={"groups": f.u})
    n = len(f)
    found = panels.fixed(p, "cluster")
    np.testing.assert_allclose(found.estimates.se, plain.bse, rtol=1e-9)  # statsmodels counts a and b alone, too
    assert found.df == f.u.nunique() - 1
    pooled = smf.ols("y ~ a + b + z", f).fit(cov_type="cluster", cov_kwds={"groups": f.u})
    mine = panels.pooled(p, "cluster")
    np.testing.assert_allclose(mine.estimates.se, pooled.bse[["a", "b", "z"]], rtol=1e-9)
    assert mine.intercept == pytest.approx(pooled.params["Intercept"]) and n == mine.n
    assert mine.intercept_se == pytest.approx(pooled.bse["Intercept"], rel=1e-8)


def test_between_is_least_squares_of_means() -> None:
    f = uneven()
    means = f.groupby("u")[["y", "a", "b", "z"]].mean()
    want = smf.ols("y ~ a + b + z", means).fit()
    found = panels.between(of(f))
    np.testing.assert_allclose(found.estimates.coef, want.params[1:], rtol=1e-9)
    np.testing.assert_allclose(found.estimates.se, want.bse[1:], rtol=1e-9)


def test_random_effects_by_a_dense_covariance() -> None:
    f = uneven()
    p = of(f)
    made = panels.components(p)
    same = (f.u.to_numpy()[:, None] == f.u.to_numpy()).astype(float)
    inverse = np.linalg.inv(made.units * same + made.rest * np.eye(len(f)))
    x = np.column_stack([np.ones(len(f)), f[["a", "b", "z"]]])
    cross = x.T @ inverse @ x
    coef = np.linalg.solve(cross, x.T @ inverse @ f.y.to_numpy())
    found = panels.random(p, "classical", made)
    np.testing.assert_allclose([found.intercept, *found.estimates.coef], coef, rtol=1e-8)
    e = f.y.to_numpy() - x @ coef
    s2 = (e @ inverse @ e) / (len(f) - 4)  # residual variance of the transformed rows ÷ σ²e
    np.testing.assert_allclose(found.estimates.se, np.sqrt(s2 * np.diag(np.linalg.inv(cross)))[1:], rtol=1e-8)


def test_components_of_uneven_panels_from_their_quadratic_forms() -> None:
    f = uneven()
    n, units = len(f), f.u.nunique()
    d = pd.get_dummies(f.u).to_numpy(float)
    p_ = d @ np.linalg.inv(d.T @ d) @ d.T
    q_ = np.eye(n) - p_
    y = f.y.to_numpy()
    within = f[["a", "b"]].to_numpy()
    e = q_ @ y - q_ @ within @ np.linalg.lstsq(q_ @ within, q_ @ y, rcond=None)[0]
    rest = float(e @ e) / (n - units - 2)
    x = np.column_stack([np.ones(n), f[["a", "b", "z"]]])
    b = np.linalg.lstsq(p_ @ x, p_ @ y, rcond=None)[0]
    r = p_ @ y - p_ @ x @ b
    trace = np.trace(np.linalg.inv(x.T @ p_ @ x) @ x.T @ d @ d.T @ x)
    want = (float(r @ r) - (units - 4) * rest) / (n - trace)
    made = panels.components(of(f))
    assert (made.rest, made.units) == pytest.approx((rest, want), rel=1e-8)


def test_unit_means_and_the_split_give_the_fixed_effects() -> None:
    f = uneven()
    p = of(f)
    made = panels.components(p)
    fixed = panels.fixed(p, "classical")
    for way in ("added", "split"):
        found = panels.random(p, "classical", made, way)
        np.testing.assert_allclose(found.estimates.coef[:2], fixed.estimates.coef, rtol=1e-8)
        assert found.means == [0, 1] and found.place(2) == 2
    added, split = (panels.random(p, "classical", made, w) for w in ("added", "split"))
    np.testing.assert_allclose(
        split.estimates.coef[3:], added.estimates.coef[3:] + added.estimates.coef[:2], rtol=1e-8
    )
    assert added.intercept == pytest.approx(split.intercept, rel=1e-8)
    np.testing.assert_allclose(panels.determined(p, added).overall, panels.determined(p, split).overall)


def test_first_differences_skip_gaps() -> None:
    f = uneven()
    rows = []
    for _, own in f.groupby("u"):
        own = own.sort_values("t")
        for i in range(1, len(own)):
            if own.t.iloc[i] == own.t.iloc[i - 1] + 1:
                rows.append(own[["y", "a", "b"]].iloc[i] - own[["y", "a", "b"]].iloc[i - 1])
    d = pd.DataFrame(rows)
    want = sm.OLS(d.y, d[["a", "b"]]).fit()
    found = panels.first_differences(of(f), "classical")
    np.testing.assert_allclose(found.estimates.coef, want.params, rtol=1e-9)
    np.testing.assert_allclose(found.estimates.se, want.bse, rtol=1e-9)
    assert found.n == len(d)
    shuffled = f.sample(frac=1, random_state=3).reset_index(drop=True)
    np.testing.assert_allclose(
        panels.first_differences(of(shuffled), "classical").estimates.coef, want.params, rtol=1e-9
    )


def test_hausman_in_its_three_forms() -> None:
    f = uneven()
    p = of(f)
    fixed, random = panels.fixed(p, "classical"), panels.random(p, "classical", panels.components(p))
    d = fixed.estimates.coef - random.estimates.coef[:2]
    s = {"fixed": fixed.rss / fixed.df, "random": random.rss / random.df}
    v, w = fixed.estimates.covariance / s["fixed"], random.estimates.covariance[:2, :2] / s["random"]
    for form, (a, b) in {
        "own": (s["fixed"], s["random"]),
        "fixed": (s["fixed"],) * 2,
        "random": (s["random"],) * 2,
    }.items():
        found = panels.hausman(fixed, random, form)
        gap = a * v - b * w
        if np.linalg.eigvalsh(gap)[0] <= 0:
            assert found is None
            continue
        assert found and found.chi2 == pytest.approx(d @ np.linalg.solve(gap, d), rel=1e-6)


def test_units_differ_by_two_regressions() -> None:
    f = uneven()
    p = of(f)
    big, small = smf.ols("y ~ a + b + C(u)", f).fit(), smf.ols("y ~ a + b", f).fit()
    want = big.compare_f_test(small)
    found = panels.units_differ(p, panels.fixed(p, "classical"))
    assert found and (found[0], found[3]) == pytest.approx((want[0], want[1]), rel=1e-7)


def table(f: pd.DataFrame) -> Table:
    return table_from(**{c: f[c].tolist() if c != "u" else [f"u{v:02}" for v in f[c]] for c in f})


def test_the_answer_tells_these_numbers_and_levels_of_units() -> None:
    f = uneven()
    spec: dict[str, Any] = {"outcome": "y", "terms": ["a", "b", "z"], "unit": "u", "time": "t"}
    found = answer("panel", table(f), spec).facts
    p = of(f)
    assert found["fixed.a.b"] == pytest.approx(panels.fixed(p, "cluster").estimates.coef[0])
    assert found["random.z.se"] == pytest.approx(panels.random(p, "cluster", panels.components(p)).estimates.se[2])
    assert found["sigma_u"] == pytest.approx(np.sqrt(panels.components(p).units))
    two = smf.ols("y ~ a + b + C(u) + C(t)", f).fit()
    one = smf.ols("y ~ a + b + C(u)", f).fit()
    assert found["periods.f"] == pytest.approx(two.compare_f_test(one)[0], rel=1e-7)
    parted = smf.ols("y ~ a * b", f).fit()
    mixed = answer(
        "panel", table(f), {**spec, "terms": ["a", "b", {"interaction": ["a", "b"]}], "main": "pooled"}
    ).facts
    assert mixed["pooled.a*b.b"] == pytest.approx(parted.params["a:b"], rel=1e-8)
    assert mixed["pooled.intercept.b"] == pytest.approx(parted.params["Intercept"], rel=1e-8)


def test_the_demo_tells_within_from_between() -> None:
    found = answer(
        "panel", demo_tables()["Branch years"],
        {"outcome": "loans", "terms": ["staff", "hours", "fund", "rural"], "unit": "branch", "time": "year"},
    ).facts  # fmt: skip
    assert float(found["between.staff.b"]) > 3 * float(found["fixed.staff.b"]) > 0
    assert found["fixed.staff.b"] == pytest.approx(found["within_between.staff.b"])
    assert found["hausman_means.p"] < 0.001 and "fixed.rural=yes.b" not in found
