"""From a spec to a fitted model of a yes/no response."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.kit.events import place_of
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.fitting import choose, clusters_of, demand_rows, held
from yavik.core.methods.kit.models.fitting import prepared as prepared_columns
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.kit.models.testing import ChiSquare, term_tests, wald_test
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.binary import BinaryFit, fit, prepare, probability, sandwich
from yavik.core.stats.binary_profile import null_likelihood, profile_interval, score_test, uncentred, without
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import independent_columns, null_vectors
from yavik.core.stats.selection import BinaryJudge, Round
from yavik.core.stats.separation import Separation, find_separation
from yavik.core.stats.telling import Classified, Roc, classify, roc
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_PROFILED = 3_000_000
"""Numbers of a design up to which a penalised fit has profile intervals without being asked for."""


@dataclass(frozen=True, eq=False)
class BinaryModel:
    """
    Args:
        infinite: places among the used columns without a finite estimate.
        complete: whether every row is told without a miss.
        bounds: profile intervals by place among the coefficients.
    """

    spec: LogisticSpec
    event: str
    other: str
    whole: ModelData
    data: ModelData
    model: BinaryFit
    null: float
    fitted: Fitted
    used: list[int]
    follows: dict[int, list[int]]
    judge: BinaryJudge
    rounds: list[Round]
    chosen: tuple[int, ...]
    infinite: frozenset[int]
    complete: bool
    bounds: dict[int, tuple[float, float]] | None
    ps: dict[int, float]
    covariance: Floats
    n_clusters: int
    codes: Any

    @cached_property
    def roc(self) -> Roc:
        """The ROC curve of the rows used."""
        return roc(self.model.mu, self.data.y)

    @cached_property
    def at_cutoff(self) -> Classified:
        """Rows told and missed at the cut-off."""
        return classify(self.model.mu, self.data.y, self.spec.cutoff)

    @cached_property
    def term_tests(self) -> list[ChiSquare | None]:
        """Each term with all its columns: Wald's χ², or of a penalised fit the penalised likelihood ratio where whole
        columns are tested."""
        return term_tests(self.fitted, self._tested)

    def _tested(self, rows: Floats) -> ChiSquare | None:
        if self.model.penalty == "firth" and self.bounds and np.all(np.count_nonzero(rows, axis=1) == 1):
            return _with_p(without(self.model, [int(np.flatnonzero(r)[0]) + self.fitted.first for r in rows]))
        return wald_test(self.fitted, rows)

    @cached_property
    def whole_tests(self) -> dict[str, ChiSquare]:
        """Likelihood ratio, Wald and score tests of all terms together."""
        spec, k, first = self.spec, len(self.used), self.fitted.first
        if not k:
            return {}
        found: dict[str, ChiSquare] = {}
        if spec.penalty == "none" and spec.se == "classical":
            found["likelihood_ratio"] = _with_p((max(2 * (self.model.log_likelihood - self.null), 0.0), k))
        elif spec.penalty == "firth":
            found["likelihood_ratio"] = _with_p(without(self.model, range(first, first + k)))
        if not self.infinite and (spec.se != "cluster" or k < self.n_clusters):
            got = wald_test(self.fitted, np.eye(k))
            found |= {"wald": got} if got else {}
        if spec.intercept and spec.penalty == "none" and spec.se == "classical":
            found["score"] = _with_p(score_test(fit(self.model.data.among([]), spec.link), self.model.data.x[:, 1:]))
        return found

    @property
    def said(self) -> str:
        """'finished = yes'."""
        return f"{self.data.response.title} = {self.event}"


def _with_p(test: tuple[float, int]) -> ChiSquare:
    return test[0], test[1], float(special.chdtrc(test[1], test[0]))


def event_of(table: Table, response: str, event: str | None) -> tuple[Floats, str, str]:
    """The response as 1 for the event and 0 for the rest, NaN where empty; the event and the rest in words.

    The event is chosen, or found by the one rule of ``methods/events``; where that level has no row among several
    unused ones, the last level that has rows.
    """
    codes = table.codes(response)
    n = np.bincount(codes.codes[codes.codes >= 0], minlength=len(codes.levels))
    there = [i for i in range(len(codes.levels)) if n[i]]
    if not there:
        raise DataProblem(f"{response} has no filled cells among these {table.n_rows} rows.", column=response)
    if event is not None and event not in codes.levels:
        raise DataProblem(
            f"{response} has no level '{event}'; it has {', '.join(codes.levels[:8])}.", column=response
        )
    if len(there) > 2 and event is None:
        shown = listing([f"{codes.levels[i]} in {counted(int(n[i]), 'row')}" for i in there], 8)
        raise DataProblem(
            f"{response} has {len(there)} levels ({shown}). Choose in the settings which one is the event; the others"
            " together are the rest.",
            column=response,
        )
    if len(there) < 2:
        raise DataProblem(
            f"All {counted(int(n.sum()), 'row')} have {response} = {codes.levels[there[0]]}: nothing tells yes"
            " from no.",
            column=response,
        )
    said, place = place_of(table, response, event)
    if event is None and (place < 0 or not n[place]):
        said, place = codes.levels[there[-1]], there[-1]
    if not n[place]:
        raise DataProblem(f"No row used has {response} = {said}.", column=response)
    y = np.where(codes.codes < 0, np.nan, (codes.codes == place).astype(float))
    others = [codes.levels[i] for i in there if i != place]
    return y, said, others[0] if len(others) == 1 else "another"


def _read(table: Table, spec: "LogisticSpec") -> tuple[ModelData, str, str]:
    """The rows of all terms offered, the event and the rest in words."""
    assert spec.response
    y, event, other = event_of(table, spec.response, spec.event)
    whole = read_model(table, spec.response, spec.terms, spec.reference, None, y, spec.intercept)
    yes = int(whole.y.sum())
    if yes in (0, whole.n):
        said = event if yes else other
        raise DataProblem(
            f"All {counted(whole.n, 'row')} that are filled throughout have {spec.response} = {said}: nothing tells"
            " yes from no.",
            column=spec.response,
        )
    return (whole.about_means() if spec.intercept and spec.zero == "mean" else whole), event, other


def fit_binary(table: Table, spec: "LogisticSpec", told: Told = silent) -> BinaryModel:
    """Raises DataProblem for what cannot be fitted."""
    assert spec.response
    if spec.penalty == "firth" and spec.link != "logit":
        raise DataProblem("The penalised fit is for the logit link; choose that link, or no penalty.")
    whole, event, other = _read(table, spec)
    told(0.15, "Preparing the columns")
    whole, t = prepared_columns(whole, spec.intercept)
    used, _ = independent_columns(t)
    if spec.selection in ("none", "backward"):
        demand_rows(whole, len(used) + int(spec.intercept))
    prepared = prepare(whole.design, whole.y, used, spec.intercept)
    judge = BinaryJudge(whole.design, prepared, used, spec.link, spec.penalty)
    if spec.selection != "none" and not spec.intercept:
        raise DataProblem("A selection begins with the intercept; switch it on, or choose no selection.")
    c = choose(spec, whole, t, judge, told)
    told(0.4, "Fitting")
    data, places = c.data, c.used
    d = prepared if len(c.terms) == len(whole.terms) else prepare(data.design, data.y, places, spec.intercept)
    model = fit(d, spec.link, spec.penalty)
    told(0.5, "Looking for separation")
    apart = find_separation(model) if spec.penalty == "none" else Separation(frozenset(), False)
    first = int(spec.intercept)
    infinite, complete = frozenset(i - first for i in apart.moved if i >= first), apart.complete
    if complete:
        infinite = frozenset(range(len(places)))
    robust = spec.se != "classical"
    codes, n_clusters = clusters_of(table, spec, data)
    covariance = sandwich(model, spec.se, codes, n_clusters) if robust and not infinite else model.covariance
    df = float(n_clusters - 1) if spec.se == "cluster" else np.inf
    fitted = Fitted(
        data, places, spec.intercept, model.coef, covariance, df, spec.alpha, held(spec, data),
        f"Probability of {data.response.title} = {event}", back=lambda eta: probability(spec.link, eta),
        infinite=infinite,
        null=null_vectors(c.triangle, places, list(c.follows)),
    )  # fmt: skip
    by_profile = spec.interval == "profile" or (spec.penalty == "firth" and model.data.x.size <= MOST_PROFILED)
    as_is = _AsIs(model, fitted)
    settled = by_profile and model.converged and not infinite
    bounds = _profiles(model, as_is, spec, told) if settled and not robust else None
    ps = _penalised_ps(model, as_is) if spec.penalty == "firth" and bounds else {}
    null = null_likelihood(data.y, spec.link, spec.intercept)
    return BinaryModel(
        spec=spec, event=event, other=other, whole=whole, data=data, model=model, null=null, fitted=fitted, used=places,
        follows=c.follows, judge=judge, rounds=c.rounds, chosen=c.terms, infinite=infinite, complete=complete,
        bounds=bounds, ps=ps, covariance=covariance, n_clusters=n_clusters, codes=codes,
    )  # fmt: skip


def _profiles(
    model: BinaryFit, as_is: "_AsIs", spec: "LogisticSpec", told: Callable[[float, str], None]
) -> dict[int, tuple[float, float]]:
    """Profile intervals of the coefficients of the columns as they are."""
    found: dict[int, tuple[float, float]] = {}
    for place in range(model.q):
        told(0.4 + 0.3 * place / model.q, f"Profile interval {place + 1} of {model.q}")
        source, size = as_is.source(place)
        low, high = profile_interval(source, place, spec.alpha)
        found[place] = (low * size, high * size)
    return found


def _penalised_ps(model: BinaryFit, as_is: "_AsIs") -> dict[int, float]:
    """p of each coefficient by the penalised likelihood ratio, which its profile interval agrees with."""
    return {place: float(special.chdtrc(1, without(as_is.source(place)[0], [place])[0])) for place in range(model.q)}


class _AsIs:
    """Where each coefficient of the columns as they are is one coefficient: in the fit itself, or, for those that a
    moved zero changes (the intercept, lower powers), in the fit of columns about their own zero."""

    def __init__(self, model: BinaryFit, fitted: Fitted) -> None:
        self.model, self.fitted = model, fitted
        self.turn = np.asarray(fitted.turn, float)

    def source(self, place: int) -> tuple[BinaryFit, float]:
        """The fit, and what its coefficient is multiplied by."""
        moved = np.count_nonzero(self.turn[place]) > 1 or (place == 0 and self.fitted.intercept)
        return (self.unmoved if moved else self.model), float(self.turn[place, place])

    @cached_property
    def unmoved(self) -> BinaryFit:
        """The fit of columns about their own zero."""
        data = self.fitted.data.unmoved()
        d = prepare(data.design, data.y, self.fitted.columns, self.fitted.intercept)
        return fit(uncentred(d), self.model.link, self.model.penalty)
