"""Agreement of raters: published tables, a second route, intervals that hold what they promise."""

from typing import Any

import numpy as np
import pytest
from scipy import stats
from statsmodels.stats.inter_rater import cohens_kappa, fleiss_kappa

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats.items.agreement import crossed, fleiss, intraclass, kappa, limits

JUDGES = np.array(
    [[9, 2, 5, 8], [6, 1, 3, 2], [8, 4, 6, 8], [7, 1, 2, 6], [10, 5, 6, 9], [6, 2, 4, 7]], float
)  # fmt: skip
"""Four judges' ratings of six subjects (Shrout and Fleiss, 1979, table 2)."""
RATED = np.array(
    [[0, 0, 0, 0, 14], [0, 2, 6, 4, 2], [0, 0, 3, 5, 6], [0, 3, 9, 2, 0], [2, 2, 8, 1, 1], [7, 7, 0, 0, 0],
     [3, 2, 6, 3, 0], [2, 5, 3, 2, 2], [6, 5, 2, 1, 0], [0, 2, 2, 3, 7]], float,
)  # fmt: skip
"""Fourteen raters, ten subjects, five answers."""


def test_the_six_published_forms() -> None:
    found = {f.form: f.value for f in intraclass(JUDGES, 0.95).forms}
    printed = {
        "ICC(1,1)": 0.17, "ICC(2,1)": 0.29, "ICC(3,1)": 0.71, "ICC(1,4)": 0.44, "ICC(2,4)": 0.62, "ICC(3,4)": 0.91,
    }  # fmt: skip
    for form, value in printed.items():
        assert found[form] == pytest.approx(value, abs=0.005)
    v = intraclass(JUDGES, 0.95)
    assert (v.subjects, v.raters, v.error, v.within) == pytest.approx((11.24, 32.49, 1.02, 6.26), abs=0.005)


def test_forms_do_not_depend_on_where_zero_is() -> None:
    here, there = intraclass(JUDGES, 0.9), intraclass(JUDGES * 1e-3 + 1e6, 0.9)
    for a, b in zip(here.forms, there.forms, strict=True):
        assert (a.value, a.low, a.high) == pytest.approx((b.value, b.low, b.high), rel=1e-5)


@pytest.mark.parametrize("form", [0, 1, 2, 3, 4, 5])
def test_intervals_of_intraclass_correlations_hold(form: int) -> None:
    rng = np.random.default_rng(form)
    inside = []
    subject, rater, error = 1.0, (0.0 if form in (0, 3) else 0.5), 0.8
    k = 4
    for _ in range(600):
        raters = rng.normal(0, rater, k) if form in (1, 4) else np.linspace(-1, 1, k) * rater
        x = rng.normal(0, subject, (30, 1)) + raters + rng.normal(0, error, (30, k))
        f = intraclass(x, 0.95).forms[form]
        noise = error**2 + (rater**2 if form in (1, 4) else 0)
        one = subject**2 / (subject**2 + (noise if form < 3 else noise / k))
        inside.append(f.low <= one <= f.high)
    assert 0.925 < np.mean(inside) < 0.975


def test_kappa_by_the_library() -> None:
    table = np.array([[22, 6, 1], [4, 18, 7], [0, 5, 17]], float)
    for weights, theirs in (("none", None), ("linear", "linear"), ("quadratic", "quadratic")):
        ours = kappa(table, weights, 0.95)  # type: ignore[arg-type]
        lib: Any = cohens_kappa(table, wt=theirs)
        assert ours
        assert ours.value == pytest.approx(lib.kappa)
        assert ours.se == pytest.approx(np.sqrt(lib.var_kappa))
        assert ours.z == pytest.approx(lib.z_value)
        assert ours.p == pytest.approx(lib.pvalue_two_sided)


def test_kappa_of_many_raters() -> None:
    found, each = fleiss(RATED, 0.95)
    assert found and found.value == pytest.approx(0.20993, abs=1e-5)
    assert found.value == pytest.approx(fleiss_kappa(RATED))
    share = RATED.sum(axis=0) / RATED.sum()
    weight = share * (1 - share)
    assert (weight * each).sum() / weight.sum() == pytest.approx(
        found.value
    )  # κ is the weighted mean of each answer's


def test_weighted_kappa_by_squared_steps_is_an_intraclass_correlation() -> None:
    """Of large samples (Fleiss and Cohen, 1973): ICC(2,1) of the answers as numbers, but for n − 1."""
    rng = np.random.default_rng(3)
    wear = rng.uniform(0, 4, 3000)
    a, b = (np.clip(np.floor(wear + rng.normal(0, 0.5, 3000)), 0, 3).astype(int) for _ in range(2))
    k = kappa(crossed(a, b, 4), "quadratic", 0.95)
    icc = intraclass(np.column_stack([a, b]).astype(float), 0.95).forms[1]
    assert k and k.value == pytest.approx(icc.value, abs=1e-3)
    assert (k.low, k.high) == pytest.approx((icc.low, icc.high), abs=0.01)


def test_intervals_of_kappa_hold() -> None:
    rng = np.random.default_rng(4)
    p = np.array([[0.3, 0.06, 0.01], [0.05, 0.2, 0.06], [0.02, 0.05, 0.25]])
    true = kappa(p * 1e6, "quadratic", 0.95)
    assert true
    inside, many = [], []
    for _ in range(500):
        found = kappa(rng.multinomial(120, p.ravel()).reshape(3, 3).astype(float), "quadratic", 0.95)
        assert found
        inside.append(found.low <= true.value <= found.high)
    assert 0.92 < np.mean(inside) < 0.975
    chance = np.array([0.6, 0.3, 0.1])
    truth = 0.49  # answers are kept with chance .7 by each of three, else given at random
    for _ in range(400):
        kept = rng.choice(3, 60, p=chance)
        given = np.stack(
            [np.where(rng.random(60) < 0.7, kept, rng.choice(3, 60, p=chance)) for _ in range(3)], axis=1
        )
        found, _ = fleiss(np.stack([(given == k).sum(axis=1) for k in range(3)], axis=1).astype(float), 0.95)
        assert found
        many.append(found.low <= truth <= found.high)
    assert 0.92 < np.mean(many) < 0.98


