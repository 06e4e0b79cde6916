"""From a spec to a fitted mixed model."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.fitting import demand_rows, held, prepared
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.methods.nested.mixed import design
from yavik.core.methods.nested.mixed.design import Random
from yavik.core.methods.nested.mixed.spec import MixedSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import independent_columns, null_vectors
from yavik.core.stats.mixed.blocks import Blocks, TooWide
from yavik.core.stats.mixed.fitting import Maximum, NotFound, maximise
from yavik.core.stats.mixed.inference import Inference, Test, free_of
from yavik.core.stats.mixed.within import Shape, Within
from yavik.core.stats.numbering import numbered
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

EXACT = 1e-9
EXACT_WITHIN = 1e-11


@dataclass(frozen=True, eq=False)
class MixedModel:
    """A fitted model. The engine works on a response about its least-squares fit, in its residual SD ``scale``.

    Args:
        x: shape (n, p), internal columns, the intercept first.
        base: coefficients of least squares, which the engine's come on top of.
        random: the units; empty for a covariance over times other than compound.
        top: where the likelihood has its maximum.
        df_kind: how degrees of freedom were had, where what was asked for is not offered.
    """

    spec: MixedSpec
    table: Table
    data: ModelData
    used: list[int]
    follows: dict[int, list[int]]
    x: Floats
    base: Floats
    scale: float
    random: list[Random]
    engine: Blocks | Within
    top: Maximum
    inference: Inference
    fitted: Fitted
    df_kind: str

    @property
    def restricted(self) -> bool:
        """REML."""
        return self.spec.fit == "reml"

    @property
    def over_units(self) -> bool:
        """Whether the covariance is made of units' effects."""
        return isinstance(self.engine, Blocks)

    @cached_property
    def log_likelihood(self) -> float:
        """In the response's own unit and of the columns in reference coding; restricted without + ½ log |X′X|."""
        rows = self.data.n - (len(self.base) if self.restricted else 0)
        value = self.top.value - rows * float(np.log(self.scale))
        if self.restricted:
            value += float(np.linalg.slogdet(np.asarray(self.fitted.turn, np.float64))[1])
        return value

    @property
    def parameters(self) -> int:
        """Fixed and of the covariance."""
        return len(self.base) + len(self.top.phi)

    @property
    def aic(self) -> float:
        """−2 log-likelihood + 2 parameters."""
        return -2 * self.log_likelihood + 2 * self.parameters

    @property
    def bic(self) -> float:
        """With n the rows, under REML less the rank of X."""
        rows = self.data.n - (len(self.base) if self.restricted else 0)
        return -2 * self.log_likelihood + float(np.log(max(rows, 1))) * self.parameters

    @cached_property
    def tests(self) -> list[Test | None]:
        """Each term with all its columns, type III; None where the data cannot tell."""
        found: list[Test | None] = []
        f = self.fitted
        for i in range(len(self.data.terms)):
            whole = self.data.design.tested(i)
            told = f.told_slope(whole).all()
            rows = (
                np.column_stack([np.zeros(len(whole)), whole[:, f.columns]]) if f.intercept else whole[:, f.columns]
            )
            found.append(self.inference.test(rows) if told else None)
        return found

    @cached_property
    def marginal(self) -> Floats:
        """What the terms say of each row."""
        return np.asarray(self.x @ self.fitted.coef)

    @cached_property
    def effects(self) -> tuple[list[Floats], list[Floats]]:
        """For each random term the predicted effects of its units and their standard errors, shape (units, k), of
        the columns as they are."""
        if not isinstance(self.engine, Blocks) or not self.random:
            return [], []
        value, se = self.engine.effects(self.top.theta, self.top.found)
        values, errors, start = [], [], 0
        for r in self.random:
            k, m = r.z.shape[1], r.n_units
            own = value[start : start + m * k].reshape(m, k) * self.scale
            spread = se[start : start + m * k].reshape(m, k) * self.scale
            values.append(own @ r.turn.T)
            # Of a level counted from its column's own zero the error needs the covariance of both; not told then.
            moved = np.abs(r.turn - np.diag(np.diag(r.turn))).sum(axis=1) > 0
            errors.append(np.where(moved[None, :], np.nan, spread * np.abs(np.diag(r.turn))))
            start += m * k
        return values, errors

    @cached_property
    def conditional(self) -> Floats:
        """What terms and units say of each row."""
        out = self.marginal.copy()
        for r, values in zip(self.random, self.effects[0], strict=True):
            out += np.einsum("nk,nk->n", r.z @ np.linalg.inv(r.turn), values[r.codes])
        return out

    @cached_property
    def residuals(self) -> Floats:
        """Rows about what terms and units say."""
        return self.data.y - self.conditional

    @cached_property
    def whitened(self) -> Floats:
        """Residuals that should be alike and independent: over the residual SD, or through the covariance's root."""
        if isinstance(self.engine, Blocks):
            return np.asarray(self.residuals / np.sqrt(self.residual_variance))
        out = np.empty(self.data.n)
        for m in self.engine.patterns:
            v = self.engine.shape.covariance(self.top.theta, m.group)[np.ix_(m.times, m.times)]
            root = np.linalg.cholesky(v) * self.scale
            out[m.rows] = np.linalg.solve(root, self.data.y[m.rows] - self.marginal[m.rows])
        return out

    @property
    def residual_variance(self) -> float:
        """Of rows within units; of a covariance over times the mean of all rows."""
        if isinstance(self.engine, Blocks):
            return float(self.top.theta[-1]) * self.scale**2
        return float(np.mean(self._row_variances()))

    def _row_variances(self) -> Floats:
        assert isinstance(self.engine, Within)
        out = np.empty(self.data.n)
        for m in self.engine.patterns:
            v = np.diag(self.engine.shape.covariance(self.top.theta, m.group))[m.times]
            out[m.rows] = v[:, None] * self.scale**2
        return out

    @cached_property
    def unit_variances(self) -> list[float]:
        """What each random term adds to the variance of a row, on average over the rows."""
        if not isinstance(self.engine, Blocks):
            return []
        parts = self.engine.parts(self.top.theta)
        return [
            float(np.einsum("nk,kl,nl->n", r.z, c.matrix(v), r.z).mean()) * self.scale**2
            for r, c, v in zip(self.random, self.engine.components, parts, strict=True)
        ]

    @property
    def total_variance(self) -> float:
        """Of a row about what the terms say."""
        return sum(self.unit_variances) + self.residual_variance

    @cached_property
    def r2(self) -> tuple[float, float]:
        """Marginal and conditional R² (Nakagawa and Schielzeth, 2013; Johnson, 2014)."""
        terms = float(np.var(self.marginal))
        whole = terms + self.total_variance
        return terms / whole, (terms + sum(self.unit_variances)) / whole


