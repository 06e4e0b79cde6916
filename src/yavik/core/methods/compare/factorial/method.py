"""How does a measurement vary with several factors, and together? Main effects, interactions, covariates, blocks."""

from typing import Any

from yavik.core.answers import Answer, Marks
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import given, listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.factorial import tables
from yavik.core.methods.compare.factorial.checks import all_checks
from yavik.core.methods.compare.factorial.compute import FactorialResults
from yavik.core.methods.compare.factorial.data import Factorial, read
from yavik.core.methods.compare.factorial.spec import SS_WORDS, FactorialSpec
from yavik.core.methods.compare.factorial.words import blocked_by_empty, headline, tests_of
from yavik.core.methods.compare.groups.columns import fitted_columns
from yavik.core.methods.compare.groups.spec import PAIR_WORDS
from yavik.core.methods.kit.checks import independent
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import residual_pictures, used_where
from yavik.core.table import Column, DataProblem, Table


def compute(table: Table, spec: FactorialSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for a design that cannot be fitted."""
    assert spec.response
    if len(spec.factors) < 2 and not (spec.covariates and spec.factors):
        raise DataProblem(
            "One factor alone is a comparison of groups; choose two, or add a covariate.",
            column=spec.factors[0] if spec.factors else None,
        )
    f = read(table, spec.response, spec.factors, spec.covariates, spec.block, spec.interactions)
    run.progress(0.4, "Testing terms")
    results = FactorialResults(f, spec, _at(spec, f))
    tests = tests_of(f, spec.sums_of_squares)
    run.progress(0.7, "Estimating means")
    spans, p = headline(f, spec, tests)
    run.say(spans)
    residuals, fitted = _residuals(f)
    marked = [
        f.name(t)
        for t, test in tests
        if test.test
        and test.test.p < spec.alpha
        and t[0] >= 0
        and t[0] != f.block
        and not blocked_by_empty(f, t, spec.sums_of_squares)
    ]
    return compose(
        spans,
        short=(
            f"{listing(marked, 2)} matter{'s' if len(marked) == 1 else ''}" if marked else "no evidence of any term"
        ),
        settings=[
            f"analysis of variance, {SS_WORDS[spec.sums_of_squares].split(',')[0]} sums of squares",
            f"pairs by {PAIR_WORDS[spec.pairs]}",
        ],
        facts=tables.facts(f, tests, p),
        blocks=[
            tables.picture(results),
            tables.anova(f, spec, tests),
            *tables.all_means(results),
            *tables.all_pairs(results, _pairs_of(spec, f, tests)),
            *tables.simple_effects(results),
            tables.slopes(results),
            tables.other_kinds(f, spec),
            *residual_pictures(fitted, residuals, f.rows, f.response.unit),
        ],
        checks=[*all_checks(f, spec, tests, residuals), independent(table.keep(f.used), f.rows, False)],
        rows=used_where(table, f.used, "a measurement, factor or covariate is empty"),
        marks=Marks(p=q.p_said(p) if p is not None else []),
    )


def _at(spec: FactorialSpec, f: Factorial) -> Any:
    """Where covariates are held: their means, or the values typed in."""
    if not spec.covariates:
        return None
    values = f.model.centre.copy()
    for name, value in (spec.at or {}).items():
        if name not in spec.covariates:
            raise DataProblem(f"{name} is held at {given(value)}, but is not among the covariates.", column=name)
        values[spec.covariates.index(name)] = value
    return values


def _pairs_of(spec: FactorialSpec, f: Factorial, tests: Any) -> list[tuple[int, ...]]:
    if spec.pairs_of is None:
        return [t for t in f.model.terms if len(t) == 1 and t[0] >= 0 and t[0] != f.block]
    out = []
    for chosen in spec.pairs_of:
        unknown = next((c for c in chosen if c not in spec.factors), None)
        if unknown or not chosen:
            raise DataProblem(
                f"Pairs of {listing(list(chosen))}: {unknown or 'nothing'} is not among the factors.", column=unknown
            )
        out.append(tuple(sorted({spec.factors.index(c) for c in chosen})))
    return out


def _residuals(f: Factorial) -> tuple[Any, Any]:
    base = f.model.fitted_cells()[f.cells.cell_of_row]
    within = f.cells.covariates_within
    for i, (slope, _) in enumerate(f.model.slopes()):
        base = base + slope * f.cells.covariate_scale[i] * within[:, i]
    return f.y - base, base


def new_columns(table: Table, spec: FactorialSpec) -> list[tuple[Column, Any]]:
    """The model's fitted value and residual of each row."""
    if not spec.response or not spec.factors:
        return []
    f = read(table, spec.response, spec.factors, spec.covariates, spec.block, spec.interactions)
    return fitted_columns(table, spec.response, "fitted", f.used, _residuals(f)[1])


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Two factors at least, or a factor with covariates."""
    factors = spec.get("factors", [])
    if len(factors) > 1:
        return 14, f"{len(factors)} factors and one measurement"
    return (6, "a factor and a covariate") if factors and spec.get("covariates") else None


METHOD = Method(
    id="factorial",
    version="2",
    aim=Aim.compare,
    title="Factorial analysis of variance, with covariates and blocks",
    layouts=(
        Layout(
            "stacked",
            "a column for each factor",
            "How does {response} vary with {factors}, and together, allowing for {covariates} and {block}?",
            ("response", "factors", "covariates", "block"),
            ("response", "factors"),
        ),
    ),
    Spec=FactorialSpec,
    compute=compute,
    page=read_page(__file__),
    order=5,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"{spec.response} by {listing(spec.factors, 5)}",
    keywords=(
        "two-way anova",
        "factorial",
        "interaction",
        "ancova",
        "covariate",
        "sums of squares",
        "simple effects",
        "estimated means",
    ),
)
