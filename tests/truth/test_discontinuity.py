"""Jumps at a cut-off by hand: weighted least squares row by row, published window formulas, neighbours, densities."""

import numpy as np
import pytest
from scipy import stats

from tests.tables import demo_tables
from yavik.core.methods.registry import answer
from yavik.core.stats.change.jump.bandwidths import coverage, mse, plug_in
from yavik.core.stats.change.jump.bins import binned, mimicking
from yavik.core.stats.change.jump.density import around, binned_density, empirical, local_density
from yavik.core.stats.change.jump.errors import neighbour_residuals
from yavik.core.stats.change.jump.estimate import Jump, Sorted, by_rows, jump
from yavik.core.stats.change.jump.local import Kernel, TooFew
from yavik.core.stats.change.jump.validation import cross_validation
from yavik.core.stats.groups import Floats

KERNELS: list[Kernel] = ["triangular", "uniform", "epanechnikov"]


def k_of(z: Floats, kind: str) -> Floats:
    inside = (np.abs(z) <= 1).astype(float)
    return inside * {"triangular": 1 - np.abs(z), "uniform": 0.5 + 0 * z, "epanechnikov": 0.75 * (1 - z**2)}[kind]


def study(n: int = 400, seed: int = 1, ties: bool = False, columns: int = 1) -> Sorted:
    rng = np.random.default_rng(seed)
    u = np.sort(rng.normal(0, 10, n))
    u = np.round(u, 0 if ties else 6)
    got = ((u >= 0) ^ (rng.random(n) < 0.2)).astype(float)
    y = np.sin(u / 6) + 1.5 * got + rng.normal(0, 1, n) * (1 + (u > 0))
    return Sorted(u, np.column_stack([y, got])[:, :columns], np.zeros((n, 0)))


def wls(u: Floats, y: Floats, h: float, kind: str, degree: int) -> tuple[Floats, Floats]:
    """Coefficients and the matrix that makes them out of y."""
    w = np.diag(k_of(u / h, kind))
    x = np.vander(u, degree + 1, increasing=True)
    made = np.linalg.inv(x.T @ w @ x) @ x.T @ w
    return made @ y, made


@pytest.mark.parametrize("kernel", KERNELS)
@pytest.mark.parametrize("degree", [0, 1, 2])
def test_estimate_bias_and_both_errors_by_matrices(kernel: Kernel, degree: int) -> None:
    d = study()
    h, b = (8.0, 9.0), (14.0, 12.0)
    tau, bias, plain, robust = [], [], 0.0, 0.0
    for i, s in enumerate(d.sides):
        u, y = d.u[s], d.y[s][:, 0]
        coef, made = wls(u, y, h[i], kernel, degree)
        curve, wide = wls(u, y, b[i], kernel, degree + 1)
        lean = made[0] @ u ** (degree + 1)
        tau.append(coef[0])
        bias.append(lean * curve[degree + 1])
        e = neighbour_residuals(u, y)
        plain += float(((made[0] * e) ** 2).sum())
        robust += float((((made[0] - lean * wide[degree + 1]) * e) ** 2).sum())
    for found in (jump(d, h, b, kernel, degree), by_rows(d, h, b, kernel, degree)):
        assert found.estimate == pytest.approx(tau[1] - tau[0], rel=1e-8)
        assert found.corrected == pytest.approx(tau[1] - tau[0] - bias[1] + bias[0], rel=1e-8)
        assert found.se == pytest.approx(np.sqrt(plain), rel=1e-8)
        assert found.robust_se == pytest.approx(np.sqrt(robust), rel=1e-8)


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("columns", [1, 2])
def test_running_sums_and_rows_are_one_estimate(seed: int, columns: int) -> None:
    d = study(500, seed, seed % 2 == 1, columns)
    for kernel in KERNELS:
        for degree in (0, 1, 2):
            a, b = (
                jump(d, (7.0, 9.0), (13.0, 6.0), kernel, degree),
                by_rows(d, (7.0, 9.0), (13.0, 6.0), kernel, degree),
            )
            assert told(a) == pytest.approx(told(b), rel=1e-7, nan_ok=True)
            assert (a.n, a.n_b) == (b.n, b.n_b)


def told(j: Jump) -> list[float]:
    return [j.estimate, j.se, j.corrected, j.robust_se, *j.ends, j.first, j.first_se]


