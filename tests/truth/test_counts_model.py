"""Models of counts against published tables, a general library, and the likelihood itself."""

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import optimize, special, stats
from statsmodels.discrete.discrete_model import NegativeBinomial

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.binary import Prepared
from yavik.core.stats.count_checks import count_probabilities, infinite_directions, overdispersion, robust
from yavik.core.stats.count_models import fit_counts, log_likelihood, null_deviance, spread_of, spread_slope
from yavik.core.table import DataProblem

DEATHS = {"age": ["35-44", "45-54", "55-64", "65-74", "75-84"] * 2, "smokes": ["yes"] * 5 + ["no"] * 5,
          "deaths": [32, 104, 206, 186, 102, 2, 12, 28, 28, 31],
          "years": [52407, 43248, 28612, 12663, 5317, 18790, 10673, 5710, 2585, 1462]}  # fmt: skip
"""Coronary deaths of doctors who smoke and who do not (Breslow & Day, 1987; Dobson, 2002)."""


def made(n: int = 400, seed: int = 3, extra: float = 0.0) -> tuple[Any, Any, Any]:
    """A design with an intercept, far from its zero; counts; exposures."""
    rng = np.random.default_rng(seed)
    x = np.column_stack([rng.normal(size=n), rng.normal(1e4, 100, n)])
    exposure = rng.uniform(0.5, 3, n)
    mean = exposure * np.exp(0.3 + 0.5 * x[:, 0] - 0.002 * (x[:, 1] - 1e4))
    if extra:
        mean = rng.gamma(1 / extra, mean * extra)
    return x, rng.poisson(mean).astype(float), exposure


def prepared(x: Any, y: Any) -> Prepared:
    centre, scale = x.mean(axis=0), x.std(axis=0)
    return Prepared(np.column_stack([np.ones(len(y)), (x - centre) / scale]), y, centre, scale, True)


def test_deaths_of_british_doctors() -> None:
    """Poisson with person-years: the smokers' rate ratio of 1.43 (1.16 to 1.76), as the texts have it."""
    table = table_from(**DEATHS)
    spec = {"response": "deaths", "terms": ["age", "smokes"], "exposure": "years", "reference": {"smokes": "no"}}
    found = answer("counts_model", table, spec)
    row = next(r for r in found.block("coefficients").rows if r["term"].s == "smokes: yes")
    assert (
        row["rate_ratio"].s == "1.43"
        and row["ci_low"].v == pytest.approx(1.155, abs=5e-4)
        and row["ci_high"].s == "1.76"
    )
    assert (round(row["estimate"].v, 4), round(row["se"].v, 4)) == (0.3545, 0.1074)
    assert found.facts["deviance"] == pytest.approx(12.13, abs=0.005)
    assert found.facts["residual.df"] == 4
    assert "The rate of deaths per unit of years goes with" in found.headline


@pytest.mark.parametrize("kind", ["HC0", "HC1"])
def test_poisson_is_that_of_a_general_library(kind: str) -> None:
    x, y, exposure = made()
    found, offset = fit_counts(prepared(x, y), np.log(exposure)), np.log(exposure)
    model = sm.GLM(y, sm.add_constant(x), family=sm.families.Poisson(), offset=offset)
    other = model.fit(tol=1e-13)
    assert found.coef == pytest.approx(other.params, rel=1e-8)
    assert np.sqrt(np.diag(found.covariance)) == pytest.approx(other.bse, rel=1e-6)
    assert found.log_likelihood == pytest.approx(other.llf) and found.deviance == pytest.approx(other.deviance)
    assert found.pearson == pytest.approx(other.pearson_chi2)
    assert null_deviance(y, offset, 0.0, True) == pytest.approx(other.null_deviance)
    loose = model.fit(tol=1e-13, cov_type="HC0").bse * (np.sqrt(len(y) / (len(y) - 1)) if kind == "HC1" else 1)
    assert np.sqrt(np.diag(robust(found, kind.lower()))) == pytest.approx(loose, rel=1e-6)


