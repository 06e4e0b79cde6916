"""Candidate models of a series, how they do on its held-out end, and what follows by the one taken."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import special

from yavik.core.answers.wording import given, listing
from yavik.core.methods.kit.forecasts import LEVELS, Errors, Outlook, errors_of, held_out, horizon_of, yardsticks
from yavik.core.methods.kit.times import Series, read_series, season_of, transformed
from yavik.core.methods.time.arima.orders import candidates_of
from yavik.core.methods.time.arima.spec import ArimaSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.ahead import ahead, expected
from yavik.core.stats.series.arima import Fitted, Order, Prepared, Singular, prepare
from yavik.core.stats.series.arma import innovations
from yavik.core.stats.series.correlogram import Correlogram, correlogram
from yavik.core.stats.series.parts import back
from yavik.core.stats.series.search import fit
from yavik.core.table import DataProblem, Table

LEAST = 12
MOST_GAPS = 200
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Data:
    """The series as it is modelled.

    Args:
        z: transformed values, NaN where there are none; bridged: on straight lines there. x: regressors at the series' times, later: those after it,
            as far as every one is known. names: of the regressors.
    """

    series: Series
    season: int
    power: float
    z: Floats
    bridged: Floats
    names: tuple[str, ...]
    x: Floats
    later: Floats

    @property
    def n(self) -> int:
        """Times."""
        return len(self.z)

    def original(self, z: Floats) -> Floats:
        """Back to the scale of the series."""
        return z if self.power == 1.0 else back(z, self.power)


@dataclass(frozen=True)
class Candidate:
    """A model, or why there is none.

    Args:
        lags: that Ljung and Box's test is over; its p is NaN where no df are left.
    """

    order: Order
    fit: Fitted | None
    why: str = ""
    lags: int = 0
    alpha: float = 0.05
    held: Errors | None = None

    @property
    def key(self) -> str:
        """'(1, 1, 1)'."""
        return f"({self.order.p}, {self.order.d}, {self.order.q})"

    @cached_property
    def residuals(self) -> Floats:
        """One-step errors over their relative standard deviation, NaN where a point is missing: the last of the
        series' times."""
        assert self.fit
        f = self.fit
        w = (f.given.w - f.given.x @ f.at.beta) * f.given.scale
        out = innovations(w, *f.factors.polynomials)
        gone = f.given.missing - f.order.lost
        out[gone[gone >= 0]] = np.nan
        return out

    @cached_property
    def left(self) -> Correlogram | None:
        """Correlations of the residuals, with the coefficients' df taken off."""
        e = self.residuals[np.isfinite(self.residuals)]
        lags = min(self.lags, len(e) - 1)
        return correlogram(e, lags, self.order.parameters) if lags > 0 and np.ptp(e) > 0 else None

    @property
    def ljung_box(self) -> tuple[float, float, int]:
        """Q, p, df."""
        c = self.left
        if c is None:
            return np.nan, np.nan, 0
        return float(c.q[-1]), float(c.p[-1]), len(c.q) - self.order.parameters

    @cached_property
    def tests(self) -> tuple[Floats, Floats, Floats]:
        """Estimates, standard errors and p by the normal distribution."""
        assert self.fit
        b = self.fit.coefficients
        se = np.sqrt(np.diag(self.fit.covariance))
        with np.errstate(divide="ignore", invalid="ignore"):
            p = 2 * special.ndtr(-np.abs(b / se))
        return b, se, np.asarray(p)

    @property
    def significant(self) -> tuple[int, int]:
        """Significant coefficients out of all."""
        p = self.tests[2]
        return int((p < self.alpha).sum()), len(p)

    @cached_property
    def largest_roots(self) -> tuple[float, float]:
        """Largest sizes of inverse roots of the autoregression and the moving average; 0 without one."""
        assert self.fit
        return tuple(float(np.abs(r).max(initial=0.0)) for r in self.fit.roots)  # type: ignore[return-value]


@dataclass(frozen=True)
class Modelled:
    """Everything computed; tables and words only read it.

    Args:
        pool: candidates of the differencing whose likelihoods are compared. best: of each criterion the candidates
            that are best by it. taken: the one looked at.
    """

    spec: ArimaSpec
    data: Data
    tried: list[Candidate]
    pool: list[Candidate]
    best: dict[str, list[Candidate]]
    chosen: Candidate
    taken: Candidate
    outlook: Outlook
    suggested: str

    @property
    def names(self) -> list[str]:
        """Of the coefficients: ar_1, ma_1, sar_1, sma_1, drift or mean, regressors."""
        assert self.taken.fit
        o = self.taken.order
        kinds = (("ar", o.p), ("ma", o.q), ("sar", o.P), ("sma", o.Q))
        return [*(f"{k}_{i + 1}" for k, n in kinds for i in range(n)), *self.taken.fit.given.names]

    @property
    def reach(self) -> float:
        """Standard errors that an interval at 1 − α reaches."""
        return float(special.ndtri(1 - self.spec.alpha / 2))

    @cached_property
    def simpler(self) -> list[Candidate]:
        """Candidates with fewer coefficients whose AICc is within 2 of the chosen one's."""
        mine = self.chosen.fit
        assert mine
        return [
            c for c in self.pool
            if c.fit and c.fit.counted < mine.counted and c.fit.aicc <= mine.aicc + 2
        ]  # fmt: skip


