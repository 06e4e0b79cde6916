"""What tells yes from no? Logistic regression, built term by term; probit and complementary log–log as well."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.answers import Answer, Marks
from yavik.core.answers.make import EMPTY, compose, share_cell
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import italic, listing, number, p_words, say
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.models.coefficients import Coefficient, coefficients, most_telling
from yavik.core.methods.kit.models.effects import cases_table, main_picture, means_table, term_pictures
from yavik.core.methods.kit.models.path import criteria, path_blocks, round_variants
from yavik.core.methods.kit.models.reading import for_every_row
from yavik.core.methods.kit.models.terms import kind_is_number
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.predict.logistic import tables
from yavik.core.methods.predict.logistic.checks import all_checks
from yavik.core.methods.predict.logistic.fit import BinaryModel, fit_binary
from yavik.core.methods.predict.logistic.marginal import marginal_table
from yavik.core.methods.predict.logistic.rows import influential_table
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.methods.predict.logistic.telling import calibration_table, classification_table, pictures
from yavik.core.stats.binary import fit, probability
from yavik.core.stats.selection import BinaryJudge, walk
from yavik.core.stats.telling import auc_of, hosmer_lemeshow
from yavik.core.table import Column, DataProblem, Kind, Table
from yavik.core.table.column import Level

SE_WORDS = {
    "hc0": "robust standard errors, HC0",
    "hc1": "robust standard errors, HC1",
    "cluster": "standard errors by cluster",
}
FOLDS = 10
MOST_FOLDED = 2_000_000
"""Numbers of a design up to which the folds are fitted."""
ALL = (0.0, 1.0)


def compute(table: Table, spec: LogisticSpec, run: Run) -> Answer:
    m = fit_binary(table, spec, run.progress)
    run.progress(0.7, "How well it tells")
    if spec.penalty == "firth" and spec.se != "classical":
        raise DataProblem("A penalised fit has its own standard errors; choose no penalty for robust ones.")
    found = coefficients(m.fitted, spec.per, m.bounds, m.ps)
    by_term = tables.term_tests(m)
    tests = tables.whole_tests(m, spec)
    hl = hosmer_lemeshow(m.model.mu, m.data.y)
    folds = _folds(m, spec, run)
    strongest = most_telling(m.fitted, found)
    spans, short = tables.headline(m, spec, tests, strongest)
    run.progress(0.9, "Pictures and checks")
    settings = ["logistic regression by maximum likelihood" if spec.penalty == "none" else "logistic regression"]
    if spec.link != "logit":
        settings = ["regression of a yes/no response by maximum likelihood"]
    settings += [f"event {m.said}"]
    settings += [tables.LINK_WORDS[spec.link]] if spec.link != "logit" else []
    settings += ["penalised (Firth)"] if spec.penalty == "firth" else []
    settings += ["profile intervals"] if m.bounds else []
    settings += ["numbers counted from their means"] if m.data.design.about else []
    settings += [SE_WORDS[spec.se]] if spec.se != "classical" else []
    settings += [f"{spec.selection} selection"] if spec.selection != "none" else []
    test = tests.get("likelihood_ratio") or tests.get("wald")
    drawable = not m.infinite
    return compose(
        spans,
        short=short,
        settings=settings,
        facts=tables.facts(m, spec, tests, hl, found, by_term) | folds,
        blocks=[
            main_picture(m.fitted, points=False, span=ALL) if drawable else None,
            tables.fit_table(m, spec, folds),
            *_path(m),
            tables.coefficients_table(m, spec, found),
            tables.words_table(m, spec, found),
            *(pictures(m, spec, hl) if m.used else []),
            classification_table(m, spec),
            _forest(m, spec, found) if drawable else None,
            tables.terms_table(m, spec, by_term),
            tables.tests_table(tests, hl),
            *(term_pictures(m.fitted, ALL) if drawable and len(m.data.names) > 1 else []),
            *(means_table(m.fitted, 3) if drawable else []),
            marginal_table(m, spec) if drawable and m.used else None,
            (
                cases_table(m.fitted, spec.predict_at, 3, "Predictions", f"Probability of {m.event}")
                if drawable and m.used
                else None
            ),
            calibration_table(m, hl),
            influential_table(m),
        ],
        checks=all_checks(m, spec, hl, folds),
        rows=m.data.used,
        marks=Marks(p=say(italic("p"), f" {p_words(test[2])}")) if test else Marks(),
        model=tables.card(m, spec, found),
        variants=round_variants(
            m, spec.model_dump(mode="json"), lambda terms: f"AIC {number(m.judge.model(terms).aic, 1)}"
        ),
    )


def _path(m: BinaryModel) -> list[Any]:
    if not m.rounds:
        return []

    def fit_of(terms: Any, _before: Any) -> dict[str, Any]:
        model = m.judge.model(terms)
        return {"auc": share_cell(auc_of(model.mu, m.whole.y > 0.5)[0]) if terms else EMPTY, **criteria(model)}

    fit = [("auc", "AUC"), ("aic", "AIC"), ("bic", "BIC")]
    return path_blocks(m, ("chi2", "χ²"), fit, fit_of, "Score tests to enter, likelihood-ratio tests to leave.")


def card(table: Table, spec: LogisticSpec) -> ModelCard:
    m = fit_binary(table, spec)
    return tables.card(m, spec, coefficients(m.fitted, {}, m.bounds, m.ps))


def _forest(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> Any:
    """Odds ratios with their intervals, on a scale of ratios; powers and parts of interactions say nothing alone."""
    if spec.link != "logit":
        return None
    shown = []
    for c in found:
        if c.column is None or not np.isfinite([c.b, c.low, c.high]).all() or max(abs(c.low), abs(c.high)) > 12:
            continue
        term = m.data.terms[m.data.design.columns[c.column].term]
        if not term.is_main or any(t != term and set(t.names) & set(term.names) for t in m.data.terms):
            continue
        # A measure's ratio is for its standard deviation, so that all stand on one scale.
        size = 1.0
        title = c.title
        powers = m.data.design.columns[c.column].powers
        if powers:
            size = float(np.std(m.data.design.data[powers[0][0]])) / c.per
            title = f"{m.data.title(powers[0][0])} (per SD)"
        low, high = sorted((c.low * size, c.high * size))
        shown.append(Bar(title, float(np.exp(c.b * size)), float(np.exp(low)), float(np.exp(high)), c.p < spec.alpha))
    if len(shown) < 2:
        return None
    vega, alt = forest(shown, f"Odds ratio of {m.said}", at=1.0)
    for layer in vega["layer"]:
        layer["encoding"]["x"]["scale"] = {"type": "log", "nice": False, "padding": 12}
    return block("odds_ratios", f"Odds ratios of {m.said}", (vega, alt))


def _folds(m: BinaryModel, spec: LogisticSpec, run: Run) -> dict[str, float]:
    """Area and Brier score for rows not seen: ten folds drawn by the seed; a selection is repeated without each."""
    d = m.judge.whole
    if not m.used or d.x.size > MOST_FOLDED or m.infinite or min(d.y.sum(), len(d.y) - d.y.sum()) < 2 * FOLDS:
        return {}
    fold = np.random.default_rng(spec.seed).permutation(len(d.y)) % FOLDS
    guess = np.empty(len(d.y))
    columns = m.judge.columns(m.chosen)
    for k in range(FOLDS):
        run.progress(0.7 + 0.02 * k, f"Fold {k + 1} of {FOLDS}")
        seen = fold != k
        part = type(d)(np.ascontiguousarray(d.x[seen]), d.y[seen], d.centre, d.scale, d.intercept)
        if part.y.min() == part.y.max():
            return {}
        if spec.selection != "none":
            judge = BinaryJudge(m.judge.design, part, m.judge.used, spec.link, spec.penalty)
            rounds = walk(judge, m.whole.terms, spec.selection, spec.choose_by, spec.enter, spec.remove)
            columns = judge.columns(rounds[-1].terms)
        take = [*range(d.first), *(c + d.first for c in columns)]
        start = (
            m.model.scaled if spec.selection == "none" and len(take) == m.model.q and spec.penalty == "none" else None
        )
        model = fit(part.among(columns), spec.link, spec.penalty, start)
        guess[~seen] = probability(spec.link, d.x[~seen][:, take] @ model.scaled)
    auc, _ = auc_of(guess, d.y > 0.5)
    return {"folds.auc": auc, "folds.brier": float(np.mean((d.y - guess) ** 2))}


def new_columns(table: Table, spec: LogisticSpec) -> list[tuple[Column, Any]]:
    """Probability of the event and the class at the cut-off, for every row whose terms are filled."""
    if not spec.response or not spec.terms:
        return []
    m = fit_binary(table, spec)
    design, filled = for_every_row(m.data)
    mu = np.zeros(table.n_rows)
    mu[filled] = m.fitted.means(design.block(0, design.n))[0]
    column = m.data.response
    label = f"Probability of {m.said}"
    described = Column(name=f"{spec.response} probability", kind=Kind.measure, label=label, decimals=3)
    words = (m.other, m.event)
    codes = pa.array((mu >= spec.cutoff).astype(np.int32), pa.int32(), mask=~filled)
    told = Column(
        name=f"{spec.response} predicted", kind=Kind.category if m.other == "another" or column.kind is not Kind.yes_no else Kind.yes_no,
        label=f"{column.title}, predicted", levels=tuple(Level(value=w) for w in words),
    )  # fmt: skip
    return [
        (described, pa.array(mu, pa.float64(), mask=~filled)),
        (told, pa.DictionaryArray.from_arrays(codes, pa.array(words, pa.string()))),
    ]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """A yes/no response, or one of two levels, and columns that may tell it."""
    response = spec.get("response")
    if response:
        column = table.column(response)
        if column.kind is not Kind.yes_no and len(column.levels) != 2:
            return None
    terms = spec.get("terms", [])
    if not terms:
        return 0, ""
    mixed = len(terms) > 1 and any(kind_is_number(table.column(t)) for t in terms)
    return (20 if mixed else 2, f"{len(terms)} columns that may tell yes from no")


def _name(spec: LogisticSpec) -> str:
    names = list(dict.fromkeys(n for t in spec.terms for n in ([t] if isinstance(t, str) else t.names)))
    return f"{spec.response} by {listing(names, 3)}"


METHOD = Method(
    id="logistic",
    version="2",
    aim=Aim.predict,
    title="Logistic regression, also probit, penalised and with selection",
    layouts=(
        Layout("rows", "model of yes or no", "How do the odds of {response} = {event} depend on {terms}?", ("response", "terms"), ("response", "terms")),
    ),
    Spec=LogisticSpec,
    compute=compute,
    page=read_page(__file__),
    order=2,
    fit=_fit,
    new_columns=new_columns,
    card=card,
    uses=("seed",),
    name=_name,
    keywords=(
        "logistic regression", "odds ratio", "probit", "binary", "yes/no", "classification", "roc", "auc", "firth", "separation",
        "hosmer-lemeshow", "sensitivity", "specificity", "stepwise", "predict", "probability",
    ),
)  # fmt: skip
