"""Factors: published structures, two routes to each extraction, rotations that stand where they should, chance that
is chance."""

from typing import Any

import numpy as np
import pytest
from scipy import optimize
from statsmodels.multivariate.factor import Factor
from statsmodels.multivariate.factor_rotation import rotate_factors

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.items.adequacy import adequacy, by_chance, correlated
from yavik.core.stats.items.extraction import extract, free_parameters, goodness_of_fit, most_factors
from yavik.core.stats.items.rotation import oblimin, orthomax, promax, rotate
from yavik.core.stats.items.scoring import caught, weights

PHYSICAL = """
.846
.805 .881
.859 .826 .801
.473 .376 .380 .436
.398 .326 .319 .329 .762
.301 .277 .237 .327 .730 .583
.382 .415 .345 .365 .629 .577 .539
"""
"""Eight physical measures of 305 girls, published in Harman's Modern Factor Analysis (1976)."""


def physical() -> Any:
    """Their correlations."""
    r = np.eye(8)
    for i, line in enumerate(PHYSICAL.strip().splitlines()):
        for j, v in enumerate(line.split()):
            r[i + 1, j] = r[j, i + 1] = float(v)
    return r


def structured(loadings: Any, phi: Any) -> tuple[Any, Any]:
    """Correlations that the loadings give exactly, and unrotated loadings of their common part."""
    common = loadings @ phi @ loadings.T
    values, vectors = np.linalg.eigh(common)
    m = loadings.shape[1]
    r = common.copy()
    np.fill_diagonal(r, 1.0)
    return r, vectors[:, -m:] * np.sqrt(values[-m:])


SIMPLE = np.zeros((9, 3))
SIMPLE[:3, 0], SIMPLE[3:6, 1], SIMPLE[6:, 2] = (0.8, 0.7, 0.6), (0.75, 0.65, 0.55), (0.7, 0.6, 0.5)
RELATED = np.array([[1, 0.3, 0.2], [0.3, 1, 0.1], [0.2, 0.1, 1]])


def some_items(seed: int, n: int = 200, k: int = 12, m: int = 3) -> Any:
    """Answers with factors that cross."""
    rng = np.random.default_rng(seed)
    loadings = rng.uniform(0.3, 0.8, (k, m)) * (rng.random((k, m)) < 0.5) + 0.1
    return rng.normal(size=(n, m)) @ loadings.T + rng.normal(size=(n, k))


def test_published_loadings() -> None:
    # Harman (1976), principal axes with two factors, to the three decimals printed there.
    found = extract(physical(), 2, "principal_axis")
    first = [0.856, 0.848, 0.808, 0.831, 0.750, 0.631, 0.569, 0.607]
    second = [-0.324, -0.412, -0.409, -0.342, 0.571, 0.492, 0.510, 0.351]
    assert np.abs(found.loadings[:, 0] - first).max() < 0.001
    assert np.abs(np.abs(found.loadings[:, 1]) - np.abs(second)).max() < 0.001
    assert found.settled and not found.improper.any()
    likely = extract(physical(), 2, "ml")
    assert np.allclose(1 - likely.unique, [0.830, 0.893, 0.834, 0.801, 0.911, 0.636, 0.584, 0.463], atol=5e-4)


@pytest.mark.parametrize("seed", range(4))
def test_two_routes_to_least_residuals(seed: int) -> None:
    r = correlated(some_items(seed)).r
    axes, least = extract(r, 3, "principal_axis"), extract(r, 3, "minres")
    assert np.abs(axes.loadings - least.loadings).max() < 1e-8
    off = np.tril_indices(12, -1)

    def away(flat: Any) -> float:
        x = flat.reshape(12, 3)
        return float((((r - x @ x.T)[off]) ** 2).sum())

    start = least.loadings.ravel() + np.random.default_rng(seed).normal(0, 0.05, 36)
    best = optimize.minimize(away, start, method="BFGS", options={"gtol": 1e-9, "maxiter": 4000})
    assert best.fun == pytest.approx(least.discrepancy, rel=1e-7)
    x = best.x.reshape(12, 3)
    assert np.abs(x @ x.T - least.loadings @ least.loadings.T)[off].max() < 1e-4


