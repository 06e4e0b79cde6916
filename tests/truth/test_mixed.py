"""Mixed models against the classical strata, dense matrices, a general library and numerical derivatives."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf
from scipy import optimize, stats

from tests.tables import table_from
from yavik.core.methods.nested.mixed.fit import MixedModel, fit_model
from yavik.core.methods.nested.mixed.simulate import simulate
from yavik.core.methods.nested.mixed.spec import MixedSpec
from yavik.core.methods.nested.mixed.spreads import spreads
from yavik.core.methods.nested.mixed.strata import strata
from yavik.core.methods.registry import answer
from yavik.core.stats.mixed import many
from yavik.core.stats.mixed.blocks import Blocks, Units
from yavik.core.stats.mixed.components import Component, correlations, partials
from yavik.core.stats.mixed.fitting import maximise
from yavik.core.stats.mixed.within import Shape, Within, autocorrelations, partial_autocorrelations
from yavik.core.table import Table

DESK = [{"units": ["hall"]}, {"units": ["hall", "lamp"]}]
TWO = ["lamp", "noise", {"interaction": ["lamp", "noise"]}]


def split_plot(seed: int = 5, drop: int = 0) -> Table:
    """Six halls, three lamps on whole plots, four noises on sub-plots; some rows left out."""
    rng = np.random.default_rng(seed)
    hall, lamp, noise = (a.ravel() for a in np.meshgrid(range(6), range(3), range(4), indexing="ij"))
    y = (
        50
        + rng.normal(0, 4, 6)[hall]
        + rng.normal(0, 3, (6, 3))[hall, lamp]
        + 2.0 * lamp
        - 1.5 * noise
        + rng.normal(0, 3, 72)
    )
    keep = np.sort(rng.permutation(72)[: 72 - drop])
    words = {"hall": [f"h{i}" for i in hall], "lamp": [f"l{i}" for i in lamp], "noise": [f"n{i}" for i in noise]}
    return table_from(**{k: [v[i] for i in keep] for k, v in words.items()}, pages=y[keep].round(6).tolist())


def followed(seed: int = 3, gaps: float = 0.0) -> Table:
    """Twenty subjects in two groups over five times; some rows left out."""
    rng = np.random.default_rng(seed)
    who, time = np.repeat(np.arange(20), 5), np.tile(np.arange(5), 20)
    r = 0.6 ** np.abs(np.subtract.outer(range(5), range(5)))
    e = (rng.normal(size=(20, 5)) @ np.linalg.cholesky(r).T * np.array([1, 1.2, 1.5, 1.7, 2.0])).ravel()
    y = 10 + 0.8 * time + (who % 2) * 1.5 + e
    keep = rng.random(100) >= gaps
    return table_from(
        who=[f"s{w}" for w in who[keep]], week=[f"w{t}" for t in time[keep]],
        way=[f"g{w % 2}" for w in who[keep]], x=rng.normal(size=100).round(4)[keep].tolist(),
        y=y[keep].round(6).tolist(),
    )  # fmt: skip


def fitted(table: Table, **spec: Any) -> MixedModel:
    return fit_model(table, MixedSpec(**spec))


def dense(m: MixedModel) -> tuple[Any, Any, Any]:
    """Rows of y and X as they are spoken of, and V made of whole matrices."""
    n = m.data.n
    if isinstance(m.engine, Blocks):
        v = np.eye(n) * m.top.theta[-1]
        for r, c, own in zip(m.random, m.engine.components, m.engine.parts(m.top.theta), strict=True):
            same = r.codes[:, None] == r.codes[None, :]
            v = v + same * (r.z @ c.matrix(own) @ r.z.T)
    else:
        e = m.engine
        same = e.subject[:, None] == e.subject[None, :]
        v = np.zeros((n, n))
        for g in range(max(e.shape.groups, 1)):
            s = e.shape.covariance(m.top.theta, g)
            own = (e.group == g) if e.shape.spread == "by_group" else np.ones(n, bool)
            v += same * s[np.ix_(e.time, e.time)] * np.outer(own, own)
    x = m.x @ np.linalg.inv(np.asarray(m.fitted.turn, float))  # the columns in reference coding
    return m.data.y, x, v * m.scale**2


def by_hand(y: Any, x: Any, v: Any, restricted: bool) -> float:
    inverse = np.linalg.inv(v)
    xvx = x.T @ inverse @ x
    b = np.linalg.solve(xvx, x.T @ inverse @ y)
    r = y - x @ b
    n, p = x.shape
    value = np.linalg.slogdet(v)[1] + r @ inverse @ r + (n - p if restricted else n) * np.log(2 * np.pi)
    return float(-0.5 * (value + (np.linalg.slogdet(xvx)[1] if restricted else 0.0)))


# -- balanced designs: the classical strata ------------------------------------------------------------------------


@pytest.mark.parametrize("df", ["satterthwaite", "kenward_roger"])
@pytest.mark.parametrize("seed", [5, 11, 18])
def test_split_plot_has_the_classical_f_and_df(seed: int, df: str) -> None:
    table = split_plot(seed)
    m = fitted(table, response="pages", terms=TWO, random=DESK, df=df)
    assert not m.top.flat
    y = m.data.y.reshape(6, 3, 4)
    g = y.mean()
    a, b, c = y.mean((1, 2)) - g, y.mean((0, 2)) - g, y.mean((0, 1)) - g
    ab = y.mean(2) - g - a[:, None] - b[None, :]
    bc = y.mean(0) - g - b[:, None] - c[None, :]
    rest = y - g - a[:, None, None] - b[None, :, None] - c[None, None, :] - ab[:, :, None] - bc[None]
    whole, sub = 4 * (ab**2).sum() / 10, (rest**2).sum() / 45
    want = [24 * (b**2).sum() / 2 / whole, 18 * (c**2).sum() / 3 / sub, 6 * (bc**2).sum() / 6 / sub]
    for t, f, ends in zip(m.tests, want, [(2, 10), (3, 45), (6, 45)], strict=True):
        assert t is not None
        assert t.f == pytest.approx(f, rel=1e-7)
        assert (t.df1, t.df2) == pytest.approx(ends, rel=1e-7)
        assert t.p == pytest.approx(stats.f.sf(f, *ends), rel=1e-6)
    classical = strata(m)
    assert classical is not None
    assert [c.test.f for c in classical if c] == pytest.approx(want, rel=1e-9)


def test_blocks_and_repeated_measures_have_their_classical_f() -> None:
    """Randomised blocks 4, 32; groups of subjects by times under compound symmetry."""
    rng = np.random.default_rng(8)
    block, way = np.repeat(np.arange(9), 5), np.tile(np.arange(5), 9)
    y = rng.normal(0, 3, 9)[block] + np.array([0, 1, 2, 3, 4])[way] + rng.normal(0, 2, 45)
    table = table_from(b=[f"b{i}" for i in block], w=[f"w{i}" for i in way], y=y.tolist())
    m = fitted(table, response="y", terms=["w"], random=[{"units": ["b"]}])
    wide = m.data.y.reshape(9, 5)
    g = wide.mean()
    rest = wide - wide.mean(0) - wide.mean(1)[:, None] + g
    f = 9 * ((wide.mean(0) - g) ** 2).sum() / 4 / ((rest**2).sum() / 32)
    assert m.tests[0] is not None
    assert (m.tests[0].f, m.tests[0].df2) == pytest.approx((f, 32), rel=1e-8)
    over = fitted(followed(), response="y", subject="who", time="week", between=["way"])
    known = strata(over)
    assert known is not None and all(known)
    for t, c in zip(over.tests, known, strict=True):
        assert t is not None and c is not None
        assert (t.f, t.df1, t.df2) == pytest.approx((c.test.f, c.test.df1, c.test.df2), rel=1e-7)


def test_nested_samples_have_the_components_of_their_mean_squares() -> None:
    rng = np.random.default_rng(2)
    a, b = np.repeat(np.arange(8), 12), np.repeat(np.arange(24), 4)
    y = rng.normal(0, 3, 8)[a] + rng.normal(0, 2, 24)[b] + rng.normal(0, 1, 96)
    table = table_from(a=[f"a{i}" for i in a], b=[f"b{i}" for i in b], y=y.tolist())
    m = fitted(table, response="y", random=[{"units": ["a"]}, {"units": ["a", "b"]}])
    z = y.reshape(8, 3, 4)
    ms_a = 12 * ((z.mean((1, 2)) - z.mean()) ** 2).sum() / 7
    ms_b = 4 * ((z.mean(2) - z.mean((1, 2))[:, None]) ** 2).sum() / 16
    ms_e = ((z - z.mean(2)[:, :, None]) ** 2).sum() / 72
    want = [(ms_a - ms_b) / 12, (ms_b - ms_e) / 4, ms_e]
    assert (m.top.theta * m.scale**2).tolist() == pytest.approx(want, rel=1e-6)


# -- likelihoods -----------------------------------------------------------------------------------------------------


PLOTS, GAPS = split_plot(5, 9), followed(4, 0.1)
X, WHO = {"response": "y", "terms": ["x"]}, {"units": ["who"], "slopes": ["x"]}
DESIGNS: dict[str, tuple[Table, dict[str, Any]]] = {
    "intercepts": (PLOTS, {"response": "pages", "terms": ["noise"], "random": ["hall"]}),
    "nested": (split_plot(5, 11), {"response": "pages", "terms": TWO, "random": DESK}),
    "crossed": (PLOTS, {"response": "pages", "terms": ["lamp"], "random": ["hall", "noise"]}),
    "slopes": (GAPS, {"response": "y", "terms": ["way", "x"], "random": [WHO]}),
    "unrelated": (GAPS, {**X, "random": [{**WHO, "related": False}]}),
    "slopes alone": (GAPS, {**X, "random": [{**WHO, "intercept": False}]}),
}
OVER = {"response": "y", "subject": "who", "time": "week", "between": ["way"], "covariates": ["x"]}
for _kind in ("independent", "compound", "ar1", "toeplitz", "unstructured"):
    for _spread in ("same", "by_time", "by_group"):
        if _kind != "unstructured" or _spread == "same":
            DESIGNS[f"{_kind} {_spread}"] = (followed(6, 0.15), {**OVER, "covariance": _kind, "spread": _spread})


@pytest.mark.parametrize("fit", ["reml", "ml"])
@pytest.mark.parametrize("name", DESIGNS)
def test_the_likelihood_is_that_of_whole_matrices_and_no_place_near_is_higher(name: str, fit: str) -> None:
    table, spec = DESIGNS[name]
    m = fitted(table, **spec, fit=fit)
    y, x, v = dense(m)
    assert m.log_likelihood == pytest.approx(by_hand(y, x, v, m.restricted), rel=1e-9)
    inverse = np.linalg.inv(v)
    b = np.linalg.solve(x.T @ inverse @ x, x.T @ inverse @ y)
    assert m.fitted.raw_coef.tolist() == pytest.approx(b.tolist(), rel=1e-6, abs=1e-8)
    se = np.sqrt(np.diag(np.linalg.inv(x.T @ inverse @ x)))
    assert m.fitted.raw_se.tolist() == pytest.approx(se.tolist(), rel=1e-7)
    assert m.top.converged
    rng = np.random.default_rng(1)
    low, high = np.array(m.engine.bounds).T
    for size in (1e-3, 1e-2, 0.1):
        for _ in range(6):
            phi = np.clip(m.top.phi + size * rng.normal(size=len(m.top.phi)), low, high)
            there = m.engine.products(m.engine.theta(phi)).log_likelihood(m.data.n, m.restricted)
            assert there <= m.top.value + 1e-9


@pytest.mark.parametrize("reml", [True, False])
@pytest.mark.parametrize("slopes", [True, False])
def test_fits_are_those_of_a_general_library(reml: bool, slopes: bool) -> None:
    rng = np.random.default_rng(9)
    g = np.repeat(np.arange(25), 8)
    x = rng.normal(3, 1, 200)
    y = 2 + 0.7 * x + rng.normal(0, 1.5, 25)[g] + rng.normal(0, 0.6, 25)[g] * x + rng.normal(size=200)
    frame = pd.DataFrame({"g": g, "x": x, "y": y})
    there = smf.mixedlm("y ~ x", frame, groups="g", re_formula="~x" if slopes else None).fit(reml=reml)
    table = table_from(g=[f"g{i}" for i in g], x=x.tolist(), y=y.tolist())
    random = [{"units": ["g"], "slopes": ["x"] if slopes else []}]
    m = fitted(table, response="y", terms=["x"], random=random, fit="reml" if reml else "ml")
    assert m.log_likelihood == pytest.approx(float(there.llf), abs=2e-5)
    assert m.log_likelihood >= float(there.llf) - 1e-7
    assert m.fitted.raw_coef.tolist() == pytest.approx(there.fe_params.tolist(), rel=1e-3)
    r = m.random[0]
    assert isinstance(m.engine, Blocks)
    d = r.turn @ m.engine.components[0].matrix(m.engine.parts(m.top.theta)[0]) @ r.turn.T * m.scale**2
    assert d.ravel().tolist() == pytest.approx(np.asarray(there.cov_re).ravel().tolist(), rel=5e-3, abs=2e-3)
    assert m.residual_variance == pytest.approx(float(there.scale), rel=1e-3)


# -- degrees of freedom: numerical derivatives of whole matrices ------------------------------------------------------


def numerical(m: MixedModel) -> tuple[Any, ...]:
    """C, its slopes, the inverse expected information, P and Q, by differences of V in natural parameters."""
    engine, theta, x = m.engine, m.top.theta, m.x

    def v_of(t: Any) -> Any:
        return dense(replace_theta(m, t))[2] / m.scale**2

    def c_of(t: Any) -> Any:
        return np.linalg.inv(x.T @ np.linalg.inv(v_of(t)) @ x)

    keep = [i for i in range(len(theta)) if i not in m.top.flat]
    steps = [1e-5 * max(abs(theta[i]), 0.01) * np.eye(len(theta))[i] for i in keep]
    vs = [(v_of(theta + h) - v_of(theta - h)) / (2 * h.sum()) for h in steps]
    cs = [(c_of(theta + h) - c_of(theta - h)) / (2 * h.sum()) for h in steps]
    w = np.linalg.inv(v_of(theta))
    c = np.linalg.inv(x.T @ w @ x)
    p = w - w @ x @ c @ x.T @ w
    info = np.array([[0.5 * np.trace(p @ a @ p @ b) for b in vs] for a in vs])
    first = [-x.T @ w @ a @ w @ x for a in vs]
    second = [[x.T @ w @ a @ w @ b @ w @ x for b in vs] for a in vs]
    assert engine.n == len(w)
    return c, cs, np.linalg.inv(info), first, second


def replace_theta(m: MixedModel, theta: Any) -> MixedModel:
    from dataclasses import replace

    return replace(m, top=replace(m.top, theta=np.asarray(theta)))


UNBALANCED = [
    "intercepts",
    "nested",
    "crossed",
    "slopes",
    "ar1 same",
    "ar1 by_group",
    "toeplitz by_time",
    "compound same",
]


@pytest.mark.parametrize("name", UNBALANCED)
def test_satterthwaite_against_numerical_derivatives(name: str) -> None:
    table, spec = DESIGNS[name]
    m = fitted(table, **spec)
    c, cs, w, _, _ = numerical(m)
    rows = np.random.default_rng(2).normal(size=(6, m.x.shape[1]))
    for row, got in zip(rows, m.inference.df(rows), strict=True):
        g = np.array([row @ d @ row for d in cs])
        assert got == pytest.approx(2 * (row @ c @ row) ** 2 / (g @ w @ g), rel=1e-4)


@pytest.mark.parametrize("name", ["intercepts", "nested", "crossed", "slopes", "compound same"])
def test_kenward_and_roger_against_their_formulas_on_whole_matrices(name: str) -> None:
    table, spec = DESIGNS[name]
    m = fitted(table, **spec, df="kenward_roger")
    c, _, w, first, second = numerical(m)
    k = len(first)
    lost = sum(w[i, j] * (second[i][j] - first[i] @ c @ first[j]) for i in range(k) for j in range(k))
    wide = c + 2 * c @ lost @ c
    assert m.inference.covariance == pytest.approx(0.5 * (wide + wide.T), rel=1e-5, abs=1e-9)
    for q in (1, 2, 3):
        rows = np.random.default_rng(q).normal(size=(q, m.x.shape[1]))
        theta = rows.T @ np.linalg.inv(rows @ c @ rows.T) @ rows
        tp = [theta @ c @ f @ c for f in first]
        a1 = sum(w[i, j] * np.trace(tp[i]) * np.trace(tp[j]) for i in range(k) for j in range(k))
        a2 = sum(w[i, j] * np.trace(tp[i] @ tp[j]) for i in range(k) for j in range(k))
        b = (a1 + 6 * a2) / (2 * q)
        g = ((q + 1) * a1 - (q + 4) * a2) / ((q + 2) * a2)
        d = 3 * q + 2 * (1 - g)
        e = 1 / (1 - a2 / q)
        v = 2 / q * (1 + g / d * b) / ((1 - (q - g) / d * b) ** 2 * (1 - (q + 2 - g) / d * b))
        rho = v / (2 * e**2)
        df2 = 4 + (q + 2) / (q * rho - 1)
        estimate = rows @ m.inference.coef
        f = df2 / (e * (df2 - 2)) * estimate @ np.linalg.solve(rows @ wide @ rows.T, estimate) / q
        got = m.inference.test(rows)
        assert got is not None
        assert (got.f, got.df2) == pytest.approx((f, df2), rel=1e-4)


# -- intervals, effects, draws -----------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["nested", "slopes", "ar1 same"])
def test_profile_limits_are_where_the_likelihood_has_fallen(name: str) -> None:
    """Everything else is searched for anew by a method without slopes, from the end that was told."""
    table, spec = DESIGNS[name]
    m = fitted(table, **spec)
    need = stats.chi2.isf(0.05, 1) / 2
    found = [s for s in spreads(m) if s.kind == "variance"]
    place = len(m.top.phi) - 1 if isinstance(m.engine, Blocks) else 0
    own = found[-1] if isinstance(m.engine, Blocks) else found[0]
    for end in (own.low, own.high):
        held = end / m.scale
        others = [i for i in range(len(m.top.phi)) if i != place]
        low, high = np.array(m.engine.bounds).T

        def down(z: Any, held: float = held, others: Any = others, low: Any = low, high: Any = high) -> float:
            phi = m.top.phi.copy()
            phi[others], phi[place] = z, held
            phi = np.clip(phi, low, high)
            return -m.engine.products(m.engine.theta(phi)).log_likelihood(m.data.n, m.restricted)

        best = optimize.minimize(
            down, m.top.phi[others], method="Nelder-Mead", options={"xatol": 1e-7, "fatol": 1e-9, "maxiter": 4000}
        )
        assert m.top.value + best.fun == pytest.approx(need, abs=2e-3)


def test_effects_are_those_of_the_mixed_model_equations() -> None:
    table, spec = DESIGNS["nested"]
    m = fitted(table, **spec)
    assert isinstance(m.engine, Blocks)
    z = m.engine.z.toarray()
    s2 = m.top.theta[-1]
    d = np.concatenate([np.full(r.n_units, v[0]) for r, v in zip(m.random, m.engine.parts(m.top.theta), strict=True)])
    whole = np.block([[m.x.T @ m.x, m.x.T @ z], [z.T @ m.x, z.T @ z + np.diag(s2 / d)]]) / s2
    both = np.linalg.solve(whole, np.concatenate([m.x.T @ m.data.y, z.T @ m.data.y]) / s2)
    values, errors = m.effects
    assert np.concatenate([v[:, 0] for v in values]).tolist() == pytest.approx(
        both[m.x.shape[1] :].tolist(), rel=1e-6, abs=1e-8
    )
    spread = np.sqrt(np.diag(np.linalg.inv(whole))[m.x.shape[1] :]) * m.scale
    assert np.concatenate([e[:, 0] for e in errors]).tolist() == pytest.approx(spread.tolist(), rel=1e-6)


@pytest.mark.parametrize(("drop", "restricted"), [(0, True), (13, True), (13, False)])
def test_many_fits_side_by_side_are_those_one_by_one(drop: int, restricted: bool) -> None:
    m = fitted(split_plot(5, drop), response="pages", terms=TWO, random=DESK, fit="reml" if restricted else "ml")
    assert isinstance(m.engine, Blocks)
    y = many.drawn(m.engine, m.top.theta, np.random.default_rng(1), 25)
    fits = many.fit_many(m.engine, y, m.top.theta, restricted)
    assert fits.ended.all()
    for i in range(25):
        alone = maximise(Blocks(m.x, y[:, i], m.engine.units), restricted)
        there = (
            m.engine.__class__(m.x, y[:, i], m.engine.units)
            .products(fits.theta[i])
            .log_likelihood(m.data.n, restricted)
        )
        assert there == pytest.approx(alone.value, abs=1e-6)
        assert fits.coef[i].tolist() == pytest.approx(alone.found.coef.tolist(), abs=2e-3)


def test_draws_have_the_covariance_that_they_are_drawn_from() -> None:
    table, spec = DESIGNS["slopes"]
    m = fitted(table, **spec)
    assert isinstance(m.engine, Blocks)
    y = many.drawn(m.engine, m.top.theta, np.random.default_rng(4), 40_000)
    v = dense(m)[2] / m.scale**2
    assert np.abs(y @ y.T / 40_000 - v).max() < 0.05 * v.max()


def test_simulated_critical_values_are_those_of_f_where_it_is_exact() -> None:
    """In balanced blocks far from zero F has its distribution; so have t of contrasts."""
    rng = np.random.default_rng(3)
    block, way = np.repeat(np.arange(10), 4), np.tile(np.arange(4), 10)
    y = rng.normal(0, 8, 10)[block] + rng.normal(0, 1, 40)
    table = table_from(b=[f"b{i}" for i in block], w=[f"w{i}" for i in way], y=y.tolist())
    ask = {"term": "w", "draws": 4999, "contrasts": [{"label": "ends", "weights": {"w3": 1, "w0": -1}}]}
    m = fitted(table, response="y", terms=["w"], random=[{"units": ["b"]}], simulate=ask)
    f, _, t = simulate(m).lines
    for prob, got in zip((0.9, 0.95, 0.99), f.quantiles, strict=True):
        at = stats.f.ppf(prob, 3, 27)
        error = np.sqrt(prob * (1 - prob) / 4999) / stats.f.pdf(at, 3, 27)
        assert abs(got - at) < 4 * error
    for prob, got in zip((0.95, 0.975, 0.995), t.quantiles, strict=True):
        at = stats.t.ppf(prob, 27)
        assert abs(got - at) < 4 * np.sqrt(2 * (1 - prob) * (2 * prob - 1) / 4999) / (2 * stats.t.pdf(at, 27))
    assert f.p == pytest.approx(f.textbook_p, abs=4 * f.error + 1e-3)
    assert t.p == pytest.approx(t.textbook_p, abs=4 * t.error + 1e-3)


def test_correlations_and_their_partial_ones_lead_to_each_other() -> None:
    rng = np.random.default_rng(1)
    for k in (2, 3, 5):
        z = rng.uniform(-0.8, 0.8, k * (k - 1) // 2)
        r = correlations(k, z)
        assert np.linalg.eigvalsh(r).min() > 0
        assert np.diag(r) == pytest.approx(np.ones(k))
        assert partials(r) == pytest.approx(z, abs=1e-9)
    z = rng.uniform(-0.7, 0.7, 5)
    r = autocorrelations(z)
    assert partial_autocorrelations(r) == pytest.approx(z, abs=1e-9)
    lag = np.abs(np.subtract.outer(range(6), range(6)))
    assert np.linalg.eigvalsh(r[lag]).min() > 0


@pytest.mark.parametrize("restricted", [True, False])
def test_slopes_of_the_likelihood_against_differences(restricted: bool) -> None:
    rng = np.random.default_rng(7)
    n, g = 60, np.repeat(np.arange(12), 5)
    x = np.column_stack([np.ones(n), rng.normal(size=n)])
    y = rng.normal(size=n)
    z = np.column_stack([np.ones(n), x[:, 1]])
    engines: list[Any] = [
        Blocks(x, y, [Units(g, z, Component(2, True)), Units(np.arange(n) % 4, z[:, :1], Component(1, True))]),
        *(
            Within(x, y, g, np.tile(np.arange(5), 12), Shape(5, k, s, 3), g % 3)  # type: ignore[arg-type]
            for k in ("ar1", "toeplitz", "unstructured")
            for s in ("same", "by_time", "by_group")
        ),
    ]
    for e in engines:
        theta = e.theta(np.clip(e.starts()[0] + 0.1, *np.array(e.bounds).T))
        found = e.products(theta)
        score, info = e.scored(theta, found, restricted)
        for i in range(len(theta)):
            h = 1e-5 * np.eye(len(theta))[i]
            up, down = (e.products(theta + s * h).log_likelihood(n, restricted) for s in (1, -1))
            assert score[i] == pytest.approx((up - down) / 2e-5, rel=1e-4, abs=1e-5)
        whole = e.derivatives(theta, found, restricted)
        assert whole.information(found.covariance if restricted else None) == pytest.approx(info, rel=1e-8, abs=1e-8)


def test_the_demo_finds_its_truth_again(demo_table: Any = None) -> None:
    """Quiet desks: halls SD 2, hall × lamp SD 1.2, rest SD 1.5; Fluency: children SD 9, slopes SD 0.8, rest SD 4."""
    from tests.tables import demo_tables

    quiet = answer("mixed", demo_tables()["Quiet desks"], {"response": "pages", "terms": TWO, "random": DESK}).facts
    for key, truth in (("hall", 2.0), ("hall*lamp", 1.2), ("residual", 1.5)):
        assert quiet[f"{key}.ci_low"] < truth < quiet[f"{key}.ci_high"]
    terms = ["week", "tutoring", {"interaction": ["week", "tutoring"]}, "slept"]
    fluency = answer(
        "mixed", demo_tables()["Fluency"],
        {"response": "fluency", "terms": terms, "random": [{"units": ["child"], "slopes": ["week"]}]},
    ).facts  # fmt: skip
    for key, truth in (("child.week", 0.8), ("residual", 4.0)):
        assert fluency[f"{key}.ci_low"] < truth < fluency[f"{key}.ci_high"]
    assert abs(float(fluency["slept.b"]) - 1.5) < 2.5 * float(fluency["slept.se"])
