"""From a spec to a fitted model of counts."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers.wording import counted, number
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.fitting import choose, clusters_of, demand_rows, held, prepared
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.kit.models.testing import ChiSquare, term_tests, wald_test
from yavik.core.methods.predict.counts_model.spec import CountsSpec
from yavik.core.stats.binary import prepare, rao
from yavik.core.stats.count_checks import count_probabilities, infinite_directions, overdispersion, robust
from yavik.core.stats.count_judge import CountJudge
from yavik.core.stats.count_models import CountFit, fit_counts, null_deviance, null_fit
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import independent_columns, null_vectors
from yavik.core.stats.selection import Round
from yavik.core.table import DataProblem, Table, rows_in_words
from yavik.core.table.telling import Told, silent

MOST_COUNTS = 30
"""Counts with a line of their own."""


@dataclass(frozen=True, eq=False)
class CountsModel:
    """
    Args:
        whole: the data with all terms offered; ``data`` has those of the model.
        null: the model without terms, of the same family.
        infinite: places among the used columns without a finite estimate.
        of: what the model is of, in a sentence: 'the mean of visits', 'the rate of visits per hour'.
        axis: the head of its means.
    """

    spec: CountsSpec
    whole: ModelData
    data: ModelData
    model: CountFit
    null: CountFit
    fitted: Fitted
    used: list[int]
    follows: dict[int, list[int]]
    judge: CountJudge
    rounds: list[Round]
    chosen: tuple[int, ...]
    infinite: frozenset[int]
    covariance: Floats
    n_clusters: int
    of: str
    axis: str

    @property
    def free(self) -> float:
        """Degrees of freedom of a test's denominator; infinite where z and χ² are used."""
        return self.fitted.df

    @cached_property
    def whole_test(self) -> ChiSquare | None:
        """All terms together: likelihood ratio; by robust errors or for quasi-Poisson Wald's χ²."""
        k = len(self.used)
        if not k or self.infinite:
            return None
        if self.spec.family != "quasi" and self.spec.se == "classical":
            chi2 = max(2 * (self.model.log_likelihood - self.null.log_likelihood), 0.0)
            return chi2, k, float(special.chdtrc(k, chi2))
        return wald_test(self.fitted, np.eye(k), self.free)

    @cached_property
    def term_tests(self) -> list[ChiSquare | None]:
        """Wald's test of each term with all its columns; F where the scatter is estimated."""
        return term_tests(self.fitted, lambda rows: wald_test(self.fitted, rows, self.free))

    @cached_property
    def overdispersed(self) -> tuple[float, float]:
        """z and p of more scatter than Poisson's (Cameron and Trivedi, 1990)."""
        return overdispersion(self.model)

    @cached_property
    def zeros_expected(self) -> float:
        """Rows with a count of nought that the model expects."""
        return float(count_probabilities(self.model, 0)[0][0])

    @cached_property
    def seen_and_expected(self) -> tuple[Floats, Floats]:
        """Rows with each count from 0 on, as they are and as the model expects them; the last are those beyond."""
        y = self.data.y
        top = int(min(max(y.max(), 1), max(np.quantile(y, 0.99), 5), MOST_COUNTS))
        expected, beyond = count_probabilities(self.model, top)
        seen = np.bincount(np.minimum(y, top + 1).astype(int), minlength=top + 2).astype(float)
        return seen, np.append(expected, beyond)

    @cached_property
    def explained(self) -> float:
        """Share of the deviance of the model without terms, both at the model's own α (Cameron and Windmeijer,
        1996)."""
        f = self.model
        total = null_deviance(self.data.y, f.offset, f.alpha, self.fitted.intercept)
        return 1 - self.model.deviance / total if total > 0 else np.nan

    @cached_property
    def pearson(self) -> Floats:
        """Standardised Pearson residuals."""
        m = self.model
        spread = np.sqrt(np.maximum(m.variance * m.factor * (1 - m.leverage), 1e-300))
        return np.asarray((self.data.y - m.mu) / spread)

    @cached_property
    def cook(self) -> Floats:
        """Cook's distance by one step (Williams, 1987)."""
        h = self.model.leverage
        return np.asarray(self.pearson**2 * h / (1 - h) / max(self.model.q, 1))


