"""Linear regression against NIST's certified values, and against a general statistics library by another route."""

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from statsmodels.stats.diagnostic import het_breuschpagan, linear_reset
from statsmodels.stats.outliers_influence import OLSInfluence, variance_inflation_factor
from statsmodels.stats.stattools import durbin_watson

from tests.tables import demo_tables, table_from
from tests.truth.nist_lines import SETS, Certified
from yavik.core.methods import answer
from yavik.core.methods.predict.linear.fit import fit_linear
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.methods.registry import new_columns
from yavik.core.stats import triangle as routes
from yavik.core.stats.design import Design, Factor, ModelTerm, Part
from yavik.core.stats.least_squares import fit, rows_of
from yavik.core.stats.selection import LinearJudge, best_subsets, walk
from yavik.core.stats.triangle import triangle


def digits(found: float, right: float) -> float:
    return 16.0 if found == right else -np.log10(abs(found - right) / (abs(right) or 1.0))


@pytest.mark.parametrize("known", SETS, ids=lambda s: s.name)
def test_nist(known: Certified) -> None:
    table = table_from(
        **{k: [repr(v) for v in values] for k, values in known.x.items()}, y=[repr(v) for v in known.y]
    )
    found = answer("linear", table, {"response": "y", "terms": known.terms, "intercept": known.intercept})
    rows = found.block("coefficients").rows
    assert len(rows) == len(known.coef)
    for row, b, se in zip(rows, known.coef, known.se, strict=True):
        assert digits(row["estimate"].v, b) >= known.digits
        if se:
            assert digits(row["se"].v, se) >= known.digits
    assert abs(found.facts["r2"] - known.r2) < 1e-9
    if known.sd:
        assert digits(found.facts["residual.sd"], known.sd) >= known.digits
    else:
        assert found.facts["residual.sd"] < 1e-6


BRANCHES = ["floor_area", "hours_open", "cafe", "district", "bus"]


def branches() -> tuple[Any, Any, Any]:
    """The design by hand, with the first level of each category as the reference."""
    table = demo_tables()["Branches"]
    columns = [np.ones(table.n_rows), table.numbers("floor_area"), table.numbers("hours_open")]
    columns.append(table.numbers("cafe"))
    codes = table.codes("district").codes
    columns += [(codes == i).astype(float) for i in range(1, 4)]
    columns.append(table.numbers("bus"))
    return table, np.column_stack(columns), table.numbers("visits")


def test_the_whole_model_against_another_route() -> None:
    table, x, y = branches()
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES})
    known = sm.OLS(y, x).fit()
    rows = found.block("coefficients").rows
    assert [r["estimate"].v for r in rows] == pytest.approx(known.params, rel=1e-9)
    assert [r["se"].v for r in rows] == pytest.approx(known.bse, rel=1e-9)
    assert [r["p"].v for r in rows] == pytest.approx(known.pvalues, rel=1e-7)
    interval = known.conf_int()
    assert [r["ci_low"].v for r in rows] == pytest.approx(interval[:, 0], rel=1e-8)
    assert [r["vif"].v for r in rows[1:]] == pytest.approx(
        [variance_inflation_factor(x, i) for i in range(1, 8)], rel=1e-8
    )
    assert found.facts["r2"] == pytest.approx(known.rsquared) and found.facts["adjusted_r2"] == pytest.approx(
        known.rsquared_adj
    )
    assert found.facts["f"] == pytest.approx(known.fvalue) and found.facts["p"] == pytest.approx(known.f_pvalue)
    # This library's criteria count the coefficients only; here the residual variance is one more.
    assert found.facts["aic"] == pytest.approx(known.aic + 2)
    assert found.facts["bic"] == pytest.approx(known.bic + np.log(len(y)))
    z = np.column_stack([(c - c.mean()) / c.std() for c in x[:, 1:].T])
    beta = sm.OLS((y - y.mean()) / y.std(), z).fit().params
    assert [r["std_beta"].v for r in rows[1:]] == pytest.approx(beta, rel=1e-9)


def test_what_rows_do() -> None:
    table, x, y = branches()
    m = fit_linear(table, LinearSpec(response="visits", terms=BRANCHES))
    known = OLSInfluence(sm.OLS(y, x).fit())
    assert m.rows.leverage == pytest.approx(known.hat_matrix_diag)
    assert m.rows.cook == pytest.approx(known.cooks_distance[0])
    assert m.rows.standardised == pytest.approx(known.resid_studentized_internal)
    assert m.rows.deleted == pytest.approx(known.resid_studentized_external)
    # PRESS by really leaving each row out.
    press = 0.0
    for i in range(len(y)):
        rest = np.arange(len(y)) != i
        press += float(y[i] - x[i] @ np.linalg.lstsq(x[rest], y[rest], rcond=None)[0]) ** 2
    assert m.rows.press == pytest.approx(press)
    assert m.rows.predicted_r2 == pytest.approx(1 - press / ((y - y.mean()) ** 2).sum())


