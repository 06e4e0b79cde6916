"""Where the scatter lies: every component with its share, its profile limits and the test on its bound."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy import special

from yavik.core.methods.nested.mixed.design import Random
from yavik.core.methods.nested.mixed.fit import MixedModel, groups_of, times_of
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.fitting import Maximum, NotFound, maximise
from yavik.core.stats.mixed.profile import limits
from yavik.core.stats.mixed.within import Within
from yavik.core.table.telling import Told, silent

MOST_EFFECTS = 20_000
"""Effects of units up to which limits of their SDs are those of the profile; beyond, the two hardly differ."""
FAR = 1e5
"""Half ranges from a column's zero to its middle beyond which levels at that zero have no limits."""
MOST_PROFILED = 9
"""Parameters of a covariance over times up to which limits are those of the profile."""


@dataclass(frozen=True)
class Spread:
    """One line of the covariance: a variance, or a correlation.

    Args:
        key: in facts. kind: variance, covariance or correlation.
        value: a variance, or a correlation. low, high: profile limits of the SD, or of the correlation.
        share: of the whole scatter; NaN where there is no such thing.
        lr, p: what the likelihood loses without the component, and its p with half the weight at zero.
    """

    key: str
    title: str
    kind: str
    value: float
    low: float
    high: float
    share: float
    lr: float
    p: float
    n: int


def spreads(m: MixedModel, told: Told = silent) -> list[Spread]:
    """Every component with its share, profile limits and test."""
    return _of_units(m, told) if isinstance(m.engine, Blocks) else _of_times(m, told)


def _of_units(m: MixedModel, told: Told) -> list[Spread]:
    assert isinstance(m.engine, Blocks)
    whole, s2, nan = m.total_variance, m.scale**2, np.nan
    parts, start, out = m.engine.parts(m.top.theta), 0, []
    for i, (r, c, v) in enumerate(zip(m.random, m.engine.components, parts, strict=True)):
        told(0.4 + 0.3 * i / max(len(m.random), 1), f"Limits of {r.title}")
        d = r.turn @ c.matrix(v) @ r.turn.T * s2
        engine, top = _from_zero(m, r)
        for j, effect in enumerate(r.effects):
            own: Blocks | None = m.engine
            at, size = m.top, m.scale * float(r.turn[j, j])
            if effect == "level":
                own, at, size = engine, top, m.scale
            low, high = _limits(m, own, at, start + j, size)
            share = m.unit_variances[i] / whole if len(r.effects) == 1 else nan
            lr, p = _without(m, i, j)
            key = r.key if effect == "level" else f"{r.key}.{effect}"
            title = r.title if effect == "level" else f"{r.title}: slope of {m.table.column(effect).title}"
            out.append(Spread(key, title, "variance", float(d[j, j]), low, high, share, lr, p, r.n_units))
        for e, (a, b) in enumerate(c.entries[c.k :]):
            sd = float(np.sqrt(max(d[a, a] * d[b, b], 0.0)))
            value = float(np.clip(d[a, b] / sd, -1, 1)) if sd > 0 else nan
            low, high = (nan, nan)
            if c.k == 2 and sd > 0 and engine is not None and profiled(m):
                low, high = limits(engine, top, start + c.k + e, m.restricted, m.spec.alpha)
            names = [
                x if x == "level" else f"slope of {m.table.column(x).title}" for x in (r.effects[b], r.effects[a])
            ]
            title = f"{r.title}: {names[0]} with {names[1]}"
            out.append(Spread(f"{r.key}.r", title, "correlation", value, low, high, nan, nan, nan, r.n_units))
        start += c.size
    low, high = _limits(m, m.engine, m.top, len(m.top.phi) - 1, m.scale)
    rest = m.residual_variance
    out.append(Spread("residual", "Rows within units", "variance", rest, low, high, rest / whole, nan, nan, m.data.n))
    return out


def profiled(m: MixedModel) -> bool:
    """Whether limits are those of the profile."""
    if isinstance(m.engine, Blocks):
        return bool(m.engine.z.shape[1] <= MOST_EFFECTS)
    return m.engine.shape.size <= MOST_PROFILED


def _limits(m: MixedModel, engine: Any, top: Maximum, place: int, size: float) -> tuple[float, float]:
    if engine is None:
        return np.nan, np.nan
    if not profiled(m):
        return _by_error(m, place, size)
    low, high = limits(engine, top, place, m.restricted, m.spec.alpha)
    return low * abs(size), high * abs(size)


