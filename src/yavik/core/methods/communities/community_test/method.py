"""Do communities differ between groups?"""

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.communities.community_test import tell
from yavik.core.methods.communities.community_test.checks import all_checks
from yavik.core.methods.communities.community_test.compute import compute
from yavik.core.methods.communities.community_test.spec import CommunityTestSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.taxa import over_taxa
from yavik.core.table import Table


def ask(table: Table, spec: CommunityTestSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no community or cannot be tested."""
    t = compute(table, spec, run.progress)
    spans, short = tell.headline(t)
    return compose(
        spans,
        short=short,
        settings=tell.settings(t),
        facts=tell.facts(t),
        blocks=tell.blocks(t),
        checks=all_checks(t),
        rows=t.samples.rows,
        seed=spec.seed,
    )


METHOD = Method(
    id="community_test",
    aim=Aim.communities,
    title="Communities of groups tested: PERMANOVA, ANOSIM, spread",
    layouts=(
        Layout(
            "taxa", "samples in rows, taxa in columns", "Do communities of {taxa} differ between {groups}?",
            ("taxa", "groups"), ("taxa", "groups"),
        ),
        Layout(
            "distances", "dissimilarities of samples, a square table", "Do {distances} differ between {groups}?",
            ("distances", "groups"), ("distances", "groups"),
        ),
    ),
    Spec=CommunityTestSpec,
    compute=ask,
    page=read_page(__file__),
    order=3,
    fit=lambda table, spec: over_taxa(table, spec, 30, grouped=True),
    name=lambda spec: f"Communities by {spec.groups}",
    uses=("seed",),
    keywords=(
        "PERMANOVA", "ANOSIM", "dispersion", "permutation", "Bray-Curtis", "dissimilarity", "community", "species",
        "taxa", "assemblage", "multivariate", "ecology",
    ),
)  # fmt: skip
