"""From a spec to a fitted linear model: rows, selection, errors."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.spec import ModelSpec
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.predict.linear.errors import BY_CLUSTER, Errors, errors_of, spread_for, tested, wild_ps
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import LeastSquares, Rows, fit, independent_columns, null_vectors, rows_of
from yavik.core.stats.oneway import FTest
from yavik.core.stats.selection import LinearJudge, Round, Subset, best_subsets, walk
from yavik.core.stats.triangle import Triangle, triangle
from yavik.core.table import DataProblem, Table

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
        return tested(rows, self.model, self.errors, self.null, bool(self.model.first), self.exact)


def fit_linear(
    table: Table, spec: "LinearSpec", told: Callable[[float, str], None] = lambda _part, _what: None
) -> LinearFit:
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
    clusters, n_clusters = clusters_of(table, spec, whole)
    whole = whole.about_means() if spec.intercept and spec.zero == "mean" else whole
    told(0.2, "Cross-products")
    whole, t = prepared(whole, spec.intercept)
    judge = LinearJudge(whole.design, t)
    rounds: list[Round] = []
    subsets: list[Subset] = []
    chosen = tuple(range(len(whole.terms)))
    if spec.selection == "none":
        demand_rows(whole, len(independent_columns(t)[0]) + int(spec.intercept))
    elif spec.selection == "best_subsets":
        subsets = _subsets(whole, spec, t)
        chosen = subsets[0].terms if subsets else ()
    else:
        if spec.selection == "backward":
            demand_rows(whole, len(independent_columns(t)[0]) + int(spec.intercept))
        by = spec.choose_by
        rounds = walk(judge, whole.terms, spec.selection, by, spec.enter, spec.remove, lambda what: told(0.3, what))
        chosen = rounds[-1].terms
    if not chosen and not spec.intercept:
        raise DataProblem(
            "No term was chosen, and there is no intercept: nothing is left of the model.", column=spec.response
        )
    told(0.5, "Rows")
    data, part = part_of(whole, t, chosen)
    kept, follows = independent_columns(part)
    null = null_vectors(part, kept, list(follows))
    model = fit(part)
    rows = rows_of(data.design, data.y, data.weights, model)
    exact = model.rss <= EXACT * max(model.total, 1e-300)
    errors = errors_of(data, model, rows, spec, clusters, n_clusters, exact)
    fitted = fitted_of(data, model, rows, spec, errors, null, exact)
    return LinearFit(
        whole,
        data,
        model,
        rows,
        fitted,
        follows,
        judge,
        rounds,
        subsets,
        chosen,
        errors,
        null,
        exact,
        clusters,
        n_clusters,
    )


def fitted_of(
    data: ModelData, model: LeastSquares, rows: Rows, spec: "LinearSpec", errors: Errors, null: Floats, exact: bool
) -> Fitted:
    y_title = data.response.axis_title
    return Fitted(
        data,
        model.used,
        spec.intercept,
        model.coef,
        errors.covariance,
        errors.df,
        spec.alpha,
        held(spec, data),
        y_title,
        spread=spread_for(spec, data, model, rows, exact),
        null=null,
        blind=errors.blind,
        df_of=errors.df_of,
        single_words=" of weight 1" if spec.weights else "",
    )


def held(spec: "ModelSpec", data: ModelData) -> dict[str, Any]:
    """Where the columns of a model are held; raises DataProblem for a column that was not offered."""
    unknown = next((n for n in spec.at if n not in {n for t in spec.terms for n in names_of(t)}), None)
    if unknown:
        raise DataProblem(f"{unknown} is held at a value, but is not among the terms.", column=unknown)
    return {k: v for k, v in spec.at.items() if k in data.columns}


def names_of(term: Any) -> list[str]:
    return [term] if isinstance(term, str) else list(term.names)


def demand_rows(data: ModelData, coefficients: int) -> None:
    if data.n <= coefficients:
        raise DataProblem(
            f"The model has {counted(coefficients, 'coefficient')} and {counted(data.n, 'row')}: nothing is left to"
            f" judge them by. Leave out terms, such as {listing([data.term_title(t) for t in data.terms[-2:]])}.",
            column=data.terms[-1].names[0] if data.terms else data.response.name,
        )


def prepared(data: ModelData, intercept: bool) -> tuple[ModelData, Triangle]:
    """The triangle of a model's columns.

    Where a column follows from others, the coefficients of what is left are those of the columns as they are only if
    moving the numbers' zero brings nothing of the lost column in; else numbers keep their own zero.
    """
    t = triangle(data.design, data.y, data.weights, intercept)
    keep, follows = independent_columns(t)
    if follows and any(centre for centre, _ in data.design.origin.values()):
        turn = data.design.raw[1:, 1:]
        if np.any(turn[np.ix_(list(follows), keep)] != 0):
            data = data.about_zero()
            t = triangle(data.design, data.y, data.weights, intercept)
    return data, t


def part_of(whole: ModelData, t: Triangle, chosen: tuple[int, ...]) -> tuple[ModelData, Triangle]:
    """Data and triangle of some of the terms, on the same rows."""
    if len(chosen) == len(whole.terms):
        return whole, t
    columns = [j for j, c in enumerate(whole.design.columns) if c.term in chosen]
    return whole.part(chosen), t.among(columns)


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


def clusters_of(table: Table, spec: Any, data: ModelData) -> tuple[Any, int]:
    if spec.se not in BY_CLUSTER:
        return None, 0
    if not spec.cluster:
        raise DataProblem(
            "Standard errors by cluster need the column that names the clusters; choose it in the settings."
        )
    codes = table.codes(spec.cluster).codes[data.places]
    if (codes < 0).any():
        rows = data.rows[codes < 0].tolist()
        raise DataProblem(f"{spec.cluster} is empty in {counted(len(rows), 'row')} of the model; every row needs its cluster.",
                          column=spec.cluster, rows=rows)  # fmt: skip
    found = np.unique(codes, return_inverse=True)
    if len(found[0]) < 2:
        raise DataProblem(
            f"{spec.cluster} has one level among the rows used; clusters need two and better thirty.",
            column=spec.cluster,
        )
    return found[1], len(found[0])
