"""From a spec to a fitted linear model: rows, selection, errors."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.fitting import choose, clusters_of, demand_rows, held, prepared
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.predict.linear.errors import BY_CLUSTER, Errors, errors_of, spread_for, tested, wild_ps
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import LeastSquares, Rows, fit, independent_columns, null_vectors, rows_of
from yavik.core.stats.oneway import FTest
from yavik.core.stats.selection import LinearJudge, Round, Subset, best_subsets
from yavik.core.stats.triangle import Triangle
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_SUBSETS = 20
EXACT = 1e-20


@dataclass(frozen=True)
class LinearFit:
    """
    Args:
        whole: the data with all terms that were offered; ``data`` has those of the chosen model.
        follows: columns left out of the model because others say the same, with those others.
    """

    whole: ModelData
    data: ModelData
    model: LeastSquares
    rows: Rows
    fitted: Fitted
    follows: dict[int, list[int]]
    judge: LinearJudge
    rounds: list[Round]
    subsets: list[Subset]
    chosen: tuple[int, ...]
    errors: Errors
    null: Floats
    exact: bool
    codes: Any
    n_clusters: int

    @property
    def df(self) -> float:
        """Degrees of freedom of t, where they are the same for all."""
        return self.errors.df

    def partial_eta2(self, term: int) -> float:
        """Share of what the other terms leave, from sums of squares: a robust F has none."""
        plain = replace(self.errors, kind="classical", covariance=self.model.covariance, df=float(self.model.df),
                        df_of=None, clusters=None, blind=self.errors.blind[:0])  # fmt: skip
        found = tested(
            self.data.design.tested(term), self.model, plain, self.null, bool(self.model.first), self.exact
        )
        return found.f * found.df1 / (found.f * found.df1 + found.df2) if isinstance(found, FTest) else np.nan

    @cached_property
    def whole_test(self) -> FTest | None:
        """All terms at once, with the errors that were chosen."""
        if self.exact or not self.model.used:
            return None
        if self.errors.kind == "classical":
            return self.model.whole()
        found = self.tested(np.eye(self.data.design.p)[self.model.used])
        return found if isinstance(found, FTest) else None

    @cached_property
    def term_tests(self) -> list[FTest | str]:
        """Each term with all its columns; a text says why there is no test."""
        return [self.tested(self.data.design.tested(i)) for i in range(len(self.data.terms))]

    @cached_property
    def wild_ps(self) -> dict[int, float]:
        """p of each coefficient where they are drawn; worked out once, as the draws take their time."""
        return wild_ps(self.model, self.errors, self.fitted.turn)

    def tested(self, rows: Floats) -> FTest | str:
        """F of combinations of the design's columns, shape (k, p); a text says why there is none."""
        return tested(rows, self.model, self.errors, self.null, bool(self.model.first), self.exact)


def fit_linear(table: Table, spec: "LinearSpec", told: Told = silent) -> LinearFit:
    """Raises DataProblem for what cannot be fitted."""
    assert spec.response
    y = table.numbers(spec.response)
    whole = read_model(table, spec.response, spec.terms, spec.reference, spec.weights, y, spec.intercept)
    if np.ptp(whole.y) == 0:
        raise DataProblem(
            f"All {counted(whole.n, 'value')} of {spec.response} used here are the same: there is nothing to"
            " explain.",
            column=spec.response,
        )
    clusters, n_clusters = clusters_of(table, spec, whole, BY_CLUSTER)
    whole = whole.about_means() if spec.intercept and spec.zero == "mean" else whole
    told(0.2, "Cross-products")
    whole, t = prepared(whole, spec.intercept)
    judge = LinearJudge(whole.design, t)
    subsets: list[Subset] = []
    chosen: tuple[int, ...] | None = None
    if spec.selection in ("none", "backward"):
        demand_rows(whole, len(independent_columns(t)[0]) + int(spec.intercept))
    if spec.selection == "best_subsets":
        subsets = _subsets(whole, spec, t)
        chosen = subsets[0].terms if subsets else ()
    c = choose(spec, whole, t, judge, told, chosen)
    if not c.terms and not spec.intercept:
        raise DataProblem(
            "No term was chosen, and there is no intercept: nothing is left of the model.", column=spec.response
        )
    told(0.5, "Rows")
    null, model, data = null_vectors(c.triangle, c.used, list(c.follows)), fit(c.triangle), c.data
    rows = rows_of(data.design, data.y, data.weights, model)
    exact = model.rss <= EXACT * max(model.total, 1e-300)
    errors = errors_of(data, model, rows, spec, clusters, n_clusters, exact)
    return LinearFit(
        whole=whole, data=data, model=model, rows=rows,
        fitted=fitted_of(data, model, rows, spec, errors, null, exact),
        follows=c.follows, judge=judge, rounds=c.rounds, subsets=subsets, chosen=c.terms, errors=errors, null=null,
        exact=exact, codes=clusters, n_clusters=n_clusters,
    )  # fmt: skip


def fitted_of(
    data: ModelData, model: LeastSquares, rows: Rows, spec: "LinearSpec", errors: Errors, null: Floats, exact: bool
) -> Fitted:
    """The fit as tables and pictures see it."""
    return Fitted(
        data, model.used, spec.intercept, model.coef, errors.covariance, errors.df, spec.alpha, held(spec, data),
        data.response.axis_title, spread=spread_for(spec, data, model, rows, exact), null=null, blind=errors.blind,
        df_of=errors.df_of, single_words=" of weight 1" if spec.weights else "",
    )  # fmt: skip


def _subsets(whole: ModelData, spec: "LinearSpec", t: Triangle) -> list[Subset]:
    if len(whole.terms) > MOST_SUBSETS or whole.design.p > 40:
        raise DataProblem(
            f"All choices of {len(whole.terms)} terms are too many; up to {MOST_SUBSETS} terms with 40 coefficients"
            " can be looked at. Use stepwise selection, or leave out terms."
        )
    if spec.choose_by == "p":
        raise DataProblem(
            "The best of all choices is found by AIC, BIC or adjusted R², not by p of a term. Choose one of those."
        )
    demand_rows(whole, len(independent_columns(t)[0]) + int(spec.intercept))
    return best_subsets(whole.design, t, spec.choose_by)