@pytest.mark.parametrize(("se", "raise_"), [("hc0", 0), ("hc1", 1), ("hc2", 2), ("hc3", 3)])
def test_errors_by_residuals(se: str, raise_: int) -> None:
    d = study()
    d = Sorted(d.u, d.y, d.z, None, se)  # type: ignore[arg-type]
    h = 9.0
    total = 0.0
    for s in d.sides:
        near = np.abs(d.u[s]) <= h
        u, y = d.u[s][near], d.y[s][near][:, 0]
        coef, made = wls(u, y, h, "triangular", 1)
        x = np.column_stack([np.ones(len(u)), u])
        e, hat = y - x @ coef, np.einsum("ij,ji->i", x, made)
        n = len(u)
        e = {0: e, 1: e * np.sqrt(n / (n - 2)), 2: e / np.sqrt(1 - hat), 3: e / (1 - hat)}[raise_]
        total += float(((made[0] * e) ** 2).sum())
    assert jump(d, (h, h), (h, h)).se == pytest.approx(np.sqrt(total), rel=1e-8)


def test_errors_by_cluster() -> None:
    d = study()
    codes = np.arange(len(d.u)) % 17
    d = Sorted(d.u, d.y, d.z, codes, "cluster")
    scores = np.zeros(len(d.u))
    for sign, s in zip((-1, 1), d.sides, strict=True):
        coef, made = wls(d.u[s], d.y[s][:, 0], 9.0, "uniform", 1)
        e = d.y[s][:, 0] - np.column_stack([np.ones(len(d.u[s])), d.u[s]]) @ coef
        scores[s] = sign * made[0] * e
    g, n = 17, int((np.abs(d.u) <= 9).sum())
    sums = np.bincount(codes, scores)
    want = np.sqrt((sums**2).sum() * g / (g - 1) * (n - 1) / (n - 4))
    assert jump(d, (9.0, 9.0), (9.0, 9.0), "uniform").se == pytest.approx(want, rel=1e-8)


@pytest.mark.parametrize("ties", [False, True])
def test_neighbours_one_by_one(ties: bool) -> None:
    d = study(120, 3, ties)
    u, y = d.u[d.at :], d.y[d.at :, 0]
    want = []
    for i in range(len(u)):
        away = np.abs(u - u[i])
        others = sorted(v for j, v in enumerate(away) if j != i)
        reach = others[2]
        near = [j for j in range(len(u)) if j != i and away[j] <= reach + 1e-9]
        want.append(np.sqrt(len(near) / (len(near) + 1)) * (y[i] - y[near].mean()))
    np.testing.assert_allclose(neighbour_residuals(u, y), want, atol=1e-10)


def test_ratio_of_jumps_and_its_error() -> None:
    d = study(600, 5, columns=2)
    h, b = (9.0, 9.0), (13.0, 13.0)
    found = jump(d, h, b)
    y, t = (jump(Sorted(d.u, d.y[:, [j]], d.z), h, b) for j in (0, 1))
    assert found.estimate == pytest.approx(y.estimate / t.estimate)
    assert found.first == pytest.approx(t.estimate) and found.first_se == pytest.approx(t.se)
    apart = Sorted(d.u, d.y[:, [0]] - found.estimate * d.y[:, [1]], d.z)
    assert found.se == pytest.approx(jump(apart, h, b).se / abs(t.estimate), rel=1e-8)
    assert found.robust_se == pytest.approx(jump(apart, h, b).robust_se / abs(t.estimate), rel=1e-8)


def test_covariates_have_one_slope_on_both_sides() -> None:
    d = study(500, 7)
    z = np.random.default_rng(8).normal(size=(500, 2))
    y = d.y + z @ np.array([[2.0], [-1.0]])
    found = by_rows(Sorted(d.u, y, z), (9.0, 9.0), (13.0, 13.0))
    right = (d.u >= 0).astype(float)
    x = np.column_stack([np.ones(500), right, d.u, d.u * right, z])
    w = np.sqrt(k_of(d.u / 9, "triangular"))
    coef = np.linalg.lstsq(x * w[:, None], y[:, 0] * w, rcond=None)[0]
    assert found.estimate == pytest.approx(coef[1], rel=1e-9)


def naive_window(d: Sorted, p: int) -> tuple[float, float]:
    """The rule of least mean squared error, written out from its formulas."""
    u, y = d.u, d.y[:, 0]
    e = np.concatenate([neighbour_residuals(u[s], y[s]) for s in d.sides])
    spread = min(u.std(ddof=1), np.subtract(*np.percentile(u, [75, 25])) / 1.349)
    pilot = 2.576 * spread * len(u) ** -0.2
    sides = [slice(0, d.at), slice(d.at, len(u))]

    def step(degree: int, power: int, wide: int, h_b: tuple[float, float], penal: bool) -> float:
        v, bias, penalty = 0.0, [], 0.0
        for s, reach in zip(sides, h_b, strict=True):
            _, made = wls(u[s], y[s], pilot, "triangular", degree)
            v += ((made[power] * e[s]) ** 2).sum() * (2 * power + 1) * pilot ** (2 * power + 1)
            constant = made[power] @ u[s] ** (degree + 1) / pilot ** (degree + 1 - power)
            curve, far = wls(u[s], y[s], reach, "triangular", wide)
            bias.append(np.sqrt(2 * (degree + 1 - power)) * constant * curve[degree + 1])
            penalty += (
                2 * (degree + 1 - power) * 3 * constant**2 * ((far[degree + 1] * e[s]) ** 2).sum() if penal else 0
            )
        return float((v / ((bias[1] - bias[0]) ** 2 + penalty)) ** (1 / (2 * degree + 3)))

    q = p + 1
    reach = max(-u[0], u[-1])
    first = min(step(q + 1, q + 1, q + 2, (-u[0], u[-1]), False), reach)
    b = min(step(q, q, q + 1, (first, first), True), reach)
    return min(step(p, 0, q, (b, b), True), reach), b


