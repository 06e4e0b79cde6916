"""The same model fitted to many responses at once: draws of one design.

Only the variances of units' effects move, so a step of all searches is a few products of small matrices, draw by draw
side by side. Steps by the average information (Gilmour, Thompson and Cullis, 1995), halved until they rise, with
variances kept from falling below nought.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.stacks import Stack

CELLS = 4_000_000
STEPS = 60
HALVINGS = 14
CLOSE = 1e-9


@dataclass(frozen=True)
class Fits:
    """Of R responses: coefficients (R, p), their covariances (R, p, p), parameters (R, k), and which ended at a
    maximum."""

    coef: Floats
    covariance: Floats
    theta: Floats
    ended: Any


@dataclass
class _Draws:
    """Responses as least squares on the units' columns, stack by stack, and what these do not explain."""

    hy: list[Floats]
    xy: Floats
    yy: Floats

    def of(self, rows: Any) -> "_Draws":
        """Some of the draws."""
        return _Draws([h[rows] for h in self.hy], self.xy[rows], self.yy[rows])


@dataclass(frozen=True)
class _Place:
    """Of R draws at one place each: what ``many`` steps by."""

    value: Floats
    coef: Floats
    covariance: Floats
    score: Floats
    average: Floats


def fit_many(engine: Blocks, y: Floats, theta: Floats, restricted: bool) -> Fits:
    """Every column of ``y``, shape (n, R), from the same start."""
    wide = max(engine.p * engine.z.shape[1], engine.p**2, 1)
    widest = max((s.a.shape[1] ** 2 * s.blocks for s in engine.stacks), default=1)
    chunk = max(1, CELLS // max(wide, widest))
    parts = [_fitted(engine, y[:, a : a + chunk], theta, restricted) for a in range(0, y.shape[1], chunk)]
    return Fits(
        *(np.concatenate([getattr(f, name) for f in parts]) for name in ("coef", "covariance", "theta", "ended"))
    )


def _fitted(engine: Blocks, y: Floats, theta: Floats, restricted: bool) -> Fits:
    draws, count = _read(engine, y), y.shape[1]
    start = theta.copy()
    start[:-1] = np.maximum(start[:-1], 0.05 * theta[-1])
    th = np.tile(start, (count, 1))
    now = _at(engine, draws, th, restricted)
    coef, covariance, ended = now.coef.copy(), now.covariance.copy(), np.zeros(count, bool)
    active = np.arange(count)
    for _ in range(STEPS):
        step, rise = _steps(now, th[active])
        over = rise < CLOSE
        ended[active[over]] = True
        keep = ~over
        active, step = active[keep], step[keep]
        if not len(active):
            break
        now = _Place(*(getattr(now, f)[keep] for f in ("value", "coef", "covariance", "score", "average")))
        own = draws.of(active)
        size = np.ones(len(active))
        best = now
        waiting = np.arange(len(active))
        tried = th[active].copy()
        for _ in range(HALVINGS):
            tried[waiting] = _inside(th[active[waiting]] + size[waiting, None] * step[waiting])
            found = _at(engine, own.of(waiting), tried[waiting], restricted)
            better = found.value >= now.value[waiting] - 1e-10
            best = _merged(best, found, waiting, better)
            size[waiting[~better]] /= 2
            tried[waiting[~better]] = th[active[waiting[~better]]]
            waiting = waiting[~better]
            if not len(waiting):
                break
        ended[active[waiting]] = True  # no step rises: it stands at its maximum, to rounding
        th[active], now = tried, best
        coef[active], covariance[active] = now.coef, now.covariance
    return Fits(coef, covariance, th, ended & np.isfinite(coef).all(axis=1))


def _merged(best: _Place, found: _Place, waiting: Any, better: Any) -> _Place:
    out = {}
    for name in ("value", "coef", "covariance", "score", "average"):
        values = getattr(best, name).copy()
        values[waiting[better]] = getattr(found, name)[better]
        out[name] = values
    return _Place(**out)


def _inside(theta: Floats) -> Floats:
    theta = np.maximum(theta, 0.0)
    theta[:, -1] = np.maximum(theta[:, -1], 1e-10)
    return theta


def _steps(now: _Place, theta: Floats) -> tuple[Floats, Floats]:
    """The step of every draw, and the rise that it promises."""
    pressed = (theta <= 0) & (now.score <= 0)
    free = ~pressed
    info = now.average * free[:, :, None] * free[:, None, :]
    size = np.sqrt(np.maximum(np.einsum("rii->ri", info), 1e-300))
    size = np.where(free, size, 1.0)
    info = info / size[:, :, None] / size[:, None, :]
    k = theta.shape[1]
    info[:, np.arange(k), np.arange(k)] = np.where(free, 1.0 + 1e-9, 1.0)
    g = np.where(free, now.score, 0.0) / size
    step = np.linalg.solve(info, g[..., None])[..., 0]
    rise = 0.5 * (g * step).sum(axis=1)
    # An average information that is not positive promises nothing: down the slope then.
    step = np.where((rise < 0)[:, None], g, step)
    return step / size, np.abs(rise)


def _read(engine: Blocks, y: Floats) -> _Draws:
    zy = np.asarray(engine.z.T @ y)
    xy, yy = engine.x.T @ y, (y**2).sum(axis=0)
    hy = []
    for s in engine.stacks:
        own = zy[s.slots]
        inverse = 1 / s.a if s.a.shape[1] == 1 else np.linalg.pinv(s.a, rcond=1e-12, hermitian=True)
        h = inverse @ own
        hy.append(np.moveaxis(h, 2, 0))
        xy = xy - np.einsum("gai,gar->ir", s.h, own)
        yy = yy - np.einsum("gar,gar->r", h, own)
    return _Draws(hy, xy.T, yy)


def _at(engine: Blocks, draws: _Draws, theta: Floats, restricted: bool) -> _Place:
    """Likelihood, slopes and average information of every draw."""
    r, k, p, s2 = len(theta), theta.shape[1] - 1, engine.p, theta[:, -1]
    xvx = np.repeat(engine.within[None, :p, :p], r, axis=0) / s2[:, None, None]
    xvy, yvy = draws.xy / s2[:, None], draws.yy / s2
    logdet = engine.n * np.log(s2)
    middles: list[tuple[Any, Any, Any]] = []
    for s, hy in zip(engine.stacks, draws.hy, strict=True):
        m, own = _middle(s, theta)
        logdet = logdet + own
        mh = (m @ s.h).reshape(r, -1, p)
        my = (m @ hy[..., None])[..., 0]
        xvx = xvx + s.flat_h.T @ mh
        xvy = xvy + np.einsum("gi,rg->ri", s.flat_h, my.reshape(r, -1))
        yvy = yvy + (hy * my).sum(axis=(1, 2))
        middles.append((m, mh.reshape(r, s.blocks, -1, p), my))
    root = np.linalg.cholesky(0.5 * (xvx + np.swapaxes(xvx, 1, 2)))
    inverse = np.linalg.inv(root)
    c = np.swapaxes(inverse, 1, 2) @ inverse
    coef = (c @ xvy[..., None])[..., 0]
    rest = yvy - (xvy * coef).sum(axis=1)
    rows = engine.n - p if restricted else engine.n
    value = -0.5 * (logdet + rest + rows * np.log(2 * np.pi))
    if restricted:
        value = value - np.log(np.einsum("rii->ri", root)).sum(axis=1)
    trace, squares = np.zeros((r, k)), np.zeros((r, k))
    average, lost = np.zeros((r, k, k)), np.zeros((r, k, p))
    for s, (m, mh, my) in zip(engine.stacks, middles, strict=True):
        left = my - (mh @ coef[:, None, :, None])[..., 0]
        whole = s.blocks / m.shape[1]
        moved = []
        for i in range(k):
            e = (s.at == i + 1).astype(np.float64)
            trace[:, i] += whole * np.einsum("gab,rgab->r", np.broadcast_to(e, m.shape[1:]), m)
            if restricted:
                seen = np.einsum("rgai,rij->rgaj", mh, c)
                trace[:, i] -= np.einsum(
                    "rgaj,gab,rgbj->r", seen, np.broadcast_to(e, (s.blocks, *e.shape[1:])), mh, optimize=True
                )
            moved.append((e @ left[..., None])[..., 0])
            squares[:, i] += (left * moved[i]).sum(axis=(1, 2))
            lost[:, i] += np.einsum("rgai,rga->ri", mh, moved[i])
        for i in range(k):
            pushed = (m @ moved[i][..., None])[..., 0]
            for j in range(i + 1):
                average[:, i, j] += (pushed * moved[j]).sum(axis=(1, 2))
    average = average + np.tril(np.ones((k, k)), -1).T * np.swapaxes(average, 1, 2)
    average -= np.einsum("rip,rpq,rjq->rij", lost, c, lost, optimize=True)
    return _Place(value, coef, c, *_with_residual(theta, trace, squares, average, rest, rows))


def _with_residual(
    theta: Floats, trace: Floats, squares: Floats, average: Floats, rest: Floats, rows: int
) -> tuple[Floats, Floats]:
    """Score and average information with the residual variance, from Σ θ V_i = V."""
    t, s2 = theta[:, :-1], theta[:, -1]
    r, k = t.shape
    score = np.zeros((r, k + 1))
    score[:, :k] = 0.5 * (squares - trace)
    score[:, k] = 0.5 * ((rest - (t * squares).sum(axis=1)) - (rows - (t * trace).sum(axis=1))) / s2
    whole = np.zeros((r, k + 1, k + 1))
    whole[:, :k, :k] = average
    across = (squares - np.einsum("rij,rj->ri", average, t)) / s2[:, None]
    whole[:, :k, k] = whole[:, k, :k] = across
    own = (rest - (t * squares).sum(axis=1)) / s2  # y′PV₀Py
    whole[:, k, k] = (own - (t * across).sum(axis=1)) / s2
    return score, 0.5 * whole


def _middle(s: Stack, theta: Floats) -> tuple[Any, Any]:
    """M of every draw and block, shape (R, G or 1, q, q), and log |I + AD/σ²|."""
    s2 = theta[:, -1]
    d = np.concatenate([np.zeros((len(theta), 1)), theta[:, :-1]], axis=1)[:, s.at]
    if s.a.shape[1] == 1:
        den = s2[:, None, None, None] + s.a * d
        m, logs = s.a / den, np.log(den / s2[:, None, None, None])[..., 0, 0]
    else:
        t = s.a @ d
        q = t.shape[-1]
        t[..., np.arange(q), np.arange(q)] += s2[:, None, None]
        _, logs = np.linalg.slogdet(t)
        logs = logs - q * np.log(s2)[:, None]
        m = np.linalg.solve(t, np.broadcast_to(s.a, t.shape))
        m = 0.5 * (m + np.swapaxes(m, -1, -2))
    return m, logs.sum(axis=1) * (s.blocks / m.shape[1])


def drawn(engine: Blocks, theta: Floats, rng: np.random.Generator, count: int) -> Floats:
    """Responses of the model about nought, shape (n, count)."""
    out = np.sqrt(theta[-1]) * rng.standard_normal((engine.n, count))
    effects = np.zeros((engine.z.shape[1], count))
    start = 0
    for u, c, own in zip(engine.units, engine.components, engine.parts(theta), strict=True):
        values, turn = np.linalg.eigh(c.matrix(own))
        root = turn * np.sqrt(np.maximum(values, 0.0))
        each = rng.standard_normal((u.n_units, c.k, count))
        effects[start : start + u.n_units * c.k] = np.einsum("ab,ubr->uar", root, each).reshape(-1, count)
        start += u.n_units * c.k
    return np.asarray(out + engine.z @ effects)


def statistics(fits: Fits, rows: Floats, contrasts: Sequence[Floats]) -> tuple[Floats, Floats]:
    """Wald's χ² of combinations being nought, shape (R,), and t of each contrast, shape (R, m)."""
    estimate = fits.coef @ rows.T
    spread = rows @ fits.covariance @ rows.T
    wald = np.einsum("ri,ri->r", estimate, np.linalg.solve(spread, estimate[..., None])[..., 0])
    if not len(contrasts):
        return wald, np.zeros((len(wald), 0))
    k = np.array(contrasts)
    se = np.sqrt(np.einsum("mi,rij,mj->rm", k, fits.covariance, k))
    return wald, (fits.coef @ k.T) / se