def test_leverage_and_what_rests_on_it() -> None:
    """HC2 and HC3 by the definition, with the projection written out."""
    x, y, _ = made(60)
    d = prepared(x, y)
    found = fit_counts(d)
    w = found.mu
    root = d.x * np.sqrt(w)[:, None]
    h = np.diag(root @ np.linalg.inv(root.T @ root) @ root.T)
    assert found.leverage == pytest.approx(h)
    for kind, power in (("hc2", 0.5), ("hc3", 1.0)):
        scores = d.x * ((y - found.mu) / (1 - h) ** power)[:, None]
        bread = np.linalg.inv(root.T @ root)
        turn = d.back()
        assert robust(found, kind) == pytest.approx(turn @ bread @ scores.T @ scores @ bread @ turn.T, rel=1e-6)


def test_clusters_sum_their_scores() -> None:
    x, y, _ = made(90)
    found, codes = fit_counts(prepared(x, y)), np.arange(90) % 15
    model = sm.GLM(y, sm.add_constant(x), family=sm.families.Poisson())
    other = model.fit(tol=1e-13, cov_type="cluster", cov_kwds={"groups": codes, "use_correction": False})
    by_hand = np.sqrt(np.diag(robust(found, "cluster", codes, 15)))
    assert by_hand == pytest.approx(other.bse * np.sqrt(15 / 14), rel=1e-6)


def test_negative_binomial_is_that_of_a_general_library() -> None:
    x, y, exposure = made(extra=0.5)
    d, offset = prepared(x, y), np.log(exposure)
    found = fit_counts(d, offset, "negative_binomial")
    other = NegativeBinomial(y, d.x, offset=offset).fit(disp=0, maxiter=500, method="bfgs", gtol=1e-8)
    assert found.alpha == pytest.approx(other.params[-1], rel=1e-5)
    assert found.log_likelihood == pytest.approx(other.llf)
    same = sm.GLM(y, sm.add_constant(x), family=sm.families.NegativeBinomial(alpha=found.alpha), offset=offset).fit(
        tol=1e-13
    )
    assert found.coef == pytest.approx(same.params, rel=1e-6)
    assert np.sqrt(np.diag(found.covariance)) == pytest.approx(same.bse, rel=1e-5)
    assert found.deviance == pytest.approx(same.deviance)
    assert found.aic == pytest.approx(-2 * other.llf + 2 * 4) and found.parameters == 4


@pytest.mark.parametrize("alpha", [1e-7, 1e-3, 0.02, 0.5, 30.0])
def test_the_slopes_of_the_spread_are_those_of_its_likelihood(alpha: float) -> None:
    _, y, _ = made(200, extra=0.5)
    mu, h = np.full(200, y.mean()), alpha * 1e-4

    def ll(a: float) -> float:
        return log_likelihood(y, np.log(mu), a)

    first, second = spread_slope(y, mu, alpha)
    assert first == pytest.approx((ll(alpha + h) - ll(alpha - h)) / (2 * h), rel=1e-3, abs=1e-3)
    one, two = spread_slope(y, mu, alpha + h)[0], spread_slope(y, mu, alpha - h)[0]
    assert second == pytest.approx((one - two) / (2 * h), rel=1e-3)


def test_large_counts_go_by_another_formula_to_the_same_numbers(monkeypatch: pytest.MonkeyPatch) -> None:
    _, y, _ = made(200, extra=0.5)
    mu = np.full(200, y.mean())
    by_table = log_likelihood(y, np.log(mu), 0.4), *spread_slope(y, mu, 0.4)
    monkeypatch.setattr("yavik.core.stats.count_models.MOST_TABLED", 0)
    assert (log_likelihood(y, np.log(mu), 0.4), *spread_slope(y, mu, 0.4)) == pytest.approx(by_table)
    direct = stats.nbinom.logpmf(y, 1 / 0.4, 1 / (1 + 0.4 * mu)).sum()
    assert by_table[0] == pytest.approx(direct)