def _by_error(m: MixedModel, place: int, size: float) -> tuple[float, float]:
    """Limits of an SD from the standard error of its logarithm."""
    turn = m.engine.jacobian(m.top.phi)
    info = turn.T @ m.top.derivatives.information(m.top.found.covariance if m.restricted else None) @ turn
    sd = float(m.top.phi[place])
    variance = float(np.linalg.pinv(info, hermitian=True)[place, place])
    if sd <= 0 or variance <= 0:
        return np.nan, np.nan
    reach = float(special.ndtri(1 - m.spec.alpha / 2)) * np.sqrt(variance) / sd
    return sd * abs(size) * float(np.exp(-reach)), sd * abs(size) * float(np.exp(reach))


def _from_zero(m: MixedModel, r: Random) -> tuple[Blocks | None, Maximum]:
    """The same maximum with slopes counted from their columns' own zero, where levels are told of; None where that
    zero lies too far from the values."""
    assert isinstance(m.engine, Blocks)
    away = np.abs(r.turn - np.diag(np.diag(r.turn))).max()
    if away == 0:
        return m.engine, m.top
    if away > FAR:
        return None, m.top
    engine = Blocks(m.x, m.engine.y, [x.plain for x in m.random])
    parts = []
    for x, c, v in zip(m.random, m.engine.components, m.engine.parts(m.top.theta), strict=True):
        d = x.turn @ c.matrix(v) @ x.turn.T
        parts.append(c.phi(np.array([d[i, j] for i, j in c.entries])))
    phi = np.concatenate([*parts, [m.top.phi[-1]]])
    try:
        theta = engine.theta(phi)
        found = engine.products(theta)
        value = found.log_likelihood(engine.n, m.restricted)
        slopes = engine.derivatives(theta, found, m.restricted)
    except np.linalg.LinAlgError:
        return None, m.top
    return engine, replace(m.top, phi=phi, theta=theta, found=found, derivatives=slopes, value=value)


def _without(m: MixedModel, term: int, effect: int) -> tuple[float, float]:
    """What the likelihood loses without one effect of a term, and p with the weights of a bound (Self and Liang, 1987;
    Stram and Lee, 1994)."""
    assert isinstance(m.engine, Blocks)
    units = []
    lost = 1
    for i, r in enumerate(m.random):
        if i != term:
            units.append(r.units)
            continue
        keep = [j for j in range(r.z.shape[1]) if j != effect]
        lost = r.units.component.size - (len(keep) * (len(keep) + 1) // 2 if r.term.related else len(keep))
        if keep:
            u = r.units
            units.append(replace(u, z=u.z[:, keep], component=replace(u.component, k=len(keep))))
    try:
        small = maximise(Blocks(m.x, m.engine.y, units), m.restricted, second=False)
    except NotFound:
        return np.nan, np.nan
    lr = max(2 * (m.top.value - small.value), 0.0)
    if lr < 1e-8:
        return 0.0, 1.0
    above = special.chdtrc(lost, lr)
    below = special.chdtrc(lost - 1, lr) if lost > 1 else 0.0
    return lr, float(0.5 * above + 0.5 * below)


def _of_times(m: MixedModel, told: Told) -> list[Spread]:
    assert isinstance(m.engine, Within)
    s, nan, out = m.engine.shape, np.nan, []
    names = {
        "same": [""],
        "by_time": [f" at {t}" for t in times_of(m)],
        "by_group": [f" of {g}" for g in groups_of(m)],
    }
    subjects = int(m.engine.subject.max()) + 1
    for i, name in enumerate(names[s.spread]):
        told(0.4 + 0.3 * i / s.size, f"Limits of the spread{name}")
        low, high = _limits(m, m.engine, m.top, i, m.scale)
        variance = float(m.top.theta[i]) ** 2 * m.scale**2
        key = f"residual{name.replace(' at ', '.').replace(' of ', '.')}"
        out.append(Spread(key, f"Rows{name}", "variance", variance, low, high, nan, nan, nan, subjects))
    if s.kind in ("compound", "ar1"):
        low, high = limits(m.engine, m.top, s.n_sd, m.restricted, m.spec.alpha)
        what = "any two times" if s.kind == "compound" else "neighbouring times"
        value = float(m.top.theta[s.n_sd])
        out.append(Spread("r", f"Correlation of {what}", "correlation", value, low, high, nan, nan, nan, subjects))
    return out
