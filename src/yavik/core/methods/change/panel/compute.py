"""All models of a panel, what each could not estimate and why, and the tests between them."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import special

from yavik.core.methods.change.panel.data import Study, read_study
from yavik.core.methods.change.panel.spec import ALL, MODELS, Model, PanelSpec
from yavik.core.stats.change import panels
from yavik.core.stats.change.panels import Components, Determined, Fit, NoModel, Wald
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

FORMS = ("own", "fixed", "random")
"""Of Hausman’s test."""
GLS = ("random", "unit_means", "within_between")


@dataclass(frozen=True)
class Line:
    """One estimate of one model; NaN with ``why`` where it has none."""

    b: float
    se: float
    low: float
    high: float
    t: float
    p: float
    why: str = ""


@dataclass(frozen=True, eq=False)
class PanelModels:
    """
    Args:
        fits: each model asked for, or why there is none.
        made: components of variance, or why there are none.
    """

    spec: PanelSpec
    study: Study
    fits: dict[str, Fit | str]
    made: Components | str

    @property
    def main(self) -> Fit:
        """The model that is told."""
        found = self.fits[self.spec.main]
        assert isinstance(found, Fit)
        return found

    def line(self, model: str, column: int, mean: bool = False) -> Line:
        """An estimate of a model, or of a column's unit mean."""
        fit = self.fits[model]
        nan = np.nan
        if isinstance(fit, str):
            return Line(nan, nan, nan, nan, nan, nan, fit)
        place = fit.mean_place(column) if mean else fit.place(column)
        if place is None:
            return Line(nan, nan, nan, nan, nan, nan, self.why(model, column))
        return self._line(fit, float(fit.estimates.coef[place]), float(fit.estimates.se[place]))

    def intercept(self, model: str) -> Line:
        """The intercept of a model."""
        fit, nan = self.fits[model], np.nan
        if isinstance(fit, str):
            return Line(nan, nan, nan, nan, nan, nan, fit)
        if np.isnan(fit.intercept):
            why = "changes have none" if model == "first_differences" else "taken out with the units’ own levels"
            return Line(nan, nan, nan, nan, nan, nan, why)
        return self._line(fit, fit.intercept, fit.intercept_se)

    def _line(self, fit: Fit, b: float, se: float) -> Line:
        if not se > 0:
            return Line(
                b, np.nan, np.nan, np.nan, np.nan, np.nan, "its error cannot be had: the model fits every row"
            )
        reach = float(special.stdtrit(fit.df, 1 - self.spec.alpha / 2)) * se
        return Line(b, se, b - reach, b + reach, b / se, float(2 * special.stdtr(fit.df, -abs(b / se))))

    def why(self, model: str, column: int) -> str:
        """Why a model has no estimate of a column."""
        p = self.study.panel
        if model in ("fixed", "fixed_periods", "first_differences") and column not in p.varying:
            return f"never changes within a {self.study.unit_word}"
        if model == "fixed_periods":
            return "follows from units and periods: it changes for all alike"
        if model == "first_differences":
            return "does not change from one period to the next"
        if model == "between":
            return "its means by unit follow from the other columns, or are all the same"
        return "follows from the other columns"

    def determined(self, model: str) -> Determined | None:
        """R² within, between and overall."""
        fit = self.fits[model]
        return None if isinstance(fit, str) else panels.determined(self.study.panel, fit)

    @cached_property
    def plain(self) -> tuple[Fit, Fit] | None:
        """Fixed and random effects with classical errors, which Hausman's test is about."""
        if isinstance(self.made, str):
            return None
        try:
            p = self.study.panel
            return panels.fixed(p, "classical"), panels.random(p, "classical", self.made)
        except NoModel:
            return None

    @cached_property
    def hausman(self) -> dict[str, Wald | None]:
        """Each form: covariances with their own residual variance, with that of the fixed, with that of the random
        effects."""
        if self.plain is None:
            return dict.fromkeys(FORMS)
        inner, outer = self.plain
        return {form: panels.hausman(inner, outer, form) for form in FORMS}

    @cached_property
    def by_means(self) -> Wald | None:
        """The version by unit means with errors by unit: all their coefficients are 0."""
        p = self.study.panel
        if isinstance(self.made, str) or p.units < 3:
            return None
        try:
            fit = panels.random(p, "cluster", self.made, "added")
        except NoModel:
            return None
        places = [fit.mean_place(j) for j in fit.means]
        at = [k for k in places if k is not None]
        found = fit.estimates.joint(at) if at else None
        if found is None:
            return None
        f, df, _ = found
        return Wald(f * df, df, float(special.chdtrc(df, f * df)))

    @cached_property
    def units_differ(self) -> tuple[float, int, float, float] | None:
        """F that all units have one level."""
        if self.plain is None:
            return None
        return panels.units_differ(self.study.panel, self.plain[0])

    @cached_property
    def periods_differ(self) -> tuple[float, int, float, float] | None:
        """F that all periods have one level, once units have theirs."""
        p = self.study.panel
        try:
            one, two = panels.fixed(p, "classical"), panels.fixed(p, "classical", periods=True)
        except NoModel:
            return None
        df1 = two.absorbed - one.absorbed - (len(one.used) - len(two.used))
        if df1 < 1 or two.df <= 0 or two.rss <= 0:
            return None
        f = (one.rss - two.rss) / df1 / (two.rss / two.df)
        return f, df1, two.df, float(special.fdtrc(df1, two.df, max(f, 0.0)))

    @cached_property
    def residuals(self) -> Floats:
        """Rows less what the model says and, where units have levels, less these; rows about their own means for fixed
        effects of periods too. Shape (n,), of the model that is told."""
        p = self.study.panel
        return p.y - self.fitted

    @cached_property
    def levels(self) -> Floats:
        """Units' own levels in the model that is told, about 0; zeros where it has none. Random ones are drawn
        towards 0."""
        p, fit = self.study.panel, self.main
        left = self._left(fit)
        if self.spec.main in GLS and not isinstance(self.made, str):
            shrink = p.sizes * self.made.units / np.maximum(p.sizes * self.made.units + self.made.rest, 1e-300)
            return np.asarray(shrink * p.means(left))
        if self.spec.main in ("fixed", "fixed_periods", "first_differences"):
            return np.asarray(p.means(left))
        return np.zeros(p.units)

    def _left(self, fit: Fit) -> Floats:
        """Outcome less the terms and the intercept."""
        p, b = self.study.panel, fit.estimates.coef
        middle = fit.intercept if np.isfinite(fit.intercept) else None
        out = p.both[:, 0].copy()
        for j, slope in zip(fit.used, b, strict=False):
            out -= slope * (p.within if fit.split and j in fit.means else p.both)[:, j + 1]
        for j, slope in zip(fit.means, b[len(fit.used) :], strict=True):
            out -= slope * p.unit_means[p.unit, j + 1]
        return out if middle is None else np.asarray(out - out.mean() if self.spec.main == "between" else out)

    @cached_property
    def fitted(self) -> Floats:
        """What the model that is told says of each row, with its unit's level."""
        p = self.study.panel
        return np.asarray(p.y - self._left(self.main) + self.levels[p.unit])

    @cached_property
    def carried_on(self) -> float:
        """Correlation of the residuals of fixed effects with those of the period before; NaN where it cannot be had."""
        if self.plain is None:
            return np.nan
        p = self.study.panel
        late, early = p.pairs
        e = self.plain[0].estimates.residuals
        if len(late) < 5:
            return np.nan
        a, b = e[late], e[early]
        below = float(np.sqrt((a @ a) * (b @ b)))
        return float(a @ b) / below if below > 0 else np.nan


