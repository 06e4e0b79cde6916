"""A weighted model with errors by the design, beside the unweighted one."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.special import expit

from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.fitting import demand_rows, held, prepared
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.kit.models.testing import ChiSquare, term_tests
from yavik.core.methods.kit.surveys import Surveyed, read_survey
from yavik.core.methods.predict.logistic.fit import event_of
from yavik.core.methods.surveys.survey_model.spec import SurveyModelSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import independent_columns, null_vectors
from yavik.core.stats.surveys.designs import Stratified
from yavik.core.stats.surveys.estimates import wald
from yavik.core.stats.surveys.models import Family, Runaway, WeightedFit, explained, weighted_fit
from yavik.core.table import NUMERIC, DataProblem, Table
from yavik.core.table.telling import Told, silent


@dataclass(frozen=True)
class Marginal:
    """The average change of the mean, over the population: by one more of a number, or from the reference to a
    level."""

    name: str
    value: float
    se: float


@dataclass(frozen=True, eq=False)
class SurveyModel:
    """Everything computed; tables and words only read it.

    Args:
        fit: by the weights. plain, plain_covariance: without them, as of a simple random sample. df: of the design.
        event: in words, of a logistic model.
    """

    spec: SurveyModelSpec
    survey: Surveyed
    data: ModelData
    family: Family
    event: str
    x: Floats
    fit: WeightedFit
    fitted: Fitted
    plain: Floats
    plain_covariance: Floats
    used: list[int]
    follows: dict[int, list[int]]
    df: float

    @property
    def weights(self) -> Floats:
        """Of the rows used."""
        return np.asarray(self.survey.weights[self.data.places])

    @property
    def of(self) -> str:
        """What the model is of."""
        title = self.data.response.title
        return f"the odds of {title} = {self.event}" if self.family == "logistic" else f"the mean of {lower(title)}"

    def tested(self, rows: Floats) -> ChiSquare | None:
        """Adjusted Wald test of combinations of the slopes; F, its first df, p."""
        first = self.fitted.first
        if not np.isfinite(self.fitted.sums(np.column_stack([np.zeros((len(rows), first)), rows]))[1]).all():
            return None  # a row decides a combination alone
        v = rows @ self.fitted.covariance[first:, first:] @ rows.T
        made = wald(rows @ self.fitted.coef[first:], v, self.df)
        return (made.f, int(made.df1), made.p) if np.isfinite(made.p) else None

    @cached_property
    def terms(self) -> list[ChiSquare | None]:
        """Of each term."""
        return term_tests(self.fitted, self.tested)

    @cached_property
    def whole(self) -> ChiSquare | None:
        """Of all terms together."""
        return self.tested(np.eye(len(self.used))) if self.used else None

    @cached_property
    def explained(self) -> float:
        """Share of the weighted variance."""
        return explained(self.data.y, self.fit.fitted, self.weights)

    @cached_property
    def marginal(self) -> list[Marginal]:
        """Average changes of the mean, errors of the coefficients alone."""
        out = []
        for name in self.data.names:
            values = self.data.design.data[name]
            factor = self.data.factors.get(name)
            if factor is None:
                step = float(np.std(values)) * 1e-4 or 1e-6
                out.append(self._change(name, values + step, values - step, 2 * step))
                continue
            base = np.full(len(values), factor.reference)
            for k, level in enumerate(factor.levels):
                if k != factor.reference:
                    title = f"{self.data.title(name)}: {level} beside {factor.levels[factor.reference]}"
                    out.append(self._change(name, np.full(len(values), k), base, 1.0, title))
        return out

    def _change(self, name: str, above: Any, below: Any, size: float, title: str = "") -> Marginal:
        w = self.weights / self.weights.sum()
        value, slope = 0.0, np.zeros(len(self.fitted.coef))
        for sign, moved in ((1, above), (-1, below)):
            design = self.data.design_of({**self.data.design.data, name: moved})
            x = self.fitted.rows(design.block(0, self.data.n))
            eta = x @ self.fitted.coef
            mean = expit(eta) if self.family == "logistic" else eta
            steep = mean * (1 - mean) if self.family == "logistic" else np.ones_like(eta)
            value += sign * float(w @ mean) / size
            slope += sign * (w * steep) @ x / size
        return Marginal(
            title or self.data.title(name),
            value,
            float(np.sqrt(max(float(slope @ self.fitted.covariance @ slope), 0.0))),
        )


def fit_model(table: Table, spec: SurveyModelSpec, told: Told = silent) -> SurveyModel:
    """Raises DataProblem for what cannot be fitted."""
    if not spec.response:
        raise DataProblem("A model needs a response.")
    s = read_survey(table, spec)
    y, family, event = _response(table, spec)
    y = np.where((s.domain > 0) & (s.weights > 0), y, np.nan)
    data = read_model(table, spec.response, spec.terms, spec.reference, None, y, spec.intercept)
    if np.ptp(data.y) == 0:
        raise DataProblem(
            f"{spec.response} is the same in all {data.n} rows used: there is nothing to explain.",
            column=spec.response,
        )
    data = data.about_means() if spec.intercept and spec.zero == "mean" else data
    told(0.2, "Preparing the columns")
    data, t = prepared(data, spec.intercept)
    used, follows = independent_columns(t)
    demand_rows(data, len(used) + int(spec.intercept))
    x = data.design.block(0, data.n)[:, used]
    x = np.column_stack([np.ones(data.n), x]) if spec.intercept else x
    told(0.4, "Fitting by every weight")
    try:
        fit = weighted_fit(s.what, data.places, x, data.y, family)
        ones = Stratified(np.ones(data.n), np.zeros(data.n, int), np.arange(data.n), np.zeros(1))
        plain = weighted_fit(ones, np.arange(data.n), x, data.y, family)
    except Runaway:
        raise DataProblem(
            f"The terms tell {spec.response} = {event} from the rest without error: there is no finite estimate. Leave"
            " out the term that does it, or join its levels.",
            column=spec.response,
        ) from None
    rows = np.zeros(table.n_rows, bool)
    rows[data.places] = True
    df = s.what.df(rows)
    if df <= 0:
        raise DataProblem(
            "No degrees of freedom are left among the rows used: errors cannot be told.", column=spec.response
        )
    back = expit if family == "logistic" else (lambda eta: eta)
    title = data.response.title
    axis = f"Share of {event}" if family == "logistic" else f"Mean of {title}"
    fitted = Fitted(
        data, used, spec.intercept, fit.coef, fit.covariance, df, spec.alpha, held(spec, data), axis, back=back,
        null=null_vectors(t, used, list(follows)), blind=fit.blind,
    )  # fmt: skip
    squares = float(((data.y - plain.fitted) ** 2).sum()) / max(data.n - x.shape[1], 1)
    scatter = squares if family == "linear" else 1.0
    return SurveyModel(
        spec, s, data, family, event, x, fit, fitted, plain.coef, plain.bread * scatter, used, follows, df
    )


def _response(table: Table, spec: SurveyModelSpec) -> tuple[Floats, Family, str]:
    assert spec.response
    numeric = table.column(spec.response).kind in NUMERIC
    family: Family = "linear" if numeric and spec.event is None else "logistic"
    if spec.family != "auto":
        family = spec.family
    if family == "linear":
        return table.numbers(spec.response), family, ""
    y, event, _ = event_of(table, spec.response, spec.event)
    return y, family, event
