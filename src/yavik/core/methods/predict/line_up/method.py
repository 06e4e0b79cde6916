"""Which model should be reported? Models of one response side by side, aligned by term."""

from contextlib import closing
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np

from yavik.core.answers import Answer, RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import counted, listing, say
from yavik.core.figures.caption import lower
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.predict.line_up.compute import against
from yavik.core.methods.predict.line_up.spec import LinedModel, LineUpSpec
from yavik.core.methods.predict.line_up.tables import Lined, auto_names, checks, models_table, most
from yavik.core.stats.in_parts import spread
from yavik.core.steps.expressions import Parsed, rows_where
from yavik.core.table import DataProblem, Table

MOST_MODELS = 12
EFFECTS = {"odds_ratio": "odds ratios", "rate_ratio": "rate ratios", "b": "coefficients"}


def _card(table: Table, shared: Table, spec: LineUpSpec, i: int, method: Any, inner: Any) -> ModelCard:
    """Raises DataProblem, naming the model."""
    own = table.keep(rows_where(inner.where, table)) if spec.rows == "own" and inner.where else shared
    try:
        card: ModelCard = method.card(own, inner.model_copy(update={"alpha": spec.alpha, "where": None}))
        return card
    except DataProblem as problem:
        raise DataProblem(f"Model {i + 1}: {problem.message}", column=problem.column, rows=problem.rows) from None


def compute(table: Table, spec: LineUpSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for models that cannot stand side by side."""
    if len(spec.models) > MOST_MODELS:
        raise DataProblem(
            f"{len(spec.models)} models are too many to read side by side; up to {MOST_MODELS} can stand here."
        )
    if spec.chosen is not None and spec.chosen >= len(spec.models):
        raise DataProblem(f"Model {spec.chosen + 1} is to be reported, but there are {len(spec.models)}.")
    parsed = [_parsed(m) for m in spec.models]
    shared, left = _same_rows(table, parsed) if spec.rows == "same" else (table, [])
    cards: list[ModelCard] = []
    with closing(spread([partial(_card, table, shared, spec, i, *one) for i, one in enumerate(parsed)])) as made:
        for i in range(len(parsed)):
            run.progress(0.1 + 0.8 * i / len(parsed), f"Model {i + 1} of {len(parsed)}")
            cards.append(next(made))
    _demand_one_response(cards)
    lined = Lined(cards, auto_names(cards, [m.name for m in spec.models]), spec.chosen)
    same = len({c.rows for c in cards}) == 1
    tests = [None, *(against(a, b) for a, b in pairwise(cards))]
    spans, short = _headline(lined, same)
    return compose(
        spans,
        short=short,
        settings=[EFFECTS[cards[0].effect] if spec.show == "effects" else "coefficients"],
        facts=_facts(lined, tests),
        blocks=[models_table(lined, tests, spec)],
        checks=checks(lined, tests, same, spec),
        rows=RowsUsed(total=table.n_rows, used=max(c.n for c in cards), left_out=left if same else []),
    )


def _parsed(model: LinedModel) -> tuple[Method[Any], Any]:
    from yavik.core.methods.registry import get, parse_spec

    method = get(model.method)
    if method.card is None:
        raise DataProblem(f"{method.title} makes no model; a line-up is of models.")
    inner = parse_spec(model.method, model.spec)
    if not method.ready(inner):
        raise DataProblem(f"{model.name or 'A model'} of the line-up has empty slots; fill them in its question.")
    return method, inner.model_copy(update={"by": None, "without": []})


def _same_rows(table: Table, parsed: list[tuple[Method[Any], Any]]) -> tuple[Table, list[LeftOut]]:
    """Rows that every model can use."""
    keep = np.ones(table.n_rows, bool)
    for method, inner in parsed:
        if inner.where:
            keep &= rows_where(inner.where, table)
        for name in method.columns(inner):
            keep &= ~table.empty(name)
    if not keep.any():
        raise DataProblem("No row is filled in all these models. Compare each on its own rows, or leave a model out.")
    gone = table.rows[~keep]
    return table.keep(keep), (
        [LeftOut(why="not usable in every model", n=len(gone), rows=gone[:200].tolist())] if len(gone) else []
    )


def _demand_one_response(cards: list[ModelCard]) -> None:
    responses = list(dict.fromkeys(c.response for c in cards))
    if len(responses) > 1:
        raise DataProblem(
            f"These are models of {listing(responses)}; a line-up compares models of one response.",
            column=responses[1],
        )
    said = list(dict.fromkeys(c.said for c in cards if c.effect == "odds_ratio"))
    if len(said) > 1:
        raise DataProblem(
            f"These models predict {listing(said, joint='or')}; choose one event for all of them.",
            column=cards[0].response,
        )


def _headline(lined: Lined, same: bool) -> tuple[list[Any], str]:
    cards = lined.cards
    rows = f"the same {counted(cards[0].n, 'row')}" if same else "rows that are not the same"
    words = f"{counted(len(cards), 'model')} of {lined.what} on {rows}"
    best = [f"{title} for “{lined.names[i]}”" for title, i in most(cards)]
    text = f"{words}. Best {listing(best, 4)}." if len(cards) > 1 and best else f"{words}."
    if lined.chosen is not None:
        card = cards[lined.chosen]
        first = next((f for f in card.fit if f.v is not None), None)
        text += f" To be reported: “{lined.names[lined.chosen]}”" + (
            f" ({lower(first.title)} {first.s})." if first else "."
        )
        return say(text), f"chosen: {lined.names[lined.chosen]}"
    return say(text), f"{counted(len(cards), 'model')}, none chosen"


def _facts(lined: Lined, tests: list[Any]) -> dict[str, Any]:
    out: dict[str, Any] = {"models": len(lined.cards)}
    for i, (card, test) in enumerate(zip(lined.cards, tests, strict=True)):
        out |= {f"{i + 1}.{f.key}": f.v for f in card.fit if f.v is not None} | {f"{i + 1}.n": card.n}
        if test and test.p is not None:
            out |= {f"{i + 1}.against_before.p": test.p, f"{i + 1}.against_before.statistic": test.statistic}
    return out


def _reads(spec: LineUpSpec) -> list[str]:
    """Columns of all its models, also those of their row conditions."""
    from yavik.core.methods.registry import get, parse_spec

    names: list[str] = []
    for m in spec.models:
        inner = parse_spec(m.method, m.spec)
        names += get(m.method).columns(inner)
        if inner.where:
            names += sorted(Parsed(inner.where).columns)
    return names


def _fit(_table: Table, _spec: dict[str, Any]) -> tuple[float, str] | None:
    """Made of models, not of columns."""
    return None


METHOD = Method(
    id="line_up",
    aim=Aim.predict,
    title="Line-up of models of one response",
    layouts=(Layout("models", "line-up", "Which of {models} models should be reported?", ("models",), ("models",)),),
    Spec=LineUpSpec,
    compute=compute,
    page=read_page(__file__),
    order=9,
    fit=_fit,
    reads=_reads,
    view="lineup",
    name=lambda spec: f"Line-up of {counted(len(spec.models), 'model')}",
    keywords=(
        "compare models",
        "model comparison",
        "nested models",
        "side by side",
        "likelihood ratio",
        "aic",
        "bic",
    ),
)
