"""Which samples belong together?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.communities.clustering import tell
from yavik.core.methods.communities.clustering.compute import compute
from yavik.core.methods.communities.clustering.spec import ClusteringSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.taxa import over_taxa
from yavik.core.steps.making import words
from yavik.core.table import Column, Level, Table


def ask(table: Table, spec: ClusteringSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what cannot be clustered."""
    c = compute(table, spec, run.progress)
    spans, short = tell.headline(c)
    return compose(
        spans,
        short=short,
        settings=tell.settings(c),
        facts=tell.facts(c),
        blocks=tell.blocks(c),
        checks=tell.all_checks(c),
        rows=c.data.rows,
        seed=spec.seed if spec.kind == "kmeans" else None,
    )


def new_columns(table: Table, spec: ClusteringSpec) -> list[tuple[Column, Any]]:
    """The cluster of each row."""
    c = compute(table, spec)
    codes = np.full(table.n_rows, -1)
    codes[c.data.place] = c.codes
    return [words("cluster", codes, [Level(value=str(g + 1)) for g in range(c.k)])]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Many amounts; several columns of numbers."""
    columns = spec.get("columns") or []
    if columns:
        return (-6, "") if len(columns) >= 3 else (-25, "")
    return over_taxa(table, spec, 26)


METHOD = Method(
    id="clustering",
    aim=Aim.communities,
    title="Clusters: hierarchical with its tree, k-means",
    layouts=(
        Layout(
            "taxa", "samples in rows, taxa in columns", "Which samples of {taxa} belong together?", ("taxa",), ("taxa",)
        ),
        Layout(
            "columns", "columns of numbers of any kind", "Which rows belong together by {columns}?",
            ("columns",), ("columns",),
        ),
        Layout(
            "distances", "dissimilarities of samples, a square table", "Which samples of {distances} belong together?",
            ("distances",), ("distances",),
        ),
    ),
    Spec=ClusteringSpec,
    compute=ask,
    page=read_page(__file__),
    alpha=False,
    order=4,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: "Clusters",
    uses=("seed",),
    keywords=(
        "cluster", "dendrogram", "hierarchical", "k-means", "UPGMA", "Ward", "linkage", "silhouette", "cophenetic",
        "partition", "segmentation", "unsupervised", "community",
    ),
)  # fmt: skip