def test_the_spread_is_where_the_likelihood_is_highest() -> None:
    _, y, _ = made(300, extra=0.8)
    mu = np.full(300, y.mean())
    best = optimize.minimize_scalar(lambda a: -log_likelihood(y, np.log(mu), a), bounds=(1e-4, 10), method="bounded")
    assert spread_of(y, mu) == pytest.approx(float(best.x), rel=1e-3)
    assert spread_of(np.array([2.0, 3, 2, 3]), np.full(4, 2.5)) == 0.0  # less than Poisson’s scatter: α is nought


def test_expected_counts_are_sums_of_probabilities() -> None:
    x, y, _ = made(150, extra=0.5)
    for family in ("poisson", "negative_binomial"):
        found = fit_counts(prepared(x, y), None, family)  # type: ignore[arg-type]
        own = stats.poisson(found.mu[:, None]) if family == "poisson" else None
        law = own or stats.nbinom(1 / found.alpha, 1 / (1 + found.alpha * found.mu[:, None]))
        expected, beyond = count_probabilities(found, 6)
        assert expected == pytest.approx(law.pmf(np.arange(7)).sum(axis=0))
        assert float(beyond) == pytest.approx(150 - expected.sum())


def test_the_score_test_of_the_scatter_holds_its_level_and_finds_scatter() -> None:
    rng = np.random.default_rng(5)
    x = rng.normal(size=(200, 1))
    mean = np.exp(0.8 + 0.3 * x[:, 0])
    ps = [overdispersion(fit_counts(prepared(x, rng.poisson(mean).astype(float))))[1] for _ in range(400)]
    assert 0.02 < np.mean(np.array(ps) < 0.05) < 0.08
    spread = [
        overdispersion(fit_counts(prepared(x, rng.poisson(rng.gamma(2, mean / 2)).astype(float))))[1]
        for _ in range(40)
    ]
    assert np.mean(np.array(spread) < 0.05) > 0.95


def test_a_level_without_any_count_has_no_finite_estimate() -> None:
    x = np.repeat([[0.0, 0], [1, 0], [0, 1]], 10, axis=0)
    y = np.concatenate([np.arange(10.0), np.arange(10.0) + 1, np.zeros(10)])
    found = fit_counts(prepared(x, y))
    assert infinite_directions(found) == frozenset({2})
    table = table_from(g=["a"] * 10 + ["b"] * 10 + ["c"] * 10, y=[int(v) for v in y])
    told = answer("counts_model", table, {"response": "y", "terms": ["g"]})
    row = next(r for r in told.block("coefficients").rows if r["term"].s == "g: c")
    assert row["rate_ratio"].v is None and "without end" in next(c.text for c in told.checks if c.id == "separation")
    assert told.rows.used == 30 and np.isfinite(told.facts["g=b.b"])


def test_the_demo_finds_its_truth() -> None:
    """Corner visits: means 4, 9 and 14 with variance μ + μ²/2."""
    table = demo_tables()["Corner visits"]
    found = answer("counts_model", table, {"response": "visits", "terms": ["corner"], "family": "negative_binomial"})
    assert found.facts["corner=tent.ci_low"] < 14 / 4 < found.facts["corner=tent.ci_high"]
    assert found.facts["corner=cushions.ci_low"] < found.facts["corner=tent.ci_low"]
    assert abs(found.facts["alpha"] - 0.5) < 2 * found.facts["alpha.se"]
    poisson = answer("counts_model", table, {"response": "visits", "terms": ["corner"]})
    check = next(c for c in poisson.checks if c.id == "dispersion")
    assert check.verdict == "fails" and check.remedies[0].spec == {"family": "negative_binomial"}
    assert "too good" in poisson.headline and "too good" not in found.headline


def test_quasi_poisson_widens_by_the_scatter() -> None:
    table = demo_tables()["Corner visits"]
    spec = {"response": "visits", "terms": ["corner"]}
    one, two = answer("counts_model", table, spec), answer("counts_model", table, {**spec, "family": "quasi"})
    assert one.facts["corner=tent.b"] == pytest.approx(two.facts["corner=tent.b"])
    ratio = two.facts["corner=tent.se"] / one.facts["corner=tent.se"]
    assert ratio == pytest.approx(np.sqrt(one.facts["dispersion"]))
    t = two.facts["corner=tent.t"]
    assert two.facts["corner=tent.p"] == pytest.approx(2 * stats.t.sf(abs(t), 27)) and "aic" not in two.facts
    got = two.facts["whole.f"]
    assert two.facts["p"] == pytest.approx(float(special.fdtrc(2, 27, got)))


