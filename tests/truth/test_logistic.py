"""Models of a yes/no response against published examples, a general library, and the likelihood itself."""

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import optimize, stats

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.binary import Prepared, fit, prepare
from yavik.core.stats.binary_profile import profile_interval, score_test
from yavik.core.stats.design import Design, ModelTerm, Part
from yavik.core.stats.telling import auc_of, hosmer_lemeshow

LINKS = {
    "logit": sm.families.links.Logit(),
    "probit": sm.families.links.Probit(),
    "cloglog": sm.families.links.CLogLog(),
}
TEMPERATURE = [66, 70, 69, 68, 67, 72, 73, 70, 57, 63, 70, 78, 67, 53, 67, 75, 70, 81, 76, 79, 75, 76, 58]
DISTRESS = [0, 1, 0, 0, 0, 0, 0, 0, 1, 1, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0, 1, 0, 1]
"""Twenty-three launches: temperature and whether a seal was damaged (Dalal, Fowlkes & Hoadley, 1989, JASA 84)."""


def test_the_seals() -> None:
    table = table_from(t=TEMPERATURE, damage=["yes" if d else "no" for d in DISTRESS])
    found = answer("logistic", table, {"response": "damage", "terms": ["t"]})
    b0, b1 = (r["estimate"].v for r in found.block("coefficients").rows)
    assert (round(b0, 4), round(b1, 4)) == (15.0429, -0.2322)
    assert round(found.block("coefficients").rows[1]["se"].v, 4) == 0.1082
    assert round(found.facts["likelihood_ratio.chi2"], 3) == 7.952


def test_grades_and_a_new_way_of_teaching() -> None:
    """Spector & Mazzeo (1980), as worked out in econometrics texts."""
    from statsmodels.datasets import spector

    data = spector.load_pandas().data
    table = table_from(grade=data["GRADE"].astype(int), gpa=data["GPA"], tuce=data["TUCE"], psi=data["PSI"])
    found = answer("logistic", table, {"response": "grade", "event": "1", "terms": ["gpa", "tuce", "psi"]})
    rows = found.block("coefficients").rows
    assert [round(r["estimate"].v, 3) for r in rows] == [-13.021, 2.826, 0.095, 2.379]
    assert [round(r["se"].v, 3) for r in rows] == [4.931, 1.263, 0.142, 1.065]
    assert round(found.facts["log_likelihood"], 3) == -12.890
    probit = answer(
        "logistic", table, {"response": "grade", "event": "1", "terms": ["gpa", "tuce", "psi"], "link": "probit"}
    )
    assert [round(r["estimate"].v, 3) for r in probit.block("coefficients").rows] == [-7.452, 1.626, 0.052, 1.426]


def winter() -> tuple[Any, Any, Any]:
    table = demo_tables()["Winter challenge"]
    fees = table.numbers("late_fees")
    use = ~np.isnan(fees)
    columns = [np.ones(len(fees)), table.numbers("minutes"), table.numbers("visits"), fees]
    codes = table.codes("card").codes
    columns += [(codes == i).astype(float) for i in range(1, 4)]
    return table, np.column_stack(columns)[use], table.numbers("finished")[use]


WINTER = ["minutes", "visits", "late_fees", "card"]


@pytest.mark.parametrize("link", list(LINKS))
def test_against_another_route(link: str) -> None:
    table, x, y = winter()
    found = answer("logistic", table, {"response": "finished", "terms": WINTER, "link": link})
    known = sm.GLM(y, x, family=sm.families.Binomial(LINKS[link])).fit(tol=1e-13, maxiter=200)
    rows = found.block("coefficients").rows
    assert [r["estimate"].v for r in rows] == pytest.approx(known.params, rel=1e-6)
    assert [r["se"].v for r in rows] == pytest.approx(known.bse, rel=1e-5)
    assert [r["p"].v for r in rows] == pytest.approx(known.pvalues, rel=1e-4)
    assert found.facts["log_likelihood"] == pytest.approx(known.llf)
    assert found.facts["likelihood_ratio.chi2"] == pytest.approx(2 * (known.llf - known.llnull))
    assert found.facts["aic"] == pytest.approx(known.aic)
    terms = found.block("terms").rows
    b, v = known.params[4:], np.asarray(known.cov_params())[4:, 4:]
    assert terms[3]["chi2"].v == pytest.approx(b @ np.linalg.solve(v, b), rel=1e-5)
    if link == "logit":
        assert rows[2]["odds_ratio"].v == pytest.approx(np.exp(known.params[2]))
        assert (rows[2]["ci_low"].v, rows[2]["ci_high"].v) == pytest.approx(tuple(np.exp(known.conf_int()[2])))