def compute(table: Table, spec: ArimaSpec, progress: Progress = lambda _part, _what: None) -> Modelled:
    """Raises DataProblem for what cannot be read or modelled."""
    data = read(table, spec)
    orders, told = candidates_of(data.series, data.bridged, data.season, spec)
    held = held_out(data.series, data.season, spec.hold_out, LEAST)
    made: dict[Order, Candidate] = {}
    for i, order in enumerate(sorted(orders, key=lambda o: o.parameters)):
        progress(0.05 + 0.85 * i / len(orders), f"{order}, {i + 1} of {len(orders)}{_so_far(made)}")
        made[order] = candidate(data, order, spec, held, _inside(order, made))
    tried = [made[order] for order in orders]
    standing = [c for c in tried if c.fit]
    if not standing:
        raise DataProblem(f"None of the candidates can be fitted: {tried[0].why}.", column=data.series.column.name)
    pool = _pool(standing, orders[0])
    best = _best(pool, held > 0)
    chosen = _choose(pool, best, spec.choose_by)
    taken = next((c for c in standing if c.key == spec.main), chosen)
    progress(0.92, "What follows")
    return Modelled(spec, data, tried, pool, best, chosen, taken, outlook(data, spec, taken, held), told)


def outlook(data: Data, spec: ArimaSpec, taken: Candidate, held: int) -> Outlook:
    """What follows by a model, back on the scale of the series; as far as regressors are known."""
    assert taken.fit
    horizon = horizon_of(data.season, data.n, spec.horizon)
    horizon = min(horizon, len(data.later)) if data.names else horizon
    later = ahead(taken.fit, horizon, data.later[:horizon])
    bands = {}
    for level in LEVELS:
        reach = float(special.ndtri((1 + level) / 2)) * later.se_full
        bands[level] = data.original(later.mean - reach), data.original(later.mean + reach)
    own = data.power == 1.0
    return Outlook(
        f"ARIMA{taken.order}", data.series, data.season, held, taken.held,
        yardsticks(data.series, data.bridged, data.original, data.season, held), data.original(later.mean), bands,
        later.se if own else None, later.se_full if own else None,
    )  # fmt: skip


def _so_far(made: dict[Order, Candidate]) -> str:
    """'; least AICc so far 1450.5 by (1, 1, 0)'."""
    fits = [(c.fit.aicc, c.key) for c in made.values() if c.fit and np.isfinite(c.fit.aicc)]
    return f"; least AICc so far {min(fits)[0]:.1f} by {min(fits)[1]}" if fits else ""


def _inside(order: Order, made: dict[Order, Candidate]) -> list[Fitted]:
    """Of smaller models of the same differences the two that fit best."""
    smaller = [
        c.fit for o, c in made.items()
        if c.fit and o.parameters and o.p <= order.p and o.q <= order.q and (o.d, o[3:]) == (order.d, order[3:])
    ]  # fmt: skip
    return sorted(smaller, key=lambda f: -f.log_likelihood)[:2]


