"""Factorial, blocked and repeated analyses: against model comparison in another library, or two routes."""

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf
from scipy import stats
from statsmodels.stats.anova import AnovaRM, anova_lm

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats import draws
from yavik.core.stats.linear import Factor, LinearModel, cells_of
from yavik.core.stats.within import effects, friedman, sphericity

RNG = np.random.default_rng(31)


def unbalanced(n: int = 70) -> pd.DataFrame:
    a, b, c = RNG.integers(0, 3, n), RNG.integers(0, 2, n), RNG.integers(0, 2, n)
    x = RNG.normal(50, 8, n)
    y = 1e6 + 2 * a + 1.5 * b * a - c + 0.2 * x + RNG.normal(size=n)
    return pd.DataFrame(
        {
            "a": [f"a{i}" for i in a],
            "b": [f"b{i}" for i in b],
            "c": [f"c{i}" for i in c],
            "x": x.round(3),
            "y": y.round(3),
        }
    )


DATA = unbalanced()
TABLE = table_from(**{k: DATA[k].tolist() for k in DATA})


@pytest.mark.parametrize("kind", ["i", "ii", "iii"])
def test_sums_of_squares_against_the_library(kind: str) -> None:
    found = answer(
        "factorial",
        TABLE,
        {"response": "y", "factors": ["a", "b", "c"], "covariates": ["x"], "sums_of_squares": kind},
    )
    fit = smf.ols("y ~ x + C(a,Sum)*C(b,Sum)*C(c,Sum)", DATA.assign(y=DATA.y - 1e6, x=DATA.x - 50)).fit()
    # Types I and II do not depend on the coding; the library orders covariates last in type I, so it is asked piece by piece.
    pieces = "x + C(a,Sum) + C(b,Sum) + C(c,Sum) + C(a,Sum):C(b,Sum) + C(a,Sum):C(c,Sum) + C(b,Sum):C(c,Sum) + C(a,Sum):C(b,Sum):C(c,Sum)"
    if kind == "i":
        terms, before = pieces.split(" + "), "1"
        for term in terms:
            now = smf.ols(f"y ~ {before} + {term}", DATA.assign(y=DATA.y - 1e6)).fit()
            was = smf.ols(f"y ~ {before}", DATA.assign(y=DATA.y - 1e6)).fit()
            name = term.replace("C(", "").replace(",Sum)", "")
            assert found.facts[f"{name}.ss"] == pytest.approx(was.ssr - now.ssr, rel=1e-6)
            before = f"{before} + {term}"
        return
    there = anova_lm(fit, typ={"ii": 2, "iii": 3}[kind])
    for term in there.index:
        if term in ("Intercept", "Residual"):
            continue
        name = term.replace("C(", "").replace(", Sum)", "").replace(",Sum)", "")
        assert found.facts[f"{name}.f"] == pytest.approx(there.F[term], rel=1e-6)
        assert found.facts[f"{name}.p"] == pytest.approx(there["PR(>F)"][term], rel=1e-5)


def test_estimated_means_against_averaged_predictions() -> None:
    factors = [
        Factor(k, pd.Categorical(DATA[k]).codes.astype(np.int64), tuple(sorted(DATA[k].unique()))) for k in "abc"
    ]
    model = LinearModel(
        cells_of(DATA.y.to_numpy(), factors, DATA[["x"]].to_numpy()), [(-1,), (0,), (1,), (2,), (0, 1)]
    )
    fit = smf.ols("y ~ x + C(a)*C(b) + C(c)", DATA).fit()
    cells, means, covariance = model.estimated((0,), np.array([55.0]))
    for i, (level,) in enumerate(cells):
        grid = pd.DataFrame(
            [{"a": f"a{level}", "b": b, "c": c, "x": 55.0} for b in ("b0", "b1") for c in ("c0", "c1")]
        )
        assert means[i] == pytest.approx(fit.predict(grid).mean(), rel=1e-9)
    # a0 − a2 with b averaged is minus the coefficient of a2 and half that of its interaction.
    names = list(fit.params.index)
    contrast = np.zeros(len(names))
    contrast[[i for i, n in enumerate(names) if "a2" in n and "b1" not in n]] = -1
    contrast[[i for i, n in enumerate(names) if "a2" in n and "b1" in n]] = -0.5
    there = fit.t_test(contrast)
    here = np.sqrt(covariance[0, 0] + covariance[2, 2] - 2 * covariance[0, 2])
    assert here == pytest.approx(float(np.squeeze(there.sd)), rel=1e-7)