def test_score_test_of_all_terms() -> None:
    table, x, y = winter()
    found = answer("logistic", table, {"response": "finished", "terms": WINTER})
    p = y.mean()
    u = x.T @ (y - p)
    information = x.T @ x * p * (1 - p)
    assert found.facts["score.chi2"] == pytest.approx(u @ np.linalg.solve(information, u))


def small(seed: int = 4, n: int = 40) -> tuple[Prepared, Any, Any]:
    rng = np.random.default_rng(seed)
    data = {"a": rng.normal(5, 2, n), "b": rng.normal(size=n)}
    y = (rng.random(n) < 1 / (1 + np.exp(-(data["a"] - 5) - 0.5 * data["b"]))).astype(float)
    design = Design([ModelTerm((Part("a"),)), ModelTerm((Part("b"),))], {}, data)
    return prepare(design, y, [0, 1], True), np.column_stack([np.ones(n), data["a"], data["b"]]), y


def log_likelihood(b: Any, x: Any, y: Any) -> float:
    eta = x @ b
    return float((y * eta - np.logaddexp(0, eta)).sum())


def penalised(b: Any, x: Any, y: Any) -> float:
    mu = 1 / (1 + np.exp(-x @ b))
    return log_likelihood(b, x, y) + 0.5 * float(np.linalg.slogdet(x.T @ (x * (mu * (1 - mu))[:, None]))[1])


@pytest.mark.parametrize("place", [0, 1, 2])
@pytest.mark.parametrize("penalty", ["none", "firth"])
def test_profile_intervals_from_the_likelihood(place: int, penalty: Any) -> None:
    d, x, y = small()
    found = fit(d, "logit", penalty)
    goal_of = penalised if penalty == "firth" else log_likelihood
    best = optimize.minimize(
        lambda b: -goal_of(b, x, y),
        found.coef,
        method="Nelder-Mead",
        options={"xatol": 1e-9, "fatol": 1e-12, "maxiter": 4000},
    )
    assert found.coef == pytest.approx(best.x, abs=2e-5)
    goal = -best.fun - stats.chi2.ppf(0.95, 1) / 2
    low, high = profile_interval(found, place, 0.05)
    others = [i for i in range(3) if i != place]
    for end in (low, high):

        def held(rest: Any, end: float = end) -> float:
            b = np.empty(3)
            b[place], b[others] = end, rest
            return -goal_of(b, x, y)

        reached = optimize.minimize(
            held, found.coef[others], method="Nelder-Mead", options={"xatol": 1e-9, "fatol": 1e-12, "maxiter": 4000}
        )
        assert -reached.fun == pytest.approx(goal, abs=1e-5)
    assert low < found.coef[place] < high


@pytest.mark.parametrize("counts", [(8, 3, 2, 9), (10, 0, 4, 6), (0, 7, 5, 0)])
def test_firth_in_a_fourfold_table_adds_a_half(counts: tuple[int, int, int, int]) -> None:
    """The penalty of a saturated model adds ½ to every cell (Firth, 1993)."""
    a, b, c, d = counts
    table = table_from(y=["yes"] * a + ["no"] * b + ["yes"] * c + ["no"] * d, g=["u"] * (a + b) + ["v"] * (c + d))
    found = answer("logistic", table, {"response": "y", "terms": ["g"], "penalty": "firth"})
    known = np.log((c + 0.5) * (b + 0.5) / ((d + 0.5) * (a + 0.5)))
    assert found.facts["g=v.b"] == pytest.approx(known)
    assert found.facts["intercept.b"] == pytest.approx(np.log((a + 0.5) / (b + 0.5)))


def test_area_and_its_error_from_all_pairs() -> None:
    rng = np.random.default_rng(2)
    mu, y = np.round(rng.random(70), 1), rng.random(70) < 0.4
    a, b = mu[y], mu[~y]
    beats = (a[:, None] > b) + 0.5 * (a[:, None] == b)
    auc, se = auc_of(mu, y)
    assert auc == pytest.approx(beats.mean())
    known = beats.mean(axis=1).var(ddof=1) / len(a) + beats.mean(axis=0).var(ddof=1) / len(b)
    assert se == pytest.approx(np.sqrt(known))