def compute_panel(table: Table, spec: PanelSpec, told: Told = silent) -> PanelModels:
    """Raises DataProblem for what is no panel, and where the model to be told cannot be fitted."""
    study = read_study(table, spec)
    p = study.panel
    try:
        made: Components | str = panels.components(p)
    except NoModel as problem:
        made = str(problem)
    fits: dict[str, Fit | str] = {}
    asked = [m for m in ALL if m in spec.models or m == spec.main]
    for i, model in enumerate(asked):
        told(0.1 + 0.7 * i / len(asked), f"Fitting: {MODELS[model]}")
        try:
            fits[model] = _fit(study, spec, model, made)
        except NoModel as problem:
            fits[model] = str(problem)
    main = fits[spec.main]
    if isinstance(main, str):
        raise DataProblem(
            f"The model to be reported ({MODELS[spec.main]}) cannot be fitted: {main}.", column=spec.outcome
        )
    return PanelModels(spec, study, fits, made)


def _fit(study: Study, spec: PanelSpec, model: Model, made: Components | str) -> Fit:
    p, se = study.panel, spec.se
    if model in ("pooled", "pooled_clustered"):
        return panels.pooled(p, "cluster" if model == "pooled_clustered" else "classical")
    if model == "between":
        return panels.between(p)
    if model in ("fixed", "fixed_periods"):
        return panels.fixed(p, se, periods=model == "fixed_periods")
    if model == "first_differences":
        return panels.first_differences(p, se)
    if isinstance(made, str):
        raise NoModel(made)
    ways = {"random": "", "unit_means": "added", "within_between": "split"}
    return panels.random(p, se, made, ways[model])