def test_no_exposure_is_an_exposure_of_one_and_units_cancel() -> None:
    table = demo_tables()["Winter challenge"]
    spec = {"response": "visits", "terms": ["reminders", "card"], "exposure": "minutes"}
    found = answer("counts_model", table, spec)
    doubled = (
        table.with_columns({"minutes": table.numbers("minutes") * 60}) if hasattr(table, "with_columns") else None
    )
    if doubled is not None:
        again = answer("counts_model", doubled, spec)
        assert again.facts["reminders=yes.b"] == pytest.approx(found.facts["reminders=yes.b"])
    x = np.column_stack(
        [
            np.ones(table.n_rows),
            table.codes("reminders").codes == 1,
            *(table.codes("card").codes == i for i in (1, 2, 3)),
        ]
    )
    other = sm.GLM(
        table.numbers("visits"),
        x.astype(float),
        family=sm.families.Poisson(),
        offset=np.log(table.numbers("minutes")),
    ).fit()
    assert found.facts["reminders=yes.b"] == pytest.approx(other.params[1], rel=1e-6)


def test_new_columns_are_the_fitted_counts() -> None:
    table = demo_tables()["Corner visits"]
    spec = {"response": "visits", "terms": ["corner"]}
    (expected, values), (residual, away) = new_columns(table, "counts_model", spec)
    assert expected.name == "visits expected" and residual.name == "visits Pearson residual"
    corner, visits = table.codes("corner"), table.numbers("visits")
    means = np.array([visits[corner.codes == i].mean() for i in range(3)])
    assert np.asarray(values) == pytest.approx(means[corner.codes])
    assert float(np.sum(np.asarray(away))) == pytest.approx(0, abs=2)


@pytest.mark.parametrize(
    ("columns", "spec", "says"),
    [
        ({"y": [1.5, 2, 3, 4], "g": ["a", "a", "b", "b"]}, {}, "not a whole number of zero or more"),
        ({"y": [-1, 2, 3, 4], "g": ["a", "a", "b", "b"]}, {}, "the first is −1"),
        ({"y": [2, 2, 2, 2], "g": ["a", "a", "b", "b"]}, {}, "nothing to explain"),
        ({"y": [1, 2, 3, 4], "g": ["a", "a", "b", "b"], "e": [0.0, 1, 1, 1]}, {"exposure": "e"}, "not above zero in 1 row"),
        ({"y": [1, 2, 3, 4], "g": ["a", "a", "b", "b"]}, {"family": "quasi", "selection": "forward", "choose_by": "aic"}, "no AIC"),
    ],
)  # fmt: skip
def test_what_cannot_be_a_count_is_said(columns: dict[str, Any], spec: dict[str, Any], says: str) -> None:
    with pytest.raises(DataProblem) as refused:
        answer("counts_model", table_from(**columns), {"response": "y", "terms": ["g"], **spec})
    assert says in refused.value.message


def test_poisson_and_negative_binomial_stand_side_by_side_and_a_linear_model_does_not() -> None:
    table = demo_tables()["Corner visits"]
    spec = {"response": "visits", "terms": ["corner"]}
    counts = [{"method": "counts_model", "spec": {**spec, "family": f}} for f in ("poisson", "negative_binomial")]
    both = answer("line_up", table, {"models": counts})
    aic = next(r for r in both.block("models").rows if r["term"].s == "AIC")
    assert aic["m1"].strong and not aic["m0"].strong and not any(c.id == "footing" for c in both.checks)
    mixed = answer("line_up", table, {"models": [*counts, {"method": "linear", "spec": spec}]})
    aic = next(r for r in mixed.block("models").rows if r["term"].s == "AIC")
    assert not any(aic[f"m{i}"].strong for i in range(3))
    assert "density" in next(c.text for c in mixed.checks if c.id == "footing")