def test_a_cell_without_rows_stops_what_needs_it_and_nothing_else() -> None:
    keep = ~((DATA.a == "a1") & (DATA.b == "b1"))
    rest = DATA[keep]
    table = table_from(**{k: rest[k].tolist() for k in rest})
    found = answer("factorial", table, {"response": "y", "factors": ["a", "b"]})
    rows = {r["term"].s: r for r in found.block("anova").rows}
    assert rows["a"]["f"].v is None and "a1, b1" in str(rows["a"]["f"].why)
    fit = smf.ols("y ~ C(a) + C(b)", rest.assign(y=rest.y - 1e6)).fit()
    full = smf.ols("y ~ C(a):C(b)", rest.assign(y=rest.y - 1e6)).fit()
    assert rows["a × b"]["ss"].v == pytest.approx(fit.ssr - full.ssr, rel=1e-6)
    assert rows["a × b"]["df"].v == 1
    second = answer("factorial", table, {"response": "y", "factors": ["a", "b"], "sums_of_squares": "ii"})
    without = smf.ols("y ~ C(b)", rest.assign(y=rest.y - 1e6)).fit()
    assert second.facts["a.ss"] == pytest.approx(without.ssr - fit.ssr, rel=1e-6)
    assert next(c for c in found.checks if c.id == "balance").verdict == "fails"


def test_simple_effects_of_a_balanced_table_add_up() -> None:
    """Simple effects of one factor over the other's levels sum to its main effect and the interaction."""
    table = demo_tables()["Seat and light"]
    found = answer("factorial", table, {"response": "minutes", "factors": ["seat", "light"]})
    rows = [r for r in found.block("simple_seat_light").rows if r["term"].s == "seat"]
    mse = found.facts["residual.ss"] / found.facts["residual.df"]
    total = sum(r["f"].v * r["df1"].v for r in rows) * mse
    assert total == pytest.approx(found.facts["seat.ss"] + found.facts["seat:light.ss"])


def test_one_million_rows_are_the_same_problem_as_their_cells() -> None:
    n = 20_000
    a, b = RNG.integers(0, 4, n), RNG.integers(0, 3, n)
    x = RNG.normal(size=(n, 2))
    y = a - b * 0.5 + x @ [0.3, -0.2] + RNG.normal(size=n)
    model = LinearModel(
        cells_of(y, [Factor("a", a, tuple("abcd")), Factor("b", b, tuple("xyz"))], x),
        [(-1,), (-2,), (0,), (1,), (0, 1)],
    )
    fit = smf.ols(
        "y ~ x0 + x1 + C(a)*C(b)", pd.DataFrame({"y": y, "a": a, "b": b, "x0": x[:, 0], "x1": x[:, 1]})
    ).fit()
    assert (model.rss, model.df) == pytest.approx((fit.ssr, fit.df_resid), rel=1e-10)
    assert [s for s, _ in model.slopes()] == pytest.approx([fit.params.x0, fit.params.x1], rel=1e-8)


def test_blocks_against_the_library_also_when_incomplete() -> None:
    table = demo_tables()["Story hours"]
    frame = table.frame.astype({"telling": str, "group": str})
    for data, where in ((frame, None), (frame.iloc[3:], "row > 3")):
        found = answer(
            "compare_groups", table, {"response": "words", "groups": "telling", "block": "group", "where": where}
        )
        there = anova_lm(smf.ols("words ~ C(telling) + C(group)", data).fit(), typ=2)
        assert found.facts["anova.f"] == pytest.approx(there.F["C(telling)"], rel=1e-8)
        assert found.facts["blocks.f"] == pytest.approx(there.F["C(group)"], rel=1e-8)


def test_additivity_is_tukeys_regression_on_squared_fits() -> None:
    table = demo_tables()["Story hours"]
    found = answer("compare_groups", table, {"response": "words", "groups": "telling", "block": "group"})
    frame = table.frame.astype({"telling": str, "group": str})
    first = smf.ols("words ~ C(telling) + C(group)", frame).fit()
    second = smf.ols("words ~ C(telling) + C(group) + q", frame.assign(q=first.fittedvalues**2)).fit()
    check = next(c for c in found.checks if c.id == "additive")
    assert check.facts["additive.p"] == pytest.approx(second.pvalues.q, rel=1e-6)


def test_friedman_against_the_library_with_ties() -> None:
    y = RNG.integers(0, 5, (11, 4)).astype(float) + np.arange(4) * 0.5
    y = np.round(y)
    found = friedman(y)
    there = stats.friedmanchisquare(*y.T)
    assert (found.chi2, found.p) == pytest.approx((there.statistic, there.pvalue), rel=1e-10)
    assert found.w == pytest.approx(found.chi2 / (11 * 3))
    # Kendall's W from the mean rank correlation of all pairs of blocks, without ties.
    z = RNG.normal(size=(8, 5))
    rho = stats.spearmanr(z.T).statistic
    mean = (rho.sum() - 8) / 56
    assert friedman(z).w == pytest.approx((mean * 7 + 1) / 8)


def test_permutation_within_blocks_agrees_with_f() -> None:
    y = RNG.normal(size=(20, 4)) + np.arange(4) * 0.28
    long = pd.DataFrame({"y": y.ravel(), "t": np.tile(np.arange(4), 20), "b": np.repeat(np.arange(20), 4)})
    for rows in (long, long.drop(index=[0, 5, 6, 33, 70])):  # complete blocks, and some that lack a group
        p = draws.within_blocks(rows["y"].to_numpy(), rows["t"].to_numpy(), rows["b"].to_numpy(), 20_000, 3).p
        f = anova_lm(smf.ols("y ~ C(t) + C(b)", rows).fit(), typ=2)
        assert p == pytest.approx(f["PR(>F)"]["C(t)"], abs=0.01)