@pytest.mark.parametrize("kind", ["hc0", "hc1", "hc2", "hc3"])
@pytest.mark.parametrize("weighted", [False, True])
def test_robust_errors(kind: str, weighted: bool) -> None:
    table, x, y = branches()
    more: dict[str, Any] = {"weights": "staff"} if weighted else {}
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES, "se": kind, **more})
    model = sm.WLS(y, x, weights=table.numbers("staff")) if weighted else sm.OLS(y, x)
    known = model.fit(cov_type=kind.upper(), use_t=True)
    assert [r["estimate"].v for r in found.block("coefficients").rows] == pytest.approx(known.params, rel=1e-8)
    assert [r["se"].v for r in found.block("coefficients").rows] == pytest.approx(known.bse, rel=1e-8)
    assert [r["p"].v for r in found.block("coefficients").rows] == pytest.approx(known.pvalues, rel=1e-6)


def test_errors_by_cluster() -> None:
    table, x, y = branches()
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES, "se": "cluster", "cluster": "town"})
    towns = table.codes("town").codes
    known = sm.OLS(y, x).fit(cov_type="cluster", cov_kwds={"groups": towns, "use_correction": True}, use_t=True)
    assert [r["se"].v for r in found.block("coefficients").rows] == pytest.approx(known.bse, rel=1e-8)
    assert [r["p"].v for r in found.block("coefficients").rows] == pytest.approx(known.pvalues, rel=1e-6)


def test_weights() -> None:
    table, x, y = branches()
    w = table.numbers("staff")
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES, "weights": "staff"})
    known = sm.WLS(y, x, weights=w).fit()
    assert [r["se"].v for r in found.block("coefficients").rows] == pytest.approx(known.bse, rel=1e-9)
    assert found.facts["r2"] == pytest.approx(known.rsquared) and found.facts["f"] == pytest.approx(known.fvalue)


def test_tests_beside_the_model() -> None:
    table, x, y = branches()
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES})
    known = sm.OLS(y, x).fit()
    assert found.facts["breusch_pagan.statistic"] == pytest.approx(het_breuschpagan(known.resid, x)[0])
    assert found.facts["durbin_watson"] == pytest.approx(durbin_watson(known.resid))
    assert found.facts["reset.statistic"] == pytest.approx(linear_reset(known, power=3, use_f=True).fvalue)


def sums_to_zero(codes: Any, k: int) -> Any:
    return np.vstack([np.eye(k - 1), -np.ones(k - 1)])[codes]


def rss(x: Any, y: Any) -> float:
    return float(((y - x @ np.linalg.lstsq(x, y, rcond=None)[0]) ** 2).sum())


def test_terms_by_comparing_models() -> None:
    """Type III: categories coded to sum to zero, and the columns of one term left out."""
    table, _, y = branches()
    spec = {
        "response": "visits",
        "terms": [
            "floor_area",
            "cafe",
            "district",
            {"interaction": ["cafe", "district"]},
            {"interaction": ["district", "floor_area"]},
        ],
    }
    found = answer("linear", table, spec)
    area = table.numbers("floor_area")
    cafe, district = sums_to_zero(table.codes("cafe").codes, 2), sums_to_zero(table.codes("district").codes, 4)
    both = (cafe[:, :, None] * district[:, None, :]).reshape(len(y), -1)
    parts = [area[:, None], cafe, district, both, district * area[:, None]]
    whole = np.column_stack([np.ones(len(y)), *parts])
    scatter = rss(whole, y) / (len(y) - whole.shape[1])
    for i, row in enumerate(found.block("terms").rows):
        rest = np.column_stack([np.ones(len(y)), *(p for j, p in enumerate(parts) if j != i)])
        assert row["f"].v == pytest.approx((rss(rest, y) - rss(whole, y)) / parts[i].shape[1] / scatter, rel=1e-7)
        assert row["df1"].v == parts[i].shape[1]


def test_the_reference_level_changes_no_test_of_a_term() -> None:
    table = demo_tables()["Branches"]
    spec = {"response": "visits", "terms": ["cafe", "district", {"interaction": ["cafe", "district"]}]}
    a = answer("linear", table, spec)
    b = answer("linear", table, {**spec, "reference": {"district": "Moor edge", "cafe": "yes"}})
    assert [r["f"].v for r in a.block("terms").rows] == pytest.approx([r["f"].v for r in b.block("terms").rows])
    assert a.facts["r2"] == pytest.approx(b.facts["r2"])
    means = [x.block("means_district").rows for x in (a, b)]
    assert [r["mean"].v for r in means[0]] == pytest.approx([r["mean"].v for r in means[1]])


