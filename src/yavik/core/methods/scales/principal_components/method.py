"""What sums columns up? Principal components, with scores."""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.answers.wording import listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.items import alike
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.scales.principal_components import tell
from yavik.core.methods.scales.principal_components.compute import compute
from yavik.core.methods.scales.principal_components.spec import ComponentSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: ComponentSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for columns that hold no components."""
    c = compute(table, spec, run.progress)
    run.progress(0.75, "Tables and checks")
    spans, short = tell.headline(c)
    why = "every cell is empty" if spec.missing == "pairwise" else "a cell is empty"
    return compose(
        spans,
        short=short,
        settings=tell.settings(c),
        facts=tell.facts(c),
        blocks=tell.blocks(c),
        checks=tell.all_checks(c),
        rows=used_where(table, c.data.use, why),
        seed=spec.seed,
    )


def new_columns(table: Table, spec: ComponentSpec) -> list[tuple[Column, Any]]:
    """A score for each component, of rows filled throughout."""
    c = compute(table, spec)
    return [
        measured(f"component_{j + 1}", own, label=f"Score on {name.lower()}")
        for j, (name, own) in enumerate(zip(c.names, c.scores.T, strict=True))
    ]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    items = spec.get("items", [])
    if len(items) < 3:
        return -25, ""
    if alike(table, items):
        return 0, f"{len(items)} columns answered alike"
    return (-6, f"{len(items)} measures to sum up") if len(items) >= 4 else (-20, "")


METHOD = Method(
    id="principal_components",
    aim=Aim.scales,
    title="Principal components: loadings, scores, arrows of columns",
    layouts=(Layout("items", "a column for each", "What sums up {items}?", ("items",), ("items",)),),
    Spec=ComponentSpec,
    compute=ask,
    page=read_page(__file__),
    order=3,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"Components of {listing(spec.items, 3)}",
    uses=("missing", "seed"),
    keywords=(
        "PCA", "principal component analysis", "eigenvalues", "biplot", "scores", "loadings", "dimension reduction",
        "scree",
    ),
)  # fmt: skip
