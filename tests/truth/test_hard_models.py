"""Models under hard data: large offsets, cells without rows, rows that decide alone, few clusters, separation."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.api as sm
import statsmodels.formula.api as smf
from scipy import stats

from tests.tables import table_from
from yavik.core.methods.predict.linear.fit import fit_linear
from yavik.core.methods.registry import answer, parse_spec

RNG = np.random.default_rng(12)


def cells(found: Any, block: str, key: str) -> list[Any]:
    return [row[key].v for row in found.block(block).rows]


def powers(name: str, most: int) -> list[Any]:
    return [name, *({"column": name, "power": k} for k in range(2, most + 1))]


# ---- offsets and scales


def test_powers_of_years_predict_as_centred_ones_do() -> None:
    year = np.repeat(np.arange(1990, 2021), 8)
    z = year - 2005.0
    y = np.round(5 + 0.3 * z - 0.02 * z**2 + 0.001 * z**3 + RNG.normal(size=len(z)), 3)
    found = answer(
        "linear",
        table_from(y=y, year=year),
        {"response": "y", "terms": powers("year", 4), "predict_at": [{"year": 2000}, {"year": 2020}]},
    )
    x = np.column_stack([z**k for k in range(5)])
    other = sm.OLS(y, x).fit()
    frame = other.get_prediction(np.array([[float(k) ** j for j in range(5)] for k in (-5, 15)])).summary_frame()
    for key, column in (
        ("estimate", "mean"),
        ("ci_low", "mean_ci_lower"),
        ("ci_high", "mean_ci_upper"),
        ("pi_low", "obs_ci_lower"),
    ):
        assert cells(found, "cases", key) == pytest.approx(frame[column].tolist(), rel=1e-9)
    assert found.facts["year^4.t"] == pytest.approx(other.tvalues[4], rel=1e-8)
    # The printed equation gives the fitted values to the data's own precision.
    text = found.block("equations").rows[0]["equation"].s.replace("−", "-").replace("\u2009", "")
    code = text.split("=")[1].replace("×", "*").replace("²", "**2").replace("³", "**3").replace("⁴", "**4")
    assert np.abs(eval(code, {"year": year}) - other.fittedvalues).max() < 0.0005


@pytest.mark.parametrize(("shift", "scale"), [(1e6, 1.0), (1e9, 1.0), (0.0, 1e-6), (0.0, 1e7), (-3e8, 250.0)])
def test_a_shift_or_scale_of_a_measure_changes_only_what_it_must(shift: float, scale: float) -> None:
    n = 80
    x, w, g = RNG.normal(size=n), RNG.normal(size=n), RNG.choice(["a", "b", "c"], n)
    y = x + 0.4 * x**2 + (g == "b") * x + RNG.normal(size=n)
    b = np.where(RNG.random(n) < 1 / (1 + np.exp(-y)), "yes", "no")
    terms = ["x", {"column": "x", "power": 2}, "g", {"interaction": ["x", "g"]}, "w"]
    for method, response in (("linear", "y"), ("logistic", "b")):
        one = answer(method, table_from(x=x, w=w, g=g, y=y, b=b), {"response": response, "terms": terms})
        two = answer(
            method, table_from(x=shift + scale * x, w=w, g=g, y=y, b=b), {"response": response, "terms": terms}
        )
        kept = [
            k
            for k in one.facts
            if k.startswith(("x^2", "x*g", "g*x", "w.", "r2", "auc", "aic", "f", "p", "likelihood"))
        ]
        moving = (".b", ".se", ".odds_ratio")
        for key in kept:
            if not (key.startswith("x") and key.endswith(moving)) and isinstance(one.facts[key], float):
                assert two.facts[key] == pytest.approx(one.facts[key], rel=1e-5, abs=1e-9), (method, key)


def test_slopes_are_derivatives() -> None:
    x, g = RNG.uniform(-1, 3, 120), np.tile(["a", "b"], 60)
    y = x**3 - x + (g == "b") * x + RNG.normal(size=120) / 10
    terms = [*powers("x", 3), "g", {"interaction": ["x", "g"]}]
    found = answer("linear", table_from(x=x, g=g, y=y), {"response": "y", "terms": terms, "at": {"x": 1.0}})
    fit = smf.ols("y ~ x + I(x**2) + I(x**3) + C(g) + x:C(g)", pd.DataFrame({"x": x, "g": g, "y": y})).fit()
    line = np.zeros(len(fit.params))
    for k, name in enumerate(fit.params.index):
        line[k] = {"x": 1.0, "I(x ** 2)": 2.0, "I(x ** 3)": 3.0}.get(name, 0.0)
    own = fit.t_test(line)
    assert cells(found, "slopes", "estimate")[0] == pytest.approx(float(own.effect[0]), rel=1e-8)
    assert cells(found, "slopes", "se")[0] == pytest.approx(float(own.sd[0, 0]), rel=1e-8)


def test_means_over_very_many_combinations_are_still_those_of_all_levels_alike() -> None:
    n = 900
    data = {f"f{i}": RNG.choice([f"{i}{c}" for c in "abcdef"], n) for i in range(6)}
    y = RNG.normal(size=n) + (data["f0"] == "0b")
    found = answer("linear", table_from(y=y, **data), {"response": "y", "terms": list(data)})
    fit = smf.ols("y ~ " + " + ".join(data), pd.DataFrame({"y": y, **data})).fit()
    line = np.zeros(len(fit.params))
    line[0] = 1
    for k, name in enumerate(fit.params.index):
        if name.startswith("f") and not name.startswith("f0"):
            line[k] = 1 / 6
    assert cells(found, "means", "mean")[0] == pytest.approx(float(fit.t_test(line).effect[0]), rel=1e-9)


# ---- what cannot be estimated


@pytest.mark.parametrize("reference", [{}, {"a": "u"}, {"a": "v", "b": "q"}])
def test_cells_without_rows_are_said_whatever_the_reference(reference: dict[str, str]) -> None:
    rng = np.random.default_rng(5)
    a, b = rng.choice(["t", "u", "v"], 90), rng.choice(["p", "q"], 90)
    keep = ~((a == "t") & (b == "p"))
    a, b = a[keep], b[keep]
    y = rng.normal(size=len(a)) + (a == "u")
    spec = {"response": "y", "terms": ["a", "b", {"interaction": ["a", "b"]}], "reference": reference}
    found = answer("linear", table_from(y=y, a=a, b=b), spec)
    means = {r["level"].s: r["mean"] for r in found.block("means").rows}
    assert means["t"].v is None and "no row used" in (means["t"].why or "")
    cell = {k: y[(a == "u") & (b == k)].mean() for k in "pq"}
    assert means["u"].v == pytest.approx(np.mean(list(cell.values())), rel=1e-9)
    tests = {r["term"].s: r["p"] for r in found.block("terms").rows}
    assert tests["a"].v is None and tests["b"].v is None
    untold = [r["equation"].v for r in found.block("equations").rows if r["level"].s in ("t, p", "p, t")]
    assert untold == [None]


def test_a_row_that_decides_alone_has_no_robust_error() -> None:
    g = np.array(["a"] * 15 + ["b"] * 15 + ["c"])
    y = RNG.normal(size=31)
    table = table_from(y=y, g=g)
    for se in ("hc2", "hc3"):
        found = answer("linear", table, {"response": "y", "terms": ["g"], "se": se})
        rows = {r["term"].s: r for r in found.block("coefficients").rows}
        assert rows["g: c"]["se"].v is None and rows["g: c"]["estimate"].v == pytest.approx(y[-1] - y[:15].mean())
        plain = sm.OLS(y[:-1], np.column_stack([np.ones(30), g[:-1] == "b"]).astype(float)).fit(cov_type=se.upper())
        assert rows["g: b"]["se"].v == pytest.approx(plain.bse[1], rel=1e-9)
        check = next(c for c in found.checks if c.id == "decided")
        assert "row 31" in check.text.lower() and any(r.spec == {"se": "hc1"} for r in check.remedies)
        assert "f" not in found.facts


def test_partial_eta2_comes_from_sums_of_squares() -> None:
    x, g = RNG.normal(size=60), np.tile(["a", "b", "c"], 20)
    table = table_from(y=x * (g == "a") + RNG.normal(size=60), x=x, g=g)
    plain = answer("linear", table, {"response": "y", "terms": ["x", "g"]})
    robust = answer("linear", table, {"response": "y", "terms": ["x", "g"], "se": "hc3"})
    assert cells(robust, "terms", "partial_eta2") == pytest.approx(cells(plain, "terms", "partial_eta2"))


def test_without_an_intercept_levels_have_their_means_and_r2_its_name() -> None:
    g = np.tile(["a", "b", "c"], 20)
    y = 5 + (g == "b") + RNG.normal(size=60)
    table = table_from(y=y, g=g, w=RNG.uniform(1, 2, 60))
    found = answer("linear", table, {"response": "y", "terms": ["g"], "intercept": False})
    assert cells(found, "coefficients", "estimate") == pytest.approx([y[g == k].mean() for k in "abc"])
    assert "about zero" in found.headline and found.block("fit").rows[0]["what"].s == "R² about zero"
    models = [
        {"method": "linear", "spec": {"response": "y", "terms": ["g"]}},
        {"method": "linear", "spec": {"response": "y", "terms": ["g"], "intercept": False}},
        {"method": "linear", "spec": {"response": "y", "terms": ["g"], "weights": "w"}},
    ]
    lined = answer("line_up", table, {"models": models})
    assert "Best" not in lined.headline
    assert not any(c.strong for r in lined.block("models").rows if r["term"].s == "R²" for c in r.values())
    check = next(c for c in lined.checks if c.id == "footing")
    assert "weighted" in check.text and "about zero" in check.text


def test_single_rows_scatter_as_the_terms_say() -> None:
    """Coverage of prediction intervals at the ends, where the spread is smallest and largest."""
    rng, hits, tried = np.random.default_rng(8), {0.0: 0, 10.0: 0}, 300
    for _ in range(tried):
        x = rng.uniform(0, 10, 120)
        y = 2 + x + rng.normal(size=120) * (0.3 + 0.3 * x)
        spec = {"response": "y", "terms": ["x"], "se": "hc3", "predict_at": [{"x": v} for v in hits]}
        m = fit_linear(table_from(x=x, y=y), parse_spec("linear", spec))
        for v in hits:
            row, _ = m.data.points({"x": v})
            ends = m.fitted.single(row)
            assert ends is not None
            new = 2 + v + rng.normal() * (0.3 + 0.3 * v)
            hits[v] += bool(ends[0][0] <= new <= ends[1][0])
    assert all(0.91 <= h / tried <= 0.995 for h in hits.values()), hits


# ---- clusters


def few(rng: np.random.Generator, g: int, size: int = 12) -> pd.DataFrame:
    own = np.repeat(np.arange(g), size)
    return pd.DataFrame(
        {
            "c": [f"c{i:02d}" for i in own],
            "x": rng.normal(size=g)[own] + rng.normal(size=len(own)) / 4,
            "d": rng.choice(list("pqrstu"), len(own)),
            "y": rng.normal(size=g)[own] + rng.normal(size=len(own)),
        }
    )


def test_cr2_and_its_degrees_of_freedom_by_their_definition() -> None:
    f = few(np.random.default_rng(3), 9, 7)
    found = answer(
        "linear", table_from(**{k: f[k] for k in f}), {"response": "y", "terms": ["x"], "se": "cr2", "cluster": "c"}
    )
    x = np.column_stack([np.ones(len(f)), f["x"]])
    m = np.linalg.inv(x.T @ x)
    h = x @ m @ x.T
    e = f["y"].to_numpy() - h @ f["y"].to_numpy()
    meat, vectors = np.zeros((2, 2)), []
    line = m @ np.array([0.0, 1.0])
    for c in sorted(set(f["c"])):
        own = np.flatnonzero(f["c"] == c)
        values, basis = np.linalg.eigh(np.eye(len(own)) - h[np.ix_(own, own)])
        a = (basis / np.sqrt(values)) @ basis.T
        s = x[own].T @ a @ e[own]
        meat += np.outer(s, s)
        vectors.append((np.eye(len(f)) - h)[:, own] @ a @ x[own] @ line)
    covariance = m @ meat @ m
    p = np.column_stack(vectors)
    df = np.trace(p.T @ p) ** 2 / ((p.T @ p) ** 2).sum()
    row = found.block("coefficients").rows[1]
    assert row["se"].v == pytest.approx(np.sqrt(covariance[1, 1]), rel=1e-8)
    t = row["estimate"].v / row["se"].v
    assert row["p"].v == pytest.approx(2 * stats.t.sf(abs(t), df), rel=1e-6)


def test_few_clusters_are_not_asked_more_than_they_carry() -> None:
    f = few(np.random.default_rng(4), 5)
    table = table_from(**{k: f[k] for k in f})
    for se in ("cluster", "cr2"):
        found = answer("linear", table, {"response": "y", "terms": ["x", "d"], "se": se, "cluster": "c"})
        cell = next(r["p"] for r in found.block("terms").rows if r["term"].s == "d")
        assert cell.v is None and "cluster" in (cell.why or "")
    check = next(
        c
        for c in answer("linear", table, {"response": "y", "terms": ["x"], "se": "cluster", "cluster": "c"}).checks
        if c.id == "clusters"
    )
    assert check.verdict.value == "fails" and [r.spec for r in check.remedies] == [{"se": "cr2"}, {"se": "wild"}]


@pytest.mark.parametrize(("se", "low", "high"), [("cluster", 0.08, 1.0), ("cr2", 0.0, 0.075), ("wild", 0.0, 0.085)])
def test_false_alarms_with_eight_clusters(se: str, low: float, high: float) -> None:
    rng, alarms, tried = np.random.default_rng(21), 0, 240
    for _ in range(tried):
        f = few(rng, 8)
        spec = {"response": "y", "terms": ["x"], "se": se, "cluster": "c"}
        m = fit_linear(table_from(**{k: f[k] for k in ("y", "x", "c")}), parse_spec("linear", spec))
        test = m.tested(m.data.design.tested(0))
        assert not isinstance(test, str)
        alarms += test.p < 0.05
    assert low <= alarms / tried <= high, alarms / tried


# ---- separation, penalty, robust errors of yes/no models


@pytest.mark.parametrize("link", ["logit", "probit", "cloglog"])
@pytest.mark.parametrize("n", [60, 200, 30_000])
def test_a_level_that_is_all_yes_is_found_at_any_size(link: str, n: int) -> None:
    rng = np.random.default_rng(6)
    g, x = rng.choice(["a", "b", "c"], n), rng.normal(size=n)
    y = np.where((rng.random(n) < 0.4) | (g == "c"), "yes", "no")
    found = answer("logistic", table_from(y=y, g=g, x=x), {"response": "y", "terms": ["g", "x"], "link": link})
    rows = {r["term"].s: r for r in found.block("coefficients").rows}
    assert rows["g: c"]["estimate"].v is None and rows["g: b"]["estimate"].v is not None
    check = next(c for c in found.checks if c.id == "separation")
    assert check.verdict.value == "fails" and "g: c" in check.text


def test_strong_terms_are_no_separation() -> None:
    rng = np.random.default_rng(9)
    x = rng.normal(size=4000)
    y = np.where(rng.random(4000) < 1 / (1 + np.exp(-12 * x)), "yes", "no")
    found = answer("logistic", table_from(y=y, x=x), {"response": "y", "terms": ["x"]})
    assert next(c for c in found.checks if c.id == "separation").verdict.value == "holds"
    assert found.facts["x.b"] == pytest.approx(12, rel=0.15)


@pytest.mark.parametrize("penalty", ["none", "firth"])
def test_a_selection_keeps_a_term_that_separates(penalty: str) -> None:
    rng = np.random.default_rng(10)
    g, x = rng.choice(["a", "b", "c"], 240), rng.normal(size=240)
    y = np.where((rng.random(240) < 0.3) | (g == "c"), "yes", "no")
    for way in ("backward", "stepwise"):
        spec = {"response": "y", "terms": ["g", "x"], "selection": way, "penalty": penalty}
        found = answer("logistic", table_from(y=y, g=g, x=x), spec)
        assert found.model and [t.key for t in found.model.terms] == ["g"]


def test_p_under_the_penalty_agrees_with_its_interval() -> None:
    rng = np.random.default_rng(11)
    for _ in range(12):
        x, g = rng.normal(size=24), rng.choice(["a", "b"], 24)
        y = np.where(rng.random(24) < 1 / (1 + np.exp(-x - (g == "b"))), "yes", "no")
        found = answer(
            "logistic", table_from(y=y, x=x, g=g), {"response": "y", "terms": ["x", "g"], "penalty": "firth"}
        )
        for row in found.block("coefficients").rows[1:]:
            low, high = row["ci_low"].v, row["ci_high"].v
            outside = (low is not None and low > 1) or (high is not None and high < 1)
            assert (row["p"].v < 0.05) == outside


def test_robust_errors_and_average_effects_against_the_library() -> None:
    rng = np.random.default_rng(13)
    f = pd.DataFrame(
        {"x": rng.normal(size=400), "g": rng.choice(["a", "b", "c"], 400), "c": rng.integers(0, 25, 400)}
    )
    f["y"] = (rng.random(400) < 1 / (1 + np.exp(-(f["x"] + (f["g"] == "b"))))).astype(int)
    table = table_from(y=f["y"], x=f["x"], g=f["g"], c=[f"c{i}" for i in f["c"]])
    base = {"response": "y", "terms": ["x", "g"]}
    for link, family in (
        ("logit", sm.families.Binomial()),
        ("probit", sm.families.Binomial(sm.families.links.Probit())),
    ):
        fit = smf.glm("y ~ x + C(g)", f, family=family).fit(cov_type="HC0", tol=1e-12)
        found = answer("logistic", table, {**base, "se": "hc0", "link": link})
        order = ["Intercept", "x", "C(g)[T.b]", "C(g)[T.c]"]
        # The library takes the observed information; for probit ours is the expected one.
        own = cells(found, "coefficients", "se")
        assert own == pytest.approx([fit.bse[k] for k in order], rel=1e-6 if link == "logit" else 0.05)
    fit = smf.logit("y ~ x + C(g)", f).fit(disp=0)
    plain = answer("logistic", table, base)
    effects = fit.get_margeff(dummy=True)
    names = dict(zip(effects.summary_frame().index, range(3), strict=True))
    frame = effects.summary_frame()
    rows = {r["term"].s: r for r in plain.block("marginal").rows}
    for theirs in ("x", "C(g)[T.b]"):
        assert theirs in names
    assert rows["x"]["estimate"].v == pytest.approx(frame.loc["x", "dy/dx"], rel=1e-6)
    assert rows["x"]["se"].v == pytest.approx(frame.loc["x", "Std. Err."], rel=1e-5)
    # A level's effect is against its reference with the other levels' rows moved too.
    at = f.assign(g="b"), f.assign(g="a")
    assert rows["g: b rather than a"]["estimate"].v == pytest.approx(
        float((fit.predict(at[0]) - fit.predict(at[1])).mean()), rel=1e-6
    )
    clustered = smf.logit("y ~ x + C(g)", f).fit(disp=0, cov_type="cluster", cov_kwds={"groups": f["c"]})
    found = answer("logistic", table, {**base, "se": "cluster", "cluster": "c"})
    assert cells(found, "coefficients", "se")[1] == pytest.approx(clustered.bse["x"], rel=1e-5)


def test_nothing_found_is_not_told_as_found() -> None:
    rng = np.random.default_rng(14)
    found = answer(
        "logistic",
        table_from(y=rng.choice(["yes", "no"], 80), x=np.round(rng.normal(size=80), 2)),
        {"response": "y", "terms": ["x"]},
    )
    assert (found.facts["p"] < 0.05) != found.headline.startswith("There is no evidence")