@pytest.mark.parametrize("degree", [1, 2])
def test_window_of_least_error_step_by_step(degree: int) -> None:
    d = study(600, 2)
    want = naive_window(d, degree)
    found = mse(d, "triangular", degree)
    assert (found.h[0], found.b[1]) == pytest.approx(want, rel=1e-6)
    narrow = coverage(found, 600, degree)
    p, q = degree, degree + 1
    assert narrow.h[0] == pytest.approx(want[0] * 600 ** (-p / ((3 + p) * (3 + 2 * p))), rel=1e-6)
    assert narrow.b[0] == pytest.approx(want[1] * 600 ** (-q / ((3 + q) * (3 + 2 * q))), rel=1e-6)
    rows = mse(Sorted(d.u, d.y, d.z, None, "hc0"), "triangular", degree)
    assert rows.h[0] == pytest.approx(found.h[0], rel=0.1)


def test_plug_in_step_by_step() -> None:
    d = study(700, 4)
    u, y, n = d.u, d.y[:, 0], len(d.u)
    h1 = 1.84 * u.std(ddof=1) * n**-0.2
    low, high = (u < 0) & (u >= -h1), (u >= 0) & (u <= h1)
    f = (low.sum() + high.sum()) / (2 * n * h1)
    var = y[low].var(ddof=1), y[high].var(ddof=1)
    third = 6 * np.linalg.lstsq(np.column_stack([np.ones(n), u >= 0, u, u**2, u**3]), y, rcond=None)[0][4]
    bend, r = [], []
    for side, v in zip((u < 0, u >= 0), var, strict=True):
        h2 = 3.56 * (v / (f * max(third**2, 0.01))) ** (1 / 7) * side.sum() ** (-1 / 7)
        own = side & (np.abs(u) <= h2)
        bend.append(2 * np.polyfit(u[own], y[own], 2)[0])
        r.append(2160 * v / (own.sum() * h2**4))
    want = 3.4375 * (sum(var) / (f * ((bend[1] - bend[0]) ** 2 + sum(r)))) ** 0.2 * n**-0.2
    assert plug_in(d, "triangular") == pytest.approx(want, rel=1e-8)


@pytest.mark.parametrize("kernel", KERNELS)
def test_cross_validation_row_by_row(kernel: Kernel) -> None:
    d = study(150, 6)
    _, tried, errors = cross_validation(d, kernel)
    h = float(tried[12])
    missed = []
    for sign, s in ((-1, slice(0, d.at)), (1, slice(d.at, len(d.u)))):
        x, y = sign * d.u[s], d.y[s][:, 0]
        for i in np.flatnonzero(x <= np.median(x)):
            far = (x > x[i]) & (x <= x[i] + h)
            if far.sum() <= 2:
                continue
            w = np.sqrt(k_of((x[far] - x[i]) / h, kernel))
            basis = np.column_stack([np.ones(far.sum()), x[far] - x[i]])
            missed.append((y[i] - np.linalg.lstsq(basis * w[:, None], y[far] * w, rcond=None)[0][0]) ** 2)
    assert errors[12] == pytest.approx(np.mean(missed), rel=1e-6)


def test_density_by_weighted_least_squares_and_its_error_by_leaving_out() -> None:
    rng = np.random.default_rng(9)
    u = np.sort(rng.normal(0.2, 1, 500))
    found = local_density(u, "triangular", (0.8, 0.8))
    f = empirical(u)
    at = int((u < 0).sum())
    slopes = [wls(u[s], f[s], 0.8, "triangular", 3)[0][1] for s in (slice(0, at), slice(at, 500))]
    assert (found.left, found.right) == pytest.approx(slopes, rel=1e-8)

    def gap(v: Floats) -> float:
        g = local_density(v, "triangular", (0.8, 0.8))
        return g.right - g.left

    out = np.array([gap(np.delete(u, i)) for i in range(0, 500, 1)])
    jackknife = np.sqrt(499 / 500 * ((out - out.mean()) ** 2).sum())
    assert found.se == pytest.approx(jackknife, rel=0.15)  # leaving out moves the fitted weights, too