@pytest.mark.parametrize("seed", [0, 1, 3, 8])
def test_two_routes_to_likelihood(seed: int) -> None:
    y = some_items(seed)
    r = correlated(y).r
    found = extract(r, 3, "ml")
    assert found.settled and not found.improper.any()

    def away(flat: Any) -> float:
        x, log_psi = flat[:36].reshape(12, 3), flat[36:]
        sigma = x @ x.T + np.diag(np.exp(log_psi))
        return float(np.linalg.slogdet(sigma)[1] + np.trace(np.linalg.solve(sigma, r)) - np.linalg.slogdet(r)[1] - 12)

    start = np.concatenate([found.loadings.ravel(), np.log(found.unique)]) + 0.02
    best = optimize.minimize(away, start, method="BFGS", options={"gtol": 1e-8, "maxiter": 4000})
    assert best.fun == pytest.approx(found.discrepancy, abs=1e-8)
    library = Factor(corr=r, n_factor=3, method="ml", nobs=200).fit()
    theirs = np.concatenate([np.asarray(library.loadings).ravel(), np.log(np.asarray(library.uniqueness))])
    assert away(theirs) >= found.discrepancy - 1e-9
    if seed < 2:  # in the other tables the library stops elsewhere, and higher
        assert np.allclose(library.uniqueness, found.unique, atol=1e-3)
    fit = goodness_of_fit(found.discrepancy, 200, 12, 3)
    assert fit and fit.df == 33 == free_parameters(12, 3)
    assert fit.chi2 == pytest.approx((199 - 29 / 6 - 2) * found.discrepancy)


def test_chi_square_of_fit_keeps_its_level() -> None:
    r, _ = structured(SIMPLE, RELATED)
    root = np.linalg.cholesky(r)
    rng = np.random.default_rng(5)
    found = []
    for _ in range(400):
        own = correlated(rng.normal(size=(300, 9)) @ root.T).r
        fit = goodness_of_fit(extract(own, 3, "ml").discrepancy, 300, 9, 3)
        assert fit
        found.append(fit.p)
    assert 0.025 < np.mean(np.array(found) < 0.05) < 0.085


@pytest.mark.parametrize("how", ["varimax", "quartimax", "equamax", "oblimin", "promax"])
def test_exact_structure_is_found_again(how: Any) -> None:
    _, a = structured(SIMPLE, np.eye(3))
    found = rotate(a, how)
    assert np.abs(found.pattern - SIMPLE).max() < 1e-8
    assert np.abs(found.phi - np.eye(3)).max() < 1e-8
    assert found.agreeing == found.starts


def test_oblique_structure_is_found_again() -> None:
    r, a = structured(SIMPLE, RELATED)
    for normalise in (True, False):
        found = rotate(a, "oblimin", normalise=normalise)
        assert np.abs(found.pattern - SIMPLE).max() < 1e-8
        assert np.abs(found.phi - RELATED).max() < 1e-8
    for how in ("principal_axis", "minres", "ml"):
        loadings = extract(r, 3, how).loadings  # type: ignore[arg-type]
        assert np.abs(rotate(loadings, "oblimin").pattern - SIMPLE).max() < 1e-5


@pytest.mark.parametrize("weight", [0.0, 1.0, 1.5])
def test_orthogonal_rotations_stand_still(weight: float) -> None:
    """The criterion's slope over rotations vanishes, and no random start gets higher."""
    a = extract(correlated(some_items(1)).r, 3, "minres").loadings
    x, _, _ = orthomax(a, weight)
    slope = x**3 - weight / 12 * x * (x**2).sum(axis=0)
    assert np.abs(x.T @ slope - slope.T @ x).max() < 1e-9

    def simple(y: Any) -> float:
        return float((y**4).sum() - weight / 12 * ((y**2).sum(axis=0) ** 2).sum())

    rng = np.random.default_rng(1)
    for _ in range(200):
        q = np.linalg.qr(rng.normal(size=(3, 3)))[0]
        assert simple(a @ q) <= simple(x) + 1e-12
    assert np.allclose(x @ x.T, a @ a.T)


