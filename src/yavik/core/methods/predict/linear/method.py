"""How does a measurement depend on several columns? Linear regression, built term by term."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.answers import Answer, NoteBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard, Variant
from yavik.core.answers.wording import grouped, number, share
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Cloud, block, scatter, thin
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.models.coefficients import Coefficient, coefficients, most_telling, with_terms
from yavik.core.methods.kit.models.effects import main_picture
from yavik.core.methods.kit.models.equations import equations_table
from yavik.core.methods.kit.models.fitting import model_name
from yavik.core.methods.kit.models.lent import lent
from yavik.core.methods.kit.models.path import WARNING, criteria, path_blocks, round_variants, titles
from yavik.core.methods.kit.models.reading import for_every_row
from yavik.core.methods.kit.models.scale import Scale
from yavik.core.methods.kit.models.tables import effect_blocks, words_table
from yavik.core.methods.kit.models.terms import kind_is_number
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.methods.predict.linear import tables
from yavik.core.methods.predict.linear.checks import all_checks, asides_of
from yavik.core.methods.predict.linear.fit import LinearFit, fit_linear
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.selection import LinearJudge, best_subsets, walk
from yavik.core.stats.triangle import triangle
from yavik.core.table import Column, Kind, Table

FOLDS = 10
MOST_FOLDED = 200_000


def compute(table: Table, spec: LinearSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for what cannot be fitted."""
    m = fit_linear(table, spec, run.progress)
    run.progress(0.6, "Diagnostics")
    found = coefficients_of(m, spec.per)
    tests = m.term_tests
    test = m.whole_test
    strongest = most_telling(m.fitted, found)
    spans, short = tables.headline(m, spec, test, strongest)
    run.say(spans)
    asides = asides_of(m)
    run.progress(0.8, "Pictures and checks")
    settings = [f"linear regression by {'weighted ' if spec.weights else ''}least squares"]
    settings += [tables.SE_WORDS[spec.se]] if spec.se != "classical" else []
    settings += [f"weighted by {table.column(spec.weights).title}"] if spec.weights else []
    settings += [f"{spec.selection.replace('_', ' ')} selection"] if spec.selection != "none" else []
    settings += ["no intercept"] if not spec.intercept else []
    settings += ["numbers counted from their means"] if m.data.design.about else []
    return compose(
        spans,
        short=short,
        settings=settings,
        facts=tables.facts(m, test, found, tests) | _aside_facts(asides) | _folds(m, spec),
        blocks=[
            main_picture(m.fitted, points=True),
            tables.how_it_fits(m, test),
            *_path(m, spec),
            tables.coefficients(m, spec, found),
            words_table(m.fitted, found, lambda c: tables.sentence(m, c, spec.alpha)),
            tables.terms_table(m, spec, tests),
            *effect_blocks(m.fitted, spec, Scale("t"), m.data.decimals + 1),
            equations_table(m.fitted, lower(m.data.response.title)),
            _aside_table(asides),
            tables.influential_table(m, spec.alpha),
            *_residuals(m),
        ],
        checks=all_checks(m, spec, asides),
        rows=m.data.used,
        marks=lent(m.fitted, lower(m.data.response.title), m.model.r2, test.p if test else None, spec.alpha),
        model=tables.card(m, found, spec.weights),
        seed=spec.seed if spec.se == "wild" or spec.selection != "none" else None,
        variants=_variants(m, spec),
    )


def _r2(value: float, title: str) -> q.Quantity:
    """Three digits without the leading zero, as everywhere where models are told apart."""
    return q.fine(value, title, "nothing is left over to judge by")