def fit_model(table: Table, spec: CountsSpec, told: Told = silent) -> CountsModel:
    """Raises DataProblem for what cannot be fitted."""
    assert spec.response
    _demand_settings(spec)
    y, exposure = table.numbers(spec.response), _exposure(table, spec)
    _demand_counts(table, spec, y)
    if exposure is not None:
        y = np.where(np.isnan(exposure), np.nan, y)
    whole = read_model(table, spec.response, spec.terms, spec.reference, None, y, spec.intercept)
    if np.ptp(whole.y) == 0:
        raise DataProblem(
            f"All {counted(whole.n, 'count')} of {spec.response} used here are the same: there is nothing to explain.",
            column=spec.response,
        )
    offset = None if exposure is None else np.log(exposure[whole.places])
    whole = whole.about_means() if spec.intercept and spec.zero == "mean" else whole
    told(0.15, "Preparing the columns")
    whole, t = prepared(whole, spec.intercept)
    used, _ = independent_columns(t)
    if spec.selection in ("none", "backward"):
        demand_rows(whole, len(used) + int(spec.intercept))
    d = prepare(whole.design, whole.y, used, spec.intercept)
    judge = CountJudge(whole.design, d, used, offset, spec.family)
    c = choose(spec, whole, t, judge, told)
    told(0.4, "Fitting")
    if len(c.terms) != len(whole.terms):
        d = prepare(c.data.design, c.data.y, c.used, spec.intercept)
    model = fit_counts(d, offset, spec.family)
    first = int(spec.intercept)
    infinite = frozenset(i - first for i in infinite_directions(model) if i >= first)
    codes, n_clusters = clusters_of(table, spec, c.data)
    covariance = (
        robust(model, spec.se, codes, n_clusters) if spec.se != "classical" and not infinite else model.covariance
    )
    df = float(model.df) if spec.family == "quasi" and spec.se == "classical" else np.inf
    of, axis = _said(table, spec)
    fitted = Fitted(
        c.data, c.used, spec.intercept, model.coef, covariance, df, spec.alpha, held(spec, c.data), axis, back=_back,
        infinite=infinite, null=null_vectors(c.triangle, c.used, list(c.follows)),
    )  # fmt: skip
    null = null_fit(c.data.y, offset, spec.family, spec.intercept)
    return CountsModel(
        spec=spec, whole=whole, data=c.data, model=model, null=null, fitted=fitted, used=c.used, follows=c.follows,
        judge=judge, rounds=c.rounds, chosen=c.terms, infinite=infinite, covariance=covariance, n_clusters=n_clusters,
        of=of, axis=axis,
    )  # fmt: skip


def _back(eta: Any) -> Any:
    return np.exp(np.minimum(eta, 700.0))


def _said(table: Table, spec: CountsSpec) -> tuple[str, str]:
    """What the model is of, in a sentence and at an axis."""
    assert spec.response
    column = table.column(spec.response)
    if spec.exposure is None:
        return f"the mean of {lower(column.title)}", f"Mean of {lower(column.title)}"
    over = table.column(spec.exposure)
    per = over.unit or f"unit of {lower(over.title)}"
    return f"the rate of {lower(column.title)} per {per}", f"{column.title} per {per}"


def _demand_settings(spec: CountsSpec) -> None:
    if spec.exposure is not None and spec.exposure == spec.response:
        raise DataProblem(f"{spec.exposure} is the response; it cannot be its own exposure.", column=spec.exposure)
    if spec.selection == "none":
        return
    if not spec.intercept:
        raise DataProblem("A selection begins with the intercept; switch it on, or choose no selection.")
    if spec.family == "quasi" and spec.choose_by != "p":
        raise DataProblem("Quasi-Poisson has no likelihood, and so no AIC or BIC: choose by p of the term.")


def _demand_counts(table: Table, spec: CountsSpec, y: Floats) -> None:
    """Raises DataProblem for values that are no counts."""
    bad = ~np.isnan(y) & ((y < 0) | (y != np.floor(y)))
    if bad.any():
        rows = table.rows[bad].tolist()
        first = number(float(y[bad][0]), 6).rstrip("0").rstrip(".")
        raise DataProblem(
            f"{spec.response} counts something, but {counted(len(rows), 'value is', 'values are')} not a whole"
            f" number of zero or more ({rows_in_words(rows)}; the first is {first})."
            " For measures take the linear model.",
            column=spec.response, rows=rows,
        )  # fmt: skip


def _exposure(table: Table, spec: CountsSpec) -> Floats | None:
    """Raises DataProblem where it is not above zero."""
    if spec.exposure is None:
        return None
    found = table.numbers(spec.exposure)
    bad = ~np.isnan(found) & (found <= 0)
    if bad.any():
        rows = table.rows[bad].tolist()
        raise DataProblem(
            f"{spec.exposure} is not above zero in {counted(len(rows), 'row')} ({rows_in_words(rows)}): nothing can"
            f" be counted there.",
            column=spec.exposure, rows=rows,
        )  # fmt: skip
    return found


def score(m: CountsModel, added: Floats) -> tuple[float, int]:
    """χ² and df of adding columns, shape (n, k), to the fitted model, over the scatter that the model takes."""
    f = m.model
    chi2, df = rao(f.data.x, f.weights, f.scores, f.information, added)
    return chi2 / f.factor, df
