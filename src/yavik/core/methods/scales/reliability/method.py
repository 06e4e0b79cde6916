"""Do items measure one thing, and how surely? Cronbach's α, McDonald's ω, item by item."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.items import alike
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.scales.reliability import tell
from yavik.core.methods.scales.reliability.compute import compute, read_items
from yavik.core.methods.scales.reliability.spec import SPLITS, ReliabilitySpec
from yavik.core.table import Column, Table

AT_LEAST = 0.5
"""Share of the items that a row must have answered for a score."""


def ask(table: Table, spec: ReliabilitySpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no scale."""
    r = compute(table, spec)
    run.progress(0.7, "Pictures and checks")
    spans, short = tell.headline(r, spec.alpha)
    return compose(
        spans,
        short=short,
        settings=_settings(spec, r.items.against),
        facts=tell.facts(r),
        blocks=[tell.rest_picture(r), tell.whole(r, spec.alpha), tell.items(r), tell.correlations(r)],
        checks=tell.checks(r, table.n_rows),
        rows=used_where(table, r.items.use, "an item is empty"),
        seed=spec.seed,
    )


def _settings(spec: ReliabilitySpec, against: Any) -> list[str]:
    turned = [n for n, a in zip(spec.items, against, strict=True) if a]
    made = [f"{listing(turned, 4)} turned round"] if turned else ["items as they are"]
    return made + ([f"halves: {SPLITS[spec.split]}"] if spec.split != "none" else [])


def new_columns(table: Table, spec: ReliabilitySpec) -> list[tuple[Column, Any]]:
    """The score: the mean of the items, turned ones turned, of rows that answered half of them at least."""
    if len(spec.items) < 2:
        return []
    found = read_items(table, spec)
    filled = (~np.isnan(found.x)).sum(axis=1)
    known = filled >= AT_LEAST * found.x.shape[1]
    total = np.nansum(found.x, axis=1)
    score = np.where(known, total / np.maximum(filled, 1), np.nan)
    label = f"Mean of {counted(found.x.shape[1], 'item')}"
    return [measured("score", score, label=label)]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Several columns that take the same few values look like the items of one scale."""
    items = spec.get("items", [])
    if len(items) < 3:
        return -20, ""
    if not alike(table, items):
        return -12, ""
    return 16, f"{len(items)} columns answered alike"


METHOD = Method(
    id="reliability",
    aim=Aim.scales,
    title="Reliability of a scale: Cronbach’s α, McDonald’s ω, item analysis",
    layouts=(Layout("items", "a column for each item", "How well do {items} hang together?", ("items",), ("items",)),),
    Spec=ReliabilitySpec,
    compute=ask,
    page=read_page(__file__),
    order=1,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"Reliability of {listing(spec.items, 3)}",
    uses=("seed",),
    keywords=(
        "cronbach", "alpha", "omega", "internal consistency", "item analysis", "item-total correlation", "split half",
        "spearman-brown", "reverse-scored", "scale", "questionnaire",
    ),
)  # fmt: skip
