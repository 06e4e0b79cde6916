"""What do items measure, and how well? Curves of answers over an ability."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import counted, listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.items import alike
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.scales.item_response import pictures, tables, words
from yavik.core.methods.scales.item_response.checks import all_checks
from yavik.core.methods.scales.item_response.compute import Response, compute
from yavik.core.methods.scales.item_response.spec import ResponseSpec
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, Kind, Table


def ask(table: Table, spec: ResponseSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what cannot be scored or fitted."""
    r = compute(table, spec, run.progress)
    run.progress(0.9, "Pictures and checks")
    spans, short = words.headline(r)
    return compose(
        spans,
        short=short,
        settings=words.settings(r),
        facts=tables.facts(r),
        blocks=[
            pictures.curves(r),
            pictures.scores(r),
            tables.estimates(r),
            tables.read_off(r),
            *pictures.tells(r),
            *pictures.answers(r),
            tables.models(r),
            tables.how_it_fits(r),
            tables.people(r),
            tables.at_abilities(r),
            words.write_up(r),
            tables.iterations(r),
        ],
        checks=all_checks(r, table),
        rows=used_where(table, r.scored.use, "no item is answered"),
        model=tables.card(r),
    )


def card(table: Table, spec: ResponseSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    return tables.card(compute(table, spec, others=False))


def new_columns(table: Table, spec: ResponseSpec) -> list[tuple[Column, Any]]:
    """Ability with its standard error, and the score that it lets expect."""
    r = compute(table, spec, others=False)
    mean, sd = r.ability
    score = r.at_ability.score[r.answers.pattern]
    note = f"of {counted(r.k, 'item')}, {r.fitted.model.replace('_', ' ')}"
    return [
        _column(r, "ability", mean, f"Ability, {note}"),
        _column(r, "ability_se", sd, "Standard error of ability"),
        _column(r, "expected_score", score, f"Expected score of {r.most}"),
    ]


def _column(r: Response, name: str, values: Floats, label: str) -> tuple[Column, Any]:
    whole = np.full(len(r.scored.codes), np.nan)
    whole[r.scored.use] = values
    return measured(name, whole, label=label)


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Several columns of right and wrong look like a test; answers alike in several steps like a scale."""
    items = spec.get("items", [])
    if len(items) < 3:
        return -25, ""
    columns = [table.column(n) for n in items]
    if any(c.kind in (Kind.measure, Kind.text) for c in columns) or not alike(table, items):
        return -25, ""
    two = all(_two(table, c) for c in columns)
    return (20, f"{len(items)} columns of right and wrong") if two else (2, f"{len(items)} columns answered alike")


def _two(table: Table, column: Column) -> bool:
    if column.kind is Kind.yes_no:
        return True
    if column.levels:
        return len(column.levels) == 2
    return column.kind is Kind.count and len(table.codes(column.name).levels) == 2


METHOD = Method(
    id="item_response",
    aim=Aim.scales,
    title="Item response: one-, two- and three-parameter and graded models",
    layouts=(
        Layout("items", "a column for each item", "What do {items} measure, and how well?", ("items",), ("items",)),
    ),
    Spec=ResponseSpec,
    compute=ask,
    page=read_page(__file__),
    order=4,
    fit=_fit,
    new_columns=new_columns,
    card=card,
    name=lambda spec: f"What {listing(spec.items, 2)} measure",
    keywords=(
        "item response theory",
        "IRT",
        "Rasch",
        "2PL",
        "3PL",
        "graded response",
        "difficulty",
        "discrimination",
        "ability",
        "test information",
        "item characteristic curve",
        "guessing",
        "local dependence",
        "person fit",
    ),
)
