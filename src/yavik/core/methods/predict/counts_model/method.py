"""What do counts go with? Poisson, negative binomial and quasi-Poisson regression, built term by term."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.answers import Answer, Marks
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import number
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.models.coefficients import coefficients, most_telling
from yavik.core.methods.kit.models.effects import main_picture
from yavik.core.methods.kit.models.fitting import model_name
from yavik.core.methods.kit.models.path import criteria, path_blocks, round_variants
from yavik.core.methods.kit.models.reading import for_every_row
from yavik.core.methods.kit.models.tables import effect_blocks, influential_rows, ratios_picture, words_table
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.methods.predict.counts_model import tables
from yavik.core.methods.predict.counts_model.checks import all_checks
from yavik.core.methods.predict.counts_model.fit import CountsModel, fit_model
from yavik.core.methods.predict.counts_model.spec import SE, CountsSpec
from yavik.core.table import Column, Kind, Table


def compute(table: Table, spec: CountsSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what cannot be fitted."""
    m = fit_model(table, spec, run.progress)
    found = coefficients(m.fitted, spec.per)
    strongest = most_telling(m.fitted, found)
    spans, short = tables.headline(m, strongest)
    run.say(spans)
    run.progress(0.8, "Pictures and checks")
    drawable, scale = not m.infinite and bool(m.used), tables.scale_of(m)
    decimals = _decimals(m)
    table_of_counts, picture_of_counts = tables.seen(m)
    return compose(
        spans,
        short=short,
        settings=_settings(table, m),
        facts=tables.facts(m, found),
        blocks=[
            main_picture(m.fitted, points=spec.exposure is None) if drawable else None,
            tables.how_it_fits(m),
            *_path(m),
            tables.coefficients(m, found),
            words_table(m.fitted, found, lambda c: scale.sentence(m.fitted, c)),
            ratios_picture(m.fitted, scale, found, m.of.removeprefix("the ")) if drawable else None,
            picture_of_counts,
            tables.terms_table(m),
            *(effect_blocks(m.fitted, spec, scale, decimals, event=m.axis, slopes=False) if drawable else []),
            table_of_counts,
            _influential(m) if drawable else None,
            *(residual_pictures(m.model.mu, m.pearson, m.data.rows, None) if drawable and m.model.df > 1 else []),
        ],
        checks=all_checks(m),
        rows=m.data.used,
        marks=Marks(p=q.p_said(m.whole_test[2])) if m.whole_test else Marks(),
        model=tables.card(m, found),
        variants=round_variants(m, spec.model_dump(mode="json"), lambda terms: _said(m, terms)),
    )


def _settings(table: Table, m: CountsModel) -> list[str]:
    spec = m.spec
    made = [
        f"{tables.NAMES[spec.family]} regression by {'quasi-' if spec.family == 'quasi' else 'maximum '}likelihood"
    ]
    made += [f"exposure {table.column(spec.exposure).title}"] if spec.exposure else []
    made += [f"{SE[spec.se]} standard errors"] if spec.se != "classical" else []
    made += [f"{spec.selection} selection"] if spec.selection != "none" else []
    made += ["no intercept"] if not spec.intercept else []
    return made + (["numbers counted from their means"] if m.data.design.about else [])


def _decimals(m: CountsModel) -> int:
    """Of means: enough for two digits of the smallest fitted one."""
    mu = m.model.mu if m.model.offset is None else m.model.mu / np.exp(m.model.offset)
    low = max(float(np.quantile(mu, 0.05)), 1e-12)
    return int(np.clip(1 - np.floor(np.log10(low)), 1, 9))


def _said(m: CountsModel, terms: Any) -> str:
    if m.spec.family == "quasi":
        return f"deviance {number(m.judge.model(terms).deviance, 1)}"
    return f"AIC {number(m.judge.model(terms).aic, 1)}"


def _path(m: CountsModel) -> list[Any]:
    if not m.rounds:
        return []

    def fit_of(terms: Any, _before: Any) -> q.Row:
        """How well the model of a round fits."""
        model = m.judge.model(terms)
        deviance = q.num(model.deviance, 1, "Deviance")
        return q.row(deviance=deviance) | (criteria(model) if m.spec.family != "quasi" else {})

    letter, how = (
        ("F", "F from the change of the deviance.") if m.spec.family == "quasi" else ("χ²", "Likelihood-ratio tests.")
    )
    return path_blocks(m, letter, fit_of, how)


def _influential(m: CountsModel) -> Any:
    d = _decimals(m)

    def told(i: int) -> q.Row:
        """A row's count and what the model expects."""
        fitted = q.num(float(m.model.mu[i]), d, "Expected")
        return q.row(value=q.count(m.data.y[i], m.data.response.title), fitted=fitted)

    return influential_rows(m.data, m.cook, m.pearson, m.model.leverage, told)


SMALL_MEAN = 30.0
"""A count with a larger mean lies about its mean as a measure does; most whole numbers of that size are measures."""


def card(table: Table, spec: CountsSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    m = fit_model(table, spec)
    return tables.card(m, coefficients(m.fitted, {}))


def new_columns(table: Table, spec: CountsSpec) -> list[tuple[Column, Any]]:
    """The count expected of every row whose terms (and exposure) are filled, and the Pearson residual."""
    if not spec.response or not spec.terms:
        return []
    m = fit_model(table, spec)
    design, filled = for_every_row(m.data)
    mu, known = np.zeros(table.n_rows), np.array(filled)
    mu[filled] = m.fitted.means(design.block(0, design.n))[0]
    if spec.exposure:
        over = table.numbers(spec.exposure)
        known &= ~np.isnan(over)
        mu = np.where(known, mu * np.nan_to_num(over), 0.0)
    known &= np.isfinite(mu)
    residual = np.zeros(table.n_rows)
    residual[m.data.places] = m.pearson
    label = f"{m.data.response.title}, expected"
    expected = Column(name=f"{spec.response} expected", kind=Kind.measure, label=label, decimals=_decimals(m))
    own = Column(name=f"{spec.response} Pearson residual", kind=Kind.measure, decimals=3)
    used = np.zeros(table.n_rows, bool)
    used[m.data.places] = True
    return [(expected, pa.array(mu, pa.float64(), mask=~known)), (own, pa.array(residual, pa.float64(), mask=~used))]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """A count, and columns that may tell it."""
    response, terms = spec.get("response"), spec.get("terms", [])
    if response and table.column(response).kind is not Kind.count:
        return -14, ""
    if not terms:
        return -2, ""
    if response and not np.nanmean(table.numbers(response)) < SMALL_MEAN:
        return -3, "a whole number with a large mean"
    return (13, "a count and what may tell it") if len(terms) > 1 else (-3, "a count by one column")


METHOD = Method(
    id="counts_model",
    aim=Aim.predict,
    title="Regression of counts: Poisson, negative binomial, quasi-Poisson",
    layouts=(
        Layout(
            "rows", "model of counts", "How does the count of {response} depend on {terms}?", ("response", "terms"),
            ("response", "terms"),
        ),
    ),
    Spec=CountsSpec,
    compute=compute,
    page=read_page(__file__),
    order=3,
    fit=_fit,
    new_columns=new_columns,
    card=card,
    name=model_name,
    keywords=(
        "poisson regression", "negative binomial", "quasi-poisson", "count data", "rate ratio", "incidence rate",
        "overdispersion",
        "log-linear", "offset", "exposure", "zero inflation",
    ),
)  # fmt: skip