def read(table: Table, spec: ArimaSpec) -> Data:
    """The series and its regressors. Raises DataProblem."""
    assert spec.value
    series = read_series(table, spec.value, spec.time, LEAST, spec.doubled, spec.within)
    name = series.column.name
    if not np.ptp(series.values) > 0:
        raise DataProblem(
            f"{name} is {given(series.values[0])} at every time: there is nothing to model.", column=name
        )
    if len(series.bridged) > min(MOST_GAPS, series.n // 2):
        raise DataProblem(
            f"{len(series.bridged)} of {series.n} times have no value: too many to model what lies between.",
            column=name,
        )
    season = season_of(series, spec.seasonal[3] if isinstance(spec.seasonal, tuple) else "auto")
    bridged, power = transformed(table, series, spec.transform, season)
    z = bridged.copy()
    z[series.bridged] = np.nan
    if spec.value in spec.regressors or (spec.time and spec.time in spec.regressors):
        raise DataProblem("A regressor is another column than the series and its time.", column=spec.value)
    x, later = _regressors(table, series, spec.regressors)
    return Data(series, season, power, z, bridged, tuple(spec.regressors), x, later)


def _regressors(table: Table, series: Series, names: list[str]) -> tuple[Floats, Floats]:
    n, reach = series.n, int(max(series.along.max() - series.n + 1, 0))
    out = np.full((n + reach, len(names)), np.nan)
    inside = series.along >= 0
    for j, name in enumerate(names):
        out[series.along[inside], j] = table.numbers(name)[inside]
        empty = np.flatnonzero(np.isnan(out[:n, j]))
        if len(empty):
            told = listing([series.labels[int(i)] for i in empty], 3)
            rows = [int(r) for r in table.rows[np.isin(series.along, empty)]]
            raise DataProblem(
                f"{name} is empty at {told}: a regressor has a value at every time.", column=name, rows=rows
            )
        if not np.ptp(out[:n, j]) > 0:
            raise DataProblem(f"{name} is the same at every time of the series.", column=name)
    later = out[n:]
    known = np.isfinite(later).all(axis=1)
    return out[:n], later[: len(known) if known.all() else int(np.argmin(known))]


def candidate(data: Data, order: Order, spec: ArimaSpec, held: int, nested: list[Fitted]) -> Candidate:
    """Fitted to the whole series, then to all but its end."""
    lags = min(2 * data.season if data.season > 1 else 10, max(1, data.n // 5))
    lags = max(lags, min(order.parameters + 3, data.n - order.lost - 2))
    try:
        fitted = _with_drift(data, order, spec.drift, nested)
    except Singular as problem:
        return Candidate(order, None, str(problem))
    return Candidate(order, fitted, "", lags, spec.alpha, _on_end(data, fitted, held) if held else None)


def _with_drift(data: Data, order: Order, drift: str, nested: list[Fitted]) -> Fitted:
    """With a mean or drift as asked, or as AICc asks. Raises Singular."""
    z, steps = data.z, order.d + order.D
    need = order.parameters + len(data.names) + 6
    if len(z) - order.lost - int(np.isnan(z).sum()) < need + 2:
        raise Singular("too few points for so many coefficients")

    def prepared(constant: bool) -> Prepared:
        return prepare(z, order, data.x, data.names, constant)

    if steps > 1 or drift == "no":
        return fit(prepared(False), nested=nested)
    both = fit(prepared(True), nested=nested)
    if drift == "yes" or steps == 0:
        return both
    plain = fit(prepared(False), [both.x], rough=True)
    return fit(prepared(False), [plain.x]) if plain.aicc <= both.aicc else both


def _on_end(data: Data, whole: Fitted, held: int) -> Errors | None:
    """The same model fitted to all but the end, and how it foretells that."""
    cut = data.n - held
    constant = whole.given.names[:1] in (("drift",), ("mean",))
    last = cut - 1
    while np.isnan(data.z[last]):
        last -= 1
    try:
        given = prepare(data.z[: last + 1], whole.order, data.x[: last + 1], data.names, constant)
        if given.n < whole.counted + 2:
            return None
        fitted = fit(given, [whole.x], rough=True)
    except Singular:
        return None
    said = data.original(expected(fitted, data.n - last - 1, data.x[last + 1 :]))[cut - last - 1 :]
    return errors_of(data.series, said)


def _pool(standing: list[Candidate], first: Order) -> list[Candidate]:
    """Candidates whose likelihoods are of the same differences: those of the most frequent differencing."""
    kinds = [(c.order.d, c.order.D) for c in standing]
    most = max(dict.fromkeys(kinds), key=lambda k: (kinds.count(k), k == (first.d, first.D)))
    return [c for c, k in zip(standing, kinds, strict=True) if k == most]


def _best(pool: list[Candidate], held: bool) -> dict[str, list[Candidate]]:
    """Of each criterion those that are best by it, to nine digits."""

    def least(value: Callable[[Candidate], float]) -> list[Candidate]:
        values = [value(c) for c in pool]
        low = min(values)
        return [c for c, v in zip(pool, values, strict=True) if v <= low + 1e-9 * max(1.0, abs(low))]

    def share(c: Candidate) -> float:
        one, of = c.significant
        return -one / of if of else 0.0

    out = {
        "significant": least(share),
        "sigma": least(lambda c: c.fit.sigma if c.fit else np.inf),
        "log_likelihood": least(lambda c: -c.fit.log_likelihood if c.fit else np.inf),
        "aic": least(lambda c: c.fit.aic if c.fit else np.inf),
        "aicc": least(lambda c: c.fit.aicc if c.fit else np.inf),
        "bic": least(lambda c: c.fit.bic if c.fit else np.inf),
    }
    if held and any(c.held for c in pool):
        out["held"] = least(lambda c: c.held.rmse if c.held else np.inf)
    return out


def _choose(pool: list[Candidate], best: dict[str, list[Candidate]], by: str) -> Candidate:
    """By one criterion, or by the most; AICc decides between equals."""

    def rank(c: Candidate) -> tuple[float, float]:
        assert c.fit
        votes = sum(any(c is b for b in winners) for winners in best.values())
        first = votes if by == "votes" else any(c is b for b in best[by])
        return -float(first), c.fit.aicc if np.isfinite(c.fit.aicc) else c.fit.aic

    return min(pool, key=rank)


def votes(m: Modelled, c: Candidate) -> list[str]:
    """Criteria that a candidate is best by."""
    return [name for name, winners in m.best.items() if any(c is b for b in winners)]
