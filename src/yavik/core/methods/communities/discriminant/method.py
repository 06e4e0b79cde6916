"""Can columns tell groups apart?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.communities.discriminant import tell
from yavik.core.methods.communities.discriminant.checks import all_checks
from yavik.core.methods.communities.discriminant.compute import compute
from yavik.core.methods.communities.discriminant.spec import DiscriminantSpec
from yavik.core.methods.kit.columns import at_rows, measured
from yavik.core.methods.kit.page import read_page
from yavik.core.steps.making import words
from yavik.core.table import Column, Level, Table


def ask(table: Table, spec: DiscriminantSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for columns that cannot tell."""
    t = compute(table, spec, run.progress)
    spans, short = tell.headline(t)
    return compose(
        spans,
        short=short,
        settings=tell.settings(t),
        facts=tell.facts(t),
        blocks=tell.blocks(t),
        checks=all_checks(t),
        rows=t.rows,
    )


def new_columns(table: Table, spec: DiscriminantSpec) -> list[tuple[Column, Any]]:
    """Scores on every function, the group that each row is put into, and the chance of its own."""
    t = compute(table, spec)
    out = [
        measured(f"function {k + 1}", at_rows(t.d.scores[:, k], t.place, table.n_rows), decimals=3)
        for k in range(len(t.d.values))
    ]
    codes = np.full(table.n_rows, -1)
    codes[t.place] = t.inside.chosen
    own = t.inside.chances[np.arange(t.d.n), t.d.codes]
    return [
        *out,
        words("put into", codes, [Level(value=x) for x in t.levels]),
        measured("chance of own group", at_rows(own, t.place, table.n_rows), decimals=3),
    ]


def _fit(_table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Several columns of numbers and groups."""
    return (-5, "") if len(spec.get("columns") or []) >= 2 and spec.get("groups") else (-30, "")


METHOD = Method(
    id="discriminant",
    aim=Aim.communities,
    title="Telling groups apart: linear discriminant analysis",
    layouts=(
        Layout(
            "columns", "a row for each case, its group in a column", "Can {columns} tell {groups} apart?",
            ("columns", "groups"), ("columns", "groups"),
        ),
    ),
    Spec=DiscriminantSpec,
    compute=ask,
    page=read_page(__file__),
    order=6,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"What tells {spec.groups} apart",
    keywords=(
        "LDA", "discriminant", "canonical variates", "Wilks lambda", "classification", "leave one out",
        "cross-validation", "Mahalanobis", "Box's M", "separation of groups", "structure coefficients",
    ),
)  # fmt: skip
