"""How do samples lie to one another?"""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.figures.ordinations import so_far
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.communities.ordination import tell
from yavik.core.methods.communities.ordination.compute import compute
from yavik.core.methods.communities.ordination.pictures import blocks
from yavik.core.methods.communities.ordination.spec import OrdinationSpec
from yavik.core.methods.kit.columns import at_rows, measured
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.taxa import over_taxa
from yavik.core.table import Column, Table


def ask(table: Table, spec: OrdinationSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no community."""
    o = compute(table, spec, run.progress, lambda points: run.show(so_far(points)))
    spans, short = tell.headline(o)
    return compose(
        spans,
        short=short,
        settings=tell.settings(o),
        facts=tell.facts(o),
        blocks=blocks(o),
        checks=tell.all_checks(o),
        rows=o.samples.rows,
        seed=spec.seed if spec.kind == "nonmetric" or spec.environment else None,
    )


def new_columns(table: Table, spec: OrdinationSpec) -> list[tuple[Column, Any]]:
    """Scores on every axis."""
    o = compute(table, spec)
    out = []
    for k in range(o.points.shape[1]):
        values = at_rows(o.points[:, k], o.samples.place, table.n_rows)
        out.append(measured(f"axis {k + 1}", values, decimals=4))
    return out


METHOD = Method(
    id="ordination",
    aim=Aim.communities,
    title="Ordination: non-metric scaling, principal coordinates, with arrows",
    layouts=(
        Layout(
            "taxa", "samples in rows, taxa in columns", "How do samples lie to one another by {taxa}, by {groups}?",
            ("taxa", "groups"), ("taxa",),
        ),
        Layout(
            "distances", "dissimilarities of samples, a square table",
            "How do samples lie to one another by {distances}, by {groups}?", ("distances", "groups"), ("distances",),
        ),
    ),
    Spec=OrdinationSpec,
    compute=ask,
    page=read_page(__file__),
    order=1,
    fit=lambda table, spec: over_taxa(table, spec, 34),
    new_columns=new_columns,
    name=lambda spec: f"Ordination{f' by {spec.groups}' if spec.groups else ''}",
    uses=("seed",),
    keywords=(
        "nMDS", "MDS", "multidimensional scaling", "PCoA", "principal coordinates", "stress", "Shepard", "biplot",
        "environmental vectors", "gradient", "dissimilarity", "species", "community", "ecology",
    ),
)  # fmt: skip