def _path(m: LinearFit, spec: LinearSpec) -> list[Any]:
    """Rounds of a selection, or the best of all choices."""
    if spec.selection == "none":
        return []

    def fit_of(terms: Any, before: Any, with_change: bool = True) -> q.Row:
        """How well the model of a round fits, and how much better than the one before."""
        model = m.judge.model(terms)
        change = q.blank("Change") if before is None else _r2(model.r2 - m.judge.model(before).r2, "Change")
        row = q.row(r2=_r2(model.r2, "R²"), change=change if with_change else change.under(None))
        return row | q.row(adjusted_r2=_r2(model.adjusted_r2, "Adjusted"), **criteria(model))

    if not m.subsets:
        return path_blocks(m, "F", fit_of)
    rows = [q.row(term=q.name(titles(m, s.terms), "Terms")) | fit_of(s.terms, None, False) for s in m.subsets]
    title = f"The {len(rows)} best of all {grouped(2 ** len(m.whole.terms))} choices"
    return [NoteBlock(id="after_selection", text=WARNING), q.table("path", title, rows, strong=[])]


def _variants(m: LinearFit, spec: LinearSpec) -> list[Variant]:
    base = spec.model_dump(mode="json")
    runners_up = [
        Variant(
            label=titles(m, s.terms),
            spec=with_terms(base, m.whole, s.terms),
            said=f"BIC {number(m.judge.model(s.terms).bic, 1)}",
        )
        for s in m.subsets
        if s.terms
    ]
    return runners_up or round_variants(m, base, lambda terms: f"R² {share(m.judge.model(terms).r2)}")


def coefficients_of(m: LinearFit, per: dict[str, float]) -> list[Coefficient]:
    """The coefficients with p as the errors have it."""
    return coefficients(m.fitted, per, ps=m.wild_ps)