def test_predictions_and_their_intervals() -> None:
    table, x, y = branches()
    case = {"floor_area": 500, "hours_open": 40, "cafe": "yes", "district": "Moor edge", "bus": 100}
    found = answer("linear", table, {"response": "visits", "terms": BRANCHES, "predict_at": [case]})
    row = found.block("cases").rows[0]
    levels = table.codes("district").levels
    point = np.array([1, 500, 40, 1, *(float(levels[i] == "Moor edge") for i in range(1, 4)), 100.0])
    known = sm.OLS(y, x).fit().get_prediction(point[None]).summary_frame(alpha=0.05).iloc[0]
    assert row["estimate"].v == pytest.approx(known["mean"])
    assert (row["ci_low"].v, row["ci_high"].v) == pytest.approx((known["mean_ci_lower"], known["mean_ci_upper"]))
    assert (row["pi_low"].v, row["pi_high"].v) == pytest.approx((known["obs_ci_lower"], known["obs_ci_upper"]))


def test_slopes_within_levels_are_those_of_the_levels_alone() -> None:
    table = demo_tables()["Branches"]
    terms = ["floor_area", "district", {"interaction": ["district", "floor_area"]}]
    found = answer("linear", table, {"response": "visits", "terms": terms})
    for row in found.block("slopes").rows:
        alone = answer(
            "linear",
            table,
            {"response": "visits", "terms": ["floor_area"], "where": f'district == "{row["level"].s}"'},
        )
        assert row["estimate"].v == pytest.approx(alone.facts["floor_area.b"])


def test_predictions_for_every_row_also_without_a_response() -> None:
    x = [1.0, 2, 3, 4, 5, 6, 7]
    table = table_from(x=x, y=[2.1, 3.9, 6.2, 8.1, 9.8, 12.1, None])
    found = {c.name: a.to_pylist() for c, a in new_columns(table, "linear", {"response": "y", "terms": ["x"]})}
    known = sm.OLS(np.array([2.1, 3.9, 6.2, 8.1, 9.8, 12.1]), sm.add_constant(np.array(x[:6]))).fit()
    frame = known.get_prediction(sm.add_constant(np.array(x))).summary_frame(alpha=0.05)
    assert found["y predicted"] == pytest.approx(frame["mean"].tolist())
    assert found["y lowest at 95 %"] == pytest.approx(frame["obs_ci_lower"].tolist())
    assert found["y residual"][:6] == pytest.approx(known.resid.tolist()) and found["y residual"][6] is None


def many(n: int, p: int, seed: int = 3) -> tuple[Design, Any]:
    rng = np.random.default_rng(seed)
    data: dict[str, Any] = {f"x{i}": rng.normal(size=n) + 0.4 * i for i in range(p)}
    data["x1"] = data["x1"] + 0.8 * data["x0"]
    data["g"] = rng.integers(0, 4, n).astype(np.int32)
    terms = [ModelTerm((Part(k),)) for k in data]
    y = 2 + data["x0"] - 0.3 * data["x2"] + 0.2 * (data["g"] == 2) + rng.normal(size=n)
    return Design(terms, {"g": Factor(("a", "b", "c", "d"), 1)}, data), y


@pytest.mark.parametrize("weighted", [False, True])
@pytest.mark.parametrize("intercept", [False, True])
@pytest.mark.parametrize("ill", [False, True])
def test_blocks_of_rows_give_the_same_as_all_at_once(
    monkeypatch: Any, weighted: bool, intercept: bool, ill: bool
) -> None:
    design, y = many(40_000, 5)
    if ill:  # two columns that are nearly the same: cross-products alone would lose their difference
        design.data["x3"] = design.data["x2"] + 1e-6 * design.data["x3"]  # type: ignore[index]
    w = np.random.default_rng(1).uniform(0.5, 2, len(y)) if weighted else None
    at_once = fit(triangle(design, y, w, intercept))
    monkeypatch.setattr(routes, "AT_ONCE", 1000)
    in_blocks = fit(triangle(design, y, w, intercept))
    assert in_blocks.coef == pytest.approx(at_once.coef, rel=1e-6 if ill else 1e-10)
    assert in_blocks.covariance == pytest.approx(at_once.covariance, rel=1e-6 if ill else 1e-9)
    assert in_blocks.rss == pytest.approx(at_once.rss, rel=1e-10)
    assert rows_of(design, y, w, in_blocks).press == pytest.approx(rows_of(design, y, w, at_once).press, rel=1e-9)


