"""Which covariance over time: all of them side by side, and the correlations that the chosen one implies."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import number
from yavik.core.figures.plots import block
from yavik.core.methods.kit.touch import choose
from yavik.core.methods.nested.mixed.design import random_terms, read_random
from yavik.core.methods.nested.mixed.fit import MixedModel, engine_of, times_of
from yavik.core.methods.nested.mixed.spec import COVARIANCES, MixedSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.fitting import scoring, search, value_at
from yavik.core.stats.numbering import numbered
from yavik.core.table import DataProblem

MOST_TIMES = 12
"""Times up to which all covariances are fitted unasked."""
MOST_ROWS = 20_000


@dataclass(frozen=True)
class Tried:
    """One covariance: its likelihood and how many parameters it takes."""

    kind: str
    parameters: int
    log_likelihood: float
    aic: float
    bic: float


def covariances(m: MixedModel) -> list[Tried]:
    """Every kind with the spread that was chosen; one that cannot be had is left out."""
    if not m.spec.over_time or len(times_of(m)) > MOST_TIMES or m.data.n > MOST_ROWS:
        return []
    found = []
    for kind in COVARIANCES:
        spec = m.spec.model_copy(update={"covariance": kind})
        if kind == m.spec.covariance:
            found.append(_told(m, kind, len(m.top.phi), m.top.value))
            continue
        value, k = _value(m, spec)
        if np.isfinite(value):
            found.append(_told(m, kind, k, value))
    return found


def _value(m: MixedModel, spec: MixedSpec) -> tuple[float, int]:
    try:
        random = [read_random(m.table, m.data, r) for r in random_terms(spec)]
        engine = engine_of(m.table, m.data, spec, random, m.x, m.engine.y)
    except DataProblem:
        return -np.inf, 0
    phi = scoring(engine, engine.starts()[0], m.restricted, close=1e-5)
    if phi is None:
        phi = search(engine, engine.starts()[-1], m.restricted)
    return (value_at(engine, phi, m.restricted)[0], len(phi)) if phi is not None else (-np.inf, 0)


def _told(m: MixedModel, kind: str, k: int, value: float) -> Tried:
    whole = m.log_likelihood + (value - m.top.value)
    parameters = len(m.base) + k
    rows = m.data.n - (len(m.base) if m.restricted else 0)
    return Tried(kind, k, whole, -2 * whole + 2 * parameters, -2 * whole + float(np.log(rows)) * parameters)


def table(m: MixedModel, tried: list[Tried]) -> TableBlock | None:
    """All of them, the best of each criterion marked."""
    if len(tried) < 2:
        return None
    aic, bic = min(t.aic for t in tried), min(t.bic for t in tried)
    rows = []
    for t in tried:
        best = [name for name, v, low in (("AIC", t.aic, aic), ("BIC", t.bic, bic)) if v <= low + 1e-9]
        name, what = COVARIANCES[t.kind].split(": ")
        rows.append(
            q.row(
                kind=q.Quantity(t.kind, name[0].upper() + name[1:], "Covariance", "name", below=what),
                parameters=q.count(t.parameters, "Parameters"),
                log_likelihood=q.num(t.log_likelihood, 1, "Log-likelihood"),
                aic=q.num(t.aic, 1, "AIC"), bic=q.num(t.bic, 1, "BIC"), best=q.word(" and ".join(best), "Lowest"),
            )
        )  # fmt: skip
    chosen = [i for i, t in enumerate(tried) if t.kind == m.spec.covariance]
    note = "The same terms in all, so that even restricted likelihoods may be compared. The chosen one is marked."
    made = q.table("covariances", "Which covariance the data carry", rows, note=note, strong=[], marked=chosen)
    return choose(made, "covariance", "kind", "Use this covariance")


def implied(m: MixedModel) -> Floats:
    """Correlations between the times under the model."""
    if isinstance(m.engine, Blocks):
        t = len(times_of(m))
        r = m.unit_variances[0] / m.total_variance if m.random else 0.0
        return np.asarray(np.where(np.eye(t) > 0, 1.0, r))
    return np.asarray(m.engine.shape.correlation(m.top.theta), np.float64)


def observed(m: MixedModel) -> Floats:
    """Correlations of what the terms leave, pair by pair of times."""
    from yavik.core.methods.nested.mixed.design import units_of

    assert m.spec.subject and m.spec.time
    subject, who = units_of(m.table, m.data, [m.spec.subject])
    codes = m.table.codes(m.spec.time).codes[m.data.places]
    time = numbered(codes)[1]
    wide = np.full((len(who), int(time.max()) + 1), np.nan)
    wide[subject, time] = m.data.y - m.marginal
    t = wide.shape[1]
    out = np.eye(t)
    for i in range(t):
        for j in range(i):
            both = ~np.isnan(wide[:, i]) & ~np.isnan(wide[:, j])
            a, b = wide[both, i], wide[both, j]
            size = float(np.sqrt((a @ a) * (b @ b)))
            out[i, j] = out[j, i] = float(a @ b) / size if both.sum() > 2 and size > 0 else np.nan
    return out


def picture(m: MixedModel) -> FigureBlock | None:
    """Correlations over the distance of times: as observed, and as the model has them."""
    if not m.spec.over_time:
        return None
    times = times_of(m)
    if not 2 < len(times) <= 30:
        return None
    from yavik.core.figures.lags import over_distance

    seen, model = observed(m), implied(m)
    points: list[Any] = []
    for i in range(len(times)):
        for j in range(i):
            if np.isfinite(seen[i, j]):
                points.append((i - j, float(seen[i, j]), float(model[i, j]), f"{times[j]} and {times[i]}"))
    if not points:
        return None
    title = "Correlations within a subject, observed and by the model"
    return block("correlations", title, over_distance(points, "Times apart", "Correlation"), small=True)


def said(tried: list[Tried], chosen: str) -> str:
    """Which one is the best and by how much."""
    best = min(tried, key=lambda t: t.aic)
    own = next(t for t in tried if t.kind == chosen)
    if best.kind == chosen:
        return "No other covariance has a lower AIC."
    return f"AIC is {number(own.aic - best.aic, 1)} lower with {COVARIANCES[best.kind].split(':')[0]}."