@pytest.mark.parametrize("delta", [0.0, -1.0, 0.3])
def test_oblimin_stands_still_and_agrees_with_the_library(delta: float) -> None:
    a = extract(correlated(some_items(2)).r, 3, "minres").loadings
    x, phi, starts, agreeing = oblimin(a, delta)
    assert np.allclose(np.diag(phi), 1) and agreeing >= 1 and starts > 1
    squares = x**2
    slope = x * ((squares - delta / 12 * squares.sum(axis=0)) @ (1 - np.eye(3)))
    stationary = x.T @ slope @ np.linalg.inv(phi)
    assert np.abs(stationary - np.diag(np.diag(stationary))).max() < 1e-8
    theirs, _ = rotate_factors(a, "oblimin", delta, "oblique", max_tries=5000, tol=1e-9)

    def value(y: Any) -> float:
        s = y**2
        return float((s * ((s - delta / 12 * s.sum(axis=0)) @ (1 - np.eye(3)))).sum())

    assert value(x) <= value(np.asarray(theirs)) + 1e-9


def test_promax_is_nearest_to_its_target() -> None:
    v = rotate(extract(correlated(some_items(3)).r, 3, "ml").loadings, "varimax").pattern
    pattern, phi = promax(v, 4.0)
    assert np.allclose(np.diag(phi), 1)
    assert np.allclose(pattern @ phi @ pattern.T, v @ v.T)
    target = np.sign(v) * np.abs(v) ** 4
    plain = np.linalg.lstsq(v, target, rcond=None)[0]
    turn = np.linalg.lstsq(v, pattern, rcond=None)[0]
    assert np.allclose(turn / np.linalg.norm(turn, axis=0), plain / np.linalg.norm(plain, axis=0))


def test_kaiser_normalisation_is_a_choice() -> None:
    a = extract(physical(), 2, "principal_axis").loadings
    on, off = rotate(a, "varimax"), rotate(a, "varimax", normalise=False)
    assert 1e-3 < np.abs(on.pattern - off.pattern).max() < 0.2
    h = np.sqrt((a**2).sum(axis=1))
    by_hand, _, _ = orthomax(a / h[:, None], 1.0)
    assert np.allclose(np.sort(np.abs(by_hand * h[:, None]), axis=1), np.sort(np.abs(on.pattern), axis=1))


def test_signs_and_order_do_not_flip_without_a_row() -> None:
    loadings = SIMPLE * np.array([1, -1, 1, 1, 1, 1, -1, 1, 1])[:, None]
    r, _ = structured(loadings, RELATED)
    y = np.random.default_rng(4).normal(size=(120, 9)) @ np.linalg.cholesky(r).T
    whole = rotate(extract(correlated(y).r, 3, "minres").loadings, "oblimin").pattern
    for i in range(120):
        less = rotate(extract(correlated(np.delete(y, i, axis=0)).r, 3, "minres").loadings, "oblimin").pattern
        assert (np.diag(np.corrcoef(whole.T, less.T)[:3, 3:]) > 0.9).all()