def test_density_keeps_its_level_and_finds_a_pile() -> None:
    rng = np.random.default_rng(10)
    p = [local_density(np.sort(rng.normal(-0.2, 1, 600))).p for _ in range(300)]
    assert 0.02 <= np.mean(np.array(p) < 0.05) <= 0.09
    piled = np.sort(np.concatenate([rng.normal(-0.2, 1, 1000), rng.uniform(0, 0.1, 90)]))
    assert local_density(piled, "triangular", (0.4, 0.4)).p < 0.01
    assert binned_density(piled, 0.05, 0.4).p < 0.01


def test_density_by_a_histogram_by_hand() -> None:
    u = np.sort(np.random.default_rng(11).normal(0.3, 1, 800))
    width, h = 0.1, 0.9
    edges = np.arange(np.floor(u[0] / width), np.ceil(u[-1] / width) + 1) * width
    height = np.histogram(u, edges)[0] / (800 * width)
    middle = (edges[:-1] + edges[1:]) / 2
    found = binned_density(u, width, h)
    ends = []
    for s in (middle < 0, middle > 0):
        ends.append(wls(middle[s], height[s], h, "triangular", 1)[0][0])
    assert (found.left, found.right) == pytest.approx(ends, rel=1e-6)
    se = np.sqrt(24 / 5 / (800 * h) * (1 / ends[0] + 1 / ends[1]))
    assert found.p == pytest.approx(2 * stats.norm.sf(abs(np.log(ends[1] / ends[0]) / se)), rel=1e-6)


def test_rows_beside_the_cut_off() -> None:
    u = np.array([-2.0, -1.0, -0.5, 0.0, 0.5, 1.0, 1.5, 2.5])
    assert around(u, 1.0)[:2] == (2, 3)
    assert around(u, 1.0)[2] == pytest.approx(stats.binomtest(2, 5).pvalue)


def test_bins_never_straddle_and_scatter_like_the_rows() -> None:
    d = study(3000, 12)
    x, y = d.u[d.at :], d.y[d.at :, 0]
    k = mimicking(x, y)
    made = binned(x, y, float(x[-1]), k)
    assert made.n.sum() == len(x) and made.middle.min() > 0
    assert made.mean[0] == pytest.approx(y[x < made.width].mean())
    below = binned(d.u[: d.at], d.y[: d.at, 0], float(d.u[0]), 7)
    assert below.middle.max() < 0 and len(below.middle) <= 7


def test_robust_intervals_keep_their_level_where_conventional_ones_do_not() -> None:
    """A curved outcome; 95 % within Monte Carlo error for the robust interval."""
    rng = np.random.default_rng(13)
    hits = np.zeros(2)
    runs = 400
    for _ in range(runs):
        u = np.sort(2 * rng.beta(2, 4, 500) - 1)
        left = 0.48 + 1.27 * u + 7.18 * u**2 + 20.21 * u**3 + 21.54 * u**4 + 7.33 * u**5
        right = 0.52 + 0.84 * u - 3.00 * u**2 + 7.99 * u**3 - 9.01 * u**4 + 3.56 * u**5
        y = np.where(u < 0, left, right) + rng.normal(0, 0.1295, 500)
        d = Sorted(u, y[:, None], np.zeros((500, 0)))
        w = mse(d, "triangular")
        j = jump(d, w.h, w.b)
        for i, kind in enumerate(("conventional", "robust")):
            low, high = j.interval(kind, 0.05)
            hits[i] += low <= 0.04 <= high
    conventional, robust = hits / runs
    assert 0.91 <= robust <= 0.98
    assert conventional < robust


def test_the_demo_gives_back_what_it_was_made_with() -> None:
    spec = {"outcome": "visits_after", "running": "score", "cutoff": 50}
    found = answer("discontinuity", demo_tables()["Grant round"], spec).facts
    assert float(found["ci_low"]) < 35 < float(found["ci_high"])
    sharper = answer("discontinuity", demo_tables()["Grant round"], {**spec, "covariates": ["visits_before"]}).facts
    assert float(sharper["ci_low"]) < 35 < float(sharper["ci_high"])
    assert float(sharper["robust_se"]) < float(found["robust_se"])


def test_too_few_rows_are_told() -> None:
    d = study(200, 14)
    with pytest.raises(TooFew):
        jump(d, (1e-6, 1e-6), (1e-6, 1e-6))
    heaped = Sorted(np.repeat([-1.0, 1.0], 50), np.arange(100.0)[:, None], np.zeros((100, 0)))
    with pytest.raises(TooFew):
        jump(heaped, (2.0, 2.0), (2.0, 2.0))
