"""Models side by side: each measure and each test of neighbours by a general library's fits of the same rows."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.api as sm
import statsmodels.formula.api as smf
from scipy import stats

from tests.tables import table_from
from yavik.core.answers import Answer
from yavik.core.methods import answer

SMALL, LARGE = ["x"], ["x", "z", "g"]
FORMULA = {"small": "{} ~ x", "large": "{} ~ x + z + C(g)"}


def data(n: int = 240, seed: int = 11) -> pd.DataFrame:
    """A measure, a yes/no, a count and a measure within units, each with something to be explained."""
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=n), rng.normal(2, 3, n)
    g = np.array(list("abcd"))[rng.integers(0, 4, n)]
    shift = pd.Series(g).map({"a": 0.0, "b": 0.5, "c": -0.4, "d": 0.2}).to_numpy()
    line = 0.4 * x + 0.1 * z + shift
    unit = np.repeat(np.arange(n // 8), 8)
    return pd.DataFrame({
        "x": x, "z": z, "g": g, "unit": [f"u{u}" for u in unit],
        "mass": 10 + line + rng.normal(size=n),
        "open": np.where(rng.random(n) < 1 / (1 + np.exp(-line)), "yes", "no"),
        "seeds": rng.poisson(np.exp(0.8 + 0.5 * line)),
        "height": 5 + line + rng.normal(size=n // 8)[unit] + rng.normal(size=n),
    })  # fmt: skip


def lined(frame: pd.DataFrame, method: str, response: str, *terms: list[Any], **more: Any) -> Answer:
    table = table_from(**{c: frame[c].tolist() for c in frame})
    models = [{"method": method, "spec": {"response": response, "terms": t, **more}} for t in terms]
    return answer("line_up", table, {"models": models})


def fits(frame: pd.DataFrame, response: str, family: Any = None) -> tuple[Any, Any]:
    numeric = frame.assign(open=(frame["open"] == "yes").astype(float))
    made = [
        smf.ols(f.format(response), numeric)
        if family is None
        else smf.glm(f.format(response), numeric, family=family)
        for f in FORMULA.values()
    ]
    return made[0].fit(), made[1].fit()


def test_linear_models_are_judged_by_f() -> None:
    frame = data()
    found, (small, large) = lined(frame, "linear", "mass", SMALL, LARGE), fits(frame, "mass")
    f, p, k = large.compare_f_test(small)
    assert (found.facts["2.against_before.statistic"], found.facts["2.against_before.p"]) == pytest.approx((f, p))
    assert k == 4
    for name, fit in (("1", small), ("2", large)):
        assert found.facts[f"{name}.r2"] == pytest.approx(fit.rsquared)
        assert found.facts[f"{name}.adjusted_r2"] == pytest.approx(fit.rsquared_adj)
        assert found.facts[f"{name}.log_likelihood"] == pytest.approx(fit.llf)
        # The residual variance counts as a parameter of its own.
        k = fit.df_model + 2
        assert found.facts[f"{name}.aic"] == pytest.approx(2 * k - 2 * fit.llf)
        assert found.facts[f"{name}.bic"] == pytest.approx(np.log(len(frame)) * k - 2 * fit.llf)
        left_out = fit.get_influence().resid_press
        assert found.facts[f"{name}.predicted_r2"] == pytest.approx(1 - (left_out**2).sum() / fit.centered_tss)
        assert found.facts[f"{name}.residual_sd"] == pytest.approx(np.sqrt(fit.mse_resid))


@pytest.mark.parametrize(
    ("method", "response", "family"),
    [("logistic", "open", sm.families.Binomial()), ("counts_model", "seeds", sm.families.Poisson())],
)
def test_models_by_likelihood_are_judged_by_its_ratio(method: str, response: str, family: Any) -> None:
    frame = data()
    found, (small, large) = lined(frame, method, response, SMALL, LARGE), fits(frame, response, family)
    ratio = 2 * (large.llf - small.llf)
    assert found.facts["2.against_before.statistic"] == pytest.approx(ratio)
    assert found.facts["2.against_before.p"] == pytest.approx(stats.chi2.sf(ratio, 4))
    for name, fit in (("1", small), ("2", large)):
        k = fit.df_model + 1
        assert found.facts[f"{name}.log_likelihood"] == pytest.approx(fit.llf)
        assert found.facts[f"{name}.aic"] == pytest.approx(2 * k - 2 * fit.llf)
        assert found.facts[f"{name}.bic"] == pytest.approx(np.log(len(frame)) * k - 2 * fit.llf)


def test_the_order_of_models_says_nothing_of_their_test() -> None:
    frame = data()
    up = lined(frame, "counts_model", "seeds", SMALL, LARGE)
    down = lined(frame, "counts_model", "seeds", LARGE, SMALL)
    for key in ("2.against_before.statistic", "2.against_before.p"):
        assert up.facts[key] == pytest.approx(down.facts[key])


def test_mixed_models_by_the_full_likelihood_are_judged_by_its_ratio() -> None:
    frame = data()
    found = lined(frame, "mixed", "height", SMALL, LARGE, random=[{"units": ["unit"]}], fit="ml")
    small, large = (
        smf.mixedlm(f.format("height"), frame, groups=frame["unit"]).fit(reml=False) for f in FORMULA.values()
    )
    ratio = 2 * (large.llf - small.llf)
    assert found.facts["2.against_before.statistic"] == pytest.approx(ratio, rel=1e-4)
    assert found.facts["2.against_before.p"] == pytest.approx(stats.chi2.sf(ratio, 4), rel=1e-3)
    for name, fit in (("1", small), ("2", large)):
        k = len(fit.fe_params) + 2
        assert found.facts[f"{name}.log_likelihood"] == pytest.approx(fit.llf, abs=1e-5)
        assert found.facts[f"{name}.aic"] == pytest.approx(2 * k - 2 * fit.llf, abs=1e-4)
        assert found.facts[f"{name}.bic"] == pytest.approx(np.log(len(frame)) * k - 2 * fit.llf, abs=1e-4)


def test_mixed_models_by_the_restricted_likelihood_are_not() -> None:
    found = lined(data(), "mixed", "height", SMALL, LARGE, random=[{"units": ["unit"]}])
    assert "2.against_before.p" not in found.facts
    why = found.block("models").rows[-1]["m1"].why or ""
    assert "restricted likelihoods of other terms cannot be compared" in why


def test_a_term_that_says_nothing_is_judged_rightly_often() -> None:
    """Of 250 tests of a column of noise about one in twenty is below .05 (binomial bounds at 99.9%)."""
    rng = np.random.default_rng(4)
    low = 0
    for _ in range(250):
        frame = pd.DataFrame({"x": rng.normal(size=60), "z": rng.normal(size=60)})
        frame["mass"] = frame["x"] + rng.normal(size=60)
        low += float(lined(frame, "linear", "mass", ["x"], ["x", "z"]).facts["2.against_before.p"]) < 0.05
    assert stats.binom.ppf(0.0005, 250, 0.05) <= low <= stats.binom.ppf(0.9995, 250, 0.05)


@pytest.mark.parametrize("by", [1e-6, 1e9])
def test_units_of_a_measure_move_no_test(by: float) -> None:
    frame = data()
    wide = frame.assign(z=frame["z"] * by + by, mass=frame["mass"] * by)
    for method, response in (("linear", "mass"), ("logistic", "open"), ("counts_model", "seeds")):
        a, b = lined(frame, method, response, SMALL, LARGE), lined(wide, method, response, SMALL, LARGE)
        assert a.facts["2.against_before.p"] == pytest.approx(b.facts["2.against_before.p"], rel=1e-6)
