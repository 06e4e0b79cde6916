"""Which questions have marks for a figure: those about the same columns of the same table."""

from typing import Any

from yavik.core.answers import Answer, Marks
from yavik.core.answers.lending import lent_marks
from yavik.core.figures.describe import Figure
from yavik.core.figures.draw import Lent


def lends(figure: Figure, spec: dict[str, Any]) -> bool:
    """Whether a question's columns are the figure's: its groups, its samples, or its two axes."""
    if figure.kind in ("samples", "paired"):
        return bool(figure.samples) and spec.get("samples") == figure.samples
    if not figure.response:
        return False
    if figure.kind == "spread":
        return figure.response in (spec.get("column"), *_listed(spec, "columns"))
    same = spec.get("response") == figure.response
    if figure.kind == "groups":
        by = (spec.get("groups"), *_listed(spec, "factors"))
        return same and figure.groups in by
    if figure.kind in ("relation", "course"):
        named = _named([spec.get("terms"), spec.get("columns"), spec.get("with")])
        return figure.x in named and (same or figure.response in named)
    return False


def lent(figure: Figure, name: str, spec: dict[str, Any], answer: Answer) -> Lent | None:
    """The marks of a question's answer that fit the figure; None where it asks about other columns or has none."""
    marks = fitting(figure, lent_marks(answer)) if lends(figure, spec) else Marks()
    return Lent(name, marks) if marks.any else None


def fitting(figure: Figure, marks: Marks) -> Marks:
    """A model's lines only where they run along this figure's axis: those of its colours, or the ones for all
    rows."""
    over = [line for line in marks.fitted if line.over == figure.x and figure.kind in ("relation", "course")]
    own = [line for line in over if line.by == figure.colour] or [line for line in over if line.by is None]
    return marks.model_copy(update={"fitted": own, "fitted_note": marks.fitted_note if own else ""})


def _listed(spec: dict[str, Any], field: str) -> list[str]:
    value = spec.get(field)
    if isinstance(value, str):
        return [value]
    return [str(v) for v in value] if isinstance(value, list) else []


def _named(terms: Any) -> set[str]:
    """Columns of terms, however they are written: by name, as a power, as a product."""
    if isinstance(terms, str):
        return {terms}
    if isinstance(terms, list):
        return {name for term in terms for name in _named(term)}
    if isinstance(terms, dict):
        return {name for value in terms.values() for name in _named(value)}
    return set()