def by_refitting(x: dict[int, Any], y: Any, enter: float, remove: float) -> list[int]:
    """Stepwise by fitting every model anew."""

    def p_of(now: list[int], term: int) -> float:
        model = sm.OLS(y, sm.add_constant(np.column_stack([x[k] for k in now]))).fit()
        return float(model.pvalues[1 + now.index(term)])

    now: list[int] = []
    for _ in range(50):
        if now:
            worst = max(now, key=lambda k: p_of(now, k))
            if p_of(now, worst) > remove:
                now = [k for k in now if k != worst]
                continue
        able = [k for k in x if k not in now]
        best = min(able, key=lambda k: p_of([*now, k], k), default=None)
        if best is None or p_of([*now, best], best) > enter:
            break
        now = sorted([*now, best])
    return now


@pytest.mark.parametrize("seed", range(6))
def test_stepwise_against_refitting(seed: int) -> None:
    rng = np.random.default_rng(seed)
    data = {f"x{i}": rng.normal(size=120) for i in range(8)}
    data["x4"] = data["x0"] + data["x1"] + 0.5 * data["x4"]
    y = data["x0"] + 0.7 * data["x1"] + 0.15 * data["x6"] + rng.normal(size=120)
    design = Design([ModelTerm((Part(k),)) for k in data], {}, data)
    judge = LinearJudge(design, triangle(design, y, None, True))
    rounds = walk(judge, design.terms, "stepwise", "p", 0.05, 0.10)
    assert list(rounds[-1].terms) == by_refitting(dict(enumerate(data.values())), y, 0.05, 0.10)


@pytest.mark.parametrize("by", ["bic", "aic", "adjusted_r2"])
def test_best_subsets_against_fitting_them_all(by: Any) -> None:
    from itertools import combinations

    design, y = many(90, 6, 8)
    t = triangle(design, y, None, True)
    judge = LinearJudge(design, t)
    places = range(len(design.terms))
    everything = [c for k in range(len(design.terms) + 1) for c in combinations(places, k)]
    ranked = sorted(everything, key=lambda c: judge.criterion(c, by))[:8]
    found = best_subsets(design, t, by)
    assert [s.terms for s in found] == ranked
    assert [s.rss for s in found] == pytest.approx([judge.model(c).rss for c in ranked])


def test_a_shift_and_a_scale_leave_tests_alone() -> None:
    table = demo_tables()["Reading pace"]
    spec = {"response": "pace", "terms": ["span", "practice"]}
    a = answer("linear", table, spec)
    x = {k: table.numbers(k) for k in ("pace", "span", "practice")}
    moved = table_from(pace=x["pace"] * 1e-6, span=x["span"] * 1e8 + 3e9, practice=x["practice"])
    b = answer("linear", moved, spec)
    assert b.facts["f"] == pytest.approx(a.facts["f"], rel=1e-7)
    assert b.facts["span.t"] == pytest.approx(a.facts["span.t"], rel=1e-7)


def test_a_unit_of_change_scales_the_estimate_and_its_interval() -> None:
    table = demo_tables()["Branches"]
    terms = ["floor_area", {"column": "floor_area", "power": 2}, "hours_open"]
    one = answer("linear", table, {"response": "visits", "terms": terms}).block("coefficients").rows
    ten = (
        answer("linear", table, {"response": "visits", "terms": terms, "per": {"floor_area": 10}})
        .block("coefficients")
        .rows
    )
    for row, other, by in zip(one, ten, (1, 10, 100, 1), strict=True):
        for key in ("estimate", "se", "ci_low", "ci_high"):
            assert other[key].v == pytest.approx(by * row[key].v)
        assert other["t"].v == pytest.approx(row["t"].v)


def test_the_demo_tells_its_truth() -> None:
    """0.92 visits a square metre and 6.5 an hour open lie within their intervals, and the shelves add nothing."""
    table = demo_tables()["Branches"]
    found = answer("linear", table, {"response": "visits", "terms": [*BRANCHES, "shelf_metres"], "alpha": 0.001})
    rows = {r["term"].s: r for r in found.block("coefficients").rows}
    for name, truth in (("Floor area", 0.92), ("Hours open a week", 6.5), ("Distance to the bus", -0.05)):
        assert rows[name]["ci_low"].v < truth < rows[name]["ci_high"].v
    check = next(c for c in found.checks if c.id == "collinearity")
    assert check.verdict in ("doubtful", "fails") and "Floor area" in check.text and check.remedies