def test_limits_of_agreement() -> None:
    rng = np.random.default_rng(5)
    a = rng.normal(100, 20, 50)
    b = a + rng.normal(-1, 2, 50)
    v = limits(a, b, 0.95)
    d = a - b
    assert v.bias == pytest.approx(d.mean()) and v.sd == pytest.approx(d.std(ddof=1))
    assert v.low == pytest.approx(d.mean() - 1.959964 * d.std(ddof=1))
    half = stats.t.ppf(0.975, 49) * d.std(ddof=1) * np.sqrt(1 / 50 + 1.959964**2 / 98)
    assert v.high_ends == pytest.approx((v.high - half, v.high + half))
    assert v.p_bias == pytest.approx(stats.ttest_rel(a, b).pvalue)
    line = stats.linregress((a + b) / 2, d)
    assert (v.slope, v.p_slope) == pytest.approx((line.slope, line.pvalue))
    assert v.p_spread == pytest.approx(stats.linregress((a + b) / 2, np.abs(d - d.mean())).pvalue)


def test_intervals_of_limits_hold() -> None:
    rng = np.random.default_rng(6)
    inside = []
    for _ in range(2000):
        d = rng.normal(0, 1, 40)
        low, high = limits(d, np.zeros(40), 0.95).high_ends
        inside.append(low <= 1.959964 <= high)
    assert 0.93 < np.mean(inside) < 0.965


def test_the_demo() -> None:
    table = demo_tables()["Returned books"]
    judged = answer("agreement", table, {"raters": ["ines", "oskar", "petra"]})
    assert 0.3 < float(judged.facts["kappa"]) < 0.6
    weighed = answer("agreement", table, {"raters": ["counter", "cellar"], "kind": "limits"})
    assert float(weighed.facts["bias"]) == pytest.approx(2 + 0.006 * 420, abs=1)
    assert "4.22 g above scale in the cellar" in weighed.headline


def test_ratings_in_words_and_in_numbers_agree() -> None:
    rng = np.random.default_rng(7)
    x = rng.integers(0, 3, (40, 2))
    words = np.array(["low", "mid", "top"])[x]
    a = answer(
        "agreement",
        table_from(p=x[:, 0].tolist(), q=x[:, 1].tolist()),
        {"raters": ["p", "q"], "kind": "kappa", "weights": "none"},
    )
    b = answer("agreement", table_from(p=words[:, 0].tolist(), q=words[:, 1].tolist()), {"raters": ["p", "q"]})
    assert a.facts["kappa"] == b.facts["kappa"]


def absolute_by_mean_squares(z: Any, level: float) -> tuple[float, float]:
    """The interval of ICC(A,1) as McGraw and Wong (1996, table 7) write it, from mean squares."""
    n, k = z.shape
    rows, columns = z.mean(axis=1, keepdims=True), z.mean(axis=0, keepdims=True)
    msr = k * rows.var(ddof=1)
    msc = n * columns.var(ddof=1)
    mse = ((z - rows - columns + z.mean()) ** 2).sum() / ((n - 1) * (k - 1))
    icc = (msr - mse) / (msr + (k - 1) * mse + k * (msc - mse) / n)
    a, b = k * icc / (n * (1 - icc)), 1 + k * icc * (n - 1) / (n * (1 - icc))
    df = (a * msc + b * mse) ** 2 / ((a * msc) ** 2 / (k - 1) + (b * mse) ** 2 / ((n - 1) * (k - 1)))
    above, below = stats.f.ppf((1 + level) / 2, n - 1, df), stats.f.ppf((1 + level) / 2, df, n - 1)
    rest = k * msc + (k * n - k - n) * mse
    low = n * (msr - above * mse) / (above * rest + n * msr)
    high = n * (below * msr - mse) / (rest + n * below * msr)
    return float(low), float(high)


@pytest.mark.parametrize(
    ("n", "k", "level", "seed"), [(6, 4, 0.95, 1), (30, 3, 0.9, 2), (12, 2, 0.99, 3), (5, 9, 0.95, 4)]
)
def test_intervals_of_absolute_agreement_by_another_formula(n: int, k: int, level: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    z = rng.normal(size=(n, 1)) + 0.7 * rng.normal(size=(1, k)) + 0.8 * rng.normal(size=(n, k)) + 50
    found = intraclass(z, level)
    single = found.forms[1]
    assert (single.low, single.high) == pytest.approx(absolute_by_mean_squares(z, level), rel=1e-9)
    # That of the mean of all raters is stepped up from it.
    stepped = [k * v / (1 + (k - 1) * v) for v in absolute_by_mean_squares(z, level)]
    assert (found.forms[4].low, found.forms[4].high) == pytest.approx(tuple(stepped), rel=1e-9)


def test_intervals_of_the_judges_as_published() -> None:
    """Ends that Shrout and Fleiss (1979) and McGraw and Wong (1996) find for their table, at 95%."""
    made = {f.form: (f.low, f.high) for f in intraclass(JUDGES, 0.95).forms}
    for name, ends in {"ICC(1,1)": (-0.13, 0.72), "ICC(2,1)": (0.02, 0.76), "ICC(3,1)": (0.34, 0.95)}.items():
        assert made[name] == pytest.approx(ends, abs=0.006)