def fit_model(table: Table, spec: MixedSpec, told: Told = silent, second: bool = True) -> MixedModel:
    """Raises DataProblem for what cannot be fitted."""
    assert spec.response
    design.demand_slots(spec)
    table = design.with_time(table, spec)
    y = np.where(design.filled_units(table, spec), table.numbers(spec.response), np.nan)
    terms = design.terms_of(spec)
    data = read_model(table, spec.response, terms, spec.reference, None, y, spec.intercept)
    if np.ptp(data.y) == 0:
        raise DataProblem(
            f"All {counted(data.n, 'value')} of {spec.response} used here are the same: there is nothing to explain.",
            column=spec.response,
        )
    data = data.about_means() if spec.intercept and spec.zero == "mean" else data
    told(0.1, "Reading the design")
    data, t = prepared(data, spec.intercept)
    used, follows = independent_columns(t)
    demand_rows(data, len(used) + int(spec.intercept))
    if not used and not spec.intercept:
        raise DataProblem(
            "Without terms and without an intercept nothing is left of the model.", column=spec.response
        )
    if spec.over_time:
        design.demand_once(table, data, spec)
    random = [design.read_random(table, data, r) for r in design.random_terms(spec)]
    design.demand_apart(data, random)
    block = data.design.block(0, data.n)[:, used] if used else np.zeros((data.n, 0))
    x = np.column_stack([np.ones(data.n), block]) if spec.intercept else np.ascontiguousarray(block)
    base = np.linalg.lstsq(x, data.y, rcond=None)[0]
    rest = data.y - x @ base
    again = np.linalg.lstsq(x, rest, rcond=None)[0]
    base, rest = base + again, rest - x @ again
    scale = float(np.sqrt(rest @ rest / (data.n - x.shape[1])))
    if not scale > EXACT * max(float(np.abs(data.y - data.y.mean()).max()), 1e-300):
        raise DataProblem(
            f"The terms tell every value of {spec.response} exactly: no scatter is left that could belong to units."
            " Is the response made from these columns?",
            column=spec.response,
        )
    design.demand_told(x, random)
    told(0.2, "Searching for the covariance")
    engine = engine_of(table, data, spec, random, x, rest / scale)
    if isinstance(engine, Blocks) and random and engine.left_within < EXACT_WITHIN * data.n:
        title = random[-1].title
        raise DataProblem(
            f"Terms and {title} tell every value of {spec.response} exactly: no scatter of rows is left to judge by."
            " Where the value belongs to the unit, take one row for each.",
            column=spec.response,
        )
    top = _maximum(engine, spec, second)
    kind = df_kind_of(spec, engine)
    inference = Inference(
        top.found.coef + base / scale, top.found.covariance, free_of(top.derivatives, top.flat),
        spec.fit == "reml", kind,
    )  # fmt: skip
    m = MixedModel(
        spec=spec, table=table, data=data, used=used, follows=follows, x=x, base=base, scale=scale, random=random,
        engine=engine, top=top, inference=inference, fitted=None, df_kind=kind,  # type: ignore[arg-type]
    )  # fmt: skip
    return replace(m, fitted=_fitted(m, null_vectors(t, used, list(follows))))


