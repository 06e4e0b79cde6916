"""How far do raters, or ways of measuring, agree? Kappa, intraclass correlation, limits of agreement."""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.make import compose
from yavik.core.answers.wording import listing
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.scales.agreement import tables, words
from yavik.core.methods.scales.agreement.checks import all_checks
from yavik.core.methods.scales.agreement.compute import compute
from yavik.core.methods.scales.agreement.spec import AgreementSpec
from yavik.core.table import Kind, Table


def ask(table: Table, spec: AgreementSpec, run: Run) -> Answer:
    """The answer; raises DataProblem for ratings that cannot be compared."""
    a = compute(table, spec)
    run.progress(0.6, "Tables and checks")
    spans, short = words.headline(a)
    return compose(
        spans,
        short=short,
        settings=words.settings(a),
        facts=tables.facts(a),
        blocks=tables.blocks(a),
        checks=all_checks(a),
        rows=used_where(table, a.use, "a rating is empty"),
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Columns with the same answers, or in the same unit, may be raters of the same things."""
    raters = spec.get("raters", [])
    if len(raters) < 2:
        return -20, ""
    columns = [table.column(n) for n in raters]
    if len({c.kind for c in columns}) > 1 or len({c.unit for c in columns}) > 1:
        return -25, ""
    levels = [frozenset(x.words for x in c.levels) for c in columns if c.levels]
    numbered = any(n.rstrip("0123456789") != n for n in raters)  # items are numbered, raters have names
    if len(levels) == len(columns) and len(set(levels)) == 1 and len(columns) <= 6 and not numbered:
        # Two columns of yes and no are more often crossed than judged.
        return (-6, "") if columns[0].kind is Kind.yes_no else (19, "columns with the same answers")
    if columns[0].unit and len(columns) <= 4 and not numbered:
        return 9, "columns in the same unit"
    return -16, ""


METHOD = Method(
    id="agreement",
    aim=Aim.scales,
    title="Agreement of raters: kappa, intraclass correlation, limits of agreement",
    layouts=(Layout("raters", "a column for each rater", "How far do {raters} agree?", ("raters",), ("raters",)),),
    Spec=AgreementSpec,
    compute=ask,
    page=read_page(__file__),
    order=5,
    fit=_fit,
    name=lambda spec: f"Agreement of {listing(spec.raters, 3)}",
    keywords=(
        "kappa", "Cohen", "Fleiss", "weighted kappa", "ICC", "intraclass correlation", "Shrout", "limits of agreement",
        "interrater", "inter-rater", "raters", "judges", "method comparison",
    ),
)  # fmt: skip
