"""What tells yes from no? Logistic regression, built term by term; probit and complementary log–log as well."""

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
from yavik.core.methods.kit.models.tables import effect_blocks, ratios_picture, words_table
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
    """The answer. Raises DataProblem for what cannot be fitted."""
    m = fit_binary(table, spec, run.progress)
    run.progress(0.7, "How well it tells")
    if spec.penalty == "firth" and spec.se != "classical":
        raise DataProblem("A penalised fit has its own standard errors; choose no penalty for robust ones.")
    found = coefficients(m.fitted, spec.per, m.bounds, m.ps)
    by_term = m.term_tests
    tests = m.whole_tests
    strongest = most_telling(m.fitted, found)
    spans, short = tables.headline(m, spec, tests, strongest)
    run.say(spans)
    hl = hosmer_lemeshow(m.model.mu, m.data.y)
    folds = _folds(m, spec, run)
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
    drawable, scale = not m.infinite, tables.scale_of(m, spec)
    return compose(
        spans,
        short=short,
        settings=settings,
        facts=tables.facts(m, spec, tests, hl, found, by_term) | folds,
        blocks=[
            main_picture(m.fitted, points=False, span=ALL) if drawable else None,
            tables.how_it_tells(m, spec, folds),
            *_path(m),
            tables.coefficients(m, spec, found),
            words_table(m.fitted, found, lambda c: scale.sentence(m.fitted, c)),
            *(pictures(m, spec, hl) if m.used else []),
            classification_table(m, spec),
            ratios_picture(m.fitted, scale, found, m.said) if drawable and scale.key else None,
            tables.terms_table(m, by_term),
            tables.tests_table(tests, hl),
            *(
                effect_blocks(m.fitted, spec, scale, 3, span=ALL, event=f"Probability of {m.event}", slopes=False)
                if drawable and m.used
                else []
            ),
            marginal_table(m, spec) if drawable and m.used else None,
            calibration_table(m, hl),
            influential_table(m),
        ],
        checks=all_checks(m, spec, hl, folds),
        rows=m.data.used,
        marks=Marks(p=q.p_said(test[2])) if test else Marks(),
        model=tables.card(m, spec, found),
        variants=round_variants(
            m, spec.model_dump(mode="json"), lambda terms: f"AIC {number(m.judge.model(terms).aic, 1)}"
        ),
    )


def _path(m: BinaryModel) -> list[Any]:
    if not m.rounds:
        return []

    def fit_of(terms: Any, _before: Any) -> q.Row:
        """How well the model of a round tells."""
        model = m.judge.model(terms)
        auc = q.size(auc_of(model.mu, m.whole.y > 0.5)[0], "AUC") if terms else q.blank("AUC")
        return q.row(auc=auc, **criteria(model))

    return path_blocks(m, "χ²", fit_of, "Score tests to enter, likelihood-ratio tests to leave.")


def card(table: Table, spec: LogisticSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    m = fit_binary(table, spec)
    return tables.card(m, spec, coefficients(m.fitted, {}, m.bounds, m.ps))


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
        name=f"{spec.response} predicted",
        kind=Kind.category if m.other == "another" or column.kind is not Kind.yes_no else Kind.yes_no,
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


METHOD = Method(
    id="logistic",
    version="3",
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
    name=model_name,
    keywords=(
        "logistic regression", "odds ratio", "probit", "binary", "yes/no", "classification", "roc", "auc", "firth",
        "separation",
        "hosmer-lemeshow", "sensitivity", "specificity", "stepwise", "predict", "probability",
    ),
)  # fmt: skip