def test_groups_of_hosmer_and_lemeshow() -> None:
    rng = np.random.default_rng(5)
    mu = np.sort(rng.random(200))
    y = (rng.random(200) < mu).astype(float)
    found = hosmer_lemeshow(mu, y)
    n = np.full(10, 20.0)
    seen, expected = y.reshape(10, 20).sum(axis=1), mu.reshape(10, 20).sum(axis=1)
    chi2 = ((seen - expected) ** 2 / (expected * (1 - expected / n))).sum()
    assert (found.chi2, found.df) == (pytest.approx(chi2), 8)
    assert found.p == pytest.approx(stats.chi2.sf(chi2, 8))
    tied = hosmer_lemeshow(np.repeat([0.2, 0.5, 0.8], 40), np.tile([0.0, 1.0], 60))
    assert tied.n.tolist() == [40, 40, 40] and tied.df == 1


def test_a_score_test_is_the_first_step_of_the_likelihood() -> None:
    d, _, _ = small(9, 4000)
    found = fit(d.among([0]))
    chi2, df = score_test(found, d.x[:, [2]])
    both = fit(d)
    assert df == 1 and chi2 == pytest.approx(2 * (both.log_likelihood - found.log_likelihood), rel=0.05)


def test_many_rows_start_from_a_part_and_end_the_same() -> None:
    rng = np.random.default_rng(1)
    n = 230_000
    data = {"a": rng.normal(size=n), "b": rng.normal(3, 1, n)}
    y = (rng.random(n) < 1 / (1 + np.exp(-data["a"] + 0.2 * data["b"]))).astype(float)
    d = prepare(Design([ModelTerm((Part("a"),)), ModelTerm((Part("b"),))], {}, data), y, [0, 1], True)
    cold = fit(d, start=np.zeros(3))
    warm = fit(d)
    assert warm.steps < cold.steps
    assert warm.coef == pytest.approx(cold.coef, rel=1e-9)


def test_the_other_event_turns_signs_round() -> None:
    table = demo_tables()["Winter challenge"]
    a = answer("logistic", table, {"response": "finished", "terms": WINTER})
    b = answer("logistic", table, {"response": "finished", "event": "no", "terms": WINTER})
    for x, y in zip(a.block("coefficients").rows, b.block("coefficients").rows, strict=True):
        assert x["estimate"].v == pytest.approx(-y["estimate"].v)
    assert a.facts["auc"] == pytest.approx(b.facts["auc"]) and b.facts["event"] == "no"
    assert "finished = no" in b.headline.lower() or "= no" in b.headline


def test_probabilities_for_every_row() -> None:
    table, x, y = winter()
    found = {
        c.name: a.to_pylist() for c, a in new_columns(table, "logistic", {"response": "finished", "terms": WINTER})
    }
    known = sm.GLM(y, x, family=sm.families.Binomial()).fit(tol=1e-13).fittedvalues
    filled = [v for v in found["finished probability"] if v is not None]
    assert filled == pytest.approx(known, rel=1e-6)
    told = [v for v in found["finished predicted"] if v is not None]
    assert told == ["yes" if v >= 0.5 else "no" for v in known]
    assert found["finished probability"].count(None) == table.n_rows - len(y)


def test_the_demo_tells_its_truth() -> None:
    table = demo_tables()["Winter challenge"]
    terms = ["minutes", {"column": "minutes", "power": 2}, "visits", "reminders", "late_fees", "card"]
    found = answer("logistic", table, {"response": "finished", "terms": terms, "alpha": 0.001})
    for key, truth in (
        ("minutes", 0.09),
        ("minutes^2", -0.0009),
        ("visits", 0.16),
        ("reminders=yes", 0.5),
        ("late_fees", -0.35),
    ):
        b, se = found.facts[f"{key}.b"], found.facts[f"{key}.se"]
        assert abs(b - truth) < 3.3 * se
    without = answer("logistic", table, {"response": "finished", "terms": ["minutes", *terms[2:]]})
    check = next(c for c in without.checks if c.id == "linearity")
    assert check.verdict == "fails" and check.remedies[0].spec == {"terms": [*["minutes", *terms[2:]], terms[1]]}


def test_selection_agrees_with_score_tests_of_fitted_models() -> None:
    table, x, y = winter()
    found = answer(
        "logistic", table, {"response": "finished", "terms": [*WINTER, "age_group"], "selection": "forward"}
    )
    first = found.block("path").rows[1]
    p = y.mean()
    best = max(
        float((c - c.mean()) @ (y - p)) ** 2 / (p * (1 - p) * float(((c - c.mean()) ** 2).sum()))
        for c in (x[:, 1], x[:, 2], x[:, 3])
    )
    assert first["chi2"].v == pytest.approx(best)
    assert "Age" in found.block("left_out").rows[0]["term"].s