def test_adequacy_by_its_formulas() -> None:
    y = some_items(5)
    c = correlated(y)
    a = adequacy(c.r, 200)
    partial = np.empty((12, 12))
    for i in range(12):
        for j in range(12):
            if i == j:
                continue
            others = np.delete(np.arange(12), [i, j])
            z = np.column_stack([np.ones(200), y[:, others]])
            left = y[:, [i, j]] - z @ np.linalg.lstsq(z, y[:, [i, j]], rcond=None)[0]
            partial[i, j] = np.corrcoef(left.T)[0, 1]
    off = ~np.eye(12, dtype=bool)
    rr, pp = np.where(off, c.r, 0) ** 2, np.where(off, partial, 0) ** 2
    assert a.kmo == pytest.approx(rr.sum() / (rr.sum() + pp.sum()))
    assert np.allclose(a.each, rr.sum(0) / (rr.sum(0) + pp.sum(0)))
    assert np.allclose(a.anti_image[off], -partial[off])
    assert a.chi2 == pytest.approx(-(199 - 29 / 6) * np.log(np.linalg.det(np.corrcoef(y.T))))
    assert a.df == 66


def test_sphericity_keeps_its_level() -> None:
    rng = np.random.default_rng(6)
    found = [adequacy(correlated(rng.normal(size=(60, 8))).r, 60).p for _ in range(1000)]
    assert 0.03 < np.mean(np.array(found) < 0.05) < 0.07


def test_chance_eigenvalues_are_those_of_unrelated_columns() -> None:
    drawn = by_chance(50, 8, 4000, np.random.default_rng(1))
    rng = np.random.default_rng(2)
    plain = np.array([np.linalg.eigvalsh(np.corrcoef(rng.normal(size=(50, 8)).T))[::-1] for _ in range(4000)])
    assert np.allclose(drawn.mean(axis=0), plain.mean(axis=0), atol=0.01)
    assert np.allclose(np.quantile(drawn, 0.95, axis=0), np.quantile(plain, 0.95, axis=0), atol=0.02)
    assert np.allclose(drawn.sum(axis=1), 8)


def test_pairwise_correlations_are_those_of_each_pair() -> None:
    rng = np.random.default_rng(7)
    x = some_items(6, n=90, k=5, m=2) + 1e9
    x[rng.random(x.shape) < 0.2] = np.nan
    c = correlated(x, pairwise=True)
    for i in range(5):
        for j in range(i):
            both = ~np.isnan(x[:, i]) & ~np.isnan(x[:, j])
            assert c.r[i, j] == pytest.approx(np.corrcoef(x[both, i], x[both, j])[0, 1], abs=1e-9)
            assert c.n[i, j] == both.sum()


def test_scores_by_both_ways() -> None:
    r, _ = structured(SIMPLE, RELATED)
    psi = 1 - np.diag(SIMPLE @ RELATED @ SIMPLE.T)
    bartlett = weights(r, SIMPLE, RELATED, psi, "bartlett")
    assert np.allclose(SIMPLE.T @ bartlett, np.eye(3))  # without bias
    by_regression = weights(r, SIMPLE, RELATED, psi, "regression")
    s = SIMPLE @ RELATED
    assert np.allclose(r @ by_regression, s)
    # The multiple correlation of a factor with the items, from draws.
    rng = np.random.default_rng(8)
    f = rng.normal(size=(200_000, 3)) @ np.linalg.cholesky(RELATED).T
    y = f @ SIMPLE.T + rng.normal(size=(200_000, 9)) * np.sqrt(psi)
    seen = [np.corrcoef(f[:, j], y @ by_regression[:, j])[0, 1] ** 2 for j in range(3)]
    assert np.allclose(caught(r, SIMPLE, RELATED), seen, atol=0.005)


def test_an_item_explained_whole_is_held_and_named() -> None:
    r = correlated(some_items(2)).r
    for how in ("ml", "minres"):
        found = extract(r, 5, how)  # type: ignore[arg-type]
        assert found.settled and found.unique.min() >= 0.005 - 1e-12
        assert (found.improper == (found.unique < 0.00505)).all()
    # On the edge the slope pushes outwards, inside it vanishes: nothing nearby that is allowed lies lower.
    found = extract(r, 3, "ml")
    assert found.improper.sum() == 1


def test_too_many_factors() -> None:
    assert [most_factors(k) for k in (3, 4, 5, 6, 9, 12)] == [1, 1, 2, 3, 5, 7]


