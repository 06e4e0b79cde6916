"""A question that weighs every row alike, asked of a table with a survey design: said, with the survey's own question
one click away."""

from typing import Any

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.table import Table


def survey_question(method: str, spec: dict[str, Any]) -> tuple[str, dict[str, Any]] | None:
    """The survey's question for another one's slots; None where there is none."""

    def of(to: str, **slots: str) -> tuple[str, dict[str, Any]] | None:
        made = {k: spec.get(v) for k, v in slots.items()}
        if any(v in (None, []) for k, v in made.items() if k != "by"):
            return None
        kept = {**made, "event": spec.get("event"), "where": spec.get("where")}
        if to == "survey_crosstab":
            kept.pop("event")
        return to, {k: v for k, v in kept.items() if v is not None}

    if method in ("compare_groups", "compare_two"):
        return of("survey_compare", response="response", groups="groups")
    if method == "crosstab":
        return of("survey_crosstab", rows="rows", columns="columns")
    if method == "describe":
        return of("survey_estimate", columns="columns", by="by")
    if method in ("linear", "logistic"):
        kept = {k: spec[k] for k in ("response", "terms", "reference", "event", "where") if spec.get(k)}
        return ("survey_model", {**kept, "family": method}) if kept.get("terms") else None
    if method == "proportion" and spec.get("column"):
        if spec.get("groups"):
            return of("survey_compare", response="column", groups="groups")
        return "survey_estimate", {
            "columns": [spec["column"]],
            **({"event": spec["event"]} if spec.get("event") else {}),
        }
    return None


def unweighted_check(table: Table, method: str, spec: dict[str, Any]) -> Check | None:
    """That the answer weighs every row alike; None of a table without a design."""
    design = table.about.design
    if design is None:
        return None
    text = (
        f"The table is a survey’s, weighted by {design.weight}. Here every row counts alike and errors are those of a"
    )
    text += " simple random sample: the answer is about these rows, not about the population."
    found = survey_question(method, spec)
    ask = [Remedy(label="Ask it of the population", spec=found[1], method=found[0])] if found else []
    return Check(id="weighing", title="Weights of the survey", verdict=Verdict.doubtful, text=text, remedies=ask)
