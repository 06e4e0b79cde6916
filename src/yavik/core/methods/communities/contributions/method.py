"""Which taxa make groups differ?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, Remedy, Verdict
from yavik.core.answers.make import compose
from yavik.core.answers.wording import begun, listing, share
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.communities.contributions import tell
from yavik.core.methods.communities.contributions.compute import Contributions, compute
from yavik.core.methods.communities.contributions.spec import ContributionsSpec
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.taxa import advice, over_taxa, samples_each
from yavik.core.table import Table


def ask(table: Table, spec: ContributionsSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no community or has no groups."""
    c = compute(table, spec, run.progress)
    spans, short = tell.headline(c)
    return compose(
        spans,
        short=short,
        settings=tell.settings(c),
        facts=tell.facts(c),
        blocks=tell.blocks(c),
        checks=[_apart(c), advice(c.samples, spec), _sizes(c)],
        rows=c.samples.rows,
    )


def _apart(c: Contributions) -> Check:
    """Whether groups are more unlike than samples within them: contributions say nothing of that."""
    m = c.main
    inside = float(np.nanmax([c.inside[m.first], c.inside[m.second], 0.0]))
    a, b = c.samples.levels[m.first], c.samples.levels[m.second]
    base: dict[str, Any] = {"id": "apart", "title": "Groups more unlike than samples within"}
    told = f"{begun(a)} and {b} differ by {share(m.shares.whole)} on average,"
    told += f" samples within them by up to {share(inside)}"
    if not np.isfinite([c.inside[m.first], c.inside[m.second]]).any():
        return Check(
            **base, verdict=Verdict.unknown, text=f"{begun(a)} and {b} have one sample each: nothing is within them."
        )
    if m.shares.whole > inside * 1.05:
        return Check(
            **base, verdict=Verdict.holds, text=f"{told}. Whether that is more than chance is another question."
        )
    text = f"{told}: the taxa named may tell samples apart rather than groups. Test the groups first."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _sizes(c: Contributions) -> Check:
    s = c.samples
    small = [f"{name} ({int(n)})" for name, n in zip(s.levels, s.sizes, strict=True) if n < 3]
    base: dict[str, Any] = {"id": "sizes", "title": "Samples in each group"}
    if not small:
        return Check(**base, verdict=Verdict.holds, text=samples_each(s))
    text = f"Few samples in {listing(small)}: what their taxa add rests on a few pairs."
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=_without(c))


def _without(c: Contributions) -> list[Remedy]:
    if len(c.samples.levels) < 3 or c.spec.where:
        return []
    small = [name for name, n in zip(c.samples.levels, c.samples.sizes, strict=True) if n < 3]
    kept = len(c.samples.levels) - len(small)
    column = c.spec.groups or ""
    if kept < 2 or '"' in "".join([column, *small]) or not column.isidentifier():
        return []
    where = " and ".join(f'{column} != "{name}"' for name in small)
    return [Remedy(label="Leave those groups out", spec={"where": where})]


METHOD = Method(
    id="contributions",
    aim=Aim.communities,
    title="Taxa that make groups differ: contributions to dissimilarity",
    layouts=(
        Layout(
            "taxa", "samples in rows, taxa in columns", "Which of {taxa} make {groups} differ?",
            ("taxa", "groups"), ("taxa", "groups"),
        ),
    ),
    Spec=ContributionsSpec,
    compute=ask,
    page=read_page(__file__),
    alpha=False,
    order=2,
    fit=lambda table, spec: over_taxa(table, spec, 32, grouped=True),
    name=lambda spec: f"Taxa that make {spec.groups} differ",
    keywords=(
        "similarity percentages", "contribution", "dissimilarity", "Bray-Curtis", "indicator", "species", "taxa",
        "community", "ecology", "discriminating",
    ),
)  # fmt: skip