def test_the_demo_is_found_again() -> None:
    table = demo_tables()["Reading motives"]
    items = [f"m{j}" for j in range(1, 13)]
    found = answer("factor_analysis", table, {"items": items, "names": {"m1": "Escape", "m6": "Curiosity"}})
    assert found.facts["factors"] == 2 == found.facts["parallel"]
    escape, curiosity = [*items[:5], "m11"], items[5:10]
    for name in escape:
        assert abs(float(found.facts[f"{name}.factor_1"])) > 0.5 > 0.3 > abs(float(found.facts[f"{name}.factor_2"]))
    for name in curiosity:
        assert abs(float(found.facts[f"{name}.factor_2"])) > 0.5 > 0.3 > abs(float(found.facts[f"{name}.factor_1"]))
    assert float(found.facts["m12.communality"]) < 0.1
    assert "“I usually read with a pencil in my hand” belongs to none" in found.headline
    assert "Escape is marked by" in found.headline
    columns = new_columns(table, "factor_analysis", {"items": items, "names": {"m1": "Escape"}})
    assert [c.name for c, _ in columns] == ["Escape", "factor_2"]
    scores = columns[0][1].to_numpy(zero_copy_only=False)
    own = table.numbers("escape")
    both = ~np.isnan(scores) & ~np.isnan(own)
    assert np.corrcoef(scores[both], own[both])[0, 1] > 0.95


def test_components_by_singular_values() -> None:
    y = some_items(9, n=120, k=6, m=2) * np.array([1, 10, 3, 0.1, 5, 2]) + 1e6
    table = table_from(**{f"v{j}": y[:, j].tolist() for j in range(6)})
    names = [f"v{j}" for j in range(6)]
    for matrix in ("correlation", "covariance"):
        z = y - y.mean(axis=0)
        z = z / y.std(axis=0, ddof=1) if matrix == "correlation" else z
        u, d, _ = np.linalg.svd(z, full_matrices=False)
        found = answer("principal_components", table, {"items": names, "matrix": matrix, "components": 2})
        for i in range(6):
            assert found.facts[f"eigenvalue_{i + 1}"] == pytest.approx(d[i] ** 2 / 119, rel=1e-6)
        columns = new_columns(table, "principal_components", {"items": names, "matrix": matrix, "components": 2})
        for j, (_, values) in enumerate(columns):
            score = values.to_numpy(zero_copy_only=False)
            assert np.allclose(np.abs(score), np.abs(u[:, j] * np.sqrt(119)), atol=1e-6)
            assert score.std(ddof=1) == pytest.approx(1)
            loading = [np.corrcoef(score, y[:, i])[0, 1] for i in range(6)]
            told = [found.facts[f"v{i}.component_{j + 1}"] for i in range(6)]
            assert np.allclose(loading, told, atol=1e-6)


def test_rotated_components_have_scores_that_are_theirs() -> None:
    y = some_items(10, n=150, k=8, m=3)
    names = [f"v{j}" for j in range(8)]
    table = table_from(**{n: y[:, j].tolist() for j, n in enumerate(names)})
    for rotation in ("varimax", "oblimin"):
        spec = {"items": names, "components": 3, "rotation": rotation}
        scores = np.column_stack(
            [v.to_numpy(zero_copy_only=False) for _, v in new_columns(table, "principal_components", spec)]
        )
        found = answer("principal_components", table, spec)
        pattern = np.array([[found.facts[f"{n}.component_{j + 1}"] for j in range(3)] for n in names])
        structure = np.array([[np.corrcoef(y[:, i], scores[:, j])[0, 1] for j in range(3)] for i in range(8)])
        assert np.allclose(structure, pattern @ np.corrcoef(scores.T), atol=1e-6)
        if rotation == "varimax":
            assert np.allclose(np.corrcoef(scores.T), np.eye(3), atol=1e-8)