def card(table: Table, spec: LinearSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    m = fit_linear(table, spec)
    return tables.card(m, coefficients_of(m, {}), spec.weights)


def _aside_facts(asides: dict[str, Any]) -> dict[str, Any]:
    out = {"durbin_watson": asides["durbin_watson"]}
    for name in ("reset", "breusch_pagan"):
        if asides[name]:
            out |= {f"{name}.statistic": asides[name].statistic, f"{name}.p": asides[name].p}
    return out


def _aside_table(asides: dict[str, Any]) -> TableBlock | None:
    if asides["reset"] is None and asides["breusch_pagan"] is None:
        return None
    few, none = (
        "the fitted values take too few different values",
        "has no p of its own that does not hang on the design",
    )
    bends, spread, d, nan = asides["reset"], asides["breusch_pagan"], asides["durbin_watson"], float("nan")
    rows = [
        q.row(
            term=q.name(name, "Test"), statistic=q.stat(a, "Statistic", few), p=q.p(p, why=why),
            says=q.said(what, "Looks for")
        )
        for name, a, p, why, what in (
            ("Breusch–Pagan (Koenker), χ²", spread.statistic if spread else nan, spread.p if spread else nan, few, "spread that changes with the terms"),
            ("Ramsey’s RESET, F", bends.statistic if bends else nan, bends.p if bends else nan, few, "bends that the model does not have"),
            ("Durbin–Watson, d", d, nan, none, "likeness of neighbouring rows; about 2 is none"),
        )
    ]  # fmt: skip
    return q.table("tests", "Tests beside the model", rows, folded=True, strong=[])


def _residuals(m: LinearFit) -> list[Any]:
    if m.exact or m.model.df < 2:
        return []
    made = residual_pictures(m.rows.fitted, m.rows.residuals, m.data.rows, m.data.response.unit)
    kept = thin(m.data.n)
    rows, size = m.data.rows[kept], (210, 170)
    root = np.sqrt(np.abs(m.rows.standardised[kept]))
    more = [
        ("scale_location", "Size of residuals over fitted values", scatter([Cloud("r", m.rows.fitted[kept], root, rows)], "Fitted value", "√ |standardised residual|", size=size)),
        ("leverage", "Leverage and Cook’s distance", scatter([Cloud("r", m.rows.leverage[kept], m.rows.cook[kept], rows)], "Leverage", "Cook’s distance", size=size)),
    ]  # fmt: skip
    return made + [
        block(id, title, drawn, small=True).model_copy(update={"folded": True}) for id, title, drawn in more
    ]


def _folds(m: LinearFit, spec: LinearSpec) -> dict[str, Any]:
    """R² for rows not seen, the selection repeated without them each time: ten folds drawn by the seed."""
    if spec.selection == "none" or m.data.n > MOST_FOLDED or m.whole.n < 5 * FOLDS:
        return {}
    rng = np.random.default_rng(spec.seed)
    fold = rng.permutation(m.whole.n) % FOLDS
    error, total = 0.0, 0.0
    whole, w = m.whole, m.whole.weights
    for k in range(FOLDS):
        seen = fold != k
        design = whole.design_of({n: v[seen] for n, v in whole.design.data.items()})
        y = whole.y[seen]
        t = triangle(design, y, None if w is None else w[seen], spec.intercept)
        judge = LinearJudge(design, t)
        if spec.selection == "best_subsets":
            best = best_subsets(design, t, spec.choose_by, 1)
            chosen = best[0].terms if best else ()
        else:
            chosen = walk(judge, whole.terms, spec.selection, spec.choose_by, spec.enter, spec.remove)[-1].terms
        model = judge.model(chosen)
        x = whole.design.matrix({n: v[~seen] for n, v in whole.design.data.items()}, int((~seen).sum()))[
            :, model.used
        ]
        guess = (model.coef[0] if model.first else 0.0) + x @ model.coef[model.first :]
        own = np.ones(len(guess)) if w is None else w[~seen]
        error += float((own * (whole.y[~seen] - guess) ** 2).sum())
        total += float((own * (whole.y[~seen] - np.average(y, weights=None if w is None else w[seen])) ** 2).sum())
    return {"folds.r2": 1 - error / total}


def new_columns(table: Table, spec: LinearSpec) -> list[tuple[Column, Any]]:
    """Prediction with its interval for one row, for every row whose terms are filled, and the residual."""
    if not spec.response or not spec.terms:
        return []
    m = fit_linear(table, spec)
    design, filled = for_every_row(m.data)
    x = design.block(0, design.n)
    fitted, _, _ = m.fitted.means(x)
    weights = table.numbers(spec.weights)[filled] if spec.weights else None
    own = None if weights is None else np.where(weights > 0, weights, np.nan)
    single = m.fitted.single(x, own)
    assert single is not None
    y = table.numbers(spec.response)[filled]
    column = m.data.response
    decimals = min(6, column.decimals + 2)

    def made(word_: str, values: Any) -> tuple[Column, Any]:
        """A new column in the response's unit, empty where it cannot be told."""
        whole, there = np.zeros(table.n_rows), filled.copy()
        known = np.isfinite(values)
        there[filled] = known
        whole[there] = values[known]
        label = f"{column.label}, {word_}" if column.label else None
        described = Column(
            name=f"{spec.response} {word_}", kind=Kind.measure, label=label, unit=column.unit, decimals=decimals
        )
        return described, pa.array(whole, pa.float64(), mask=~there)

    level = f"{100 * (1 - spec.alpha):g} %"
    return [
        made("predicted", fitted), made(f"lowest at {level}", single[0]), made(f"highest at {level}", single[1]),
        made("residual", y - fitted),
    ]  # fmt: skip


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """A response and columns that may explain it."""
    terms = spec.get("terms", [])
    if not terms:
        return 0, ""
    if len(terms) == 1:
        return (
            (2, "how one column tells a measure")
            if kind_is_number(table.column(terms[0]))
            else (-4, "one category and a measure")
        )
    return 9, f"{len(terms)} columns that may tell a measure"


METHOD = Method(
    id="linear",
    version="3",
    aim=Aim.predict,
    title="Linear regression, also with categories, powers, interactions and selection",
    layouts=(
        Layout(
            "rows", "linear model", "How does {response} depend on {terms}?", ("response", "terms"),
            ("response", "terms"),
        ),
    ),
    Spec=LinearSpec,
    compute=compute,
    page=read_page(__file__),
    order=1,
    fit=_fit,
    new_columns=new_columns,
    card=card,
    uses=("seed",),
    name=model_name,
    keywords=(
        "regression", "multiple regression", "linear model", "least squares", "stepwise", "best subsets",
        "prediction", "predict",
        "cook's distance", "vif", "collinearity", "robust standard errors", "clustered standard errors",
        "weighted least squares",
        "polynomial", "interaction", "dummy", "press", "reset", "breusch-pagan", "durbin-watson",
    ),
)  # fmt: skip
