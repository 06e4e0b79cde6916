"""What lies behind items? Common factors, as a string of judgements."""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.answers.wording import listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.items import alike
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.scales.factor_analysis import tables, words
from yavik.core.methods.scales.factor_analysis.checks import all_checks
from yavik.core.methods.scales.factor_analysis.compute import compute, scored
from yavik.core.methods.scales.factor_analysis.spec import FactorSpec
from yavik.core.table import Column, Table


def ask(table: Table, spec: FactorSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what holds no factors."""
    f = compute(table, spec, run.progress)
    run.progress(0.75, "Tables and checks")
    spans, short = words.headline(f)
    why = "every item is empty" if spec.missing == "pairwise" else "an item is empty"
    return compose(
        spans,
        short=short,
        settings=words.settings(f),
        facts=tables.facts(f),
        blocks=[
            tables.picture(f), tables.numbers(f), tables.loadings(f), tables.factors(f),
            tables.factor_correlations(f), tables.scales(f), tables.number_choice(f), tables.adequacy(f),
            tables.items(f),
            tables.shades(f), words.write_up(f), tables.eigenvalues(f), *tables.folded(f),
        ],
        checks=all_checks(f),
        rows=used_where(table, f.data.use, why),
        seed=spec.seed,
    )  # fmt: skip


def new_columns(table: Table, spec: FactorSpec) -> list[tuple[Column, Any]]:
    """A score for each factor, of rows filled throughout."""
    f = compute(table, spec)
    made = []
    for name, own in zip(f.names, scored(f).T, strict=True):
        label = f"Mean of the items of {name}" if spec.scores == "means" else f"Score on {name}"
        plain = name.lower().replace(" ", "_") if name.startswith("Factor ") else name
        made.append(measured(plain, own, label=label))
    return made


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    items = spec.get("items", [])
    if len(items) < 3:
        return -20, ""
    if alike(table, items):
        return (18 if len(items) >= 8 else 8), f"{len(items)} columns answered alike"
    return -12, ""


METHOD = Method(
    id="factor_analysis",
    aim=Aim.scales,
    title="Factor analysis: how many factors, which items belong together, scores",
    layouts=(Layout("items", "a column for each item", "What lies behind {items}?", ("items",), ("items",)),),
    Spec=FactorSpec,
    compute=ask,
    page=read_page(__file__),
    order=2,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"Factors behind {listing(spec.items, 3)}",
    uses=("missing", "seed"),
    keywords=(
        "factor analysis", "exploratory", "EFA", "loadings", "rotation", "varimax", "oblimin", "promax", "scree",
        "parallel analysis", "KMO", "Bartlett", "communality", "latent", "principal axis", "maximum likelihood",
    ),
)  # fmt: skip