def test_repeated_measures_against_the_library() -> None:
    table = demo_tables()["Fluency"]
    found = answer(
        "repeated", table, {"response": "fluency", "subject": "child", "within": "week", "correction": "none"}
    )
    there = AnovaRM(table.frame.astype({"child": str}), "fluency", "child", within=["week"]).fit().anova_table
    assert found.facts["within.f"] == pytest.approx(there["F Value"]["week"], rel=1e-9)
    assert found.facts["within.p"] == pytest.approx(there["Pr > F"]["week"], rel=1e-6)


def test_groups_by_times_against_nested_regressions() -> None:
    """Balanced: split-plot sums of squares by regressions with subjects as dummies."""
    table = demo_tables()["Fluency"]
    d = table.frame.astype({"child": str, "week": str, "tutoring": str})
    found = answer(
        "repeated",
        table,
        {"response": "fluency", "subject": "child", "within": "week", "between": "tutoring", "correction": "none"},
    )
    subjects = smf.ols("fluency ~ C(child)", d).fit()
    times = smf.ols("fluency ~ C(child) + C(week)", d).fit()
    both = smf.ols("fluency ~ C(child) + C(week) + C(week):C(tutoring)", d).fit()
    free = 33 * 5
    error = both.ssr / free
    assert found.facts["within.f"] == pytest.approx((subjects.ssr - times.ssr) / 5 / error, rel=1e-8)
    assert found.facts["within:Tutoring.f"] == pytest.approx((times.ssr - both.ssr) / 10 / error, rel=1e-8)
    means = d.groupby(["child", "tutoring"], observed=True).fluency.mean().reset_index()
    one_way = stats.f_oneway(*(g.fluency for _, g in means.groupby("tutoring")))
    assert found.facts["between:Tutoring.f"] == pytest.approx(one_way.statistic, rel=1e-8)


def test_wide_says_what_long_says() -> None:
    long = demo_tables()["Fluency"]
    wide = long.frame.pivot(index=["child", "tutoring"], columns="week", values="fluency").reset_index()
    table = table_from(**{f"w{k}" if isinstance(k, int) else k: wide[k].tolist() for k in wide})
    a = answer("repeated", long, {"response": "fluency", "subject": "child", "within": "week", "between": "tutoring"})
    b = answer("repeated", table, {"columns": [f"w{i}" for i in range(1, 7)], "between": "tutoring"})
    for key in ("within.f", "within.p", "epsilon.gg", "epsilon.hf", "mauchly.w"):
        assert a.facts[key] == pytest.approx(b.facts[key], rel=1e-9)


def test_epsilon_by_boxes_formula() -> None:
    """Box (1954): ε from the covariance matrix of the times themselves, without contrasts."""
    y = RNG.normal(size=(14, 5)) @ RNG.normal(size=(5, 5))
    s = np.cov(y.T)
    k = 5
    top = (k * (np.trace(s) / k - s.mean())) ** 2
    below = (k - 1) * ((s**2).sum() - 2 * k * (s.mean(axis=1) ** 2).sum() + k**2 * s.mean() ** 2)
    found = effects(y, {}, "time").sphericity
    assert found is not None
    assert found.greenhouse_geisser == pytest.approx(top / below, rel=1e-9)
    n = 14
    plain = (n * (k - 1) * found.greenhouse_geisser - 2) / ((k - 1) * (n - 1 - (k - 1) * found.greenhouse_geisser))
    assert found.huynh_feldt == pytest.approx(max(min(plain, 1), found.greenhouse_geisser), rel=1e-9)


def test_epsilon_at_its_bounds() -> None:
    one = RNG.normal(size=(12, 1)) @ RNG.normal(size=(1, 4))
    low = effects(one + RNG.normal(size=(12, 4)) * 1e-6, {}, "t").sphericity
    assert low is not None and low.greenhouse_geisser == pytest.approx(1 / 3, abs=1e-4)
    even = sphericity(np.eye(4) * 7, 20)
    assert (even.greenhouse_geisser, even.huynh_feldt, even.w) == pytest.approx((1, 1, 1))
    assert even.p == pytest.approx(1)


def test_mauchly_holds_its_level() -> None:
    """Under sphericity p is close to uniform."""
    rng = np.random.default_rng(11)
    ps = [effects(rng.normal(size=(20, 4)), {}, "t").sphericity.p for _ in range(1500)]  # type: ignore[union-attr]
    assert np.mean(np.array(ps) < 0.05) == pytest.approx(0.05, abs=0.017)


def test_pairs_of_times_are_paired_t_tests() -> None:
    wide = demo_tables()["Fluency"].frame.pivot(index="child", columns="week", values="fluency")
    found = answer(
        "repeated", demo_tables()["Fluency"], {"response": "fluency", "subject": "child", "within": "week"}
    )
    first = found.block("pairs").rows[0]
    there = stats.ttest_rel(wide[1], wide[2])
    assert (first["t"].v, first["p"].v) == pytest.approx((there.statistic, there.pvalue), rel=1e-9)