def engine_of(
    table: Table, data: ModelData, spec: MixedSpec, random: list[Random], x: Floats, y: Floats
) -> Blocks | Within:
    """The covariance with its data."""
    if spec.over_time and not (spec.spread == "same" and spec.covariance in ("compound", "independent")):
        return _within(table, data, spec, x, y)
    try:
        return Blocks(x, y, [r.units for r in random])
    except TooWide:
        titles = listing([r.title for r in random], 4)
        raise DataProblem(
            f"{titles} are crossed, and have too many effects to be solved for at once. Leave one of them out.",
            column=random[-1].term.units[-1],
        ) from None


def _within(table: Table, data: ModelData, spec: MixedSpec, x: Floats, y: Floats) -> Within:
    assert spec.subject and spec.time
    subject, _ = design.units_of(table, data, [spec.subject])
    codes = table.codes(spec.time).codes[data.places]
    there, time = numbered(codes)
    group, groups = None, 1
    if spec.spread == "by_group" and spec.covariance != "unstructured":
        if not spec.between:
            raise DataProblem("A spread for each group needs groups of subjects; choose what is between them.")
        group, labels = design.units_of(table, data, spec.between)
        groups = len(labels)
    spread = "by_time" if spec.covariance == "unstructured" else spec.spread
    if spec.covariance == "unstructured" and len(there) > 30:
        raise DataProblem(
            f"An unstructured covariance of {len(there)} times has {len(there) * (len(there) + 1) // 2} parameters; it"
            " can be had of up to 30 times.",
            column=spec.time,
        )
    return Within(x, y, subject, time.ravel(), Shape(len(there), spec.covariance, spread, groups), group)


def _maximum(engine: Blocks | Within, spec: MixedSpec, second: bool) -> Maximum:
    try:
        return maximise(engine, spec.fit == "reml", second)
    except NotFound:
        raise DataProblem(
            "No covariance with a finite likelihood was found for these units: there are too few of them, or too few"
            " rows in each. Leave out a random term or a slope.",
            column=spec.response,
        ) from None


def df_kind_of(spec: MixedSpec, engine: Blocks | Within) -> str:
    """Kenward and Roger's correction is had where V is a sum of known matrices."""
    return "satterthwaite" if spec.df == "kenward_roger" and isinstance(engine, Within) else spec.df


def _fitted(m: MixedModel, null: Floats) -> Fitted:
    """The fit as tables and pictures see it."""
    variance = m.total_variance
    inference = m.inference
    plain = isinstance(m.engine, Blocks) and not m.random
    df = np.inf if m.df_kind == "none" else float(m.data.n - len(m.base))
    return Fitted(
        m.data, m.used, m.spec.intercept, inference.coef * m.scale, inference.covariance * m.scale**2, df, m.spec.alpha,
        held_of(m.spec, m.data), m.data.response.axis_title, spread=lambda x, _mean: np.full(len(x), variance),
        null=null, df_of=None if plain or m.df_kind == "none" else inference.df, single_words=" of a new unit",
    )  # fmt: skip


def held_of(spec: MixedSpec, data: ModelData) -> dict[str, Any]:
    """Where columns are held."""
    if not spec.over_time:
        return held(spec, data)
    unknown = next((n for n in spec.at if n not in data.columns), None)
    if unknown:
        raise DataProblem(f"{unknown} is held at a value, but is not in the model.", column=unknown)
    return dict(spec.at)


def times_of(m: MixedModel) -> list[str]:
    """The times that rows used have, in order."""
    assert m.spec.time
    codes = m.table.codes(m.spec.time)
    return [codes.levels[i] for i in np.unique(codes.codes[m.data.places])]


def groups_of(m: MixedModel) -> list[str]:
    """The groups of subjects, in the order of their codes."""
    return design.units_of(m.table, m.data, m.spec.between)[1]
